"""A folder that was emptied because programs can rebuild its contents, as the journal knows it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.paths import PathText


class EmptiedState(StrEnum):
    """How far it has got. Written durably before the work that the state stands for begins."""

    SETTING_ASIDE = "setting-aside"
    """The contents are about to be put aside, or are already."""
    ASIDE = "aside"
    """The folder is empty or filled again; what it held is kept beside it."""
    PUTTING_BACK = "putting-back"
    """What it held is about to return."""
    RELEASING = "releasing"
    """What it held is being removed."""
    BACK = "back"
    """All is as it was."""
    GONE = "gone"
    """What it held is removed."""

    @property
    def finished(self) -> bool:
        """Nothing is kept any more."""
        return self in (EmptiedState.BACK, EmptiedState.GONE)

    @property
    def midway(self) -> bool:
        """A stop left it so; it goes on by itself with the next call."""
        return self in (EmptiedState.SETTING_ASIDE, EmptiedState.PUTTING_BACK, EmptiedState.RELEASING)


@dataclass(frozen=True, slots=True, kw_only=True)
class Emptied:
    """A folder whose contents were put aside."""

    id: int
    token: str
    """Eight hexadecimal digits in the name of its own folder, so that it belongs to this journal only."""
    name: PathText
    """The library, as the user knows it."""
    drive: str
    path: PathText
    place: PathText
    """The path on its drive."""
    bytes: int
    """What it held, on the disk."""
    files: int
    state: EmptiedState
    emptied_at: str
    """As ISO 8601 in UTC."""
