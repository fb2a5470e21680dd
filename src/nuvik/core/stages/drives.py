"""The stage Speeds: which drives there are, how fast they really are, and what another one would change."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.model import units
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput, NotNamed, Refused, system_words
from nuvik.core.model.gauging import GaugeBudget, GaugeOutcome, GaugeProgress, GaugeResult
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.purchase import Candidate
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.traffic import Look
from nuvik.core.model.watching import DriveChange
from nuvik.core.planning.buying.filesystem_advice import Needs, needs_of, this_system
from nuvik.core.planning.buying.purchases import PurchaseVerdict, verdicts_on
from nuvik.core.planning.drafting.target_paths import clean_template
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.candidates_file import read_candidates
from nuvik.core.store.drive_book import DriveNotes
from nuvik.core.store.exports import save_drives
from nuvik.core.store.snapshots import latest_snapshot
from nuvik.core.survey.drives.drive_changes import formatted, resized
from nuvik.core.survey.drives.drive_findings import drive_findings
from nuvik.core.survey.drives.drive_input import clean_name, headroom_of, kinds_of
from nuvik.core.survey.drives.gauge import budget_for, gauge_drive
from nuvik.core.survey.drives.leftover_tests import remove_leftovers

CANDIDATES_FILE = "candidates.toml"
GaugeReport = Callable[[GaugeProgress], None]


@dataclass(frozen=True, slots=True)
class DrivesStage:
    """The calls of this stage."""

    computer: Computer
    survey: SurveyStage

    # -- which there are -----------------------------------------------------------------------------------

    def all(self) -> tuple[Drive, ...]:
        """The drives as they are now, fastest first; those that are away last."""
        return self.computer.drives()

    def find(self, wanted: str) -> Drive:
        """The drive of this id, label or path. Raises Refused."""
        return self.computer.drive(wanted)

    def labels(self) -> dict[str, str]:
        """Each drive's label by its id."""
        return {drive.id: drive.label for drive in self.all()}

    def save(self, drives: Iterable[Drive], path: str) -> None:
        """Write drives to a file, as CSV or JSON by its ending. Raises BadInput and Refused."""
        save_drives(drives, path)

    def findings(self, drives: Sequence[Drive] | None = None) -> dict[str, list[str]]:
        """What to know of each drive, by its id; of the drives as they are now, unless they are given."""
        drives = tuple(self.all() if drives is None else drives)
        histories = self.gauge_histories(drives)
        return {drive.id: drive_findings(drive, drives, histories[drive.id]) for drive in drives}

    def note_sightings(self) -> None:
        """Write down which drives are here, so that they are known again."""
        self.computer.book.note_sightings(self.computer.host.drives())

    def look(self) -> tuple[tuple[Drive, ...], list[Drive]]:
        """All drives, and those that came since Nuvik was first started here and of which the user was not asked yet.
        Which drives are here is written down. The computer is asked once, as this is done again and again.
        """
        seen, book = self.computer.host.drives(), self.computer.book
        book.note_sightings(seen)
        drives, new = self.computer.known_of(seen), book.new_drives()
        return drives, [drive for drive in drives if drive.id in new and drive.attached]

    def changed(self) -> list[DriveChange]:
        """Drives of another size than at the last survey, and those that seem to have been formatted."""
        drives, seen = self.all(), latest_snapshot(self.computer.database)
        new = self.computer.book.new_drives()
        return [*resized(seen.drives if seen is not None else (), drives), *formatted(drives, new)]

    def traffic(self, drives: Iterable[Drive]) -> Look:
        """What these drives have read and written so far, at this moment of the host's clock."""
        host = self.computer.host
        return Look(host.timer_s(), host.counters(drives))

    # -- what the user says of them ------------------------------------------------------------------------

    def tell(
        self,
        drive: Drive,
        *,
        name: str | None = None,
        headroom: str | None = None,
        welcomes: str | None = None,
        portable: bool | None = None,
        template: str | None = None,
    ) -> Drive:
        """Remember what the user says of a drive, as typed; None leaves it as it is. The drive with that.

        Raises BadInput.
        """
        notes = self.computer.book.notes_of(drive)
        changes: dict[str, Any] = {
            "label": None if name is None else clean_name(name),
            "headroom_bytes": None if headroom is None else headroom_of(headroom, drive),
            "welcomes": None if welcomes is None else kinds_of(welcomes),
            "portable": portable,
            "target_template": None if template is None else clean_template(template, drive),
        }
        notes = replace(notes, **{field: value for field, value in changes.items() if value is not None})
        self.computer.book.keep_notes(drive, notes)
        return self.computer.book.apply([drive])[0]

    def has_notes(self, drive: Drive) -> bool:
        """Whether the user said anything of a drive."""
        return self.computer.book.notes_of(drive) != DriveNotes()

    def forget(self, drive: Drive) -> None:
        """Strike a drive from the book; its measurements are kept."""
        self.computer.book.forget(drive)

    def sizes(self, typed: Iterable[str]) -> dict[str, int]:
        """`DRIVE=SIZE` texts, a size or a share such as `10%`, as bytes by drive id. Raises BadInput and Refused."""
        sizes = {}
        for text in typed:
            name, sign, size = text.partition("=")
            if not sign:
                raise BadInput(
                    f"“{shown(text)}” is not of the form DRIVE=SIZE.", next_step="Write for example kestrel=50G."
                )
            drive = self.find(name)
            sizes[drive.id] = headroom_of(size, drive) if size.strip().endswith("%") else units.parse_bytes(size)
        return sizes

    # -- how fast they are ---------------------------------------------------------------------------------

    def budget(self, drive: Drive, quick: bool = False, sustained: bool = False) -> GaugeBudget:
        """What measuring a drive would cost. Raises Refused for a drive that is away."""
        return budget_for(drive, quick, sustained)

    def gauge_histories(self, drives: Iterable[Drive]) -> dict[str, list[GaugeResult]]:
        """All measurements of each drive, oldest first, by its id."""
        return self.computer.book.gauge_histories(drives)

    def gauge(
        self, budgets: Sequence[GaugeBudget], report: GaugeReport = lambda progress: None, stop: Stop | None = None
    ) -> list[GaugeOutcome]:
        """Measure drives one after the other, and keep the results. A drive that fails does not end the others.

        Raises Refused while something is carried, since both would disturb each other, and StopRequested.
        """
        with carrying_lock(self.computer.state_folder, "measuring drives"):
            self.remove_leftover_tests()
            return [self._gauge(budget, report, stop) for budget in budgets]

    def _gauge(self, budget: GaugeBudget, report: GaugeReport, stop: Stop | None) -> GaugeOutcome:
        try:
            drive = self.find(budget.drive)
        except Refused as refusal:
            return GaugeOutcome(drive=budget.drive, problem=refusal.what)
        try:
            result = gauge_drive(self.computer.host, drive, budget, report, stop)
        except Refused as refusal:
            return GaugeOutcome(drive=drive.id, problem=f"{refusal.what} {refusal.next_step}")
        except OSError as fault:
            why = system_words(fault)
            return GaugeOutcome(
                drive=drive.id,
                problem=f"{shown(drive.label)} could not be measured to the end ({why}). Check its cable, your rights "
                "on it and its free space, then measure it again.",
            )
        self.computer.book.keep_gauge(drive, result)
        return GaugeOutcome(drive=drive.id, result=result)

    def remove_leftover_tests(self) -> list[str]:
        """Remove test files that a kill or a power cut left behind; gives their paths."""
        return remove_leftovers(self.computer.host.files, self.all())

    # -- what to buy, and how to format it -----------------------------------------------------------------

    @property
    def candidates_path(self) -> str:
        """Where the user's own candidates are kept: beside the database."""
        return os.path.join(self.computer.state_folder, CANDIDATES_FILE)

    def candidates(self, path: str | None = None) -> list[Candidate]:
        """The candidates in a file; without a path those of `candidates_path`, or none when there is no such file.

        Raises Refused.
        """
        if path is None and not os.path.exists(self.candidates_path):
            return []
        return list(read_candidates(path or self.candidates_path, self.all()))

    def candidate(self, label: str) -> Candidate:
        """The candidate of this label. Raises Refused."""
        known = self.candidates()
        for candidate in known:
            if candidate.label.casefold() == label.casefold():
                return candidate
        labels = ", ".join(shown(candidate.label) for candidate in known)
        raise NotNamed(
            f"There is no candidate “{shown(label)}”.",
            next_step=f"Known candidates: {labels}." if labels else f"Write some into {shown(self.candidates_path)}.",
        )

    def verdicts(self, path: str | None = None) -> list[PurchaseVerdict]:
        """What each candidate in a file would save here; those that save most for the price first. Raises Refused."""
        candidates = self.candidates(path)
        return verdicts_on(candidates, self.survey.latest()) if candidates else []

    def needs(self, systems: Sequence[str], drive: Drive, links: bool, snapshot: Snapshot | None = None) -> Needs:
        """What a drive's file system must do: who must write it, what is to lie there. Raises BadInput."""
        snapshot = snapshot or self.survey.latest()
        wanted = [library for library in snapshot.libraries if not drive.welcomes or library.kind in drive.welcomes]
        return needs_of(systems, wanted, links)

    @property
    def operating_system(self) -> str:
        """linux, macos or windows."""
        return this_system()


__all__ = ["DriveNotes", "DrivesStage", "Mapping"]
