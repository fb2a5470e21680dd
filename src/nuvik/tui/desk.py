"""The desk: the values the screens have before them, handed on in the order of the stages."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.plan import Plan
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timeline import Timeline

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.core.planning.drafting.recommendation import Recommendation
    from nuvik.core.rehearsal.rehearse import CheckedPlan
    from nuvik.core.stages.watching import Past
    from nuvik.core.stages.workspace import Workspace


@dataclass(frozen=True, slots=True)
class Edit:
    """A draft, and the recommendation that it began with."""

    draft: Draft
    recommendation: Recommendation | None = None
    on: Snapshot | None = None
    """The snapshot on which the draft was laid."""


@dataclass
class Desk:
    """Workspace, and the value of each stage as far as the user has got."""

    workspace: Workspace
    snapshot: Snapshot
    edits: list[Edit] = field(default_factory=list)
    """The edits so far; the one in force is at `position`."""
    position: int = 0
    hand: tuple[str, ...] = ()
    """The libraries in the user's hand: their ids."""
    forbidden: frozenset[tuple[str, str]] = frozenset()
    """Library and drive where a proposal must not put it: their ids."""
    marked: frozenset[str] = frozenset()
    """The libraries that the user has marked: their ids."""
    plan: Plan | None = None
    checked: CheckedPlan | None = None
    """What looking at every step of the plan found: it can be rehearsed again and again."""
    timeline: Timeline | None = None
    """What carrying the plan would do, nothing supposed."""
    past: Past | None = None
    """What earlier surveys say; None until it is read."""
    on_trial: bool = False
    side_by_side: bool = False
    """Whether moves that share no disk are carried at the same time."""
    without_marks: bool = False
    """Whether moves go on where a target cannot keep every mark."""
    _sorted: tuple[Snapshot, dict[str, tuple[Library, ...]]] | None = None

    @classmethod
    def laid(cls, workspace: Workspace) -> Desk:
        """A desk with the latest snapshot on it."""
        desk = cls(workspace, workspace.survey.latest())
        desk.edits = [Edit(workspace.plan.empty_draft(desk.snapshot), on=desk.snapshot)]
        kept = workspace.plan.kept_draft(desk.snapshot)
        if kept is not None:
            desk.edits.append(Edit(kept, on=desk.snapshot))
            desk.position, desk.on_trial = 1, kept.on_trial
        return desk

    def on_drive(self, drive_id: str, snapshot: Snapshot | None = None) -> tuple[Library, ...]:
        """The libraries on one drive, largest first; sorted once a snapshot, since every key draws them. `snapshot` is
        that of a draft, in which libraries may be in pieces.
        """
        snapshot = snapshot or self.snapshot
        if self._sorted is None or self._sorted[0] is not snapshot:
            self._sorted = (snapshot, {})
        by_drive = self._sorted[1]
        if drive_id not in by_drive:
            by_drive[drive_id] = snapshot.on_drive(drive_id)
        return by_drive[drive_id]

    @property
    def in_hand(self) -> str | None:
        """The first library in the user's hand."""
        return self.hand[0] if self.hand else None

    @property
    def draft(self) -> Draft:
        """The draft in force, laid on the latest snapshot when it is first asked for."""
        edit = self.edits[self.position]
        if edit.on is not self.snapshot:
            edit = self.edits[self.position] = replace(edit, draft=edit.draft.laid_on(self.snapshot), on=self.snapshot)
        return edit.draft

    @property
    def recommendation(self) -> Recommendation | None:
        """What was recommended last, beside the draft; the draft may have left it since."""
        return self.edits[self.position].recommendation

    def take_snapshot(self, snapshot: Snapshot) -> None:
        """Go on from a new snapshot: moves that are still possible stay on the draft, and on those that an undo leads
        back to; what the user holds stays in the hand.
        """
        self.snapshot, self.past = snapshot, None
        self.plan = self.checked = self.timeline = None
        known = {library.id for library in self.draft.snapshot.libraries}
        self.hand = tuple(library_id for library_id in self.hand if library_id in known)
        self.marked &= known

    def take_past(self, past: Past, on: Snapshot) -> None:
        """Keep what earlier surveys say, unless something came or changed since it was read."""
        if self.snapshot is on:
            self.past = past

    def take_drives(self, drives: tuple[Drive, ...]) -> None:
        """Drives came, went, were measured or got another name or headroom: the draft is laid on them again."""
        self.take_snapshot(self.snapshot.with_drives(drives))

    def edit(self, draft: Draft, recommendation: Recommendation | None = None) -> None:
        """Put a new draft in force, which may follow a new recommendation; what was undone before is forgotten."""
        edit = Edit(draft, recommendation or self.recommendation, self.snapshot)
        now = self.edits[self.position]
        if (draft.places, draft.landings) != (now.draft.places, now.draft.landings) or (
            draft.snapshot is not now.draft.snapshot or edit.recommendation is not now.recommendation
        ):
            self.edits = [*self.edits[: self.position + 1], edit]
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
        if self.position == len(self.edits) - 1:
            return False
        self.position += 1
        self.plan = self.checked = self.timeline = None
        return True
