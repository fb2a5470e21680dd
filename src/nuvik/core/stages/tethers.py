"""Tethers: what keeps programs finding a library, chosen, looked for and checked."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, replace

from nuvik.core.carrying.tethers.settings import repair_tether, state_of
from nuvik.core.model.clock import moment_of
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.journal import Move
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, normalised
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import Stop
from nuvik.core.model.tether import Tether, TetherKind, TetherRecord, TetherState
from nuvik.core.planning.drafting.library_parts import separable
from nuvik.core.settings import registry
from nuvik.core.settings.find_settings import FoundSetting, find_settings, settings_in
from nuvik.core.settings.settings_file import Change, change_for, means, value_of
from nuvik.core.settings.standard_folders import standard_folders, standard_folders_file
from nuvik.core.settings.taught import taught_setting
from nuvik.core.settings.taught_check import place_of_check, why_not_held
from nuvik.core.stages.carry import CarryStage
from nuvik.core.stages.plan import PlanStage
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.survey.take_survey import survey_library


@dataclass(frozen=True, slots=True)
class TetherRow:
    """A tether of a library as it stands now."""

    n: int
    tether: Tether
    value: str
    """What its file says; empty where there is none, or it cannot be read."""
    state: TetherState
    trouble: str = ""
    """What is wrong, as a sentence."""
    login_due: bool = False
    """Programs that are open take it after the next login."""


@dataclass(frozen=True, slots=True)
class TetherStage:
    """What keeps programs finding libraries."""

    survey: SurveyStage
    plan: PlanStage
    carry: CarryStage

    def library(self, wanted: str) -> Library:
        """A library by its path, or by its name; what no survey knows is measured now. Raises Refused."""
        try:
            return self.plan.library_at(wanted)
        except Refused:
            if os.sep not in wanted or not os.path.isdir(normalised(wanted)):
                raise
        computer = self.survey.computer
        return survey_library(computer.host, computer.drives(), wanted, self.survey.cards())

    @property
    def _home(self) -> str:
        return self.survey.computer.host.surroundings().home

    def of(self, library: Library) -> list[TetherRow]:
        """The tethers on the card of a library, as they stand now; the link that its last move left comes first."""
        rows = []
        if library.tether:
            leads = os.path.realpath(library.tether) == os.path.realpath(library.path)
            link = Tether(kind=TetherKind.LINK, file=library.tether)
            rows.append(
                TetherRow(0, link, library.path if leads else "", TetherState.OK if leads else TetherState.BROKEN)
            )
        records = self._records(library)
        for n, tether in enumerate(self.survey.card(library.path).tethers, start=1):
            rows.append(self._row(library, n, tether, records))
        return rows

    def _row(self, library: Library, n: int, tether: Tether, records: list[tuple[Move, TetherRecord]]) -> TetherRow:
        known = next(((move, record) for move, record in records if record.tether == tether), None)
        if tether.kind is TetherKind.CHECK:
            wrong = why_not_held(tether, library.path, self._home)
            return TetherRow(n, tether, "", TetherState.BROKEN if wrong else TetherState.OK, wrong)
        if not tether.kind.changes_a_file:
            state = state_of(self.carry.work(), *known) if known else TetherState.OK
            return TetherRow(n, tether, "", state, tether.words if state is TetherState.DUE else "")
        try:
            value = value_of(tether)
        except Refused as refusal:
            gone = known and state_of(self.carry.work(), *known) is TetherState.AWAY
            return TetherRow(n, tether, "", TetherState.AWAY if gone else TetherState.BROKEN, refusal.what)
        if means(tether.kind, value, library.path, self._home):
            return TetherRow(n, tether, value, TetherState.OK, login_due=self._login_due(known))
        through = library.tether is not None and means(tether.kind, value, library.tether, self._home)
        if known is None and through and os.path.realpath(library.tether or "") == library.path:
            return TetherRow(n, tether, value, TetherState.OK)
        trouble = f"“{shown(tether.key)}” in {shown(tether.file)} is “{shown(value)}”, not {shown(library.path)}."
        return TetherRow(n, tether, value, TetherState.BROKEN, trouble)

    def _login_due(self, known: tuple[Move, TetherRecord] | None) -> bool:
        """Whether the system was told so recently that programs which are open take it after the next login."""
        ended = known[0].ended_at if known and known[1].tether.kind is TetherKind.STANDARD_FOLDER else None
        return bool(ended) and moment_of(ended or "").timestamp() > self.survey.computer.host.logged_in_since_s()

    def _records(self, library: Library) -> list[tuple[Move, TetherRecord]]:
        """What the journal knows of the tethers of a library's last move."""
        journal = self.carry.work().journal
        moved = [move for move in journal.moves() if move.target == library.path and move.state.at_target]
        return [(moved[-1], record) for record in journal.tethers(moved[-1])] if moved else []

    def of_move(self, move: Move) -> list[TetherRow]:
        """What keeps programs finding what a move carried, as it stands now; the link, number 0, comes first."""
        work, rows = self.carry.work(), []
        if move.tether.leaves_link and move.undoes is None:
            leads = os.path.realpath(move.source) == os.path.realpath(move.target)
            state = (TetherState.OK if leads else TetherState.BROKEN) if move.state.at_target else TetherState.DUE
            rows.append(TetherRow(0, Tether(kind=TetherKind.LINK, file=move.source), move.target, state))
        for record in work.journal.tethers(move):
            state, value = state_of(work, move, record), ""
            if record.tether.kind.changes_a_file:
                with suppress(Refused):
                    value = value_of(record.tether)
            due = self._login_due((move, record))
            words = record.tether.words if state is TetherState.DUE else record.note
            rows.append(TetherRow(record.n, record.tether, value, state, words, due))
        return rows

    def done_by_hand(self, move: Move) -> int:
        """All that was to be done by hand for a move is done; how many things."""
        journal = self.carry.work().journal
        due = [
            record
            for record in journal.tethers(move)
            if record.tether.kind is TetherKind.BY_HAND and record.state is TetherState.DUE
        ]
        for record in due:
            journal.keep_tether(replace(record, state=TetherState.OK))
        return len(due)

    def find(self, library: Library, stop: Stop | None = None) -> list[FoundSetting]:
        """The settings of the user's programs that hold the library's path. Raises StopRequested."""
        around = self.survey.computer.host.surroundings()
        roots = sorted({*around.settings, *around.containers})
        settings: dict[tuple[str, str], FoundSetting] = {}
        for path in filter(None, (library.path, library.tether)):
            for setting in find_settings(roots, path, around.home, stop):
                settings.setdefault((setting.file, setting.key), setting)
        taken = {(tether.file, tether.key) for tether in self.survey.card(library.path).tethers}
        return [setting for place, setting in settings.items() if place not in taken]

    def add(
        self,
        library: Library,
        kind: str,
        file: str = "",
        key: str = "",
        form: str = "",
        words: str = "",
        value: str = "",
    ) -> Tether:
        """Choose a tether for a library, or teach a check; kept on its card. Raises BadInput and Refused."""
        wanted = _kind(kind)
        if value and wanted is not TetherKind.CHECK:
            raise BadInput("Only a check asks for a value.", next_step="Leave it out, or say --add check.")
        if wanted is TetherKind.CHECK:
            tether = self._check(library, file, key, form, value)
        else:
            tether = self._chosen(library, wanted, file, key, form, words)
        card = self.survey.card(library.path)
        if tether in card.tethers:
            raise Refused(f"{shown(library.name)} has that tether already.", next_step="“nuvik tether” lists them.")
        self.survey.keep_cards([replace(card, tethers=(*card.tethers, tether))])
        return tether

    def _chosen(self, library: Library, kind: TetherKind, file: str, key: str, form: str, words: str) -> Tether:
        if kind is TetherKind.LINK:
            raise Refused("A link is left wherever the drive can hold one.", next_step="Add another kind beside it.")
        if kind is TetherKind.BY_HAND and not words:
            raise BadInput("What has to be done by hand?", next_step="Say it with --words “in its settings, …”.")
        if not kind.changes_a_file:
            return Tether(kind=kind, words=words)
        if kind is TetherKind.STANDARD_FOLDER and not file:
            return self._standard_folder(library)
        if not file:
            raise BadInput(
                "In which file?", next_step="“nuvik tether LIBRARY --find” looks for it; or say it with --file."
            )
        tether = taught_setting(kind, file, key, form)
        if tether.format == registry.FORMAT:
            return self._certain(library, tether)
        if is_within(os.path.realpath(tether.file), library.path):
            raise Refused(
                f"{shown(tether.file)} lies in {shown(library.name)} itself and moves with it.",
                next_step="Choose another file.",
            )
        return self._certain(library, tether if key else replace(tether, key=self._only_key(library, tether.file)))

    def _check(self, library: Library, file: str, key: str, form: str, value: str) -> Tether:
        """A check that holds now: a file that is in the library, or somewhere else, or a value in one."""
        if not file:
            raise BadInput("Which file must be there?", next_step="Say it with --file, as a path in the library.")
        if value and not key:
            raise BadInput("Under which key must that value stand?", next_step="Say it with --key.")
        path = os.path.expanduser(file)
        if os.path.isabs(path) and is_within(os.path.normpath(path), library.path):
            path = os.path.relpath(path, library.path)
        check = Tether(kind=TetherKind.CHECK, file=os.path.normpath(path), key=key, value=value)
        if key:
            taught = taught_setting(TetherKind.CHECK, place_of_check(check, library.path), key, form)
            check = replace(check, format=taught.format)
        if wrong := why_not_held(check, library.path, self._home):
            raise Refused(f"That check does not hold now: {wrong}", next_step="Teach one that holds.")
        return check

    def _certain(self, library: Library, tether: Tether) -> Tether:
        """A tether whose value is certain to mean a library, or a part of it. Raises Refused."""
        value = value_of(tether)
        if not means(tether.kind, value, library.path, self._home):
            raise Refused(
                f"“{shown(tether.key)}” in {shown(tether.file)} is “{shown(value)}”, which is not certain to mean "
                f"{shown(library.path)}.",
                next_step="Choose another key, or change it by hand once the library has moved (--add by-hand).",
            )
        parts = (part.path for part in separable(library))
        inside = [part for part in parts if means(tether.kind, value, os.path.join(library.path, part), self._home)]
        return replace(tether, part=inside[0]) if inside else tether

    def _only_key(self, library: Library, path: str) -> str:
        sure = [each for each in settings_in(path, library.path, self._home) if each.certain]
        if len(sure) != 1:
            keys = ", ".join(each.key for each in sure)
            many = f"{len(sure)} keys hold its path: {shown(keys)}" if sure else "no key holds its path for certain"
            raise BadInput(f"In {shown(path)} {many}.", next_step="Say which one with --key.")
        return sure[0].key

    def _standard_folder(self, library: Library) -> Tether:
        home = self._home
        for key, folder in standard_folders(home).items():
            if folder in (library.path, library.tether) and folder != home:
                return Tether(
                    kind=TetherKind.STANDARD_FOLDER, file=standard_folders_file(home), format="plain", key=key
                )
        raise Refused(
            f"{shown(library.path)} is none of your standard folders.",
            next_step=f"They are listed in {shown(standard_folders_file(home))}.",
        )

    def remove(self, library: Library, n: int) -> Tether:
        """Take a tether from a library's card, by its number. Raises BadInput."""
        card = self.survey.card(library.path)
        if not 0 < n <= len(card.tethers):
            raise BadInput(f"{shown(library.name)} has no tether {n}.", next_step="“nuvik tether” lists them.")
        kept = tuple(tether for number, tether in enumerate(card.tethers, start=1) if number != n)
        self.survey.keep_cards([replace(card, tethers=kept)])
        return card.tethers[n - 1]

    def done(self, library: Library, n: int) -> None:
        """What was to be done by hand is done. Raises Refused."""
        tethers = self.survey.card(library.path).tethers
        journal = self.carry.work().journal
        for _, record in self._records(library):
            if 0 < n <= len(tethers) and record.tether == tethers[n - 1] and record.tether.kind is TetherKind.BY_HAND:
                journal.keep_tether(replace(record, state=TetherState.OK))
                return
        raise Refused(f"Nothing has to be done by hand under {n} now.", next_step="“nuvik tether” lists the tethers.")

    def repair(self, library: Library) -> int:
        """Set again what a program has set back to the old place; how many settings. Raises Refused."""
        work = self.carry.work()
        return sum(repair_tether(work, move, record) for move, record in self._records(library))

    def back_at_the_old_place(self, library: Library) -> str:
        """Where something lies again from which a library was moved without a link: its setting did not take. Empty
        where nothing does.
        """
        for move, _ in self._records(library):
            if not move.tether.leaves_link and self.survey.computer.host.files.exists(move.source):
                return move.source
        return ""

    def used_from(self, path: str) -> tuple[str, ...]:
        """The programs that have something open where a library is now: they have found it."""
        return self.survey.computer.host.used_by(path)

    def changes(self, plan: Plan) -> Iterator[tuple[int, Change | str]]:
        """What each step, by its number, would change in settings files; in words where that is not certain."""
        brought: dict[str, str] = {}
        for step in plan.steps:
            first = brought.get(step.path, step.path)
            brought[step.target_path] = first
            for tether in step.tethers:
                if tether.kind.changes_a_file and step.path == first:
                    try:
                        yield step.n, change_for(tether, step.path, step.target_path, self._home)
                    except Refused as refusal:
                        yield step.n, refusal.what
                elif tether.kind is TetherKind.BY_HAND:
                    yield step.n, f"by hand: {tether.words}"


def _kind(text: str) -> TetherKind:
    try:
        return TetherKind(text.strip().casefold())
    except ValueError:
        kinds = ", ".join(kind for kind in TetherKind if kind is not TetherKind.LINK)
        raise BadInput(f"“{shown(text)}” is not a kind of tether.", next_step=f"Choose one of: {kinds}.") from None
