"""`nuvik drives`, `drive` and `advise`: what drives there are, what is told of them, what file system they need."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.units import format_bytes, format_speed

if TYPE_CHECKING:
    from nuvik.core.model.drive import Drive

Which = Annotated[str, typer.Argument(metavar="DRIVE", help="A drive's id, label or path.")]


def add_to(app: typer.Typer) -> None:
    @command(app, "drives")
    def drives(
        call: Call,
        names: Annotated[
            list[str] | None, typer.Argument(metavar="[DRIVE]…", show_default=False, help="Tell all of these.")
        ] = None,
    ) -> None:
        """List the drives: capacity, use, speed and tier, fastest first; with names, all that is known of each."""
        from nuvik.core.store.json_codec import drive_to_wire

        found = call.workspace.host.drives()
        if names:
            found = tuple(call.workspace.drive_or_refuse(name) for name in names)
        if call.as_json:
            findings = call.workspace.findings()
            told = [{**drive_to_wire(one), "findings": findings.get(one.id, [])} for one in found]
            call.document("drives", {"drives": told})
            return
        if names:
            for drive in found:
                _tell_all(call, drive)
            return
        call.say(f"{'drive':<12}{'usable':>10}{'used':>10}{'free':>10}  {'reads':>10}  tier    what it is")
        for drive in found:
            call.say(_line(drive))

    @command(app, "drive")
    def drive(
        call: Call,
        which: Which,
        name: Annotated[str | None, typer.Option("--name", metavar="TEXT", help="What you call it.")] = None,
        headroom: Annotated[
            str | None, typer.Option("--headroom", metavar="SIZE", help="What must stay free: 50G, or 10%.")
        ] = None,
        welcomes: Annotated[
            list[Kind] | None,
            typer.Option("--welcomes", metavar="KIND", help="A kind it is for; may be given again. Empty: all."),
        ] = None,
        portable: Annotated[
            bool | None, typer.Option("--portable/--fixed", help="Whether you take it away at times.")
        ] = None,
        template: Annotated[
            str | None,
            typer.Option("--template", metavar="PATH", help="Where libraries go on it, as Libraries/{kind}/{name}."),
        ] = None,
        forget: Annotated[bool, typer.Option("--forget", help="Strike it from the drive book.")] = False,
    ) -> None:
        """Tell Nuvik about a drive: its name, headroom, what it is for."""
        from dataclasses import replace

        from nuvik.core.survey.drives.drive_input import clean_name, headroom_of

        meant = call.workspace.drive_or_refuse(which)
        if forget:
            call.workspace.book.forget(meant)
            call.say(f"{shown(meant.label)} is struck from the book; its measurements are kept.")
            return
        told = call.workspace.book.told_of(meant)
        if name is not None:
            told = replace(told, label=clean_name(name))
        if headroom is not None:
            told = replace(told, headroom_bytes=headroom_of(headroom, meant))
        if welcomes is not None:
            told = replace(told, welcomes=tuple(str(kind) for kind in welcomes))
        if portable is not None:
            told = replace(told, portable=portable)
        if template is not None:
            from nuvik.core.planning.drafting.target_paths import clean_template

            told = replace(told, target_template=clean_template(template, meant))
        call.workspace.book.tell(meant, told)
        _tell_all(call, call.workspace.drive_or_refuse(meant.id))

    @command(app, "advise")
    def advise(
        call: Call,
        which: Which,
        systems: Annotated[
            list[str] | None,
            typer.Option("--for", metavar="SYSTEM", help="Who must write it: linux, macos, windows; may be repeated."),
        ] = None,
        links: Annotated[
            bool, typer.Option("--links", help="Programs will be moved from it, so that it must hold links.")
        ] = False,
    ) -> None:
        """Which file system a drive should have, and how the system's own tool makes it. Nuvik does not format."""
        from nuvik.core.planning.buying.filesystem_advice import (
            advice_in_words,
            needs_of,
            steps_to_better,
            this_system,
            weigh,
        )

        snapshot = call.workspace.snapshot()
        meant = call.workspace.drive_or_refuse(which)
        wanted = [one for one in snapshot.libraries if not meant.welcomes or one.kind in meant.welcomes]
        needs = needs_of(systems or [], wanted, links)
        weighed = weigh(needs, meant.capacity_bytes)
        if call.as_json:
            call.document(
                "advice",
                {
                    "drive": meant.id,
                    "says": advice_in_words(meant, needs),
                    "filesystems": [
                        {"filesystem": one.filesystem, "lacks": one.lacks, "notes": one.notes} for one in weighed
                    ],
                },
            )
            return
        call.say(advice_in_words(meant, needs))
        for one in weighed:
            fits = "fits" if not one.lacks else "lacks"
            call.say(f"  {one.filesystem:<6} {fits:<6} {'; '.join((*one.lacks, *one.notes))}".rstrip())
        if steps := steps_to_better(meant, needs, snapshot.on_drive(meant.id), this_system()):
            call.say("If you want to change it (Nuvik does not):")
            for number, step in enumerate(steps, start=1):
                call.say(f"  {number}. {step}")


def _line(drive: Drive) -> str:
    label = shorten(drive.label, 11)
    if not drive.attached:
        return f"{label:<12}{format_bytes(drive.usable_bytes):>10}  {shown(drive.why_away)}"
    mark = (
        f" · {format_bytes(drive.short_of_headroom_bytes)} short of its headroom"
        if drive.short_of_headroom_bytes
        else ""
    )
    source = " (typical)" if drive.speed_source == "typical" else ""
    return (
        f"{label:<12}{format_bytes(drive.usable_bytes):>10}{format_bytes(drive.used_bytes):>10}"
        f"{format_bytes(drive.free_bytes):>10}  {format_speed(drive.read_bytes_per_s):>10}  {drive.tier:<6}  "
        f"{drive.medium}, {drive.rules.name}{', portable' if drive.portable else ''}{source}{mark}"
    )


def _tell_all(call: Call, drive: Drive) -> None:
    from nuvik.core.views.drive_page import drive_page

    libraries = sum(one.bytes for one in call.workspace.snapshot().on_drive(drive.id))
    call.say(shown(drive.label))
    for name, words in drive_page(drive, libraries, call.workspace.findings().get(drive.id, [])):
        call.say(f"  {name:<14} {words}")
