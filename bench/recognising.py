"""How much of what made-up people have does a survey recognise, without a single card?

Three groups: those for whom the rules were written, others that were made afterwards to see what the rules do with
homes they were not made for (the rules have learnt from them since), and homes of two other systems.

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
from homes.other_systems import OTHER_SYSTEMS
from homes.people import PEOPLE, everyday
from homes.score import Score, score, total
from homes.strangers import STRANGERS
from homes.words import LANGUAGES

from nuvik.core.hosts.base import drive_holding
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.surroundings import places_of_programs
from nuvik.core.model.library import Kind
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.database import Database

GOALS = {"recall": 0.95, "precision": 0.95, "kinds": 0.90}
_OWNER, _OTHER = 1000, 1001
_SCALES = {"one drive": 0.15, "three drives": 0.05}


def recognising() -> Iterator[tuple[str, str, str, str, bool | None]]:
    """Rows for the bench: each group of people in a layout of drives, their languages taken in turn."""
    groups = {
        "five homes on one drive": ("one drive", PEOPLE),
        "five homes on three drives": ("three drives", PEOPLE),
        "five other homes": ("one drive", STRANGERS),
        "homes of two other systems": ("one drive", OTHER_SYSTEMS),
    }
    for group, (layout, people) in groups.items():
        scores = []
        for number, person in enumerate(people):
            language = list(LANGUAGES)[number % len(LANGUAGES)]
            with made_home(person, language, layout) as home:
                scores.append(scored(home, person))
        whole = total(scores)
        for name, goal, share in (
            ("libraries shown", GOALS["recall"], whole.recall),
            ("shown rightly", GOALS["precision"], whole.precision),
            ("kinds right", GOALS["kinds"], whole.kind_share),
        ):
            yield f"{group}: {name}", "", f"{share:.0%}", f"at least {goal:.0%}", share >= goal
        faults = len(whole.faults)
        yield f"{group}: movable, must not be", "", str(faults), "none", faults == 0


@contextmanager
def made_home(person: str, language: str, layout: str) -> Iterator[Builder]:
    """A home on this computer, removed afterwards; `home.places` says where."""
    with _places(layout) as places:
        home = Builder(places, _SCALES[layout], time.time(), random.Random(f"{person} {language}"))
        for place in (places.home, places.shelf, places.portable):
            os.makedirs(place, exist_ok=True)
        if person in OTHER_SYSTEMS:
            OTHER_SYSTEMS[person][1](home, LANGUAGES[language])
        else:
            everyday(home, LANGUAGES[language])
            (PEOPLE | STRANGERS)[person](home, LANGUAGES[language])
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
            from volumes import RealDrives

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


def scored(home: Builder, person: str) -> Score:
    """What a survey of this home shows, as the person who sits there would get it, beside the truth."""
    places, before = home.places, dict(os.environ)
    os.environ["HOME"] = places.home
    for name in [name for name in os.environ if name.startswith("XDG_")]:
        del os.environ[name]
    try:
        with tempfile.TemporaryDirectory() as state:
            workspace = Workspace(LocalHost(), Database(state))
            host, drives = workspace.computer.host, workspace.computer.drives()
            if person in OTHER_SYSTEMS:
                about = surroundings_of_system(places.home, OTHER_SYSTEMS[person][0])
                host.surroundings = lambda: about  # type: ignore[method-assign]

            def small_bytes(path: str) -> int:
                drive = drive_holding(drives, path)
                return int(drive.usable_bytes * host.small_share) if drive is not None else 0

            roots = [os.path.dirname(places.home), places.shelf, places.portable]
            return score(home, workspace.survey.take(roots).libraries, small_bytes)
    finally:
        os.environ.clear()
        os.environ.update(before)


def surroundings_of_system(home: str, system: str) -> Surroundings:
    """What another system would say of this home, as far as its folders decide it."""
    caches, containers, settings = (frozenset(places) for places in places_of_programs(home, system))
    kinds = {
        "Documents": Kind.DOCUMENT,
        "Downloads": Kind.DOWNLOAD,
        "Music": Kind.SOUND,
        "Pictures": Kind.PHOTO,
        "Movies" if system == "darwin" else "Videos": Kind.VIDEO,
    }
    standard = {os.path.join(home, name): kind for name, kind in kinds.items()}
    return Surroundings(home=home, standard=standard, caches=caches, containers=containers, settings=settings)


def main(words: list[str]) -> None:
    everybody = [*PEOPLE, *STRANGERS, *OTHER_SYSTEMS]
    people = [words[0]] if words and words[0] in everybody else list(everybody)
    layout = words[2] if len(words) > 2 else "one drive"
    scores: list[Score] = []
    for number, person in enumerate(people):
        language = words[1] if len(words) > 1 else list(LANGUAGES)[number % len(LANGUAGES)]
        with made_home(person, language, layout) as home:
            result = scored(home, person)
        scores.append(result)
        print(f"{person} ({language}, {layout}): {result}")
        places = home.places
        root = os.path.dirname(os.path.dirname(places.home))
        for remark in result.faults + result.remarks:
            print("   ", remark.replace(root, ""))
    print(f"all: {total(scores)}")


if __name__ == "__main__":
    main(sys.argv[1:])
