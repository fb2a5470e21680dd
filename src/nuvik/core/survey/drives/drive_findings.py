"""Findings about a drive: what limits it, what is wrong with it, what is not known. A sentence each."""

from __future__ import annotations

from collections.abc import Sequence

from nuvik.core.model.capacity import how_full
from nuvik.core.model.drive import Drive
from nuvik.core.model.gauging import GaugeResult, slower_than_before
from nuvik.core.model.links import link_of, next_faster
from nuvik.core.model.media import medium_of
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_speed

UNSTEADY_SPREAD = 0.25
"""Assumed: with its passes further apart than this, a figure is called unsteady."""
_BELOW_CLASS = 0.4
_CHIP_SMALL_READS = 600
"""More small reads a second than a platter can do: its arm needs some milliseconds for each."""


def drive_findings(drive: Drive, drives: Sequence[Drive], history: list[GaugeResult]) -> list[str]:
    """All that the user should know of a drive, what matters most first. `history` is oldest first."""
    findings = [*drive.findings]
    if drive.copy_of:
        findings.append(
            f"it and {shown(drive.copy_of)} carry one identity, as copies do: while both are attached, nothing moves "
            "to them or off them"
        )
    if drive.read_only and drive.attached:
        findings.append("it is read-only: nothing can be moved onto it or off it")
    if drive.no_place and drive.attached:
        findings.append(f"nothing can be put on it: {drive.no_place}")
    if (full := how_full(drive)) is not None:
        findings.append(f"almost full: {full}")
    findings += [other for other in (at_its_ceiling(drive), slow_slot(drive)) if other is not None]
    findings += _of_speed(drive, history)
    if sharing := [
        other for other in drives if other.id != drive.id and other.shares_disk_with(drive) and other.attached
    ]:
        names = ", ".join(shown(sharer.label) for sharer in sharing)
        findings.append(f"it is on the same disk as {names}: moving between them is slow and frees nothing on the disk")
    return findings


def at_its_ceiling(drive: Drive) -> str | None:
    """`reads at its cable's ceiling (…): a faster port or case would give up to X`; None when its link has room."""
    link = drive.link_standard
    if link is None or drive.speed_source == "typical" or not link.holds_back(drive.read_bytes_per_s):
        return None
    if drive.portable or link.family in ("usb", "thunderbolt", "firewire"):
        faster = next_faster(link)
        # A chip drive that outruns what SATA passes on is of the fast kind inside, whatever its case says.
        inside = "nvme" if drive.medium == "ssd" and link.payload_bytes_per_s > 600e6 else drive.medium
        could = medium_of(inside).read_bytes_per_s
        if faster is None or could <= link.payload_bytes_per_s:
            return None
        return (
            f"reads as fast as its cable allows ({link.name}): a faster port or case would allow up to "
            f"{format_speed(min(could, faster.payload_bytes_per_s))}"
        )
    faster, could = next_faster(link), medium_of(drive.medium).read_bytes_per_s
    if link.family == "sata" and faster is None:
        return f"reads as fast as {link.name} allows: only a drive on another kind of slot would be faster"
    if faster is None or could <= link.payload_bytes_per_s:
        return None
    up_to = format_speed(min(could, faster.payload_bytes_per_s))
    return f"reads as fast as its slot allows ({link.name}): a faster slot would allow up to {up_to}"


def slow_slot(drive: Drive) -> str | None:
    """Whether the drive itself could use a faster link than it hangs on."""
    link, best = drive.link_standard, link_of(drive.best_link)
    if link is None or best is None or best.payload_bytes_per_s <= link.payload_bytes_per_s:
        return None
    up_to = format_speed(best.payload_bytes_per_s)
    return f"is connected by {link.name} but could use {best.name}: a better slot would allow up to {up_to}"


def _of_speed(drive: Drive, history: list[GaugeResult]) -> list[str]:
    findings: list[str] = []
    medium = drive.medium_class
    if drive.speed_source == "typical" and drive.attached:
        return [f"never measured: its speeds are typical figures for a {medium.name}"]
    if not history:
        return findings
    latest = history[-1]
    if slower := slower_than_before(history):
        findings.append(slower)
    held_back = drive.link_standard is not None and drive.link_standard.holds_back(latest.read.bytes_per_s)
    if not held_back and medium.id != "unknown" and latest.read.bytes_per_s < _BELOW_CLASS * medium.read_bytes_per_s:
        findings.append(
            f"reads {format_speed(latest.read.bytes_per_s)}, although a {medium.name} usually does "
            f"{format_speed(medium.read_bytes_per_s)}"
        )
    if medium.id == "hdd" and latest.small_reads.reads_per_s > _CHIP_SMALL_READS:
        findings.append("responds like a solid-state drive, although the system takes it for a hard disk")
    if medium.too_warm_c is not None and latest.temperature_c is not None and latest.temperature_c >= medium.too_warm_c:
        findings.append(f"was {latest.temperature_c:.0f} °C warm and is made for less than {medium.too_warm_c:.0f} °C")
    if latest.sustained_write_bytes_per_s is not None and latest.write is not None:
        findings.append(
            f"writes {format_speed(latest.write.bytes_per_s)} for the first {format_bytes(latest.burst_bytes or 0)}, "
            f"then {format_speed(latest.sustained_write_bytes_per_s)}"
        )
    if latest.write is None:
        findings.append("only reading was measured; nothing was written to it")
    if latest.through_cache:
        findings.append("measured through the system's cache, so it may be slower than shown")
    if latest.spread > UNSTEADY_SPREAD:
        findings.append(
            f"its passes differ by {100 * latest.spread:.0f} %: something else was using it, or its speed varies"
        )
    return findings
