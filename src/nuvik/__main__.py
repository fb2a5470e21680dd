"""Where every call begins: `nuvik` with no words opens the screens, with words it is a command."""

from __future__ import annotations

import contextlib
import gc
import os
import sys
from typing import NoReturn

from nuvik.core.model.errors import BadInput, NuvikError, Refused, Stopped

_COLLECT_EVERY = 50_000
"""New values between two searches for circles. A library may have a million entries, which form none: searching as
often as Python does by itself takes a third of the time of carrying it.
"""
EXIT_FAULT, EXIT_WORDS, EXIT_REFUSED, EXIT_STOPPED = 1, 2, 3, 4


def main() -> NoReturn:
    """Run the command line; every condition a user can cause ends in a message and its exit code."""
    sys.exit(run(sys.argv[1:]))


def run(words: list[str]) -> int:
    """Run one call and give its exit code."""
    from nuvik.cli import build_app

    gc.set_threshold(_COLLECT_EVERY)
    try:
        build_app()(args=words, prog_name="nuvik")
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else 0 if end.code is None else EXIT_WORDS
    except NuvikError as trouble:
        _tell(trouble)
        codes = {BadInput: EXIT_WORDS, Refused: EXIT_REFUSED, Stopped: EXIT_STOPPED}
        code = next((code for kind, code in codes.items() if isinstance(trouble, kind)), EXIT_FAULT)
        if "--json" in words and not isinstance(trouble, Stopped):  # which has said so in a line
            _tell_as_json(trouble, code)
        return code
    except BrokenPipeError:  # whoever read our output has enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        print("nuvik: interrupted; nothing is left unfinished.", file=sys.stderr)  # noqa: T201
        return EXIT_STOPPED
    except OSError as fault:
        # What carrying meets it handles itself: here something could only not be looked at.
        _tell(_unreadable(fault))
        return EXIT_REFUSED
    except Exception as fault:
        _report_fault(fault)
        return EXIT_FAULT
    return 0


def _unreadable(fault: OSError) -> Refused:
    from nuvik.core.model.names import shown

    words = (fault.strerror or str(fault)).lower()
    where = f"{shown(os.fsdecode(fault.filename))}: " if isinstance(fault.filename, (str, bytes)) else ""
    return Refused(f"{where}{words}.", next_step="Check that path and its drive, and try again.")


def _tell_as_json(trouble: NuvikError, code: int) -> None:
    """A refusal for a program: one object on a line, in place of the document that was asked for."""
    import json

    from nuvik.core.views.documents.formats import as_document
    from nuvik.core.views.documents.of_calls import ErrorDocument

    error = ErrorDocument(what=trouble.what, next_step=trouble.next_step, exit_code=code)
    with contextlib.suppress(OSError):
        print(json.dumps(as_document(error)), flush=True)  # noqa: T201


def _tell(trouble: NuvikError) -> None:
    print(f"nuvik: {trouble.what}", file=sys.stderr)  # noqa: T201
    if trouble.next_step:
        print(f"       {trouble.next_step}", file=sys.stderr)  # noqa: T201


def _report_fault(fault: Exception) -> None:
    """A fault in Nuvik itself: the details go to the log, the user gets one line."""
    from nuvik.log import log, log_path, set_up

    set_up()
    log.error("a fault in Nuvik itself", exc_info=fault)
    print(  # noqa: T201
        f"nuvik: a fault in Nuvik itself ({type(fault).__name__}). What was on your drives is safe.\n"
        f"       The details are in {log_path()}; please report them.",
        file=sys.stderr,
    )


if __name__ == "__main__":
    main()
