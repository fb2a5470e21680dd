"""Where every call begins: `nuvik` with no words opens the screens, with words it is a command."""

from __future__ import annotations

import gc
import io
import os
import sys
from typing import TYPE_CHECKING, NoReturn

from nuvik.cli.output import Output
from nuvik.core.model.errors import BadInput, NotNamed, NuvikError, Refused, Stopped, StopRequested, system_words

if TYPE_CHECKING:
    from typer.exceptions import TyperException

_COLLECT_EVERY = 200_000
"""New values between two searches for circles. A library may have a million entries, which form none: searching as
often as Python does by itself takes a third of the time of carrying it.
"""
EXIT_FAULT, EXIT_WORDS, EXIT_REFUSED, EXIT_STOPPED = 1, 2, 3, 4


def main() -> NoReturn:
    """Run the command line; every condition a user can cause ends in a message and its exit code."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):  # an encoding that lacks a character is no reason to end
            stream.reconfigure(errors="replace")
    sys.exit(run(sys.argv[1:]))


def run(words: list[str]) -> int:
    """Run one call and give its exit code."""
    gc.set_threshold(_COLLECT_EVERY)

    from typer import Abort
    from typer.exceptions import TyperException

    from nuvik.cli import build_app

    as_json = "--json" in words
    try:
        code = build_app()(args=words, prog_name="nuvik", standalone_mode=False)
    except SystemExit as end:  # completion ends so
        return end.code if isinstance(end.code, int) else 0 if end.code is None else EXIT_WORDS
    except TyperException as slip:
        return _refuse(_words_are_off(slip), EXIT_WORDS, as_json)
    except NuvikError as trouble:
        kinds = {BadInput: EXIT_WORDS, NotNamed: EXIT_WORDS, Refused: EXIT_REFUSED, Stopped: EXIT_STOPPED}
        code = next((code for kind, code in kinds.items() if isinstance(trouble, kind)), EXIT_FAULT)
        # Work that stopped has said so in a line.
        return _refuse(trouble, code, as_json and not isinstance(trouble, Stopped))
    except StopRequested:
        Output().message("nuvik: stopped as asked.")
        return EXIT_STOPPED
    except (KeyboardInterrupt, Abort):
        Output().message("nuvik: interrupted; nothing is left unfinished.")
        return EXIT_STOPPED
    except OSError as fault:
        # What carrying meets it handles itself: here something could only not be looked at.
        return _refuse(_unreadable(fault), EXIT_REFUSED, as_json)
    except Exception as fault:
        _report_fault(fault)
        return EXIT_FAULT
    return code if isinstance(code, int) else 0


def _words_are_off(slip: TyperException) -> BadInput:
    """What the parser of the command line does not understand, as one of our own refusals."""
    context = getattr(slip, "ctx", None)
    where = context.command_path if context else "nuvik"
    # Without any words of its own a group of commands offers its whole help.
    what = (
        "Which one?"
        if type(slip).__name__ == "NoArgsIsHelpError"
        else " ".join(slip.format_message().replace("Value error, ", "").split())
    )
    return BadInput(what, next_step=f"“{where} --help” shows what it takes.")


def _unreadable(fault: OSError) -> Refused:
    from nuvik.core.model.names import shown

    words = system_words(fault)
    where = f"{shown(os.fsdecode(fault.filename))}: " if isinstance(fault.filename, (str, bytes)) else ""
    return Refused(f"{where}{words}.", next_step="Check that path and its drive, and try again.")


def _refuse(trouble: NuvikError, code: int, as_json: bool) -> int:
    """Say why the call ended: to people, and to a program with one object in place of the document it asked for."""
    output = Output()
    output.message(f"nuvik: {trouble.what}" + (f"\n       {trouble.next_step}" if trouble.next_step else ""))
    if as_json:
        import json

        from nuvik.core.views.documents.formats import as_document
        from nuvik.core.views.documents.of_calls import ErrorDocument

        error = ErrorDocument(what=trouble.what, next_step=trouble.next_step, exit_code=code)
        output.result(json.dumps(as_document(error)))
    return code


def _report_fault(fault: Exception) -> None:
    """A fault in Nuvik itself: the details go to the log, the user gets one line."""
    from nuvik.log import log, log_path, set_up

    set_up()
    log.error("a fault in Nuvik itself", exc_info=fault)
    Output().message(
        f"nuvik: a fault in Nuvik itself ({type(fault).__name__}). What was on your drives is safe.\n"
        f"       The details are in {log_path()}; please report them."
    )


if __name__ == "__main__":
    main()
