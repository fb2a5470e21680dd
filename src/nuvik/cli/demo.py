"""`nuvik demo`: the made-up household, to try everything on."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik.cli.call import Call, command


def add_to(app: typer.Typer) -> None:
    @command(app, "demo")
    def demo(
        call: Call,
        at: Annotated[str | None, typer.Option("--at", metavar="DIR", help="Where the household stands.")] = None,
        fresh: Annotated[bool, typer.Option("--fresh", help="Make it anew, as if nothing had been moved.")] = False,
        tour: Annotated[bool, typer.Option("--tour", help="Do the whole job with no screen, and tell of it.")] = False,
        out: Annotated[str, typer.Option("--out", metavar="DIR", help="Where the tour puts its drawings.")] = ".",
    ) -> None:
        """Open the screens on the Hollin Observatory, an invented household; nothing of yours is touched."""
        from nuvik.demo.build import household_at

        if tour:
            from nuvik.cli.tour import take_tour

            take_tour(call, at, out)
            return
        folder = household_at(at, fresh)
        from nuvik.core.workspace import open_workspace
        from nuvik.tui.app import NuvikApp

        NuvikApp(open_workspace(folder, call.state)).run()
