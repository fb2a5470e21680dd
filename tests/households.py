"""Made-up households as values: small ones put together by hand, and one of any size for what has to be quick."""

from __future__ import annotations

import random

from conftest import GB, MB, a_drive
from nuvik.core.model.library import Kind, Library, Part
from nuvik.core.model.plan import Step
from nuvik.core.model.snapshot import Snapshot

FAST = {"read_bytes_per_s": 3000 * MB, "small_reads_per_s": 40_000}
SLOW = {"read_bytes_per_s": 120 * MB, "small_reads_per_s": 80}


def drive(name, **facts):
    plain = {
        "id": name,
        "label": name.capitalize(),
        "path": f"/{name}",
        "disk": name,
        "portable": False,
        "headroom_bytes": 10 * GB,
        "usable_bytes": 500 * GB,
        "used_bytes": 100 * GB,
    }
    return a_drive(**{**plain, **facts})


def library(id, at, size=20, **facts):
    """Of so many GB, unless its `bytes` are among the facts."""
    count_bytes = facts.get("bytes", size * GB)
    return Library(
        **{
            "id": id,
            "name": id,
            "kind": Kind.GAME,
            "path": f"/{at}/Games/{id}",
            "drive": at,
            "bytes": count_bytes,
            "on_disk_bytes": count_bytes,
            "files": 9,
            "largest_file_bytes": GB,
            "last_used": "2026-01-01T00:00:00+00:00",
            "opens_per_week": 1.0,
            **facts,
        }
    )


def step(n, source, target, name, size=1, **facts):
    """Of so many bytes."""
    ends = {"from_drive": source, "to_drive": target, "target_path": f"/{target}/{name}"}
    plain = {"n": n, "library": name, "kind": Kind.GAME, "path": f"/{source}/{name}", "bytes": size, "files": 1}
    return Step(**{**plain, **ends, **facts})


def home(drives, libraries):
    return Snapshot(taken_at="", host="h", drives=tuple(drives), libraries=tuple(libraries))


_SPEEDS = [
    (3_000, 48_000, 500),
    (540, 9_000, 1_000),
    (185, 95, 4_000),
    (980, 6_500, 1_000),
    (900, 6_000, 2_000),
    (140, 80, 5_000),
    (160, 90, 6_000),
    (520, 8_000, 2_000),
]
"""MB/s read, small reads a second, and GB, of the drives of a made-up household."""


def made_up_household(count: int, drives: int) -> Snapshot:
    """About so many libraries, on drives of which the first is fast and tight; some in parts, in collections, of the
    working set, or to be kept together or apart.
    """
    chance = random.Random(count)
    speeds, kinds, libraries = _SPEEDS[:drives], list(Kind), list[Library]()
    used = [0] * drives
    for number in range(count):
        place = chance.choices(range(drives), [speed[2] for speed in speeds])[0]
        size = min(int(chance.paretovariate(0.9) * 200 * GB / count) + GB // 100, 300 * GB)
        if used[place] + size > 0.85 * speeds[place][2] * GB:
            continue
        used[place] += size
        kind, earlier = chance.choice(kinds), libraries[-1].path if libraries else ""
        parts = (
            tuple(
                Part(name=name, kind=part, path=name, bytes=size // 5, on_disk_bytes=size // 5, files=8)
                for name, part in (("Cache", Kind.CACHE), ("Backups", Kind.BACKUP))
            )
            if kind is Kind.PROJECT
            else ()
        )
        libraries.append(
            library(
                f"l{number}",
                f"d{place}",
                name=f"L{number}",
                kind=kind,
                path=f"/d{place}/Series {number % 12}/{number}",
                bytes=size,
                files=40,
                last_used=None,
                opens_per_week=chance.choice([0, 0, 0.25, 1, 4, 9]),
                parts=parts,
                working_set=chance.random() < 0.02,
                keep_with=(earlier,) if earlier and chance.random() < 0.02 else (),
                apart_from=(earlier,) if earlier and chance.random() < 0.02 else (),
            )
        )
    made = tuple(
        drive(
            f"d{n}",
            disk=f"s{n}",
            portable=n == 3,
            used_bytes=used[n],
            usable_bytes=size * GB,
            capacity_bytes=size * GB,
            headroom_bytes=size * GB // 10,
            read_bytes_per_s=read * MB,
            small_reads_per_s=small,
        )
        for n, (read, small, size) in enumerate(speeds)
    )
    return Snapshot(taken_at="2026-01-01T00:00:00+00:00", host="bench", drives=made, libraries=tuple(libraries))
