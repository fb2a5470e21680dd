"""What every command shares: the common options, the workspace they name, and how results are printed."""

from __future__ import annotations

import functools
import inspect
import json
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Any

import typer

from nuvik import __version__
from nuvik.core.model import units
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop
from nuvik.log import log, set_up

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

EXIT_FINDINGS = 5

World = Annotated[
    str | None, typer.Option("--world", metavar="DIR", help="Use the world in this folder instead of this computer.")
]
State = Annotated[
    str | None, typer.Option("--state", metavar="DIR", envvar="NUVIK_STATE", help="Where Nuvik keeps its database.")
]
Json = Annotated[bool, typer.Option("--json", help="Print JSON instead of text.")]
Units = Annotated[
    str | None, typer.Option("--units", metavar="KIND", envvar="NUVIK_UNITS", help="decimal (GB) or binary (GiB).")
]

Verbose = Annotated[bool, typer.Option("--verbose", help="Log in detail, to stderr too.")]

_COMMON = {"world": World, "state": State, "as_json": Json, "unit_kind": Units, "verbose": Verbose}
_DEFAULTS: dict[str, Any] = {"world": None, "state": None, "as_json": False, "unit_kind": None, "verbose": False}


@dataclass(slots=True)
class Call:
    """A call of a command: where it works and how it speaks."""

    world: str | None = None
    state: str | None = None
    as_json: bool = False
    _workspace: Workspace | None = None
    _said: list[str] = field(default_factory=list)
    _written: list[str] = field(default_factory=list)
    _answered: bool = False

    def open(self) -> Workspace:
        """The computer and database that the options name, opened anew. Raises Refused."""
        from nuvik.core.stages.workspace import open_workspace

        workspace = open_workspace(self.world, self.state)
        if kept := workspace.damaged_journal:
            self.aside(f"nuvik: the database was damaged and is kept as {shown(kept)}. Run “nuvik mend”.")
        return workspace

    @property
    def workspace(self) -> Workspace:
        """The computer and database that the options name, opened once. Raises Refused."""
        if self._workspace is None:
            self._workspace = self.open()
        return self._workspace

    def say(self, text: str = "") -> None:
        """A line of the result for people; with --json it goes to stderr, so that stdout stays one document."""
        self._said.append(text)
        print(text, file=sys.stderr if self.as_json else sys.stdout)

    def aside(self, text: str) -> None:
        """A message that is no result."""
        print(text, file=sys.stderr)  # noqa: T201

    def wrote(self, path: str, words: str = "Written:") -> None:
        """Say that a file was written."""
        self._written.append(path)
        self.say(f"{words} {shown(path)}")

    def document(self, value: Any) -> None:
        """Print one JSON document of those in `views.documents.formats`."""
        self._print(value, indent=2)

    def line(self, value: Any) -> None:
        """Print one JSON document on a line of its own, at once."""
        self._print(value)

    def end(self) -> None:
        """With --json, a call that has no document of its own says what it did."""
        from nuvik.core.views.documents.of_calls import DoneDocument

        if self.as_json and not self._answered:
            self.document(DoneDocument(says=tuple(line for line in self._said if line), written=tuple(self._written)))

    def _print(self, value: Any, indent: int | None = None) -> None:
        from nuvik.core.views.documents.formats import as_document

        self._answered = True
        print(json.dumps(as_document(value), indent=indent), flush=True)  # noqa: T201


def command(app: typer.Typer, name: str, **settings: Any) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Register a command whose first parameter is a Call; the common options are added to its own."""

    def register(function: Callable[..., None]) -> Callable[..., None]:
        own = list(inspect.signature(function, eval_str=True).parameters.values())[1:]

        @functools.wraps(function)
        def called(context: typer.Context, **given: Any) -> None:
            common = {option: given.pop(option) for option in _COMMON}
            call = _call(context, common)
            try:
                function(call, **given)
            except typer.Exit:
                call.end()
                raise
            call.end()

        called.__signature__ = inspect.Signature(  # type: ignore[attr-defined]
            [inspect.Parameter("context", inspect.Parameter.POSITIONAL_OR_KEYWORD, annotation=typer.Context)]
            + [parameter.replace(kind=inspect.Parameter.KEYWORD_ONLY) for parameter in own]
            + [
                inspect.Parameter(option, inspect.Parameter.KEYWORD_ONLY, default=_DEFAULTS[option], annotation=kind)
                for option, kind in _COMMON.items()
            ]
        )
        called.__annotations__ = {
            "context": typer.Context,
            **{parameter.name: parameter.annotation for parameter in own},
            **_COMMON,
            "return": None,
        }
        app.command(name, **settings)(called)
        return function

    return register


def _call(context: typer.Context, common: dict[str, Any]) -> Call:
    # `nuvik --world DIR drives` means the same as `nuvik drives --world DIR`.
    before_command: dict[str, Any] = context.find_root().obj or {}
    for option in ("world", "state"):
        given = common[option] if common[option] is not None else before_command.get(option)
        if given is not None and not given.strip():
            raise BadInput(f"--{option} is empty.", next_step=f"Name a folder, or leave --{option} out.")
    from nuvik.core.stages.config import Config, read_config

    configured = read_config() if context.info_name != "config" else Config()
    choose_units(common["unit_kind"] or before_command.get("units") or configured.units or None)
    set_up(common["verbose"] or before_command.get("verbose", False))
    log.info("nuvik %s on %s: %s", __version__, sys.platform, context.info_name)
    world = common["world"] or before_command.get("world")
    state = common["state"] or before_command.get("state") or (None if world else configured.state or None)
    return Call(world, state, common["as_json"])


def choose_units(kind: str | None) -> None:
    """Set the units shown from the option. Raises BadInput."""
    if kind is None:
        return
    if kind not in list(units.Base):
        raise BadInput(f"“{kind}” is not a kind of units.", next_step="Use decimal or binary.")
    units.prefer(units.Base(kind))


@contextmanager
def stopping(stop: Stop, call: Call) -> Iterator[None]:
    """While this lasts, Ctrl+C, a terminal that hangs up and the system's wish to end ask the work to stop at its next
    safe point.
    """

    def asked(number: int, frame: object) -> None:
        stop.ask()
        with suppress(OSError):  # the terminal may be gone
            call.aside("\nStopping at the next safe point …")

    wishes = [signal.SIGINT, signal.SIGTERM]
    # Under nohup a hang-up is to be ignored.
    if hasattr(signal, "SIGHUP") and signal.getsignal(signal.SIGHUP) is not signal.SIG_IGN:
        wishes.append(signal.SIGHUP)
    before = {which: signal.signal(which, asked) for which in wishes}
    try:
        yield
    finally:
        for which, handler in before.items():
            signal.signal(which, handler)
