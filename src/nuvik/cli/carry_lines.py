"""What carrying says of itself: a line an event for people, or a JSON object a line."""

from __future__ import annotations

import time
from collections.abc import Callable

from nuvik.cli.call import Call
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.progress import Event
from nuvik.core.model.units import format_bytes, format_duration, format_speed
from nuvik.core.views.event_words import event_words

_BETWEEN_LINES_S = 1.0


def json_lines(call: Call) -> Callable[[Event], None]:
    from nuvik.core.views.documents.of_moves import EventDocument

    line_at_s: dict[int, float] = {}

    def tell(event: Event) -> None:
        if event.event == "progress" and event.done_bytes < event.total_bytes:
            if time.monotonic() - line_at_s.get(event.move, 0.0) < _BETWEEN_LINES_S:
                return
            line_at_s[event.move] = time.monotonic()
        call.line(EventDocument.of(event))

    return tell


class Teller:
    """Tells people what happens: one line an event, and a progress line where there is a terminal."""

    def __init__(self, call: Call) -> None:
        self._call = call
        self._line = call.progress()
        self._at_hand: dict[int, Event] = {}
        """The latest progress of each move that is being carried."""
        self._side_by_side = False
        self._named: set[int] = set()
        """The moves of which a line says the name."""

    def __call__(self, event: Event) -> None:
        if event.event == "progress":
            self._at_hand[event.n] = event
            self._progress()
            return
        if event.event == "step-started":
            self._named.add(event.move)
            self._at_hand[event.n] = event
        several = self._side_by_side = self._side_by_side or len(self._at_hand) > 1
        if event.ends_move:
            self._at_hand.pop(event.n, None)
            self._side_by_side = several and bool(self._at_hand)
        self._line.clear()
        words = event_words(event) if event.event != "stopped" else ""  # that is said at the end
        if words and event.event != "step-started" and event.move not in self._named:
            self._call.say(f"{shown(event.library)} {words}")  # nothing that was begun here ends
        elif words:
            self._call.say(f"{event.n}. {words}" if several or event.event == "step-started" else f"   {words}")

    def _progress(self) -> None:
        """A line on the move at hand, or shorter on several."""
        events = [event for event in self._at_hand.values() if event.event == "progress" and event.total_bytes]
        if not events:
            return
        if len(events) > 1:
            shares = (
                f"{event.n}. {event.detail['phase']} {100 * event.done_bytes // event.total_bytes:3d} %"
                for event in events
            )
            self._line.show(f"   {'   '.join(shares)}")
            return
        (event,) = events
        speed = event.detail.get("bytes_per_s")
        left = (event.total_bytes - event.done_bytes) / speed if speed else None
        self._line.show(
            f"   {event.detail['phase']} {100 * event.done_bytes // event.total_bytes:3d} %  "
            f"{format_bytes(event.done_bytes)}"
            + (f"  {format_speed(speed)}  {format_duration(left)} left" if speed and left is not None else "")
            + f"  {shorten(event.library, 30)}"
        )
