"""Landings: where new content of each kind goes now, telling programs where it is to go, and taking that back."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, replace

from nuvik.core.hosts.base import drive_holding
from nuvik.core.model.clock import moment_of, now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput, Refused, system_words
from nuvik.core.model.landing import LandingPlace, LandingRow, PlaceState
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.plan import Landing, Plan
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.folders_of_kinds import folder_of, folders_of, left_behind
from nuvik.core.planning.drafting.landing import landing_on, newest_of
from nuvik.core.settings import registry
from nuvik.core.settings.find_settings import FoundSetting, find_settings
from nuvik.core.settings.folder_of_kind import folder_now, put_folder, system_folder, usual_folder, written
from nuvik.core.settings.settings_file import Change, change_for, put_value, value_of
from nuvik.core.settings.spelling import plain_path
from nuvik.core.settings.taught import taught_setting
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.landings import Landings
from nuvik.core.store.snapshots import snapshot_before


@dataclass(frozen=True, slots=True)
class SettingsOutcome:
    """What became of telling programs."""

    changes: tuple[Change, ...]
    left: tuple[str, ...]
    """What somebody else has changed since, and what cannot be changed, in words."""


@dataclass(frozen=True, slots=True)
class LandingStage:
    """The calls for where new content goes."""

    computer: Computer
    survey: SurveyStage

    @property
    def _landings(self) -> Landings:
        return Landings(self.computer.database)

    @property
    def _home(self) -> str:
        return self.computer.host.surroundings().home

    # -- choosing ------------------------------------------------------------------------------------------

    def choose(self, kind: Kind, goal: str) -> Landing:
        """Let new content of a kind go to a drive or folder from now on. Raises Refused."""
        drive, folder = self.computer.place(goal)
        landing = landing_on(Draft(self.survey.latest()), kind, drive, folder)
        if not drive.takes_new:
            state = "is away" if not drive.attached else "is read-only" if drive.read_only else "cannot take it"
            why = f": {drive.no_place}" if drive.no_place else ""
            raise Refused(f"{shown(drive.label)} {state}{why}.", next_step="Choose another drive.")
        protected = None if folder is None or folder == drive.path else self.computer.host.why_protected(folder)
        if protected:
            raise Refused(
                f"Nothing new can go to {shown(folder or '')}: {protected}.", next_step="Choose another folder."
            )
        self._landings.keep(landing, drive)
        return landing

    def forget(self, kind: Kind) -> SettingsOutcome:
        """Nothing is chosen for a kind any more, and programs get their earlier settings back."""
        back = self.take_back(kind)
        self._landings.forget(kind)
        return back

    # -- of a whole plan -----------------------------------------------------------------------------------

    def changes_of(self, plan: Plan) -> list[Change]:
        """What telling programs of a plan's landings would change, as far as that can be changed."""
        changes: list[Change] = []
        for landing in plan.landings:
            with suppress(Refused):  # telling them says so, and leaves it
                changes += self.changes(landing.kind, landing.path)
        return changes

    def apply_plan(self, plan: Plan) -> SettingsOutcome:
        """Choose the landings of a plan that was carried, and tell programs of them; what cannot be told is left."""
        changes: list[Change] = []
        left: list[str] = []
        for landing in plan.landings:
            try:
                self.choose(landing.kind, landing.path)
                changes += self.apply(landing.kind)
            except Refused as refusal:
                left.append(f"New {landing.kind} content: {refusal.what} {refusal.next_step}")
        return SettingsOutcome(tuple(changes), tuple(left))

    def take_back_plan(self, plan: Plan) -> SettingsOutcome:
        """Forget the landings of a plan that was taken back, as far as they are still the ones that are chosen."""
        kept = self._landings.all(self.computer.drives())
        changes: list[Change] = []
        left: list[str] = []
        for landing in plan.landings:
            if landing.kind in kept and kept[landing.kind].path == landing.path:
                back = self.forget(landing.kind)
                changes += back.changes
                left += back.left
        return SettingsOutcome(tuple(changes), tuple(left))

    # -- looking -------------------------------------------------------------------------------------------

    def rows(self, snapshot: Snapshot, planned: Mapping[Kind, Landing] | None = None) -> list[LandingRow]:
        """A row for each kind of which anything is known; `planned` are the landings of a plan that is being made."""
        drives = self.computer.drives()
        kept = self._landings.all(drives)
        chosen = {**kept, **(planned or {})}
        kinds = chosen.keys() | self._landings.kinds() | {library.kind for library in snapshot.libraries}
        rows = (self._row(kind, chosen.get(kind), kind in kept, snapshot, drives) for kind in Kind if kind in kinds)
        return [row for row in rows if row.now or row.chosen or row.places]

    def _row(
        self, kind: Kind, chosen: Landing | None, kept: bool, snapshot: Snapshot, drives: tuple[Drive, ...]
    ) -> LandingRow:
        places = self.places(kind, chosen.path if chosen else "")
        newest = newest_of(kind, snapshot.libraries)
        now = self._now(kind, places, snapshot, drives)
        goal = chosen or now
        return LandingRow(
            kind=kind,
            now=now,
            chosen=chosen,
            kept=kept,
            places=tuple(places),
            folders=folders_of(kind, snapshot.libraries, goal.path if goal else ""),
            newest=newest,
            landed=self.landed(kind, snapshot),
            login_due=any(map(self._login_due, places)),
        )

    def _login_due(self, place: LandingPlace) -> bool:
        """Whether the system was told since the user logged in: then programs that are open do not know it yet."""
        of_system = place.n == 0 or place.tether.format == registry.FORMAT
        set_s = moment_of(place.changed_at).timestamp() if of_system and place.changed_at else 0.0
        return set_s > self.computer.host.logged_in_since_s()

    def _now(
        self, kind: Kind, places: list[LandingPlace], snapshot: Snapshot, drives: tuple[Drive, ...]
    ) -> Landing | None:
        for place in sorted(places, key=lambda place: place.n == 0):
            path = "" if place.tether.kind.leaves_link else self._meant(place.value)
            drive = drive_holding(drives, os.path.realpath(path)) if path else None
            if drive is not None:
                reason = "your standard folder" if place.n == 0 else f"{place.tether.key} in {place.tether.file}"
                return Landing(kind=kind, drive=drive.id, path=path, reason=reason, before=drive.id)
        newest = newest_of(kind, snapshot.libraries)
        if newest is None:
            return None
        reason = f"the newest, {shown(newest.name)}, is there"
        path = folder_of(newest, snapshot.libraries)
        return Landing(kind=kind, drive=newest.drive, path=path, reason=reason, before=newest.drive)

    def _meant(self, value: str) -> str:
        return plain_path(value, self._home) or ""

    def places(self, kind: Kind, goal: str) -> list[LandingPlace]:
        """The places where programs read where new content of a kind goes, as they stand to a folder; empty for none
        chosen.
        """
        known = self._landings.places(kind, system_folder(kind, self._home))
        return [self._looked_at(kind, place, goal) for place in known]

    def _looked_at(self, kind: Kind, place: LandingPlace, goal: str) -> LandingPlace:
        try:
            value = self._value(kind, place)
        except Refused as refusal:
            return replace(place, state=PlaceState.BROKEN, trouble=refusal.what)
        place, meant = replace(place, value=value), self._meant(value)
        if goal and meant == goal and not place.tether.kind.leaves_link:
            return replace(place, state=PlaceState.OK)
        if place.after and value not in (place.after, place.before):
            says = f"“{shown(value)}”" if value else "nothing"
            trouble = f"{shown(place.in_words)} says {says} now: somebody has changed it since."
            return replace(place, state=PlaceState.CHANGED, trouble=trouble)
        if place.tether.kind.leaves_link:
            return replace(place, state=PlaceState.OK)
        if place.n and not meant:
            trouble = f"{shown(place.in_words)} says “{shown(value)}”, which is no folder."
            return replace(place, state=PlaceState.BROKEN, trouble=trouble)
        if not goal:
            return place
        same = meant == goal or (not value and self._meant(usual_folder(kind, self._home)) == goal)
        return replace(place, state=PlaceState.OK if same else PlaceState.DUE)

    def _value(self, kind: Kind, place: LandingPlace) -> str:
        if place.tether.kind.leaves_link:
            return os.readlink(place.tether.file) if os.path.islink(place.tether.file) else ""
        return folder_now(kind, self._home) if place.n == 0 else value_of(place.tether)

    def landed(self, kind: Kind, snapshot: Snapshot | None = None) -> dict[str, int]:
        """Where what is new of a kind since its landing was chosen has landed: how many libraries, by drive id."""
        since = self._landings.set_at(kind)
        before = snapshot_before(self.computer.database, since) if since else None
        if before is None:
            return {}
        known = {path for library in before.libraries for path in (library.path, library.tether) if path}
        return Counter(
            library.drive
            for library in (snapshot or self.survey.latest()).libraries
            if library.kind is kind and not {library.path, library.tether} & known
        )

    def left_behind(self, row: LandingRow, snapshot: Snapshot) -> tuple[tuple[Library, str], ...]:
        """The libraries that lie where new content of a kind goes now, or went before programs were told otherwise, and
        could move along; each with the path that it would have.
        """
        if row.chosen is None:
            return ()
        meant = [self._meant(place.before) for place in row.places if not place.tether.kind.leaves_link]
        before = [os.path.realpath(path) for path in (row.now.path if row.now else "", *meant) if path]
        return left_behind(row.kind, snapshot.libraries, before, row.chosen.path)

    def find(self, row: LandingRow, stop: Stop | None = None) -> list[FoundSetting]:
        """The settings of the user's programs that are a folder in which a kind lies: perhaps where its new content
        goes. Raises StopRequested.
        """
        around = self.computer.host.surroundings()
        roots = sorted({*around.settings, *around.containers})
        known = {(place.tether.file, place.tether.key) for place in row.places}
        folders = [folder.path for folder in row.folders] + ([row.now.path] if row.now else [])
        return [
            setting
            for folder in dict.fromkeys(folders)
            for setting in find_settings(roots, folder, around.home, stop)
            if self._meant(setting.value) == folder and (setting.file, setting.key) not in known
        ]

    # -- telling programs ----------------------------------------------------------------------------------

    def changes(self, kind: Kind, path: str = "") -> list[Change]:
        """What telling programs of the chosen landing, or of a folder, would change: `before` is empty where nothing is
        written down. Raises Refused where a setting cannot be changed.
        """
        landing = self._landings.all(self.computer.drives()).get(kind)
        goal = path or (landing.path if landing else "")
        due = [place for place in self.places(kind, goal) if place.state is not PlaceState.OK] if goal else []
        changes = [self._change(kind, place, goal) for place in due if not place.tether.kind.leaves_link]
        return [change for change in changes if change.before != change.after]

    def _change(self, kind: Kind, place: LandingPlace, goal: str) -> Change:
        if place.n == 0:
            after = written(kind, goal, self._home)
            return Change(place.tether.file, place.tether.key, folder_now(kind, self._home), after)
        if place.state is PlaceState.BROKEN:
            raise Refused(place.trouble, next_step=f"Look at it, or forget it: nuvik landing {kind} --remove {place.n}")
        return change_for(place.tether, self._meant(place.value), goal, self._home)

    def apply(self, kind: Kind) -> list[Change]:
        """Tell programs of the chosen landing; a folder that is missing is made. Gives what was changed. Raises
        Refused; what was changed before can be taken back.
        """
        changes = self.changes(kind)
        landing = self._landings.all(self.computer.drives()).get(kind)
        if landing is None or not changes:
            return []
        drive = self.computer.drive(landing.drive)
        if not drive.attached:  # its folder would be made on the drive below its mount point
            raise Refused(f"{shown(drive.label)} is away.", next_step=f"Attach {shown(drive.label)}.")
        try:
            os.makedirs(landing.path, exist_ok=True)
        except OSError as fault:
            words = system_words(fault)
            what = f"{shown(landing.path)} cannot be made: {words}."
            raise Refused(what, next_step="Choose another folder.") from None
        by_key = {(change.file, change.key): change for change in changes}
        for place in self.places(kind, landing.path):
            change = by_key.get((place.tether.file, place.tether.key))
            if change is not None:
                first = place.before if place.after and place.state is not PlaceState.CHANGED else change.before
                changed = replace(place, before=first, after=change.after, changed_at=now_text())
                self._landings.keep_place(kind, changed)  # before the file is touched
                try:
                    self._put(kind, place, change.before, change.after)
                except Refused:
                    self._landings.keep_place(kind, place)
                    raise
        return changes

    def _put(self, kind: Kind, place: LandingPlace, before: str, after: str) -> None:
        if place.n == 0:
            put_folder(kind, before, after, self._home)
        else:
            put_value(place.tether, before, after)

    def take_back(self, kind: Kind) -> SettingsOutcome:
        """Give programs the settings back that Nuvik changed, and remove the links that gathered other folders.
        What somebody else has changed since is left.
        """
        changes, left = [], []
        for place in self.places(kind, ""):
            if not place.after:
                continue
            if place.tether.kind.leaves_link:
                try:
                    self._remove_link(kind, place)
                except OSError as fault:
                    left.append(f"{shown(place.tether.file)} cannot be removed: {(fault.strerror or '').lower()}.")
                continue
            before = place.before or (usual_folder(kind, self._home) if place.n == 0 else "")
            try:
                if place.value != before:
                    self._put(kind, place, place.after, before)
                    changes.append(Change(place.tether.file, place.tether.key, place.after, before))
            except Refused as refusal:
                left.append(f"{refusal.what} It is left as it is.")
            self._landings.keep_place(kind, replace(place, before="", after="", changed_at=now_text()))
        return SettingsOutcome(tuple(changes), tuple(left))

    # -- settings that were taught -------------------------------------------------------------------------

    def teach(self, kind: Kind, file: str, key: str, form: str = "") -> LandingPlace:
        """Another setting in which a program keeps where new content of a kind goes. Raises BadInput and Refused."""
        if not file or not key:
            raise BadInput(
                "In which file, and under which key?", next_step="Say both: --add --file FILE --key settings.folder"
            )
        tether = taught_setting(TetherKind.SETTING, file, key, form)
        if any(place.tether == tether for place in self.places(kind, "")):
            raise Refused("That setting is known already.", next_step="“nuvik landing” lists them.")
        value = value_of(tether)
        if not self._meant(value):
            raise Refused(
                f"“{shown(key)}” in {shown(tether.file)} is “{shown(value)}”, which is no folder.",
                next_step="Choose another key.",
            )
        place = LandingPlace(n=self._landings.add_place(kind, tether), tether=tether)
        return self._looked_at(kind, place, "")

    def forget_setting(self, kind: Kind, n: int) -> Tether:
        """Nuvik no longer looks after a setting that it was taught; the file stays as it is. Raises BadInput."""
        for place in self.places(kind, ""):
            if place.n == n and n > 0 and not place.tether.kind.leaves_link:
                self._landings.remove_place(kind, n)
                return place.tether
        raise BadInput(f"There is no setting {n} for {kind}.", next_step="“nuvik landing” lists them.")

    # -- several folders as one collection -----------------------------------------------------------------

    def gather(self, row: LandingRow) -> list[str]:
        """Let the other folders of a kind be seen in the one that takes new content: a link there to each of them.
        Gives the links that were made. Raises Refused.
        """
        folder = os.path.realpath(row.goal.path) if row.goal else ""
        drive = drive_holding(self.computer.drives(), folder)
        if drive is None or not drive.attached:
            raise Refused(f"No folder takes new content of the kind {row.kind}.", next_step="Choose one first.")
        if not drive.rules.symlinks:
            raise Refused(f"{shown(drive.label)} holds no links.", next_step="Choose a folder on another drive.")
        labels = {known.id: known.label for known in self.computer.drives()}
        gathered = {place.after for place in row.places if place.tether.kind.leaves_link and place.value}
        made = []
        for other in row.folders:
            apart = not is_within(other.path, folder) and not is_within(folder, other.path)
            if apart and other.path not in gathered:
                name = f"{os.path.basename(other.path)} on {labels.get(other.drive, other.drive)}".replace(os.sep, "-")
                made.append(self._link(row.kind, os.path.join(folder, name), other.path))
        return made

    def _link(self, kind: Kind, link: str, goal: str) -> str:
        tether = Tether(kind=TetherKind.LINK, file=link)
        n = self._landings.add_place(kind, tether)
        self._landings.keep_place(kind, LandingPlace(n=n, tether=tether, after=goal, changed_at=now_text()))
        try:
            os.makedirs(os.path.dirname(link), exist_ok=True)
            os.symlink(goal, link, target_is_directory=True)
        except OSError as fault:
            self._landings.remove_place(kind, n)
            words = system_words(fault)
            raise Refused(f"{shown(link)} cannot be made: {words}.", next_step="Look at what is there.") from None
        return link

    def _remove_link(self, kind: Kind, place: LandingPlace) -> None:
        """A link of ours that still leads where it led; what else lies there stays."""
        if place.value == place.after:
            os.unlink(place.tether.file)
        self._landings.remove_place(kind, place.n)
