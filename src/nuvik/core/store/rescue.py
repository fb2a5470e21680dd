"""A damaged database is kept aside, and what can still be read of it goes into a new one."""

from __future__ import annotations

import contextlib
import logging
import os
import sqlite3
import time
from collections.abc import Iterator

log = logging.getLogger(__name__)

_PARTS = ("", "-wal", "-shm")
_DAMAGED = {sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB}


def is_damage(fault: sqlite3.DatabaseError) -> bool:
    """Whether this says that the file itself is damaged, and not that it cannot be reached now."""
    code = getattr(fault, "sqlite_errorcode", None)
    return isinstance(code, int) and code & 0xFF in _DAMAGED


def is_damaged(path: str) -> bool:
    """Look through a whole database. Takes as long as reading it. Raises sqlite3.OperationalError when it cannot be
    reached.
    """
    if not os.path.exists(path):
        return False
    connection = sqlite3.connect(path, timeout=30)
    try:
        return bool(connection.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok")
    except sqlite3.DatabaseError as fault:
        if is_damage(fault):
            return True
        raise
    finally:
        connection.close()


def set_aside(path: str) -> str:
    """Give a damaged database, with all its parts, another name; gives that name. Raises OSError."""
    stem, ending = os.path.splitext(path)
    kept = f"{stem}-damaged-{time.strftime('%Y%m%d-%H%M%S')}-{os.getpid()}{ending}"
    for part in _PARTS:
        with contextlib.suppress(FileNotFoundError):
            os.rename(path + part, kept + part)
    return kept


def rescue(damaged: str, fresh: sqlite3.Connection) -> dict[str, int]:
    """Copy what can be read of a damaged database into the tables of a new one; gives the number of rows by table.

    `fresh` has all tables, and is not checking references: a move may be read whose run cannot.
    """
    rescued: dict[str, int] = {}
    try:
        old = sqlite3.connect(damaged)
    except sqlite3.Error:
        return rescued
    try:
        for (table,) in fresh.execute(
            "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'"
        ):
            columns = [row[1] for row in fresh.execute(f"PRAGMA table_info({table})")]
            rescued[table] = sum(_insert(fresh, table, columns, row) for row in _readable_rows(old, table, columns))
    finally:
        old.close()
    return rescued


def _readable_rows(old: sqlite3.Connection, table: str, columns: list[str]) -> Iterator[tuple[object, ...]]:
    """The rows from the beginning to the first damage, and from the end back to it."""
    try:
        kept = [row[1] for row in old.execute(f"PRAGMA table_info({table})")]
        shared = [column for column in columns if column in kept]
        key = ", ".join(row[1] for row in old.execute(f"PRAGMA table_info({table})") if row[5]) or "rowid"
    except sqlite3.Error:
        return
    if not shared:
        return
    for order in ("ASC", "DESC"):
        ordered = ", ".join(f"{name.strip()} {order}" for name in key.split(","))
        try:
            for row in old.execute(f"SELECT {', '.join(shared)} FROM {table} ORDER BY {ordered}"):
                values = dict(zip(shared, row, strict=True))
                yield tuple(values.get(column) for column in columns)
            return
        except sqlite3.Error as fault:
            log.warning("%s cannot be read to its end: %s", table, fault)


def _insert(fresh: sqlite3.Connection, table: str, columns: list[str], row: tuple[object, ...]) -> bool:
    given = {column: value for column, value in zip(columns, row, strict=True) if value is not None}
    if not given:
        return False
    try:
        cursor = fresh.execute(
            f"INSERT OR IGNORE INTO {table} ({', '.join(given)}) VALUES ({', '.join('?' * len(given))})",
            tuple(given.values()),
        )
    except sqlite3.Error:
        return False
    return cursor.rowcount > 0
