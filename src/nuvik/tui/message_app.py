"""An application that says in words what is the matter."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from textual.app import App

from nuvik.core.model.errors import NuvikError
from nuvik.tui.key_words import by_keys

_MOST_TOASTS = 3


class MessageApp(App[None]):
    """Its messages speak of keys and do not pile up, and none of its faults is a traceback over the terminal."""

    fault: Exception | None = None
    """What ended the screens, unless the user did."""

    def notify(self, message: str, **settings: Any) -> None:
        """As elsewhere, by keys; what is said already, and a long row of messages, gives way to the newest."""
        words = by_keys(message)
        for known in list(self._notifications):
            if known.message == words or len(self._notifications) >= _MOST_TOASTS:
                with suppress(KeyError):  # it went by itself meanwhile
                    self._unnotify(known, refresh=False)
        super().notify(words, **settings)

    def complain(self, trouble: NuvikError) -> None:
        """Show a refusal: what happened and what to do next."""
        self.notify(
            f"{trouble.what} {trouble.next_step}", title="Not done", severity="warning", timeout=12, markup=False
        )

    def give_up(self, fault: Exception) -> None:
        """End the screens; whoever opened them reports the fault."""
        self.fault = fault
        self.exit(return_code=1)

    def _handle_exception(self, error: Exception) -> None:
        """An error that a user can cause is shown and the screens go on; a fault of our own ends them."""
        if isinstance(error, NuvikError):
            self.complain(error)
        else:
            self.fault = error
            super()._handle_exception(error)

    def _fatal_error(self) -> None:
        """No traceback over the terminal: whoever opened the screens reports the fault."""
        self._close_messages_no_wait()
