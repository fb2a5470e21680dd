"""`nuvik opening`: what a library reads when it is opened, recorded."""

from __future__ import annotations

import contextlib
import sys
import threading
from typing import Annotated

import typer

from nuvik.cli.call import Call, command, stoppable
from nuvik.core.model.names import shown
from nuvik.core.model.opening import Recording
from nuvik.core.model.progress import Stop, Watching
from nuvik.core.model.units import format_bytes, format_count, format_duration

Which = Annotated[str, typer.Argument(metavar="LIBRARY", help="Its path, or its name.")]


def add_to(app: typer.Typer) -> None:
    opening = typer.Typer(
        help="Record what a library reads when it is opened, and show what is known of it.", no_args_is_help=True
    )
    app.add_typer(opening, name="opening")

    @command(opening, "record")
    def record(
        call: Call,
        library: Which,
        program: Annotated[
            list[str] | None,
            typer.Argument(metavar="COMMAND", help="After “--”: what opens it, and ends when it is ready."),
        ] = None,
    ) -> None:
        """Record one opening: its files are put out of the system's memory, then you open it as you always do, and
        press Enter when it is ready for use. With a command, its end counts as ready; without a terminal, quiet does.
        """
        from nuvik.core.views.documents.of_openings import RecordingDocument
        from nuvik.core.views.opening_sentences import elsewhere_sentence, recorded_sentence

        known = call.workspace.plan.library_at(library)
        stop, line, ready = Stop(), call.progress(), threading.Event()
        asks = not program and sys.stdin is not None and sys.stdin.isatty()

        def begun() -> None:
            line.clear()
            if asks:
                call.notice(f"Now open {shown(known.name)} as you always do. Press Enter when it is ready for use.")
                threading.Thread(target=_wait_for_enter, args=(ready,), daemon=True).start()
            elif not program:
                call.notice(f"Now open {shown(known.name)} as you always do.")

        def report(watching: Watching) -> None:
            seconds = format_duration(watching.seconds)
            line.show(
                "waiting for it to begin" if watching.waits else f"{seconds}, {format_bytes(watching.bytes_read)} read"
            )

        with stoppable(call, stop, line, "stopped; nothing was kept."):
            recording = call.workspace.openings.record(known, program or (), begun, ready.is_set, report, stop)
        if call.as_json:
            call.document(RecordingDocument.of(known, recording))
            return
        labels = call.workspace.drives.labels()
        call.say(recorded_sentence(known, recording, labels))
        if words := elsewhere_sentence(recording, labels):
            call.say(words)
        _say_doubts(call, recording)
        call.say(f"What that means on each drive: nuvik waiting {shown(known.name)!r}")

    @command(opening, "show")
    def show(call: Call, library: Which) -> None:
        """Show the recorded openings of a library."""
        from nuvik.core.views.documents.of_openings import RecordingsDocument
        from nuvik.core.views.opening_sentences import recorded_sentence, recordings_headline, warm_lines

        known = call.workspace.plan.library_at(library)
        recordings = call.workspace.openings.of(known)
        if call.as_json:
            call.document(RecordingsDocument.of(known, recordings, call.workspace.openings.warm(known)))
            return
        labels = call.workspace.drives.labels()
        call.say(recordings_headline(known, recordings))
        for recording in recordings:
            call.say(f"  {recording.taken_at[:16].replace('T', ' ')}  {recorded_sentence(known, recording, labels)}")
            _say_doubts(call, recording, indent=20)
        with call.working("Looking inside"):
            parts = call.workspace.openings.warm(known)
        for words in warm_lines(known, parts):
            call.say(words)

    @command(opening, "taste")
    def taste(
        call: Call,
        library: Which,
        drives: Annotated[list[str], typer.Argument(metavar="DRIVE", help="Where to try it.")],
    ) -> None:
        """Find out how it would open from other drives: only what its recorded opening read is written there, read
        again, and removed.
        """
        from nuvik.core.views.documents.of_openings import TasteDocument, TastesDocument
        from nuvik.core.views.opening_sentences import taste_sentence

        workspace, stop, line = call.workspace, Stop(), call.progress()
        known = workspace.plan.library_at(library)
        chosen = [workspace.drives.find(drive) for drive in drives]
        for drive in chosen:
            call.notice(f"{shown(drive.label)}: {workspace.openings.budget(known, drive).in_words()}.")

        def report(what: str, share: float) -> None:
            line.show(f"{what} {share:.0%}")

        with stoppable(call, stop, line, "stopped; what was written is removed."):
            tastes = [workspace.openings.taste(known, drive, report, stop) for drive in chosen]
        if call.as_json:
            call.document(TastesDocument(tastes=tuple(TasteDocument.of(known, each) for each in tastes)))
            return
        labels = workspace.drives.labels()
        for each in tastes:
            call.say(taste_sentence(known, each, labels))

    @command(opening, "forget")
    def forget(call: Call, library: Which) -> None:
        """Forget the recorded openings of a library, and what they told."""
        known = call.workspace.plan.library_at(library)
        count = call.workspace.openings.forget(known)
        call.say(f"{format_count(count, 'recording')} of {shown(known.name)} forgotten.")


def _wait_for_enter(ready: threading.Event) -> None:
    with contextlib.suppress(OSError, ValueError):
        sys.stdin.readline()
    ready.set()


def _say_doubts(call: Call, recording: Recording, indent: int = 2) -> None:
    for doubt in recording.doubts:
        call.say(f"{'':{indent}}{doubt}")
