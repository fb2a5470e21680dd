"""The commands: every stage without a screen. One module a command group; `call` holds what all share."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from importlib import import_module
from typing import Any

import typer
from typer.core import TyperGroup
from typer.main import get_command

from nuvik.cli import start

_HELP = """See what fills your drives, decide what belongs where, rehearse the moves, and carry them out so that
nothing is lost. With no command, the screens open on this computer; “nuvik demo” opens them on a made-up one."""

COMMANDS = {
    "demo": ("demo",),
    "status": ("status", "watch"),
    "drives": ("drives", "drive", "advise"),
    "speeds": ("gauge", "compare"),
    "eject": ("eject",),
    "away": ("away", "fallback"),
    "note": ("note", "adopt"),
    "guide": ("guide",),
    "survey": ("survey", "changes", "twins"),
    "history": ("history",),
    "cards": ("card", "cards"),
    "plan": ("draft", "plan", "rehearse"),
    "propose": ("propose", "why"),
    "waiting": ("waiting",),
    "opening": ("opening",),
    "carry": ("carry", "shift", "resume", "undo", "skip", "next", "release"),
    "logbook": ("logbook",),
    "mend": ("mend",),
    "tether": ("tether",),
    "landing": ("landing",),
    "empty": ("empty",),
    "config": ("config",),
    "draw": ("draw",),
    "report": ("report",),
    "facts": ("facts",),
    "help": ("help",),
}
"""The modules of the commands, in the order in which they are listed, and what each of them adds."""
_MODULE_OF = {name: module for module, names in COMMANDS.items() for name in names}


def build_app() -> typer.Typer:
    """The whole command line."""
    app = typer.Typer(
        cls=_CommandLine,
        help=_HELP,
        add_completion=True,
        rich_markup_mode=None,
        pretty_exceptions_enable=False,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    start.add_to(app)
    return app


class _CommandLine(TyperGroup):
    """The command line as its parser has it."""

    def __init__(self, **settings: Any) -> None:
        super().__init__(**settings)
        self.commands = _Commands()  # type: ignore[assignment]


class _Commands(Mapping[str, Any]):
    """The commands by their names. The module of one is loaded when that is asked for: a call names only one, and the
    others would take a fifth of the time until it begins.
    """

    def __init__(self) -> None:
        self._loaded: dict[str, Any] = {}

    def __getitem__(self, name: str) -> Any:
        if name not in self._loaded:
            self._loaded.update(commands_of(_MODULE_OF[name]))
        return self._loaded[name]

    def __iter__(self) -> Iterator[str]:
        return iter(_MODULE_OF)

    def __len__(self) -> int:
        return len(_MODULE_OF)


def commands_of(module: str) -> Mapping[str, Any]:
    """The commands that a module adds, by their names, as the parser has them."""
    app = typer.Typer(add_completion=False, rich_markup_mode=None, pretty_exceptions_enable=False)
    app.callback()(lambda: None)  # a group, be it of a single command
    import_module(f"nuvik.cli.{module}").add_to(app)
    group: Any = get_command(app)
    return group.commands  # type: ignore[no-any-return]
