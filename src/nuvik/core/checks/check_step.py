"""The checks before a move: everything that would make it fail or lose something, found before anything is touched.

A rehearsal shows what they find at the step; carrying runs them again and refuses.
"""

from __future__ import annotations

from nuvik.core.checks.contents import check_contents, check_each, check_same_as_planned
from nuvik.core.checks.drives import check_drives
from nuvik.core.checks.findings import Findings
from nuvik.core.checks.places import check_places
from nuvik.core.hosts.base import Host
from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Step
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_bytes, format_bytes_apart
from nuvik.core.survey.walk.take_inventory import take_inventory


def check_step(
    host: Host,
    drives: tuple[Drive, ...],
    step: Step,
    state_folder: str,
    *,
    fresh: bool = True,
    room: bool = True,
    replaces_links_to: tuple[str, ...] = (),
    without: frozenset[str] = frozenset(),
    stop: Stop | None = None,
) -> Findings:
    """Check one step against the computer as it is now.

    With `fresh` the library must be what the plan says it was; with `room` it must fit into what is free now
    (a rehearsal reckons with earlier steps instead). The target's name may be taken by a link that says one of
    `replaces_links_to`, as when a move is taken back. `without` are folders in it that an earlier step will have moved
    away. Raises StopRequested.
    """
    findings = Findings(step)
    source_drive, target_drive = check_drives(findings, drives)
    if findings.violations or source_drive is None or target_drive is None:
        return findings
    check_places(findings, host, state_folder, source_drive, target_drive, replaces_links_to)
    if findings.violations:
        return findings
    inventory = findings.inventory = take_inventory(host.files, step.path, stop, without)
    holes = source_drive.rules.holes and target_drive.rules.holes
    findings.room_bytes = host.room_needed(inventory.sizes, target_drive, inventory.hole_bytes if holes else 0)
    if fresh:
        check_same_as_planned(findings, inventory)
    check_contents(findings, host, inventory, target_drive.rules)
    check_each(findings, host, inventory)
    if room and findings.room_bytes > target_drive.free_bytes:
        lacking = findings.room_bytes - target_drive.free_bytes
        free, needed = format_bytes_apart(target_drive.free_bytes, findings.room_bytes)
        findings.refuse(
            f"{target_drive.label} has {free} free and {shown(step.library)} needs {needed}.",
            f"Free another {format_bytes(lacking)}, or choose a drive with more room.",
            target_drive.id,
        )
    return findings
