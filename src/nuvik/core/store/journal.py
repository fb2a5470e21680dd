"""The journal: what was done to each library and how far it got, durable before each act.

Paths are kept as bytes, exactly as the file system has them.
"""

from __future__ import annotations

import os
import secrets
import sqlite3
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

from nuvik.core.model.clock import now_text
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.inventory import EntryRecord
from nuvik.core.model.journal import Move, State
from nuvik.core.model.library import Kind
from nuvik.core.model.plan import Plan, Step, TetherKind
from nuvik.core.store.database import Database

_PATHS = ("library", "source", "target", "source_place", "target_place")
_MANY_PATHS = ("made_folders", "was_source", "was_target")
_FLAGS = ("on_trial", "visible", "unread", "may_lose")
_SEPARATOR = b"\0"


class Journal:
    """Reads and writes moves and their entries. Each call is one durable transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    # -- moves ---------------------------------------------------------------------------------------------

    def begin_run(self, plan: Plan, plan_document: str, on_trial: bool, expected_s: Sequence[float]) -> list[Move]:
        """Write down a whole plan before its first step; every move begins as planned."""
        with self._database.connect() as connection:
            run = connection.execute(
                "INSERT INTO runs (started_at, plan, on_trial) VALUES (?, ?, ?)",
                (now_text(), plan_document, on_trial),
            ).lastrowid
            assert run is not None
            return [
                self._insert(connection, _planned(run, step, on_trial, seconds))
                for step, seconds in zip(plan.steps, expected_s, strict=True)
            ]

    def begin_undo(self, original: Move, move: Move) -> Move:
        """Write down a move that takes another one back."""
        with self._database.connect() as connection:
            return self._insert(connection, replace(move, undoes=original.id, state=State.PLANNED))

    def adopt(self, move: Move) -> Move:
        """Write down a move that was begun in another journal, under its number there where that is free."""
        with self._database.connect() as connection:
            run = connection.execute(
                "INSERT INTO runs (started_at, plan, on_trial) VALUES (?, '', ?)", (now_text(), move.on_trial)
            ).lastrowid
            assert run is not None
            taken = connection.execute("SELECT 1 FROM moves WHERE id = ?", (move.first_id,)).fetchone()
            return self._insert(connection, replace(move, run=run), None if taken else move.first_id)

    def _insert(self, connection: sqlite3.Connection, move: Move, identifier: int | None = None) -> Move:
        row = _to_row(move)
        row["id"] = identifier
        names = ", ".join(row)
        marks = ", ".join("?" * len(row))
        cursor = connection.execute(f"INSERT INTO moves ({names}) VALUES ({marks})", tuple(row.values()))
        assert cursor.lastrowid is not None
        return replace(move, id=cursor.lastrowid)

    def keep(self, *moves: Move) -> Move:
        """Write the present state of moves durably, all or none; returns the first for chaining."""
        with self._database.connect() as connection:
            for move in moves:
                row = _to_row(move)
                identifier = row.pop("id")
                settings = ", ".join(f"{name} = ?" for name in row)
                cursor = connection.execute(f"UPDATE moves SET {settings} WHERE id = ?", (*row.values(), identifier))
                if cursor.rowcount != 1:
                    raise Stopped(
                        f"Nuvik's journal does not know move {identifier} any more.", next_step="Run “nuvik mend”."
                    )
        return moves[0]

    def moves(self) -> list[Move]:
        """All moves, oldest first."""
        with self._database.connect() as connection:
            return [_from_row(row) for row in connection.execute("SELECT * FROM moves ORDER BY id")]

    def move(self, identifier: int) -> Move:
        """A move. Raises Refused when there is none of that number."""
        with self._database.connect() as connection:
            row = connection.execute("SELECT * FROM moves WHERE id = ?", (identifier,)).fetchone()
        if row is None:
            raise Refused(f"There is no move {identifier}.", next_step="“nuvik logbook” lists the moves.")
        return _from_row(row)

    def unfinished(self) -> list[Move]:
        """Moves that a stop left midway or still waiting, oldest first."""
        return [move for move in self.moves() if not move.state.finished]

    def led_to(self, *targets: str) -> list[Move]:
        """The moves that left a link to one of these places."""
        return [
            move
            for move in self.moves()
            if {move.target, *move.was_target} & set(targets)
            and move.tether.leaves_link
            and move.state in (State.SWITCHED, State.ON_TRIAL, State.RELEASING, State.RELEASED)
        ]

    # -- entries -------------------------------------------------------------------------------------------

    def entries(self, move: Move) -> dict[str, EntryRecord]:
        """What is recorded of a move's files so far, by relative path."""
        with self._database.connect() as connection:
            rows = connection.execute("SELECT * FROM entries WHERE move = ?", (move.id,)).fetchall()
        return {record.path: record for record in map(_entry_from_row, rows)}

    def keep_entries(self, move: Move, entries: Iterable[EntryRecord]) -> None:
        with self._database.connect() as connection:
            connection.executemany(
                "INSERT OR REPLACE INTO entries (move, path, kind, size, mode, user, owner_group, accessed_ns, "
                "changed_ns, altered_ns, inode, link, carried_link, checksum, proven, attributes) "
                "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                [
                    (
                        move.id,
                        os.fsencode(entry.path),
                        entry.kind,
                        entry.size,
                        entry.mode,
                        entry.user,
                        entry.group,
                        entry.accessed_ns,
                        entry.changed_ns,
                        entry.altered_ns,
                        entry.inode,
                        _encoded(entry.link),
                        _encoded(entry.carried_link),
                        entry.checksum,
                        entry.proven,
                        entry.attributes,
                    )
                    for entry in entries
                ],
            )

    def mark_proven(self, move: Move, paths: Iterable[str]) -> None:
        with self._database.connect() as connection:
            connection.executemany(
                "UPDATE entries SET proven = 1 WHERE move = ? AND path = ?",
                [(move.id, os.fsencode(path)) for path in paths],
            )

    def drop_entries(self, move: Move, paths: Iterable[str]) -> None:
        with self._database.connect() as connection:
            connection.executemany(
                "DELETE FROM entries WHERE move = ? AND path = ?", [(move.id, os.fsencode(path)) for path in paths]
            )


def new_token() -> str:
    """Eight random letters for the names of a move's own folders."""
    return secrets.token_hex(4)


def _planned(run: int, step: Step, on_trial: bool, expected_s: float) -> Move:
    return Move(
        id=0,
        run=run,
        token=new_token(),
        n=step.n,
        library=step.library,
        kind=step.kind,
        source=step.path,
        target=step.target_path,
        source_drive=step.from_drive,
        target_drive=step.to_drive,
        bytes=step.bytes,
        files=step.files,
        frees_bytes=step.frees_bytes,
        tether=step.tether,
        state=State.PLANNED,
        on_trial=on_trial,
        expected_s=expected_s,
    )


def _to_row(move: Move) -> dict[str, Any]:
    row = {name: getattr(move, name) for name in Move.__dataclass_fields__}
    for name in _PATHS:
        row[name] = os.fsencode(row[name])
    for name in _MANY_PATHS:
        row[name] = _SEPARATOR.join(os.fsencode(path) for path in row[name])
    for name in ("kind", "tether", "state"):
        row[name] = str(row[name])
    return row


def _from_row(row: sqlite3.Row) -> Move:
    data = dict(row)
    for name in _PATHS:
        data[name] = os.fsdecode(data[name])
    for name in _MANY_PATHS:
        data[name] = tuple(os.fsdecode(path) for path in data[name].split(_SEPARATOR)) if data[name] else ()
    data["kind"], data["tether"], data["state"] = Kind(data["kind"]), TetherKind(data["tether"]), State(data["state"])
    for name in _FLAGS:
        data[name] = bool(data[name])
    return Move(**data)


def _entry_from_row(row: sqlite3.Row) -> EntryRecord:
    data = dict(row)
    del data["move"]
    data["path"] = os.fsdecode(data["path"])
    data["group"] = data.pop("owner_group")
    data["link"], data["carried_link"] = _decoded(data["link"]), _decoded(data["carried_link"])
    data["proven"] = bool(data["proven"])
    return EntryRecord(**data)


def _encoded(text: str | None) -> bytes | None:
    return None if text is None else os.fsencode(text)


def _decoded(data: bytes | None) -> str | None:
    return None if data is None else os.fsdecode(data)
