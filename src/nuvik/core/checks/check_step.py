"""The checks before a move: everything that would make it fail or lose something, found before anything is touched.

A rehearsal shows what they find at the step; carrying runs them again and refuses.
"""

from __future__ import annotations

from nuvik.core.checks.contents import check_contents, check_each, check_same_as_planned
from nuvik.core.checks.drives import check_drives
from nuvik.core.checks.findings import Findings
from nuvik.core.checks.marks import check_marks
from nuvik.core.checks.places import check_places
from nuvik.core.checks.tethers import check_tethers
from nuvik.core.hosts.base import Host
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import system_words
from nuvik.core.model.inventory import Inventory
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Step
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_bytes, format_bytes_apart, format_count
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
    without_marks: bool = False,
    stop: Stop | None = None,
) -> Findings:
    """Check one step against the computer as it is now.

    With `fresh` the library must be what the plan says it was; with `room` it must fit into what is free now
    (a rehearsal reckons with earlier steps instead). The target's name may be taken by a link that says one of
    `replaces_links_to`, as when a move is taken back. `without` are folders in it that an earlier step will have moved
    away. With `without_marks` the user agreed to lose what the target cannot keep. Raises StopRequested.
    """
    findings = Findings(step)
    try:
        source, target = check_drives(findings, drives)
        if findings.violations or source is None or target is None:
            return findings
        check_places(findings, host, state_folder, source, target, replaces_links_to)
        check_tethers(findings, host)
        if findings.violations:
            return findings
        inventory = take_inventory(host.files, step.path, stop, without)
        if fresh:
            check_same_as_planned(findings, inventory)
        check_contents(findings, inventory, target.rules)
        with_attributes = check_each(findings, host, inventory)
        if not findings.violations:
            check_marks(findings, host, inventory, with_attributes, target, without_marks)
        _check_room(findings, host, inventory, source, target, room)
    except OSError as fault:
        # A name that is too long for the system, or a drive that went at this moment: nothing was touched.
        path = fault.filename if isinstance(fault.filename, str) else step.path
        findings.refuse(
            f"{shown(path)} cannot be looked at: {system_words(fault)}.",
            "Survey again and make a new plan.",
        )
    return findings


def _check_room(findings: Findings, host: Host, inventory: Inventory, source: Drive, target: Drive, room: bool) -> None:
    """Whether the target has room for the contents, for so many entries, and for this user."""
    name = shown(findings.step.library)
    holes = source.rules.holes and target.rules.holes
    needed = findings.room_bytes = host.room_needed(inventory.sizes, target, inventory.hole_bytes if holes else 0)
    if room and needed > target.free_bytes:
        free_words, needed_words = format_bytes_apart(target.free_bytes, needed)
        findings.refuse(
            f"{target.label} has {free_words} free and {name} needs {needed_words}.",
            f"Free another {format_bytes(needed - target.free_bytes)}, or choose a drive with more room.",
            target.id,
        )
    limits = host.limits(target)
    if limits.entries is not None and len(inventory.entries) > limits.entries:
        findings.refuse(
            f"{target.label} takes only {format_count(limits.entries, 'more entry', 'more entries')}, and {name} has "
            f"{format_count(len(inventory.entries), 'file or folder', 'files and folders')}.",
            "Choose another drive, or remove many small files there.",
            target.id,
        )
    if limits.quota_bytes is not None and needed > limits.quota_bytes:
        findings.refuse(
            f"Your quota on {target.label} leaves {format_bytes(limits.quota_bytes)}, and {name} needs "
            f"{format_bytes(needed)}.",
            "Choose another drive, or ask whoever looks after it for more.",
            target.id,
        )
