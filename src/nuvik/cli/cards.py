"""`nuvik card` and `nuvik cards`: what the user tells Nuvik of libraries."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import NotNamed
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count, format_speed

if TYPE_CHECKING:
    from nuvik.core.model.library import Card

_FLAGS = {
    "pin": ("pinned", "stays where it is"),
    "overrule": ("overrule", "may move, although that seems unwise"),
    "ignore": ("ignored", "is not a library"),
    "titles": ("titles", "holds one library in each subfolder"),
    "use": ("working_set", "is in active use and belongs on a rapid or brisk drive"),
    "attached": ("always_attached", "must never be on a portable drive"),
}


def add_to(app: typer.Typer) -> None:
    @command(app, "card")
    def card(
        call: Call,
        path: Annotated[str, typer.Argument(metavar="PATH", show_default=False)],
        name: Annotated[str | None, typer.Option("--name", metavar="NAME", help="What to call it.")] = None,
        kind: Annotated[
            Kind | None, typer.Option("--kind", case_sensitive=False, help="What it holds.", show_default=False)
        ] = None,
        no_kind: Annotated[bool, typer.Option("--no-kind", help="Forget the kind you set.")] = False,
        opens: Annotated[
            float | None, typer.Option("--opens-per-week", min=0, max=10_000, help="How often it is opened.")
        ] = None,
        needs: Annotated[
            str | None,
            typer.Option("--needs", metavar="SPEED", help="The minimum read speed it needs, such as 40MB/s."),
        ] = None,
        part: Annotated[
            list[str] | None,
            typer.Option("--part", metavar="FOLDER=KIND", help="A part that may be placed on another drive."),
        ] = None,
        pin: Annotated[bool | None, typer.Option("--pin/--no-pin", help="Keep it where it is.")] = None,
        overrule: Annotated[
            bool | None, typer.Option("--overrule/--no-overrule", help="Allow moving it although that seems unwise.")
        ] = None,
        ignore: Annotated[
            bool | None, typer.Option("--ignore/--no-ignore", help="Do not treat it as a library.")
        ] = None,
        titles: Annotated[
            bool | None, typer.Option("--titles/--no-titles", help="Treat each subfolder as a library of its own.")
        ] = None,
        use: Annotated[bool | None, typer.Option("--use/--no-use", help="You really use it.")] = None,
        attached: Annotated[
            bool | None, typer.Option("--attached/--no-attached", help="Never put it on a portable drive.")
        ] = None,
        with_: Annotated[
            list[str] | None, typer.Option("--with", metavar="PATH", help="Keep it on the same drive as that library.")
        ] = None,
        apart: Annotated[
            list[str] | None,
            typer.Option(
                "--apart-from", metavar="PATH", help="Keep it on a different disk from that library, as with a backup."
            ),
        ] = None,
        collection: Annotated[
            str | None,
            typer.Option("--collection", metavar="NAME", help="Keep it together with the others of this collection."),
        ] = None,
        fallback: Annotated[
            str | None,
            typer.Option(
                "--falls-back-to",
                metavar="PATH",
                help="The smaller library to use while this one's drive is unplugged; an empty PATH forgets it.",
            ),
        ] = None,
        took: Annotated[
            float | None,
            typer.Option("--took", metavar="SECONDS", min=0, help="How long it took to open from where it is now."),
        ] = None,
        forget: Annotated[bool, typer.Option("--forget", help="Forget everything you set for it.")] = False,
    ) -> None:
        """Tell Nuvik about a library, or show its card. The folder at PATH counts as one from then on."""
        from nuvik.core.model.library import Card
        from nuvik.core.model.paths import normalised

        place = os.path.realpath(normalised(path))
        survey = call.workspace.survey
        # What was said of a folder that is gone can still be read and forgotten.
        if not os.path.lexists(place) and survey.card(place) == Card(path=place):
            raise NotNamed(f"There is nothing at {shown(place)}.", next_step="Check the path.")
        card = Card(path=place) if forget else survey.card(place) if took is None else survey.timed(place, took)
        switches = {
            "pin": pin,
            "overrule": overrule,
            "ignore": ignore,
            "titles": titles,
            "use": use,
            "attached": attached,
        }
        changed = survey.card_from_options(
            card,
            name=name,
            kind="" if no_kind else kind,
            opens_per_week=opens,
            needs_read_bytes_per_s=needs,
            keep_with=with_,
            apart_from=apart,
            collection=collection,
            falls_back_to=fallback,
            parts=part,
            **{_FLAGS[switch][0]: value for switch, value in switches.items()},
        )
        if changed != card or forget or took is not None:
            survey.keep_cards([changed])
        if call.as_json:
            call.document(changed)
        else:
            for line in _lines(changed):
                call.say(line)

    cards = typer.Typer(help="Write all cards to a file, or read them from one.", no_args_is_help=True)
    app.add_typer(cards, name="cards")

    @command(cards, "export")
    def export(call: Call, file: Annotated[str, typer.Argument(metavar="FILE.toml", show_default=False)]) -> None:
        """Write every card to a TOML file."""
        count = call.workspace.survey.export_cards(file)
        call.wrote(file, f"{format_count(count, 'card')} written to")

    @command(cards, "import")
    def read(call: Call, file: Annotated[str, typer.Argument(metavar="FILE.toml", show_default=False)]) -> None:
        """Read cards from a TOML file; where one says something, it counts from now on."""
        count = call.workspace.survey.import_cards(file)
        call.say(f"{format_count(count, 'card')} read from {shown(file)}; they apply from the next survey on.")


def _lines(card: Card) -> list[str]:
    lines = [f"{shown(card.path)}"]
    if card.name:
        lines.append(f"  is called {shown(card.name)}")
    if card.kind:
        lines.append(f"  has the kind {card.kind}")
    if card.opens_per_week is not None:
        lines.append(f"  is opened {card.opens_per_week:g} times a week")
    lines += [f"  stays on the same drive as {shown(path)}" for path in card.keep_with]
    lines += [f"  stays on a different disk from {shown(path)}" for path in card.apart_from]
    if card.falls_back_to:
        lines.append(f"  falls back to {shown(card.falls_back_to)} while its drive is away")
    if card.collection:
        lines.append(f"  belongs to the collection {shown(card.collection)}")
    if card.needs_read_bytes_per_s:
        lines.append(f"  needs at least {format_speed(card.needs_read_bytes_per_s)}")
    lines += [f"  opens in {timing.seconds:g} s from the drive {shown(timing.drive)}" for timing in card.timings]
    if card.computing_s is not None:
        lines.append(f"  computes for {card.computing_s:.2g} s of that, wherever it is")
    elif card.opening_factor is not None:
        lines.append(f"  takes {card.opening_factor:.2f} times as long to open as its kind usually does")
    lines += [f"  {words}" for field, words in _FLAGS.values() if getattr(card, field)]
    if not card.movable:
        lines.append(f"  must stay: {shown(card.why_not or 'its card file says so')}")
    lines += [f"  has the part {shown(part.path)} ({part.kind})" for part in card.parts]
    lines += [f"  when it moves: {shown(tether.in_words)}" for tether in card.tethers]
    return lines if len(lines) > 1 else [f"{lines[0]}: you have set nothing for it."]
