"""`nuvik` alone: the screens on this computer, or on the world that --world names."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik import __version__
from nuvik.cli.call import Call, State, Units, Verbose, World, choose_units
from nuvik.log import set_up


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
        units: Units = None,
        verbose: Verbose = False,
        version: Annotated[bool, typer.Option("--version", callback=_show_version, is_eager=True)] = False,
    ) -> None:
        """See what fills your drives, decide what belongs where, rehearse the moves, and carry them out so that
        nothing is lost. With no command, the screens open on this computer; “nuvik demo” opens them on a made-up
        one."""
        if context.invoked_subcommand is None:
            from nuvik.core.stages.config import read_config

            configured = read_config()
            units, state = units or configured.units or None, state or (None if world else configured.state or None)
        choose_units(units)
        if context.invoked_subcommand is not None:
            context.obj = {"world": world, "state": state, "verbose": verbose, "units": units}
            return
        set_up(verbose)
        from nuvik.tui.start import open_screens

        open_screens(Call(world, state).open)
