"""A question before something is done: what will happen, and the two keys."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.screen import ModalScreen
from textual.widgets import Button, Static


class Confirm(ModalScreen[bool]):
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

    def on_button_pressed(self, pressed: Button.Pressed) -> None:
        self.dismiss(pressed.button.id == "yes")

    def action_answer(self, agreed: bool) -> None:
        if isinstance(self.focused, Button) and self.focused.id == "no" and agreed:
            agreed = False  # Enter presses the button that has the focus
        self.dismiss(agreed)
