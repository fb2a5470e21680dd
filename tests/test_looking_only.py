"""While the folder of the database cannot be written, Nuvik still looks, says why, and refuses what it would forget."""

from __future__ import annotations

import os
import resource
import signal
import subprocess
import sys

import pytest

from conftest import fill, picture
from nuvik.core.store import database, reading_copy
from screens import press, running


def no_more_files() -> None:
    """Nothing can be written into any file, as on a full drive."""
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))


def looking(world, *words: str) -> tuple[int, str, str]:
    command = [sys.executable, "-B", "-m", "nuvik", *words, "--world", str(world.folder)]
    done = subprocess.run(command, capture_output=True, text=True, preexec_fn=no_more_files)
    assert "Traceback" not in done.stderr and "fault" not in done.stderr
    return done.returncode, done.stdout, done.stderr


def test_a_full_drive_under_the_database_does_not_blind_nuvik(world):
    game = fill(world.path("kestrel", "Games", "Kite"))
    whole = picture(game)
    for first in (True, False):  # with no database yet, and with one
        for words in ("drives", "survey", "propose") if first else ("logbook", "mend", "survey"):
            ended, out, err = looking(world, words)
            tried_to_keep = words == "survey" or (words == "propose" and first)
            assert ended == (5 if tried_to_keep else 0) and out and "cannot be written" in err and ".nuvik" in err, (
                words,
                err,
            )
        assert "Kite" in looking(world, "survey")[1]
        for refused in (
            ["shift", str(game), "heron", "--yes"],
            ["card", str(game), "--pin"],
            ["drive", "wren", "--name", "X"],
        ):
            assert looking(world, *refused)[0] == 3
        assert picture(game) == whole and not os.path.islink(game)
        if first:
            assert world.run("survey") == 0
    assert looking(world, "why", "Kite")[0] == 0, "what was known is still known"
    assert world.run("shift", str(game), "heron", "--yes", "--on-trial") == 0
    assert "on trial" in looking(world, "logbook")[1] and looking(world, "release", "all")[0] == 3
    assert looking(world, "undo", "all", "--yes")[0] == 3 and os.path.islink(game)


@pytest.fixture
def full(monkeypatch):
    def cannot(self) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(database.Database, "_bring_up_to_date", cannot)
    monkeypatch.setattr(database, "why_not_writable", lambda folder: "its drive is full")


async def test_the_screens_say_that_nothing_is_remembered(world, full):
    fill(world.path("kestrel", "Games", "Kite"))
    async with running(world, (120, 40)) as (app, pilot):
        assert [note for note in app._notifications if "its drive is full" in note.message]
        assert [library.name for library in app.desk.snapshot.libraries] == ["Kite"], "what it has just surveyed"
        await press(pilot, "m", *"123456", "1")
        assert app.is_running and app.fault is None


def test_why_nothing_can_be_written_is_known(tmp_path):
    assert reading_copy.why_not_writable(str(tmp_path)) is None
    assert reading_copy.why_not_writable(str(tmp_path / "nowhere")) == "no such file or directory"
