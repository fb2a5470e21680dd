"""A world: a folder that stands in for a whole computer with drives, for the demo and for tests.

Its files are real; only the facts about its drives are declared. A file's length counts as its size on disk,
so that sparse files make a household of terabytes fit in a few megabytes.
"""

from __future__ import annotations

import math
import os
import stat
from collections.abc import Iterable, Sequence
from contextlib import AbstractContextManager, nullcontext

from nuvik.core.hosts.anchors import Anchor
from nuvik.core.hosts.base import Limits, fastest_first
from nuvik.core.hosts.descent import Descent, Handle
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.processes import open_paths, programs_using
from nuvik.core.hosts.world_file import WORLD_FILE, DriveEntry, read_cards, read_world, set_attached
from nuvik.core.hosts.world_rules import WorldClock, WorldRules
from nuvik.core.model.drive import DEFAULT_HEADROOM_SHARE, Drive
from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.library import Card
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, normalised
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.model.timing import Pace
from nuvik.core.model.traffic import Counters

STATE_FOLDER = ".nuvik"


SETTINGS_FOLDER = "Settings"


class WorldHost:
    """The computer declared by `world.toml` in `folder`.

    With `waits=False` simulated time never takes real time, whatever the world says.
    Raises Refused, with file and line, when the world is missing or broken.
    """

    def __init__(self, folder: str, waits: bool = True) -> None:
        self.folder = os.path.realpath(normalised(folder))
        self._file_mark = self._mark_of_file()
        self._world = read_world(self.folder)
        self.name = self._world.name
        self.small_share = self._world.small_share
        self.clock = WorldClock(self._world.time_scale if waits else 0.0)
        self._rules = WorldRules(self._declared(), self.clock, tuple(self._world.fault))
        self.files = Files(self._rules)

    def drives(self) -> tuple[Drive, ...]:
        self._read_again_if_changed()
        return fastest_first(self._declared())

    def _declared(self) -> tuple[Drive, ...]:
        return tuple(self._drive(entry) for entry in self._world.drive)

    def _mark_of_file(self) -> tuple[int, int]:
        try:
            facts = os.stat(os.path.join(self.folder, WORLD_FILE))
        except OSError:
            return (0, 0)
        return (facts.st_mtime_ns, facts.st_size)

    def _read_again_if_changed(self) -> None:
        """A drive is attached to a world, or unplugged, by changing the world's file while Nuvik runs."""
        mark = self._mark_of_file()
        if mark != self._file_mark:
            self._world, self._file_mark = read_world(self.folder), mark
            self._rules.redeclare(self._declared(), tuple(self._world.fault))

    def _drive(self, entry: DriveEntry) -> Drive:
        path = os.path.normpath(os.path.join(self.folder, entry.folder))
        # An away drive is not there: its files are neither seen nor counted.
        used = entry.other_bytes + _lengths_below(path) if entry.attached else entry.other_bytes
        headroom = entry.headroom_bytes
        return Drive(
            path=path,
            base_path=path,
            used_bytes=used,
            speed_source="declared",
            write_source="declared",
            disk=entry.disk or entry.id,
            identity=f"world:{entry.id}",
            device=entry.id,
            headroom_bytes=int(entry.usable_bytes * DEFAULT_HEADROOM_SHARE) if headroom is None else headroom,
            label=shown(entry.label),
            counts_lengths=True,
            **entry.model_dump(exclude={"folder", "label", "other_bytes", "headroom_bytes", "disk"}),
        )

    def default_state_folder(self) -> str:
        return os.path.join(self.folder, STATE_FOLDER)

    def default_roots(self) -> tuple[str, ...]:
        return tuple(drive.path for drive in self.drives() if drive.attached)

    def cards(self) -> tuple[Card, ...]:
        return read_cards(self.folder)

    def why_protected(self, path: str) -> str | None:
        for entry in self._world.drive:
            root = os.path.normpath(os.path.join(self.folder, entry.folder))
            if path == root:
                return f"it is the root of {entry.label}"
            if is_within(root, path):
                return f"the drive {entry.label} is inside it"
        if not is_within(path, self.folder):
            return "it is outside this world"
        return None

    def anchors(self, drives: Iterable[Drive]) -> dict[str, tuple[Anchor, ...]]:
        return {drive.id: (Anchor(drive.path),) for drive in drives if drive.attached}

    def reaches_medium(self, drive: Drive) -> bool:
        return True

    def attachment(self, drive: Drive) -> str:
        return ""

    def why_no_place(self, folder: str) -> str | None:
        return None

    def packages_owning(self, paths: Sequence[str]) -> dict[str, str]:
        return {}

    def surroundings(self) -> Surroundings:
        """A folder called Settings at the root of a drive is where programs keep theirs."""
        settings = (os.path.join(drive.path, SETTINGS_FOLDER) for drive in self._declared() if drive.attached)
        return Surroundings(settings=frozenset(filter(os.path.isdir, settings)))

    def open_files(self) -> list[tuple[str, str]]:
        return open_paths()

    def used_by(self, path: str) -> tuple[str, ...]:
        return programs_using(path)

    def logged_in_since_s(self) -> float:
        return math.inf

    def why_not_yours(self, path: str) -> str | None:
        return None

    counts_lengths = True

    @property
    def pace(self) -> Pace:
        return Pace()

    def mount_points(self) -> tuple[str, ...]:
        return ()

    def access_times(self, drive: Drive) -> str | None:
        return None

    def size_on_disk(self, facts: os.stat_result) -> int:
        return facts.st_size

    def room_needed(self, sizes: Iterable[int], drive: Drive, hole_bytes: int = 0) -> int:
        return sum(sizes)

    def kept_awake(self, why: str) -> AbstractContextManager[None]:
        return nullcontext()

    def limits(self, drive: Drive) -> Limits:
        return Limits()

    def temperature_c(self, drive: Drive) -> float | None:
        return next((entry.temperature_c for entry in self._world.drive if entry.id == drive.device), None)

    def unseen_reading_s(self, drive: Drive, read_bytes: int, runs: int) -> float:
        return read_bytes / drive.read_bytes_per_s + runs / drive.small_reads_per_s

    def health(self, drive: Drive) -> str:
        return ""

    def why_no_eject(self, drive: Drive) -> tuple[str, ...]:
        return ()

    def eject(self, drive: Drive) -> bool:
        self._set_attached(drive, False)
        return False

    def attach(self, drive: Drive) -> None:
        self._set_attached(drive, True)

    def _set_attached(self, drive: Drive, attached: bool) -> None:
        """Pull or plug a drive, as a user would who changes the world's file. Raises Refused."""
        path = os.path.join(self.folder, WORLD_FILE)
        try:
            set_attached(path, drive.device, attached)
        except OSError as fault:
            words = system_words(fault)
            raise Refused(f"{shown(path)} cannot be changed: {words}.", next_step="Make it writable.") from None
        self._read_again_if_changed()

    def counters(self, drives: Iterable[Drive]) -> dict[str, Counters]:
        counted = self._rules.counters()
        return {drive.id: counted[drive.device] for drive in drives if drive.device in counted}

    def timer_s(self) -> float:
        return self.clock.now_s


def _lengths_below(folder: str) -> int:
    """The sum of the lengths of all files below a folder; a file with several names counts once."""
    total = 0
    seen: set[tuple[int, int]] = set()
    with Descent(folder) as descent:
        open_folders: list[list[str]] = [[]]
        total += _lengths_in(descent.handle, open_folders[-1], seen)
        while open_folders:
            if not open_folders[-1]:
                open_folders.pop()
                if open_folders:
                    descent.up()
                continue
            try:
                descent.down(open_folders[-1].pop())
            except OSError:
                continue
            open_folders.append([])
            total += _lengths_in(descent.handle, open_folders[-1], seen)
    return total


def _lengths_in(handle: Handle, below: list[str], seen: set[tuple[int, int]]) -> int:
    """The lengths of the files directly in an open folder; the names of its folders are added to `below`."""
    total = 0
    with os.scandir(handle) as entries:
        for entry in entries:
            try:
                facts = entry.stat(follow_symlinks=False)
            except OSError:
                continue
            if stat.S_ISDIR(facts.st_mode):
                below.append(entry.name)
            elif stat.S_ISREG(facts.st_mode):
                if facts.st_nlink > 1:
                    if (facts.st_dev, facts.st_ino) in seen:
                        continue
                    seen.add((facts.st_dev, facts.st_ino))
                total += facts.st_size
    return total
