"""What does this folder hold? Each rule looks at one sign, and says how sure it is and why.

The surest answer counts; of two that are equally sure, that of the earlier rule.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass

from nuvik.core.hosts.base import Host
from nuvik.core.model.library import Kind
from nuvik.core.model.paths import is_within
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.model.units import format_count
from nuvik.core.survey.recognise.trade_words import (
    CACHE_TAG,
    COLLECTIONS,
    ENDINGS,
    LIBRARY_ENDINGS,
    PARTS,
    PLURALS,
    RUN_ENDINGS,
)
from nuvik.core.survey.walk.folder_tree import Folder

CLEAR_SHARE = 0.6
"""Assumed: a kind is clear when files of its endings take three fifths of the bytes."""
_GAME_BYTES = 300_000_000
"""Assumed: with less than this, what can be run is a program rather than a game."""
_ONE_LARGE_SHARE = 0.25
"""Assumed: a title's data file takes at least a quarter of it."""
_FEWEST_TITLES = 3


@dataclass(frozen=True, slots=True)
class Guess:
    """What a folder seems to hold."""

    kind: Kind
    confidence: float
    why: str
    """A sentence without its full stop, for people."""


@dataclass(frozen=True, slots=True)
class Context:
    """What the rules look at besides the folder."""

    host: Host
    about: Surroundings


Rule = Callable[[Folder, Context], Guess | None]


def guess(folder: Folder, context: Context) -> Guess:
    """The surest answer of all rules."""
    answers = [answer for rule in RULES if (answer := rule(folder, context)) is not None]
    return max(answers, key=lambda answer: answer.confidence, default=Guess(Kind.OTHER, 0.2, "its kind is unknown"))


# -- what the platform says --------------------------------------------------------------------------------


def standard_folder(folder: Folder, context: Context) -> Guess | None:
    kind = context.about.standard.get(folder.path)
    return None if kind is None else Guess(kind, 0.95, f"it is your standard folder for {PLURALS[kind]}")


def known_program(folder: Folder, context: Context) -> Guess | None:
    for program in context.about.programs:
        if is_within(program.path, folder.path):
            # The title behind the entry may be a game; only its contents tell.
            kind = Kind.GAME if _is_game(folder) else Kind.PROGRAM
            return Guess(kind, 0.9, f"{program.source} starts “{program.name}” from here")
    return None


def application_bundle(folder: Folder, context: Context) -> Guess | None:
    if folder.name.endswith(".app") and "Contents" in folder.below:
        return Guess(Kind.PROGRAM, 0.95, "it is an application bundle")
    return None


def cache_place(folder: Folder, context: Context) -> Guess | None:
    if os.path.dirname(folder.path) in context.about.caches:
        return Guess(Kind.CACHE, 0.95, "it is where the system lets programs keep caches")
    return None


def cache_tag(folder: Folder, context: Context) -> Guess | None:
    if ".tag" in folder.own.extensions and context.host.files.exists(os.path.join(folder.path, CACHE_TAG)):
        return Guess(Kind.CACHE, 0.98, f"it is marked as a cache ({CACHE_TAG})")
    return None


# -- what it is called -------------------------------------------------------------------------------------


def cache_name(folder: Folder, context: Context) -> Guess | None:
    name = folder.name.casefold()
    if "cache" not in name:
        return None
    return Guess(Kind.CACHE, 0.85, "its name says cache" + (", and hidden" if name.startswith(".") else ""))


def kind_name(folder: Folder, context: Context) -> Guess | None:
    kind = COLLECTIONS.get(folder.name.casefold())
    return None if kind is None else Guess(kind, 0.8, f"its name is {folder.name}")


def backup_name(folder: Folder, context: Context) -> Guess | None:
    words = folder.name.casefold().replace("-", " ").replace("_", " ").split()
    return Guess(Kind.BACKUP, 0.75, "its name says backup") if {"backup", "backups"} & set(words) else None


# -- what it holds -----------------------------------------------------------------------------------------


def project_parts(folder: Folder, context: Context) -> Guess | None:
    kinds = {PARTS[name.casefold()] for name in folder.below if name.casefold() in PARTS}
    named = [name for name in folder.below if name.casefold() in PARTS]
    if len(kinds - {Kind.PROGRAM, Kind.GAME}) < 2:
        return None
    return Guess(Kind.PROJECT, 0.8, f"it has folders for {' and '.join(sorted(named)[:3])}")


def backup_files(folder: Folder, context: Context) -> Guess | None:
    dated = sum(_is_date(name) for name in folder.below)
    if dated >= _FEWEST_TITLES and dated == len(folder.below):
        return Guess(Kind.BACKUP, 0.6, f"it holds {dated} folders named by dates")
    return None


def one_title(folder: Folder, context: Context) -> Guess | None:
    runs = _can_be_run(folder)
    if not runs:
        return None
    what = format_count(runs, "program") if runs != 1 else "a program"
    if _is_game(folder):
        return Guess(Kind.GAME, 0.65, f"{what} with one large data file")
    if sum(folder.extensions.get(ending, 0) for ending in LIBRARY_ENDINGS) or runs >= 2:
        return Guess(Kind.PROGRAM, 0.6, f"{what} and what it loads")
    return Guess(Kind.PROGRAM, 0.4, f"it holds {what}")


def contents(folder: Folder, context: Context) -> Guess | None:
    total = folder.extent.bytes
    if not total:
        return None
    shares = {kind: sum(folder.extensions.get(e, 0) for e in endings) / total for kind, endings in ENDINGS.items()}
    kind = max(shares, key=lambda share: shares[share])
    if shares[kind] < CLEAR_SHARE:
        return None
    return Guess(kind, 0.7 * shares[kind], f"{shares[kind]:.0%} of its bytes are {PLURALS[kind]}")


RULES: tuple[Rule, ...] = (
    standard_folder,
    cache_place,
    cache_tag,
    application_bundle,
    known_program,
    cache_name,
    project_parts,
    kind_name,
    backup_name,
    backup_files,
    one_title,
    contents,
)


# -- collections -------------------------------------------------------------------------------------------


def collection(folder: Folder, context: Context) -> Guess | None:
    """Whether a folder holds one title in each of its sub-folders, and titles of which kind.

    At least three sub-folders, nearly nothing beside them, and four fifths of them alike: games or programs.
    """
    inner = list(folder.below.values())
    beside = folder.extent.bytes - sum(inner_folder.extent.bytes for inner_folder in inner)
    if len(inner) < _FEWEST_TITLES or beside > folder.extent.bytes / 20:
        return None
    games, programs = sum(map(_is_game, inner)), sum(bool(_can_be_run(inner_folder)) for inner_folder in inner)
    if games >= 0.8 * len(inner):
        return Guess(Kind.GAME, 0.7, f"{len(inner)} folders, each with a program and one large data file")
    if programs >= 0.8 * len(inner):
        return Guess(Kind.PROGRAM, 0.6, f"{len(inner)} folders, each with a program")
    return None


def _can_be_run(folder: Folder) -> int:
    """How many files may be run. Where every file has that permission, it says nothing: endings do."""
    extent = folder.extent
    if extent.programs and extent.programs < max(2, extent.files):
        return extent.programs
    return sum(ending in folder.extensions for ending in RUN_ENDINGS)


def _is_game(folder: Folder) -> bool:
    extent = folder.extent
    large = extent.largest_file_bytes >= _ONE_LARGE_SHARE * extent.bytes
    return bool(_can_be_run(folder)) and large and extent.bytes >= _GAME_BYTES


def _is_date(name: str) -> bool:
    """`2026-11-02`, `20261102` and the like."""
    digits = "".join(letter for letter in name if letter.isdigit())
    return len(digits) >= 8 and digits[:2] in ("19", "20") and len(name) <= len(digits) + 6
