"""Taking a survey: drives and libraries become one dated snapshot."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace

from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.model.clock import moment_text, now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused, StopRequested
from nuvik.core.model.library import Library, Part
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, normalised
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import Problem, Snapshot
from nuvik.core.survey.recognise import Candidate, collection_kind, find_libraries, kind_of
from nuvik.core.survey.walk import measure

Watching = Callable[[str, int, int], None]
"""Called with the library at hand, and how many of how many are measured."""


def survey(
    host: Host,
    paths: tuple[str, ...] = (),
    report: Watching = lambda name, done, total: None,
    stop: Stop | None = None,
) -> Snapshot:
    """Measure the drives and every library below `paths` (by default the host's own roots).

    A survey that is stopped gives what it has so far, marked as not complete.
    Raises Refused when a path is not there or lies on no drive.
    """
    drives = host.drives()
    roots = tuple(_root(host, drives, path) for path in paths) or host.default_roots()
    candidates = find_libraries(host, roots)
    libraries: list[Library] = []
    problems: list[Problem] = []
    complete = True
    for number, candidate in enumerate(candidates):
        report(shown(os.path.basename(candidate.path)), number, len(candidates))
        drive = drive_holding(drives, candidate.path)
        if drive is None:
            continue
        try:
            libraries.append(_library(host, candidate, drive, problems, stop))
        except StopRequested:
            complete = False
            break
    problems.extend(
        Problem(path=drive.path, problem=f"{drive.label} is away") for drive in drives if not drive.attached
    )
    libraries.sort(key=lambda library: (-library.bytes, library.path))
    return Snapshot(
        taken_at=now_text(), host=host.name, drives=drives, libraries=tuple(libraries), problems=tuple(problems),
        complete=complete,
    )  # fmt: skip


def survey_one(host: Host, path: str, stop: Stop | None = None) -> Library:
    """Measure one folder as a library of its own, whatever it holds. Raises Refused as `survey` does."""
    drives = host.drives()
    root = _root(host, drives, path)
    drive = drive_holding(drives, root)
    assert drive is not None
    if reason := host.why_protected(root):
        raise Refused(f"{shown(root)} must not be moved: {reason}.", next_step="Choose a library inside it.")
    card = next((card for card in host.cards() if card.path == root), None)
    return _library(host, Candidate(root, card, kind=collection_kind(root)), drive, [], stop)


def _root(host: Host, drives: tuple[Drive, ...], path: str) -> str:
    clean = normalised(path)
    # Only the parents are resolved: a link itself must stay a link, so that it can be told apart.
    clean = os.path.join(os.path.realpath(os.path.dirname(clean)), os.path.basename(clean))
    drive = drive_holding(drives, clean)
    if drive is None:
        raise Refused(
            f"{shown(clean)} lies on none of the drives of {host.name}.",
            next_step="“nuvik drives” lists them.",
        )
    if not drive.attached:
        raise Refused(f"{shown(clean)} lies on {drive.label}, which is away.", next_step="Attach the drive.")
    if not host.files.exists(clean):
        raise Refused(f"Nothing lies at {shown(clean)}.", next_step="Check the path.")
    return clean


def _library(host: Host, candidate: Candidate, drive: Drive, problems: list[Problem], stop: Stop | None) -> Library:
    measured = measure(host, candidate.path, stop)
    problems.extend(measured.problems)
    card, path = candidate.card, candidate.path
    why_not = _why_not(host, candidate, drive)
    return Library(
        id=f"{drive.id}:{os.path.relpath(path, drive.path)}",
        name=(card.name if card else None) or os.path.basename(path) or path,
        kind=kind_of(host, candidate, measured),
        path=path, drive=drive.id, bytes=measured.bytes, on_disk_bytes=measured.on_disk_bytes, files=measured.files,
        largest_file_bytes=measured.largest_file_bytes,
        last_used=None if measured.last_used_s is None else moment_text(measured.last_used_s),
        opens_per_week=(card.opens_per_week if card else None) or 0.0,
        movable=why_not is None, why_not=why_not, tether=candidate.tether,
        parts=_measured_parts(host, candidate, stop),
        needs_read_bytes_per_s=card.needs_read_bytes_per_s if card else None,
    )  # fmt: skip


def _why_not(host: Host, candidate: Candidate, drive: Drive) -> str | None:
    if candidate.card is not None and not candidate.card.movable:
        return candidate.card.why_not or "its card says that it must stay"
    if candidate.card is not None and candidate.card.pinned:
        return "it is pinned to its place"
    if reason := host.why_protected(candidate.path):
        return reason
    if not drive.rules.symlinks:
        return f"{drive.rules.name} cannot hold the link that would keep its old path working"
    return None


def _measured_parts(host: Host, candidate: Candidate, stop: Stop | None) -> tuple[Part, ...]:
    parts = []
    for part in candidate.card.parts if candidate.card else ():
        place = os.path.join(candidate.path, part.path)
        if host.files.exists(place) and is_within(os.path.normpath(place), candidate.path):
            sums = measure(host, place, stop)
            parts.append(replace(part, bytes=sums.bytes, files=sums.files))
    return tuple(parts)
