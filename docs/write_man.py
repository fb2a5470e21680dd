"""Write docs/nuvik.1 again from the commands. Called by `python3 start.py man`; a test compares it with them."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from typer.main import get_command

from nuvik import __version__
from nuvik.cli import build_app

OUTPUT = Path(__file__).parent / "nuvik.1"
_FOOT = (
    (
        "EXIT STATUS",
        "0 done; 1 a fault in Nuvik; 2 wrong usage; 3 refused, nothing was changed; "
        "4 stopped midway and safe; 5 done, with findings to read.",
    ),
    (
        "ENVIRONMENT",
        "NUVIK_STATE: where the database is kept. NUVIK_LOG: the folder of the log. NUVIK_CONFIG: the "
        "configuration file. NUVIK_UNITS: decimal or binary. NO_COLOR: the screens use no colour.",
    ),
    ("SEE ALSO", "nuvik help lists pages on what people come for."),
)


def man_page() -> str:
    """The whole page, in roff."""
    app: Any = get_command(build_app())
    context = app.make_context("nuvik", [], resilient_parsing=True)
    lines = [
        f'.TH NUVIK 1 "" "nuvik {__version__}" "User Commands"',
        ".SH NAME",
        "nuvik \\- see what fills your drives, rehearse moving it, and move it so that nothing is lost",
        ".SH SYNOPSIS",
        ".B nuvik",
        "[\\fIOPTIONS\\fR] [\\fICOMMAND\\fR [\\fIWORDS\\fR...]]",
        ".SH DESCRIPTION",
        _text(app.help or ""),
        ".SH OPTIONS",
        *_options(app, context),
        ".SH COMMANDS",
        *_commands(app, context, "nuvik"),
    ]
    for title, words in _FOOT:
        lines += [f".SH {title}", _text(words)]
    return "\n".join(lines) + "\n"


def _commands(group: Any, context: Any, above: str) -> list[str]:
    lines: list[str] = []
    for name, command in group.commands.items():
        inner = command.make_context(name, [], parent=context, resilient_parsing=True)
        if getattr(command, "commands", None):
            lines += _commands(command, inner, f"{above} {name}")
            if not command.invoke_without_command:
                continue
        usage = " ".join(word for word in command.collect_usage_pieces(inner) if word != "[OPTIONS]")
        lines += [f".SS {_plain(f'{above} {name} {usage}'.strip())}", _text(command.help or "")]
        lines += _options(command, inner)
    return lines


def _options(command: Any, context: Any) -> list[str]:
    lines = []
    for parameter in command.get_params(context):
        record = parameter.get_help_record(context) if parameter.param_type_name == "option" else None
        # What all commands share stands once, above.
        shared = {"world", "state", "as_json", "unit_kind", "quiet", "verbose"} if context.parent else set()
        if record is not None and parameter.name not in shared | {"help"}:
            lines += [".TP", f".B {_plain(record[0])}", _text(record[1])]
    return lines


def _plain(words: str) -> str:
    return words.replace("\\", "\\e").replace("-", "\\-")


def _text(words: str) -> str:
    escaped = _plain(" ".join(words.split()))
    return f"\\&{escaped}" if escaped[:1] in (".", "'") else escaped


if __name__ == "__main__":
    OUTPUT.write_text(man_page(), encoding="utf-8")
    sys.exit(0)
