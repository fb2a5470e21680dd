"""A workspace: one computer (real or a world), the database that belongs to it, and the stages' calls on both.

Screens and commands hold one of these and nothing else of the core's machinery.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace

from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.model.drive import Drive, find_drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import Move
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, normalised
from nuvik.core.model.plan import Landing, Plan
from nuvik.core.model.progress import Stop
from nuvik.core.model.purchase import Candidate
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.buying.purchases import Verdict, verdicts_on
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.landing import landing_on, landing_so_far
from nuvik.core.planning.drafting.recommendation import Answer, answer
from nuvik.core.rehearsal.rehearse import Checked, check_plan, rehearse
from nuvik.core.rehearsal.whatifs import WhatIf
from nuvik.core.store.database import Database
from nuvik.core.store.drive_book import DriveBook
from nuvik.core.survey.take_survey import survey_one
from nuvik.core.survey_room import SurveyRoom

CANDIDATES_FILE = "candidates.toml"


def open_workspace(world: str | None = None, state: str | None = None, waits: bool = True) -> Workspace:
    """Open this computer, or a world. `state` overrides where the database lies; with `waits=False` a world's time
    never takes real time. Raises Refused when the world or the state folder cannot be used.
    """
    host: Host
    if world is not None:
        from nuvik.core.hosts.world import WorldHost

        host = WorldHost(world, waits)
    else:
        from nuvik.core.hosts.local import LocalHost

        host = LocalHost()
    folder = normalised(state or os.environ.get("NUVIK_STATE") or host.default_state_folder())
    database = Database(folder)
    book = DriveBook(database)
    host.memory = book
    workspace = Workspace(host, database, book)
    workspace.remove_leftover_tests()
    return workspace


@dataclass(frozen=True, slots=True)
class Workspace(SurveyRoom):
    """All stages' calls on one computer and its database."""

    # -- what to buy ---------------------------------------------------------------------------------------

    @property
    def candidates_path(self) -> str:
        """Where the user's own candidates lie: beside the database."""
        return os.path.join(self.database.folder, CANDIDATES_FILE)

    def verdicts(self, path: str | None = None) -> list[Verdict]:
        """The candidates in a file, and what each would save here; those that save most for the price first.

        Without a path those of `candidates_path`, or none when there is no such file. Raises Refused.
        """
        from nuvik.core.store.candidates_file import read_candidates

        if path is None and not os.path.exists(self.candidates_path):
            return []
        snapshot = self.snapshot()
        return verdicts_on(read_candidates(path or self.candidates_path, snapshot.drives), snapshot)

    def candidates(self) -> list[Candidate]:
        """The candidates in the user's own file; none when there is no such file. Raises Refused."""
        from nuvik.core.store.candidates_file import read_candidates

        if not os.path.exists(self.candidates_path):
            return []
        return list(read_candidates(self.candidates_path, self.host.drives()))

    def candidate(self, label: str) -> Candidate:
        """The candidate of this label. Raises Refused."""
        known = self.candidates()
        for one in known:
            if one.label.casefold() == label.casefold():
                return one
        labels = ", ".join(shown(one.label) for one in known) or f"none: write some into {shown(self.candidates_path)}"
        raise Refused(f"There is no candidate “{shown(label)}”.", next_step=f"Known are: {labels}.")

    # -- plan and rehearse ---------------------------------------------------------------------------------

    def draft(self, moves: list[tuple[str, str]], headroom_bytes: dict[str, int] | None = None) -> Draft:
        """A draft of moves given as (library path, drive or folder), each library measured now. Raises Refused."""
        cards = self.cards()
        libraries = [survey_one(self.host, path, cards) for path, _ in moves]
        base = self.snapshot()
        measured = {library.path: library for library in libraries}
        # What the last survey knew of kind and use stays; the sizes are those of now.
        known = {library.path: library for library in base.libraries}
        merged = [_merged(library, known.get(library.path)) for library in measured.values()]
        others = [one for one in base.libraries if one.path not in measured]
        draft = Draft(replace(base, libraries=(*others, *merged))).with_headroom(headroom_bytes or {})
        for library, (_, goal) in zip(libraries, moves, strict=True):
            drive, target = self._goal(library, goal)
            if drive.id == library.drive:
                raise Refused(
                    f"{shown(library.path)} lies on {drive.label} already; moving it there frees nothing.",
                    next_step="Choose another drive.",
                )
            draft = draft.set_down(library.id, drive.id, target)
        return draft

    def _goal(self, library: Library, goal: str) -> tuple[Drive, str | None]:
        """A drive, or a drive and the path in a folder at which the library is to lie."""
        drive, folder = self._place(goal)
        if folder is None:
            return drive, None
        if is_within(folder, library.path):
            raise Refused(
                f"The target {shown(folder)} lies inside {shown(library.path)} itself.",
                next_step="Choose a place outside it.",
            )
        return drive, os.path.join(folder, os.path.basename(library.path))

    def _place(self, goal: str) -> tuple[Drive, str | None]:
        """A drive, or a folder and its drive. A drive's name wins over a folder of that name. Raises Refused."""
        drives = self.host.drives()
        if (drive := find_drive(drives, goal)) is not None:
            return drive, None
        if os.sep not in goal and not os.path.isdir(goal):
            return self.drive_or_refuse(goal), None
        folder = os.path.realpath(normalised(goal))
        holding = drive_holding(drives, folder)
        if holding is None:
            raise Refused(
                f"{shown(folder)} lies on no drive of {shown(self.host.name)}.", next_step="“nuvik drives” lists them."
            )
        return holding, folder

    def propose(self, wishes: Wishes, snapshot: Snapshot | None = None) -> Answer:
        """What belongs where, as good as can be, in an order that works. Raises Refused before the first survey."""
        snapshot = snapshot or self.snapshot()
        if not snapshot.libraries:
            raise Refused("No library is known yet.", next_step="Survey first: “nuvik survey”.")
        found = answer(snapshot, wishes)
        chosen = self.landings.all(snapshot.drives)
        left = {kind: one for kind, one in found.draft.landings.items() if kind not in chosen}
        return replace(found, draft=replace(found.draft, landings=left))

    def plan(self, draft: Draft) -> Plan:
        """The plan of a draft, with target paths that nothing lies at now, and the landings that were chosen before
        where the draft has no other. Raises Refused when nothing moves.
        """
        plan = draft.to_plan(self.host.files.exists)
        chosen = {**self.landings.all(draft.drives), **draft.landings}
        return replace(plan, landings=tuple(chosen.values()))

    def where_new_content_goes(self) -> list[Landing]:
        """For each kind, the landing that was chosen, else where its newest content lies."""
        snapshot = self.snapshot()
        chosen, draft = self.landings.all(snapshot.drives), Draft(snapshot)
        return [one for kind in Kind if (one := chosen.get(kind) or landing_so_far(draft, kind)) is not None]

    def set_landing(self, kind: Kind, goal: str) -> Landing:
        """Let new content of a kind go to a drive or folder from now on. Raises Refused."""
        drive, folder = self._place(goal)
        landing = landing_on(Draft(self.snapshot()), kind, drive, folder)
        if not drive.attached or drive.read_only:
            state = "away" if not drive.attached else "read-only"
            raise Refused(f"{shown(drive.label)} is {state}.", next_step="Choose another drive.")
        if folder is not None and (reason := self.host.why_protected(folder)) and folder != drive.path:
            raise Refused(f"Nothing new can go to {shown(folder)}: {reason}.", next_step="Choose another folder.")
        self.landings.keep(landing, drive)
        return landing

    def room_to_grow(self, weeks: float) -> dict[str, int]:
        """Headroom by drive id, with what each drive is going to take in so many weeks at its rate so far on top.

        A drive whose rate is not known yet, or that does not grow, is left out.
        """
        drives = {drive.id: drive for drive in self.host.drives()}
        return {
            drive_id: drives[drive_id].headroom_bytes + round(rate.per_week * weeks)
            for drive_id, rate in self.growth().items()
            if rate is not None and rate.per_week > 0 and drives[drive_id].attached
        }

    def check(self, plan: Plan, on_trial: bool = False, stop: Stop | None = None) -> Checked:
        """Look at every step of a plan; rehearsing it then takes no time. Raises StopRequested."""
        return check_plan(
            self.host, plan, self.database.folder, on_trial, self.snapshot(), self.work().learnt(), self.growth(), stop
        )

    def rehearse(
        self, plan: Plan, on_trial: bool = False, stop: Stop | None = None, what_ifs: Sequence[WhatIf] = ()
    ) -> Timeline:
        """What carrying a plan now would do, all of the what-ifs supposed."""
        return rehearse(self.check(plan, on_trial, stop), what_ifs)

    def labels(self) -> dict[str, str]:
        return {drive.id: drive.label for drive in self.host.drives()}

    # -- logbook -------------------------------------------------------------------------------------------

    def midway(self) -> list[Move]:
        """Moves that a stop left midway."""
        return self.journal.unfinished()


def _merged(now: Library, before: Library | None) -> Library:
    if before is None:
        return now
    return replace(
        now,
        name=before.name,
        kind=before.kind,
        opens_per_week=before.opens_per_week,
        opening_factor=before.opening_factor,
    )
