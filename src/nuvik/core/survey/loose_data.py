"""Loose things: what is on a drive and in no library, and the largest files of each drive."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from heapq import nlargest

from nuvik.core.hosts.base import Host, drive_holding, held_bytes
from nuvik.core.model.clock import moment_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.names import OURS_PREFIX
from nuvik.core.model.paths import parents
from nuvik.core.model.snapshot import LOOSE_LISTED, LargeFile, LooseFolder, SmallThings
from nuvik.core.survey.walk.folder_tree import Tree
from nuvik.core.survey.walk.walk_job import BIG_FILE_BYTES

LARGE_FILES_A_DRIVE = 1_000
_OURS = f"{OURS_PREFIX}-"


def largest_loose(loose: Sequence[LooseFolder]) -> tuple[LooseFolder, ...]:
    """Those worth listing."""
    return tuple(loose[:LOOSE_LISTED])


def small_things(loose: Iterable[LooseFolder]) -> tuple[SmallThings, ...]:
    """What is too small to be a library, summed up for each drive."""
    by_drive: dict[str, list[LooseFolder]] = {}
    for folder in loose:
        if folder.small:
            by_drive.setdefault(folder.drive, []).append(folder)
    return tuple(
        SmallThings(
            drive=drive,
            folders=len(folders),
            files=sum(folder.files for folder in folders),
            bytes=sum(folder.bytes for folder in folders),
        )
        for drive, folders in by_drive.items()
    )


def loose_folders(
    trees: Iterable[Tree],
    libraries: Sequence[Library],
    drives: tuple[Drive, ...],
    small_bytes: Callable[[str], int],
) -> list[LooseFolder]:
    """Folders that hold something and lie in no library, largest first; what lies below one counts with it only where
    no library lies below.
    """
    trees = tuple(trees)
    # What Nuvik keeps for a while, such as an original on trial, is its own affair.
    ours = {folder.path for tree in trees for folder in tree.folders.values() if folder.name.startswith(_OURS)}
    taken = {library.path for library in libraries} | ours
    above = {folder for path in taken for folder in parents(path)}
    files_in: dict[str, list[Library]] = {}
    for library in libraries:
        if not library.folders:
            files_in.setdefault(os.path.dirname(library.path), []).append(library)
    folders: list[LooseFolder] = []
    for tree in trees:
        drive = drive_holding(drives, tree.root.path)
        root = tree.root.path
        # A drive that is mounted in a library is no part of that.
        inside = drive is not None and root != drive.path and any(folder in taken for folder in parents(root))
        if drive is None or root in taken or inside:
            continue
        waiting = [tree.root]
        while waiting:
            folder = waiting.pop()
            if folder.path in taken:
                continue
            if folder.path in above:
                held = folder.extent.on_disk_bytes - sum(inner.extent.on_disk_bytes for inner in folder.below.values())
                held -= sum(library.on_disk_bytes for library in files_in.get(folder.path, ()))
                _note(folders, folder.path, drive, held, folder.own.files - len(files_in.get(folder.path, ())))
                waiting.extend(folder.below.values())
            else:
                held = folder.extent.on_disk_bytes
                _note(folders, folder.path, drive, held, folder.extent.files, small=held < small_bytes(folder.path))
    return sorted(folders, key=lambda folder: (-folder.bytes, folder.path))


def _note(
    folders: list[LooseFolder], path: str, drive: Drive, count_bytes: int, files: int, small: bool = False
) -> None:
    if files:
        folders.append(LooseFolder(path=path, drive=drive.id, bytes=count_bytes, files=files, small=small))


def large_files(
    host: Host, trees: Iterable[Tree], libraries: Sequence[Library], drives: tuple[Drive, ...]
) -> tuple[LargeFile, ...]:
    """The largest files of each drive by what they take there, largest first, each with the library it lies in."""
    trees = tuple(trees)
    by_path, roots = {library.path: library.id for library in libraries}, {tree.root.path for tree in trees}
    by_drive: dict[str, list[tuple[int, str, float]]] = {}
    for tree in trees:
        drive = drive_holding(drives, tree.root.path)
        if drive is not None:
            by_drive.setdefault(drive.id, []).extend(
                (file.bytes, file.path, file.changed_s)
                for file in tree.root.big_files
                if f"{os.sep}{_OURS}" not in file.path
            )
    largest = [
        LargeFile(
            path=path,
            drive=drive_id,
            bytes=held,
            changed=moment_text(changed_s),
            library=next((by_path[folder] for folder in parents(path, roots) if folder in by_path), by_path.get(path)),
        )
        for drive_id, files in by_drive.items()
        for size, path, changed_s in nlargest(LARGE_FILES_A_DRIVE, set(files))
        # A file full of holes is long and not large.
        if (held := held_bytes(host, path, size)) >= BIG_FILE_BYTES
    ]
    return tuple(sorted(largest, key=lambda file: (-file.bytes, file.path)))
