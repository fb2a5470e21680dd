"""`nuvik` alone: the screens on this computer, or on the world that --world names."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik import __version__
from nuvik.cli.call import Json, Quiet, State, Units, Verbose, World, make_call
from nuvik.core.model.errors import BadInput


def _show_version(asked: bool) -> None:
    if asked:
        typer.echo(f"nuvik {__version__}")
        raise typer.Exit


def add_to(app: typer.Typer) -> None:
    @app.callback(invoke_without_command=True)
    def start(
        context: typer.Context,
        world: World = None,
        state: State = None,
        as_json: Json = False,
        unit_kind: Units = None,
        quiet: Quiet = False,
        verbose: Verbose = False,
        version: Annotated[
            bool, typer.Option("--version", callback=_show_version, is_eager=True, help="Print the version.")
        ] = False,
    ) -> None:
        """See what fills your drives, decide what belongs where, rehearse the moves, and carry them out so that
        nothing is lost. With no command, the screens open on this computer; “nuvik demo” opens them on a made-up
        one."""
        given = {
            "world": world,
            "state": state,
            "as_json": as_json,
            "unit_kind": unit_kind,
            "quiet": quiet,
            "verbose": verbose,
        }
        if context.invoked_subcommand is not None:
            context.obj = given
            return
        if as_json:
            raise BadInput("The screens print no JSON.", next_step="Name a command: “nuvik --help” lists them.")
        from nuvik.core.stages.config import read_config
        from nuvik.tui.start import open_screens

        open_screens(make_call(given, read_config(), "screens").open)
