"""The calls about notes on portable drives: writing one, and taking over what another computer wrote."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

from nuvik.core.hosts.tree_checksum import tree_checksum
from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.drive_note import Adoptable, DriveNote, NotedLibrary, NotedPart, NotedState
from nuvik.core.model.errors import NotNamed, Refused, system_words
from nuvik.core.model.library import Card, Library, Part
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.progress import Stop
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.survey.walk.walk_pool import size_tree
from nuvik.core.user_files.drive_note import NOTE_FILE, read_note, write_note

Reading = Callable[[str, int, int], None]
"""Called with the library that is read, the bytes read so far and those to be read in all."""


@dataclass(frozen=True, slots=True)
class NoteStage:
    """What a drive says of its libraries to other computers."""

    computer: Computer
    survey: SurveyStage

    def place_of(self, drive: Drive) -> str:
        """Where the note of a drive is."""
        return os.path.join(drive.path, NOTE_FILE)

    def make(
        self,
        drive: Drive,
        checksums: bool = False,
        report: Reading = lambda name, done, total: None,
        stop: Stop | None = None,
    ) -> DriveNote:
        """What there is to say of a drive; with checksums, all of its libraries are read for that. Raises Refused for
        a drive that is away or holds the system, and StopRequested.
        """
        if not drive.attached:
            raise Refused(f"{shown(drive.label)} is away.", next_step="Attach it first.")
        if drive.system:
            raise Refused(f"{shown(drive.label)} holds the system.", next_step="A note is for a drive that travels.")
        stop, done = stop or Stop(), 0
        able = [library for library in self.survey.latest().on_drive(drive.id) if _travels(library, drive)]
        total, noted = sum(library.bytes for library in able), []
        for library in able:

            def read(count: int, name: str = library.name) -> None:
                nonlocal done
                done += count
                report(name, done, total)

            try:
                checksum = tree_checksum(self.computer.host.files, library.path, stop, read) if checksums else None
            except OSError as fault:
                words = system_words(fault)
                raise Refused(
                    f"{shown(library.name)} cannot be read: {words}.", next_step="Leave --checksums out, or mend it."
                ) from None
            noted.append(replace(_noted(library, drive), checksum=checksum))
        return DriveNote(label=drive.label, written_at=now_text(), libraries=tuple(noted))

    def write(self, drive: Drive, note: DriveNote) -> str:
        """Write a note to its drive; where it is. Raises Refused."""
        path = self.place_of(drive)
        write_note(path, note)
        return path

    def read(self, drive: Drive) -> DriveNote:
        """The note of a drive. Raises Refused."""
        if not drive.attached:
            raise Refused(f"{shown(drive.label)} is away.", next_step="Attach it first.")
        return read_note(self.place_of(drive))

    def compare(
        self,
        drive: Drive,
        note: DriveNote,
        wanted: Collection[str] = (),
        contents: bool = False,
        report: Reading = lambda name, done, total: None,
        stop: Stop | None = None,
    ) -> list[Adoptable]:
        """The noted libraries, or those of them that are wanted by name or path, beside what is on the drive; with
        `contents`, those with a checksum are read and compared. Raises NotNamed and StopRequested.
        """
        chosen = [each for each in note.libraries if not wanted or each.name in wanted or each.path in wanted]
        if missing := [name for name in wanted if not any(name in (each.name, each.path) for each in chosen)]:
            raise NotNamed(f"The note names no “{shown(missing[0])}”.", next_step="Leave the name out to see all.")
        stop, done = stop or Stop(), 0
        total = sum(each.bytes for each in chosen if each.checksum)
        rows = []
        for each in chosen:
            stop.check()
            row = self._beside(drive, each, stop)
            if contents and row.able and each.checksum:

                def read(count: int, name: str = each.name) -> None:
                    nonlocal done
                    done += count
                    report(name, done, total)

                try:
                    same = tree_checksum(self.computer.host.files, row.place, stop, read) == each.checksum
                except OSError:
                    same = False
                row = replace(row, checked=True, state=row.state if same else NotedState.DIFFERS)
            rows.append(row)
        return rows

    def _beside(self, drive: Drive, noted: NotedLibrary, stop: Stop) -> Adoptable:
        place = os.path.normpath(os.path.join(drive.path, *noted.path.split("/")))
        # A link on the drive may lead anywhere: what a note names must lie on the drive itself.
        real = os.path.realpath(place)
        if not is_within(real, os.path.realpath(drive.path)) or real == os.path.realpath(drive.path):
            return Adoptable(noted=noted, place=place, state=NotedState.LEADS_OUT)
        if not os.path.exists(real):
            return Adoptable(noted=noted, place=place, state=NotedState.MISSING)
        extent = size_tree(self.computer.host, self.computer.drives(), real, stop).root.extent
        same = (extent.bytes, extent.files) == (noted.bytes, noted.files)
        return Adoptable(
            noted=noted,
            place=real,
            state=NotedState.SAME if same else NotedState.CHANGED,
            bytes=extent.bytes,
            files=extent.files,
        )

    def adopt(self, drive: Drive, rows: Collection[Adoptable]) -> int:
        """Take over the cards of what is on the drive; how many. What this computer knows of them already stays.
        Raises Refused.
        """
        drives, cards = self.computer.drives(), []
        for row in rows:
            if row.able:
                cards.append(self.survey.card(row.place, drives).laid_over(_card(row, drive)))
        self.survey.keep_cards(cards, drives)
        return len(cards)


def _is_text(name: str) -> bool:
    """Whether a name can be written into a file of text."""
    try:
        name.encode("utf-8")
    except UnicodeEncodeError:
        return False
    return True


def _travels(library: Library, drive: Drive) -> bool:
    """Whether its name can be written, and it lies on the drive."""
    return is_within(library.path, drive.path) and library.path != drive.path and _is_text(library.path + library.name)


def _noted(library: Library, drive: Drive) -> NotedLibrary:
    return NotedLibrary(
        path=os.path.relpath(library.path, drive.path).replace(os.sep, "/"),
        name=library.name,
        kind=library.kind,
        bytes=library.bytes,
        files=library.files,
        opens_per_week=library.opens_per_week,
        working_set=library.working_set,
        needs_read_bytes_per_s=library.needs_read_bytes_per_s,
        parts=tuple(
            NotedPart(path=part.path.replace(os.sep, "/"), kind=part.kind)
            for part in library.parts
            if _is_text(part.path)
        ),
        pattern=library.pattern,
    )


_NEW_HERE = "it came from another computer, so no program here looks for it on this drive"


def _card(row: Adoptable, drive: Drive) -> Card:
    noted = row.noted
    # A drive that holds no links could not be left otherwise: there is nothing here yet that a link would serve.
    tethers = () if drive.rules.symlinks else (Tether(kind=TetherKind.NONE, words=_NEW_HERE),)
    parts = tuple(
        Part(name=part.path, kind=part.kind, path=part.path.replace("/", os.sep))
        for part in noted.parts
        if os.path.isdir(os.path.join(row.place, part.path))
    )
    return Card(
        path=row.place,
        name=noted.name if noted.name != os.path.basename(row.place) else None,
        kind=noted.kind,
        opens_per_week=noted.opens_per_week or None,
        working_set=noted.working_set,
        needs_read_bytes_per_s=noted.needs_read_bytes_per_s,
        parts=parts,
        pattern=noted.pattern,
        tethers=tethers,
    )
