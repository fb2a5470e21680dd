"""The phases through which a library goes, and what is safe in each: another ladder for each way that a run takes."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.journal import Move, State
from nuvik.core.model.progress import Event


@dataclass(frozen=True, slots=True)
class Phase:
    """A rung of the ladder."""

    name: str
    safe: str
    """What is true once it is done."""


@dataclass(frozen=True, slots=True)
class Ladder:
    """The phases of one library in one run, and how many of them are done."""

    phases: tuple[Phase, ...]
    done: int

    @property
    def at_hand(self) -> Phase | None:
        """The phase that goes on; None when all are done."""
        return self.phases[self.done] if self.done < len(self.phases) else None


_COPY = Phase("copy", "original untouched")
_PROVE = Phase("prove", "read back from the drive")
_COMPARE = Phase("prove", "compared, but not read from the drive itself")
_SWITCH = Phase("switch", "old path leads to the copy")
_LEAD = Phase("switch", "programs are led to the copy")
_LOOK = Phase("look", "checked where programs look for it")
_RELEASE = Phase("release", "original gone, space free")
_KEEP = Phase("keep", "on trial: the original stays until you release it")
_BACK = (
    Phase("copy", "copied to its old drive; what you have now is untouched"),
    _PROVE,
    Phase("switch", "at its old path again"),
    Phase("look", "checked at its old path"),
    Phase("clean up", "the copy on the other drive is gone"),
)
_PUT_BACK = (Phase("put back", "the original is at its old path"), Phase("clean up", "the copy is gone"))
_LET_GO = (Phase("compare", "the kept original has nothing that the moved library lacks"), _RELEASE)
_STEPS = {"copied": 1, "proven": 2, "switched": 3}


def ladder_of(move: Move, event: Event, releasing: bool = False) -> Ladder:
    """The ladder of a move, as the journal has it, at an event of its run; `releasing` says that the run lets kept
    originals go.
    """
    state = State(event.detail.get("state", move.state))
    if releasing:
        return Ladder(_LET_GO, len(_LET_GO) if event.event == "released" else 0)
    if move.undoes is None and (move.state is State.UNDONE or state in (State.TAKING_BACK, State.DISCARDING)):
        return Ladder(_PUT_BACK, len(_PUT_BACK) if event.ends_move else int(state is State.DISCARDING))
    if move.undoes is not None:
        return Ladder(_BACK, _done(event, len(_BACK)))
    kept = move.on_trial or move.state is State.ON_TRIAL
    phases = (
        _COPY,
        _COMPARE if move.unread else _PROVE,
        _SWITCH if move.tether.keeps_old_path else _LEAD,
        _LOOK,
        _KEEP if kept else _RELEASE,
    )
    return Ladder(phases, _done(event, len(phases)))


def _done(event: Event, count: int) -> int:
    if event.event == "progress":
        return 1 if event.detail.get("phase") == "proving" else 0
    return count if event.ends_move else _STEPS.get(event.event, 0)
