"""Which drawings there are. A module of this package adds one by registering it; nothing else is to be done."""

from __future__ import annotations

import pkgutil
from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from nuvik.core.model.plan import Plan
    from nuvik.core.stages.workspace import Workspace
    from nuvik.drawing.page import Page

    Draw = Callable[[Workspace], Page]
    DrawPlan = Callable[[Workspace, Plan], Page]


@dataclass(frozen=True, slots=True)
class Drawing:
    """A kind of drawing; drawing it raises Refused."""

    name: str
    shows: str
    draw: Draw | None = None
    draw_plan: DrawPlan | None = None
    """For a drawing of a plan."""


_drawings: dict[str, Drawing] = {}


def register(name: str, shows: str) -> Callable[[Draw], Draw]:
    """Add a drawing of the workspace as it is."""

    def add(draw: Draw) -> Draw:
        _drawings[name] = Drawing(name, shows, draw=draw)
        return draw

    return add


def register_plan(name: str, shows: str) -> Callable[[DrawPlan], DrawPlan]:
    """Add a drawing of a plan."""

    def add(draw_plan: DrawPlan) -> DrawPlan:
        _drawings[name] = Drawing(name, shows, draw_plan=draw_plan)
        return draw_plan

    return add


def all_drawings() -> dict[str, Drawing]:
    """Every drawing by its name; the modules of the package are loaded for it."""
    import nuvik.drawing as package

    for module in pkgutil.iter_modules(package.__path__):
        import_module(f"{package.__name__}.{module.name}")
    return dict(sorted(_drawings.items()))
