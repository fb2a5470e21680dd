"""Only one Nuvik carries at a time: a second learns who holds the lock."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from contextlib import contextmanager

from filelock import FileLock, Timeout

from nuvik.core.model.clock import now_text
from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.names import shown
from nuvik.core.store.database import CARRYING_LOCK

_HOLDER = "carrying.json"


@contextmanager
def carrying_lock(state_folder: str, what: str) -> Iterator[None]:
    """Hold the lock while carrying. The system lets it go when the process ends, however it ends. Raises Refused."""
    lock = FileLock(os.path.join(state_folder, CARRYING_LOCK), timeout=0)
    holder = os.path.join(state_folder, _HOLDER)
    try:
        lock.acquire()
    except Timeout:
        raise Refused(
            f"Another Nuvik is already at work{_holder_words(holder)}.",
            next_step="Wait until it is done, or stop it.",
        ) from None
    except OSError as fault:
        raise _not_writable(state_folder, fault) from None
    try:
        try:
            with open(holder, "w", encoding="utf-8") as file:
                json.dump({"process": os.getpid(), "what": what, "since": now_text()}, file)
        except OSError as fault:
            raise _not_writable(state_folder, fault) from None
        yield
    finally:
        lock.release()


def _not_writable(folder: str, fault: OSError) -> Refused:
    words = system_words(fault)
    return Refused(
        f"Nuvik cannot keep its journal in {shown(folder)}: {words}.",
        next_step="Free some space there, make it writable, or choose another folder with --state.",
    )


def _holder_words(holder: str) -> str:
    try:
        with open(holder, encoding="utf-8") as file:
            data = json.load(file)
        return f": process {int(data['process'])}, {data['what']}, since {data['since']}"
    except (OSError, ValueError, KeyError, TypeError):
        return ""
