"""What is said of leftovers, the same on the screen and by the command."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nuvik.core.carrying.mending.mend import Mended
from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count

NOTHING_LEFT = "Nothing of Nuvik's is left on the attached drives, and every link and setting leads where it should."


def where(leftover: Leftover, labels: Mapping[str, str]) -> str:
    """The drive and the path of a leftover."""
    return f"{shown(labels.get(leftover.drive, leftover.drive))}: {shown(leftover.path)}"


def mendable(leftovers: Sequence[Leftover]) -> list[Leftover]:
    """Those about which something safe can be done."""
    return [leftover for leftover in leftovers if leftover.repair is not Repair.NONE]


def outcome_words(mended: Mended) -> str:
    """What became of a leftover."""
    if mended.problem is None:
        return mended.done
    return f"{shown(mended.leftover.path)}: {mended.problem.what} {mended.problem.next_step}".strip()


def leftovers_headline(leftovers: Sequence[Leftover]) -> str:
    """How many there are, and for how many something safe can be done."""
    if not leftovers:
        return NOTHING_LEFT
    safe, count = len(mendable(leftovers)), format_count(len(leftovers), "thing")
    if not safe:
        return f"{count} of Nuvik's on the drives. Nothing here is for Nuvik to put right by itself."
    return f"{count} of Nuvik's on the drives; {safe} can be put right safely by Nuvik itself."


def damaged_words(kept: str) -> str:
    """What is said while a damaged database is kept aside and nobody has looked for what its moves left."""
    return (
        f"Nuvik's database was damaged and is kept as {shown(kept)}. What could be read of it is in the new one; what "
        "earlier moves left on the drives must be looked for before anything is carried"
    )
