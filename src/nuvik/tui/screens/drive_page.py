"""Everything about a drive, on a page over the stage."""

from __future__ import annotations

from rich.table import Table
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import VerticalScroll
from textual.widgets import Static

from nuvik.core.model.drive import Drive
from nuvik.core.model.gauging import GaugeResult
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_speed
from nuvik.core.views.drive_page import drive_page
from nuvik.tui.desk import Desk
from nuvik.tui.screens.over import Over
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.foot import Foot

_HISTORY = 6


class DrivePage(Over[None]):
    """Closed by any of its keys; `e` changes what the user says of the drive."""

    BINDINGS = [
        Binding("escape,i,q,enter,space", "dismiss", "close"),
        Binding("e", "edit", "name, headroom, purpose"),
    ]

    def __init__(self, drive: Drive, desk: Desk) -> None:
        super().__init__()
        self._drive, self._desk = drive, desk

    def compose(self) -> ComposeResult:
        with VerticalScroll(id="page"):
            yield Static(self._lines(), id="lines")
            yield Foot("\ne changes its name, headroom and purpose · Esc closes this")

    def _lines(self) -> Table:
        palette, drive, workspace = palette_of(self.app.theme), self._drive, self._desk.workspace
        libraries = sum(library.on_disk_bytes for library in self._desk.snapshot.on_drive(drive.id))
        table = Table.grid(padding=(0, 2))
        table.add_row("", Text(shown(drive.label), style=f"bold {palette.accent}"))
        for name, words in drive_page(
            drive, libraries, workspace.drives.findings(self._desk.snapshot.drives).get(drive.id, [])
        ):
            style = palette.look if name == "look" else palette.text
            table.add_row(Text(name, style=palette.quiet), Text(words, style=style))
        history = workspace.drives.gauge_history(drive)
        for result in reversed(history[-_HISTORY:] if len(history) > 1 else []):
            table.add_row(
                Text(result.taken_at[:10], style=palette.quiet), Text(_one_result(result), style=palette.quiet)
            )
        return table

    def action_edit(self) -> None:
        from nuvik.tui.screens.drive_card import DriveCard

        self.dismiss()
        self.app.push_screen(DriveCard(self._drive, self._desk, new=False))


def _one_result(result: GaugeResult) -> str:
    write = format_speed(result.write.bytes_per_s) if result.write else "–"
    warmth = f", {result.temperature_c:.0f} °C" if result.temperature_c is not None else ""
    return (
        f"reads {format_speed(result.read.bytes_per_s):>10}  writes {write:>10}  "
        f"{result.small_reads.reads_per_s:>8,.0f} small reads a second{warmth}"
    )
