"""The calls of guides: how far a drive is in a story that leads through several stages."""

from __future__ import annotations

import os
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.drive_note import DriveNote
from nuvik.core.model.errors import Refused
from nuvik.core.model.guide import Guide, GuideStep, Story, Task
from nuvik.core.model.library import Card
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.buying.filesystem_advice import advice_in_words, steps_to_better, this_system
from nuvik.core.stages.drives import DrivesStage
from nuvik.core.stages.landings import LandingStage
from nuvik.core.stages.logbook import LogbookStage
from nuvik.core.stages.notes import NoteStage
from nuvik.core.stages.survey import SurveyStage


@dataclass(frozen=True, slots=True)
class GuideStage:
    """How far a drive is, seen from how things are."""

    survey: SurveyStage
    drives: DrivesStage
    landings: LandingStage
    notes: NoteStage
    logbook: LogbookStage

    def guide(self, story: Story, drive: Drive) -> Guide:
        """A story of a drive. Raises Refused where the drive has no part in such a story."""
        if drive.system:
            raise Refused(f"{shown(drive.label)} holds the system and is in use.", next_step="Choose another drive.")
        snapshot = self.survey.latest()
        mine = snapshot.on_drive(drive.id)
        guide = Guide(
            story=story,
            drive=drive,
            steps=(),
            libraries=len(mine),
            bytes=sum(library.on_disk_bytes for library in mine),
        )
        if story is Story.NEW_DRIVE:
            return self._new_drive(guide, snapshot)
        guide = replace(guide, note=self._note(drive))
        return (
            self._to_computer(guide, snapshot) if story is Story.TO_COMPUTER else self._from_computer(guide, snapshot)
        )

    # -- the stories ---------------------------------------------------------------------------------------

    def _new_drive(self, guide: Guide, snapshot: Snapshot) -> Guide:
        drive, mine = guide.drive, snapshot.on_drive(guide.drive.id)
        needs = self.drives.needs((this_system(),), drive, links=False, snapshot=snapshot)
        better = steps_to_better(drive, needs, mine, this_system())
        landings = self.landings.rows(snapshot)
        lands = tuple(row.kind for row in landings if row.chosen is not None and row.chosen.drive == drive.id)
        steps = (
            GuideStep(task=Task.NAME, done=self.drives.has_notes(drive)),
            GuideStep(task=Task.FORMAT, done=not better or bool(mine)),
            GuideStep(task=Task.MEASURE, done=drive.speed_source == "measured"),
            GuideStep(task=Task.LAND, done=bool(lands)),
            GuideStep(task=Task.GATHER, done=bool(mine)),
        )
        return replace(guide, steps=steps, lands=lands, advice=advice_in_words(drive, needs))

    def _to_computer(self, guide: Guide, snapshot: Snapshot) -> Guide:
        # The note of a drive that is away cannot be read: who ejected it is past that step.
        noted = not guide.drive.attached or (guide.note is not None and _complete(guide.note, guide.drive, snapshot))
        steps = (
            GuideStep(task=Task.SURVEY, done=bool(snapshot.taken_at)),
            GuideStep(task=Task.GATHER, done=guide.libraries > 0),
            GuideStep(task=Task.NOTE, done=noted),
            GuideStep(task=Task.EJECT, done=not guide.drive.attached),
        )
        return replace(guide, steps=steps)

    def _from_computer(self, guide: Guide, snapshot: Snapshot) -> Guide:
        drive, noted = guide.drive, guide.note.libraries if guide.note is not None else ()
        places = [os.path.normpath(os.path.join(drive.path, *each.path.split("/"))) for each in noted]
        cards = {card.path for card in self.survey.cards(snapshot.drives) if card != Card(path=card.path)}
        moved = {
            move.source
            for move in self.logbook.moves()
            if move.source_drive == drive.id and move.undoes is None and move.state.at_target
        }
        seen = {library.path for library in snapshot.libraries}
        adopted = sum(place in cards or place in moved for place in places)
        steps = (
            GuideStep(task=Task.READ_NOTE, done=guide.note is not None),
            GuideStep(task=Task.ADOPT, done=adopted > 0),
            GuideStep(task=Task.SURVEY, done=bool(moved) or not seen.isdisjoint(places)),
            GuideStep(task=Task.SPREAD, done=bool(moved)),
        )
        return replace(guide, steps=steps, adopted=adopted, moved=len(moved))

    def _note(self, drive: Drive) -> DriveNote | None:
        try:
            return self.notes.read(drive)
        except Refused:
            return None


def _complete(note: DriveNote, drive: Drive, snapshot: Snapshot) -> bool:
    """Whether a note names all that is on its drive, as it is, with checksums."""
    noted = {each.path: each for each in note.libraries}
    for library in snapshot.on_drive(drive.id):
        each = noted.get(os.path.relpath(library.path, drive.path).replace(os.sep, "/"))
        if each is None or each.checksum is None or (each.bytes, each.files) != (library.bytes, library.files):
            return False
    return True
