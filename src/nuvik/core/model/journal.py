"""A move as the journal knows it: where it stands, and what is safe at that point."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.library import Kind
from nuvik.core.model.paths import PathText
from nuvik.core.model.tether import TetherKind


class State(StrEnum):
    """How far a move has got. Written durably *before* the work that the next state stands for begins."""

    PLANNED = "planned"
    """Its turn has not come; nothing was touched."""
    COPYING = "copying"
    """An incoming folder may exist on the target; the original is untouched."""
    PROVEN = "proven"
    """The incoming copy was read back and is equal; it may already have been given its final name."""
    PUBLISHED = "published"
    """The copy has its final name; original and tether may already have changed places."""
    SWITCHED = "switched"
    """The old path leads to the copy; the original is kept in a held folder."""
    ON_TRIAL = "on-trial"
    """Working from the new place; the original is kept until the user lets it go."""
    RELEASING = "releasing"
    """The original is being removed."""
    RELEASED = "released"
    """Done; only the copy remains."""
    DISCARDING = "discarding"
    """Being undone before it was switched: the incoming copy is removed, the original was never touched."""
    TAKING_BACK = "taking-back"
    """Being undone without copying: the untouched original returns to its place."""
    UNDONE = "undone"
    """Everything is back where it was."""

    @property
    def finished(self) -> bool:
        """Nothing more happens on its own."""
        return self in (State.ON_TRIAL, State.RELEASED, State.UNDONE)

    @property
    def at_target(self) -> bool:
        """The library works from its new place."""
        return self in (State.SWITCHED, State.ON_TRIAL, State.RELEASING, State.RELEASED)

    @property
    def in_words(self) -> str:
        """What is safe at this point, in the user's words."""
        return _WORDS[self]


_WORDS = {
    State.PLANNED: "waiting its turn; nothing touched",
    State.COPYING: "copying; original untouched",
    State.PROVEN: "copy proven; original untouched",
    State.PUBLISHED: "copy in place; original untouched",
    State.SWITCHED: "switched; original kept",
    State.ON_TRIAL: "on trial; original kept",
    State.RELEASING: "releasing the original; copy proven",
    State.RELEASED: "moved; original released",
    State.DISCARDING: "removing the copy; original untouched",
    State.TAKING_BACK: "being taken back",
    State.UNDONE: "taken back",
}


LEFT_OUT = "left out, as you wished"


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """A line of the journal: one library, from one place to another."""

    id: int
    run: int
    """The plan it belongs to."""
    token: str
    """Random letters that make the names of its incoming and held folders its own."""
    n: int
    """Its place in that plan."""
    library: PathText
    kind: Kind
    source: PathText
    target: PathText
    source_drive: str
    target_drive: str
    bytes: int
    files: int
    frees_bytes: int
    """What the source drive should gain once the original is gone."""
    tether: TetherKind
    state: State
    on_trial: bool
    undoes: int | None = None
    """The move that this one takes back, when it is an undo by copying."""
    started_at: str | None = None
    ended_at: str | None = None
    expected_s: float = 0.0
    actual_s: float = 0.0
    freed_bytes: int | None = None
    """Measured when the original went: what the source drive really gained."""
    made_folders: tuple[PathText, ...] = ()
    """Folders above the target that this move had to make, outermost first."""
    problem: str | None = None
    visible: bool = False
    """The copy has had its final name: since then the user may have worked with it."""
    source_place: PathText = ""
    target_place: PathText = ""
    """Where source and target are within their volumes, wherever these are mounted; empty before that is known."""
    was_source: tuple[PathText, ...] = ()
    was_target: tuple[PathText, ...] = ()
    """Paths by which they were reached before their drives were mounted elsewhere: links may still say so."""
    unread: bool = False
    """The copy was compared, but not read from the medium of its drive: that could not be had."""
    attachment: str = ""
    """How its drive was attached then (`Host.attachment`): once it is attached again, it can be read."""
    position: int = 0
    """Of moves that wait, the lowest is the next; among equals the first of the plan."""
    first_id: int | None = None
    """Its number in the journal where it began, by which its own folders are named, where that was another journal."""
    without_marks: bool = False
    """The user agreed to go on without the marks that the target cannot keep."""
    may_lose: bool = False
    """The user agreed to remove the original although something in it would be lost."""

    @property
    def left_out(self) -> bool:
        """The user left it out while it waited: nothing of it was ever touched."""
        return self.state is State.UNDONE and self.problem == LEFT_OUT
