"""The sentences with which Carry and Logbook begin, and how a run ended."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from nuvik.core.carrying.outcome import Outcome
from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Event
from nuvik.core.model.units import and_more, format_bytes, format_count, format_duration, format_speed
from nuvik.core.views.leftover_sentences import damaged_words


def running_headline(event: Event | None, beside: Sequence[Event] = ()) -> str:
    """What is happening right now, and what is safe; with what goes on `beside` it."""
    if event is None:
        return "Starting: the checks run once more."
    if beside:
        names = " and ".join(shown(other.library) for other in (event, *beside))
        return f"{names} are being moved side by side. Each original stays until its copy is proven."
    if event.event == "progress":
        words = "read back and compared" if event.detail.get("phase") == "proving" else "copied"
        safe = "copy being proven" if event.detail.get("phase") == "proving" else "original untouched"
        if event.detail.get("state") == State.RELEASING:
            words, safe = "released", "copy proven"
        return f"{shown(event.library)} is being {words}: {safe}."
    state = event.detail.get("state")
    return f"{shown(event.library)}: {State(state).in_words if state else event.event}."


def progress_line(event: Event) -> str:
    """How far the phase at hand is: share, bytes, speed, time left."""
    done, total, speed = event.done_bytes, event.total_bytes, event.detail.get("bytes_per_s")
    words = f"{format_bytes(done)} of {format_bytes(total)}"
    if speed:
        words += f" · {format_speed(speed)} · {format_duration(max(0, total - done) / speed)} left"
    return words


def ended_headline(outcome: Outcome, labels: dict[str, str], all_on_trial: int = 0) -> str:
    """How a run ended: what was done, and freed beside expected; `all_on_trial` counts those of earlier runs, too."""
    on_trial = [move for move in outcome.moves if move.state is State.ON_TRIAL]
    undone = [move for move in outcome.moves if move.state is State.UNDONE or move.undoes is not None]
    if on_trial:
        many = format_count(len(on_trial), "library", "libraries")
        whole = f" ({all_on_trial} altogether)" if all_on_trial > len(on_trial) else ""
        return f"{many} on trial{whole}: try them, then release the originals in Logbook."
    if undone and len(undone) == len(outcome.moves):
        return f"{shown(undone[0].library)} is back where it was."
    expected = outcome.expected_freed_bytes
    freed = ", ".join(
        f"{shown(labels.get(drive, drive))} {format_bytes(amount)} freed ({format_bytes(expected[drive])} expected)"
        for drive, amount in outcome.freed_bytes.items()
    )
    linked = all(move.tether.keeps_old_path or move.undoes is not None for move in outcome.moves)
    still = "Every old path still opens." if linked else "Programs find everything in its new place."
    return f"Done: {format_count(len(outcome.moves), 'move')}. {freed}. {still}"


def logbook_headline(moves: Sequence[Move], damaged: str | None = None, carrying: Collection[int] = ()) -> str:
    """How the journal stands: what is midway, on trial, done; first of all that it was damaged. `carrying` are the
    numbers of the moves that are being carried at this moment.
    """
    if damaged is not None:
        return f"{damaged_words(damaged)}: press m."
    if at_work := [move for move in moves if move.id in carrying]:
        names = ", ".join(shown(move.library) for move in at_work)
        return f"{names}: being carried at this moment. Carry shows how far it is."
    midway = [move for move in moves if not move.state.finished]
    if midway:
        first = min(midway, key=lambda move: move.state is State.PLANNED)  # what was begun, before what waits
        return f"{shown(first.library)} is unfinished ({first.state.in_words}): continue, or take it back."
    on_trial = [move for move in moves if move.state is State.ON_TRIAL]
    if on_trial:
        kept = format_bytes(sum(move.frees_bytes for move in on_trial))
        many = format_count(len(on_trial), "library is", "libraries are")
        return f"{many} on trial: {kept} more will be free once you release the originals."
    standing = [move for move in moves if move.state is State.RELEASED and move.undoes is None]
    if not standing:
        return "Nothing is moved at the moment. Whatever you move is listed here and can be taken back from here."
    many = format_count(len(standing), "move", "moves")
    return f"{many} done, nothing unfinished. Whatever was moved can be taken back."


def first_of_all(moves: Sequence[Move], carrying: Collection[int] = ()) -> str:
    """What of earlier work wants the user's attention before anything else; empty where nothing does."""
    waiting = [move for move in moves if move.state is State.PLANNED]
    midway = [move for move in moves if not move.state.finished and move.state is not State.PLANNED]
    if midway and not carrying:
        more = and_more(len(midway) + len(waiting) - 1, "move")
        return f"{shown(midway[0].library)} is half done: {midway[0].state.in_words}{more}. g in Carry (5) goes on."
    if waiting and not carrying:
        many = format_count(len(waiting), "move waits", "moves wait")
        return f"{many} for you to go on: g in Carry (5)."
    on_trial = [move for move in moves if move.state is State.ON_TRIAL]
    if on_trial:
        many = format_count(len(on_trial), "library is", "libraries are")
        kept = format_bytes(sum(move.frees_bytes for move in on_trial))
        return f"{many} on trial: once all works, e in Logbook (6) frees {kept}."
    return ""


def move_facts(move: Move, labels: dict[str, str]) -> str:
    """A line on a move: where from and to, and expected beside actual."""
    words = f"{shown(move.source)} → {shown(move.target)}"
    if move.started_at:
        words += f" · expected {format_duration(move.expected_s)}, took {format_duration(move.actual_s)}"
    if move.freed_bytes is not None:
        words += (
            f" · {format_bytes(move.freed_bytes)} freed on {shown(labels.get(move.source_drive, move.source_drive))}"
        )
    return words + (f" · {move.problem}" if move.problem else "")
