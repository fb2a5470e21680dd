"""Surroundings: what a computer itself says of the folders on it, by open standards."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from nuvik.core.model.library import Kind


@dataclass(frozen=True, slots=True)
class Program:
    """A program that the system knows: a menu entry, or a line of its list of installed programs."""

    name: str
    path: str
    """Its folder, or the file that is run."""
    source: str
    """In words: `a menu entry`."""


@dataclass(frozen=True, slots=True)
class Recent:
    """A file that was opened, as the desktop's list of recent files tells."""

    path: str
    used_s: float
    """Seconds since 1970."""


@dataclass(frozen=True, slots=True)
class Surroundings:
    """All of it; a world tells nothing."""

    home: str = ""
    standard: Mapping[str, Kind] = field(default_factory=dict)
    """Standard folders of the user, by path: `Pictures` …"""
    caches: frozenset[str] = frozenset()
    """Folders whose sub-folders are caches."""
    containers: frozenset[str] = frozenset()
    """Folders where each sub-folder belongs to a program of its own."""
    settings: frozenset[str] = frozenset()
    """Folders where each sub-folder holds the settings of a program."""
    holders: frozenset[str] = frozenset()
    """Folders of the system that only hold what belongs to users."""
    programs: tuple[Program, ...] = ()
    recent: tuple[Recent, ...] = ()
