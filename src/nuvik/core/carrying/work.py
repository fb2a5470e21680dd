"""What every act of carrying needs at hand, and how it tells where it stands."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from threading import Lock
from typing import Any

from nuvik.core.carrying.places import located, source_located
from nuvik.core.hosts.base import Host
from nuvik.core.hosts.files import Files
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import DriveAway
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Event, Report, Stop, silent
from nuvik.core.rehearsal.calibration import Calibration
from nuvik.core.rehearsal.calibration_samples import learnt_from
from nuvik.core.store.journal import Journal

log = logging.getLogger(__name__)
_BETWEEN_REPORTS_S = 0.1
_CHECK_STANDS_S = 20.0


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

    checked: tuple[int, float] | None = None
    """The move that was checked as the first of its plan, and when, by a clock that only runs forward."""
    hearing: Lock = field(default_factory=Lock)
    """Held while somebody listens: of moves side by side, too, only one event is reported at a time."""
    _files: Files | None = None
    """The files of the drives as they were when the move at hand was settled."""

    @property
    def home(self) -> str:
        """The folder for which `~` stands in settings files."""
        return self.host.surroundings().home

    @property
    def files(self) -> Files:
        return self._files or self.host.files

    def apart(self) -> Work:
        """The same for a move that is carried beside others: where its drives are, and its entries, are its own."""
        return replace(self, journal=self.journal.apart(), _files=None)

    def was_just_checked(self, move: Move) -> bool:
        """Whether a move need not be checked once more before it begins. It is once: then time has gone by."""
        checked, self.checked = self.checked, None
        return checked is not None and checked[0] == move.id and time.monotonic() - checked[1] < _CHECK_STANDS_S

    def settle(self, move: Move, without_target: bool = False) -> Move:
        """Look where the drives of a move are now, and from here on touch nothing but what is on them, link-free.

        Gives the move with the paths that are true now. Raises DriveAway when one of its drives is away, but for that
        of the target where nothing is to be done there; Stopped when a place on them cannot be reached.
        """
        self.let_go()
        drives = self.drives()
        anchors = self.host.anchors(drives)
        needed = (move.source_drive,) if without_target else (move.source_drive, move.target_drive)
        for drive_id in needed:
            if drive_id not in anchors:
                # A path that is missing because its drive is away must never be taken for one that was removed.
                name = next((drive.label for drive in drives if drive.id == drive_id), drive_id)
                raise DriveAway(
                    f"{shown(name)} is away, and {shown(move.library)} is unfinished: {move.state.in_words}.",
                    next_step=f"Attach {shown(name)} and run “nuvik resume” or “nuvik undo last”.",
                )
        move = source_located(move, anchors) if without_target else located(move, anchors)
        self._files = self.host.files.anchored(tuple(anchor for of_drive in anchors.values() for anchor in of_drive))
        return move

    def let_go(self) -> None:
        """Nothing is settled any more: drives may be detached."""
        if self._files is not None:
            self._files.let_go()
        self._files = None

    def now(self, move: Move) -> Move:
        """A move with the paths that are true now, as far as its drives are attached; only to look."""
        anchors = self.host.anchors(self.drives())
        if move.target_drive not in anchors and move.source_drive in anchors:
            return source_located(move, anchors)
        return located(move, anchors) if {move.source_drive, move.target_drive} <= anchors.keys() else move

    def is_here(self, drive_id: str) -> bool:
        """Whether a drive is attached."""
        drive = self.drive(drive_id)
        return drive is not None and drive.attached

    def drive(self, drive_id: str) -> Drive | None:
        return next((drive for drive in self.drives() if drive.id == drive_id), None)

    def learnt(self) -> Calibration:
        """What the moves carried so far tell of how long the next ones take."""
        return learnt_from(self.journal.moves(), self.drives(), self.host.pace)

    def tell(self, event: str, move: Move, **detail: Any) -> None:
        self.hear(
            Event(event, move.n, move.id, move.library, total_bytes=move.bytes, detail={"state": move.state, **detail})
        )

    def hear(self, event: Event) -> None:
        """Let whoever listens hear of it. A listener that is gone (a closed pipe) is no trouble with a drive and stops
        no copy: from then on nobody is told.
        """
        try:
            with self.hearing:
                self.report(event)
        except OSError as fault:
            log.warning("whoever listens to carrying cannot be reached: %s", fault)
            self.report = silent


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
        self._work.hear(
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
