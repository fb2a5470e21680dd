"""Which files the system's package manager owns: asked through the public command of each, where there is one.

Sources: the manual pages dpkg-query(1), rpm(8), pacman(8), apk(8) and pkgutil(1). Only dpkg-query was run; what the
others print is written down from their documents and only its reading is tested.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
from collections.abc import Callable, Sequence

MOST_PATHS = 200
_LIMIT_S = 20.0

Parse = Callable[[str, Sequence[str]], dict[str, str]]


def packages_owning(paths: Sequence[str]) -> dict[str, str]:
    """The package that owns each of these files and folders, as far as one does; of at most `MOST_PATHS` of them.

    Nothing is said where there is no such command, or where it fails or takes too long.
    """
    for words, at_once, parse in _TOOLS:
        if paths and shutil.which(words[0]) is not None:
            chosen = list(paths[:MOST_PATHS])
            owners: dict[str, str] = {}
            for group in [chosen] if at_once else [[path] for path in chosen]:
                owners |= parse(_output_of([*words, *group]), group)
            return owners
    return {}


def _output_of(words: Sequence[str]) -> str:
    # Commands of this kind end with an error when any path is unknown to them, and print the others all the same.
    try:
        done = subprocess.run(
            words,
            capture_output=True,
            timeout=_LIMIT_S,
            check=False,
            stdin=subprocess.DEVNULL,
            env={**os.environ, "LC_ALL": "C"},
        )
    except (OSError, subprocess.TimeoutExpired):
        return ""
    return os.fsdecode(done.stdout)


def parse_dpkg(text: str, paths: Sequence[str]) -> dict[str, str]:
    """Lines such as `tern, tern-data: /opt/tern`; a folder may have many owners. It may match more than asked."""
    wanted, owners = set(paths), dict[str, str]()
    for line in text.splitlines():
        packages, separator, path = line.partition(": ")
        if separator and path in wanted and not packages.startswith("diversion by"):
            owners[path] = packages.split(",")[0].split(":")[0].strip()
    return owners


def parse_rpm(text: str, paths: Sequence[str]) -> dict[str, str]:
    """The name of each owner on a line, for one path; or `file … is not owned by any package`."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    return {paths[0]: lines[0]} if lines and " " not in lines[0] else {}


def parse_owned_by(text: str, paths: Sequence[str]) -> dict[str, str]:
    """Lines such as `/opt/tern/ is owned by tern 1.2-1` (pacman) or `/opt/tern is owned by tern-1.2-r0` (apk)."""
    wanted, owners = {path.rstrip("/"): path for path in paths}, dict[str, str]()
    for line in text.splitlines():
        path, separator, package = line.partition(" is owned by ")
        if separator and path.rstrip("/") in wanted:
            owners[wanted[path.rstrip("/")]] = re.sub(r"[- ]\d.*$", "", package.strip())
    return owners


def parse_pkgutil(text: str, paths: Sequence[str]) -> dict[str, str]:
    """Lines such as `pkgid: com.tern.app` below `path: …`, for one path."""
    match = re.search(r"^pkgid: (\S+)$", text, re.MULTILINE)
    return {paths[0]: match[1]} if match else {}


_TOOLS: tuple[tuple[list[str], bool, Parse], ...] = (
    (["dpkg-query", "--search", "--"], True, parse_dpkg),
    (["rpm", "--query", "--file", "--queryformat", "%{NAME}\\n"], False, parse_rpm),
    (["pacman", "--query", "--owns"], True, parse_owned_by),
    (["apk", "info", "--who-owns"], True, parse_owned_by),
    (["pkgutil", "--file-info"], False, parse_pkgutil),
)
"""The words of each command, whether it takes many paths at once, and how what it prints is read."""
