"""Making a plan of a draft: its moves in an order that works, each with its target path and its reason."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan, Role, Step
from nuvik.core.model.tether import TetherKind
from nuvik.core.model.units import format_bytes, format_duration
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.recommendation import Recommendation
from nuvik.core.planning.drafting.target_paths import free_target, usual_target
from nuvik.core.planning.ordering.arrange import Leg
from nuvik.core.planning.placement.main_tether import main_tether
from nuvik.core.planning.placement.waiting import opening_s

IsTaken = Callable[[str], bool]
"""Whether something lies at a path."""


def make_plan(draft: Draft, recommendation: Recommendation | None = None, taken: IsTaken = lambda path: False) -> Plan:
    """The plan of a draft. What no order allows comes last, so that a rehearsal shows what it lacks.

    Reasons and proof are those of the recommendation, as far as the draft still follows it. `taken` tells what lies on
    the drives already: a target path that is taken gets a number. Raises Refused when nothing moves.
    """
    if not draft.places:
        raise Refused("Nothing moves in this plan.", next_step="Put a library on another drive first.")
    steps = _Steps(draft, recommendation, taken)
    for leg in _legs(draft):
        steps.add(leg)
    now, then = draft.waiting
    proof = recommendation if recommendation is not None and recommendation.is_followed_by(draft) else None
    return Plan(
        made_at=now_text(),
        host=draft.snapshot.host,
        snapshot_taken_at=draft.snapshot.taken_at,
        steps=tuple(steps.made),
        headroom_bytes={drive.id: drive.headroom_bytes for drive in draft.drives},
        waiting_before_s_per_week=now.likely,
        waiting_after_s_per_week=then.likely,
        waiting_before_range_s_per_week=now.bounds,
        waiting_after_range_s_per_week=then.bounds,
        proven_gap=proof.proposal.gap if proof else None,
        kept=tuple(proof.kept.values()) if proof else (),
        landings=tuple(draft.landings.values()),
        unplaced=proof.unplaced if proof else (),
        keep_headroom=draft.keep_headroom,
        on_trial=draft.on_trial,
    )


def _legs(draft: Draft) -> Iterator[Leg]:
    yield from draft.arranged.legs
    for load in draft.arranged.stuck:
        yield Leg(load, load.source, load.target)


class _Steps:
    """The steps of a plan as they are made, each with a path of its own."""

    def __init__(self, draft: Draft, recommendation: Recommendation | None, taken: IsTaken) -> None:
        self.made: list[Step] = []
        self._draft, self._recommendation, self._taken = draft, recommendation, taken
        self._names = {
            (library.drive, draft.drive(library.drive).rules.folded(library.path))
            for library in draft.snapshot.libraries
        }
        self._waits_at: dict[str, str] = {}

    def add(self, leg: Leg) -> None:
        draft, library = self._draft, leg.load.library
        goes_on = leg.role is Role.FROM_STAGING
        chosen = draft.targets.get(library.id) if leg.target is leg.load.target else None
        target, clash = chosen, ""
        if target is None:
            wanted = usual_target(library, leg.target, leg.load.source)
            target = free_target(wanted, leg.target, lambda path: self._is_taken(path, leg.target))
            clash = f"; {shown(wanted)} is already taken, so it gets a number" if target != wanted else ""
        self._names.add((leg.target.id, leg.target.rules.folded(target)))
        self.made.append(
            Step(
                n=len(self.made) + 1,
                library=library.name,
                kind=library.kind,
                path=self._waits_at[library.id] if goes_on else library.path,
                bytes=library.bytes,
                files=library.files,
                on_disk_bytes=library.on_disk_bytes,
                room_bytes=library.room_on(leg.target),
                from_drive=leg.source.id,
                to_drive=leg.target.id,
                reason=self._reason(leg) + clash,
                target_path=target,
                via=leg.via.id if leg.via else None,
                tether=TetherKind.NONE if goes_on else main_tether(library, leg.source),
                tethers=library.tethers,
            )
        )
        self._waits_at[library.id] = target

    def _is_taken(self, path: str, drive: Drive) -> bool:
        folded = drive.rules.folded(path)
        return (drive.id, folded) in self._names or self._taken(path)

    def _reason(self, leg: Leg) -> str:
        library, load = leg.load.library, leg.load
        if leg.role is Role.TO_STAGING and leg.via is not None:
            return f"waits on {shown(leg.via.label)} to make room for {shown(leg.makes_room_for)}"
        if self._recommendation is not None and (reason := self._recommendation.reason_for(self._draft, library.id)):
            return reason
        return (
            f"frees {format_bytes(library.on_disk_bytes)} on {shown(load.source.label)}; opens in "
            f"{format_duration(opening_s(library, load.target))} instead of "
            f"{format_duration(opening_s(library, load.source))}"
        )
