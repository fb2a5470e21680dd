"""The stage Plan: which library belongs on which drive."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput, NotNamed, Refused
from nuvik.core.model.kept_draft import KeptDraft
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, normalised
from nuvik.core.model.plan import Landing, Plan
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.landing import landing_on
from nuvik.core.planning.drafting.library_parts import split
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.planning.drafting.plan_vs_survey import Standing, draft_of, standings
from nuvik.core.planning.drafting.recommendation import Recommendation, recommend
from nuvik.core.planning.drafting.repair import repaired
from nuvik.core.planning.drafting.why import Why, why
from nuvik.core.planning.drafting.wishes_input import (
    check_sizes,
    count_of,
    number_of,
    style_of,
    weights_of,
    wishes_as_typed,
)
from nuvik.core.planning.placement.limits import why_cannot
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.kept_draft import keep_draft, kept_draft
from nuvik.core.store.landings import Landings
from nuvik.core.store.plan_file import free_plan_path, plans_in, read_plan, write_plan
from nuvik.core.survey.card_input import kind_of
from nuvik.core.survey.take_survey import survey_library


@dataclass(frozen=True, slots=True)
class PlanStage:
    """The calls of this stage."""

    computer: Computer
    survey: SurveyStage

    # -- drafts --------------------------------------------------------------------------------------------

    def empty_draft(self, snapshot: Snapshot) -> Draft:
        """A draft in which nothing moves."""
        return Draft(snapshot)

    def keep_draft(self, draft: Draft) -> None:
        """Remember a draft until the next start. Raises Refused where the state folder cannot be written."""
        kept = KeptDraft(
            places={**draft.suspended, **draft.places},
            targets=dict(draft.targets),
            parted=draft.parts_apart(),
            headroom_bytes=dict(draft.headroom_bytes),
            keep_headroom=draft.keep_headroom,
            on_trial=draft.on_trial,
            landings=tuple(draft.landings.values()),
        )
        keep_draft(self.computer.state_folder, kept)

    def kept_draft(self, snapshot: Snapshot) -> Draft | None:
        """The draft that was remembered, with what is still possible of it; None where nothing is."""
        kept = kept_draft(self.computer.state_folder)
        if kept is None:
            return None
        known = {drive.id for drive in snapshot.drives}
        draft = Draft(
            split(snapshot, kept.parted.keys(), kept.parted),
            headroom_bytes={drive: size for drive, size in kept.headroom_bytes.items() if drive in known},
            keep_headroom=kept.keep_headroom,
            on_trial=kept.on_trial,
            landings={landing.kind: landing for landing in kept.landings if landing.drive in known},
        )
        draft = replace(draft, suspended=dict(kept.places), targets=dict(kept.targets)).laid_on(draft.snapshot)
        return draft if draft.places or draft.suspended or draft.landings else None

    def draft(self, moves: Sequence[tuple[str, str]], headroom_bytes: Mapping[str, int] | None = None) -> Draft:
        """A draft of moves given as (library, drive or folder), the library by its path, or by its name where nothing
        of that name is at hand; each is measured now. Raises Refused.
        """
        host, drives, cards = self.computer.host, self.computer.drives(), self.survey.cards()
        libraries = [survey_library(host, drives, self._path_of(wanted), cards) for wanted, _ in moves]
        base = self.survey.latest()
        measured = {library.path: library for library in libraries}
        # What the last survey knew of kind and use stays; the sizes are those of now.
        known = {library.path: library for library in base.libraries}
        merged = [_merged(library, known.get(library.path)) for library in measured.values()]
        others = [library for library in base.libraries if library.path not in measured]
        draft = Draft(replace(base, libraries=(*others, *merged))).with_headroom(dict(headroom_bytes or {}))
        for library, (_, goal) in zip(libraries, moves, strict=True):
            drive, target = self._goal(library, goal)
            if drive.id == library.drive:
                raise Refused(
                    f"{shown(library.path)} is on {shown(drive.label)} already; moving it there frees nothing.",
                    next_step="Choose another drive.",
                )
            draft = draft.put_down(library.id, drive.id, target)
        return draft

    def _path_of(self, wanted: str) -> str:
        is_path = os.sep in wanted or os.path.lexists(normalised(wanted))
        return wanted if is_path else self.library_at(wanted).path

    def all_to(self, drive: Drive) -> tuple[list[tuple[str, str]], list[Library]]:
        """What may move to a drive and fits there beside its headroom, what is opened most first, as moves for
        `draft`; and what of it does not fit. What programs can rebuild is left out.
        """
        free, going, staying = drive.free_bytes - drive.headroom_bytes, [], []
        snapshot = self.survey.latest()
        able = [
            library
            for library in snapshot.libraries
            if library.drive != drive.id
            and library.kind is not Kind.CACHE
            and library.movable
            and why_cannot(library, drive, snapshot.drive(library.drive)) is None
        ]
        for library in sorted(able, key=lambda each: (-each.opens_per_week, each.on_disk_bytes, each.path)):
            room = library.room_on(drive)
            if room <= free:
                free -= room
                going.append((library.path, drive.id))
            else:
                staying.append(library)
        return going, staying

    def _goal(self, library: Library, goal: str) -> tuple[Drive, str | None]:
        """A drive, or a drive and the path in a folder at which the library is to lie."""
        drive, folder = self.computer.place(goal)
        if folder is None:
            return drive, None
        if is_within(folder, library.path):
            raise Refused(
                f"The target {shown(folder)} is inside {shown(library.path)} itself.",
                next_step="Choose a place outside it.",
            )
        name = os.path.basename(library.path)
        # A folder that is not there yet, of the library's own name, is the place itself.
        is_the_place = os.path.basename(folder) == name and not os.path.lexists(folder)
        return drive, folder if is_the_place else os.path.join(folder, name)

    def repair(self, draft: Draft, forbidden: frozenset[tuple[str, str]] = frozenset()) -> Draft:
        """The draft with the fewest further moves that put right what it breaks. Raises Refused."""
        return repaired(draft, forbidden)

    # -- recommendations -----------------------------------------------------------------------------------

    def recommend(self, wishes: Wishes, snapshot: Snapshot | None = None) -> Recommendation:
        """What belongs where, in an order that works. Raises Refused before the first survey."""
        snapshot = snapshot or self.survey.latest()
        if not snapshot.libraries:
            raise Refused("No library is known yet.", next_step="Survey first: “nuvik survey”.")
        recommendation = recommend(snapshot, wishes)
        chosen = self._landings.all(snapshot.drives)
        draft = recommendation.draft
        left = {kind: landing for kind, landing in draft.landings.items() if kind not in chosen}
        return replace(recommendation, draft=replace(draft, landings=left))

    def why(self, library: Library) -> Why:
        """Why a library should move or stays: what each drive would mean for it. Raises Refused before a survey."""
        wishes, snapshot = Wishes(), self.survey.latest()
        return why(snapshot, wishes, self.recommend(wishes, snapshot), library)

    def library_at(self, path: str) -> Library:
        """The library that the last survey knows at a path, also through the link to it, or that is called so. Raises
        Refused.
        """
        libraries, place = self.survey.latest().libraries, normalised(path)
        places = {place, os.path.realpath(place)}
        named = [library for library in libraries if library.path in places or library.name == path]
        if len(named) == 1:
            return named[0]
        some = f"{len(named)} libraries are called" if named else "No library is known as"
        raise NotNamed(f"{some} “{shown(path)}”.", next_step="Say its path; “nuvik survey” lists them.")

    def style(self, typed: str) -> Style:
        """A style by its name or first letter. Raises BadInput."""
        return style_of(typed)

    def wishes_from_form(self, drive: Drive | None, fields: Mapping[str, str], **flags: bool) -> Wishes:
        """The wishes that the fields and switches of a form say. Raises BadInput."""
        return wishes_as_typed(drive, fields, self.survey.room_to_grow, **flags)

    def wishes_from_options(
        self,
        *,
        headroom_bytes: Mapping[str, int],
        free_more_bytes: Mapping[str, int],
        weeks: float,
        style: str,
        most_moves: int | None,
        hours: float | None,
        grow_weeks: float | None,
        pinned: Iterable[str],
        forbidden: Iterable[str],
        whole: bool,
        every_move: bool,
        keep_headroom: bool,
        on_trial: bool,
        weights: Iterable[str],
    ) -> Wishes:
        """The wishes that the options of a command say: `pinned` are paths, `forbidden` is PATH=DRIVE, `weights` are
        NAME=SECONDS. Raises BadInput and Refused.
        """
        wanted = style_of(style)
        growing = number_of("" if grow_weeks is None else str(grow_weeks), "--room-to-grow")
        room = self.survey.room_to_grow(growing) if growing else {}
        check_sizes(self.computer.drives(), {**room, **headroom_bytes}, free_more_bytes)
        moving_hours = number_of("" if hours is None else str(hours), "--hours")
        return Wishes(
            style=wanted,
            weights=weights_of(wanted, weights),
            weeks=number_of(str(weeks), "--weeks") or 0.0,
            headroom_bytes={**room, **headroom_bytes},
            free_more_bytes=dict(free_more_bytes),
            pinned=frozenset(map(self._library_id, pinned)),
            forbidden=frozenset(map(self._forbidden, forbidden)),
            most_moves=count_of("" if most_moves is None else str(most_moves), "--most-moves"),
            most_moving_s=None if moving_hours is None else moving_hours * 3600,
            whole=whole,
            every_move=every_move,
            keep_headroom=keep_headroom,
            on_trial=on_trial,
        )

    def _library_id(self, path: str) -> str:
        return self.library_at(path).id

    def _forbidden(self, text: str) -> tuple[str, str]:
        path, sign, drive = text.rpartition("=")
        if not sign:
            raise BadInput(
                f"“{shown(text)}” is not of the form PATH=DRIVE.", next_step="Write for example Games/Kite=heron."
            )
        return self._library_id(path), self.computer.drive(drive).id

    # -- plans ---------------------------------------------------------------------------------------------

    def make(self, draft: Draft, recommendation: Recommendation | None = None) -> Plan:
        """The plan of a draft, with target paths that nothing is at now, and the landings that were chosen before
        where the draft has no other. Raises Refused when nothing moves.
        """
        plan = make_plan(draft, recommendation, self.computer.host.files.exists)
        chosen = {**self._landings.all(draft.drives), **draft.landings}
        return replace(plan, landings=tuple(chosen.values()))

    def read(self, path: str) -> Plan:
        """Read a plan file. Raises Refused."""
        return read_plan(path)

    def write(self, plan: Plan, path: str) -> None:
        """Write a plan file. Raises Refused."""
        write_plan(plan, path)

    def free_path(self, folder: str) -> str:
        """Where a plan without a name can be written in a folder, replacing none."""
        return free_plan_path(folder)

    def files_in(self, folder: str) -> list[str]:
        """The names of the plan files in a folder, the newest first."""
        return plans_in(folder)

    def standings(self, plan: Plan, snapshot: Snapshot) -> list[Standing]:
        """How each step of a plan stands against a survey."""
        return standings(plan, snapshot)

    def draft_of(self, plan: Plan, snapshot: Snapshot) -> tuple[Draft, list[str]]:
        """The draft that a plan comes to by a survey, and what of it is left out, in words."""
        return draft_of(plan, snapshot)

    # -- landings ------------------------------------------------------------------------------------------

    @property
    def _landings(self) -> Landings:
        return Landings(self.computer.database)

    def kind(self, typed: str) -> Kind | None:
        """A kind by its name or letter; None for an empty text. Raises BadInput."""
        return kind_of(typed)

    def landing_on(self, draft: Draft, kind: Kind, drive: Drive, path: str | None = None) -> Landing:
        """The landing on a drive, in its usual folder or another one, that the user may choose."""
        return landing_on(draft, kind, drive, path)

    def brought_along(self, draft: Draft, following: Iterable[tuple[Library, str]], drive: str) -> Draft:
        """The draft with libraries moving along to the folder that takes new content, each to a path on that drive.
        Raises Refused.
        """
        for library, path in following:
            draft = draft.put_down(library.id, drive, path)
        return draft


def _merged(now: Library, before: Library | None) -> Library:
    if before is None:
        return now
    return replace(
        now,
        name=before.name,
        kind=before.kind,
        opens_per_week=before.opens_per_week,
        opening_factor=before.opening_factor,
        computing_s=before.computing_s,
        timings=before.timings,
        pattern=before.pattern,
        tethers=now.tethers or before.tethers,
    )
