"""The evidence store: what became of prints, across projects, in one SQLite file of the user's data folder.

Rows are keyed by their content, so importing the same file twice changes nothing. Every change is one transaction.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import math
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Column, Float, MetaData, String, Table, create_engine, insert, select
from sqlalchemy.exc import DatabaseError

from bouncy_latch.core.errors import ParamError, ReadError
from bouncy_latch.core.process.outcomes import OUTCOMES

FIELDS = ("when", "process", "kind", "param", "value", "outcome", "play", "note")


@dataclass(frozen=True)
class Result:
    """One step of one print.

    Attributes:
        when: ISO date or date and time.
        process, kind, param: ids; ``value`` the stepped size, mm.
        outcome: one of the five outcomes; ``play`` measured, mm ±, or None.
    """

    when: str
    process: str
    kind: str
    param: str
    value: float
    outcome: str
    play: float | None = None
    note: str = ""

    @property
    def key(self) -> str:
        """Fingerprint of the content."""
        return hashlib.sha256(json.dumps(asdict(self), sort_keys=True).encode()).hexdigest()[:32]


def result(**values: Any) -> Result:
    """Return a checked result from loosely typed values; raises ParamError."""
    unknown = set(values) - set(FIELDS)
    missing = {"process", "kind", "param", "value", "outcome"} - {k for k, v in values.items() if v not in (None, "")}
    if unknown or missing:
        what = f"unknown {', '.join(sorted(unknown))}" if unknown else f"no {', '.join(sorted(missing))}"
        raise ParamError(f"a result has {what}; its columns are {', '.join(FIELDS)}", field=next(iter(unknown | missing)))
    when = str(values.get("when") or datetime.now().isoformat(timespec="minutes"))
    try:
        datetime.fromisoformat(when)
    except ValueError:
        raise ParamError(f"when must be a date like 2026-09-02 or 2026-09-02T10:20, not '{when}'", field="when") from None
    if values["outcome"] not in OUTCOMES:
        raise ParamError(f"outcome must be one of {', '.join(OUTCOMES)}, not '{values['outcome']}'", field="outcome",
                         value=values["outcome"])
    return Result(when, str(values["process"]), str(values["kind"]), str(values["param"]), _number(values, "value"),
                  str(values["outcome"]), None if values.get("play") in (None, "") else _number(values, "play"),
                  str(values.get("note") or "")[:4000])


def _number(values: dict[str, Any], name: str) -> float:
    try:
        number = float(str(values[name]).replace(",", "."))
    except ValueError:
        number = math.nan
    if not 0 <= number <= 50:
        raise ParamError(f"{name} must be a number from 0 to 50 mm, not '{values[name]}'", field=name, value=values[name])
    return number


_METADATA = MetaData()
_RESULTS = Table("results", _METADATA, Column("key", String, primary_key=True), Column("when", String),
                 Column("process", String), Column("kind", String), Column("param", String), Column("value", Float),
                 Column("outcome", String), Column("play", Float, nullable=True), Column("note", String))


class Evidence:
    """The store in one file; made when first written to."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def add(self, results: Iterable[Result]) -> int:
        """Add results in one transaction and return how many were new; raises ReadError for a damaged store."""
        wanted = {r.key: r for r in results}
        self._path.parent.mkdir(parents=True, exist_ok=True)
        engine = create_engine(f"sqlite:///{self._path}")
        try:
            with engine.begin() as connection:
                _METADATA.create_all(connection)
                known = set(connection.scalars(select(_RESULTS.c.key).where(_RESULTS.c.key.in_(wanted))))
                new = [{"key": key, **asdict(r)} for key, r in wanted.items() if key not in known]
                if new:
                    connection.execute(insert(_RESULTS), new)
            return len(new)
        except DatabaseError:
            raise ReadError(f"{self._path.name} is damaged or in use; nothing was added", field=str(self._path)) from None
        finally:
            engine.dispose()

    def results(self, process: str | None = None) -> list[Result]:
        """Return all results, oldest first, of one process or of all; raises ReadError for a damaged store."""
        if not self._path.exists():
            return []
        engine = create_engine(f"sqlite:///{self._path}")
        try:
            with engine.connect() as connection:
                query = select(*(_RESULTS.c[name] for name in FIELDS)).order_by(_RESULTS.c.when, _RESULTS.c.value)
                if process is not None:
                    query = query.where(_RESULTS.c.process == process)
                return [Result(*row) for row in connection.execute(query)]
        except DatabaseError:
            raise ReadError(f"{self._path.name} is damaged; move it away to start a new one",
                            field=str(self._path)) from None
        finally:
            engine.dispose()


def from_csv(text: str, name: str) -> list[Result]:
    """Return the results in a CSV; all of them or none.

    Raises:
        ReadError: naming every bad line (up to five).
    """
    reader = csv.DictReader(io.StringIO(text))
    if not reader.fieldnames or not set(reader.fieldnames) <= set(FIELDS):
        raise ReadError(f"{name} must have the columns {', '.join(FIELDS)}", field=name)
    found, wrong = [], []
    for number, row in enumerate(reader, 2):
        try:
            found.append(result(**{key: value for key, value in row.items() if key is not None}))
        except ParamError as error:
            wrong.append(f"line {number}: {error.sentence}")
    if wrong:
        more = f" and {len(wrong) - 5} more" if len(wrong) > 5 else ""
        raise ReadError(f"{name}: {'; '.join(wrong[:5])}{more}; nothing was imported", field=name)
    return found


def to_csv(results: Iterable[Result]) -> str:
    """Return results as CSV, readable by :func:`from_csv`."""
    text = io.StringIO()
    writer = csv.DictWriter(text, FIELDS)
    writer.writeheader()
    writer.writerows({k: "" if v is None else v for k, v in asdict(r).items()} for r in results)
    return text.getvalue()
