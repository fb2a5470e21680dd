"""Documents about plans: a proposal, how a plan compares with what is there, why a library should move."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Any

from nuvik.core.model.library import Kind
from nuvik.core.model.plan import Landing, Plan
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.wishes import Weights
from nuvik.core.planning.drafting.plan_vs_survey import Standing, StepState
from nuvik.core.planning.drafting.recommendation import Recommendation
from nuvik.core.planning.drafting.why import Why
from nuvik.core.views.compare_drafts import Otherwise, Row


@dataclass(frozen=True, slots=True, kw_only=True)
class ProposalDocument(Plan):
    """The best plan for some wishes: all of a plan, and what it means. Without steps, nothing should move."""

    short_bytes: dict[str, int]
    """By drive id: what stays missing of its headroom."""
    moving_s: float
    """How long carrying it takes, as rehearsed."""
    lowest_free_bytes: dict[str, int]
    """By drive id: the least free space while it is carried."""
    away: dict[str, tuple[str, ...]]
    """By the id of a portable drive: the libraries that do not open while it is unplugged, once the plan is carried."""
    without_limits_saves_s_per_week: float
    """What more would be saved if no limits on moves and hours were set."""
    in_words: str
    unmet: tuple[str, ...]
    """Demands of drives and cards that are not met."""
    weights: dict[str, float]
    """By name: the seconds of waiting that each is worth, as `nuvik propose --weigh list` explains them."""
    contradictions: tuple[tuple[str, ...], ...]
    """Wishes that cannot be had together, in words: one, and what stands against it."""

    @classmethod
    def of(
        cls, recommendation: Recommendation, plan: Plan | None, timeline: Timeline | None, weights: Weights, words: str
    ) -> ProposalDocument:
        proposal, snapshot = recommendation.proposal, recommendation.draft.snapshot
        empty = Plan(
            made_at=snapshot.taken_at,
            host=snapshot.host,
            snapshot_taken_at=snapshot.taken_at,
            steps=(),
            proven_gap=proposal.gap,
            kept=tuple(recommendation.kept.values()),
        )
        made = plan or empty
        own: dict[str, Any] = {field.name: getattr(made, field.name) for field in fields(Plan)}
        return cls(
            **own,
            short_bytes=proposal.short_bytes,
            moving_s=timeline.total_s if timeline else 0.0,
            lowest_free_bytes=timeline.lowest_free_bytes if timeline else {},
            away=timeline.away if timeline else {},
            without_limits_saves_s_per_week=recommendation.limits_cost_s,
            in_words=words,
            unmet=tuple(demand.words for demand in proposal.unmet),
            weights=_seconds(weights),
            contradictions=tuple((each.wish, *each.others) for each in recommendation.contradictions),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class WeightsDocument:
    """What a proposal weighs against waiting."""

    weights: dict[str, float]
    """By name: the seconds of waiting that each is worth."""

    @classmethod
    def of(cls, weights: Weights) -> WeightsDocument:
        return cls(weights=_seconds(weights))


def _seconds(weights: Weights) -> dict[str, float]:
    return {name: seconds for name, seconds, _ in weights.in_words()}


@dataclass(frozen=True, slots=True, kw_only=True)
class StandingDocument:
    """A step of a plan against what is there now."""

    n: int
    library: str
    state: StepState
    words: str
    """What changed; empty when nothing did."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanCheckDocument:
    """How a plan compares with the last survey; with another plan beside it, where they differ."""

    steps: tuple[StandingDocument, ...]
    landings: tuple[Landing, ...]
    in_words: str
    figures: tuple[Row, ...] = ()
    """What both plans come to, figure by figure; empty without another plan."""
    differences: tuple[Otherwise, ...] = ()
    """What the two plans place differently."""

    @classmethod
    def of(
        cls,
        plan: Plan,
        standings: Sequence[Standing],
        words: str,
        figures: Sequence[Row] = (),
        differences: Sequence[Otherwise] = (),
    ) -> PlanCheckDocument:
        return cls(
            steps=tuple(
                StandingDocument(n=each.step.n, library=each.step.library, state=each.state, words=each.words)
                for each in standings
            ),
            landings=plan.landings,
            in_words=words,
            figures=tuple(figures),
            differences=tuple(differences),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveWhyDocument:
    """What it means that a library is on one drive."""

    id: str
    """The drive's."""
    label: str
    here: bool
    """Whether the library is on it now."""
    seconds: float
    """One opening from there."""
    computing_s: float
    """Of that: computing, wherever it is."""
    sequence_s: float
    """Of that: reading in one go."""
    small_reads_s: float
    """Of that: small reads anywhere."""
    low_s: float | None
    high_s: float | None
    """Between what `seconds` lies, as far as timings tell; null where the figures are those of its kind."""
    source: str
    """Where the seconds come from: assumed by its kind, timed by the user, or recorded."""
    waiting_s_per_week: float
    saves_s_per_week: float
    """Compared with where it is now; below zero: longer waiting."""
    worth_s_per_week_per_gb: float
    """What each GB of it saves there."""
    line_s_per_week_per_gb: float
    """What a GB of room is worth on this drive: below this, others are better off there."""
    pays_from_per_week: float | None
    """From how many openings a week on it belongs there; null where no use would do."""
    pays_below_per_week: float | None
    """Below how many openings a week it belongs there, where it opens slower there."""
    obstacle: str | None
    """Why it cannot go there, or should not."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WhyDocument:
    """Why a library is where it is, and what each drive would mean for it, where it is now first."""

    library: str
    id: str
    """The library's."""
    path: str
    kind: Kind
    opens_per_week: float
    moves_to: str | None
    """The id of the drive to which it should go; null: it should stay."""
    reason: str
    drives: tuple[DriveWhyDocument, ...]
    blocked_by: tuple[str, ...]
    """What stands in its way, drive by drive, in words."""

    @classmethod
    def of(cls, why: Why) -> WhyDocument:
        library = why.library
        goal = next((row for row in why.drives if row.drive == why.moves_to), None)
        return cls(
            library=library.name,
            id=library.id,
            path=library.path,
            kind=library.kind,
            opens_per_week=library.opens_per_week,
            moves_to=None if goal is None else goal.drive,
            reason=why.reason,
            drives=tuple(
                DriveWhyDocument(
                    id=row.drive,
                    label=row.label,
                    here=row.here,
                    seconds=row.opening.total_s,
                    computing_s=row.opening.computing_s,
                    sequence_s=row.opening.sequence_s,
                    small_reads_s=row.opening.small_reads_s,
                    low_s=row.bounds_s[0] if row.bounds_s else None,
                    high_s=row.bounds_s[1] if row.bounds_s else None,
                    source=why.source,
                    waiting_s_per_week=row.waiting_s_per_week,
                    saves_s_per_week=row.saves_s_per_week,
                    worth_s_per_week_per_gb=row.worth_s_per_week_per_gb,
                    line_s_per_week_per_gb=row.line_s_per_week_per_gb,
                    pays_from_per_week=row.pays_from_per_week,
                    pays_below_per_week=row.pays_below_per_week,
                    obstacle=row.obstacle or None,
                )
                for row in why.drives
            ),
            blocked_by=tuple(f"{row.label}: {row.obstacle}" for row in why.drives if row.obstacle),
        )
