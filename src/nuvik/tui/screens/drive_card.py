"""A new drive: name it, say what it is for, and measure it. The same card edits a known drive."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

from rich.text import Text
from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.widgets import Button, Input, Static

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput, NuvikError
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes
from nuvik.core.views.filesystem_view import filesystem_view
from nuvik.tui.desk import Desk
from nuvik.tui.screens.over import Over
from nuvik.tui.shell import Shell
from nuvik.tui.widgets.tick_box import TickBox


class DriveCard(Over[None]):
    """Fields for a drive's name, headroom, purpose and whether it is taken away at times."""

    BINDINGS = [Binding("escape", "later", "not now"), Binding("ctrl+s", "keep", "keep")]

    def __init__(
        self, drive: Drive, desk: Desk, new: bool = True, then: Callable[[Drive], None] = lambda drive: None
    ) -> None:
        """`then` hears of the drive once something was kept, unless it is measured first."""
        super().__init__()
        self._drive, self._desk, self._new, self._then = drive, desk, new, then

    def compose(self) -> ComposeResult:
        drive = self._drive
        title = (
            f"A new drive: {format_bytes(drive.usable_bytes)}, {drive.medium_class.name}"
            if self._new
            else f"Your notes on {shown(drive.label)}"
        )
        with Vertical(id="card"):
            yield Static(title, id="question", markup=False)
            yield Static("its name", classes="quiet")
            yield Input(shown(drive.label), id="name")
            yield Static("how much should stay free on it: a size such as 50G, or a share such as 10%", classes="quiet")
            yield Input(format_bytes(drive.headroom_bytes), id="headroom")
            kinds = ", ".join(Kind)
            yield Static(f"what it is for: empty for everything, or some of {kinds}", classes="quiet", markup=False)
            yield Input(", ".join(drive.welcomes), id="welcomes")
            yield TickBox("it is sometimes unplugged", drive.portable, id="portable", compact=True)
            yield Static("the systems that must write to it: linux, macos, windows", classes="quiet")
            yield Input(self._desk.workspace.drives.operating_system, id="systems")
            yield Static(id="advice", classes="quiet", markup=False)
            with Horizontal(id="answers"):
                yield Button("keep and measure", id="measure")
                yield Button("keep (^s)", id="keep")
                yield Button("not now (Esc)", id="later")

    def on_mount(self) -> None:
        self.query_one("#name", Input).focus()
        self._advise()

    @on(Input.Changed, "#systems")
    def _advise(self) -> None:
        """Which file system it should have for these; if another one, how the system's own tool makes it."""
        snapshot, stage = self._desk.snapshot, self._desk.workspace.drives
        systems = self.query_one("#systems", Input).value.replace(",", " ").split()
        try:
            needs = stage.needs(systems, self._drive, True, snapshot)
        except BadInput as trouble:
            self.query_one("#advice", Static).update(trouble.next_step)
            return
        view = filesystem_view(self._drive, needs, snapshot)
        words = view.sentence
        if view.steps:
            steps = "".join(f"\n{number}. {step}" for number, step in enumerate(view.steps, start=1))
            words += f" Nuvik does not format drives:{steps}"
        self.query_one("#advice", Static).update(Text(words))

    def on_button_pressed(self, pressed: Button.Pressed) -> None:
        if pressed.button.id == "later":
            self.action_later()
        else:
            self._keep(measure=pressed.button.id == "measure")

    def action_keep(self) -> None:
        self._keep(measure=False)

    def action_later(self) -> None:
        """It is not asked about again; its page changes it at any time."""
        if self._new:
            self._desk.workspace.drives.tell(self._drive)
        self.dismiss()

    def _keep(self, measure: bool) -> None:
        try:
            drive = self._desk.workspace.drives.tell(self._drive, **self._changes())
        except NuvikError as trouble:
            self.notify(f"{trouble.what} {trouble.next_step}", severity="warning", markup=False)
            return
        shell = cast("Shell", self.app)
        self.dismiss()
        if measure:
            shell.gauge_job.begin_with(drive)
        else:
            self._then(drive)
        shell.drive_watch.look_again()

    def _changes(self) -> dict[str, Any]:
        """The fields that the user changed."""
        drive = self._drive
        words = {name: self.query_one(f"#{name}", Input).value for name in ("name", "headroom", "welcomes")}
        changes: dict[str, Any] = {"welcomes": words["welcomes"]}
        if words["name"] != shown(drive.label):
            changes["name"] = words["name"]
        if words["headroom"] != format_bytes(drive.headroom_bytes):
            changes["headroom"] = words["headroom"]
        portable = self.query_one("#portable", TickBox).value
        if portable != drive.portable:
            changes["portable"] = portable
        return changes
