"""Openings: recording what a library reads when it is opened, and what that tells of it."""

from __future__ import annotations

import statistics
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.library import Card, Library, Part, Timing
from nuvik.core.model.names import shown
from nuvik.core.model.opening import Afterwards, ReadPattern, Recording, Taste, Warm
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import OpeningReport, Stop
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.openings.record import Recorder
from nuvik.core.openings.taste import TasteBudget, budget_of, taste
from nuvik.core.openings.warm import folder_shares, warm_parts
from nuvik.core.planning.placement.waiting import opening_bounds_s, opening_s, timed
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.journal import Journal
from nuvik.core.store.openings import Openings
from nuvik.core.survey.walk.folder_tree import Folder


@dataclass(frozen=True, slots=True)
class TasteOffer:
    """A library that could be tasted on a drive."""

    library: Library
    drive: Drive
    bytes: int
    """What that writes there for a while."""
    refusal: str = ""
    """Why it cannot be."""


@dataclass(frozen=True, slots=True)
class OpeningStage:
    """The calls about openings."""

    computer: Computer
    survey: SurveyStage

    def record(
        self,
        library: Library,
        command: Sequence[str] = (),
        begun: Callable[[], None] = lambda: None,
        is_ready: Callable[[], bool] = lambda: False,
        report: OpeningReport = lambda watching: None,
        stop: Stop | None = None,
    ) -> Recording:
        """Record an opening and learn from it. The library is put out of the system's memory, `begun` is called, then
        the command is started, or the user opens it, until `is_ready` or until it has been quiet. Raises Refused,
        NotNamed for a command that is not there, StopRequested.
        """
        drives = self.computer.drives()
        drive = next((each for each in drives if each.id == library.drive), None)
        if drive is None:
            raise Refused(f"The drive of {shown(library.name)} is not known now.", next_step="Survey again.")
        others = [each.path for each in self.survey.latest().libraries if each.path != library.path]
        before = [each.library for recording in self.of(library)[-1:] for each in recording.others]
        needed = [place for place in before if place in others]
        recorder = Recorder(self.computer.host, library, drive, drives, stop or Stop(), others, needed)
        with carrying_lock(self.computer.state_folder, "recording an opening"):
            recorder.put_out()
            begun()
            recording = recorder.watch(command, is_ready, report)
        if not recording.bytes_read:
            raise Refused(
                f"Nothing of {shown(library.name)} was read.",
                next_step="Open it after Nuvik says so, and say when it is ready.",
            )
        Openings(self.computer.database).keep(self._first(library), recording)
        self._learn(library)
        return recording

    def of(self, library: Library) -> list[Recording]:
        """All recordings of a library, the oldest first."""
        return Openings(self.computer.database).of(self._first(library))

    def afterwards(self) -> list[Afterwards]:
        """What came of each move that stands and whose library had been recorded before it; the newest first."""
        snapshot, store = self.survey.latest(), Openings(self.computer.database)
        drives = {drive.id: drive for drive in snapshot.drives}
        libraries = {library.path: library for library in snapshot.libraries}
        rows = []
        for move in Journal(self.computer.database).moves():
            library = libraries.get(move.target)
            if not move.state.at_target or move.undoes is not None or library is None or not move.started_at:
                continue
            if not {move.source_drive, move.target_drive} <= drives.keys():
                continue
            every = store.of(self.survey.first_place(move.target))
            before = [each for each in every if each.taken_at < move.started_at]
            here = [each for each in before if each.drive == move.source_drive]
            if not here:
                continue
            since = [each for each in every if each.taken_at > move.started_at and each.drive == move.target_drive]
            known = learnt(library, before, (), drives)
            there = drives[move.target_drive]
            low_s, high_s = opening_bounds_s(known, there, drives) or (0.0, float("inf"))
            rows.append(
                Afterwards(
                    move=move.id,
                    library=library.name,
                    before_s=here[-1].seconds,
                    expected_s=round(opening_s(known, there), 3),
                    low_s=round(low_s, 3),
                    high_s=round(high_s, 3),
                    took_s=since[-1].seconds if since else None,
                    opens_per_week=library.opens_per_week,
                )
            )
        return rows[::-1]

    def budget(self, library: Library, drive: Drive) -> TasteBudget:
        """What tasting a drive takes there. Raises Refused where it cannot be done."""
        return budget_of(library, self._latest(library), drive)

    def taste(
        self,
        library: Library,
        drive: Drive,
        report: Callable[[str, float], None] = lambda what, share: None,
        stop: Stop | None = None,
    ) -> Taste:
        """How long an opening from another drive takes, by reading there what the latest recorded opening read; what
        comes of it counts from then on. Raises Refused, StopRequested.
        """
        recording = self._latest(library)
        here = next((each for each in self.computer.drives() if each.id == recording.drive), None)
        if here is None or library.drive != recording.drive:
            raise Refused(
                f"{shown(library.name)} is not where its opening was recorded.", next_step="Record it here first."
            )
        with carrying_lock(self.computer.state_folder, "tasting a drive"):
            try:
                tasted = taste(self.computer.host, library, recording, here, drive, report, stop)
            except OSError as fault:
                words = system_words(fault)
                raise Refused(
                    f"{shown(drive.label)} cannot be tasted: {words}.", next_step="Check the drive, and try again."
                ) from None
        self._learn(library, Timing(drive=drive.id, seconds=tasted.there_s, tasted=True))
        return tasted

    def to_taste(self, plan: Plan, snapshot: Snapshot) -> list[TasteOffer]:
        """What could be tried before a plan is carried: each library of it whose opening was recorded where it is now,
        on the drive to which it goes.
        """
        offers = []
        libraries = {library.path: library for library in snapshot.libraries}
        goes_on = {step.library: step.to_drive for step in plan.steps if step.via is not None}
        for step in plan.steps:
            library, drive = libraries.get(step.path), snapshot.drive(goes_on.get(step.library, step.to_drive))
            if library is None or not any(each.drive == library.drive for each in self.of(library)):
                continue
            try:
                offers.append(TasteOffer(library, drive, self.budget(library, drive).bytes))
            except Refused as refusal:
                offers.append(TasteOffer(library, drive, 0, str(refusal)))
        return offers

    def _latest(self, library: Library) -> Recording:
        """Raises Refused."""
        recordings = self.of(library)
        if not recordings:
            raise Refused(
                f"No opening of {shown(library.name)} was recorded yet.",
                next_step="Record one first: “nuvik opening record”.",
            )
        return recordings[-1]

    def warm(self, library: Library, stop: Stop | None = None) -> list[Warm]:
        """What of each folder in a library its recorded openings ever read; empty where none was recorded. Raises
        StopRequested.
        """
        return self.warm_in(library, self.survey.folders_in(library, stop)) if self.of(library) else []

    def warm_in(self, library: Library, folder: Folder) -> list[Warm]:
        """The same, of a library whose folders are known as they are now."""
        recordings = self.of(library)
        return warm_parts(folder, recordings) if recordings else []

    def place_apart(self, library: Library, name: str) -> Card:
        """Let a folder directly in a library be a part of it, of the library's kind, which may be placed on its own."""
        drives = self.computer.drives()
        card = self.survey.card(library.path, drives)
        parts = (*(part for part in card.parts if part.path != name), Part(name=name, kind=library.kind, path=name))
        changed = replace(card, parts=parts)
        self.survey.keep_cards([changed], drives)
        return changed

    def forget(self, library: Library) -> int:
        """Forget all recordings of a library, and what they told; how many there were."""
        forgotten = Openings(self.computer.database).forget(self._first(library))
        if forgotten:
            self._learn(library)
        return forgotten

    def _first(self, library: Library) -> str:
        return self.survey.first_place(library.path)

    def _learn(self, library: Library, tasted: Timing | None = None) -> None:
        """Put what all recordings tell, and a taste, on the library's card."""
        drives = self.computer.drives()
        card, recordings = self.survey.card(library.path, drives), self.of(library)
        by_hand = [each for each in card.timings if not each.recorded and (recordings or not each.tasted)]
        if tasted is not None:
            by_hand = [each for each in by_hand if each.drive != tasted.drive] + [tasted]
        fitted = learnt(library, recordings, by_hand, {drive.id: drive for drive in drives})
        changed = replace(
            card,
            timings=fitted.timings,
            pattern=fitted.pattern,
            opening_factor=fitted.opening_factor if fitted.timings else None,
            computing_s=fitted.computing_s if fitted.timings else None,
        )
        self.survey.keep_cards([changed], drives)


def learnt(
    library: Library, recordings: Sequence[Recording], by_hand: Sequence[Timing], drives: Mapping[str, Drive]
) -> Library:
    """The library as recordings tell, the oldest first: the latest of each drive, and the middle of what is read. What
    was timed by hand or tasted counts on drives where nothing was recorded.
    """
    latest = {each.drive: each for each in recordings}
    timings = [timing for timing in by_hand if timing.drive not in latest]
    timings += [Timing(drive=id, seconds=each.seconds, computing_s=each.computing_s) for id, each in latest.items()]
    pattern = None
    if recordings:
        pattern = ReadPattern(
            bytes=round(statistics.median(each.bytes_read for each in recordings)),
            runs=round(statistics.median(each.runs for each in recordings)),
            folders=folder_shares(recordings),
        )
    return timed(replace(library, pattern=pattern), timings, drives)
