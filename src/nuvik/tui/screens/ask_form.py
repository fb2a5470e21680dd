"""Asking for a proposal with limits: what is to become free, how many moves, how long they may take."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.content import Content
from textual.widgets import Button, Input, Static

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError
from nuvik.core.model.names import shorten
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.stages.plan import PlanStage
from nuvik.tui.screens.over import Over
from nuvik.tui.widgets.tick_box import TickBox

_FIELDS = {
    "style": str(Style.BALANCED),
    "free": "what its headroom needs",
    "moves": "as many as it takes",
    "hours": "as long as it takes",
    "weeks": f"{Wishes().weeks:g}",
    "grow": "none beyond the headroom",
}
"""What stands in each field while it is empty."""
_NAME_CELLS = 20
_FLAGS = (
    ("keep_headroom", "no drive goes below its headroom, not even while things are moved"),
    ("on_trial", "originals are kept until I release them, so count with both"),
    ("every_move", "include moves that gain little"),
    ("whole", "never split libraries into parts"),
)


class AskForm(Over[Wishes | None]):
    """Fields for a style and limits, and the weights of that style. Ends with the wishes, or None. It may be shown
    again: then it still has what was filled in.
    """

    AUTO_FOCUS = "#style"
    BINDINGS = [Binding("escape", "dismiss", "cancel"), Binding("ctrl+s", "ask", "ask")]

    def __init__(self, stage: PlanStage) -> None:
        super().__init__()
        self._drive: Drive | None = None
        self._stage = stage

    def ask_about(self, drive: Drive | None) -> None:
        """Which drive the field for free space is about."""
        self._drive = drive
        if self.is_mounted:
            self.query_one("#labels", Static).update(self._labels())
            self.query_one("#style", Input).focus()

    def compose(self) -> ComposeResult:
        with Vertical(id="card"):
            yield Static("What belongs where, within limits", id="question")
            yield Static("an empty field means no limit; sizes are written like 120 GB", classes="quiet")
            with Horizontal(id="fields"):
                # The labels are one text, since each piece of a form costs time when it opens.
                yield Static(self._labels(), id="labels", markup=False)
                with Vertical():
                    for name, empty in _FIELDS.items():
                        yield Input("", placeholder=empty, id=name)
            for field, words in _FLAGS:
                yield TickBox(words, id=field, compact=True)
            yield Static(self._weights(Style.BALANCED), id="weights")
            with Horizontal(id="answers"):
                yield Button("ask (^s)", id="ask")
                yield Button("cancel (Esc)", id="later")

    def _labels(self) -> str:
        where = shorten(self._drive.label, _NAME_CELLS) if self._drive else "the drive"
        return "\n".join(
            (
                f"how much moving: {', '.join(Style)}",
                f"how much more should become free on {where}",
                "the most moves",
                "the most hours that all moves may take together",
                "the number of weeks within which moving should pay off",
                "room for this many weeks of growth",
            )
        )

    def on_input_changed(self, changed: Input.Changed) -> None:
        if changed.input.id == "style":
            try:
                style = self._stage.style(changed.value)
            except NuvikError:
                return  # not typed to the end yet
            self.query_one("#weights", Static).update(self._weights(style))

    def _weights(self, style: Style) -> Content:
        """What is weighed against the waiting, so that nobody has to guess it."""
        lines = [f"[$quiet]weighed against waiting, when {style}:[/]"]
        for _, seconds, says in Wishes(style=style).weighed.in_words():
            lines.append(f"{seconds:>7,g} s [$quiet]{says}[/]")
        return Content.from_markup("\n".join(lines))

    def on_button_pressed(self, pressed: Button.Pressed) -> None:
        if pressed.button.id == "ask":
            self.action_ask()
        else:
            self.dismiss()

    def on_input_submitted(self) -> None:
        self.action_ask()

    def action_ask(self) -> None:
        fields = {name: self.query_one(f"#{name}", Input).value for name in _FIELDS}
        try:
            flags = {field: self.query_one(f"#{field}", TickBox).value for field, _ in _FLAGS}
            wishes = self._stage.wishes_from_form(self._drive, fields, **flags)
        except NuvikError as trouble:
            self.notify(f"{trouble.what} {trouble.next_step}", severity="warning", markup=False)
            return
        self.dismiss(wishes)
