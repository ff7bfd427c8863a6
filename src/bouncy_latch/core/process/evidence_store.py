"""The evidence store: what became of prints and what was measured, across projects, in one SQLite file.

Every change is one transaction that takes the write lock before it reads, so programs that add at the same time come one after
the other. A copy of the last good store lies beside it, and a store that cannot be trusted is left alone.
"""

from __future__ import annotations

import json
import math
import sqlite3
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any, TypeVar

from bouncy_latch.core import files
from bouncy_latch.core.errors import ReadError, SaveError, UserError
from bouncy_latch.core.process.evidence import FIELDS, READING_FIELDS, Item, Reading, Result, numbered
from bouncy_latch.core.process.profile import Process

STORE_VERSION = 3
MOST_STORE = 500 * 2**20
PATIENCE = 10.0
"""How long one who adds waits for others who do, s."""
_TABLES = {"results": ("key", *FIELDS, "copy"), "readings": ("key", *READING_FIELDS, "copy"), "excluded": ("key",),
           "processes": ("id", "process")}
_NUMBERS = {"value", "play", "copy", "nominal"}
Made = TypeVar("Made")

_FULL, _READ_ONLY, _LOCKED, _CANNOT_OPEN, _DISK, _FORBIDDEN, _DOUBLED = (
    {sqlite3.SQLITE_FULL}, {sqlite3.SQLITE_READONLY}, {sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED}, {sqlite3.SQLITE_CANTOPEN},
    {sqlite3.SQLITE_IOERR}, {sqlite3.SQLITE_PERM, sqlite3.SQLITE_AUTH}, {sqlite3.SQLITE_CONSTRAINT})


def _declared(table: str) -> str:
    first, *rest = _TABLES[table]
    columns = [f'"{first}" VARCHAR NOT NULL PRIMARY KEY', *(f'"{c}" {"FLOAT" if c in _NUMBERS else "VARCHAR"}' for c in rest)]
    return f'CREATE TABLE IF NOT EXISTS "{table}" ({", ".join(columns)})'


def _unlike(items: Sequence[Item], known: set[str]) -> list[Item]:
    """Return items numbered on, so that none has a key among those known or of another."""
    taken = set(known)
    found = []
    for item in items:
        while item.key in taken:
            item = replace(item, copy=item.copy + 1)
        taken.add(item.key)
        found.append(item)
    return found


class Evidence:
    """The store in one file; made when first written to."""

    def __init__(self, path: Path) -> None:
        self._path = path

    @property
    def backup(self) -> Path:
        """The copy of the last good store."""
        return self._path.with_name(f"{self._path.name}.last")

    @contextmanager
    def _open(self, write: bool) -> Iterator[sqlite3.Connection]:
        try:
            # Transactions are begun by hand: what is written is decided under the write lock.
            with closing(sqlite3.connect(self._path, timeout=PATIENCE, isolation_level=None)) as connection:
                connection.execute("BEGIN IMMEDIATE" if write else "BEGIN")
                (version,) = connection.execute("PRAGMA user_version").fetchone()
                if version > STORE_VERSION:
                    raise ReadError(f"{self._path.name} was written by a newer Bouncy Latch (store {version}; this one knows "
                                    f"{STORE_VERSION}); it is left alone", field=str(self._path))
                if write:
                    self._migrate(connection, version)
                yield connection
                connection.execute("COMMIT")
        except sqlite3.Error as error:
            raise self._refused(error, write) from None

    def _refused(self, error: object, write: bool) -> UserError:
        """Return what stands in the way, told apart by what the database itself says (sqlite.org, result codes)."""
        code = (getattr(error, "sqlite_errorcode", None) or 0) & 0xFF
        name, folder = self._path.name, self._path.parent
        reasons = ((_FULL, "the disk is full"), (_READ_ONLY, "it may only be read"),
                   (_LOCKED, "it is in use by another program"), (_CANNOT_OPEN, "it cannot be opened there"),
                   (_DISK, "the disk does not answer as it should"), (_FORBIDDEN, "you may not write there"),
                   (_DOUBLED, "a row that was to be added stands there already"))
        reason = next((words for codes, words in reasons if code in codes), "")
        if reason:
            what = "could not be written" if write else "could not be read"
            kind = SaveError if write else ReadError
            return kind(f"{name} in {folder} {what}: {reason}; nothing was changed", field=str(self._path))
        offer = f"; its last good copy is {self.backup.name}" if self.backup.exists() else ""
        return ReadError(f"{name} is damaged{offer}", field=str(self._path))

    @staticmethod
    def _migrate(connection: sqlite3.Connection, version: int) -> None:
        for table in _TABLES:
            connection.execute(_declared(table))
        if version < STORE_VERSION:
            for table, column, declared in (("results", "params", "VARCHAR DEFAULT ''"), ("results", "copy", "FLOAT DEFAULT 0"),
                                            ("readings", "copy", "FLOAT DEFAULT 0")):
                known = {row[1] for row in connection.execute(f"PRAGMA table_info({table})")}
                if column not in known:
                    connection.execute(f"ALTER TABLE {table} ADD COLUMN {column} {declared}")
            connection.execute(f"PRAGMA user_version = {STORE_VERSION}")

    def add(self, items: Iterable[Result | Reading], processes: Iterable[Process] = (), *, fresh: bool = False,
            left_out: Collection[Result | Reading] = ()) -> int:
        """Add results and readings in one transaction and return how many were new.

        ``fresh``: they are new prints and readings even where the store holds equal ones; otherwise what is there already is
        not added again. ``left_out``: those of them that do not count until somebody says so.

        Raises:
            ReadError: for a damaged or newer store. SaveError: for one that cannot be written. Then nothing was added.
        """
        wanted = numbered(items)
        files.folder(self._path.parent)
        new = 0
        with self._open(write=True) as connection:
            for table, kind in (("results", Result), ("readings", Reading)):
                rows = [item for item in wanted if isinstance(item, kind)]
                known = {row[0] for row in connection.execute(f'SELECT "key" FROM "{table}"')}
                added = _unlike(rows, known) if fresh else [row for row in rows if row.key not in known]
                _insert(connection, table, [{"key": row.key, **_row(row)} for row in added])
                new += len(added)
                doubtful = [row.key for row in added if replace(row, copy=0) in {replace(each, copy=0) for each in left_out}]
                _insert(connection, "excluded", [{"key": key} for key in doubtful])
            for process in processes:
                connection.execute("DELETE FROM processes WHERE id = ?", (process.id,))
                _insert(connection, "processes", [{"id": process.id, "process": process.model_dump_json()}])
        self._keep_copy()
        return new

    def _keep_copy(self) -> None:
        """Put a copy of the store beside it; where there is no room for one the older copy stays."""
        with suppress(sqlite3.Error, SaveError), \
                closing(sqlite3.connect(self._path, timeout=PATIENCE, isolation_level=None)) as connection:
            # Under the write lock, so that no older copy takes the place of a newer one.
            connection.execute("BEGIN IMMEDIATE")
            files.write(self.backup, connection.serialize())
            connection.execute("ROLLBACK")

    def restore(self) -> None:
        """Put the last good copy in place of the store; what was there is kept as ``NAME.damaged``.

        Raises:
            ReadError: when there is no copy. SaveError: when it cannot be put in place.
        """
        if not self.backup.exists():
            raise ReadError(f"there is no copy of {self._path.name} to go back to", field=str(self._path))
        good = files.read(self.backup, MOST_STORE)
        if self._path.exists():
            files.write(self._path.with_name(f"{self._path.name}.damaged"), files.read(self._path, MOST_STORE))
        if not self._put_back():
            # A journal belongs to the damaged store and would be played back into the good one.
            self._path.with_name(f"{self._path.name}-journal").unlink(missing_ok=True)
            files.write(self._path, good)

    def _put_back(self) -> bool:
        """Copy the good store into the file, so that programs that hold it open see it; False where SQLite cannot open it."""
        try:
            with closing(sqlite3.connect(f"{self.backup.absolute().as_uri()}?mode=ro", uri=True)) as good, \
                    closing(sqlite3.connect(self._path, timeout=PATIENCE)) as store:
                good.backup(store)
                (sound,) = store.execute("PRAGMA quick_check").fetchone()
        except sqlite3.Error:
            return False
        return bool(sound == "ok")

    def exclude(self, key: str, excluded: bool = True) -> None:
        """Leave a result or reading out of what is learnt, or take it in again."""
        with self._open(write=True) as connection:
            connection.execute("DELETE FROM excluded WHERE key = ?", (key,))
            if excluded:
                _insert(connection, "excluded", [{"key": key}])

    def excluded(self) -> frozenset[str]:
        """Return the keys that are left out."""
        return frozenset(row[0] for row in self._rows("excluded"))

    def results(self, process: str | None = None) -> list[Result]:
        """Return all results, oldest first, of one process or of all; raises ReadError for a damaged store."""
        found = self._made("results", _kept_result)
        return sorted((r for r in found if process in (None, r.process)), key=lambda r: (r.when, r.value))

    def readings(self, process: str | None = None) -> list[Reading]:
        """Return all readings, oldest first, of one process or of all; raises ReadError for a damaged store."""
        found = self._made("readings", _kept_reading)
        return sorted((r for r in found if process in (None, r.process)), key=lambda r: (r.when, r.nominal))

    def processes(self) -> list[Process]:
        """Return the processes evidence was ever added for, as they stood then."""
        return self._made("processes", lambda row: Process.model_validate_json(row[1]))

    def _made(self, table: str, make: Callable[[tuple[Any, ...]], Made]) -> list[Made]:
        """Return what the rows of a table make; rows that nothing of ours wrote are damage."""
        try:
            return [make(row) for row in self._rows(table)]
        except (TypeError, ValueError, OverflowError):
            raise self._refused(None, write=False) from None

    def _rows(self, name: str) -> list[tuple[Any, ...]]:
        if not self._path.exists():
            return []
        if not self._path.is_file():
            raise ReadError(f"{self._path.name} in {self._path.parent} is no regular file", field=str(self._path))
        with self._open(write=False) as connection:
            there = {row[1] for row in connection.execute(f'PRAGMA table_info("{name}")')}
            if not there:
                return []
            # A store of an older version lacks the newest columns.
            columns = ", ".join(f'"{column}"' if column in there else "''" for column in _TABLES[name])
            return [tuple(row) for row in connection.execute(f'SELECT {columns} FROM "{name}"')]


def _insert(connection: sqlite3.Connection, table: str, rows: Sequence[dict[str, Any]]) -> None:
    columns = _TABLES[table]
    names, places = ", ".join(f'"{column}"' for column in columns), ", ".join("?" for _ in columns)
    connection.executemany(f'INSERT INTO "{table}" ({names}) VALUES ({places})',
                           [[row[column] for column in columns] for row in rows])


def _word(value: object) -> str:
    """Return a text as it came from the store; raises TypeError for anything else."""
    if value is None:
        return ""
    if not isinstance(value, str):
        raise TypeError
    return value


def _figure(value: object) -> float:
    """Return a finite number as it came from the store; raises TypeError or ValueError for anything else."""
    if not isinstance(value, (int, float)) or not math.isfinite(value):
        raise TypeError
    return float(value)


def _kept_result(row: tuple[Any, ...]) -> Result:
    when, process, kind, param = map(_word, row[1:5])
    return Result(when, process, kind, param, _figure(row[5]), _word(row[6]), None if row[7] is None else _figure(row[7]),
                  _word(row[8]), _word(row[9]), int(row[10] or 0))


def _kept_reading(row: tuple[Any, ...]) -> Reading:
    when, process, feature = map(_word, row[1:4])
    return Reading(when, process, feature, _figure(row[4]), tuple(map(_figure, json.loads(row[5]))), _word(row[6]),
                   int(row[7] or 0))


def _row(item: Result | Reading) -> dict[str, Any]:
    values = asdict(item)
    if isinstance(item, Reading):
        values["values"] = json.dumps(list(item.values))
    return values
