"""Cards: what the user states about a library, by screens, commands and files."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import MB, fill, put
from nuvik.__main__ import run
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.library import Card, Kind, Part, Timing
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.waiting import opening_s
from nuvik.core.stages.workspace import open_workspace
from nuvik.core.survey.card_input import card_with_form
from nuvik.core.user_files.cards_file import cards_text, read_cards_file


def test_cards_correct_what_was_found_and_are_remembered(world):
    base = world.path("heron")
    put(f"{base}/Shelf/One/a.mkv", MB)
    put(f"{base}/Shelf/Two/b.flac", MB)
    put(f"{base}/Shelf/loose.txt", MB)
    put(f"{base}/Junk/a", MB)
    put(f"{base}/Videos/x/a.mkv", MB)
    put(f"{base}/Videos/y/b.mkv", MB)
    assert {library.name for library in world.open().survey.take().libraries} == {"One", "Two", "Junk", "Videos"}
    workspace = world.open()
    workspace.survey.keep_cards(
        [
            Card(path=f"{base}/Shelf", titles=True),
            Card(path=f"{base}/Junk", ignored=True),
            Card(path=f"{base}/Videos", name="All films", parts=(Part(name="x", kind=Kind.VIDEO, path="x"),)),
        ]
    )
    snapshot = world.open().survey.take()
    assert {library.name for library in snapshot.libraries} == {"One", "Two", "All films"}, "split, ignored and merged"
    merged = next(library for library in snapshot.libraries if library.name == "All films")
    assert (merged.bytes, [part.bytes for part in merged.parts]) == (2 * MB, [MB])
    assert {os.path.basename(folder.path): folder.bytes for folder in snapshot.loose} == {"Shelf": MB, "Junk": MB}
    world.data["drive"][1]["folder"] = "moved"
    os.rename(base, world.path("moved"))
    world.write()
    assert {library.name for library in world.open().survey.take().libraries} == {"One", "Two", "All films"}, (
        "at another mount point"
    )
    workspace = world.open()
    shelf = [library for library in workspace.survey.latest().libraries if library.name in ("One", "Two")]
    with pytest.raises(Refused, match="root of Heron"):
        workspace.survey.merge(
            [library for library in workspace.survey.latest().libraries if library.name == "All films"]
        )
    assert workspace.survey.merge(shelf) == world.path("moved", "Shelf")
    assert {library.name: library.bytes for library in workspace.survey.take().libraries} == {
        "Shelf": 3 * MB,
        "All films": 2 * MB,
    }
    workspace.survey.keep_cards([Card(path=world.path("moved", "Junk"))])
    assert "Junk" in {library.name for library in workspace.survey.take().libraries}, "an empty card is struck out"


CARDS = st.builds(
    Card,
    path=st.lists(
        st.text("abc é[]'\"#", min_size=1, max_size=9).filter(lambda x: x.strip(". ")), min_size=1, max_size=3
    ).map(lambda names: os.path.normpath("/" + "/".join(names))),
    name=st.none() | st.text(min_size=1, max_size=20).filter(str.isprintable),
    kind=st.none() | st.sampled_from(Kind),
    opens_per_week=st.none() | st.floats(0, 1000),
    pinned=st.booleans(),
    movable=st.booleans(),
    overrule=st.booleans(),
    ignored=st.booleans(),
    titles=st.booleans(),
    working_set=st.booleans(),
    needs_read_bytes_per_s=st.none() | st.integers(1, 10**12),
    opening_factor=st.none() | st.floats(0.001, 1000),
    computing_s=st.none() | st.floats(0, 1000),
    timings=st.lists(st.builds(Timing, drive=st.sampled_from("ab"), seconds=st.floats(0.1, 900)), max_size=2).map(
        tuple
    ),
    parts=st.lists(
        st.builds(Part, name=st.just("p"), kind=st.sampled_from(Kind), path=st.sampled_from(["p", "q/r"])), max_size=2
    ).map(tuple),
)


@given(cards=st.lists(CARDS, max_size=5, unique_by=lambda card: card.path))
def test_cards_survive_their_file(tmp_path_factory, cards):
    path = tmp_path_factory.getbasetemp() / "cards-there-and-back.toml"
    path.write_text(cards_text(cards), encoding="utf-8")
    assert set(read_cards_file(str(path), "/")) == set(cards)


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("kind = 'toy'", r"“kind” of library 1: .*'game'.*'other'"),
        ("opens_per_week = -1", r"“opens_per_week” of library 1: .*greater than or equal to 0"),
        ("opens_per_week = 'often'", r"“opens_per_week” of library 1: .*valid number"),
        ("pined = true", r"“pined” of library 1: .*not permitted"),
        ("part = [{path = '../out'}]", "“path” of part 1 of library 1: must be a folder inside"),
        ("[[library]]\npath = '/a/b'", "“path” of library 2: a second card for /a/b"),
        ("name = ", "not valid TOML"),
    ],
)
def test_a_card_file_with_errors_says_the_field_and_what_is_allowed(tmp_path, line, words):
    path = tmp_path / "cards.toml"
    path.write_text(f"format = 'nuvik-cards/1'\n[[library]]\npath = '/a/b'\n{line}\n")
    with pytest.raises(Refused, match=words):
        read_cards_file(str(path), "/")


@pytest.mark.parametrize(
    ("field", "text"),
    [
        ("kind", "toy"),
        ("opens", "-3"),
        ("opens", "nan"),
        ("needs", "0"),
        ("needs", "fast"),
        ("name", "a\x1b[31m"),
        ("name", "x" * 201),
        ("parts", "Cache"),
        ("parts", "../out=cache"),
        ("parts", "Cache=toy"),
        ("parts", ".=cache"),
        ("with", "Nobody"),
        ("apart", "/b, Nobody"),
        ("collection", "a\x1b"),
    ],
)
def test_what_is_typed_on_a_card_is_checked(field, text):
    names = ("name", "kind", "opens", "needs", "parts", "with", "apart", "collection")
    with pytest.raises(BadInput):
        card_with_form(Card(path="/a"), {**dict.fromkeys(names, ""), field: text})


def test_cards_by_commands(world, capsys):
    """DriveNotes, shown, written to a file, carried to another state folder, and forgotten."""
    game = put(world.path("heron", "Games", "Kite", "data.pack"), MB).parent
    (game / "Add-ons").mkdir()
    at = ["--world", str(world.folder)]
    assert (
        run(
            [
                "card",
                str(game),
                "--name",
                "Kite makers",
                "--kind",
                "game",
                "--opens-per-week",
                "2.5",
                "--needs",
                "40MB/s",
                "--part",
                "Add-ons=game",
                "--use",
                "--pin",
                *at,
            ]
        )
        == 0
    )
    printed = capsys.readouterr().out
    for words in (
        "is called Kite makers",
        "2.5 times a week",
        "40.0 MB/s",
        "stays where it is",
        "active use",
        "the part Add-ons (game)",
    ):
        assert words in printed
    card = json.loads(world.prints("card", str(game), "--no-pin", "--json"))
    assert (card["format"], card["pinned"], card["opens_per_week"]) == ("nuvik-card/1", False, 2.5)
    assert world.run("card", str(game), "--took", "42") == 3, "before a survey knows it"
    assert world.run("survey") == 0 and world.run("card", str(game), "--took", "42") == 0
    assert world.run("card", str(game), "--took", "0") == 2
    workspace = world.open()
    (library,) = workspace.survey.take().libraries
    drive = workspace.drives.find(library.drive)
    assert opening_s(library, drive) == pytest.approx(42, rel=1e-3), "what was timed is what is reckoned from then on"
    again = workspace.survey.timed(library.path, 84.0)
    assert again.opening_factor == pytest.approx(2 * library.opening_factor, rel=1e-3)
    capsys.readouterr()
    file = str(world.folder / "all cards.toml")
    assert world.run("cards", "export", file) == 0
    other = ["--state", str(world.folder / "other state")]
    assert run(["survey", "--json", *at, *other]) == 0
    assert json.loads(capsys.readouterr().out.partition("\n")[2])["libraries"][0]["name"] == "Kite"
    assert run(["cards", "import", file, *at, *other]) == 0
    assert run(["survey", *at, *other]) == 0
    assert "Kite makers" in capsys.readouterr().out
    assert "you have set nothing for it" in world.prints("card", str(game), "--forget")
    command = ["card", str(game)]
    for words, code in (
        (["card", "/nowhere"], 2),
        ([*command, "--kind", "toy"], 2),
        ([*command, "--opens-per-week", "-1"], 2),
        ([*command, "--needs", "x"], 2),
        ([*command, "--needs", "40"], 2),
        ([*command, "--part", "x"], 2),
        ([*command, "--part", "not there=cache"], 2),
        ([*command, "--name", "a\udcff"], 2),
        (["cards", "import", "/nowhere.toml"], 2),
        (["cards", "export", "/nowhere/cards.toml"], 2),
    ):
        assert world.run(*words) == code
        assert "Traceback" not in capsys.readouterr().err
    assert world.run(*command, "--name", "Gone soon") == 0
    os.rename(game, f"{game} elsewhere")
    assert "is called Gone soon" in world.prints(*command)
    assert world.run(*command, "--forget") == 0 and world.run(*command) == 2, "forgotten, and nothing there"


def test_a_library_timed_on_two_drives_keeps_both_timings(world):
    game = fill(world.path("heron", "Games", "Kite"))
    put(game / "big.pack", 90 * MB)
    assert world.run("survey") == 0 and world.run("card", str(game), "--took", "42") == 0
    workspace = world.open()
    assert world.run("shift", str(game), "kestrel", "--yes") == 0 and world.run("card", str(game), "--took", "9") == 0
    (library,) = workspace.survey.latest().libraries
    assert library.drive == "kestrel" and library.computing_s is not None
    assert opening_s(library, workspace.drives.find("heron")) == pytest.approx(42, rel=1e-2)
    assert opening_s(library, workspace.drives.find("kestrel")) == pytest.approx(9, rel=1e-2)
    (judged,) = workspace.survey.take().libraries
    assert judged.timings == library.timings and judged.computing_s == library.computing_s


def test_what_was_carried_counts_before_the_next_survey(world):
    """Moved, moved on, a part parted, taken back: what is known is what a survey would see, each time."""
    path = world.path("kestrel", "Projects", "Vane")
    fill(path), fill(world.path("kestrel", "Games", "Kite"), seed=2)
    put(Path(path, "Media", "sky.mov"), 30 * MB)
    world.cards = [{"path": "kestrel/Projects/Vane", "part": [{"name": "Media", "kind": "video", "path": "Media"}]}]
    world.write()
    workspace, afresh = world.open(), open_workspace(str(world.folder), world.path("state"), waits=False)
    workspace.survey.take()

    def known(snapshot):
        return {
            (library.id, library.path, library.drive, library.tether, library.bytes, library.files)
            for library in snapshot.libraries
        }

    def shift(*moves):
        plan = workspace.plan.make(workspace.plan.draft(moves))
        workspace.carry.carry(plan)
        assert known(workspace.survey.latest()) == known(afresh.survey.take()), moves

    shift((world.path("kestrel", "Games", "Kite"), "heron"))
    shift((path, "heron"))
    (vane,) = (library for library in workspace.survey.latest().libraries if library.name == "Vane")
    shift((vane.path, "wren"))
    before = known(workspace.survey.latest())
    wishes = Wishes(every_move=True)
    assert not workspace.plan.recommend(wishes).draft.places.keys() - {entry[0] for entry in before}
    for _ in range(3):
        workspace.logbook.undo("last")
        assert known(workspace.survey.latest()) == known(afresh.survey.take())
    assert known(workspace.survey.latest()) != before and workspace.survey.latest().drive(vane.drive)
    draft = workspace.plan.empty_draft(workspace.survey.latest())
    (vane,) = (library for library in draft.snapshot.libraries if library.name == "Vane")
    draft = draft.parted(vane.id)
    workspace.carry.carry(workspace.plan.make(draft.put_down(f"{vane.id}/Media", "heron")))
    latest = workspace.survey.latest()
    media = next(library for library in latest.libraries if library.drive == "heron")
    body = next(library for library in latest.libraries if library.name == "Vane")
    assert (media.bytes, media.tether) == (30 * MB, f"{path}/Media") and body.bytes == vane.bytes - 30 * MB
