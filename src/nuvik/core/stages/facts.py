"""Facts for a report of a fault: what this is and how much of it, without the name of any file, library or drive."""

from __future__ import annotations

import os
import platform
import sys
from collections import Counter
from importlib.metadata import PackageNotFoundError, version

from nuvik import __version__
from nuvik.core.hosts import many_files
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.database import MIGRATIONS
from nuvik.core.survey.walk import scan_folder

_LIBRARIES = ("textual", "typer", "pydantic", "psutil", "highspy", "matplotlib", "xxhash")


def facts_of(workspace: Workspace) -> dict[str, str]:
    """Each fact under its name, in the order in which somebody who mends a fault asks."""
    snapshot, moves = workspace.survey.latest(), workspace.logbook.moves()
    states = Counter(str(move.state) for move in moves)
    kinds = Counter(str(library.kind) for library in snapshot.libraries)
    facts = {
        "nuvik": __version__,
        "compiled parts": _compiled(),
        "python": f"{platform.python_implementation()} {platform.python_version()}, {_bits()} bits",
        "system": f"{platform.system()} {platform.release()} {platform.machine()}",
        "libraries": ", ".join(f"{name} {_version(name)}" for name in _LIBRARIES),
        "terminal": f"{os.environ.get('TERM', 'none')}, {os.environ.get('LANG', 'no language')}",
        "computer": "a world" if type(workspace.computer.host).__name__ == "WorldHost" else "this one",
        "database": f"step {len(MIGRATIONS)}{', cannot be written' if workspace.why_only_read else ''}",
        "surveyed": snapshot.taken_at or "never",
        "libraries known": ", ".join(f"{count} {kind}" for kind, count in kinds.most_common()) or "none",
        "moves": ", ".join(f"{count} {state}" for state, count in states.most_common()) or "none",
    }
    for number, drive in enumerate(snapshot.drives, start=1):
        facts[f"drive {number}"] = ", ".join(
            filter(
                None,
                (
                    drive.filesystem,
                    drive.medium,
                    drive.link,
                    "the system" if drive.system else "",
                    "portable" if drive.portable else "",
                    "" if drive.attached else "away",
                    "read-only" if drive.read_only else "",
                    f"{drive.used_bytes / max(1, drive.usable_bytes):.0%} of {drive.usable_bytes // 10**9} GB used",
                    f"speeds {drive.speed_source}",
                ),
            )
        )
    return facts


def _compiled() -> str:
    parts = {"walking": scan_folder.IN_C, "copying": many_files.IN_ONE_CALL}
    missing = [name for name, there in parts.items() if not there]
    return "both" if not missing else f"missing for {' and '.join(missing)}, which are slower"


def _bits() -> int:
    return sys.maxsize.bit_length() + 1


def _version(name: str) -> str:
    try:
        return version(name)
    except PackageNotFoundError:
        return "missing"
