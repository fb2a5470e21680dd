"""Test files of gauges: where they stand, and removing those that a kill or a power cut left behind."""

from __future__ import annotations

import os
import re
import secrets
from collections.abc import Iterable

import psutil

from nuvik.core.hosts.files import Files
from nuvik.core.model.drive import Drive
from nuvik.core.model.names import OURS_PREFIX

_FOLDER = f"{OURS_PREFIX}-gauge"
_NAME = re.compile(r"(\d+)-[0-9a-f]{8}\.tmp(-folder)?")


def free_test_path(drive: Drive) -> str:
    """A free name in the drive's own hidden folder; it says which process it belongs to."""
    return os.path.join(_folder(drive), f"{os.getpid()}-{secrets.token_hex(4)}.tmp")


def remove_test(files: Files, path: str) -> None:
    """Remove a test file and its folder; a drive that went keeps them until it is back."""
    try:
        files.remove_tree(path)
        files.remove_folder(os.path.dirname(path))
    except OSError:
        pass  # the drive is gone, or another gauge works in the folder


def remove_leftovers(files: Files, drives: Iterable[Drive]) -> list[str]:
    """Remove the test files whose process has ended; gives their paths. Other files are never touched."""
    removed = []
    for drive in drives:
        folder = _folder(drive)
        if not drive.attached or drive.read_only:
            continue
        try:
            names = os.listdir(folder)
        except OSError:
            continue  # there is none, as nearly always
        for name in names:
            match = _NAME.fullmatch(name)
            path = os.path.join(folder, name)
            if match and not _lives(int(match.group(1)), path):
                remove_test(files, path)
                removed.append(path)
        if not names:
            remove_test(files, os.path.join(folder, "none"))
    return removed


def _lives(process: int, path: str) -> bool:
    """Whether the process that made a test file still runs, and is not a later one of the same number."""
    try:
        return psutil.Process(process).create_time() <= os.stat(path).st_ctime + 1
    except (psutil.Error, OSError):
        return False


def _folder(drive: Drive) -> str:
    return os.path.join(drive.base_path or drive.path, _FOLDER)
