"""`nuvik survey`: what is on the drives."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command
from nuvik.core.model.clock import ago
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count


def add_to(app: typer.Typer) -> None:
    @command(app, "survey")
    def survey(
        call: Call,
        paths: Annotated[list[str] | None, typer.Argument(metavar="[PATH]…", show_default=False)] = None,
    ) -> None:
        """Measure the libraries below PATH (each sub-folder is one) and keep a snapshot."""
        from nuvik.core.store.wire import snapshot_to_wire
        from nuvik.core.survey.headline import survey_headline

        snapshot = call.workspace.survey(tuple(paths or ()), _progress)
        if sys.stderr.isatty():
            sys.stderr.write("\r\x1b[K")
        if call.as_json:
            call.document(
                "survey", {name: inner for name, inner in snapshot_to_wire(snapshot).items() if name != "format"}
            )
        else:
            call.say(survey_headline(snapshot))
            call.say()
            _list_libraries(call, snapshot)
        unread = [one for one in snapshot.problems if not one.problem.endswith("is away")]
        for one in unread:
            call.aside(f"nuvik: {shown(one.path)}: {one.problem}")
        if unread:
            raise typer.Exit(EXIT_FINDINGS)


def _progress(name: str, done: int, total: int) -> None:
    if sys.stderr.isatty():
        sys.stderr.write(f"\r\x1b[Kmeasuring {done + 1} of {total}: {shorten(name, 50)}")


def _list_libraries(call: Call, snapshot: Snapshot) -> None:
    labels = {drive.id: drive.label for drive in snapshot.drives}
    call.say(f"{'size':>9}  {'files':>7}  {'last used':>10}  {'drive':<10} {'kind':<11} library")
    for one in snapshot.libraries:
        stays = f"  (stays: {one.why_not})" if not one.movable else ""
        call.say(
            f"{format_bytes(one.bytes):>9}  {one.files:>7,}  {ago(one.last_used):>10}  "
            f"{shorten(labels[one.drive], 10):<10} {one.kind:<11} {shown(one.name)}{stays}"
        )
    total = sum(one.bytes for one in snapshot.libraries)
    call.say(f"{format_bytes(total):>9}  in {format_count(len(snapshot.libraries), 'library', 'libraries')}")
