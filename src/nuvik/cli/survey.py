"""`nuvik survey`, `changes` and `twins`: what is on the drives, what became of it, and what lies there twice."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, EXIT_STOPPED, Call, command, stoppable, stopping
from nuvik.core.model.clock import ago
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import LargeFile, Snapshot
from nuvik.core.model.units import format_bytes, format_count

if TYPE_CHECKING:
    from nuvik.core.model.progress import SurveyProgress

_LISTED = 10


def add_to(app: typer.Typer) -> None:
    @command(app, "survey")
    def survey(
        call: Call,
        paths: Annotated[list[str] | None, typer.Argument(metavar="PATH", show_default=False)] = None,
        loose: Annotated[bool, typer.Option("--loose", help="List data that is in no library.")] = False,
        unreadable: Annotated[
            bool, typer.Option("--unreadable", help="List every folder that could not be read.")
        ] = False,
        save: Annotated[
            str | None, typer.Option("--save", metavar="FILE.csv|.json", help="Write the libraries.")
        ] = None,
        quick: Annotated[
            bool, typer.Option("--quick", help="Walk only what changed since the last survey: seconds, not minutes.")
        ] = False,
    ) -> None:
        """Measure all drives, or what is below PATH, recognise the libraries in it, and keep a snapshot."""
        from nuvik.core.model.survey_document import SurveyDocument
        from nuvik.core.views.first_step import first_step
        from nuvik.core.views.survey_headline import survey_headline
        from nuvik.core.views.unread_words import unread_problems, unread_words

        if quick and paths:
            raise BadInput("A quick survey is of all drives.", next_step="Leave out the path, or --quick.")
        snapshot = _take(call, tuple(paths or ()), quick)
        if save is not None:
            call.workspace.survey.save(snapshot, snapshot.libraries, save)
            call.wrote(save)
        if call.as_json:
            call.document(SurveyDocument.of(snapshot))
        else:
            call.say(f"{survey_headline(snapshot)} {first_step(snapshot)}".rstrip())
            call.say()
            _list_libraries(call, snapshot)
            if loose:
                _list_loose(call, snapshot)
        unread = unread_problems(snapshot)
        if unread:
            more = "" if unreadable or len(unread) == 1 else ". --unreadable lists them"
            call.problem(f"{unread_words(snapshot)}{more}.")
        for problem in unread if unreadable else ():
            call.problem(f"{shown(problem.path)}: {problem.problem}")
        if not snapshot.complete:
            call.problem("the survey was stopped early, so the figures are too low.")
            raise typer.Exit(EXIT_STOPPED)
        if unread:
            raise typer.Exit(EXIT_FINDINGS)

    @command(app, "changes")
    def changes(
        call: Call,
        since: Annotated[str | None, typer.Option("--since", metavar="DATE", help="Such as 2026-10-01.")] = None,
    ) -> None:
        """Tell what grew, what is new and what went since the survey before, and how long each drive lasts."""
        from nuvik.core.views.documents.of_surveys import ChangesDocument
        from nuvik.core.views.growth_sentences import (
            changes_between,
            changes_by_drive,
            difference_line,
            forecast_sentence,
        )

        compared = call.workspace.survey.changes(since)
        rates = call.workspace.survey.growth()
        differences = changes_between(*compared) if compared else []
        if call.as_json:
            call.document(ChangesDocument.of(compared, differences, rates))
            return
        if compared is None:
            call.say("There are no two surveys to compare yet. Survey again later.")
        else:
            call.say(f"From {_day(compared[0])} to {_day(compared[1])}: {_sum_of_changes(len(differences))}")
            for drive, total, mine in changes_by_drive(differences, compared[1].drives):
                call.say(f"{shown(drive.label)}: {'+' if total >= 0 else '−'}{format_bytes(abs(total))}")
                for change in mine[:_LISTED]:
                    call.say(f"  {difference_line(change)}")
                if len(mine) > _LISTED:
                    call.say(f"  and {len(mine) - _LISTED} more")
        call.say()
        for drive in call.workspace.drives.all():
            if drive.attached:
                call.say(f"{shown(drive.label)}: {forecast_sentence(drive, rates.get(drive.id))}.")

    @command(app, "twins")
    def twins(call: Call) -> None:
        """Look for large files that lie on two drives, by size and checksum. Nothing is removed."""
        from nuvik.core.views.documents.of_surveys import TwinsDocument

        stop, line = Stop(), call.progress()

        def reading(file: LargeFile, done_bytes: int, total_bytes: int) -> None:
            line.show(f"reading {shorten(file.path, 50)}: {done_bytes / max(1, total_bytes):.0%}")

        with stoppable(call, stop, line, "stopped; nothing was changed."):
            groups = call.workspace.survey.twins(reading, stop)
        if call.as_json:
            call.document(TwinsDocument.of(groups))
            return
        if not groups:
            call.say("The last survey saw no large file on two drives.")
        for group in groups:
            call.say(f"{format_bytes(group.spare_bytes)} spare: {format_count(len(group.files), 'equal file')}")
            for file in group.files:
                call.say(f"  {shown(file.path)}")


def _sum_of_changes(count: int) -> str:
    return f"{format_count(count, 'change')}." if count else "nothing changed."


def _day(snapshot: Snapshot) -> str:
    return snapshot.taken_at[:16].replace("T", " ")


def _progress_words(progress: SurveyProgress) -> str:
    return (
        f"measuring {shorten(progress.drive, 20)}: {progress.entries:,} names, "
        f"{format_bytes(progress.bytes)}, {progress.share:.0%} of what is in use"
    )


def _take(call: Call, paths: tuple[str, ...], quick: bool) -> Snapshot:
    stop, line, stage = Stop(), call.progress(), call.workspace.survey

    def report(progress: SurveyProgress) -> None:
        line.show(_progress_words(progress))

    try:
        with stopping(stop, call):
            if not quick:
                return stage.take(paths, report, stop)
            snapshot, again = stage.take_quickly(report, stop)
    finally:
        line.clear()
    call.notice(f"{again.walked:,} of {again.folders:,} folders may have changed, and were looked at again.")
    return snapshot


def _list_libraries(call: Call, snapshot: Snapshot) -> None:
    from nuvik.core.views.verdict_words import verdict_words

    labels = {drive.id: drive.label for drive in snapshot.drives}
    rows = [
        (
            format_bytes(library.on_disk_bytes),
            f"{library.files:,}",
            ago(library.last_used),
            shown(labels[library.drive]),
            str(library.kind),
            shown(library.name)
            + ("  (hidden)" if library.hidden else "")
            + (f"  ({words})" if (words := verdict_words(library)) else ""),
        )
        for library in snapshot.libraries
    ]
    rows += [
        (
            format_bytes(small.bytes),
            f"{small.files:,}",
            "",
            shown(labels[small.drive]),
            "",
            f"small things in {format_count(small.folders, 'folder')}",
        )
        for small in snapshot.small_things
    ]
    call.table(rows, ("size", "files", "last used", "drive", "kind", "library"), right=(0, 1, 2))
    total = sum(library.on_disk_bytes for library in snapshot.libraries)
    call.say(f"{format_bytes(total)} in {format_count(len(snapshot.libraries), 'library', 'libraries')}")


def _list_loose(call: Call, snapshot: Snapshot) -> None:
    from nuvik.core.views.loose_files import loose_files, old_downloads

    call.say("\nIn no library:")
    loose = snapshot.loose[:_LISTED]
    call.table(
        ((format_bytes(folder.bytes), f"{folder.files:,}", shown(folder.path)) for folder in loose),
        right=(0, 1),
        indent=2,
    )
    if not snapshot.loose:
        call.say("  nothing: everything that was found is in a library")
    for title, files in (
        ("Largest files in no library:", loose_files(snapshot)),
        ("Downloads unchanged for a year:", old_downloads(snapshot)),
    ):
        if files:
            call.say(f"\n{title}")
        rows = ((format_bytes(file.bytes), ago(file.changed), shown(file.path)) for file in files[:_LISTED])
        call.table(rows, right=(0, 1), indent=2)
