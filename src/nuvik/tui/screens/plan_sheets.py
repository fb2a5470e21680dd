"""Sheets over Plan: two plans beside each other, and a plan file against the present."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text
from textual.binding import Binding

from nuvik.core.model.names import column, shorten, shown
from nuvik.core.model.units import format_bytes
from nuvik.core.views.compare_drafts import figures, otherwise
from nuvik.core.views.plan_sentences import StepState, plan_headline
from nuvik.tui.desk import Desk
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of

if TYPE_CHECKING:
    from nuvik.core.model.timeline import Timeline
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.core.planning.drafting.plan_vs_survey import Standing

_LABEL_CELLS, _FIGURE_CELLS, _ROWS = 44, 26, 14
_SHEET_CELLS, _EDGE_CELLS, _NAME_FROM = 116, 9, 11


class BesideSheet(Sheet):
    """What the drafts come to, figure by figure, and which libraries they put on different drives."""

    def __init__(
        self, desk: Desk, names: Sequence[str], drafts: Sequence[Draft], timelines: Sequence[Timeline | None]
    ) -> None:
        super().__init__(desk)
        self._names, self._drafts, self._timelines = names, drafts, timelines

    def words(self) -> Text:
        text, palette = Text(), palette_of(self.app.theme)
        room = min(_SHEET_CELLS, self.app.size.width) - _EDGE_CELLS - _FIGURE_CELLS * len(self._names)
        label_cells = max(_NAME_FROM + 4, min(_LABEL_CELLS, room))
        self.add_title(text, "Two plans compared")
        text.append(" " * label_cells)
        text.append(
            "".join(f"{shorten(name, _FIGURE_CELLS - 2):>{_FIGURE_CELLS}}" for name in self._names) + "\n", style="bold"
        )
        for row in figures(self._drafts, self._timelines):
            text.append(f"{column(row.label, label_cells)}", style=palette.quiet)
            differs = len(set(row.figures)) > 1
            text.append(
                "".join(f"{figure:>{_FIGURE_CELLS}}" for figure in row.figures) + "\n",
                style=f"bold {palette.text}" if differs else palette.text,
            )
        different_rows = otherwise(self._drafts)
        text.append("\n")
        self.add_title(
            text, "Where they differ" if different_rows else "They move the same libraries to the same drives"
        )
        for other in different_rows[:_ROWS]:
            text.append(f"{format_bytes(other.bytes):>9}  {column(other.library, label_cells - _NAME_FROM - 1)} ")
            text.append("".join(f"{place:>{_FIGURE_CELLS}}" for place in other.places) + "\n")
        if len(different_rows) > _ROWS:
            text.append(f"and {len(different_rows) - _ROWS} more\n", style=palette.quiet)
        return text


class StandingSheet(Sheet):
    """A plan file step by step against the last survey; Enter lays what still holds on the table."""

    BINDINGS = [Binding("escape,q", "dismiss", "close"), Binding("enter", "lay", "use this plan")]
    FOOT = "Enter uses this plan as far as possible · Esc changes nothing"

    def __init__(self, desk: Desk, name: str, standings: Sequence[Standing], draft: Draft, left: Sequence[str]) -> None:
        super().__init__(desk)
        self._file_name, self._standings, self._draft, self._left = name, standings, draft, left

    def words(self) -> Text:
        text, palette = Text(), palette_of(self.app.theme)
        colors = {
            StepState.HOLDS: palette.quiet,
            StepState.DONE: palette.quiet,
            StepState.CHANGED: palette.look,
            StepState.DOUBTFUL: palette.broken,
        }
        self.add_title(text, shown(self._file_name))
        text.append(f"{plan_headline(list(self._standings))}\n\n")
        labels = {drive.id: shown(drive.label) for drive in self.desk.snapshot.drives}
        for row in self._standings:
            step = row.step
            way = f"{labels.get(step.from_drive, step.from_drive)} → {labels.get(step.to_drive, step.to_drive)}"
            text.append(f"{step.n:>4}  {column(step.library, 30)}  {way:<20}  ")
            text.append(f"{row.state:<9}", style=colors[row.state])
            text.append(f"{row.words}\n", style=palette.text)
        for words in self._left:
            text.append(f"\nleft out: {words}", style=palette.look)
        return text

    def action_lay(self) -> None:
        self.desk.hand = ()
        self.desk.edit(self._draft)
        self.desk.on_trial = self._draft.on_trial
        self.dismiss()
