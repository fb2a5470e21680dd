"""Where new content of a kind goes: what programs are told of it, and what is seen of it, as plain values."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.library import Kind, Library
from nuvik.core.model.paths import PathText
from nuvik.core.model.plan import Landing
from nuvik.core.model.tether import Tether


class PlaceState(StrEnum):
    """How a place where programs read it stands to the landing that was chosen."""

    UNCHOSEN = "unchosen"
    """No landing is chosen."""
    DUE = "due"
    """It still says another folder."""
    OK = "ok"
    """It says the landing's folder."""
    CHANGED = "changed"
    """It was set, and somebody has changed it since."""
    BROKEN = "broken"
    """It cannot be read, or what it says is no folder."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LandingPlace:
    """A place where programs read which folder takes new content: the system's own, or a setting that was taught."""

    n: int
    """Its number among those of its kind; 0 is the system's own folder."""
    tether: Tether
    before: str = ""
    """What it said before Nuvik changed it; empty where it said nothing …"""
    after: str = ""
    """… and what Nuvik put there; empty where Nuvik changed nothing."""
    changed_at: str = ""
    """When, as ISO 8601 in UTC."""
    value: str = ""
    """What it says now."""
    state: PlaceState = PlaceState.UNCHOSEN
    trouble: str = ""
    """What is wrong, as a sentence."""

    @property
    def in_words(self) -> str:
        if self.tether.kind.leaves_link:
            return f"link {self.tether.file}"
        return f"your standard folder {self.tether.key}" if self.n == 0 else self.tether.in_words


@dataclass(frozen=True, slots=True, kw_only=True)
class KindFolder:
    """One of the folders that hold the libraries of a kind."""

    path: PathText
    drive: str
    libraries: int
    bytes: int
    """On the disk."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LandingRow:
    """All that is known of where new content of one kind goes."""

    kind: Kind
    now: Landing | None
    """Where it goes at present: as a setting or the system says, else where the newest is; None where nothing tells."""
    chosen: Landing | None
    """Where it is to go: by the plan at hand, else as it was chosen before."""
    kept: bool
    """Whether it was chosen; else only a plan that is being made says so."""
    places: tuple[LandingPlace, ...]
    folders: tuple[KindFolder, ...]
    """Where libraries of this kind lie: the landing's folder first, then by size."""
    newest: Library | None
    """What landed last."""
    landed: dict[str, int]
    """What is new since the landing was chosen: how many libraries, by drive id."""
    login_due: bool = False
    """Programs that are open take the change after the next login."""

    @property
    def programs_know(self) -> bool:
        """Whether all that can be told says the landing's folder."""
        settable = [place for place in self.places if not place.tether.kind.leaves_link]
        return bool(settable) and all(place.state is PlaceState.OK for place in settable)

    @property
    def goal(self) -> Landing | None:
        return self.chosen or self.now
