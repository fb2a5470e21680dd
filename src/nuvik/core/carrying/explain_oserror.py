"""What the system's errors mean while a library is being carried, and what to do about them."""

from __future__ import annotations

import errno
import os

from nuvik.core.carrying.marks import MarkRefused
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.base import drive_holding
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown

_GONE = {errno.ENODEV, errno.ENXIO, errno.ESTALE, errno.ENOTCONN, errno.ESHUTDOWN}


def stopped_by(work: Work, move: Move, fault: OSError) -> Stopped:
    """The fault in the user's words, with where the move stands."""
    path = os.fsdecode(fault.filename) if isinstance(fault.filename, (str, bytes)) else ""
    drive = drive_holding(work.drives(), path) if path else None
    where = shown(drive.label) if drive else shown(path) or "a drive"
    mend = ""
    if isinstance(fault, MarkRefused):
        return Stopped(
            f"{where} cannot keep the {fault.mark} of {shown(path)}. {shown(move.library)}: {move.state.in_words}.",
            next_step=f"“nuvik resume --without-marks” goes on and remembers it; “nuvik undo {move.id}” takes the move "
            "back.",
        )
    if fault.errno == errno.ENOSPC:
        what, mend = f"{where} is full.", f"Free space on {where}, then run “nuvik resume”; or"
    elif fault.errno == errno.EDQUOT:
        what, mend = (
            f"Your quota on {where} is used up.",
            "Remove something of yours there, then run “nuvik resume”; or",
        )
    elif fault.errno in _GONE:
        what, mend = (
            f"{where} has disappeared. Was its cable pulled?",
            f"Attach {where} again and run “nuvik resume”; or",
        )
    elif fault.errno == errno.EIO:
        what, mend = (
            f"{where} could not be read or written at {shown(path)}.",
            "Check its cable, then “nuvik resume”; or",
        )
    elif fault.errno == errno.ELOOP:
        what, mend = (
            f"A folder on the way to {shown(path)} was replaced by a link, which is not followed.",
            "Put the folder back, then run “nuvik resume”; or",
        )
    elif fault.errno == errno.EXDEV:
        what, mend = (
            f"Another drive was mounted on the way to {shown(path)}.",
            "Unmount it, then run “nuvik resume”; or",
        )
    elif fault.errno == errno.EFBIG:
        what = f"{where} cannot hold a file as big as {shown(path)}."
    else:
        what, mend = (
            f"{shown(path) or where}: {(fault.strerror or str(fault)).lower()}.",
            "Fix that and run “nuvik resume”; or",
        )
    return Stopped(
        f"{what} {shown(move.library)}: {move.state.in_words}.",
        next_step=f"{mend} “nuvik undo {move.id}” takes the move back.".strip(),
    )
