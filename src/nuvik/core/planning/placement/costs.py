"""What a placement costs, in seconds: what a proposal makes small.

    weeks × waiting per week  +  moving time × its weight  +  a fixed trouble for each move
    +  what is put on a portable drive: a fixed trouble, and weeks × opens × what an open costs that finds it away
       (what stands on one is meant to go along)
    +  headroom that is missing, and room on rapid drives that new things will want (`spaces`)
    +  demands that are not met
    +  parts apart from their library, backups beside it, collections scattered over drives

`model.wishes.Weights` has the weights.
"""

from __future__ import annotations

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.timing import per_file_seconds, read_seconds
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.waiting import HARDLY, HARDLY_WAITED_FOR, waiting_s_per_week

GB = 1_000_000_000
_WORTH_S_PER_WEEK, _WORTH_SHARE = 0.5, 0.05
"""What saves less than so much a week, or than this share of its opening, is not felt."""


def moving_s(library: Library, source: Drive, target: Drive) -> float:
    """About how long a move takes: copying at the slower side's lasting speed, reading back, removing."""
    lasting = target.sustained_write_bytes_per_s or target.write_bytes_per_s
    # Holes are not copied, and clusters that are not full only in part.
    size = min(library.bytes, library.on_disk_bytes)
    reading_s = read_seconds(source, size, library.files)
    writing_s = size / lasting + per_file_seconds(target, library.files)
    copying_s = reading_s + writing_s if source.shares_disk_with(target) else max(reading_s, writing_s)
    return copying_s + read_seconds(target, size, library.files) + per_file_seconds(source, library.files)


def felt_waiting_s_per_week(library: Library, drive: Drive, source: Drive) -> float:
    """The waiting for a library on a drive; what would hardly be felt counts as no gain over where it stands."""
    here, there = waiting_s_per_week(library, source), waiting_s_per_week(library, drive)
    if library.piece is not None and library.kind in HARDLY_WAITED_FOR:
        here, there = HARDLY * here, HARDLY * there
    return here if 0 < here - there < max(_WORTH_S_PER_WEEK, _WORTH_SHARE * here) else there


def placement_cost_s(library: Library, drive: Drive, source: Drive, wishes: Wishes) -> float:
    """What it costs that a library stands on a drive. The trouble of moving a part is in `apart_cost_s`, since one that
    goes with its library is no move of its own.
    """
    weights, piece = wishes.weighed, library.piece
    cost = wishes.weeks * felt_waiting_s_per_week(library, drive, source)
    if drive.id == source.id:
        return cost
    if drive.portable:
        share = max(piece.reads, piece.seeks) if piece else 1.0
        cost += share * (weights.away_s + wishes.weeks * library.opens_per_week * weights.away_open_s)
    cost += weights.moving * moving_s(library, source, drive) + weights.gb_s * library.on_disk_bytes / GB
    return cost + (weights.move_s if not piece or piece.body else 0)


def waiting_cost_s(library: Library, drive: Drive, source: Drive, wishes: Wishes) -> float:
    """What it costs more that a library waits on a drive, on its way to another one: it moves twice."""
    return wishes.weighed.moving * moving_s(library, source, drive) + wishes.weighed.move_s


def apart_cost_s(wishes: Wishes) -> float:
    """What it costs that a part stands apart from its library, the move of its own that this takes included."""
    return wishes.weighed.apart_part_s + wishes.weighed.move_s
