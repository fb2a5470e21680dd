"""What ejecting a drive comes to."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Hindrance:
    """What keeps a drive from being ejected."""

    what: str
    """As a clause, such as “sky-viewer (process 4711) has /media/wren/a.txt open”."""
    may_end: bool
    """It can end by itself or by closing a program: waiting helps."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Ejected:
    """A drive whose cable may be pulled."""

    drive: str
    """Its id."""
    label: str
    switched_off: bool
    """The disk was switched off, too; else it is unmounted, and its other volumes may still be in use."""
