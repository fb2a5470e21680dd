"""What Plan asks the core for: proposals, repairs, swaps, plan files, comparisons, landings. Long work runs beside."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.landing import landing_on, landing_so_far
from nuvik.core.planning.drafting.plan_vs_survey import draft_of, standings
from nuvik.core.planning.drafting.repair import mended
from nuvik.core.store.plan_file import PLAN_ENDING, free_plan_path, plans_in, read_plan, write_plan
from nuvik.core.views.draft_sentences import consequence_of_swap
from nuvik.tui.screens.ask_form import AskForm
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.plan_sheets import BesideSheet, StandingSheet
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.widgets.drive_board import DriveBoard

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.recommendation import Answer

_KEYS = "abcdefghijklmnopqrstuvwxyz"
_MOST_CHOICES = 12


class PlanAsking(StageScreen):
    """The actions of Plan that need more than the draft."""

    # -- proposals -----------------------------------------------------------------------------------------

    def action_ask(self) -> None:
        """Work out proposals of every style, to be compared before one is laid on the table."""
        self._propose([(style[0], f"{style}", Wishes(style=style)) for style in Style])

    def action_ask_within(self) -> None:
        """Ask with limits."""
        self.app.push_screen(
            AskForm(self.query_one(DriveBoard).drive, self.desk.workspace.room_to_grow), self._asked_within
        )

    def _asked_within(self, wishes: Wishes | None) -> None:
        if wishes is not None:
            self._propose([("l", "within your limits", wishes)])

    def _propose(self, asked: list[tuple[str, str, Wishes]]) -> None:
        self.say("Looking for the best placement …")
        snapshot, forbidden = self.desk.snapshot, self.desk.forbidden
        wanted = [(key, name, replace(wishes, forbidden=forbidden)) for key, name, wishes in asked]
        self.run_worker(partial(self._find, snapshot, wanted), thread=True, exit_on_error=False, exclusive=True)

    def _find(self, snapshot: Snapshot, wanted: list[tuple[str, str, Wishes]]) -> None:
        try:
            found = {key: (name, self.desk.workspace.propose(wishes, snapshot)) for key, name, wishes in wanted}
        except NuvikError as trouble:
            self.app.call_from_thread(self.nuvik.complain, trouble)
            return
        self.app.call_from_thread(self._offer, found, snapshot)

    def _offer(self, found: dict[str, tuple[str, Answer]], snapshot: Snapshot) -> None:
        self.refresh_stage()
        width = max(len(name) for name, _ in found.values())
        choices = [(key, f"{name:<{width}}  {answer.in_short()}") for key, (name, answer) in found.items()]
        title = "What belongs where: three proposals" if len(found) > 1 else "What belongs where"
        if any(answer.contradictions for _, answer in found.values()):
            said = next(answer.contradictions[0].in_words() for _, answer in found.values() if answer.contradictions)
            title = f"{title}\n\n{said}"
        self.app.push_screen(Menu(title, choices), partial(self._lay, found, snapshot))

    def _lay(self, found: dict[str, tuple[str, Answer]], snapshot: Snapshot, key: str | None) -> None:
        if key is None:
            return
        if snapshot is not self.desk.snapshot:
            self.notify("The drives changed meanwhile: ask again.", severity="warning")
            return
        self._lay_draft(found[key][1].draft)

    def _lay_draft(self, draft: Draft) -> None:
        self.desk.hand = ()
        self.desk.edit(draft)
        self.refresh_stage()

    # -- repair --------------------------------------------------------------------------------------------

    def action_mend(self) -> None:
        """Put right what is broken, with the fewest further moves."""
        self.say("Looking for the fewest moves that put this right …")
        draft, forbidden = self.desk.draft, self.desk.forbidden
        self.run_worker(partial(self._mend, draft, forbidden), thread=True, exit_on_error=False, exclusive=True)

    def _mend(self, draft: Draft, forbidden: frozenset[tuple[str, str]]) -> None:
        try:
            right = mended(draft, forbidden)
        except NuvikError as trouble:
            self.app.call_from_thread(self._not_mended, trouble)
            return
        self.app.call_from_thread(self._mended, draft, right)

    def _not_mended(self, trouble: NuvikError) -> None:
        self.refresh_stage()
        self.nuvik.complain(trouble)

    def _mended(self, before: Draft, right: Draft) -> None:
        if before is not self.desk.draft:
            self.notify("The draft changed meanwhile: mend it again.", severity="warning")
            return
        self._lay_draft(right)

    # -- swapping ------------------------------------------------------------------------------------------

    def action_swap(self) -> None:
        """What is in hand changes places with a library on the drive at the cursor."""
        drive, hand, draft = self.query_one(DriveBoard).drive, self.desk.hand, self.desk.draft
        if drive is None or not hand:
            self.notify("Lift a library and choose the drive of the one to swap it with.", severity="warning")
            return
        others = draft.swap_partners(hand, drive.id)
        if not others:
            self.notify(f"Nothing on {shown(drive.label)} may move.", severity="warning", markup=False)
            return
        choices = [
            (
                key,
                f"{shorten(one.name, 24):<24} {format_bytes(one.bytes):>8}  "
                + consequence_of_swap(draft, hand, [one.id]).partition(": ")[2].rstrip("."),
            )
            for key, one in zip(_KEYS, others[:_MOST_CHOICES], strict=False)
        ]
        ids = dict(zip(_KEYS, [one.id for one in others[:_MOST_CHOICES]], strict=False))
        title = f"Swap {shown(draft.library(hand[0]).name)} with what on {shown(drive.label)}?"
        self.app.push_screen(Menu(title, choices), lambda key: self._swap(hand, ids[key]) if key else None)

    def _swap(self, hand: tuple[str, ...], other: str) -> None:
        try:
            self._lay_draft(self.desk.draft.swapped(hand, [other]))
        except NuvikError as trouble:
            self.nuvik.complain(trouble)

    # -- plan files ----------------------------------------------------------------------------------------

    def action_write(self) -> None:
        """Write the plan beside those that lie here, under a name that is free."""
        path = free_plan_path(os.getcwd())
        try:
            write_plan(self.desk.workspace.plan(self.desk.draft), path)
        except NuvikError as trouble:
            self.nuvik.complain(trouble)
            return
        self.notify(f"Written to {shown(path)}. Carry it any time with: nuvik carry", markup=False)

    def action_open(self) -> None:
        self._choose_file("Which plan is to be opened?", self._open)

    def action_compare(self) -> None:
        self._choose_file("Which plan is this draft to be compared with?", self._compare)

    def _choose_file(self, title: str, then: Callable[[str], None]) -> None:
        """Let the user choose one of the plan files that lie here, the newest first."""
        here = os.getcwd()
        names = plans_in(here)
        if not names:
            self.notify(
                f"There is no plan in {shown(here)}: w writes this one there.", severity="warning", markup=False
            )
            return
        files = dict(zip(_KEYS, names[:_MOST_CHOICES], strict=False))
        choices = [(key, shorten(name, 70)) for key, name in files.items()]
        self.app.push_screen(Menu(title, choices), lambda key: then(os.path.join(here, files[key])) if key else None)

    def _open(self, path: str) -> None:
        try:
            plan = read_plan(path)
            draft, left = draft_of(plan, self.desk.snapshot)
        except NuvikError as trouble:
            self.nuvik.complain(trouble)
            return
        found = standings(plan, self.desk.snapshot)
        sheet = StandingSheet(self.desk, os.path.basename(path), found, draft, left)
        self.app.push_screen(sheet, lambda _: self.refresh_stage())

    def _compare(self, path: str) -> None:
        try:
            other, _ = draft_of(read_plan(path), self.desk.snapshot)
        except NuvikError as trouble:
            self.nuvik.complain(trouble)
            return
        names = ("this draft", "file " + os.path.basename(path).removesuffix(PLAN_ENDING))
        self.app.push_screen(BesideSheet(self.desk, names, (self.desk.draft, other)))

    # -- landings ------------------------------------------------------------------------------------------

    def action_landing(self) -> None:
        """Choose a kind, then the drive where new content of it goes."""
        draft = self.desk.draft
        labels = {drive.id: shown(drive.label) for drive in draft.drives}
        choices = []
        for kind in Kind:
            planned, now = draft.landings.get(kind), landing_so_far(draft, kind)
            if planned is None and now is None:
                continue
            so_far = labels.get(now.drive, "–") if now else "–"
            goes = f"→ {labels.get(planned.drive, planned.drive)}: {planned.reason}" if planned else ""
            choices.append((kind.letter.lower(), f"{kind:<11} {so_far:<10} {shorten(goes, 58)}"))
        if not choices:
            self.notify("Nothing is known of where new content goes: survey first.", severity="warning")
            return
        self.app.push_screen(Menu("Where new content goes: so far, and with this plan", choices), self._landing_drive)

    def _landing_drive(self, letter: str | None) -> None:
        kind = next((one for one in Kind if one.letter.lower() == letter), None)
        if kind is None:
            return
        able = [drive for drive in self.desk.draft.drives if drive.attached and not drive.read_only]
        drives = dict(zip(_KEYS, able, strict=False))
        choices = [
            (key, f"{shown(drive.label):<12} {landing_on(self.desk.draft, kind, drive).path}")
            for key, drive in drives.items()
        ]
        self.app.push_screen(
            Menu(f"New content of the kind {kind} goes to", choices),
            lambda key: (
                self._lay_draft(self.desk.draft.with_landing(landing_on(self.desk.draft, kind, drives[key])))
                if key
                else None
            ),
        )
