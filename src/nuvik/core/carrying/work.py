"""What every act of carrying needs at hand, and how it tells where it stands."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from nuvik.core.hosts.base import Host
from nuvik.core.hosts.files import Files
from nuvik.core.model.drive import Drive
from nuvik.core.model.journal import Move
from nuvik.core.model.progress import Event, Report, Stop, silent
from nuvik.core.rehearsal.calibration import Calibration
from nuvik.core.rehearsal.calibration_samples import learnt_from
from nuvik.core.store.journal import Journal

_BETWEEN_REPORTS_S = 0.1


@dataclass(slots=True)
class Work:
    """The computer, the journal, and who listens."""

    host: Host
    drives: Callable[[], tuple[Drive, ...]]
    """The drives as they are at this moment, with all that is known of them."""
    journal: Journal
    state_folder: str
    report: Report = silent
    stop: Stop = field(default_factory=Stop)
    passes: dict[int, int] = field(default_factory=dict)
    """How often each move had to begin its copy again because the source changed."""

    @property
    def files(self) -> Files:
        return self.host.files

    def drive(self, drive_id: str) -> Drive | None:
        return next((drive for drive in self.drives() if drive.id == drive_id), None)

    def learnt(self) -> Calibration:
        """What the moves carried so far tell of how long the next ones take."""
        return learnt_from(self.journal.moves(), self.drives(), self.host.pace)

    def tell(self, event: str, move: Move, **detail: Any) -> None:
        self.report(
            Event(event, move.n, move.id, move.library, total_bytes=move.bytes, detail={"state": move.state, **detail})
        )


class Meter:
    """Counts bytes through one phase and reports them, not more often than anybody can read."""

    def __init__(self, work: Work, move: Move, phase: str, total_bytes: int) -> None:
        self._work, self._move, self._phase, self._total = work, move, phase, total_bytes
        self._done = 0
        self._began_s = work.host.timer_s()
        self._last_report = 0.0
        self.add(0)

    def add(self, count_bytes: int) -> None:
        """Count; hear a request to stop. Raises StopRequested."""
        self._work.stop.check()
        self._done += count_bytes
        now = time.monotonic()
        if now - self._last_report < _BETWEEN_REPORTS_S and self._done < self._total:
            return
        self._last_report = now
        elapsed_s = self._work.host.timer_s() - self._began_s
        self._work.report(
            Event(
                "progress",
                self._move.n,
                self._move.id,
                self._move.library,
                self._done,
                self._total,
                {
                    "phase": self._phase,
                    "state": self._move.state,
                    "elapsed_s": elapsed_s,
                    "bytes_per_s": self._done / elapsed_s if elapsed_s > 0 else None,
                },
            )
        )
