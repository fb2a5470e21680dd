"""The commands: every stage without a screen. One module a command group; `call` holds what all share."""

from __future__ import annotations

import typer

_HELP = """See what fills your drives, decide what belongs where, rehearse the moves, and carry them out so that
nothing is lost. With no command, the screens open on this computer; “nuvik demo” opens them on a made-up one."""


def build_app() -> typer.Typer:
    """The whole command line."""
    from nuvik.cli import (
        away,
        cards,
        carry,
        config,
        demo,
        draw,
        drives,
        eject,
        empty,
        facts,
        guide,
        help,
        history,
        landing,
        logbook,
        mend,
        note,
        opening,
        plan,
        propose,
        report,
        speeds,
        start,
        status,
        survey,
        tether,
        waiting,
    )

    app = typer.Typer(
        help=_HELP,
        add_completion=True,
        rich_markup_mode=None,
        pretty_exceptions_enable=False,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    for group in (
        start,
        demo,
        status,
        drives,
        speeds,
        eject,
        away,
        note,
        guide,
        survey,
        history,
        cards,
        plan,
        propose,
        waiting,
        opening,
        carry,
        logbook,
        mend,
        tether,
        landing,
        empty,
        config,
        draw,
        report,
        facts,
        help,
    ):
        group.add_to(app)
    return app
