"""What Plan asks the core for: proposals, repairs, swaps, plan files, comparisons, landings. Long work runs beside."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.formats import PLAN_ENDING
from nuvik.core.model.names import column, shorten, shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.views.draft_sentences import consequence_of_swap
from nuvik.core.views.recommendation_sentences import recommendation_summary
from nuvik.tui.screens.ask_form import AskForm
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.plan_sheets import BesideSheet, StandingSheet
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.widgets.drive_board import DriveBoard

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.core.planning.drafting.recommendation import Recommendation

    Offers = dict[str, tuple[str, Recommendation]]
    """By key, the name of each recommendation on offer."""

_KEYS = "abcdefghijklmnopqrstuvwxyz"
_MOST_CHOICES = 12
_LIMITS = "limits"
"""The name of the form for limits among the screens that are kept."""


class PlanAsking(StageScreen):
    """The actions of Plan that need more than the draft."""

    # -- proposals -----------------------------------------------------------------------------------------

    def action_ask(self) -> None:
        """Work out proposals of every style, to be compared before one is laid on the table."""
        self._recommend([(style[0], f"{style}", Wishes(style=style)) for style in Style])

    def action_ask_within(self) -> None:
        """Ask with limits. The form is kept: it has many fields, and the limits of last time are still in them."""
        if not self.app.is_screen_installed(_LIMITS):
            self.app.install_screen(AskForm(self.desk.workspace.plan), _LIMITS)
        form = self.app.get_screen(_LIMITS, AskForm)
        form.ask_about(self.query_one(DriveBoard).drive)
        self.app.push_screen(form, self._asked_within)

    def _asked_within(self, wishes: Wishes | None) -> None:
        if wishes is not None:
            self._recommend([("l", "within your limits", wishes)])

    def _recommend(self, asked: list[tuple[str, str, Wishes]]) -> None:
        stage, snapshot, forbidden = self.desk.workspace.plan, self.desk.snapshot, self.desk.forbidden

        def find() -> Offers:
            return {
                key: (name, stage.recommend(replace(wishes, forbidden=forbidden), snapshot))
                for key, name, wishes in asked
            }

        self.wait_for("Looking for the best placement", find, partial(self._offer, snapshot), None)

    def _offer(self, snapshot: Snapshot, offers: Offers) -> None:
        self.refresh_stage()
        width = max(len(name) for name, _ in offers.values())
        choices = [
            (key, f"{name:<{width}}  {recommendation_summary(recommendation)}")
            for key, (name, recommendation) in offers.items()
        ]
        title = "What belongs where: three proposals" if len(offers) > 1 else "What belongs where"
        contradictions = [
            contradiction for _, recommendation in offers.values() for contradiction in recommendation.contradictions
        ]
        if contradictions:
            title = f"{title}\n\n{contradictions[0].in_words()}"
        self.app.push_screen(Menu(title, choices), partial(self._lay, offers, snapshot))

    def _lay(self, offers: Offers, snapshot: Snapshot, key: str | None) -> None:
        if key is None:
            return
        recommendation = offers[key][1]
        draft = recommendation.draft
        if snapshot is not self.desk.snapshot:  # a survey ended, or a drive came or went
            draft = draft.laid_on(self.desk.snapshot)
            lost = len(recommendation.draft.places) - len(draft.places)
            if lost:
                self.notify(
                    f"The drives have changed in the meantime: {format_count(lost, 'move')} of this proposal cannot be "
                    "made now. Ask again for a new one.",
                    severity="warning",
                )
        self._lay_draft(draft, recommendation)

    def _lay_draft(self, draft: Draft, recommendation: Recommendation | None = None) -> None:
        self.desk.hand = ()
        self.desk.edit(draft, recommendation)
        self.refresh_stage()

    # -- repair --------------------------------------------------------------------------------------------

    def action_mend(self) -> None:
        """Put right what is broken, with the fewest further moves."""
        stage, draft, forbidden = self.desk.workspace.plan, self.desk.draft, self.desk.forbidden
        says, then = "Looking for the fewest moves that fix this", partial(self._repaired, draft)
        self.wait_for(says, lambda: stage.repair(draft, forbidden), then, None)

    def _repaired(self, before: Draft, right: Draft) -> None:
        if before is not self.desk.draft:
            self.notify("The draft has changed in the meantime. Press m again.", severity="warning")
            return
        self._lay_draft(right)

    # -- swapping ------------------------------------------------------------------------------------------

    def action_swap(self) -> None:
        """What is in hand changes places with a library on the drive at the cursor."""
        drive, hand, draft = self.query_one(DriveBoard).drive, self.desk.hand, self.desk.draft
        if drive is None or not hand:
            self.notify("Pick up a library, then choose the drive of the library to swap it with.", severity="warning")
            return
        others = draft.swap_partners(hand, drive.id)
        if not others:
            self.notify(f"Nothing on {shown(drive.label)} may move.", severity="warning", markup=False)
            return
        choices = [
            (
                key,
                f"{column(partner.name, 24)} {format_bytes(partner.on_disk_bytes):>8}  "
                + consequence_of_swap(draft, hand, [partner.id]).partition(": ")[2].rstrip("."),
            )
            for key, partner in zip(_KEYS, others[:_MOST_CHOICES], strict=False)
        ]
        ids = dict(zip(_KEYS, [other.id for other in others[:_MOST_CHOICES]], strict=False))
        title = f"Swap {shown(draft.library(hand[0]).name)} with which library on {shown(drive.label)}?"
        self.app.push_screen(Menu(title, choices), lambda key: self._swap(hand, ids[key]) if key else None)

    def _swap(self, hand: tuple[str, ...], other: str) -> None:
        try:
            self._lay_draft(self.desk.draft.swapped(hand, [other]))
        except NuvikError as trouble:
            self.shell.complain(trouble)

    # -- plan files ----------------------------------------------------------------------------------------

    def action_write(self) -> None:
        """Write the plan beside those that are here, under a name that is free."""
        stage, draft, recommendation = self.desk.workspace.plan, self.desk.draft, self.desk.recommendation

        def write() -> str:
            path = stage.free_path(os.getcwd())
            stage.write(stage.make(draft, recommendation), path)
            return path

        self.in_background(write, self._written, group="write")

    def _written(self, path: str) -> None:
        self.notify(f"Written to {shown(path)}.", markup=False)

    def action_open(self) -> None:
        self._choose_file("Which plan do you want to open?", self._open)

    def action_compare(self) -> None:
        self._choose_file("Which plan do you want to compare this draft with?", self._compare)

    def _choose_file(self, title: str, then: Callable[[str], None]) -> None:
        """Let the user choose one of the plan files that lie here, the newest first."""
        here = os.getcwd()
        names = self.desk.workspace.plan.files_in(here)
        if not names:
            self.notify(
                f"There is no plan in {shown(here)}; w writes this one there.", severity="warning", markup=False
            )
            return
        files = dict(zip(_KEYS, names[:_MOST_CHOICES], strict=False))
        choices = [(key, shorten(name, 70)) for key, name in files.items()]
        self.app.push_screen(Menu(title, choices), lambda key: then(os.path.join(here, files[key])) if key else None)

    def _open(self, path: str) -> None:
        stage, snapshot = self.desk.workspace.plan, self.desk.snapshot

        def read() -> StandingSheet:
            plan = stage.read(path)
            draft, left = stage.draft_of(plan, snapshot)
            return StandingSheet(self.desk, os.path.basename(path), stage.standings(plan, snapshot), draft, left)

        def show(sheet: StandingSheet) -> None:
            self.app.push_screen(sheet, lambda _: self.refresh_stage())

        self.in_background(read, show, group="file")

    def _compare(self, path: str) -> None:
        workspace, draft, snapshot = self.desk.workspace, self.desk.draft, self.desk.snapshot
        names = ("this draft", "file " + os.path.basename(path).removesuffix(PLAN_ENDING))

        def read() -> BesideSheet:
            drafts = (draft, workspace.plan.draft_of(workspace.plan.read(path), snapshot)[0])
            timelines = [workspace.rehearse.on_paper_of(each) for each in drafts]
            return BesideSheet(self.desk, names, drafts, timelines)

        def show(sheet: BesideSheet) -> None:
            self.app.push_screen(sheet)

        self.in_background(read, show, group="file")

    # -- landings ------------------------------------------------------------------------------------------

    def action_landing(self) -> None:
        """Where new content goes: a page of its own."""
        from nuvik.tui.screens.landings import LandingsPage

        self.app.push_screen(LandingsPage(self.desk), lambda _: self.refresh_stage())
