"""The desk: the values the screens have before them, handed on in the order of the stages."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from nuvik.core.model.drive import Drive
from nuvik.core.model.gauging import GaugeOutcome, GaugeProgress
from nuvik.core.model.library import Library
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import Event, Stop
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timeline import Timeline
from nuvik.core.planning.drafting.draft import Draft

if TYPE_CHECKING:
    from nuvik.core.rehearsal.rehearse import Checked
    from nuvik.core.workspace import Workspace


@dataclass
class Desk:
    """Workspace, and the value of each stage as far as the user has got."""

    workspace: Workspace
    snapshot: Snapshot
    drafts: list[Draft] = field(default_factory=list)
    """The edits so far; the one in force is at `position`."""
    position: int = 0
    hand: tuple[str, ...] = ()
    """The libraries in the user's hand: their ids."""
    forbidden: frozenset[tuple[str, str]] = frozenset()
    """Library and drive where a proposal must not put it: their ids."""
    marked: frozenset[str] = frozenset()
    """The libraries that the user has marked: their ids."""
    plan: Plan | None = None
    checked: Checked | None = None
    """What looking at every step of the plan found: it can be rehearsed again and again."""
    timeline: Timeline | None = None
    """What carrying the plan would do, nothing supposed."""
    on_trial: bool = False
    carrying: Carrying | None = None
    gauging: Gauging | None = None
    _sorted: tuple[Snapshot, dict[str, tuple[Library, ...]]] | None = None

    @classmethod
    def laid(cls, workspace: Workspace) -> Desk:
        """A desk with the latest snapshot on it."""
        desk = cls(workspace, workspace.snapshot())
        desk.drafts = [Draft(desk.snapshot)]
        return desk

    def on_drive(self, drive_id: str, snapshot: Snapshot | None = None) -> tuple[Library, ...]:
        """The libraries on one drive, largest first; sorted once a snapshot, since every key draws them. `snapshot` is
        that of a draft, in which libraries may be in pieces.
        """
        snapshot = snapshot or self.snapshot
        if self._sorted is None or self._sorted[0] is not snapshot:
            self._sorted = (snapshot, {})
        found = self._sorted[1]
        if drive_id not in found:
            found[drive_id] = snapshot.on_drive(drive_id)
        return found[drive_id]

    @property
    def lifted(self) -> str | None:
        """The first library in the user's hand."""
        return self.hand[0] if self.hand else None

    @property
    def draft(self) -> Draft:
        return self.drafts[self.position]

    def take_snapshot(self, snapshot: Snapshot) -> None:
        """Begin again from a new snapshot; moves that are still possible stay on the draft, and what the user holds
        stays in the hand.
        """
        draft = self.draft.laid_on(snapshot)
        self.snapshot, self.drafts, self.position = snapshot, [draft], 0
        self.plan = self.checked = self.timeline = None
        known = {one.id for one in draft.snapshot.libraries}
        self.hand = tuple(one for one in self.hand if one in known)
        self.marked &= known

    def take_drives(self, drives: tuple[Drive, ...]) -> None:
        """Drives came, went, were measured or are told otherwise: all that was planned stands on them anew."""
        self.take_snapshot(replace(self.snapshot, drives=drives))

    def edit(self, draft: Draft) -> None:
        """Put a new draft in force; what was undone before is forgotten."""
        now = self.draft
        if (draft.places, draft.kept, draft.landings) != (now.places, now.kept, now.landings) or (
            draft.snapshot is not now.snapshot
        ):
            self.drafts = [*self.drafts[: self.position + 1], draft]
            self.position += 1
        self.plan = self.checked = self.timeline = None

    def step_back(self) -> bool:
        """Undo an edit; False when there is none."""
        if self.position == 0:
            return False
        self.position -= 1
        self.plan = self.checked = self.timeline = None
        return True

    def step_forward(self) -> bool:
        """Do an undone edit again; False when there is none."""
        if self.position == len(self.drafts) - 1:
            return False
        self.position += 1
        self.plan = self.checked = self.timeline = None
        return True


@dataclass
class Carrying:
    """What is being carried now, or was carried last."""

    title: str
    stop: Stop = field(default_factory=Stop)
    moves: list[int] = field(default_factory=list)
    """The journal's numbers of the moves seen so far."""
    event: Event | None = None
    """The latest event."""
    progress: Event | None = None
    """The latest progress of the phase at hand."""
    ended: str | None = None
    """How it ended, in words; None while it runs."""
    trouble: bool = False

    @property
    def running(self) -> bool:
        return self.ended is None


@dataclass
class Gauging:
    """What is being measured now, or was measured last."""

    stop: Stop = field(default_factory=Stop)
    progress: GaugeProgress | None = None
    curve: list[float] = field(default_factory=list)
    """The speeds of the phase at hand, oldest first."""
    outcomes: list[GaugeOutcome] = field(default_factory=list)
    trouble: str = ""
    running: bool = True

    def take(self, progress: GaugeProgress) -> None:
        """Something was told; a new phase or drive begins a new curve."""
        before = self.progress
        if before is None or (before.drive, before.phase) != (progress.drive, progress.phase):
            self.curve = []
        self.curve.append(progress.per_s)
        self.progress = progress
