"""What is typed about drives, advice on file systems, drives to buy, and traffic."""

from __future__ import annotations

import os

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import GB, MB, a_drive, fill, put
from households import FAST, home, library
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.links import LINKS
from nuvik.core.model.traffic import Counters, Look
from nuvik.core.planning.buying.filesystem_advice import advice_in_words, how_to_format, needs_of, weigh
from nuvik.core.planning.buying.purchases import verdicts_on
from nuvik.core.store.candidates_file import read_candidates
from nuvik.core.survey.drives.drive_input import clean_name, headroom_of, kinds_of
from nuvik.core.views.purchase_sentences import verdict_sentence


def test_what_is_typed_of_a_drive_is_read_or_refused():
    assert headroom_of("10 %", a_drive()) == 85 * GB and headroom_of("50G", a_drive()) == 50 * GB
    assert kinds_of("game, photo game") == ("game", "photo") and kinds_of("") == ()
    assert clean_name("  a   b ") == "a b"
    for bad in ("99%", "x%", "2T", "cheese"):
        with pytest.raises(BadInput):
            headroom_of(bad, a_drive())
    for read, bad in ((kinds_of, "cheese"), (clean_name, "\x1b[31m"), (clean_name, " ")):
        with pytest.raises(BadInput):
            read(bad)


def test_advice_on_a_file_system_names_what_it_lacks(world):
    stick = a_drive(filesystem="exfat", used_bytes=3 * GB, device="sdc1")
    assert "Leave it as it is" in advice_in_words(stick, needs_of(["windows", "macos"], []))
    words = advice_in_words(stick, needs_of(["linux"], [], links=True))
    assert "holds no links" in words and "need a setting, not a link" in words and "ext4 would be better" in words
    first = weigh(needs_of(["windows", "macos"], []), 10**11)[0]
    assert first.filesystem == "exfat" and not first.lacks
    steps = how_to_format(stick, "ext4", [], "linux")
    assert "Everything on Wren will be lost: 3.00 GB" in steps[0] and "sdc1" in steps[2]
    with pytest.raises(BadInput, match="not a system"):
        needs_of(["amber"], [])


CANDIDATES = """format = "nuvik-candidates/1"
ports = ["usb-3.2-gen2"]
[[drive]]
label = "Bare"
capacity_bytes = 2_000_000_000_000
price = 100.0
medium = "nvme"
read_bytes_per_s = 3_500_000_000
write_bytes_per_s = 3_000_000_000
[[case]]
label = "Case"
price = 20.0
link = "usb-3.2-gen2x2"
takes = ["nvme"]
[[upgrade]]
drive = "heron"
label = "Heron in a better case"
price = 30
case = "usb-3.2-gen2"
read_bytes_per_s = 900_000_000
write_bytes_per_s = 800_000_000
"""


def test_candidates_are_put_together_and_held_back_by_their_slowest_part(world, tmp_path):
    file = tmp_path / "candidates.toml"
    file.write_text(CANDIDATES)
    fill(world.path("heron", "Games", "Ferry"))
    put(world.path("heron", "Games", "Ferry", "big.pack"), 300 * MB)
    world.cards = [{"path": "heron/Games/Ferry", "opens_per_week": 5, "kind": "game"}]
    world.write()
    workspace = world.surveyed()
    verdicts = {verdict.candidate.label: verdict for verdict in workspace.drives.verdicts(str(file))}
    assert set(verdicts) == {"Bare in Case", "Heron in a better case"}, "there is no slot for the bare drive"
    built = verdicts["Bare in Case"]
    assert built.candidate.price == 120 and built.candidate.price_per_tb == pytest.approx(60)
    assert built.candidate.held_back_by.startswith("the port (USB 3.2 Gen 2")
    assert built.candidate.read_bytes_per_s == LINKS["usb-3.2-gen2"].payload_bytes_per_s
    assert built.libraries == ("Ferry",) and 0 < built.saves_s_per_week < 5, "Kestrel, with room, is nearly as quick"
    for drive in world.data["drive"]:
        drive["other_bytes"] = 0 if drive["id"] == "heron" else drive["usable_bytes"]
    world.write()
    built = next(
        verdict for verdict in world.open().drives.verdicts(str(file)) if verdict.candidate.label == "Bare in Case"
    )
    assert "with Ferry on it you would wait" in verdict_sentence(built)
    assert built.saves_s_per_week > 5 * 28, "now nothing else has room, and platters need 29 s for small reads"
    full = a_drive(
        id="full", label="Full", path="/full", used_bytes=95 * GB, usable_bytes=100 * GB, headroom_bytes=10 * GB, **FAST
    )
    snapshot = home([full], [library("Ketch", "full", 20), library("Sloop", "full", 30)])
    (relief,) = verdicts_on([built.candidate], snapshot)
    assert relief.relieves == ("Full",) and relief.frees_bytes == 5 * GB
    assert "; ends the shortage on Full" in verdict_sentence(relief)
    assert verdicts["Heron in a better case"].candidate.upgrade_of == "heron"
    for bad, words in (
        (('"nvme"]', '"cheese"]'), "“takes” of case 1: "),
        (("gen2x2", "gen9"), "unknown link"),
        (("heron", "emu"), "unknown drive"),
        (("price = 20.0", "price = -1"), "“price” of case 1: "),
    ):
        file.write_text(CANDIDATES.replace(*bad))
        with pytest.raises(Refused, match=words):
            read_candidates(str(file), workspace.drives.all())


@given(st.integers(0, 10**12), st.integers(0, 10**12), st.floats(0.1, 100))
def test_traffic_is_what_passed_between_two_looks(read, written, seconds):
    before = Look(5.0, {"a": Counters(7, 9), "gone": Counters(1, 1), "reset": Counters(2, 2)})
    after = Look(5.0 + seconds, {"a": Counters(7 + read, 9 + written), "reset": Counters(0, 0), "new": Counters(4, 4)})
    traffic = after.since(before)
    assert set(traffic) == {"a"} and traffic["a"].read_bytes_per_s * seconds == pytest.approx(read)
    assert not before.since(before) and os.sep
