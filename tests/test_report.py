"""The report: for somebody who never saw Nuvik, on paper of both kinds and as one file that needs nothing beside it."""

from __future__ import annotations

import os
import re
from html.parser import HTMLParser

import pytest

from conftest import MB, fill, put
from nuvik.core.stages.workspace import open_workspace
from nuvik.demo.build import household_at
from nuvik.drawing.page import Page, Words
from nuvik.drawing.report.html import report_html
from nuvik.drawing.report.pages import Paper, blocks_drawn, report_pages
from nuvik.drawing.report.sections import Report, report_of
from refusals import shift
from screens import choices, press, running
from test_drawings import faults_of

TITLES = ["How full the drives are", "What they hold", "How fast they are, and what you wait for"]
TITLES += ["What is proposed, and why", "What was moved", "Over time", "What depends on which portable drive"]
TITLES += ["What the words mean"]


def words_of(pages: list[Page]) -> str:
    return " ".join(item.words for page in pages for item in page.items if isinstance(item, Words))


def test_the_report_of_the_demo_tells_the_whole_story_in_a_few_pages(tmp_path):
    folder = household_at(str(tmp_path / "demo"))
    report = report_of(open_workspace(folder, waits=False))
    assert [section.title for section in report.sections] == TITLES
    for paper in Paper:
        pages = report_pages(report, paper)
        assert 4 <= len(pages) <= 6
        assert {(page.width, page.height) for page in pages} == {paper.size}
        assert [fault for page in pages for fault in faults_of(page)] == []
        text = words_of(pages)
        for words in ("36.6 GB free", "Saltmarsh Signalman", "You wait", "Pocket Regatta Hollin", "nuvik undo 2"):
            assert words in text, words
        assert f"1 of {len(pages)}" in text
    assert [fault for _, page in blocks_drawn(report, 720) for fault in faults_of(page)] == []


def test_the_report_of_a_home_that_was_surveyed_but_not_watched_says_what_is_not_known_yet(house):
    house.open().survey.take()
    house.open().survey.take()
    house.open().survey.take()
    text = words_of(report_pages(report_of(house.open()), Paper.A4))
    assert "How often anything is opened is not known yet" in text and "Waiting goes from" not in text
    assert text.count("not known yet: that takes three surveys over a week") == 1


class _Read(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.outside: list[str] = []
        self.titles: list[str] = []

    def handle_starttag(self, tag: str, attributes: list[tuple[str, str | None]]) -> None:
        if tag not in ("meta", "br"):
            self.open.append(tag)
        self.outside += [value for name, value in attributes if name in ("src", "href") and value and value[0] != "#"]

    def handle_startendtag(self, tag: str, attributes: list[tuple[str, str | None]]) -> None:
        self.handle_starttag(tag, attributes)
        self.open.pop()

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        if self.open and self.open[-1] == "h2":
            self.titles.append(data)


def test_the_html_report_is_one_file_that_asks_for_nothing_else(world, capsys, tmp_path):
    hostile = fill(world.path("heron", os.fsdecode(b"<script>alert(1) & \xff")), seed=5)
    put(hostile / "big", 400 * MB)
    put(world.path("kestrel", "Films", "望遠鏡", "a.mkv"), 90 * MB)
    workspace = world.surveyed()
    shift(workspace, hostile, "wren", on_trial=True)
    path = tmp_path / "made" / "r.html"
    assert world.run("report", "-o", str(path)) == 0
    text = path.read_text()
    read = _Read()
    read.feed(text)
    assert read.open == [] and read.outside == [] and "<script" not in text and "&lt;script&gt;" in text
    assert read.titles[0] == TITLES[0] and text.count("<svg") == text.count("</svg>") >= 4
    assert re.findall(r"url\((?!data:|#)", text) == []
    assert world.run("report", "-o", str(tmp_path / "r.doc")) == 2
    assert world.run("report", "-o", str(tmp_path / "r.pdf"), "--paper", "letter", "--no-proposal") == 0
    assert (tmp_path / "r.pdf").read_bytes().startswith(b"%PDF")
    report = report_of(workspace)
    assert [fault for paper in Paper for page in report_pages(report, paper) for fault in faults_of(page)] == []
    assert "What is proposed, and why" not in report_html(report_of(workspace, propose=False))


@pytest.mark.parametrize("surveyed", [False, True])
def test_a_report_of_nothing_says_so(world, surveyed):
    workspace = world.open()
    if surveyed:
        workspace.survey.take()
    report: Report = report_of(workspace)
    words = words_of(report_pages(report))
    assert "Nothing has been moved yet." in words and ("Nothing has been surveyed yet" in words) is not surveyed
    assert faults_of(report_pages(report)[0]) == []


async def test_from_a_stage_drawings_and_the_report_are_written_with_one_key(world, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    game = fill(world.path("kestrel", "Games", "Ferrymoss"))
    world.open().survey.take()
    (tmp_path / "nuvik-drives.pdf").write_text("mine")
    async with running(world) as (app, pilot):
        for keys in (["D", "d"], ["D", "r"], ["3", "D"]):
            await press(pilot, *keys)
        assert "the plan over time" not in choices(app)
        await pilot.press("escape")
        desk = app.screen.desk
        desk.edit(desk.workspace.plan.draft([(str(game), "heron")]))
        await press(pilot, "D", "t")
    assert (tmp_path / "nuvik-drives.pdf").read_text() == "mine"
    made = sorted(path.name for path in tmp_path.glob("nuvik-*"))
    assert [name for name in made if name.startswith("nuvik-drives")] != ["nuvik-drives.pdf"]
    assert {"nuvik-report.pdf", "nuvik-report.html", "nuvik-timeline.pdf", "nuvik-timeline.svg"} <= set(made)
