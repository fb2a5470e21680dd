"""Making the demo household on the spot: sparse files with real seeded contents at both ends."""

from __future__ import annotations

import os
import random
import shutil
import time

import platformdirs
import tomlkit

from nuvik.core.hosts.world import STATE_FOLDER
from nuvik.core.hosts.world_file import WORLD_FILE, WORLD_FORMAT, read_world
from nuvik.core.model.errors import Refused
from nuvik.core.model.names import shown
from nuvik.core.model.paths import normalised
from nuvik.core.stages.drives import CANDIDATES_FILE
from nuvik.core.store.candidates_file import CANDIDATES_FORMAT
from nuvik.core.store.database import Database
from nuvik.core.user_files.cards_file import CARDS_FILE, CARDS_FORMAT
from nuvik.demo.household import (
    CANDIDATES,
    COPIED_BY_HAND,
    DRIVES,
    EXTENSIONS,
    LIBRARIES,
    LOOSE,
    TIME_SCALE,
    TITLES,
    WORLD_NAME,
    Household,
)
from nuvik.demo.past import make_history, make_moves
from nuvik.demo.recordings import keep_recordings, recorded_cards
from nuvik.demo.title_box import SETTINGS, TitleBox

_CONTENT_BYTES = 6_000
_PROBE_BYTES = 64 * 1024 * 1024
_FAT32_LARGEST = 2**32 - 1
_DAY_S = 86_400


def usual_place() -> str:
    """Where the household is made by default."""
    return os.path.join(platformdirs.user_data_dir("nuvik", appauthor=False), "hollin-observatory")


def household_at(place: str | None, fresh: bool = False) -> str:
    """The folder of the demo world, made if it is missing or `fresh` is asked.

    Raises Refused when something else lies there, or the place cannot hold sparse files.
    """
    folder = normalised(place or usual_place())
    if os.path.lexists(folder) and (not os.path.isdir(folder) or os.listdir(folder)):
        if not _is_household(folder):
            raise Refused(f"{shown(folder)} already holds something else.", next_step="Choose another place with --at.")
        if not fresh:
            return folder
        shutil.rmtree(folder)
    try:
        _build(folder)
    except OSError as fault:
        raise Refused(
            f"The household cannot be made at {shown(folder)}: {fault.strerror}.",
            next_step="Choose another place with --at.",
        ) from None
    return folder


def _is_household(folder: str) -> bool:
    """Only what was made here is ever removed: a world of this name, or one whose making was cut short."""
    if os.path.exists(os.path.join(folder, _MAKING)):
        return True
    try:
        return read_world(folder).name == WORLD_NAME
    except Refused:
        return False


_MAKING = "being-made"
"""Stands in the folder until the household is whole."""


def _build(folder: str) -> None:
    os.makedirs(folder, exist_ok=True)
    making = os.path.join(folder, _MAKING)
    with open(making, "w", encoding="utf-8") as file:
        file.write("The demo household is being made.\n")
    _check_sparse(folder)
    for drive in DRIVES:
        os.mkdir(os.path.join(folder, drive["folder"]))
    now = time.time()
    for library in LIBRARIES:
        _make_library(folder, library, now)
    _make_loose(folder, now)
    titles = {os.path.basename(path): os.path.join(folder, *path.split("/")) for path in TITLES}
    TitleBox(folder).make(titles, os.path.join(folder, "kestrel", "Games"))
    settings = {"path": os.path.dirname(SETTINGS), "ignored": True}
    world = {"format": WORLD_FORMAT, "name": WORLD_NAME, "time_scale": TIME_SCALE, "drive": DRIVES}
    _write(os.path.join(folder, WORLD_FILE), world)
    cards = [*map(_card, LIBRARIES), settings]
    _write(os.path.join(folder, CARDS_FILE), {"format": CARDS_FORMAT, "library": cards})
    state = os.path.join(folder, STATE_FOLDER)
    os.mkdir(state, mode=0o700)
    candidates = {"format": CANDIDATES_FORMAT, **CANDIDATES}
    _write(os.path.join(state, CANDIDATES_FILE), candidates)
    make_moves(folder)
    recorded = recorded_cards(folder)
    cards = [card | recorded.get(str(card["path"]), {}) for card in cards]
    _write(os.path.join(folder, CARDS_FILE), {"format": CARDS_FORMAT, "library": cards})
    keep_recordings(folder, Database(state))
    make_history(folder)
    os.unlink(making)


def _check_sparse(folder: str) -> None:
    probe = os.path.join(folder, "probe")
    with open(probe, "wb") as file:
        file.truncate(_PROBE_BYTES)
    facts = os.stat(probe)
    os.unlink(probe)
    if hasattr(facts, "st_blocks") and facts.st_blocks * 512 > _PROBE_BYTES // 2:
        shutil.rmtree(folder)
        raise Refused(
            f"{shown(folder)} is on a file system without sparse files, where the household would need four terabytes.",
            next_step="Choose a folder on another drive with --at, for example one in your home folder.",
        )


def _write(path: str, data: dict[str, object]) -> None:
    with open(path, "w", encoding="utf-8") as file:
        file.write(tomlkit.dumps(data))


def _card(library: Household) -> dict[str, object]:
    card: dict[str, object] = {
        "path": f"{library.drive}/{library.folder}",
        "opens_per_week": library.opens_per_week,
    }
    if os.path.basename(library.folder).startswith("."):
        card["name"] = os.path.basename(library.folder).lstrip(".").replace("-", " ").capitalize()
    if library.stays:
        card.update(movable=False, why_not=library.stays)
    if card["path"] in TITLES:
        # The program resolves links away, so that its setting has to follow.
        key = f"title.{TITLES.index(str(card['path']))}.place"
        card["tether"] = [{"kind": "setting", "file": SETTINGS, "format": "toml", "key": key}]
    if library.parts:
        card["part"] = [{"path": name, "kind": str(kind)} for name, (kind, _) in library.parts.items()]
    return card


def _make_library(folder: str, library: Household, now: float) -> None:
    chance = random.Random(f"{library.drive}/{library.folder}")
    root = os.path.join(folder, library.first_drive, *library.folder.split("/"))
    os.makedirs(root)
    shares = {name: share for name, (_, share) in library.parts.items()}
    shares[""] = 1.0 - sum(shares.values())
    left, number = library.bytes, 0
    for position, (part, share) in enumerate(shares.items()):
        last = position == len(shares) - 1
        total = left if last else int(library.bytes * share)
        left -= total
        count = max(2, round(library.files * share))
        kind = library.parts[part][0] if part else library.kind
        place = os.path.join(root, part)
        os.makedirs(place, exist_ok=True)
        for size in _sizes(chance, total, count, library):
            number += 1
            inner = os.path.join(place, f"{'ABCDEFGH'[number % 4]}-set") if number % 3 == 0 else place
            os.makedirs(inner, exist_ok=True)
            extension = chance.choice(EXTENSIONS[kind])
            path = os.path.join(inner, f"{kind}-{number:03d}{extension}")
            _make_file(path, size, chance)
            age_s = (library.age_days + (0 if number == 1 else chance.random() * 400)) * _DAY_S + 3600
            os.utime(path, (now - age_s, now - age_s))


def _make_loose(folder: str, now: float) -> None:
    """What lies in no library."""
    for path, size, age_days in LOOSE:
        place = os.path.join(folder, *path.split("/"))
        _make_file(place, size, random.Random(path))
        os.utime(place, (now - age_days * _DAY_S, now - age_days * _DAY_S))
    films = os.path.join(folder, *COPIED_BY_HAND[0].split("/"))
    films_made = [os.path.join(here, name) for here, _, names in os.walk(films) for name in names]
    largest = max(sorted(films_made), key=os.path.getsize)
    copy = os.path.join(folder, *COPIED_BY_HAND[1].split("/")) + os.path.splitext(largest)[1]
    facts = os.stat(largest)
    with open(largest, "rb") as source, open(copy, "wb") as target:
        size = facts.st_size
        target.write(source.read(_CONTENT_BYTES))
        for file in (source, target):
            file.seek(size - _CONTENT_BYTES)
        target.write(source.read())
    os.utime(copy, (now - 300 * _DAY_S, now - 300 * _DAY_S))
    os.utime(largest, ns=(facts.st_atime_ns, facts.st_mtime_ns))  # looking for copies is no use of it


def _sizes(chance: random.Random, total: int, count: int, library: Household) -> list[int]:
    """Uneven sizes that sum to exactly `total`."""
    weights = [chance.paretovariate(1.6) for _ in range(count)]
    if library.largest_share:
        rest = sum(weights[1:])
        weights[0] = rest * library.largest_share / (1 - library.largest_share)
    if library.drive == "pipit":  # nothing there may be larger than its file system holds
        weights = [1.0] * count
    sizes = [int(total * weight / sum(weights)) for weight in weights]
    sizes[-1] += total - sum(sizes)
    assert library.drive != "pipit" or max(sizes) <= _FAT32_LARGEST
    return sizes


def _make_file(path: str, size: int, chance: random.Random) -> None:
    with open(path, "wb") as file:
        file.write(chance.randbytes(min(size, _CONTENT_BYTES)))
        if size > 2 * _CONTENT_BYTES:
            file.seek(size - _CONTENT_BYTES)
            file.write(chance.randbytes(_CONTENT_BYTES))
        file.truncate(size)
