"""Tasting, before a plan is carried: how its libraries would open from the drives to which they go."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, cast

from rich.text import Text
from textual.binding import Binding
from textual.widgets import Static

from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_bytes
from nuvik.core.views.opening_sentences import offer_line, taste_sentence
from nuvik.tui.desk import Desk
from nuvik.tui.key_words import by_keys
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.foot import Foot

if TYPE_CHECKING:
    from nuvik.core.model.plan import Plan
    from nuvik.core.stages.openings import TasteOffer
    from nuvik.tui.shell import Shell


class TasteSheet(Sheet):
    """What would be written, where; Enter begins, and Esc stops at any time: all that was written is removed."""

    BINDINGS = [Binding("enter", "begin", "begin"), Binding("escape,q", "leave", "stop")]
    FOOT = "Esc closes this"

    def __init__(self, desk: Desk, plan: Plan) -> None:
        super().__init__(desk)
        self._plan, self._stop = plan, Stop()
        self._offers: list[TasteOffer] | None = None
        self._lines: list[tuple[str, bool]] = []
        """What came of each, and whether that is trouble."""
        self._now = ""
        self._begun = self._over = False

    def on_mount(self) -> None:
        self.run_worker(self._look, thread=True, exit_on_error=False)

    def words(self) -> Text:
        text, palette = Text(), palette_of(self.app.theme)
        self.add_title(text, "How they would open from there")
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        if self._offers is None:
            text.append("looking which openings were recorded …\n", style=palette.quiet)
        elif not self._offers:
            none = "No library of this plan has a recorded opening. o on its page records one; then come back.\n"
            text.append(none, style=palette.text)
        elif not self._begun:
            able = [offer for offer in self._offers if not offer.refusal]
            for offer in self._offers:
                text.append(f"{offer_line(offer, labels)}\n", style=palette.look if offer.refusal else palette.text)
            if able:
                whole = format_bytes(sum(offer.bytes for offer in able))
                how = f"\nOnly what an opening reads is written there, {whole} in all, read again, and removed.\n"
                text.append(how, style=palette.quiet)
        for words, trouble in self._lines:
            text.append(f"{'! ' if trouble else ''}{words}\n", style=palette.look if trouble else palette.text)
        if self._now:
            text.append(f"\n{self._now}\n", style=palette.accent)
        elif self._over:
            text.append("\nPlans count with this from now on.\n", style=palette.quiet)
        return text

    # -- keys ----------------------------------------------------------------------------------------------

    def action_begin(self) -> None:
        if self._over or self._offers == []:
            self.dismiss()
        elif self._offers and not self._begun:
            self._begun = True
            self.run_worker(self._taste_all, thread=True, exit_on_error=False)

    def action_leave(self) -> None:
        self._stop.ask()
        self.dismiss()

    def on_unmount(self) -> None:
        self._stop.ask()

    # -- beside the sheet ----------------------------------------------------------------------------------

    def _look(self) -> None:
        self._offers = self.desk.workspace.openings.to_taste(self._plan, self.desk.snapshot)
        self._draw_from_thread()

    def _taste_all(self) -> None:
        stage, labels = self.desk.workspace.openings, {d.id: d.label for d in self.desk.snapshot.drives}
        for offer in [offer for offer in self._offers or [] if not offer.refusal]:
            name = shown(offer.library.name)
            try:
                taste = stage.taste(offer.library, offer.drive, partial(self._report, name), self._stop)
            except StopRequested:
                break
            except NuvikError as trouble:
                self._lines.append((by_keys(str(trouble)), True))
            else:
                self._lines.append((taste_sentence(offer.library, taste, labels), False))
        self._now, self._over = "", True
        if self.is_mounted:
            self.app.call_from_thread(self._ended)

    def _report(self, name: str, what: str, share: float) -> None:
        now = f"{name}: {what} {share:.0%}"
        if now != self._now:
            self._now = now
            self._draw_from_thread()

    def _ended(self) -> None:
        self._draw()
        paths = [offer.library.path for offer in self._offers or [] if not offer.refusal]
        snapshot = self.desk.workspace.survey.with_cards(self.desk.snapshot, *paths)
        self.desk.take_snapshot(snapshot)
        cast("Shell", self.app).refresh_stage()

    def _draw_from_thread(self) -> None:
        if self.is_mounted:
            self.app.call_from_thread(self._draw)

    @property
    def _foot(self) -> str:
        if self._begun and not self._over:
            return "Esc stops, and removes what was written"
        able = any(not offer.refusal for offer in self._offers or [])
        return "Enter begins · Esc changes nothing" if able and not self._over else "Esc closes this"

    def _draw(self) -> None:
        if self.is_mounted:
            self.query_one(Foot).say(f"\n{self._foot}")
            self.query_one("#lines", Static).update(self.words())
