"""All about one drive, on a page over the stage."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import VerticalScroll
from textual.screen import ModalScreen
from textual.widgets import Static

from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_speed
from nuvik.core.survey.drive_page import drive_page
from nuvik.tui.desk import Desk
from nuvik.tui.theme import palette_of

_NAME_CELLS = 13
_HISTORY = 6


class DrivePage(ModalScreen[None]):
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
            yield Static(self._text(), markup=False)
            yield Static("e changes its name, headroom and purpose · Esc closes this", classes="quiet")

    def _text(self) -> Text:
        palette, drive, workspace = palette_of(self.app.theme), self._drive, self._desk.workspace
        libraries = sum(one.bytes for one in self._desk.snapshot.on_drive(drive.id))
        findings = workspace.findings().get(drive.id, [])
        text = Text(f"{shown(drive.label)}\n", style=f"bold {palette.accent}")
        for name, words in drive_page(drive, libraries, findings):
            style = palette.look if name == "look" else palette.text
            text.append(f"\n{name:<{_NAME_CELLS}}", style=f"not bold {palette.quiet}")
            text.append(words, style=f"not bold {style}")
        history = workspace.gauge_history(drive)
        if len(history) > 1:
            text.append("\n")
            for result in reversed(history[-_HISTORY:]):
                write = format_speed(result.write.per_s) if result.write else "–"
                text.append(
                    f"\n{result.taken_at[:10]:<{_NAME_CELLS}}reads {format_speed(result.read.per_s):>10}  writes "
                    f"{write:>10}  {result.small_reads.per_s:>8,.0f} small reads a second",
                    style=f"not bold {palette.quiet}",
                )
        return text + Text("\n")

    def action_edit(self) -> None:
        from nuvik.tui.screens.arrival import DriveCard

        self.dismiss()
        self.app.push_screen(DriveCard(self._drive, self._desk, new=False))
