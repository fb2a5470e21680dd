"""A sheet over Survey: what changed since the survey before, how all went so far, and how long each drive will last."""

from __future__ import annotations

from textwrap import wrap
from typing import TYPE_CHECKING

from rich.text import Text
from textual.widgets import Static

from nuvik.core.model.clock import ago
from nuvik.core.model.errors import NuvikError
from nuvik.core.model.names import column, shown
from nuvik.core.model.units import format_bytes
from nuvik.core.views.growth_sentences import changes_by_drive, difference_line, forecast_sentence
from nuvik.core.views.history_rows import LEGEND, history_rows
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of

if TYPE_CHECKING:
    from nuvik.core.model.snapshot import Snapshot
    from nuvik.core.stages.watching import Past

_ROWS, _CURVE_CELLS, _FEWEST_CELLS = 8, 40, 16
_PAGE_CELLS, _FRAME_CELLS = 110, 6
_WORDS_CELLS = 80
"""What a line over time takes besides its curve, with the sheet's borders."""


class ChangesSheet(Sheet):
    """What grew, what is new and what went, and how long each drive lasts at that rate. Earlier surveys may be large:
    they are read beside the sheet where that was not done before.
    """

    def on_mount(self) -> None:
        if self.desk.past is None:
            self.run_worker(self._read, thread=True, exit_on_error=False)

    def words(self) -> Text:
        if self.desk.past is not None:
            return self._words_of(self.desk.past)
        return Text("reading earlier surveys …", style=palette_of(self.app.theme).quiet)

    def _read(self) -> None:
        snapshot = self.desk.snapshot
        try:
            past = self.desk.workspace.watching.past()
        except NuvikError as trouble:
            self.app.call_from_thread(self._show, Text(str(trouble)))
        else:
            self.app.call_from_thread(self._keep, past, snapshot)

    def _keep(self, past: Past, on: Snapshot) -> None:
        self.desk.take_past(past, on)
        self._show(self._words_of(past))

    def _show(self, words: Text) -> None:
        if self.is_mounted:
            self.query_one("#lines", Static).update(words)

    def _words_of(self, past: Past) -> Text:
        palette, text = palette_of(self.app.theme), Text()
        if past.since is None:
            text.append("There are no two surveys to compare yet.\n\n")
        else:
            self._add_differences(text, past, ago(past.since))
        cells = max(_FEWEST_CELLS, min(_CURVE_CELLS, self.app.size.width - _WORDS_CELLS))
        if rows := list(history_rows(past.history, cells)):
            self.add_title(text, "Over time")
            for row in rows:
                text.append(f"{column(row.name, 12)} ", style="bold")
                text.append(row.curve, style=palette.accent)
                text.append(f"  {row.words}\n", style="not bold")
                if row.marks.strip():
                    text.append(f"{'':12} {row.marks.rstrip()}\n", style=palette.quiet)
            text.append(f"{'':12} {LEGEND}\n\n" if any(row.marks.strip() for row in rows) else "\n", palette.quiet)
        self.add_title(text, "At this rate")
        for drive in self.desk.snapshot.drives:
            if drive.attached:
                text.append(f"{column(drive.label, 12)} ", style="bold")
                forecast = forecast_sentence(drive, past.rates.get(drive.id))
                lines = wrap(forecast, min(_PAGE_CELLS, self.app.size.width - _FRAME_CELLS) - 13)
                text.append("\n             ".join(lines) + "\n", style="not bold")
        return text

    def _add_differences(self, text: Text, past: Past, when: str) -> None:
        self.add_title(text, "Since the previous survey, today" if when == "today" else f"Since the survey {when} ago")
        if not past.differences:
            text.append("Nothing changed.\n")
        for drive, total, mine in changes_by_drive(past.differences, self.desk.snapshot.drives):
            sign = "+" if total >= 0 else "−"
            text.append(f"\n{shown(drive.label)}  {sign}{format_bytes(abs(total))}\n", style="bold")
            for change in mine[:_ROWS]:
                text.append(f"  {difference_line(change)}\n", style="not bold")
            if len(mine) > _ROWS:
                text.append(f"  and {len(mine) - _ROWS} more\n", style=palette_of(self.app.theme).quiet)
        text.append("\n")
