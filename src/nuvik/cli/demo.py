"""`nuvik demo`: the made-up household, to try everything on."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import BadInput

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace


def add_to(app: typer.Typer) -> None:
    @command(app, "demo")
    def demo(
        call: Call,
        at: Annotated[str | None, typer.Option("--at", metavar="DIR", help="Where to put the demo household.")] = None,
        fresh: Annotated[
            bool, typer.Option("--fresh", help="Make it from scratch, as if nothing had been moved.")
        ] = False,
        tour: Annotated[
            bool, typer.Option("--tour", help="Run through the whole job without screens and print each step.")
        ] = False,
        out: Annotated[str, typer.Option("--out", metavar="DIR", help="Where to put the drawings of the tour.")] = ".",
    ) -> None:
        """Open the screens on the Hollin Observatory, an invented household; nothing of yours is touched."""
        if call.as_json and not tour:
            raise BadInput("The screens print no JSON.", next_step="Leave --json out, or add --tour.")
        if tour:
            from nuvik.cli.tour import take_tour

            take_tour(call, at, out)
            return
        from nuvik.tui.start import open_screens

        open_screens(lambda: _household(call, at, fresh))


def _household(call: Call, at: str | None, fresh: bool) -> Workspace:
    from nuvik.core.stages.workspace import open_workspace
    from nuvik.demo.build import household_at

    return open_workspace(household_at(at, fresh), call.state)
