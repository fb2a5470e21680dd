"""How much of what five made-up people have does a survey recognise, without a single card?

Also a program of its own: `python bench/recognising.py [PERSON [LANGUAGE [LAYOUT]]]` says what was missed.
"""

from __future__ import annotations

import os
import random
import shutil
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parent.parent / "tests")]

from homes.build import Builder, Places
from homes.people import PEOPLE, everyday
from homes.score import Score, score, total
from homes.words import LANGUAGES

from nuvik.core.hosts.base import drive_holding
from nuvik.core.hosts.local import LocalHost
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.database import Database

GOALS = {"recall": 0.95, "precision": 0.95, "kinds": 0.90}
_OWNER, _OTHER = 1000, 1001
_SCALES = {"one drive": 0.15, "three drives": 0.05}


def recognising() -> Iterator[tuple[str, str, str, str, bool | None]]:
    """Rows for the bench: each layout over all people, their languages taken in turn."""
    for layout in _SCALES:
        scores = []
        for number, person in enumerate(PEOPLE):
            language = list(LANGUAGES)[number % len(LANGUAGES)]
            with made_home(person, language, layout) as home:
                scores.append(scored(home))
        whole = total(scores)
        for name, goal, share in (
            ("libraries shown", GOALS["recall"], whole.recall),
            ("shown rightly", GOALS["precision"], whole.precision),
            ("kinds right", GOALS["kinds"], whole.kind_share),
        ):
            yield f"five homes on {layout}: {name}", "", f"{share:.0%}", f"at least {goal:.0%}", share >= goal
        faults = len(whole.faults)
        yield f"five homes on {layout}: movable, must not be", "", str(faults), "none", faults == 0


@contextmanager
def made_home(person: str, language: str, layout: str) -> Iterator[Builder]:
    """A home on this computer, removed afterwards; `home.places` says where."""
    with _places(layout) as places:
        home = Builder(places, _SCALES[layout], time.time(), random.Random(f"{person} {language}"))
        for place in (places.home, places.shelf, places.portable):
            os.makedirs(place, exist_ok=True)
        everyday(home, LANGUAGES[language])
        PEOPLE[person](home, LANGUAGES[language])
        if os.geteuid() == 0:
            _give_away(home)
        yield home


@contextmanager
def _places(layout: str) -> Iterator[Places]:
    folder = tempfile.mkdtemp(prefix="nuvik-home-", dir=os.path.expanduser("~"))  # on a drive, not in memory
    drives = None
    try:
        if layout == "one drive":
            yield Places(f"{folder}/home/ada", f"{folder}/shelf", f"{folder}/portable")
        else:
            from conftest import RealDrives

            os.mkdir(f"{folder}/images")
            drives = RealDrives(Path(folder), Path(folder, "images"))
            points = [drives.up(name, f"{size}M", fs) for name, size, fs in _DRIVES]
            yield Places(f"{points[0]}/home/ada", str(points[1]), str(points[2]))
    finally:
        if drives is not None:
            drives.down()
        shutil.rmtree(folder, ignore_errors=True)


_DRIVES = (("fast", 24_000, "ext4"), ("roomy", 40_000, "xfs"), ("stick", 20_000, "ext4"))


def _give_away(home: Builder) -> None:
    places = home.places
    for root in (os.path.dirname(places.home), places.shelf, places.portable):
        for folder, _, names in os.walk(root):
            owner = _OTHER if folder.startswith(places.home + "-2") else _OWNER
            for path in (folder, *(os.path.join(folder, name) for name in names)):
                os.lchown(path, owner, owner)


def scored(home: Builder) -> Score:
    """What a survey of this home shows, as the person who sits there would get it, beside the truth."""
    places, before = home.places, dict(os.environ)
    os.environ["HOME"] = places.home
    for name in [name for name in os.environ if name.startswith("XDG_")]:
        del os.environ[name]
    try:
        with tempfile.TemporaryDirectory() as state:
            workspace = Workspace(LocalHost(), Database(state))
            host, drives = workspace.computer.host, workspace.computer.drives()

            def small_bytes(path: str) -> int:
                drive = drive_holding(drives, path)
                return int(drive.usable_bytes * host.small_share) if drive is not None else 0

            roots = [os.path.dirname(places.home), places.shelf, places.portable]
            return score(home, workspace.survey.take(roots).libraries, small_bytes)
    finally:
        os.environ.clear()
        os.environ.update(before)


def main(words: list[str]) -> None:
    people = [words[0]] if words and words[0] in PEOPLE else list(PEOPLE)
    layout = words[2] if len(words) > 2 else "one drive"
    scores: list[Score] = []
    for number, person in enumerate(people):
        language = words[1] if len(words) > 1 else list(LANGUAGES)[number % len(LANGUAGES)]
        with made_home(person, language, layout) as home:
            result = scored(home)
        scores.append(result)
        print(f"{person} ({language}, {layout}): {result}")
        places = home.places
        root = os.path.dirname(os.path.dirname(places.home))
        for remark in result.faults + result.remarks:
            print("   ", remark.replace(root, ""))
    print(f"all: {total(scores)}")


if __name__ == "__main__":
    main(sys.argv[1:])
