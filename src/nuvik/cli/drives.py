"""`nuvik drives`, `drive` and `advise`: the drives, what users say about them, which file system they need."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_speed

if TYPE_CHECKING:
    from nuvik.core.model.drive import Drive


class System(StrEnum):
    """An operating system that may have to write to a drive."""

    LINUX = "linux"
    MACOS = "macos"
    WINDOWS = "windows"


Which = Annotated[str, typer.Argument(metavar="DRIVE", help="A drive's id, label or path.")]


def add_to(app: typer.Typer) -> None:
    @command(app, "drives")
    def drives(
        call: Call,
        names: Annotated[
            list[str] | None,
            typer.Argument(metavar="DRIVE", show_default=False, help="Show everything about these drives."),
        ] = None,
        save: Annotated[str | None, typer.Option("--save", metavar="FILE.csv|.json", help="Write the drives.")] = None,
    ) -> None:
        """List the drives: capacity, use, speed and tier, fastest first; with names, all that is known of each."""
        chosen = call.workspace.drives.all()
        if names:
            chosen = tuple(call.workspace.drives.find(name) for name in names)
        if save is not None:
            call.workspace.drives.save(chosen, save)
            call.wrote(save)
            return
        if call.as_json:
            _print(call, chosen)
            return
        if names:
            for drive in chosen:
                _tell_all(call, drive)
            return
        head = ("drive", "usable", "used", "free", "reads", "tier", "what it is")
        call.table(map(_cells, chosen), head, right=range(1, 5))

    @command(app, "drive")
    def drive(
        call: Call,
        which: Which,
        name: Annotated[
            str | None, typer.Option("--name", metavar="TEXT", help="The name you want to give it.")
        ] = None,
        headroom: Annotated[
            str | None, typer.Option("--headroom", metavar="SIZE", help="What must stay free: 50G, or 10%.")
        ] = None,
        welcomes: Annotated[
            list[Kind] | None,
            typer.Option("--welcomes", help="A kind of library it is for. Default: all kinds."),
        ] = None,
        portable: Annotated[
            bool | None, typer.Option("--portable/--fixed", help="Whether it is sometimes unplugged.")
        ] = None,
        template: Annotated[
            str | None,
            typer.Option(
                "--template", metavar="PATH", help="Where libraries go on it, such as Libraries/{kind}/{name}."
            ),
        ] = None,
        forget: Annotated[bool, typer.Option("--forget", help="Remove it from the drive book.")] = False,
    ) -> None:
        """Tell Nuvik about a drive: its name, headroom, what it is for."""
        stage = call.workspace.drives
        drive = stage.find(which)
        if forget:
            stage.forget(drive)
            call.say(f"{shown(drive.label)} was removed from the drive book; its measurements are kept.")
            return
        kinds = None if welcomes is None else ", ".join(welcomes)
        stage.tell(drive, name=name, headroom=headroom, welcomes=kinds, portable=portable, template=template)
        noted = next(noted for noted in stage.all() if noted.id == drive.id)
        if call.as_json:
            _print(call, [noted])
        else:
            _tell_all(call, noted)

    @command(app, "advise")
    def advise(
        call: Call,
        which: Which,
        systems: Annotated[
            list[System] | None,
            typer.Option(
                "--for",
                metavar="SYSTEM",
                case_sensitive=False,
                help="A system that must write to it: linux, macos or windows.",
            ),
        ] = None,
        links: Annotated[
            bool, typer.Option("--links", help="Programs will be moved off it, so it must be able to hold links.")
        ] = False,
    ) -> None:
        """Which file system a drive should have, and how the system's own tool makes it. Nuvik does not format."""
        from nuvik.core.views.documents.of_drives import AdviceDocument
        from nuvik.core.views.filesystem_view import filesystem_view

        snapshot = call.workspace.survey.latest()
        drive = call.workspace.drives.find(which)
        needs = call.workspace.drives.needs(systems or [], drive, links, snapshot)
        view = filesystem_view(drive, needs, snapshot)
        if call.as_json:
            call.document(AdviceDocument.of(drive, view))
            return
        call.say(view.sentence)
        for advice in view.weighed:
            fits = "fits" if not advice.lacks else "lacks"
            call.say(f"  {advice.filesystem:<6} {fits:<6} {'; '.join((*advice.lacks, *advice.notes))}".rstrip())
        if view.steps:
            call.say("If you want to change it (Nuvik does not format drives):")
            for number, step in enumerate(view.steps, start=1):
                call.say(f"  {number}. {step}")


def _print(call: Call, drives: Iterable[Drive]) -> None:
    from nuvik.core.model.survey_document import DriveDocument, DrivesDocument

    findings = call.workspace.drives.findings()
    documents = tuple(DriveDocument.of(drive, tuple(findings.get(drive.id, ()))) for drive in drives)
    call.document(DrivesDocument(drives=documents))


def _cells(drive: Drive) -> tuple[str, ...]:
    if not drive.attached:
        return shown(drive.label), format_bytes(drive.usable_bytes), "", "", "", "", shown(drive.why_away)
    notes = [f"{drive.medium}, {drive.rules.name}"]
    if drive.portable:
        notes.append("portable")
    if drive.speed_source == "typical":
        notes.append("speed not measured")
    what = ", ".join(notes)
    if drive.short_of_headroom_bytes:
        what += f" · {format_bytes(drive.short_of_headroom_bytes)} short of its headroom"
    return (
        shown(drive.label),
        format_bytes(drive.usable_bytes),
        format_bytes(drive.used_bytes),
        format_bytes(drive.free_bytes),
        format_speed(drive.read_bytes_per_s),
        drive.tier,
        what,
    )


def _tell_all(call: Call, drive: Drive) -> None:
    from nuvik.core.views.drive_page import drive_page

    libraries = sum(library.on_disk_bytes for library in call.workspace.survey.latest().on_drive(drive.id))
    call.say(shown(drive.label))
    call.table(drive_page(drive, libraries, call.workspace.drives.findings().get(drive.id, [])), indent=2)
