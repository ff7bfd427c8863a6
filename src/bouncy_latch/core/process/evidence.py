"""The evidence store: what became of prints and what was measured, across projects, in one SQLite file.

Rows are keyed by their content and by how many of that content came before, so importing the same file twice changes nothing
and two equal prints are two. Every change is one transaction, a copy of the last good store lies beside it, and a store that
cannot be trusted is left alone.
"""

from __future__ import annotations

import hashlib
import json
import math
import sqlite3
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import asdict, replace
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

from bouncy_latch.core import files, plainjson
from bouncy_latch.core.errors import ParamError, ReadError, SaveError, UserError, shortly
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.outcomes import VERDICTS
from bouncy_latch.core.process.profile import Process

STORE_VERSION = 3
FIELDS = ("when", "process", "kind", "param", "value", "outcome", "play", "note", "params")
READING_FIELDS = ("when", "process", "feature", "nominal", "values", "note")
FEATURES = {
    "outside": "across a bar or block", "peg": "across a round peg", "hole": "across a round hole",
    "seam": "across a round peg, a jaw on its seam",
    "first layer": "across the first layer",
    "length": "along a long bar", "sag": "droop of a bridge", "overhang": "steepest clean overhang, °",
    "bend": "droop of the bend bar", "slides at": "tilt at which a print slides on a print, °",
    "tears at": "droop at which the bend bar tears", "weighed": "stiffness of a spring under a weight",
}
"""What can be measured on a coupon."""
UNSIZED = {"overhang", "bend", "slides at", "tears at"}
"""Features that have no drawn size of their own."""
UNITS = {"overhang": "°", "slides at": "°", "weighed": "GPa"}
"""Units of features that are not read in mm."""
BY_HAND = tuple(name for name in FEATURES if name != "weighed")
"""Features whose readings are typed; a spring's stiffness follows from a weight and a travel."""


@frozen
class Result:
    """One step of one print.

    Attributes:
        when: ISO date or date and time.
        process, kind, param: ids; ``value`` the stepped size, mm.
        outcome: one of the five outcomes; ``play`` measured, mm ±, or None (records of old; nothing is learnt from it).
        params: the other parameters it was printed with, as JSON; empty for the kind's test piece.
        copy: how many prints of exactly this content there were before.
    """

    when: str
    process: str
    kind: str
    param: str
    value: float
    outcome: str
    play: float | None = None
    note: str = ""
    params: str = ""
    copy: int = 0

    @property
    def key(self) -> str:
        """Fingerprint of the content and its number."""
        return _fingerprint({name: value for name, value in asdict(self).items() if name not in _OFTEN_EMPTY or value})


@frozen
class Reading:
    """Readings of one size of a coupon.

    Attributes:
        feature: one of :data:`FEATURES`.
        nominal: the drawn size, mm (sag: the span; weighed: the thickness of the bar; overhang: unused).
        values: the readings, mm (overhang, slides at: degrees; weighed: the modulus it would have as drawn, GPa).
    """

    when: str
    process: str
    feature: str
    nominal: float
    values: tuple[float, ...]
    note: str = ""
    copy: int = 0

    @property
    def key(self) -> str:
        """Fingerprint of the content and its number."""
        return _fingerprint({name: value for name, value in asdict(self).items() if name not in _OFTEN_EMPTY or value})


_OFTEN_EMPTY = {"params", "copy"}
"""Left out of a fingerprint when empty, so that rows older than these columns keep theirs."""
Item = TypeVar("Item", bound=Result | Reading)
Made = TypeVar("Made")


def numbered(items: Iterable[Item]) -> list[Item]:
    """Return items, equal ones told apart by their ``copy``."""
    seen: dict[Result | Reading, int] = {}
    found = []
    for item in items:
        plain = replace(item, copy=0)
        found.append(replace(item, copy=seen.get(plain, 0)))
        seen[plain] = seen.get(plain, 0) + 1
    return found


def _fingerprint(values: dict[str, Any]) -> str:
    return hashlib.sha256(json.dumps(values, sort_keys=True).encode()).hexdigest()[:32]


def result(**values: Any) -> Result:
    """Return a checked result from loosely typed values; raises ParamError."""
    _columns("result", values, FIELDS, {"process", "kind", "param", "value", "outcome"})
    if values["outcome"] not in VERDICTS:
        raise ParamError(f"outcome must be one of {', '.join(VERDICTS)}, not '{shortly(str(values['outcome']))}'",
                         field="outcome", value=values["outcome"])
    return Result(_when(values), _text(values, "process"), _text(values, "kind"), _text(values, "param"),
                  _number(values, "value"), _text(values, "outcome"),
                  None if values.get("play") in (None, "") else _number(values, "play"),
                  _text(values, "note", MOST_NOTE), _sizes(values))


def reading(**values: Any) -> Reading:
    """Return a checked reading from loosely typed values; ``values`` may be numbers or text; raises ParamError."""
    from bouncy_latch.core.process import readings

    feature = _text(values, "feature")
    if feature in UNSIZED and values.get("nominal") in (None, ""):
        values["nominal"] = 0.0
    _columns("reading", values, READING_FIELDS, {"process", "feature", "nominal", "values"})
    if feature not in FEATURES:
        raise ParamError(f"feature must be one of {', '.join(FEATURES)}, not '{shortly(feature)}'", field="feature",
                         value=feature)
    nominal = _number(values, "nominal", 1000.0)
    given = values["values"]
    if not isinstance(given, str):
        if not isinstance(given, (list, tuple)) or not all(isinstance(v, (int, float)) for v in given):
            raise ParamError(f"values must be numbers, not {shortly(str(given))}", field="values", value=given)
        given = " ".join(repr(float(v)) for v in given)
    sized = feature in {"outside", "peg", "seam", "hole", "first layer", "length"}
    return Reading(_when(values), _text(values, "process"), feature, nominal,
                   readings.read(given, nominal if sized else None).values, _text(values, "note", MOST_NOTE))


MOST_NOTE, MOST_NAME, MOST_SIZES = 4000, 200, 20_000


def _text(values: dict[str, Any], name: str, most: int = MOST_NAME) -> str:
    """Return a text value; only notes are cut, everything else is refused when it is no name."""
    value = values.get(name)
    text = "" if value is None else value
    if not isinstance(text, str):
        raise ParamError(f"{name} must be text, not {shortly(str(value))}", field=name, value=value)
    if len(text) > most and name != "note":
        raise ParamError(f"{name} is {len(text)} characters long; at most {most} are taken", field=name)
    return text.encode("utf-8", "replace").decode()[:most]


def _sizes(values: dict[str, Any]) -> str:
    """Return the other sizes of a print as JSON, checked to be a flat object."""
    text = _text(values, "params", MOST_SIZES)
    if not text:
        return ""
    try:
        found = plainjson.loads(text, "params")
    except ReadError as error:
        raise ParamError(error.sentence, field="params") from None
    if not isinstance(found, dict) or any(isinstance(value, (dict, list)) for value in found.values()):
        raise ParamError("params must be an object of sizes by name", field="params", value=shortly(text))
    return text


def _columns(what: str, values: dict[str, Any], known: Sequence[str], needed: set[str]) -> None:
    unknown = set(values) - set(known)
    missing = needed - {k for k, v in values.items() if v not in (None, "")}
    if unknown or missing:
        found = f"unknown {shortly(', '.join(sorted(map(str, unknown))))}" if unknown else f"no {', '.join(sorted(missing))}"
        raise ParamError(f"a {what} has {found}; its columns are {', '.join(known)}", field=next(iter(unknown | missing)))


def _when(values: dict[str, Any]) -> str:
    when = str(values.get("when") or datetime.now().isoformat(timespec="minutes"))
    try:
        datetime.fromisoformat(when)
    except ValueError:
        raise ParamError(f"when must be a date like 2026-09-02 or 2026-09-02T10:20, not '{shortly(when)}'",
                         field="when") from None
    return when


def _number(values: dict[str, Any], name: str, most: float = 50.0) -> float:
    try:
        number = float(str(values[name]).replace(",", "."))
    except (ValueError, OverflowError):
        number = math.nan
    if not 0 <= number <= most or isinstance(values[name], bool):
        raise ParamError(f"{name} must be a number from 0 to {most:g} mm, not '{shortly(str(values[name]))}'", field=name,
                         value=values[name])
    return number


@frozen
class _Tables:
    """The tables of the store; SQLAlchemy is loaded with them, when there is a store to open."""

    metadata: Any
    results: Any
    readings: Any
    excluded: Any
    processes: Any


@cache
def _tables() -> _Tables:
    from sqlalchemy import Column, Float, MetaData, String, Table

    metadata = MetaData()

    def table(name: str, *columns: str, numbers: tuple[str, ...] = ()) -> Any:
        rest = [Column(c, Float if c in numbers else String) for c in columns[1:]]
        return Table(name, metadata, Column(columns[0], String, primary_key=True), *rest)

    return _Tables(
        metadata, table("results", "key", *FIELDS, "copy", numbers=("value", "play", "copy")),
        table("readings", "key", *READING_FIELDS, "copy", numbers=("nominal", "copy")), table("excluded", "key"),
        table("processes", "id", "process"))


_FULL, _READ_ONLY, _LOCKED, _CANNOT_OPEN, _DISK, _FORBIDDEN = (
    {sqlite3.SQLITE_FULL}, {sqlite3.SQLITE_READONLY}, {sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED}, {sqlite3.SQLITE_CANTOPEN},
    {sqlite3.SQLITE_IOERR}, {sqlite3.SQLITE_PERM, sqlite3.SQLITE_AUTH})


MOST_STORE = 500 * 2**20


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
    def _open(self, write: bool) -> Iterator[Any]:
        from sqlalchemy import create_engine, text
        from sqlalchemy.exc import DatabaseError

        engine = create_engine(f"sqlite:///{self._path}", connect_args={"timeout": 1.0})
        try:
            with engine.begin() if write else engine.connect() as connection:
                version = connection.execute(text("PRAGMA user_version")).scalar_one()
                if version > STORE_VERSION:
                    raise ReadError(f"{self._path.name} was written by a newer Bouncy Latch (store {version}; this one knows "
                                    f"{STORE_VERSION}); it is left alone", field=str(self._path))
                if write:
                    _tables().metadata.create_all(connection)
                    self._migrate(connection, version)
                yield connection
        except DatabaseError as error:
            raise self._refused(error.orig, write) from None
        finally:
            engine.dispose()

    def _refused(self, error: object, write: bool) -> UserError:
        """Return what stands in the way, told apart by what the database itself says (sqlite.org, result codes)."""
        code = (getattr(error, "sqlite_errorcode", None) or 0) & 0xFF
        name, folder = self._path.name, self._path.parent
        reasons = ((_FULL, "the disk is full"), (_READ_ONLY, "it may only be read"),
                   (_LOCKED, "it is in use by another program"), (_CANNOT_OPEN, "it cannot be opened there"),
                   (_DISK, "the disk does not answer as it should"), (_FORBIDDEN, "you may not write there"))
        reason = next((words for codes, words in reasons if code in codes), "")
        if reason:
            what = "could not be written" if write else "could not be read"
            kind = SaveError if write else ReadError
            return kind(f"{name} in {folder} {what}: {reason}; nothing was changed", field=str(self._path))
        offer = f"; its last good copy is {self.backup.name}" if self.backup.exists() else ""
        return ReadError(f"{name} is damaged{offer}", field=str(self._path))

    @staticmethod
    def _migrate(connection: Any, version: int) -> None:
        from sqlalchemy import text

        if version < STORE_VERSION:
            for table, column, declared in (("results", "params", "VARCHAR DEFAULT ''"), ("results", "copy", "FLOAT DEFAULT 0"),
                                            ("readings", "copy", "FLOAT DEFAULT 0")):
                known = {row[1] for row in connection.execute(text(f"PRAGMA table_info({table})"))}
                if column not in known:
                    connection.execute(text(f"ALTER TABLE {table} ADD COLUMN {column} {declared}"))
            connection.execute(text(f"PRAGMA user_version = {STORE_VERSION}"))

    def add(self, items: Iterable[Result | Reading], processes: Iterable[Process] = (), *, fresh: bool = False) -> int:
        """Add results and readings in one transaction and return how many were new.

        ``fresh``: they are new prints and readings even where the store holds equal ones; otherwise what is there already is
        not added again.

        Raises:
            ReadError: for a damaged or newer store. SaveError: for one that cannot be written. Then nothing was added.
        """
        from sqlalchemy import delete, insert, select

        wanted = numbered(items)
        files.folder(self._path.parent)
        new = 0
        with self._open(write=True) as connection:
            for table, kind in ((_tables().results, Result), (_tables().readings, Reading)):
                rows = [item for item in wanted if isinstance(item, kind)]
                known = set(connection.scalars(select(table.c.key)))
                new_rows = _unlike(rows, known) if fresh else [row for row in rows if row.key not in known]
                added = [{"key": row.key, **_row(row)} for row in new_rows]
                if added:
                    connection.execute(insert(table), added)
                new += len(added)
            for process in processes:
                connection.execute(delete(_tables().processes).where(_tables().processes.c.id == process.id))
                connection.execute(insert(_tables().processes), {"id": process.id, "process": process.model_dump_json()})
        self._keep_copy()
        return new

    def _keep_copy(self) -> None:
        """Put a copy of the store beside it; where there is no room for one the older copy stays."""
        try:
            with closing(sqlite3.connect(f"{self._path.absolute().as_uri()}?mode=ro", uri=True, timeout=1.0)) as connection:
                files.write(self.backup, connection.serialize())
        except (sqlite3.Error, SaveError):
            return

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
        # A journal belongs to the damaged store and would be played back into the good one.
        self._path.with_name(f"{self._path.name}-journal").unlink(missing_ok=True)
        files.write(self._path, good)

    def exclude(self, key: str, excluded: bool = True) -> None:
        """Leave a result or reading out of what is learnt, or take it in again."""
        from sqlalchemy import delete, insert

        with self._open(write=True) as connection:
            connection.execute(delete(_tables().excluded).where(_tables().excluded.c.key == key))
            if excluded:
                connection.execute(insert(_tables().excluded), {"key": key})

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
        from sqlalchemy import select, text

        table = getattr(_tables(), name)
        with self._open(write=False) as connection:
            there = {row[1] for row in connection.execute(text(f"PRAGMA table_info({name})"))}
            if not there:
                return []
            # A store of an older version lacks the newest columns.
            columns = [column if column.name in there else text("''") for column in table.c]
            return [tuple(row) for row in connection.execute(select(*columns).select_from(table))]


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
