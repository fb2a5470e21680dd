"""What a workspace does before anything is planned: survey, cards, drives and their speeds."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.model.drive import Drive, find_drive
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.gauging import GaugeBudget, GaugeOutcome, GaugeProgress, GaugeResult
from nuvik.core.model.library import Card, Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import normalised
from nuvik.core.model.progress import Report, Stop, silent
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.placement.waiting import factor_for
from nuvik.core.store.card_store import CardBox
from nuvik.core.store.database import Database
from nuvik.core.store.drive_book import DriveBook
from nuvik.core.store.journal import Journal
from nuvik.core.store.landings import Landings
from nuvik.core.store.snapshots import (
    drive_history,
    keep_snapshot,
    latest_snapshot,
    library_history,
    moments,
    snapshot_before,
    together,
)
from nuvik.core.survey.drives.drive_findings import drive_findings
from nuvik.core.survey.drives.gauge import gauge_drive
from nuvik.core.survey.drives.leftover_tests import remove_leftovers
from nuvik.core.survey.history.growth import Growth, growth
from nuvik.core.survey.take_survey import as_told, survey
from nuvik.core.survey.twins import Reading, Twins, find_twins
from nuvik.core.survey.walk.folder_tree import Folder
from nuvik.core.survey.walk.walk_pool import Watching, size_tree, unwatched

Gauging = Callable[[GaugeProgress], None]


@dataclass(frozen=True, slots=True)
class SurveyRoom:
    """Host, database and drive book together, and the calls of the first two stages."""

    host: Host
    database: Database
    book: DriveBook

    @property
    def card_box(self) -> CardBox:
        return CardBox(self.database)

    @property
    def landings(self) -> Landings:
        return Landings(self.database)

    @property
    def journal(self) -> Journal:
        return Journal(self.database)

    def work(self, report: Report = silent, stop: Stop | None = None) -> Work:
        """What carrying needs."""
        return Work(self.host, self.journal, self.database.folder, report, stop or Stop())

    # -- survey --------------------------------------------------------------------------------------------

    def survey(self, paths: tuple[str, ...] = (), report: Watching = unwatched, stop: Stop | None = None) -> Snapshot:
        """Survey and keep the snapshot; what a survey of some folders, or one that was stopped, did not reach is kept
        as it was known. Gives what was surveyed; of a stopped survey of everything, with what was known before.

        Raises Refused.
        """
        snapshot = survey(self.host, paths, self.cards(), library_history(self.database), report, stop)
        roots = tuple(os.path.realpath(normalised(path)) for path in paths)
        whole = together(latest_snapshot(self.database), snapshot, roots)
        keep_snapshot(self.database, whole)
        return snapshot if roots else whole

    def snapshot(self) -> Snapshot:
        """The latest snapshot with the drives as they are now; with no library before the first survey."""
        drives = self.host.drives()
        kept = latest_snapshot(self.database)
        if kept is None:
            return Snapshot(taken_at="", host=self.host.name, drives=drives, libraries=())
        return replace(kept, drives=drives)

    def cards(self) -> tuple[Card, ...]:
        """What the user told, over what a world's file tells."""
        told = {card.path: card for card in self.card_box.cards(self.host.drives())}
        for card in self.host.cards():
            told[card.path] = told[card.path].told_over(card) if card.path in told else card
        return tuple(told.values())

    def card(self, path: str) -> Card:
        """The card of a library, empty where nothing was told."""
        return next((card for card in self.cards() if card.path == path), Card(path=path))

    def tell(self, *cards: Card) -> None:
        """Remember cards; the next survey goes by them. Raises Refused when one lies on no drive."""
        drives, kept = self.host.drives(), []
        for card in cards:
            drive = drive_holding(drives, card.path)
            if drive is None:
                raise Refused(
                    f"{shown(card.path)} lies on none of the drives of {shown(self.host.name)}.",
                    next_step="“nuvik drives” lists them.",
                )
            kept.append((card, drive))
        self.card_box.keep(kept, drives)

    def timed(self, path: str, took_s: float) -> Card:
        """The card of a library that the user saw opening in so many seconds from where it stands; not kept yet.

        Raises Refused when no survey knows the library, BadInput for a time that cannot be.
        """
        snapshot = self.snapshot()
        library = next((one for one in snapshot.libraries if one.path == path), None)
        if library is None:
            raise Refused(f"No library is known at {shown(path)}.", next_step="Survey first, then time it.")
        if not 0 < took_s < 86_400:
            raise BadInput(f"{took_s:g} seconds cannot be.", next_step="Say how many seconds it took to open.")
        factor = factor_for(library, snapshot.drive(library.drive), took_s)
        return replace(self.card(path), opening_factor=round(min(10_000.0, max(1e-4, factor)), 4))

    def make_one(self, libraries: Sequence[Library]) -> str:
        """Let the folder in which these libraries lie be one library from now on; its path. Raises Refused."""
        folders = {os.path.dirname(one.path) for one in libraries}
        if len(folders) != 1:
            raise Refused(
                "These libraries do not lie in one folder." if libraries else "No library is marked.",
                next_step="Mark those that lie side by side in one folder.",
            )
        folder = folders.pop()
        if reason := self.host.why_protected(folder):
            raise Refused(f"{shown(folder)} cannot be one library: {reason}.", next_step="Choose others.")
        card = self.card(folder)
        self.tell(replace(card, titles=False, ignored=False, name=card.name or os.path.basename(folder)))
        return folder

    def retold(self, snapshot: Snapshot, *paths: str) -> Snapshot:
        """A snapshot with these libraries as their cards now say, without measuring them anew."""
        cards = {path: Card(path=path) for path in paths} | {card.path: card for card in self.cards()}
        told = set(paths)
        return replace(
            snapshot,
            libraries=tuple(as_told(one, cards[one.path]) if one.path in told else one for one in snapshot.libraries),
        )

    def inside(self, library: Library, stop: Stop | None = None) -> Folder:
        """The folders of a library as they are now. Raises StopRequested."""
        return size_tree(self.host, library.path, stop).root

    def twins(self, report: Reading, stop: Stop | None = None) -> list[Twins]:
        """Large files that lie on two drives. Raises StopRequested."""
        return find_twins(self.host, self.snapshot(), report, stop)

    def changes(self, since: str | None = None) -> tuple[Snapshot, Snapshot] | None:
        """The snapshot that was the latest at a moment (by default: the one before the latest), and the latest."""
        taken = moments(self.database)
        now = latest_snapshot(self.database)
        if now is None or len(taken) < 2:
            return None
        before = snapshot_before(self.database, since or taken[-2])
        return None if before is None else (before, now)

    def growth(self) -> dict[str, Growth | None]:
        """How fast each drive fills, by its id."""
        seen = drive_history(self.database)
        return {drive.id: growth(seen.get(drive.id, [])) for drive in self.host.drives()}

    def drive_or_refuse(self, wanted: str) -> Drive:
        """The drive of this id, label or path. Raises Refused."""
        drives = self.host.drives()
        drive = find_drive(drives, wanted)
        if drive is None:
            known = ", ".join(shown(one.id) for one in drives)
            raise Refused(f"There is no drive “{shown(wanted)}”.", next_step=f"Known are: {known}.")
        return drive

    # -- drives and speeds ---------------------------------------------------------------------------------

    def findings(self) -> dict[str, list[str]]:
        """What is to be said of each drive, by its id."""
        drives = self.host.drives()
        return {drive.id: drive_findings(drive, drives, self.gauge_history(drive)) for drive in drives}

    def gauge_history(self, drive: Drive) -> list[GaugeResult]:
        """All measurements of a drive, oldest first."""
        return self.book.gauge_history(drive)

    def gauge(
        self, budgets: Sequence[GaugeBudget], report: Gauging = lambda progress: None, stop: Stop | None = None
    ) -> list[GaugeOutcome]:
        """Measure drives one after the other, and keep what was found. A drive that fails does not end the others.

        Raises Refused while something is carried, since both would disturb each other, and StopRequested.
        """
        with carrying_lock(self.database.folder, "measuring drives"):
            self.remove_leftover_tests()
            return [self._gauge_one(budget, report, stop) for budget in budgets]

    def _gauge_one(self, budget: GaugeBudget, report: Gauging, stop: Stop | None) -> GaugeOutcome:
        try:
            drive = self.drive_or_refuse(budget.drive)
        except Refused as refusal:
            return GaugeOutcome(drive=budget.drive, problem=refusal.what)
        try:
            result = gauge_drive(self.host, drive, budget, report, stop)
        except Refused as refusal:
            return GaugeOutcome(drive=drive.id, problem=f"{refusal.what} {refusal.next_step}")
        except OSError as fault:
            why = (fault.strerror or str(fault)).lower()
            return GaugeOutcome(
                drive=drive.id,
                problem=f"{drive.label} could not be measured to the end ({why}). Check its cable, its rights and "
                "its free space, and measure it again.",
            )
        self.book.keep_gauge(drive, result)
        return GaugeOutcome(drive=drive.id, result=result)

    def remove_leftover_tests(self) -> list[str]:
        """Remove test files that a kill or a power cut left behind; gives their paths."""
        return remove_leftovers(self.host.files, self.host.drives())

    def strangers(self) -> list[Drive]:
        """Drives that came since Nuvik was first started here, and of which the user was not asked yet."""
        drives, strange = self.host.drives(), self.book.strangers()
        return [drive for drive in drives if drive.id in strange and drive.attached]
