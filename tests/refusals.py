"""What the tests of refusals share: ways to stop a move midway, and a record of what was done meanwhile."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import World
from nuvik.core.carrying.run import carry_plan
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.hosts.many_files import FolderEntries
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import Move
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import Workspace


class Recorder(FileOpHook):
    """Writes down what is done, and may do something itself before one of it."""

    def __init__(self, inner: FileOpHook, act: Callable[[str, str], None] | None = None) -> None:
        self.inner, self.act = inner, act
        self.done: list[tuple[str, str]] = []

    def before(self, operation: str, path: str, count_bytes: int = 0) -> None:
        if self.act is not None:
            self.act(operation, path)
        if operation != "look":
            self.done.append((operation, path))
        self.inner.before(operation, path, count_bytes)

    def read_back(self, path: str, data: bytes) -> bytes:
        return self.inner.read_back(path, data)


def target_of(world: World, drive: str = "heron") -> Path:
    return Path(world.path(drive, "Games", "Ferry"))


def shift(workspace: Workspace, source: str | Path, drive: str | Path = "heron", on_trial: bool = False) -> None:
    carry_plan(workspace.carry.work(), make_plan(workspace.plan.draft([(str(source), str(drive))])), on_trial)


def hook(workspace: Workspace, act: Callable[[str, str], None] | None = None) -> Recorder:
    recorder = Recorder(workspace.computer.host.files.hook, act)
    workspace.computer.host.files.hook = recorder
    return recorder


def move_of(world: World, number: int = 1) -> Move:
    return world.open().logbook.move(number)


def once(condition: Callable[[str, str], bool], act: Callable[[], None]) -> Callable[[str, str], None]:
    """Something that is done before the first operation for which the condition holds."""
    pending = [act]

    def before(operation: str, path: str) -> None:
        if pending and condition(operation, path):
            pending.pop()()

    return before


def stop_when(world: World, source: Path, operation: str, path: str, count: int = 1) -> Move:
    """Carry until the n-th such operation at this name, where the drive fails."""
    workspace, left = world.open(), [count]

    def fail(happening: str, place: str) -> None:
        if happening == operation and place.endswith(path):
            left[0] -= 1
            if left[0] == 0:
                raise OSError(5, "Input/output error", place)

    hook(workspace, fail)
    with pytest.raises(Stopped):
        shift(workspace, source)
    return workspace.logbook.moves()[-1]


def refused_below(workspace: Workspace, target: Path) -> Callable[..., FolderEntries]:
    """Listing folders that fails for those of the moved library."""
    plain, place = workspace.computer.host.files.entries_in, os.stat(target)

    def entries_in(folder, path: str, above: str) -> FolderEntries:
        if os.path.samestat(os.stat(folder), place):
            raise PermissionError(13, "Permission denied")
        return plain(folder, path, above)

    return entries_in
