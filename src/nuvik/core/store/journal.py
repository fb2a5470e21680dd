"""The journal: what was done to each library and how far it got, durable before each act.

Paths are kept as bytes, exactly as the file system has them.
"""

from __future__ import annotations

import json
import os
import secrets
import sqlite3
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from operator import attrgetter
from types import MappingProxyType
from typing import Any

from nuvik.core.model.clock import now_text
from nuvik.core.model.errors import NotNamed, Refused, Stopped
from nuvik.core.model.inventory import EntryRecord
from nuvik.core.model.journal import LEFT_OUT, Move, State
from nuvik.core.model.library import Kind
from nuvik.core.model.plan import Plan, Step
from nuvik.core.model.tether import Tether, TetherKind, TetherRecord, TetherState
from nuvik.core.store.database import Database
from nuvik.core.store.json_codec import from_json, from_json_text, to_json

_PATHS = ("library", "source", "target", "source_place", "target_place")
_MANY_PATHS = ("made_folders", "was_source", "was_target")
_FLAGS = ("on_trial", "visible", "unread", "without_marks", "may_lose")
_SEPARATOR = b"\0"
_ENTRY_COLUMNS = ", ".join("owner_group" if name == "group" else name for name in EntryRecord._fields)
_LINK, _CARRIED_LINK = (EntryRecord._fields.index(name) for name in ("link", "carried_link"))


class Journal:
    """Reads and writes moves and their entries. Each call is one durable transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._entries: tuple[int, dict[str, EntryRecord]] | None = None
        """Those of one move, by its number."""

    def apart(self) -> Journal:
        """The same journal for another thread, which works on another move."""
        return Journal(self._database)

    # -- moves ---------------------------------------------------------------------------------------------

    def begin_run(self, plan: Plan, plan_document: str, on_trial: bool, expected_s: Sequence[float]) -> list[Move]:
        """Write down a whole plan before its first step; every move begins as planned."""
        with self._database.connect() as connection:
            run = connection.execute(
                "INSERT INTO runs (started_at, plan, on_trial) VALUES (?, ?, ?)",
                (now_text(), plan_document, on_trial),
            ).lastrowid
            assert run is not None
            moves = [
                self._insert(connection, _planned(run, step, on_trial, seconds, plan.without_marks))
                for step, seconds in zip(plan.steps, expected_s, strict=True)
            ]
            for move, step in zip(moves, plan.steps, strict=True):
                for n, tether in enumerate(step.tethers, start=1):
                    _keep_tether(connection, TetherRecord(move=move.id, n=n, tether=tether))
            return moves

    def plan_of(self, run: int) -> Plan | None:
        """The plan that a run carries out; None where it cannot be read, or the run was begun in another journal."""
        with self._database.connect() as connection:
            row = connection.execute("SELECT plan FROM runs WHERE id = ?", (run,)).fetchone()
        if row is None or not row["plan"]:
            return None
        try:
            document = json.loads(row["plan"])
            return from_json(Plan, {name: value for name, value in document.items() if name != "format"}, "The plan")
        except (ValueError, AttributeError, Refused):
            return None  # of another Nuvik, or damaged: what was begun goes on without it

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

    def open_moves(self) -> list[Move]:
        """Those that still ask for something: not ended yet, or on trial; oldest first."""
        ended = (State.RELEASED, State.UNDONE)
        with self._database.connect() as connection:
            rows = connection.execute("SELECT * FROM moves WHERE state NOT IN (?, ?) ORDER BY id", ended)
            return [_from_row(row) for row in rows]

    def move(self, identifier: int) -> Move:
        """A move. Raises Refused when there is none of that number."""
        with self._database.connect() as connection:
            row = connection.execute("SELECT * FROM moves WHERE id = ?", (identifier,)).fetchone()
        if row is None:
            raise NotNamed(f"There is no move {identifier}.", next_step="“nuvik logbook” lists the moves.")
        return _from_row(row)

    def unfinished(self) -> list[Move]:
        """Moves that a stop left midway, then those that still wait, each in the order in which they are carried."""
        unfinished = [move for move in self.open_moves() if not move.state.finished]
        return sorted(unfinished, key=lambda move: (move.state is State.PLANNED, move.position, move.id))

    def begin(self, move: Move) -> bool:
        """Write down a move that begins, unless it was left out at this moment: then nothing is changed."""
        return self._keep_waiting(move)

    def skip(self, move: Move) -> bool:
        """Leave out a move that waits; False when it has begun."""
        return self._keep_waiting(replace(move, state=State.UNDONE, problem=LEFT_OUT, ended_at=now_text()))

    def bring_forward(self, move: Move) -> Move:
        """Let a move that waits be the next of all that wait."""
        with self._database.connect() as connection:
            connection.execute(
                "UPDATE moves SET position = (SELECT MIN(position) FROM moves WHERE state = ?) - 1 WHERE id = ?",
                (State.PLANNED, move.id),
            )
        return self.move(move.id)

    def _keep_waiting(self, move: Move) -> bool:
        row = _to_row(move)
        identifier = row.pop("id")
        settings = ", ".join(f"{name} = ?" for name in row)
        with self._database.connect() as connection:
            cursor = connection.execute(
                f"UPDATE moves SET {settings} WHERE id = ? AND state = ?", (*row.values(), identifier, State.PLANNED)
            )
            return cursor.rowcount == 1

    def led_to(self, *targets: str) -> list[Move]:
        """The moves that left a link to one of these places."""
        return [
            move
            for move in self.moves()
            if {move.target, *move.was_target} & set(targets)
            and move.tether.leaves_link
            and move.state in (State.SWITCHED, State.ON_TRIAL, State.RELEASING, State.RELEASED)
        ]

    # -- tethers -------------------------------------------------------------------------------------------

    def tethers(self, move: Move) -> list[TetherRecord]:
        """What else keeps programs finding what a move carries, in the order of its plan."""
        with self._database.connect() as connection:
            rows = connection.execute("SELECT * FROM tethers WHERE move = ? ORDER BY n", (move.id,)).fetchall()
        return [_tether_from_row(row) for row in rows]

    def keep_tether(self, record: TetherRecord) -> TetherRecord:
        """Write down how a tether stands, durably."""
        with self._database.connect() as connection:
            _keep_tether(connection, record)
        return record

    # -- entries -------------------------------------------------------------------------------------------

    def entries(self, move: Move) -> Mapping[str, EntryRecord]:
        """What is recorded of a move's files so far, by relative path; it follows what is written down later.

        Those of the latest move are kept in memory: only who holds the carrying lock writes entries, by one journal.
        """
        if self._entries is None or self._entries[0] != move.id:
            with self._database.connect() as connection:
                rows = connection.execute(f"SELECT {_ENTRY_COLUMNS} FROM entries WHERE move = ?", (move.id,))
                self._entries = move.id, {record.path: record for record in map(_entry_from_row, rows)}
        return MappingProxyType(self._entries[1])

    def keep_entries(self, move: Move, entries: Sequence[EntryRecord]) -> None:
        with self._database.connect() as connection:
            connection.executemany(
                f"INSERT OR REPLACE INTO entries (move, {_ENTRY_COLUMNS}) VALUES (?{', ?' * len(EntryRecord._fields)})",
                [(move.id, *_entry_to_row(entry)) for entry in entries],
            )
        if self._entries is not None and self._entries[0] == move.id:
            self._entries[1].update(zip(map(attrgetter("path"), entries), entries, strict=True))

    def mark_proven(self, move: Move, paths: Iterable[str]) -> None:
        """These files came back as they should. Not needed where all did: that is what the state of the move says."""
        proven = list(paths)
        with self._database.connect() as connection:
            connection.executemany(
                "UPDATE entries SET proven = 1 WHERE move = ? AND path = ?",
                [(move.id, os.fsencode(path)) for path in proven],
            )
        if self._entries is not None and self._entries[0] == move.id:
            known = self._entries[1]
            known.update((path, known[path].read_back()) for path in proven if path in known)

    def drop_entries(self, move: Move, paths: Iterable[str]) -> None:
        dropped = list(paths)
        with self._database.connect() as connection:
            connection.executemany(
                "DELETE FROM entries WHERE move = ? AND path = ?", [(move.id, os.fsencode(path)) for path in dropped]
            )
        if self._entries is not None and self._entries[0] == move.id:
            for path in dropped:
                self._entries[1].pop(path, None)


def _keep_tether(connection: sqlite3.Connection, record: TetherRecord) -> None:
    connection.execute(
        "INSERT OR REPLACE INTO tethers (move, n, document, state, was, becomes, kept, note) "
        "VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (
            record.move,
            record.n,
            json.dumps(to_json(record.tether)),
            str(record.state),
            *(os.fsencode(text) for text in (record.before, record.after, record.kept)),
            record.note,
        ),
    )


def _tether_from_row(row: sqlite3.Row) -> TetherRecord:
    return TetherRecord(
        move=row["move"],
        n=row["n"],
        tether=from_json_text(Tether, row["document"], "The journal"),
        state=TetherState(row["state"]),
        before=os.fsdecode(row["was"]),
        after=os.fsdecode(row["becomes"]),
        kept=os.fsdecode(row["kept"]),
        note=row["note"],
    )


def new_token() -> str:
    """Eight random letters for the names of a move's own folders."""
    return secrets.token_hex(4)


def _planned(run: int, step: Step, on_trial: bool, expected_s: float, without_marks: bool) -> Move:
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
        without_marks=without_marks,
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


def _entry_to_row(entry: EntryRecord) -> tuple[object, ...]:
    """In the order of the columns, which is that of the fields."""
    path = os.fsencode(entry.path)
    if entry.link is None:  # as nearly all are
        return path, *entry[1:]
    return path, *entry[1:_LINK], os.fsencode(entry.link), _encoded(entry.carried_link), *entry[_CARRIED_LINK + 1 :]


def _entry_from_row(row: sqlite3.Row) -> EntryRecord:
    fields = list(row)
    fields[0] = os.fsdecode(fields[0])
    for number in (_LINK, _CARRIED_LINK):
        if fields[number] is not None:
            fields[number] = os.fsdecode(fields[number])
    return EntryRecord._make(fields)


def _encoded(text: str | None) -> bytes | None:
    return None if text is None else os.fsencode(text)
