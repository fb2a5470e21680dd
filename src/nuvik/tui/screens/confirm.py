"""A question before something is done: what will happen, and the two keys."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.widgets import Button, Static

from nuvik.tui.screens.over import Over
from nuvik.tui.widgets.pointed_table import POINTER


class Confirm(Over[bool]):
    """Ends with True when the user agrees."""

    BINDINGS = [
        Binding("y,enter", "answer(True)", "yes"),
        Binding("n,escape", "answer(False)", "no"),
        Binding("left,right", "app.focus_next", "other", show=False),
    ]

    def __init__(self, question: str, yes: str) -> None:
        super().__init__()
        self._question, self._yes = question, yes

    def compose(self) -> ComposeResult:
        with Vertical(id="dialog"):
            yield Static(self._question, id="question", markup=False)
            with Horizontal(id="answers"):
                yield Button(f"{self._yes} (y)", id="yes")
                yield Button("cancel (n)", id="no")

    def on_mount(self) -> None:
        self.query_one("#yes", Button).focus()

    def on_descendant_focus(self) -> None:
        """The button that Enter presses has a pointer, which is seen without colours, too."""
        for name, words in (("yes", f"{self._yes} (y)"), ("no", "cancel (n)")):
            button = self.query_one(f"#{name}", Button)
            button.label = f"{POINTER if button.has_focus else ' '} {words}"

    def on_button_pressed(self, pressed: Button.Pressed) -> None:
        self.dismiss(pressed.button.id == "yes")

    def action_answer(self, agreed: bool) -> None:
        if isinstance(self.focused, Button) and self.focused.id == "no" and agreed:
            agreed = False  # Enter presses the button that has the focus
        self.dismiss(agreed)
