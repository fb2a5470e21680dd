"""Trouble with the output is no trouble of the work, and progress is for those who watch."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

from conftest import fill
from nuvik.__main__ import run
from nuvik.cli import output
from nuvik.core.stages.logbook import LogbookStage


def nuvik(world, *words: str, **streams) -> subprocess.CompletedProcess:
    command = [sys.executable, "-m", "nuvik", *words, "--world", str(world.folder)]
    return subprocess.run(command, text=True, **{"stderr": subprocess.PIPE, **streams})


@pytest.fixture
def gone():
    """A pipe that nobody reads any more."""
    reader, writer = os.pipe()
    os.close(reader)
    yield writer
    os.close(writer)


def test_a_move_goes_on_whatever_becomes_of_its_output(world, gone):
    games = [fill(world.path("kestrel", "Games", name), seed=n) for n, name in enumerate(("Kite", "Moor", "Loom"))]
    with open("/dev/full", "w") as full:
        for game, stream, code in zip(games, (gone, full, full), (0, 5, 5), strict=True):
            as_json = ["--json"] if game is games[2] else []
            done = nuvik(world, "shift", str(game), "heron", "--yes", *as_json, stdout=stream)
            assert done.returncode == code and "Traceback" not in done.stderr
            assert os.path.islink(game), done.stderr
            assert ("no space left" in done.stderr and "has finished" in done.stderr) == (code == 5)
        assert nuvik(world, "drives", stdout=full).returncode == 5
    assert nuvik(world, "drives", stdout=gone).returncode == 0
    assert nuvik(world, "drives", stdout=gone, stderr=gone).returncode == 0
    assert nuvik(world, "drives", "emu", stdout=gone, stderr=gone).returncode == 2


def test_an_encoding_that_lacks_a_character_is_no_fault(world):
    fill(world.path("kestrel", "Games", "漢字 Kite"))
    for words in (["survey"], ["rehearse", "漢"]):
        done = nuvik(world, *words, env={**os.environ, "PYTHONIOENCODING": "ascii"}, stdout=subprocess.PIPE)
        assert "fault" not in done.stderr and "?" in done.stdout + done.stderr


def test_progress_is_shown_to_those_who_watch(world, capsys, monkeypatch):
    fill(world.path("kestrel", "Games", "Kite"))
    at = ["--world", str(world.folder)]
    monkeypatch.setattr(output, "_is_terminal", lambda stream: True)
    monkeypatch.setattr(output, "_LONG_S", 0.0)
    for words, term, watched in (([], "xterm", True), (["-q"], "xterm", False), ([], "dumb", False)):
        monkeypatch.setenv("TERM", term)
        assert run(["survey", *at, *words]) == 0 and run(["mend", *at, *words]) == 0
        printed = capsys.readouterr()
        assert ("\x1b[K" in printed.err) == watched and "\x1b" not in printed.out
        assert not watched or printed.err.endswith("\r\x1b[K"), "it is taken away in the end"


def test_what_is_stopped_is_no_fault(world, capsys, monkeypatch):
    def stopped(stage, below, stop):
        stop.ask()
        stop.check()

    monkeypatch.setattr(LogbookStage, "leftovers", stopped)
    assert world.run("mend") == 4 and "stopped as asked" in capsys.readouterr().err
