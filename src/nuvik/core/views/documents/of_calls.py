"""Documents about the call itself: a refusal, what was written, the configuration."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class ErrorDocument:
    """Why a call ended without what it was for."""

    what: str
    """What happened, and to which path or drive."""
    next_step: str
    """What to do about it."""
    exit_code: int
    """1: a fault in Nuvik; 2: wrong usage; 3: refused, nothing was changed; 4: stopped midway, safe."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DoneDocument:
    """What a call did that has no document of its own."""

    says: tuple[str, ...]
    """Line by line, in words."""
    written: tuple[str, ...]
    """The files that it wrote."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ConfigDocument:
    """What holds for every call unless the call says otherwise; null: not set, or not asked for."""

    path: str
    """Of the configuration file."""
    units: str | None = None
    """decimal or binary."""
    theme: str | None = None
    """night, day or contrast."""
    state: str | None = None
    """The folder of the database."""


@dataclass(frozen=True, slots=True, kw_only=True)
class FactsDocument:
    """What helps to mend a fault."""

    facts: dict[str, str]
    """Each under its name; none names a file, a library or a drive."""
