"""Documents about what is on the drives: what changed, what lies there twice, what can be emptied."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from nuvik.core.model.emptied import Emptied, EmptiedState
from nuvik.core.model.snapshot import LargeFile, Snapshot
from nuvik.core.stages.emptying import Emptiable
from nuvik.core.survey.history.growth import Change, Difference, Growth
from nuvik.core.survey.twins import Twins


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeDocument:
    """A library, or a folder of data in none, that is not as it was."""

    change: Change
    name: str
    drive: str
    path: str
    before_bytes: int
    """What it took then."""
    now_bytes: int
    """What it takes now."""
    bytes: int
    """By how much it takes more now; below zero: less."""
    loose: bool
    """Whether it is in no library."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangesDocument:
    """What changed between two surveys, and how fast the drives fill."""

    since: str | None
    """When the earlier survey was taken; null while there are not two."""
    until: str | None
    """When the later one was taken."""
    changes: tuple[ChangeDocument, ...]
    """The largest first."""
    growth: dict[str, Growth | None]
    """By drive id; null where the surveys are too few or too close together."""

    @classmethod
    def of(
        cls,
        compared: tuple[Snapshot, Snapshot] | None,
        differences: Sequence[Difference],
        growth: Mapping[str, Growth | None],
    ) -> ChangesDocument:
        return cls(
            since=compared[0].taken_at if compared else None,
            until=compared[1].taken_at if compared else None,
            changes=tuple(
                ChangeDocument(
                    change=each.change,
                    name=each.name,
                    drive=each.drive,
                    path=each.path,
                    before_bytes=each.before_bytes,
                    now_bytes=each.now_bytes,
                    bytes=each.bytes,
                    loose=each.loose,
                )
                for each in differences
            ),
            growth=dict(growth),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class EqualFiles:
    """Files of one content on different drives."""

    bytes: int
    """Of a single one."""
    spare_bytes: int
    """What all but one take."""
    files: tuple[LargeFile, ...]
    """The files, with the drives they are on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TwinsDocument:
    """Large files that lie on two drives."""

    twins: tuple[EqualFiles, ...]

    @classmethod
    def of(cls, groups: Sequence[Twins]) -> TwinsDocument:
        return cls(
            twins=tuple(
                EqualFiles(bytes=group.bytes, spare_bytes=group.spare_bytes, files=group.files) for group in groups
            )
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class EmptiableDocument:
    """Something that programs can rebuild."""

    name: str
    path: str
    library: str
    drive: str
    bytes: int
    files: int


@dataclass(frozen=True, slots=True, kw_only=True)
class EmptiedDocument:
    """Something that was emptied; what it held is set aside, put back, or gone."""

    n: int
    """Its number, by which it is put back or released."""
    name: str
    path: str
    drive: str
    bytes: int
    files: int
    state: EmptiedState
    emptied_at: str

    @classmethod
    def of(cls, emptied: Emptied) -> EmptiedDocument:
        return cls(
            n=emptied.id,
            name=emptied.name,
            path=emptied.path,
            drive=emptied.drive,
            bytes=emptied.bytes,
            files=emptied.files,
            state=emptied.state,
            emptied_at=emptied.emptied_at,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class EmptyDocument:
    """What can be emptied, what is set aside, and what this call did."""

    able: tuple[EmptiableDocument, ...]
    """What can be emptied."""
    aside: tuple[EmptiedDocument, ...]
    """What is set aside."""
    done: tuple[EmptiedDocument, ...]
    """What this call emptied, put back or released."""

    @classmethod
    def of(cls, able: Sequence[Emptiable], kept: Sequence[Emptied], done: Sequence[Emptied]) -> EmptyDocument:
        return cls(
            able=tuple(
                EmptiableDocument(
                    name=each.name,
                    path=each.path,
                    library=each.library.name,
                    drive=each.library.drive,
                    bytes=each.bytes,
                    files=each.files,
                )
                for each in able
            ),
            aside=tuple(EmptiedDocument.of(each) for each in kept),
            done=tuple(EmptiedDocument.of(each) for each in done),
        )
