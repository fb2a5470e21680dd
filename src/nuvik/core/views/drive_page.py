"""Everything known about a drive, line by line: what the drive's page and `nuvik drives DRIVE` show."""

from __future__ import annotations

from collections.abc import Sequence

from nuvik.core.model.capacity import capacity_of, where_the_rest_went
from nuvik.core.model.drive import Drive
from nuvik.core.model.filesystems import SYSTEMS
from nuvik.core.model.links import link_name
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_duration, format_speed

_SOURCES = {"measured": "measured", "declared": "declared", "typical": "typical of its class, never measured"}


def drive_page(drive: Drive, libraries_bytes: int, findings: Sequence[str]) -> list[tuple[str, str]]:
    """Pairs of a name and words, in the order in which people ask."""
    lines = [("what it is", _what(drive))]
    if not drive.attached:
        lines.append(("", "away: this is how it was when last seen"))
    capacity = capacity_of(drive, libraries_bytes)
    lines += [
        ("capacity", where_the_rest_went(capacity)),
        (
            "",
            f"libraries {format_bytes(capacity.libraries_bytes)} · other {format_bytes(capacity.other_bytes)} · "
            f"free {format_bytes(capacity.free_bytes)}; {format_bytes(capacity.headroom_bytes)} should stay free",
        ),
        (
            "reads",
            f"{format_speed(drive.read_bytes_per_s)}, {drive.small_reads_per_s:,.0f} small reads a second "
            f"({_SOURCES[drive.speed_source]}{_when(drive)})",
        ),
        ("writes", _writes(drive)),
        ("feels like", f"{format_duration(drive.felt_load_s)} for 1 GB and a thousand small reads: {drive.tier}"),
        *_file_system(drive),
    ]
    if drive.target_template:
        lines.append(("libraries go to", drive.target_template))
    if drive.welcomes:
        lines.append(("is for", ", ".join(drive.welcomes)))
    if drive.attached and drive.path:
        places = [drive.path, *drive.also_at]
        lines.append(("path", ", ".join(shown(place) for place in places)))
    if drive.identity:
        lines.append(("known by", shown(drive.identity)))
    lines += [("note", sentence) for sentence in findings]
    return lines


def _what(drive: Drive) -> str:
    words = f"{drive.medium_class.name} on {link_name(drive.link)}"
    if drive.model:
        words = f"{shown(drive.model)}, {words}"
    if drive.portable:
        words += ", portable"
    return f"{words}, holds the system" if drive.system else words


def _when(drive: Drive) -> str:
    if drive.speed_source != "measured" or drive.gauged_at is None:
        return ""
    spread = f", passes within {100 * (drive.speed_spread or 0):.0f} %"
    cache = ", through the cache" if drive.through_cache else ""
    return f" on {drive.gauged_at[:10]}{spread}{cache}"


def _writes(drive: Drive) -> str:
    words = format_speed(drive.write_bytes_per_s)
    if drive.sustained_write_bytes_per_s and drive.burst_bytes:
        words += (
            f" for the first {format_bytes(drive.burst_bytes)}, then {format_speed(drive.sustained_write_bytes_per_s)}"
        )
    return f"{words} ({_SOURCES[drive.write_source]})"


def _file_system(drive: Drive) -> list[tuple[str, str]]:
    """What of its file system decides moves."""
    rules = drive.rules
    sizes = f"files up to {format_bytes(rules.largest_file_bytes)}" if rules.largest_file_bytes else "files of any size"
    able = {
        "links": rules.symlinks,
        "hard links": rules.hard_links,
        "permissions": rules.permissions,
        "attributes": rules.xattrs,
    }
    can = ", ".join(word for word, does in able.items() if does) or "plain files only"
    cannot = "".join(f", no {word}" for word, does in able.items() if not does)
    names = f"names {'ignore' if rules.folds_case else 'distinguish'} upper and lower case"
    if rules.dos_names:
        names += ', without " * / : < > ? \\ |'
    written = ", ".join(SYSTEMS[system] for system in rules.written_by)
    only_read = ", ".join(SYSTEMS[system] for system in rules.read_by if system not in rules.written_by)
    return [
        ("file system", f"{rules.name}: {sizes}, in clusters of {drive.cluster_bytes:,} bytes"),
        ("", f"keeps {can}{cannot}; {names}"),
        ("", f"written by {written}{'; read by ' + only_read if only_read else ''}"),
    ]
