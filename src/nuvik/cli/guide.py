"""`nuvik guide`: a story that leads through several stages, step by step."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import BadInput
from nuvik.core.model.guide import Story


def add_to(app: typer.Typer) -> None:
    @command(app, "guide")
    def guide(
        call: Call,
        story: Annotated[Story | None, typer.Argument(help="Which story. Default: all of them.")] = None,
        drive: Annotated[str | None, typer.Argument(metavar="DRIVE", help="Its name, id or path.")] = None,
    ) -> None:
        """Show a story of a drive step by step: what is done, and the command for what comes next. It can be left at
        any step.
        """
        from nuvik.core.views.documents.of_watching import GuideDocument
        from nuvik.core.views.guide_sentences import STORIES, guide_headline, guide_rows

        if story is None:
            for each, words in STORIES.items():
                call.say(f"nuvik guide {each} DRIVE: {words}")
            return
        if drive is None:
            raise BadInput("The drive is missing.", next_step=f"“nuvik guide {story} DRIVE” names it.")
        made = call.workspace.guides.guide(story, call.workspace.drives.find(drive))
        if call.as_json:
            call.document(GuideDocument.of(made))
            return
        call.say(guide_headline(made))
        for row in guide_rows(made):
            call.say(f"{row.mark} {row.n} {row.what}. {row.says}".rstrip())
            if not row.done:
                call.say(f"    {row.command}")
