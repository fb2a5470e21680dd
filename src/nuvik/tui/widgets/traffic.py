"""What drives read and write at this moment, with the last minute as a small curve. Serves Speeds and Carry."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence

from rich.text import Text
from textual.widgets import Static

from nuvik.core.model.drive import Drive
from nuvik.core.model.names import padded, shorten
from nuvik.core.model.traffic import Look, Traffic
from nuvik.core.model.units import format_speed
from nuvik.tui.theme import palette_of

_EVERY_S, _KEPT = 0.5, 40
_FEWEST_LINES = 2
_WORDS_CELLS = 54
"""What a line takes besides its two curves."""
_LEVELS = "▁▂▃▄▅▆▇█"


class TrafficPanel(Static):
    """A line for each drive. `read` gives what drives have read and written so far."""

    def __init__(self, read: Callable[[Sequence[Drive]], Look], *, id: str | None = None) -> None:
        super().__init__(id=id, markup=False)
        self._read = read
        self._drives: tuple[Drive, ...] = ()
        self._before: Look | None = None
        self._past: dict[str, deque[Traffic]] = {}
        self._shown = Text()

    def on_mount(self) -> None:
        self.set_interval(_EVERY_S, self._look)

    def watch_drives(self, drives: Sequence[Drive]) -> None:
        """Show these drives from now on."""
        self._drives = tuple(drives)
        self._draw()

    def _look(self) -> None:
        if not self.screen.is_current:
            self._before = None  # what passed unseen is no traffic of now
            return
        now = self._read(self._drives)
        if self._before is not None:
            for drive, traffic in now.since(self._before).items():
                self._past.setdefault(drive, deque(maxlen=_KEPT)).append(traffic)
        self._before = now
        self._draw()

    def _draw(self) -> None:
        palette, text = palette_of(self.app.theme), Text()
        if not any(
            traffic.read_bytes_per_s or traffic.write_bytes_per_s for past in self._past.values() for traffic in past
        ):
            self._say(Text("nothing is read or written at the moment", style=palette.quiet), 1)
            return
        cells = max(4, min(_KEPT, (self.size.width - _WORDS_CELLS) // 2))
        for number, drive in enumerate(self._drives):
            past = self._past.get(drive.id, deque())
            now = past[-1] if past else Traffic(0, 0)
            if number:
                text.append("\n")
            text.append(f"{padded(shorten(drive.label, 11), 12)}", style=palette.text)
            for word, able, values, speed in (
                ("reads", drive.read_bytes_per_s, [traffic.read_bytes_per_s for traffic in past], now.read_bytes_per_s),
                (
                    "writes",
                    drive.write_bytes_per_s,
                    [traffic.write_bytes_per_s for traffic in past],
                    now.write_bytes_per_s,
                ),
            ):
                text.append(f"{word} ", style=palette.quiet)
                text.append(curve(values, able, cells), style=palette.accent)
                text.append(f"{format_speed(speed):>11}   ", style=palette.text if speed else palette.quiet)
        self._say(text, max(_FEWEST_LINES, len(self._drives)))

    def _say(self, text: Text, lines: int) -> None:
        if self.styles.height is None or self.styles.height.value != lines:
            self.styles.height = lines
        if text != self._shown or text.style != self._shown.style:
            self._shown = text
            self.update(text, layout=False)  # its height is set by its drives


def curve(values: Sequence[float], full: float, cells: int) -> str:
    """Values as a row of blocks, the newest on the right; `full` fills a cell."""
    levels = len(_LEVELS) - 1
    heights = [min(levels, max(0 if value <= 0 else 1, round(levels * value / full))) for value in values[-cells:]]
    return "".join(_LEVELS[height] for height in heights).rjust(cells, _LEVELS[0])
