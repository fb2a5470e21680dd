"""The table of a plan's steps: how long each takes, what it leaves to wait for, and its lowest point."""

from __future__ import annotations

from rich.text import Text

from nuvik.core.model.names import shorten, shown
from nuvik.core.model.plan import Plan, Role, Step
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_duration, format_free
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.library_table import heading
from nuvik.tui.widgets.pointed_table import PointedTable

_COLUMNS = (
    ("step", ">step", 4),
    ("library", "library", 26),
    ("size", ">size", 8),
    ("way", "from → to", 17),
    ("starts", ">starts", 10),
    ("copy", ">copy", 10),
    ("prove", ">prove", 10),
    ("done", ">done", 10),
    ("waiting", ">waiting", 12),
    ("lowest", ">lowest point", 24),
)
_WIDE = 150
_GIVE_WAY = frozenset(["starts", "copy", "prove", "waiting"])
"""In a narrower window …"""
_NARROW = {"library": 20, "lowest": 22}
"""… in which these have fewer cells."""


class StepTable(PointedTable):
    """A row for each step; one that something forbids begins with a mark."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id, cursor_type="row")
        self._names: tuple[str, ...] = ()
        """The columns that it has now."""
        self._shown: tuple[Plan | None, Timeline | None, dict[str, str]] = (None, None, {})

    def on_mount(self) -> None:
        self._set_columns()

    def on_resize(self) -> None:
        """In a narrow window the columns that can be done without give way, always the same ones."""
        if self._set_columns():
            self.show(*self._shown)

    def _set_columns(self) -> bool:
        """Take the columns for which there is room; whether these are others than before."""
        narrow = 0 < self.size.width < _WIDE
        names = tuple(name for name, *_ in _COLUMNS if not narrow or name not in _GIVE_WAY)
        if names == self._names:
            return False
        self._names = names
        self.clear(columns=True)
        for name, label, width in _COLUMNS:
            if name in names:
                self.add_column(heading(label), width=_NARROW.get(name, width) if narrow else width)
        return True

    def show(self, plan: Plan | None, timeline: Timeline | None, labels: dict[str, str]) -> None:
        """List the steps as a rehearsal has them; `labels` are the drives' names by their ids. The cursor stays where
        it is, as far as there are steps.
        """
        self._shown, row = (plan, timeline, labels), self.cursor_row
        self.clear()
        if plan is None or timeline is None:
            return
        for step in plan.steps:
            self.add_row(*self._cells(step, timeline, labels))
        self.move_cursor(row=min(max(0, row), len(plan.steps) - 1), animate=False)

    def _cells(self, step: Step, timeline: Timeline, labels: dict[str, str]) -> list[Text]:
        palette = palette_of(self.app.theme)
        refused = any(violation.n == step.n for violation in timeline.violations)
        style = palette.look if refused else ""
        foreseen = next((other for other in timeline.steps if other.n == step.n), None)
        way = f"{shown(labels.get(step.from_drive, '?'))} → {shown(labels.get(step.to_drive, '?'))}"
        cells = [
            Text(f"{'!' if refused else ' '}{step.n}", style=style, justify="right"),
            Text(shorten(step.library, 26 if "starts" in self._names else _NARROW["library"]), style=style),
            Text(format_bytes(step.frees_bytes), justify="right"),
            Text(way + (" ⇢" if step.role is Role.TO_STAGING else "")),
        ]
        if foreseen is None:
            return self._kept([*cells, *(Text("–", justify="right") for _ in range(6))])
        lowest = foreseen.lowest_free_bytes[step.to_drive]
        times = (foreseen.start_s, foreseen.copy_s, foreseen.prove_s, foreseen.end_s)
        waits = foreseen.waiting_after_s_per_week
        cells += [Text(format_duration(seconds), justify="right") for seconds in times]
        cells.append(Text("–" if waits is None else format_duration(waits), justify="right"))
        low = f"{shown(labels[step.to_drive])}: {format_free(lowest)}"
        return self._kept([*cells, Text(low, style=style, justify="right")])

    def _kept(self, cells: list[Text]) -> list[Text]:
        """The cells of the columns that the table has."""
        return [cell for cell, (name, *_) in zip(cells, _COLUMNS, strict=True) if name in self._names]
