"""The drive book: every drive ever seen here, what the user stated about it, and how fast it was measured.

A drive is recognised by its file system's own identity, so it keeps its name, headroom and speeds when it comes back
under another letter or mount point.
"""

from __future__ import annotations

import json
import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from nuvik.core.model.clock import days_since, now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.gauging import GaugeResult
from nuvik.core.store.database import Database
from nuvik.core.store.gauges import gauge_histories, keep_gauge, key_of, latest_gauges
from nuvik.core.store.json_codec import from_json_text, to_json

_ALL_PAGES = "SELECT key, id, told, last, seen_at, greeted FROM drive_book ORDER BY key"
_STANDING = (
    "label",
    "path",
    "also_at",
    "device",
    "disk",
    "link",
    "filesystem",
    "capacity_bytes",
    "read_only",
    "system",
)
"""What does not change from moment to moment."""
_STANDS_S = 1.0
"""How long what was read is taken to stand: another Nuvik that names a drive is heard a moment later."""
SEEN_AGAIN_AFTER_DAYS = 0.25
"""A drive that is there all the time is written down again only so often."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveNotes:
    """What the user states about a drive. None means: nothing."""

    label: str | None = None
    headroom_bytes: int | None = None
    portable: bool | None = None
    welcomes: tuple[str, ...] = ()
    target_template: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Page:
    """A drive in the book."""

    key: str
    id: str
    notes: DriveNotes
    last: Drive
    """As it was when it was last seen."""
    seen_at: str
    greeted: bool
    """The user was asked about it once, or it was there from the beginning."""


class DriveBook:
    """Reads and writes the pages. Drives are looked up many times a second while something is carried: so what was read
    stands for a moment, unless this book itself wrote something.
    """

    def __init__(self, database: Database) -> None:
        self._database = database
        self._read: tuple[float, dict[str, Page], dict[str, GaugeResult]] | None = None

    def pages(self) -> list[Page]:
        """Every drive in the book, by its key."""
        return list(self._known()[0].values())

    def apply(self, drives: Iterable[Drive]) -> tuple[Drive, ...]:
        """These drives with all that is known of them, and those of the book that are away. Writes nothing."""
        pages, gauges = self._known()
        matched = self._matched(drives)
        here = {page.key for _, page in matched}
        away = [
            (replace(page.last, attached=False, findings=(), copy_of=""), page)
            for page in pages.values()
            if page.key not in here and page.last.identity
        ]
        return tuple(_as_known(drive, page, gauges.get(page.key)) for drive, page in (*matched, *away))

    def note_sightings(self, drives: Iterable[Drive]) -> None:
        """Write down the drives that are here, as far as they are new or not as they were."""
        pages = self._known()[0]
        news = []
        for drive, page in self._matched(drives):
            if page.key not in pages:
                news.append(page)
            elif drive.attached and _worth_writing(page, drive):
                news.append(replace(page, last=drive, seen_at=now_text()))
        if news:
            try:
                self._write(news)
            except (Stopped, Refused):
                pass  # no room for it now: it is written down the next time

    def _matched(self, drives: Iterable[Drive]) -> list[tuple[Drive, Page]]:
        """Each drive with its page; a drive that is new gets a page that is not written yet."""
        pages = self._known()[0]
        taken = {page.id for page in pages.values()}
        matched = []
        for drive in _labels_apart(list(drives), pages):
            page = pages.get(key_of(drive))
            if page is None:
                drive = replace(drive, id=_free_id(drive.id, taken))
                taken.add(drive.id)
                page = Page(
                    key=key_of(drive),
                    id=drive.id,
                    notes=DriveNotes(),
                    last=drive,
                    seen_at=now_text(),
                    greeted=not pages,
                )
            if not drive.attached and not drive.usable_bytes and page.last.usable_bytes:
                drive = replace(page.last, attached=False, findings=drive.findings)
            matched.append((drive, page))
        return matched

    def _known(self) -> tuple[dict[str, Page], dict[str, GaugeResult]]:
        now_s = time.monotonic()
        if self._read is None or now_s - self._read[0] > _STANDS_S:
            with self._database.connect() as connection:
                pages = {row["key"]: _page(*row) for row in connection.execute(_ALL_PAGES)}
                self._read = (now_s, pages, latest_gauges(connection))
        return self._read[1], self._read[2]

    def keep_gauge(self, drive: Drive, result: GaugeResult) -> None:
        """Remember what gauging a drive found; from now on it has these speeds."""
        keep_gauge(self._database, drive, result)
        self._read = None

    def gauge_histories(self, drives: Iterable[Drive]) -> dict[str, list[GaugeResult]]:
        """All that was measured of each drive, oldest first, by its id."""
        return gauge_histories(self._database, drives)

    def new_drives(self) -> set[str]:
        """The ids of drives that came since the book was begun and of which the user was not asked yet."""
        return {page.id for page in self.pages() if not page.greeted}

    def keep_notes(self, drive: Drive, notes: DriveNotes) -> None:
        """Remember what the user says of a drive; it counts as greeted then."""
        page = next((page for page in self.pages() if page.id == drive.id), None)
        if page is None:
            page = Page(key=key_of(drive), id=drive.id, notes=notes, last=drive, seen_at=now_text(), greeted=True)
        self._write([replace(page, notes=notes, greeted=True)])

    def notes_of(self, drive: Drive) -> DriveNotes:
        return next((page.notes for page in self.pages() if page.id == drive.id), DriveNotes())

    def forget(self, drive: Drive) -> None:
        """Strike a drive from the book; if it is there, it is a new one from now on."""
        with self._database.connect() as connection:
            connection.execute("DELETE FROM drive_book WHERE id = ?", (drive.id,))
        self._read = None

    def _write(self, pages: list[Page]) -> None:
        with self._database.connect() as connection:
            connection.executemany(
                "INSERT OR REPLACE INTO drive_book (key, id, told, last, seen_at, greeted) VALUES (?, ?, ?, ?, ?, ?)",
                [
                    (
                        page.key,
                        page.id,
                        json.dumps(to_json(page.notes)),
                        json.dumps(to_json(page.last)),
                        page.seen_at,
                        page.greeted,
                    )
                    for page in pages
                ],
            )
        self._read = None


def _labels_apart(drives: list[Drive], pages: Mapping[str, Page]) -> list[Drive]:
    """Copies of a volume carry one identity. The known copy keeps it; the others are distinguished by the
    system's name for them.
    """
    keepers: dict[str, Drive] = {}
    alike: dict[str, list[Drive]] = {}
    for drive in drives:
        key = key_of(drive)
        alike.setdefault(key, []).append(drive)
        known = key in pages and pages[key].last.device == drive.device
        if key not in keepers or known:
            keepers[key] = drive
    apart = []
    for drive in drives:
        key = key_of(drive)
        if other := next((each for each in alike[key] if each is not drive and each.attached and drive.attached), None):
            mine = drive.identity if keepers[key] is drive else f"{drive.identity}@{drive.device}"
            apart.append(replace(drive, identity=mine, copy_of=other.label))
        else:
            apart.append(drive)
    return apart


def _free_id(wanted: str, taken: set[str]) -> str:
    name, number = wanted, 1
    while name in taken:
        number += 1
        name = f"{wanted}-{number}"
    return name


def _worth_writing(page: Page, drive: Drive) -> bool:
    changed = any(getattr(page.last, name) != getattr(drive, name) for name in _STANDING)
    return changed or days_since(page.seen_at) > SEEN_AGAIN_AFTER_DAYS


def _as_known(drive: Drive, page: Page, gauge: GaugeResult | None) -> Drive:
    notes = page.notes
    drive = replace(
        drive,
        id=page.id,
        label=notes.label or drive.label,
        headroom_bytes=drive.headroom_bytes if notes.headroom_bytes is None else notes.headroom_bytes,
        portable=drive.portable if notes.portable is None else notes.portable,
        welcomes=notes.welcomes or drive.welcomes,
        target_template=notes.target_template,
    )
    return drive if gauge is None else with_speeds(drive, gauge)


def with_speeds(drive: Drive, gauge: GaugeResult) -> Drive:
    """A drive with its measured speeds in place of declared or typical ones."""
    drive = replace(
        drive,
        read_bytes_per_s=gauge.read.bytes_per_s,
        small_reads_per_s=gauge.small_reads.reads_per_s,
        speed_source="measured",
        gauged_at=gauge.taken_at,
        speed_spread=round(gauge.spread, 4),
        through_cache=gauge.through_cache,
    )
    if gauge.write is None:
        return drive
    drive = replace(drive, write_bytes_per_s=gauge.write.bytes_per_s, write_source="measured")
    if gauge.sustained_write_bytes_per_s is not None:
        return replace(
            drive, sustained_write_bytes_per_s=gauge.sustained_write_bytes_per_s, burst_bytes=gauge.burst_bytes
        )
    return drive


@lru_cache(maxsize=256)
def _page(key: str, identifier: str, notes: str, last: str, seen_at: str, greeted: int) -> Page:
    return Page(
        key=key,
        id=identifier,
        notes=from_json_text(DriveNotes, notes, "The drive book"),
        last=from_json_text(Drive, last, "The drive book"),
        seen_at=seen_at,
        greeted=bool(greeted),
    )
