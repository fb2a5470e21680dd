"""The JSON documents that commands print: values of the model, as plain data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from nuvik.core.carrying.mending.mend import Mended
from nuvik.core.model.drive import Drive
from nuvik.core.model.emptied import Emptied
from nuvik.core.model.landing import LandingRow
from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.model.library import Library
from nuvik.core.model.plan import Plan
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.drafting.why import Why
from nuvik.core.settings.find_settings import FoundSetting
from nuvik.core.stages.emptying import Emptiable
from nuvik.core.stages.tethers import TetherRow
from nuvik.core.store.json_codec import drive_to_json, plan_to_json, snapshot_to_json, to_json


def document(value: Any) -> Any:
    """A value of the model as plain JSON data."""
    return to_json(value)


def drive_document(drive: Drive) -> dict[str, Any]:
    """A drive, with the figures that follow from its own."""
    return drive_to_json(drive)


def survey_document(snapshot: Snapshot) -> dict[str, Any]:
    """A survey, without its format."""
    return _without_format(snapshot_to_json(snapshot))


def plan_document(plan: Plan) -> dict[str, Any]:
    """A plan, without its format."""
    return _without_format(plan_to_json(plan))


def why_document(why: Why) -> dict[str, Any]:
    """Why a library is where it is, and what each drive would mean for it, where it is now first."""
    library = why.library
    goal = next((row for row in why.drives if row.drive == why.moves_to), None)
    blocked = [f"{row.label}: {row.obstacle}" for row in why.drives if row.obstacle]
    return {
        "library": library.name,
        "id": library.id,
        "path": library.path,
        "kind": str(library.kind),
        "opens_per_week": library.opens_per_week,
        "moves_to": None if goal is None else goal.drive,
        "reason": why.reason,
        "drives": [
            {
                "id": row.drive,
                "label": row.label,
                "here": row.here,
                "seconds": row.opening.total_s,
                "computing_s": row.opening.computing_s,
                "sequence_s": row.opening.sequence_s,
                "small_reads_s": row.opening.small_reads_s,
                "low_s": row.bounds_s[0] if row.bounds_s else None,
                "high_s": row.bounds_s[1] if row.bounds_s else None,
                "source": why.source,
                "waiting_s_per_week": row.waiting_s_per_week,
                "saves_s_per_week": row.saves_s_per_week,
                "worth_s_per_week_per_gb": row.worth_s_per_week_per_gb,
                "line_s_per_week_per_gb": row.line_s_per_week_per_gb,
                "pays_from_per_week": row.pays_from_per_week,
                "pays_below_per_week": row.pays_below_per_week,
                "obstacle": row.obstacle or None,
            }
            for row in why.drives
        ],
        "blocked_by": blocked,
    }


def emptiable_document(emptiable: Emptiable) -> dict[str, Any]:
    """Something that programs make anew."""
    return {
        "name": emptiable.name,
        "path": emptiable.path,
        "library": emptiable.library.name,
        "drive": emptiable.library.drive,
        "bytes": emptiable.bytes,
        "files": emptiable.files,
    }


def emptied_document(emptied: Emptied) -> dict[str, Any]:
    """Something that was emptied."""
    return {
        "n": emptied.id,
        "name": emptied.name,
        "path": emptied.path,
        "drive": emptied.drive,
        "bytes": emptied.bytes,
        "files": emptied.files,
        "state": str(emptied.state),
        "emptied_at": emptied.emptied_at,
    }


def landing_document(row: LandingRow) -> dict[str, Any]:
    """Where new content of a kind goes: `drive`, `path`, `before` and `reason` are of where it is to go, else of where
    it goes now.
    """
    goal = row.chosen or row.now
    return {
        "kind": str(row.kind),
        "drive": goal.drive if goal else None,
        "path": goal.path if goal else None,
        "reason": goal.reason if goal else "",
        "before": row.now.drive if row.now else "",
        "now": to_json(row.now),
        "chosen": to_json(row.chosen),
        "places": [
            {
                "n": place.n,
                "kind": str(place.tether.kind),
                "file": place.tether.file,
                "format": place.tether.format or None,
                "key": place.tether.key or None,
                "value": place.value,
                "state": str(place.state),
                "trouble": place.trouble or None,
            }
            for place in row.places
        ],
        "folders": to_json(row.folders),
        "newest": row.newest.name if row.newest else None,
        "landed": dict(row.landed),
        "login_due": row.login_due,
    }


def tether_document(
    library: Library, rows: Sequence[TetherRow], settings: Sequence[FoundSetting], again: str, users: Sequence[str]
) -> dict[str, Any]:
    """What keeps programs finding a library; `settings` that hold its path, whether its old place is used `again`, and
    the programs that use it where it is.
    """
    return {
        "library": library.name,
        "tethers": [
            {
                "n": row.n,
                "kind": str(row.tether.kind),
                "file": row.tether.file or None,
                "format": row.tether.format or None,
                "key": row.tether.key or None,
                "part": row.tether.part or None,
                "words": row.tether.words or None,
                "value": row.value,
                "state": str(row.state),
                "trouble": row.trouble or None,
                "login_due": row.login_due,
            }
            for row in rows
        ],
        "found": [
            {
                "file": each.file,
                "format": each.format,
                "key": each.key,
                "value": each.value,
                "certain": each.certain,
                "line": each.line or None,
            }
            for each in settings
        ],
        "old_place_used_again": again or None,
        "used_by": list(users),
    }


def mend_document(leftovers: Sequence[Leftover], mended: Sequence[Mended]) -> dict[str, Any]:
    """What of Nuvik's is on the drives, and what became of that which was mended."""
    fixed = {each.leftover.path for each in mended if each.problem is None}
    return {
        "findings": [
            {
                "kind": "tether" if leftover.role == "link" else leftover.role,
                "drive": leftover.drive,
                "path": leftover.path,
                "library": leftover.library or None,
                "summary": f"{leftover.what} {leftover.right}".strip(),
                "can_fix": leftover.repair is not Repair.NONE,
                "fixed": leftover.path in fixed,
            }
            for leftover in leftovers
        ],
        "leftovers": [to_json(leftover) for leftover in leftovers],
        "mended": [
            {"path": each.leftover.path, "done": each.done, "problem": each.problem.what if each.problem else None}
            for each in mended
        ],
    }


def _without_format(data: dict[str, Any]) -> dict[str, Any]:
    return {name: inner for name, inner in data.items() if name != "format"}
