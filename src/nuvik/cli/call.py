"""What every command shares: the common options, the workspace they name, and how results are printed."""

from __future__ import annotations

import functools
import inspect
import json
import signal
import sys
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Any

import typer
from typer.models import OptionInfo

from nuvik import __version__
from nuvik.cli.output import Output, ProgressLine, working
from nuvik.cli.table import table_lines
from nuvik.core.model import units
from nuvik.core.model.errors import BadInput, StopRequested, system_words
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop
from nuvik.log import log, set_up

if TYPE_CHECKING:
    from nuvik.core.stages.config import Config
    from nuvik.core.stages.workspace import Workspace

EXIT_STOPPED, EXIT_FINDINGS = 4, 5
REPEATS = " May be repeated."

World = Annotated[
    str | None, typer.Option("--world", metavar="DIR", help="Use the world in this folder instead of this computer.")
]
State = Annotated[
    str | None, typer.Option("--state", metavar="DIR", envvar="NUVIK_STATE", help="Where Nuvik keeps its database.")
]
Json = Annotated[bool, typer.Option("--json", help="Print JSON instead of text.")]
Units = Annotated[
    units.Base | None,
    typer.Option("--units", envvar="NUVIK_UNITS", case_sensitive=False, help="decimal (GB) or binary (GiB)."),
]
Quiet = Annotated[bool, typer.Option("-q", "--quiet", help="Print only results and what is wrong.")]
Verbose = Annotated[bool, typer.Option("-v", "--verbose", help="Log in detail, to stderr too.")]

_COMMON = {"world": World, "state": State, "as_json": Json, "unit_kind": Units, "quiet": Quiet, "verbose": Verbose}
_DEFAULTS: dict[str, Any] = {
    "world": None,
    "state": None,
    "as_json": False,
    "unit_kind": None,
    "quiet": False,
    "verbose": False,
}


@dataclass(slots=True)
class Call:
    """A call of a command: where it works and how it speaks."""

    world: str | None = None
    state: str | None = None
    as_json: bool = False
    output: Output = field(default_factory=Output)
    _workspace: Workspace | None = None
    _lines: list[str] = field(default_factory=list)
    _written: list[str] = field(default_factory=list)
    _answered: bool = False

    def open(self) -> Workspace:
        """The computer and database that the options name, freshly opened. Raises Refused."""
        from nuvik.core.stages.workspace import open_workspace

        workspace = open_workspace(self.world, self.state)
        if kept := workspace.damaged_journal:
            self.problem(f"the database was damaged and is kept as {shown(kept)}. Run “nuvik mend”.")
        if why := workspace.why_only_read:
            self.problem(why, "Free some space there, or choose another folder with --state.")
        return workspace

    @property
    def workspace(self) -> Workspace:
        """The computer and database that the options name, opened once. Raises Refused."""
        if self._workspace is None:
            self._workspace = self.open()
        return self._workspace

    def say(self, text: str = "") -> None:
        """A line of the result for people; with --json it goes to stderr, so that stdout stays one document."""
        self._lines.append(text)
        if self.as_json:
            self.output.notice(text)
        else:
            self.output.result(text)

    def table(
        self, rows: Iterable[Sequence[str]], head: Sequence[str] = (), right: Collection[int] = (), indent: int = 0
    ) -> None:
        """Rows with aligned columns, those numbered in `right` flush right."""
        for line in table_lines(rows, head, right, indent):
            self.say(line)

    def notice(self, text: str) -> None:
        """A message that is no result, and need not be read."""
        self.output.notice(text)

    def problem(self, text: str, next_step: str = "") -> None:
        """What is wrong, and what to do about it."""
        self.output.message(f"nuvik: {text}" + (f"\n       {next_step}" if next_step else ""))

    def working(self, what: str) -> AbstractContextManager[None]:
        """Say what is going on while work runs that tells nothing itself."""
        return working(self.output, what)

    def progress(self) -> ProgressLine:
        """A line to be rewritten while work tells how far it is."""
        return ProgressLine(self.output)

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
        """With --json, a call that has no document of its own says what it did. Ends with exit code 5 where the result
        could not be written.
        """
        from nuvik.core.views.documents.of_calls import DoneDocument

        if self.as_json and not self._answered:
            self.document(DoneDocument(says=tuple(line for line in self._lines if line), written=tuple(self._written)))
        if self._workspace is not None and self._workspace.not_kept:
            self.problem(self._workspace.not_kept)
            raise typer.Exit(EXIT_FINDINGS)
        if fault := self.output.trouble:
            words = system_words(fault)
            self.problem(f"the output cannot be written: {words}.", "The command itself has finished.")
            raise typer.Exit(EXIT_FINDINGS)

    def _print(self, value: Any, indent: int | None = None) -> None:
        from nuvik.core.views.documents.formats import as_document

        self._answered = True
        self.output.result(json.dumps(as_document(value), indent=indent))


def command(app: typer.Typer, name: str, **settings: Any) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Register a command whose first parameter is a Call; the common options are added to its own."""

    def register(function: Callable[..., None]) -> Callable[..., None]:
        own = [_repeats(parameter) for parameter in inspect.signature(function, eval_str=True).parameters.values()][1:]

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


def _repeats(parameter: inspect.Parameter) -> inspect.Parameter:
    """The help of an option that takes several says so."""
    for says in getattr(parameter.annotation, "__metadata__", ()):
        if isinstance(says, OptionInfo) and "list[" in str(parameter.annotation) and says.help:
            says.help = f"{says.help.removesuffix(REPEATS)}{REPEATS}"
    return parameter


def _call(context: typer.Context, common: dict[str, Any]) -> Call:
    # `nuvik --world DIR drives` means the same as `nuvik drives --world DIR`.
    before_command: dict[str, Any] = context.find_root().obj or {}
    given = {name: common[name] or before_command.get(name) for name in _COMMON}
    for option in ("world", "state"):
        given[option] = common[option] if common[option] is not None else before_command.get(option)
    from nuvik.core.stages.config import Config, read_config

    configured = read_config() if context.info_name != "config" else Config()
    return make_call(given, configured, context.info_name or "")


def make_call(given: dict[str, Any], configured: Config, command: str) -> Call:
    """The call that the common options and the configuration describe. Raises BadInput."""
    for option in ("world", "state"):
        if given[option] is not None and not given[option].strip():
            raise BadInput(f"--{option} is empty.", next_step=f"Name a folder, or leave --{option} out.")
    if kind := given["unit_kind"] or configured.units:
        units.prefer(units.Base(kind))
    set_up(given["verbose"])
    log.info("nuvik %s on %s: %s", __version__, sys.platform, command)
    state = given["state"] or (None if given["world"] else configured.state or None)
    return Call(given["world"], state, given["as_json"], Output(given["quiet"]))


@contextmanager
def stoppable(call: Call, stop: Stop, line: ProgressLine, stopped: str) -> Iterator[None]:
    """As `stopping`, for work that tells in a line how far it is: once it is stopped, `stopped` says what is left, and
    the call ends with its exit code.
    """
    try:
        with stopping(stop, call):
            yield
    except StopRequested:
        line.clear()
        call.problem(stopped)
        raise typer.Exit(EXIT_STOPPED) from None
    finally:
        line.clear()


@contextmanager
def stopping(stop: Stop, call: Call) -> Iterator[None]:
    """While this lasts, Ctrl+C, a terminal that hangs up and the system's wish to end ask the work to stop at its next
    safe point.
    """

    def asked(number: int, frame: object) -> None:
        stop.ask()
        call.notice("\nStopping at the next safe point …")

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
