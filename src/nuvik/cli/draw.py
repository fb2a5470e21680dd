"""`nuvik draw`: charts as SVG or PDF."""

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
        from nuvik.drawing.registry import all_drawings

        drawings, workspace = all_drawings(), call.workspace
        drawing = drawings.get(what)
        if drawing is None:
            raise BadInput(f"“{shown(what)}” cannot be drawn.", next_step=f"Draw one of: {', '.join(drawings)}.")
        if drawing.draw is not None:
            drawing.draw(workspace, output)
        elif plan is None:
            raise BadInput(f"Which plan's {shown(what)}?", next_step="Name the plan with --plan FILE.")
        elif drawing.draw_plan is not None:
            drawing.draw_plan(workspace, workspace.plan.read(plan), output)
        call.wrote(output, "Drawn:")
