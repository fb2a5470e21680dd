"""`nuvik mend`: what Nuvik left on the drives, what would be right for it, and doing what is safe."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command, stopping
from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.model.progress import Stop

if TYPE_CHECKING:
    from nuvik.core.carrying.mending.mend import Mended


def add_to(app: typer.Typer) -> None:
    @command(app, "mend")
    def mend(
        call: Call,
        below: Annotated[
            list[str] | None, typer.Argument(metavar="PATH", help="Look only below these folders. Default: all drives.")
        ] = None,
        fix: Annotated[bool, typer.Option("--fix", help="Do what is safe. Without --fix, Nuvik only looks.")] = False,
    ) -> None:
        """Find what Nuvik left on the attached drives, even without its journal, and say what is right for it."""
        from nuvik.core.views.documents.of_moves import MendDocument

        stop = Stop()
        with stopping(stop, call), call.working("Looking through the drives"):
            logbook = call.workspace.logbook
            leftovers = logbook.leftovers(below or (), stop)
            mended = logbook.mend(leftovers, stop=stop) if fix else []
        if call.as_json:
            call.document(MendDocument.of(leftovers, mended))
        _say(call, leftovers, mended, fix)
        open_ends = sum(leftover.repair is not Repair.NONE for leftover in leftovers) - sum(
            each.problem is None for each in mended
        )
        if open_ends:
            raise typer.Exit(EXIT_FINDINGS)


def _say(call: Call, leftovers: list[Leftover], mended: list[Mended], fix: bool) -> None:
    from nuvik.core.views.leftover_sentences import leftovers_headline, mendable, outcome_words, where

    labels = call.workspace.drives.labels()
    for each in mended:
        call.say(outcome_words(each))
    for leftover in leftovers:
        if fix and leftover.repair is not Repair.NONE:
            continue
        call.say(where(leftover, labels))
        call.say(f"   {leftover.what}")
        call.say(f"   {leftover.right}")
    if not fix or not leftovers:
        call.say(leftovers_headline(leftovers))
    if not fix and mendable(leftovers):
        call.notice("Nothing was changed. “nuvik mend --fix” does what is safe.")
