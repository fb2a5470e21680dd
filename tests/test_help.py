"""The how-to pages: each is followed to the letter on the demo, and says what really comes."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

import pytest
from write_man import OUTPUT, man_page

import nuvik.cli
from conftest import fill
from nuvik.__main__ import run
from nuvik.cli import COMMANDS, commands_of
from nuvik.demo import past
from nuvik.demo.build import household_at
from nuvik.help import topics
from refusals import shift

PAGES = {topic.name: topic for topic in topics()}


def calls_of(text: str) -> list[tuple[list[str], list[str]]]:
    """Each call in the blocks of a page, with what must come of it."""
    calls: list[tuple[list[str], list[str]]] = []
    for block in re.findall(r"^```\n(.*?)^```", text, re.MULTILINE | re.DOTALL):
        for line in block.splitlines():
            if line.startswith("$ nuvik "):
                calls.append((shlex.split(line.removeprefix("$ nuvik ")), []))
            else:
                calls[-1][1].append(line.strip())
    return calls


@pytest.mark.parametrize("name", PAGES)
def test_a_page_works_to_the_letter_on_the_demo(name, tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(past, "_WEEKS", 5)  # a shorter past is made more quickly
    folder = Path(household_at(str(tmp_path / "hollin")))
    text = (folder / "world.toml").read_text()
    (folder / "world.toml").write_text(re.sub(r"time_scale = \d+", "time_scale = 0", text))
    monkeypatch.chdir(folder)
    calls = calls_of(PAGES[name].text)
    assert calls, "a page without a call says nothing that can be tried"
    for words, expected in calls:
        code = run([*words, "--world", "."])
        printed = capsys.readouterr()
        everything = " ".join((printed.out + printed.err).split())
        refused = words[0] == "resume" or (words[0] == "shift" and "--yes" not in words)
        assert code in (0, 5) or (code == 3 and refused), f"{words}: {code}\n{everything}"
        for line in expected:
            assert " ".join(line.split()) in everything, f"{words} does not say “{line}”, but:\n{everything}"


def test_help_lists_its_pages_shows_one_and_knows_commands(capsys):
    assert run(["help"]) == 0
    listed = capsys.readouterr().out
    assert len(PAGES) >= 12 and all(topic.title in listed for topic in PAGES.values())
    for name in PAGES:
        assert run(["help", name]) == 0
        shown = capsys.readouterr().out
        assert PAGES[name].title in shown and "```" not in shown and "](" not in shown
    assert run(["help", "full", "drive"]) == 0 and "My fast drive is full" in capsys.readouterr().out
    assert run(["help", "opening", "record"]) == 0 and "Usage: " in capsys.readouterr().out
    assert run(["help", "cable"]) == 2 and "Pages with that word: away" in capsys.readouterr().err
    assert run(["help", "moon"]) == 2
    for topic in PAGES.values():
        for target in re.findall(r"\]\(([^)]+)\)", topic.text):
            assert (Path("src/nuvik/help") / target).exists(), target


def test_facts_name_no_file_library_or_drive(world):
    secret = fill(world.path("wren", "Films", "Secret Ferry"))
    workspace = world.surveyed()
    shift(workspace, secret, "heron")
    printed = world.prints("facts")
    assert "1 released" in printed and "compiled parts" in printed and "ext4" in printed and "portable" in printed
    for name in ("Secret", "Ferry", "Films", "Wren", "wren", "Heron", "heron", str(world.folder), "Test House"):
        assert name not in printed, name


def test_every_command_is_in_the_table_by_which_it_is_loaded():
    cli = Path(nuvik.cli.__file__).parent
    adding = {path.stem for path in cli.glob("*.py") if "\ndef add_to(" in path.read_text()} - {"start"}
    assert {module: set(commands_of(module)) for module in adding} == {
        module: set(names) for module, names in COMMANDS.items()
    }


def test_the_man_page_is_that_of_the_commands():
    assert OUTPUT.read_text(encoding="utf-8") == man_page(), "python3 start.py man writes it again"
    assert all(line[:1] != "'" for line in man_page().splitlines())
