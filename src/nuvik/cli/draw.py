"""`nuvik draw`: charts of drives and plans, as SVG or PDF."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown


def add_to(app: typer.Typer) -> None:
    @command(app, "draw")
    def draw(
        call: Call,
        what: Annotated[str, typer.Argument(metavar="WHAT", help="drives, map, speeds, plan or timeline.")],
        output: Annotated[str, typer.Option("-o", "--output", metavar="FILE", help="A file ending in .svg or .pdf.")],
        plan: Annotated[str | None, typer.Option("--plan", metavar="PLAN", help="The plan to draw.")] = None,
    ) -> None:
        """Draw the drives, the map of size against last use, speeds, a plan now and then, or its timeline."""
        from nuvik.drawing.drives import draw_drives, draw_plan

        workspace = call.workspace
        if what == "drives":
            draw_drives(workspace.snapshot(), output)
        elif what == "map":
            from nuvik.drawing.ages import draw_ages

            draw_ages(workspace.snapshot(), output)
        elif what == "speeds":
            from nuvik.drawing.speeds import draw_speeds

            draw_speeds(workspace.snapshot(), output)
        elif what == "plan":
            if plan is None:
                raise BadInput("Which plan?", next_step="Name it with --plan FILE.")
            from nuvik.core.store.plan_file import read_plan

            draw_plan(workspace.snapshot(), read_plan(plan), output)
        elif what == "timeline":
            if plan is None:
                raise BadInput("The timeline of which plan?", next_step="Name it with --plan FILE.")
            from nuvik.core.store.plan_file import read_plan
            from nuvik.drawing.timeline import draw_timeline

            opened = read_plan(plan)
            draw_timeline(opened, workspace.rehearse(opened), workspace.labels(), output)
        else:
            raise BadInput(f"“{shown(what)}” cannot be drawn.", next_step="Draw drives, map, speeds, plan or timeline.")
        call.say(f"Drawn to {shown(output)}.")
