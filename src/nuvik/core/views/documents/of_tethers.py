"""Documents about what keeps programs finding their data, and where new content goes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.landing import KindFolder, LandingRow, PlaceState
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.plan import Landing
from nuvik.core.model.tether import TetherKind, TetherState
from nuvik.core.settings.find_settings import FoundSetting
from nuvik.core.stages.tethers import TetherRow


@dataclass(frozen=True, slots=True, kw_only=True)
class TetherRowDocument:
    """One thing that keeps programs finding a library."""

    n: int
    """Its number among those of its library; 0: the link."""
    kind: TetherKind
    file: str | None
    format: str | None
    key: str | None
    part: str | None
    """The part of the library that it leads to, as a path in it; null: the library itself."""
    words: str | None
    """What has to be done by hand."""
    value: str
    state: TetherState
    trouble: str | None
    login_due: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class TetherDocument:
    """What keeps programs finding a library."""

    library: str
    tethers: tuple[TetherRowDocument, ...]
    settings_with_path: tuple[FoundSetting, ...]
    """Settings that hold its path, where they were looked for."""
    old_place_used_again: str | None
    """The old path, where something lies there again."""
    used_by: tuple[str, ...]
    """Programs that run from it now."""

    @classmethod
    def of(
        cls,
        library: Library,
        rows: Sequence[TetherRow],
        settings: Sequence[FoundSetting],
        again: str,
        users: Sequence[str],
    ) -> TetherDocument:
        return cls(
            library=library.name,
            tethers=tuple(
                TetherRowDocument(
                    n=row.n,
                    kind=row.tether.kind,
                    file=row.tether.file or None,
                    format=row.tether.format or None,
                    key=row.tether.key or None,
                    part=row.tether.part or None,
                    words=row.tether.words or None,
                    value=row.value,
                    state=row.state,
                    trouble=row.trouble or None,
                    login_due=row.login_due,
                )
                for row in rows
            ),
            settings_with_path=tuple(settings),
            old_place_used_again=again or None,
            used_by=tuple(users),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class LandingPlaceDocument:
    """A place where programs read which folder takes new content."""

    n: int
    """Its number among those of its kind; 0: the system's own folder."""
    kind: TetherKind
    file: str
    format: str | None
    key: str | None
    value: str
    state: PlaceState
    trouble: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class LandingRowDocument:
    """Where new content of a kind goes: `drive`, `path` and `reason` are of where it is to go, else of where it goes
    now.
    """

    kind: Kind
    drive: str | None
    path: str | None
    reason: str
    before: str
    """The id of the drive where it goes now."""
    now: Landing | None
    """Where it goes now."""
    chosen: Landing | None
    """Where it is to go."""
    places: tuple[LandingPlaceDocument, ...]
    """Where programs read that."""
    folders: tuple[KindFolder, ...]
    """Where libraries of the kind are, on all drives."""
    newest: str | None
    """What landed last."""
    landed: dict[str, int]
    """By drive id: how many new libraries since it was chosen."""
    login_due: bool

    @classmethod
    def of(cls, row: LandingRow) -> LandingRowDocument:
        goal = row.chosen or row.now
        return cls(
            kind=row.kind,
            drive=goal.drive if goal else None,
            path=goal.path if goal else None,
            reason=goal.reason if goal else "",
            before=row.now.drive if row.now else "",
            now=row.now,
            chosen=row.chosen,
            places=tuple(
                LandingPlaceDocument(
                    n=place.n,
                    kind=place.tether.kind,
                    file=place.tether.file,
                    format=place.tether.format or None,
                    key=place.tether.key or None,
                    value=place.value,
                    state=place.state,
                    trouble=place.trouble or None,
                )
                for place in row.places
            ),
            folders=row.folders,
            newest=row.newest.name if row.newest else None,
            landed=dict(row.landed),
            login_due=row.login_due,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class LandingDocument:
    """Where new content goes, kind by kind."""

    landings: tuple[LandingRowDocument, ...]

    @classmethod
    def of(cls, rows: Sequence[LandingRow]) -> LandingDocument:
        return cls(landings=tuple(LandingRowDocument.of(row) for row in rows))
