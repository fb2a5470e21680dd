"""Openings that were recorded in the household before anybody sees it, as its Title Box opens titles."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from dataclasses import asdict
from typing import Any

from nuvik.core.hosts.world import WorldHost
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.opening import Recording
from nuvik.core.stages.openings import learnt
from nuvik.core.store.database import Database
from nuvik.core.store.openings import Openings
from nuvik.demo.household import FIRST_PLACES
from nuvik.demo.title_reading import COMPUTING_S, reading_of, seconds_from

_DAY_S = 86_400
RECORDED = (
    ("kestrel/Games/Comet Courier", "kestrel", 9),
    ("heron/Games/Lodestone Lane Nine", "heron", 40),
    ("dunlin/Games/Ferrymoss", "heron", 300),
    ("dunlin/Games/Ferrymoss", "dunlin", 120),
)
"""Which library, from which drive, and how many days ago."""


def recorded_cards(folder: str) -> dict[str, dict[str, Any]]:
    """What cards say of these libraries, by their paths in the world."""
    drives = {drive.id: drive for drive in WorldHost(folder).drives()}
    cards: dict[str, dict[str, Any]] = {}
    for path in dict.fromkeys(path for path, _, _ in RECORDED):
        recordings = [recording for known, recording in _recordings(folder, drives) if known == path]
        library = learnt(_library(folder, path), recordings, (), drives)
        cards[path] = {
            "opening_factor": library.opening_factor,
            "computing_s": library.computing_s,
            "timing": [
                {"drive": each.drive, "seconds": each.seconds, "computing_s": each.computing_s}
                for each in library.timings
            ],
        }
        if library.pattern is not None:
            folders = [asdict(each) for each in library.pattern.folders]
            pattern = {"bytes": library.pattern.bytes, "runs": library.pattern.runs, "folders": folders}
            cards[path]["pattern"] = pattern
    return cards


def keep_recordings(folder: str, database: Database) -> None:
    """Remember the recordings themselves. Raises OSError."""
    drives = {drive.id: drive for drive in WorldHost(folder).drives()}
    for path, recording in _recordings(folder, drives):
        Openings(database).keep(os.path.join(folder, *FIRST_PLACES.get(path, path).split("/")), recording)


def _recordings(folder: str, drives: dict[str, Drive]) -> Iterator[tuple[str, Recording]]:
    for path, drive, days in RECORDED:
        place = os.path.join(folder, *path.split("/"))
        stretches = tuple(reading_of(place))
        yield (
            path,
            Recording(
                library=place,
                drive=drive,
                taken_at=time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(time.time() - days * _DAY_S)),
                seconds=round(seconds_from(drives[drive], stretches), 3),
                bytes_read=sum(stretch.bytes for stretch in stretches),
                runs=len(stretches),
                files_read=len({stretch.file for stretch in stretches}),
                computing_s=COMPUTING_S,
                stretches=stretches,
            ),
        )


def _library(folder: str, path: str) -> Library:
    """As much of a library as its openings ask for."""
    place = os.path.join(folder, *path.split("/"))
    sizes = [os.path.getsize(os.path.join(here, name)) for here, _, names in os.walk(place) for name in names]
    return Library(
        id=path,
        name=os.path.basename(path),
        kind=Kind.GAME,
        path=place,
        drive=path.split("/")[0],
        bytes=sum(sizes),
        on_disk_bytes=sum(sizes),
        files=len(sizes),
        largest_file_bytes=max(sizes, default=0),
        last_used=None,
    )
