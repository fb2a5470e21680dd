"""`nuvik carry`, `shift`, `resume`, `undo` and `release`: moving, and taking back."""

from __future__ import annotations

import shlex
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command, stopping
from nuvik.cli.carry_lines import Teller, json_lines
from nuvik.cli.plan import Headroom, OnTrial, show_rehearsal, with_headroom
from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Report, Stop
from nuvik.core.model.units import format_bytes

if TYPE_CHECKING:
    from nuvik.core.carrying.outcome import Outcome
    from nuvik.core.model.plan import Plan
    from nuvik.core.settings.settings_file import Change

_LONG_S = 60.0
Yes = Annotated[bool, typer.Option("--yes", help="Really do it. Without --yes, Nuvik only says what would happen.")]
WithoutMarks = Annotated[
    bool,
    typer.Option("--without-marks", help="Continue where the target cannot keep every mark; undo restores them."),
]
SideBySide = Annotated[bool, typer.Option("--side-by-side", help="Carry moves that share no disk at the same time.")]
Waiting = Annotated[str, typer.Argument(metavar="MOVE", help="The number of a waiting move.")]


def add_to(app: typer.Typer) -> None:
    @command(app, "carry")
    def carry(
        call: Call,
        plan: Annotated[str, typer.Argument(metavar="PLAN", help="A plan file.")],
        yes: Yes = False,
        on_trial: OnTrial = False,
        headroom: Headroom = None,
        without_marks: WithoutMarks = False,
        side_by_side: SideBySide = False,
        landings: Annotated[
            bool,
            typer.Option("--landings", help="When done, also send new content to the places in the plan."),
        ] = False,
    ) -> None:
        """Carry out a plan: copy, prove, switch, release."""
        opened = with_headroom(call.workspace.plan.read(plan), headroom, call)
        opened = replace(
            opened,
            without_marks=opened.without_marks or without_marks,
            side_by_side=opened.side_by_side or side_by_side,
        )
        if not yes:
            show_rehearsal(call, opened, on_trial, one_line=True)
            if landings:
                _say_changes(call, call.workspace.landings.changes_of(opened))
            call.notice("Nothing was moved. Add --yes to carry it out.")
            return
        _run(
            call,
            lambda report, stop: call.workspace.carry.carry(opened, on_trial, report, stop),
            partial(_land, call, opened) if landings else None,
        )

    @command(app, "shift")
    def shift(
        call: Call,
        path: Annotated[str, typer.Argument(metavar="LIBRARY", help="The library to move: its path, or its name.")],
        goal: Annotated[str, typer.Argument(metavar="DRIVE-OR-FOLDER", help="Where it goes.")],
        yes: Yes = False,
        on_trial: OnTrial = False,
        headroom: Headroom = None,
        without_marks: WithoutMarks = False,
    ) -> None:
        """Move one library now: rehearse it, and with --yes carry it out."""
        workspace = call.workspace
        plan = workspace.plan.make(workspace.plan.draft([(path, goal)], workspace.drives.sizes(headroom or ())))
        plan = replace(plan, without_marks=without_marks)
        if not yes:
            show_rehearsal(call, plan, on_trial, one_line=True)
            call.notice("Nothing was moved. Add --yes to carry it out.")
            return
        _run(call, lambda report, stop: workspace.carry.carry(plan, on_trial, report, stop))

    @command(app, "resume")
    def resume(call: Call, without_marks: WithoutMarks = False) -> None:
        """Go on with what a stop left midway."""
        _run(call, lambda report, stop: call.workspace.carry.resume(report, stop, without_marks))

    @command(app, "undo")
    def undo(
        call: Call,
        move: Annotated[
            str, typer.Argument(metavar="MOVE", help="A move's number, “last”, “plan” (all of the last plan) or “all”.")
        ],
        yes: Yes = False,
    ) -> None:
        """Take a move back, a whole plan, or all: each library returns to where it came from."""
        logbook = call.workspace.logbook
        many = {"plan": (logbook.last_plan, logbook.undo_plan), "all": (logbook.standing, logbook.undo_all)}.get(move)
        if yes and many is not None:
            moves, take_back = many[0](), many[1]
            _run(call, take_back, partial(_land_back, call, logbook.plans_of(moves)))
        elif yes:
            _run(call, lambda report, stop: logbook.undo(move, report, stop))
        elif many is not None:
            meant = list(reversed(many[0]()))
            ways = [(each, f"{shown(each.library)} goes back to {shown(each.source)}.") for each in meant]
            _say_ways_back(call, ways)
            call.notice("Nothing was changed. Add --yes to take them back.")
        else:
            single, way = logbook.outlook(move)
            _say_ways_back(call, [(single, way.says)])
            call.notice("Nothing was changed. Add --yes to take it back.")

    @command(app, "skip")
    def skip(call: Call, move: Waiting) -> None:
        """Leave out a move that waits its turn, also while others are being carried."""
        left_out = call.workspace.carry.skip(move)
        _say_queue(call, left_out)
        for each in left_out:
            call.say(f"Move {each.id} of {shown(each.library)} is left out; it stays where it is.")

    @command(app, "next")
    def carry_next(call: Call, move: Waiting) -> None:
        """Let a move that waits be the next, also while others are being carried."""
        following = call.workspace.carry.carry_next(move)
        _say_queue(call, [following])
        call.say(f"Move {following.id} of {shown(following.library)} is the next.")

    @command(app, "release")
    def release(
        call: Call,
        move: Annotated[str, typer.Argument(metavar="MOVE", help="A move's number, or “all”.")],
        even_if_changed: Annotated[
            bool,
            typer.Option(
                "--even-if-changed", help="Even if the original changed, or has files that the moved library lacks."
            ),
        ] = False,
        even_if_unread: Annotated[
            bool,
            typer.Option(
                "--even-if-unread",
                help="Release it even though its copy could not be read back from the drive's medium.",
            ),
        ] = False,
        older_than: Annotated[
            float,
            typer.Option(
                "--older-than", metavar="DAYS", min=0, help="With “all”: only what has been on trial this long."
            ),
        ] = 0.0,
    ) -> None:
        """Let the kept original of a move on trial go."""
        release = call.workspace.logbook.release
        _run(
            call,
            lambda report, stop: release(move, even_if_changed, report, stop, even_if_unread, older_than),
        )


def _say_ways_back(call: Call, ways: Sequence[tuple[Move, str]]) -> None:
    from nuvik.core.views.documents.of_moves import UndoDocument, WayBackDocument

    if call.as_json:
        rows = tuple(WayBackDocument(move=move.id, library=move.library, says=says) for move, says in ways)
        call.line(UndoDocument(moves=rows))
    for move, says in ways:
        call.say(f"Move {move.id}: {says}")


def _say_queue(call: Call, moves: Sequence[Move]) -> None:
    from nuvik.core.views.documents.of_moves import MoveDocument, QueueDocument

    if call.as_json:
        call.line(QueueDocument(moves=tuple(MoveDocument.of(move) for move in moves)))


def _land(call: Call, plan: Plan) -> None:
    """Choose the landings of a plan and tell programs of them."""
    outcome = call.workspace.landings.apply_plan(plan)
    _say_changes(call, outcome.changes)
    for words in outcome.left:
        call.problem(f"{words}")


def _land_back(call: Call, plans: list[Plan]) -> None:
    """The landings of plans that were taken back are taken back, too."""
    for plan in plans:
        outcome = call.workspace.landings.take_back_plan(plan)
        _say_changes(call, outcome.changes)
        for words in outcome.left:
            call.problem(f"{words}")


def _say_changes(call: Call, changes: Sequence[Change]) -> None:
    from nuvik.core.views.tether_sentences import change_lines

    for change in changes:
        for line in change_lines(change):
            call.say(f"  {line}")


def _run(call: Call, act: Callable[[Report, Stop], Outcome], then: Callable[[], None] | None = None) -> None:
    """Do the work while telling of it, and what comes after; Ctrl+C stops it at the next safe point."""
    stop = Stop()
    workspace = call.workspace
    with stopping(stop, call), _summed_up_at_the_end(call):
        outcome = act(json_lines(call) if call.as_json else Teller(call), stop)
    labels = workspace.drives.labels()
    for drive, freed in outcome.freed_bytes.items():
        expected = outcome.expected_freed_bytes[drive]
        call.say(f"{labels.get(drive, drive)}: {format_bytes(freed)} freed, {format_bytes(expected)} expected.")
    troubled = [move for move in outcome.moves if move.problem and move.state is not State.UNDONE]
    for move in troubled:
        call.problem(f"move {move.id}, {shown(move.library)}: {move.problem}.")
    if any(move.state is State.ON_TRIAL for move in outcome.moves):
        call.say("On trial: the originals are kept. Once everything works, run: nuvik release all")
    carried = {move.id for move in outcome.moves if move.state.at_target}
    for row in workspace.openings.afterwards() if carried else ():
        if row.move in carried and row.took_s is None:
            again = f"nuvik opening record {shown(shlex.quote(row.library))}"
            call.say(f"The opening of {shown(row.library)} was recorded before: “{again}” tells what came of it.")
    if then is not None:
        then()
    if troubled:
        raise typer.Exit(EXIT_FINDINGS)


@contextmanager
def _summed_up_at_the_end(call: Call) -> Iterator[None]:
    """A bell where there is a terminal, and a notice on the desktop when it took long: also when it stopped."""
    began_s = time.monotonic()
    try:
        yield
    finally:
        call.output.bell()
        if time.monotonic() - began_s > _LONG_S:
            call.workspace.carry.show_notice("Carrying has ended.")
