"""`nuvik waiting`: what you wait for, and where the seconds of an opening come from."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_duration

if TYPE_CHECKING:
    from nuvik.core.views.waiting_rows import WaitingRow

_LISTED, _BAR_CELLS = 15, 40
_HEAD = ("library", "drive", "opens in", "a week", "how often", "how well known")


def add_to(app: typer.Typer) -> None:
    @command(app, "waiting")
    def waiting(
        call: Call,
        library: Annotated[
            str | None, typer.Argument(metavar="LIBRARY", help="Its path or name. Default: all of them, in order.")
        ] = None,
    ) -> None:
        """Show how long a library takes to open from each drive, and where those seconds come from; without a library,
        what you wait for most.
        """
        from nuvik.core.views.documents.of_waiting import LibraryWaitingDocument, WaitingDocument
        from nuvik.core.views.waiting_rows import (
            NOT_KNOWN_YET,
            WILL_BE_KNOWN,
            longest_waits,
            opening_headline,
            waiting_rows,
        )

        snapshot = call.workspace.survey.latest()
        waits = longest_waits(snapshot.libraries, snapshot.drives)
        known = call.workspace.plan.library_at(library) if library is not None else None
        if call.as_json:
            chosen = [wait.library for wait in waits] if known is None else [known]
            rows = [LibraryWaitingDocument.of(each, waiting_rows(each, snapshot.drives)) for each in chosen]
            call.document(WaitingDocument(libraries=tuple(rows)))
        elif known is not None:
            call.say(opening_headline(known))
            _say_bars(call, waiting_rows(known, snapshot.drives))
        elif waits:
            call.table((wait.cells for wait in waits[:_LISTED]), _HEAD, right=(2, 3))
            if len(waits) > _LISTED:
                call.say(f"and {len(waits) - _LISTED} more")
        else:
            call.say(f"{NOT_KNOWN_YET} {WILL_BE_KNOWN}")


def _say_bars(call: Call, rows: list[WaitingRow]) -> None:
    from nuvik.core.views.waiting_rows import LEGEND, bar, between

    longest_s = max(row.opening.total_s for row in rows)
    call.table(
        (
            (
                shown(row.drive.label) + (" (here)" if row.here else "" if row.drive.attached else " (away)"),
                format_duration(row.opening.total_s),
                between(row.bounds_s),
                bar(row.opening, longest_s, _BAR_CELLS),
            )
            for row in rows
        ),
        right=(1,),
    )
    call.say(LEGEND)
