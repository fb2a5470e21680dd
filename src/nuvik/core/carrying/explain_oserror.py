"""What the system's errors mean while a library is being carried, and what to do about them."""

from __future__ import annotations

import errno
import os

from nuvik.core.carrying.marks import MarkRefused
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.base import drive_holding
from nuvik.core.model.errors import Stopped, system_words
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown

_GONE = {errno.ENODEV, errno.ENXIO, errno.ESTALE, errno.ENOTCONN, errno.ESHUTDOWN}

_WORDS = {
    errno.ENOSPC: ("{where} is full{at}.", "Free space on {where}"),
    errno.EDQUOT: ("Your quota on {where} is used up{at}.", "Remove something of yours there"),
    errno.EIO: ("{where} could not be read or written{at}.", "Check its cable"),
    errno.EROFS: (
        "{where} has become read-only{at}, as systems do with a drive that they no longer trust.",
        "Check it",
    ),
    errno.ELOOP: ("A folder on the way was replaced by a link, which is not followed{at}.", "Put the folder back"),
    errno.EXDEV: ("Another drive was mounted on the way{at}.", "Unmount it"),
    errno.EFBIG: ("{where} cannot hold a file as big as this{at}.", ""),
}
"""What happened to `{where}`, a drive, at a path (`{at}`), and what to do before going on; nothing helps where that is
empty.
"""


def stopped_by(work: Work, move: Move, fault: OSError) -> Stopped:
    """The fault in the user's words, with where the move stands."""
    path = os.fsdecode(fault.filename) if isinstance(fault.filename, (str, bytes)) else ""
    drive = drive_holding(work.drives(), path) if path else None
    where = shown(drive.label) if drive else shown(path) or _either(work, move)
    at = f" ({shown(path)})" if path and where != shown(path) else ""
    if isinstance(fault, MarkRefused):
        return Stopped(
            f"{where} cannot keep the {fault.mark} of {shown(path)}. {shown(move.library)}: {move.state.in_words}.",
            next_step=f"“nuvik resume --without-marks” goes on and remembers it; “nuvik undo {move.id}” takes the move "
            "back.",
        )
    if fault.errno in _GONE:
        what, mend = f"{where} has disappeared{at}. Was its cable pulled?", f"Attach {where} again"
    elif fault.errno in _WORDS:
        what, mend = (text.format(where=where, at=at) for text in _WORDS[fault.errno])
    else:
        on = f" on {where}" if at else ""
        what, mend = f"{shown(path) or where}{on}: {system_words(fault)}.", "Fix that"
    then = f"{mend}, then run “nuvik resume”; or" if mend else ""
    return Stopped(
        f"{what} {shown(move.library)}: {move.state.in_words}.",
        next_step=f"{then} “nuvik undo {move.id}” takes the move back.".strip(),
    )


def _either(work: Work, move: Move) -> str:
    """The drives of a move, where a fault does not say which of them it was."""
    drives = (work.drive(drive_id) for drive_id in (move.source_drive, move.target_drive))
    return " or ".join(shown(drive.label) for drive in drives if drive is not None) or "a drive"
