"""Checks of the two drives of a step: they are there, may be written, and do not share their space."""

from __future__ import annotations

from nuvik.core.checks.findings import Findings
from nuvik.core.hosts.base import drive_holding
from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shown


def check_drives(findings: Findings, drives: tuple[Drive, ...]) -> tuple[Drive | None, Drive | None]:
    step, by_id = findings.step, {drive.id: drive for drive in drives}
    for identifier in (step.from_drive, step.to_drive):
        drive = by_id.get(identifier)
        if drive is None:
            findings.refuse(f"There is no drive {shown(identifier)}.", "“nuvik drives” lists the drives.")
        elif not drive.attached:
            findings.refuse(f"{drive.label} is away.", f"Attach {drive.label}.", drive.id)
    for path, identifier in ((step.path, step.from_drive), (step.target_path, step.to_drive)):
        holding = drive_holding(drives, path)
        if holding is None:
            findings.refuse(f"{shown(path)} is on no drive of this computer.", "“nuvik drives” lists the drives.")
        elif holding.id != identifier:
            findings.refuse(f"{shown(path)} is on {holding.label}, not on {shown(identifier)}.", "Make a new plan.")
    if step.from_drive == step.to_drive:
        findings.refuse(
            f"{shown(step.library)} is already on {shown(step.to_drive)}; moving it there frees nothing.",
            "Choose another drive.",
        )
    source, target = by_id.get(step.from_drive), by_id.get(step.to_drive)
    for drive in (source, target):
        if drive is not None and drive.read_only:
            findings.refuse(f"{drive.label} is read-only.", "Choose another drive, or mount it for writing.", drive.id)
        if drive is not None and drive.copy_of:
            findings.refuse(
                f"{drive.label} and {shown(drive.copy_of)} have the same identity, as copies do.",
                "Unplug one of them, or give one an identity of its own.",
                drive.id,
            )
    if source is not None and target is not None and source.id != target.id:
        _check_shared(findings, source, target)
    return source, target


def _check_shared(findings: Findings, source: Drive, target: Drive) -> None:
    """Two volumes of one container have one free space; two of one disk take turns and fail together."""
    if source.shares_space_with(target):
        findings.refuse(
            f"{source.label} and {target.label} share their free space; moving between them frees nothing.",
            "Choose a drive on another disk.",
            target.id,
        )
    elif source.shares_disk_with(target):
        findings.notes.append(
            f"{source.label} and {target.label} are on the same disk: nothing is freed on the disk, it "
            "takes longer, and if it fails both are lost."
        )
