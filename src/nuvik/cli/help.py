"""`nuvik help`: the how-to pages in the terminal; for the name of a command, its options."""

from __future__ import annotations

from typing import Annotated, Any

import typer
from typer.main import get_command

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import NotNamed
from nuvik.core.model.names import shown


def add_to(app: typer.Typer) -> None:
    @command(app, "help")
    def help_(
        call: Call,
        topic: Annotated[
            list[str] | None, typer.Argument(metavar="TOPIC", help="A page, or a command.", show_default=False)
        ] = None,
    ) -> None:
        """Show how to do what people come for; without a topic, list the pages. For a command, show its options."""
        from nuvik.help import topics

        pages, wanted = topics(), "-".join(topic or []).casefold()
        if not wanted:
            call.table((page.name, page.title) for page in pages)
            call.say("“nuvik help TOPIC” shows one; “nuvik COMMAND --help” lists the options of a command.")
            return
        page = next((each for each in pages if each.name == wanted), None)
        lines = page.lines() if page is not None else _options_of(topic or [])
        if lines is None:
            near = [each.name for each in pages if wanted in each.name or wanted in each.text.casefold()]
            raise NotNamed(
                f"There is no page and no command “{shown(' '.join(topic or []))}”.",
                next_step=f"Pages with that word: {', '.join(near)}." if near else "“nuvik help” lists the pages.",
            )
        for line in lines:
            call.say(line)


def _options_of(words: list[str]) -> list[str] | None:
    """What `--help` says of a command; None where there is no such command."""
    from nuvik.cli import build_app

    asked: Any = get_command(build_app())
    context = asked.make_context("nuvik", [], resilient_parsing=True)
    for word in words:
        asked = getattr(asked, "commands", {}).get(word)
        if asked is None:
            return None
        context = asked.make_context(word, [], parent=context, resilient_parsing=True)
    lines: list[str] = asked.get_help(context).splitlines()
    return lines
