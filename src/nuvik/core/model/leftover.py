"""What Nuvik left on a drive: a folder of its own, or a link to what was moved, and what would be right for it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.journal import Move
from nuvik.core.model.paths import PathText


class Repair(StrEnum):
    """What may safely be done about a leftover."""

    NONE = "none"
    """Nothing by itself: it is as it should be, or somebody has to decide."""
    REMOVE_COPY = "remove-copy"
    """The unfinished copy goes; the library lies where it always lay."""
    PUT_BACK = "put-back"
    """The kept original takes its old name again; there is no copy of it."""
    RECORD = "record"
    """The move is written into the journal again, so that it can be released or taken back."""
    CLOSE = "close"
    """A folder that is empty but for what Nuvik says of it goes."""
    LEAD_ANEW = "lead-anew"
    """The link at the old path is made again, to where the library lies now."""
    SET_AGAIN = "set-again"
    """A setting that was set back to the old place is set to the new one again."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Leftover:
    """A thing of Nuvik's on a drive."""

    role: str
    """incoming, held, link, or setting."""
    path: PathText
    drive: str
    library: PathText
    """As the user knows it; empty where nothing says."""
    what: str
    """What it is, in a sentence."""
    right: str
    """What would be right, as a sentence that says what to do; empty where all is well."""
    repair: Repair
    move: Move | None = None
    """The move it belongs to, as the journal has it or the sidecar tells."""
    number: int = 0
    """Of a setting: which of the tethers of its move it is."""
    known: bool = True
    """The journal knows that move."""
