"""`nuvik landing`: where new content of each kind goes, and telling programs where it is to go."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command
from nuvik.cli.tether import Format
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown

if TYPE_CHECKING:
    from nuvik.core.model.landing import LandingRow


def add_to(app: typer.Typer) -> None:
    @command(app, "landing")
    def landing(
        call: Call,
        kind: Annotated[Kind | None, typer.Argument(case_sensitive=False, show_default=False)] = None,
        goal: Annotated[str | None, typer.Argument(metavar="DRIVE-OR-FOLDER", show_default=False)] = None,
        yes: Annotated[
            bool,
            typer.Option(
                "--yes", help="Also change what programs use: your standard folder and the settings you added."
            ),
        ] = False,
        forget: Annotated[
            bool, typer.Option("--forget", help="Forget the choice; programs get their earlier settings back.")
        ] = False,
        add: Annotated[
            bool, typer.Option("--add", help="Add a setting in which a program keeps where new content goes.")
        ] = False,
        file: Annotated[str, typer.Option("--file", metavar="FILE", help="With --add: the settings file.")] = "",
        key: Annotated[
            str, typer.Option("--key", metavar="KEY", help="With --add: the key in it, a dotted path.")
        ] = "",
        form: Annotated[
            Format | None,
            typer.Option("--format", case_sensitive=False, help="The file's format. Default: by its name."),
        ] = None,
        remove: Annotated[
            int | None,
            typer.Option("--remove", metavar="N", min=1, help="Stop managing setting N."),
        ] = None,
        find: Annotated[
            bool, typer.Option("--find", help="Look through your settings files for the folders of this kind.")
        ] = False,
        gather: Annotated[
            bool, typer.Option("--gather", help="Leave links in that folder to the other folders of this kind.")
        ] = False,
        along: Annotated[
            str | None,
            typer.Option("--along", metavar="PLAN", help="Write a plan that also moves what is in the old folder."),
        ] = None,
    ) -> None:
        """Show where new content of each kind goes, or choose where one kind goes from now on."""
        workspace = call.workspace
        if kind is None and (forget or add or find or gather or remove is not None or along):
            raise BadInput("Of which kind?", next_step="For example: nuvik landing game --forget")
        if not add and (file or key or form):
            raise BadInput("What is to be added?", next_step="Say --add, too.")
        if kind is not None:
            if add:
                place = workspace.landings.teach(kind, file, key, form or "")
                call.say(f"New content of the kind {kind} goes to {shown(place.value)} by that setting now.")
            if remove is not None:
                tether = workspace.landings.forget_setting(kind, remove)
                call.say(f"{shown(tether.key)} in {shown(tether.file)} is left as it is from now on.")
            if goal is not None:
                chosen = workspace.landings.choose(kind, goal)
                call.say(f"New content of the kind {kind} is to go to {shown(chosen.path)}.")
            if forget:
                _forget(call, kind)
            elif goal is not None or yes:
                _tell(call, kind, yes)
        rows = [row for row in workspace.landings.rows(workspace.survey.latest()) if kind in (None, row.kind)]
        for row in rows if kind is not None else ():
            if find:
                _find(call, row)
            if gather:
                for link in workspace.landings.gather(row):
                    call.say(f"  link {shown(link)}")
            if along is not None:
                _write_along(call, row, along)
        if gather:
            rows = [row for row in workspace.landings.rows(workspace.survey.latest()) if row.kind is kind]
        _show(call, rows, whole=kind is not None)
        if any(place.trouble for row in rows for place in row.places):
            raise typer.Exit(EXIT_FINDINGS)


def _forget(call: Call, kind: Kind) -> None:
    from nuvik.core.views.tether_sentences import change_lines

    back = call.workspace.landings.forget(kind)
    for change in back.changes:
        call.say("\n".join(change_lines(change)))
    for words in back.left:
        call.say(words)
    if not back.changes and not back.left:
        call.say("No program was changed for it.")
    call.say(f"No folder is chosen for {kind} any more.")


def _tell(call: Call, kind: Kind, yes: bool) -> None:
    from nuvik.core.views.tether_sentences import change_lines

    stage = call.workspace.landings
    changes = stage.apply(kind) if yes else stage.changes(kind)
    for change in changes:
        call.say("\n".join(change_lines(change)))
    if not changes:
        call.say("There is no setting left to change. Choose that folder in the programs that bring it, too.")
    elif yes:
        call.say("Programs will use it from now on; restart those that are open.")
    else:
        call.say("Programs do not use it yet: add --yes.")


def _find(call: Call, row: LandingRow) -> None:
    from nuvik.core.views.landing_sentences import setting_line

    with call.working("Looking through settings"):
        settings = call.workspace.landings.find(row)
    for setting in settings:
        call.say(setting_line(setting))
    call.say(
        f"Choose those that say where new content goes: nuvik landing {row.kind} --add --file FILE --key KEY"
        if settings
        else f"No settings file of yours names a folder of the kind {row.kind}."
    )


def _write_along(call: Call, row: LandingRow, output: str) -> None:
    workspace = call.workspace
    left = workspace.landings.left_behind(row, workspace.survey.latest())
    if row.chosen is None or not left:
        raise Refused(
            f"Nothing of the kind {row.kind} is left in another folder.", next_step="Choose where it is to go first."
        )
    draft = workspace.plan.empty_draft(workspace.survey.latest())
    plan = workspace.plan.make(workspace.plan.brought_along(draft, left, row.chosen.drive))
    workspace.plan.write(plan, output)
    call.wrote(output)
    call.say(f"Next: nuvik rehearse {shown(output)}")


def _show(call: Call, rows: list[LandingRow], whole: bool) -> None:
    from nuvik.core.views.documents.of_tethers import LandingDocument
    from nuvik.core.views.landing_sentences import landing_cells, landing_headline, landing_lines

    if call.as_json:
        call.document(LandingDocument.of(rows))
        return
    labels, snapshot = call.workspace.drives.labels(), call.workspace.survey.latest()
    if not whole or not rows:
        call.say(landing_headline(rows, labels))
    for row in rows if whole else ():
        lines = landing_lines(row, call.workspace.landings.left_behind(row, snapshot), labels)
        call.table(lines, indent=2)
    if whole:
        return
    cells = [(landing_cells(row, labels), row) for row in rows]
    call.table(
        (
            (
                each.kind,
                f"{each.now}, {each.chosen}; {each.programs.partition(':')[0]}" if row.chosen else each.now,
                each.newest,
            )
            for each, row in cells
        ),
        ("kind", "goes to", "landed last"),
        indent=2,
    )
