"""`nuvik note` and `nuvik adopt`: a drive tells another computer what is on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command, stoppable
from nuvik.cli.output import ProgressLine
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop

Which = Annotated[str, typer.Argument(metavar="DRIVE", help="Its name, id or path.")]


def add_to(app: typer.Typer) -> None:
    @command(app, "note")
    def note(
        call: Call,
        drive: Which,
        checksums: Annotated[
            bool, typer.Option("--checksums", help="Read everything, so that the other computer can compare it.")
        ] = False,
        yes: Annotated[
            bool, typer.Option("--yes", help="Write it. Without --yes, Nuvik only shows what it would say.")
        ] = False,
    ) -> None:
        """Write a note to a portable drive: what its libraries are, for another computer that it is attached to."""
        from nuvik.core.views.note_sentences import note_headline, noted_lines

        stage, known, stop, line = call.workspace.notes, call.workspace.drives.find(drive), Stop(), call.progress()
        with stoppable(call, stop, line, "stopped; nothing was written."):
            made = stage.make(known, checksums and yes, _reading(line), stop)
        call.say(note_headline(made))
        for words in noted_lines(made):
            call.say(words)
        if yes:
            call.wrote(stage.write(known, made))
        else:
            call.notice(f"Nothing was written. With --yes it becomes {shown(stage.place_of(known))}.")

    @command(app, "adopt")
    def adopt(
        call: Call,
        drive: Which,
        libraries: Annotated[
            list[str] | None, typer.Argument(metavar="LIBRARY", help="Only these, by name.", show_default=False)
        ] = None,
        check: Annotated[bool, typer.Option("--check", help="Read what has a checksum, and compare it.")] = False,
        yes: Annotated[
            bool, typer.Option("--yes", help="Do it. Without --yes, Nuvik only shows what would be done.")
        ] = False,
    ) -> None:
        """Take over what another computer noted on a drive: what its libraries are, how often they are opened, and what
        opening them reads. Nothing is moved, and no path of the other computer is followed.
        """
        from nuvik.core.views.documents.of_notes import AdoptDocument
        from nuvik.core.views.note_sentences import adoptable_line, arrival_sentence, note_headline

        stage, known, stop, line = call.workspace.notes, call.workspace.drives.find(drive), Stop(), call.progress()
        read = stage.read(known)
        with stoppable(call, stop, line, "stopped; nothing was taken over."):
            rows = stage.compare(known, read, tuple(libraries or ()), check, _reading(line), stop)
        adopted = stage.adopt(known, rows) if yes else 0
        if call.as_json:
            call.document(AdoptDocument.of(rows, adopted))
        else:
            call.say(note_headline(read))
            for row in rows:
                call.say(f"  {adoptable_line(row)}")
            call.say(arrival_sentence(rows))
        if yes:
            call.say(f"{adopted} cards were taken over: survey now, then “nuvik propose” says what belongs where.")
        else:
            call.notice("Nothing was taken over. Add --yes for that.")
        if not all(row.able for row in rows):
            raise typer.Exit(EXIT_FINDINGS)


def _reading(line: ProgressLine) -> Callable[[str, int, int], None]:
    def report(name: str, done: int, total: int) -> None:
        line.show(f"reading {shown(name)}, {done / max(1, total):.0%} of all")

    return report
