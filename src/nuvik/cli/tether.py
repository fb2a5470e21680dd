"""`nuvik tether`: what keeps programs finding a library, once it has moved."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.model.tether import TetherKind, TetherState
from nuvik.core.model.units import format_count

Format = Literal["json", "toml", "ini", "plist", "desktop", "plain", "yaml"]
"""Of settings files."""

if TYPE_CHECKING:
    from nuvik.core.settings.find_settings import FoundSetting
    from nuvik.core.stages.tethers import TetherRow


def add_to(app: typer.Typer) -> None:
    @command(app, "tether")
    def tether(
        call: Call,
        library: Annotated[str, typer.Argument(metavar="LIBRARY", help="Its path, or its name.")],
        find: Annotated[
            bool, typer.Option("--find", help="Look through your settings files for its path; nothing is changed.")
        ] = False,
        add: Annotated[
            TetherKind | None,
            typer.Option("--add", case_sensitive=False, help="Add one of this kind; with none, no link is left."),
        ] = None,
        file: Annotated[
            str, typer.Option("--file", metavar="FILE", help="The settings file that holds its path.")
        ] = "",
        key: Annotated[
            str, typer.Option("--key", metavar="KEY", help="The key in it: a dotted path such as shelves.1.path.")
        ] = "",
        form: Annotated[
            Format | None,
            typer.Option("--format", case_sensitive=False, help="The file's format. Default: by its name."),
        ] = None,
        words: Annotated[str, typer.Option("--words", metavar="TEXT", help="What has to be done by hand.")] = "",
        value: Annotated[
            str, typer.Option("--value", metavar="TEXT", help="For a check: the value the key must have.")
        ] = "",
        remove: Annotated[
            int | None, typer.Option("--remove", metavar="N", min=1, help="Remove the tether with this number.")
        ] = None,
        done: Annotated[
            int | None,
            typer.Option("--done", metavar="N", min=1, help="Mark what this tether asks you to do by hand as done."),
        ] = None,
        check: Annotated[bool, typer.Option("--check", help="Check whether each still leads to the library.")] = False,
        repair: Annotated[
            bool, typer.Option("--repair", help="Set again what a program has set back to the old place.")
        ] = False,
    ) -> None:
        """Show or choose what keeps programs finding a library when it moves: settings that hold its path, for example.

        A link is left at the old path wherever the drive can hold one; other kinds are added beside it.
        """
        from nuvik.core.views.documents.of_tethers import TetherDocument

        stage = call.workspace.tethers
        if sum(chosen is not None for chosen in (add, remove, done)) > 1:
            raise BadInput("Use only one of --add, --remove and --done.", next_step="Call once for each.")
        if add is None and (file or key or form or words or value):
            raise BadInput("What is to be added?", next_step="Give the kind, for example --add setting.")
        known = stage.library(library)
        if add is not None:
            stage.add(known, add, file, key, form or "", words, value)
        elif remove is not None:
            stage.remove(known, remove)
        elif done is not None:
            stage.done(known, done)
        if repair:
            call.say(f"{format_count(stage.repair(known), 'setting')} set again.")
        with call.working("Looking through settings"):
            rows, settings = stage.of(known), stage.find(known) if find else []
            again = stage.back_at_the_old_place(known) if check else ""
            users = stage.used_from(known.path) if check else ()
        if call.as_json:
            call.document(TetherDocument.of(known, rows, settings, again, users))
        else:
            _say(call, known.name, rows, settings if find else None, again)
            for user in users:
                call.say(f"  {shown(user)} runs from {shown(known.path)} now.")
        if again or (check and any(row.state in (TetherState.BROKEN, TetherState.DUE) for row in rows)):
            raise typer.Exit(EXIT_FINDINGS)


def _say(call: Call, name: str, rows: list[TetherRow], settings: list[FoundSetting] | None, again: str) -> None:
    from nuvik.core.views.landing_sentences import LOGIN_WORDS, setting_line

    if not rows:
        call.say(f"{shown(name)}: a link will be left at its old path when it moves, if the drive can hold one.")
    for row in rows:
        call.say(f"  {row.n or '·'}  {row.state:<7} {shown(row.tether.in_words)}")
        if row.trouble or row.login_due:
            call.say(f"             {row.trouble or LOGIN_WORDS}")
    if again:
        call.say(
            f"Something is at {shown(again)} again: the program still uses the old place, so its setting did not take."
        )
    if settings is None:
        return
    for each in settings:
        sure = "" if each.certain else "  (not certain: change it by hand)"
        call.say(f"  {setting_line(each)}{sure}")
    if any(each.certain for each in settings):
        call.say("Choose one: nuvik tether LIBRARY --add setting --file FILE --key KEY")
    elif not settings:
        call.say("No settings file of yours holds its path.")
