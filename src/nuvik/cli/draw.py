"""`nuvik draw`: charts as SVG or PDF."""

from __future__ import annotations

from typing import Annotated, Literal

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import BadInput

What = Literal["done", "drives", "history", "map", "openings", "plan", "speeds", "tiles", "timeline"]
"""The names of `drawing.registry`, without loading what draws."""


def add_to(app: typer.Typer) -> None:
    @command(app, "draw")
    def draw(
        call: Call,
        what: Annotated[What, typer.Argument(case_sensitive=False, help="What to draw.", show_default=False)],
        output: Annotated[str, typer.Option("-o", "--output", metavar="FILE", help="A file ending in .svg or .pdf.")],
        plan: Annotated[str | None, typer.Option("--plan", metavar="PLAN", help="The plan to draw.")] = None,
    ) -> None:
        """Draw the drives, what fills them, size against last use, speeds, openings, a plan, its timeline, what was
        done, or free space over time.
        """
        from nuvik.drawing.registry import all_drawings
        from nuvik.drawing.render import save

        drawing, workspace = all_drawings()[what], call.workspace
        if drawing.draw is not None:
            with call.working("Drawing"):
                save([drawing.draw(workspace)], output)
        elif plan is None:
            raise BadInput(f"Which plan's {what}?", next_step="Name the plan with --plan FILE.")
        elif drawing.draw_plan is not None:
            with call.working("Drawing"):
                save([drawing.draw_plan(workspace, workspace.plan.read(plan))], output)
        call.wrote(output, "Drawn:")
