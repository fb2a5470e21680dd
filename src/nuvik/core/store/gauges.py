"""Kept results of gauging, by the drive's own identity, so that they follow it from port to port."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable
from functools import lru_cache
from typing import Any

from nuvik.core.model.drive import Drive
from nuvik.core.model.gauging import GaugeResult
from nuvik.core.store.database import Database
from nuvik.core.store.json_codec import from_json, to_json

KEPT_A_DRIVE = 200


def key_of(drive: Drive) -> str:
    """What a drive is remembered by: its file system's identity, else its name here."""
    return drive.identity or f"id:{drive.id}"


def keep_gauge(database: Database, drive: Drive, result: GaugeResult) -> None:
    """Remember a result; the oldest beyond two hundred of a drive are dropped."""
    with database.connect() as connection:
        connection.execute(
            "INSERT INTO gauges (drive_key, taken_at, document) VALUES (?, ?, ?)",
            (key_of(drive), result.taken_at, json.dumps(to_json(result))),
        )
        connection.execute(
            "DELETE FROM gauges WHERE drive_key = ? AND id NOT IN "
            "(SELECT id FROM gauges WHERE drive_key = ? ORDER BY id DESC LIMIT ?)",
            (key_of(drive), key_of(drive), KEPT_A_DRIVE),
        )


def gauge_histories(database: Database, drives: Iterable[Drive]) -> dict[str, list[GaugeResult]]:
    """All kept results of drives, oldest first, by their ids."""
    kept = "SELECT document FROM gauges WHERE drive_key = ? ORDER BY id"
    with database.connect() as connection:
        return {
            drive.id: [_result(row["document"]) for row in connection.execute(kept, (key_of(drive),))]
            for drive in drives
        }


def latest_gauges(connection: sqlite3.Connection) -> dict[str, GaugeResult]:
    """The newest result of every drive, by the drive's key."""
    rows = connection.execute(
        "SELECT drive_key, document FROM gauges WHERE id IN (SELECT max(id) FROM gauges GROUP BY drive_key)"
    )
    return {row["drive_key"]: _result(row["document"]) for row in rows}


@lru_cache(maxsize=256)
def _result(document: str) -> GaugeResult:
    return from_json(GaugeResult, _with_units(json.loads(document)), "A kept measurement")


def _with_units(data: Any) -> Any:
    """Measurements stored before the fields named their units."""
    for speed, unit in (("read", "bytes"), ("write", "bytes"), ("small_reads", "reads")):
        if isinstance(figures := data.get(speed), dict) and "per_s" in figures:
            data[speed] = {f"{unit}_per_s": figures["per_s"], f"passes_{unit}_per_s": figures["passes"]}
    return data
