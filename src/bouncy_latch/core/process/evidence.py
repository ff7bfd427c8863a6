"""The evidence store: what became of prints and what was measured, across projects, in one SQLite file.

Rows are keyed by their content, so importing the same file twice changes nothing. Every change is one transaction, a copy
of the last good store lies beside it, and a store that cannot be trusted is opened for reading only.
"""

from __future__ import annotations

import hashlib
import json
import math
import shutil
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any

from bouncy_latch.core.errors import ParamError, ReadError
from bouncy_latch.core.process.outcomes import EVERY
from bouncy_latch.core.process.profile import Process

STORE_VERSION = 2
FIELDS = ("when", "process", "kind", "param", "value", "outcome", "play", "note")
READING_FIELDS = ("when", "process", "feature", "nominal", "values", "note")
FEATURES = {
    "outside": "across a bar or peg", "hole": "across a round hole", "first layer": "across the first layer",
    "length": "along a long bar", "sag": "droop of a bridge", "overhang": "steepest clean overhang, °",
    "bend": "droop of the bend bar", "slides at": "tilt at which a print slides on a print, °",
    "tears at": "droop at which the bend bar tears",
}
"""What can be measured on a coupon."""
UNSIZED = {"overhang", "bend", "slides at", "tears at"}
"""Features that have no drawn size of their own."""


@dataclass(frozen=True)
class Result:
    """One step of one print.

    Attributes:
        when: ISO date or date and time.
        process, kind, param: ids; ``value`` the stepped size, mm.
        outcome: one of the five outcomes; ``play`` measured, mm ±, or None.
        params: the other parameters it was printed with, as JSON; empty for the kind's test piece.
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

    @property
    def key(self) -> str:
        """Fingerprint of the content."""
        plain = {name: value for name, value in asdict(self).items() if name != "params" or value}
        return _fingerprint(plain)


@dataclass(frozen=True)
class Reading:
    """Readings of one size of a coupon.

    Attributes:
        feature: one of :data:`FEATURES`.
        nominal: the drawn size, mm (sag: the span; overhang: unused).
        values: the readings, mm (overhang, slides at: degrees).
    """

    when: str
    process: str
    feature: str
    nominal: float
    values: tuple[float, ...]
    note: str = ""

    @property
    def key(self) -> str:
        """Fingerprint of the content."""
        return _fingerprint(asdict(self))


def _fingerprint(values: dict[str, Any]) -> str:
    return hashlib.sha256(json.dumps(values, sort_keys=True).encode()).hexdigest()[:32]


def result(**values: Any) -> Result:
    """Return a checked result from loosely typed values; raises ParamError."""
    _columns("result", values, (*FIELDS, "params"), {"process", "kind", "param", "value", "outcome"})
    if values["outcome"] not in EVERY:
        raise ParamError(f"outcome must be one of {', '.join(EVERY)}, not '{values['outcome']}'", field="outcome",
                         value=values["outcome"])
    return Result(_when(values), str(values["process"]), str(values["kind"]), str(values["param"]), _number(values, "value"),
                  str(values["outcome"]), None if values.get("play") in (None, "") else _number(values, "play"),
                  str(values.get("note") or "")[:4000], str(values.get("params") or ""))


def reading(**values: Any) -> Reading:
    """Return a checked reading from loosely typed values; ``values`` may be numbers or text; raises ParamError."""
    from bouncy_latch.core.process import readings

    if values.get("feature") in UNSIZED and values.get("nominal") in (None, ""):
        values["nominal"] = 0.0
    _columns("reading", values, READING_FIELDS, {"process", "feature", "nominal", "values"})
    if values["feature"] not in FEATURES:
        raise ParamError(f"feature must be one of {', '.join(FEATURES)}, not '{values['feature']}'", field="feature",
                         value=values["feature"])
    nominal = _number(values, "nominal", 1000.0)
    given = values["values"]
    written = given if isinstance(given, str) else " ".join(f"{float(v):g}" for v in given)
    sized = values["feature"] in {"outside", "hole", "first layer", "length"}
    return Reading(_when(values), str(values["process"]), str(values["feature"]), nominal,
                   readings.read(written, nominal if sized else None).values, str(values.get("note") or "")[:4000])


def _columns(what: str, values: dict[str, Any], known: Sequence[str], needed: set[str]) -> None:
    unknown = set(values) - set(known)
    missing = needed - {k for k, v in values.items() if v not in (None, "")}
    if unknown or missing:
        found = f"unknown {', '.join(sorted(unknown))}" if unknown else f"no {', '.join(sorted(missing))}"
        raise ParamError(f"a {what} has {found}; its columns are {', '.join(known)}", field=next(iter(unknown | missing)))


def _when(values: dict[str, Any]) -> str:
    when = str(values.get("when") or datetime.now().isoformat(timespec="minutes"))
    try:
        datetime.fromisoformat(when)
    except ValueError:
        raise ParamError(f"when must be a date like 2026-09-02 or 2026-09-02T10:20, not '{when}'", field="when") from None
    return when


def _number(values: dict[str, Any], name: str, most: float = 50.0) -> float:
    try:
        number = float(str(values[name]).replace(",", "."))
    except ValueError:
        number = math.nan
    if not 0 <= number <= most:
        raise ParamError(f"{name} must be a number from 0 to {most:g} mm, not '{values[name]}'", field=name, value=values[name])
    return number


@dataclass(frozen=True)
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
        metadata, table("results", "key", *FIELDS, "params", numbers=("value", "play")),
        table("readings", "key", *READING_FIELDS, numbers=("nominal",)), table("excluded", "key"),
        table("processes", "id", "process"))


class Evidence:
    """The store in one file; made when first written to.

    Attributes:
        trouble: why it can only be read, a sentence; empty when all is well.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self.trouble = ""

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
            locked = "locked" in str(error.orig)
            if locked:
                raise ReadError(f"{self._path.name} is in use by another program; nothing was changed",
                                field=str(self._path)) from None
            offer = f"; its last good copy is {self.backup.name}" if self.backup.exists() else ""
            raise ReadError(f"{self._path.name} is damaged{offer}", field=str(self._path)) from None
        finally:
            engine.dispose()

    @staticmethod
    def _migrate(connection: Any, version: int) -> None:
        from sqlalchemy import text

        if version < STORE_VERSION:
            known = {row[1] for row in connection.execute(text("PRAGMA table_info(results)"))}
            if "params" not in known:
                connection.execute(text("ALTER TABLE results ADD COLUMN params VARCHAR DEFAULT ''"))
            connection.execute(text(f"PRAGMA user_version = {STORE_VERSION}"))

    def add(self, items: Iterable[Result | Reading], processes: Iterable[Process] = ()) -> int:
        """Add results and readings in one transaction and return how many were new.

        Raises:
            ReadError: for a damaged, newer or locked store; then nothing was added.
        """
        from sqlalchemy import delete, insert, select

        wanted = list(items)
        self._path.parent.mkdir(parents=True, exist_ok=True)
        new = 0
        with self._open(write=True) as connection:
            for table, rows in ((_tables().results, [r for r in wanted if isinstance(r, Result)]),
                                (_tables().readings, [r for r in wanted if isinstance(r, Reading)])):
                by_key = {row.key: row for row in rows}
                known = set(connection.scalars(select(table.c.key).where(table.c.key.in_(by_key))))
                fresh = [{"key": key, **_row(row)} for key, row in by_key.items() if key not in known]
                if fresh:
                    connection.execute(insert(table), fresh)
                new += len(fresh)
            for process in processes:
                connection.execute(delete(_tables().processes).where(_tables().processes.c.id == process.id))
                connection.execute(insert(_tables().processes), {"id": process.id, "process": process.model_dump_json()})
        self._keep_copy()
        return new

    def _keep_copy(self) -> None:
        """Put a copy of the store beside it, whole or not at all."""
        beside = self.backup.with_suffix(".writing")
        shutil.copyfile(self._path, beside)
        beside.replace(self.backup)

    def restore(self) -> None:
        """Put the last good copy in place of the store; what was there is kept as ``NAME.damaged``."""
        if not self.backup.exists():
            raise ReadError(f"there is no copy of {self._path.name} to go back to", field=str(self._path))
        if self._path.exists():
            self._path.replace(self._path.with_name(f"{self._path.name}.damaged"))
        shutil.copyfile(self.backup, self._path)
        self.trouble = ""

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
        found = [Result(*row[1:]) for row in self._rows("results")]
        return sorted((r for r in found if process in (None, r.process)), key=lambda r: (r.when, r.value))

    def readings(self, process: str | None = None) -> list[Reading]:
        """Return all readings, oldest first, of one process or of all; raises ReadError for a damaged store."""
        found = [Reading(row[1], row[2], row[3], row[4], tuple(json.loads(row[5])), row[6]) for row in self._rows("readings")]
        return sorted((r for r in found if process in (None, r.process)), key=lambda r: (r.when, r.nominal))

    def processes(self) -> list[Process]:
        """Return the processes evidence was ever added for, as they stood then."""
        return [Process.model_validate_json(row[1]) for row in self._rows("processes")]

    def _rows(self, name: str) -> list[tuple[Any, ...]]:
        if not self._path.exists():
            return []
        from sqlalchemy import select, text

        table = getattr(_tables(), name)
        with self._open(write=False) as connection:
            there = {row[1] for row in connection.execute(text(f"PRAGMA table_info({name})"))}
            if not there:
                return []
            # A store of an older version lacks the newest columns.
            columns = [column if column.name in there else text("''") for column in table.c]
            return [tuple(row) for row in connection.execute(select(*columns).select_from(table))]


def _row(item: Result | Reading) -> dict[str, Any]:
    values = asdict(item)
    if isinstance(item, Reading):
        values["values"] = json.dumps(list(item.values))
    return values
