"""The database: one SQLite file in the state folder, brought up to date by numbered migrations.

Every commit reaches the medium before it returns (`synchronous = FULL`): the journal depends on it.
"""

from __future__ import annotations

import logging
import os
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from filelock import FileLock, Timeout

from nuvik.core.model.errors import DatabaseDamaged, Refused, Stopped
from nuvik.core.model.names import shown
from nuvik.core.store.reading_copy import ReadingCopy, why_not_writable
from nuvik.core.store.rescue import is_damage, is_damaged, rescue, set_aside

DATABASE_NAME = "nuvik.db"
CARRYING_LOCK = "carrying.lock"
"""Held, in the state folder, by the one Nuvik that carries."""
_DAMAGED = "damaged"
_ANOTHER_FOLDER = "Free some space there, make it writable, or choose another folder with --state."
log = logging.getLogger(__name__)

MIGRATIONS: tuple[str, ...] = (
    # 1: snapshots, runs (plans being carried), moves, and the entries of each move
    """
    CREATE TABLE snapshots (id INTEGER PRIMARY KEY, taken_at TEXT NOT NULL, host TEXT NOT NULL, document TEXT NOT NULL);
    CREATE TABLE runs (id INTEGER PRIMARY KEY, started_at TEXT NOT NULL, plan TEXT NOT NULL, on_trial INTEGER NOT NULL);
    CREATE TABLE moves (
        id INTEGER PRIMARY KEY AUTOINCREMENT, run INTEGER NOT NULL REFERENCES runs(id), token TEXT NOT NULL,
        n INTEGER NOT NULL,
        library BLOB NOT NULL, kind TEXT NOT NULL, source BLOB NOT NULL, target BLOB NOT NULL,
        source_drive TEXT NOT NULL, target_drive TEXT NOT NULL, bytes INTEGER NOT NULL,
        files INTEGER NOT NULL, frees_bytes INTEGER NOT NULL,
        tether TEXT NOT NULL, state TEXT NOT NULL, on_trial INTEGER NOT NULL, undoes INTEGER REFERENCES moves(id),
        started_at TEXT, ended_at TEXT, expected_s REAL NOT NULL DEFAULT 0, actual_s REAL NOT NULL DEFAULT 0,
        freed_bytes INTEGER, made_folders BLOB NOT NULL DEFAULT x'', problem TEXT
    );
    CREATE TABLE entries (
        move INTEGER NOT NULL REFERENCES moves(id), path BLOB NOT NULL, kind TEXT NOT NULL, size INTEGER NOT NULL,
        mode INTEGER NOT NULL, user INTEGER NOT NULL, owner_group INTEGER NOT NULL, accessed_ns INTEGER NOT NULL,
        changed_ns INTEGER NOT NULL, altered_ns INTEGER NOT NULL, inode TEXT NOT NULL, link BLOB, carried_link BLOB,
        checksum TEXT, proven INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (move, path)
    ) WITHOUT ROWID;
    """,
    # 2: the drive book, and what gauging found
    """
    CREATE TABLE drive_book (
        key TEXT PRIMARY KEY, id TEXT NOT NULL UNIQUE, told TEXT NOT NULL, last TEXT NOT NULL, seen_at TEXT NOT NULL,
        greeted INTEGER NOT NULL
    );
    CREATE TABLE gauges (
        id INTEGER PRIMARY KEY, drive_key TEXT NOT NULL, taken_at TEXT NOT NULL, document TEXT NOT NULL
    );
    CREATE INDEX gauges_by_drive ON gauges (drive_key);
    """,
    # 3: cards, and what each survey saw, for growth and use
    """
    CREATE TABLE cards (
        drive TEXT NOT NULL, path BLOB NOT NULL, document TEXT NOT NULL, told_at TEXT NOT NULL,
        PRIMARY KEY (drive, path)
    );
    CREATE TABLE seen_drives (
        snapshot INTEGER NOT NULL REFERENCES snapshots(id), drive TEXT NOT NULL, bytes INTEGER NOT NULL,
        PRIMARY KEY (snapshot, drive)
    ) WITHOUT ROWID;
    CREATE TABLE seen_libraries (
        snapshot INTEGER NOT NULL REFERENCES snapshots(id), library BLOB NOT NULL, bytes INTEGER NOT NULL, content TEXT,
        access TEXT, PRIMARY KEY (snapshot, library)
    ) WITHOUT ROWID;
    """,
    # 4: where new content of a kind is to go
    """
    CREATE TABLE landings (kind TEXT PRIMARY KEY, drive TEXT NOT NULL, path BLOB NOT NULL, set_at TEXT NOT NULL);
    """,
    # 5: whether a copy was ever seen under its final name (of older moves that is not known), and what the user let go
    """
    ALTER TABLE moves ADD COLUMN visible INTEGER NOT NULL DEFAULT 1;
    ALTER TABLE moves ADD COLUMN may_lose INTEGER NOT NULL DEFAULT 0;
    """,
    # 6: where the ends of a move are within their volumes, and by which paths they were reached before
    """
    ALTER TABLE moves ADD COLUMN source_place BLOB NOT NULL DEFAULT x'';
    ALTER TABLE moves ADD COLUMN target_place BLOB NOT NULL DEFAULT x'';
    ALTER TABLE moves ADD COLUMN was_source BLOB NOT NULL DEFAULT x'';
    ALTER TABLE moves ADD COLUMN was_target BLOB NOT NULL DEFAULT x'';
    """,
    # 7: the extended attributes of what was copied
    """
    ALTER TABLE entries ADD COLUMN attributes TEXT;
    """,
    # 8: whether a copy was read from its medium
    """
    ALTER TABLE moves ADD COLUMN unread INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE moves ADD COLUMN attachment TEXT NOT NULL DEFAULT '';
    """,
    # 9: moves that were begun in another journal, and what must be seen to before anything else
    """
    ALTER TABLE moves ADD COLUMN first_id INTEGER;
    CREATE TABLE notes (name TEXT PRIMARY KEY, words TEXT NOT NULL);
    """,
    # 10: marks that a target could not keep
    """
    ALTER TABLE moves ADD COLUMN without_marks INTEGER NOT NULL DEFAULT 0;
    ALTER TABLE entries ADD COLUMN withheld TEXT;
    """,
    # 11: moves that were brought forward: the lowest of a run is the next
    """
    ALTER TABLE moves ADD COLUMN position INTEGER NOT NULL DEFAULT 0;
    """,
    # 12: what else than a link keeps programs finding what was moved
    """
    CREATE TABLE tethers (
        move INTEGER NOT NULL REFERENCES moves(id), n INTEGER NOT NULL, document TEXT NOT NULL, state TEXT NOT NULL,
        was BLOB NOT NULL, becomes BLOB NOT NULL, kept BLOB NOT NULL, note TEXT NOT NULL, PRIMARY KEY (move, n)
    ) WITHOUT ROWID;
    """,
    # 13: what the system was told of a landing, and before
    """
    ALTER TABLE landings ADD COLUMN was BLOB NOT NULL DEFAULT x'';
    ALTER TABLE landings ADD COLUMN becomes BLOB NOT NULL DEFAULT x'';
    """,
    # 14: every place where programs read where new content goes; 0 is the system's own folder, of which no document
    # was kept before
    """
    CREATE TABLE landing_settings (
        kind TEXT NOT NULL, n INTEGER NOT NULL, document TEXT NOT NULL, was BLOB NOT NULL, becomes BLOB NOT NULL,
        changed_at TEXT NOT NULL, PRIMARY KEY (kind, n)
    ) WITHOUT ROWID;
    INSERT INTO landing_settings SELECT kind, 0, '', was, becomes, set_at FROM landings WHERE becomes != x'';
    """,
    # 15: folders that were emptied because programs can rebuild their contents
    """
    CREATE TABLE emptied (
        id INTEGER PRIMARY KEY AUTOINCREMENT, token TEXT NOT NULL, name BLOB NOT NULL, drive TEXT NOT NULL,
        path BLOB NOT NULL, place BLOB NOT NULL, bytes INTEGER NOT NULL, files INTEGER NOT NULL, state TEXT NOT NULL,
        emptied_at TEXT NOT NULL
    );
    """,
    # 16: openings that were recorded, by the place where the library was first
    """
    CREATE TABLE openings (
        id INTEGER PRIMARY KEY, library BLOB NOT NULL, drive TEXT NOT NULL, taken_at TEXT NOT NULL,
        document TEXT NOT NULL
    );
    CREATE INDEX openings_by_library ON openings (library);
    """,
    # 17: what openings read in a week, as each survey saw it, for the waiting over time
    """
    CREATE TABLE seen_readings (
        snapshot INTEGER NOT NULL REFERENCES snapshots(id), drive TEXT NOT NULL, computing_s REAL NOT NULL,
        bytes REAL NOT NULL, reads REAL NOT NULL, PRIMARY KEY (snapshot, drive)
    ) WITHOUT ROWID;
    """,
    # 18: a field of a part has the name by which people know it
    """
    UPDATE snapshots SET document = replace(document, '"can_be_made_anew":', '"rebuildable":');
    UPDATE cards SET document = replace(document, '"can_be_made_anew":', '"rebuildable":');
    """,
)


class Database:
    """Opens connections to the state folder's database; each use has its own, so threads never share one.

    Where the folder cannot be written, all that is known can still be read, and whatever would have to be remembered
    is refused. Raises Refused when the folder cannot even be read, or was written by a newer Nuvik.
    """

    def __init__(self, state_folder: str) -> None:
        self.folder = state_folder
        self.path = os.path.join(state_folder, DATABASE_NAME)
        self._copy: ReadingCopy | None = None
        self.not_kept = ""
        """Why something that was looked up could not be remembered, as a sentence; empty when all was."""
        try:
            os.makedirs(state_folder, mode=0o700, exist_ok=True)
            try:
                self._bring_up_to_date()
            except sqlite3.DatabaseError as fault:
                if not is_damage(fault):
                    raise
                self._begin_anew(fault)
        except (OSError, sqlite3.Error) as fault:
            self._only_read(fault)

    def _only_read(self, fault: Exception) -> None:
        """The folder cannot be written: work with a copy of what it says. Raises Refused when it cannot be read."""
        why = why_not_writable(self.folder) or str(fault)
        try:
            if os.path.isdir(self.folder) and not os.access(self.folder, os.R_OK | os.X_OK):
                raise sqlite3.OperationalError(why)
            copy = ReadingCopy(self.path, why)
            _migrate(copy.anchor, self.path)
        except sqlite3.Error as unreadable:
            raise Refused(
                f"Nuvik cannot keep its journal in {shown(self.folder)}: {unreadable}.", next_step=_ANOTHER_FOLDER
            ) from None
        log.warning("the state folder cannot be written: %s", why)
        self._copy = copy

    @property
    def why_only_read(self) -> str | None:
        """Why nothing can be remembered, as a sentence; None when all can."""
        if self._copy is None:
            return None
        return f"Nuvik looks, but remembers nothing: {shown(self.folder)} cannot be written ({self._copy.why})."

    def keep_if_possible(self, act: Callable[[], None]) -> None:
        """Remember what was looked up; where that cannot be, `not_kept` says so, and the work goes on."""
        try:
            act()
        except (Stopped, Refused) as trouble:
            log.warning("not remembered: %s", trouble.what)
            why = why_not_writable(self.folder)
            self.not_kept = f"This was not remembered: {shown(self.folder)} cannot be written ({why})."
            if why is None:
                self.not_kept = trouble.what

    def _bring_up_to_date(self) -> None:
        with self._transaction() as connection:
            _migrate(connection, self.path)

    def _begin_anew(self, why: object) -> None:
        """Keep the damaged database aside and begin a new one with what can be read of it."""
        lock = FileLock(os.path.join(self.folder, CARRYING_LOCK), timeout=0)
        try:
            lock.acquire()
        except Timeout:
            raise self._damaged(f"{why}, and something is being carried with it") from None
        try:
            if os.path.exists(self.path) and not is_damaged(self.path):
                self._bring_up_to_date()  # another Nuvik has done it meanwhile
                return
            kept = set_aside(self.path)
            log.warning("the database is damaged (%s); kept as %s", why, kept)
            self._bring_up_to_date()
            with self._transaction(checked=False) as connection:
                log.info("read from the damaged database: %s", rescue(kept, connection))
                connection.execute("INSERT OR REPLACE INTO notes (name, words) VALUES (?, ?)", (_DAMAGED, kept))
        finally:
            lock.release()

    def look_closely(self) -> None:
        """Read the whole database; a damaged one is kept aside, and a new one begun. Raises Refused."""
        try:
            if self._copy is None and is_damaged(self.path):
                self._begin_anew("found by looking closely")
        except (OSError, sqlite3.Error) as fault:
            raise Refused(f"{shown(self.path)} cannot be read: {fault}.", next_step="Check its drive.") from None

    @property
    def kept_aside(self) -> str | None:
        """Where a damaged database is kept, while nobody has looked yet for what its moves left on the drives."""
        with self.connect() as connection:
            row = connection.execute("SELECT words FROM notes WHERE name = ?", (_DAMAGED,)).fetchone()
        return row["words"] if row else None

    def mended(self) -> None:
        """What the moves of a damaged database left on the drives was looked for."""
        if self._copy is not None:
            return
        with self.connect() as connection:
            connection.execute("DELETE FROM notes WHERE name = ?", (_DAMAGED,))

    @contextmanager
    def connect(self) -> Iterator[sqlite3.Connection]:
        """A connection inside one transaction: committed durably at the end, rolled back on any exception.

        Raises Stopped when the database cannot be read or written, as on a full drive; Refused when it is damaged.
        """
        try:
            with self._transaction() as connection:
                yield connection
        except sqlite3.IntegrityError:
            raise  # a fault of Nuvik's own
        except sqlite3.OperationalError as fault:
            if self._copy is not None:
                raise Refused(
                    f"This cannot be remembered: {shown(self.folder)} cannot be written ({self._copy.why}).",
                    next_step=_ANOTHER_FOLDER,
                ) from None
            raise Stopped(
                f"Nuvik's journal in {shown(self.folder)} cannot be read or written: {fault}.",
                next_step="Free some space there, or close the program that blocks it, then run “nuvik resume”.",
            ) from None
        except sqlite3.DatabaseError as fault:
            if is_damage(fault):
                self._begin_anew(fault)
            raise self._damaged(fault) from None

    def _damaged(self, fault: object) -> DatabaseDamaged:
        return DatabaseDamaged(
            f"Nuvik's database {shown(self.path)} was damaged: {fault}.",
            next_step="Run “nuvik mend”: it keeps the damaged one aside and begins a new one. Your libraries are "
            "untouched.",
        )

    @contextmanager
    def _transaction(self, checked: bool = True) -> Iterator[sqlite3.Connection]:
        connection = self._copy.connect() if self._copy else sqlite3.connect(self.path, timeout=30)
        try:
            connection.row_factory = sqlite3.Row
            if self._copy is None:
                connection.execute("PRAGMA journal_mode = WAL")
                connection.execute("PRAGMA synchronous = FULL")
            connection.execute(f"PRAGMA foreign_keys = {'ON' if checked else 'OFF'}")
            with connection:
                yield connection
        finally:
            connection.close()


def _migrate(connection: sqlite3.Connection, path: str) -> None:
    version = connection.execute("PRAGMA user_version").fetchone()[0]
    if version > len(MIGRATIONS):
        raise Refused(
            f"{shown(path)} was written by a newer Nuvik.",
            next_step="Install that version, or choose another folder with --state.",
        )
    for number, script in enumerate(MIGRATIONS[version:], start=version + 1):
        log.info("database: step %d", number)
        connection.executescript(f"BEGIN; {script} PRAGMA user_version = {number}; COMMIT;")
