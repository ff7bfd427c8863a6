"""Evidence in and out as CSV (results or readings) and JSON (both); all of a file or none of it."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict
from typing import Any

from bouncy_latch.core import plainjson
from bouncy_latch.core.errors import ParamError, ReadError, shortly
from bouncy_latch.core.process.evidence import FIELDS, READING_FIELDS, Reading, Result, numbered, reading, result

Item = Result | Reading
MOST_TOLD = 5
MOST_ITEMS = 20_000
"""Of a file; a lifetime of prints is less."""


def from_text(text: str, name: str) -> list[Item]:
    """Return what a CSV or JSON file holds.

    Raises:
        ReadError: naming every bad line or entry (up to five).
    """
    if text.lstrip()[:1] in {"{", "["}:
        return from_json(text, name)
    return from_csv(text, name)


def from_csv(text: str, name: str) -> list[Item]:
    """Return the results or readings in a CSV; all of them or none. Raises ReadError."""
    text = text.removeprefix("\ufeff")
    head = text.partition("\n")[0]
    try:
        reader = csv.DictReader(io.StringIO(text), delimiter=";" if head.count(";") > head.count(",") else ",")
        columns = [column.strip() for column in reader.fieldnames or ()]
        reader.fieldnames = columns
        make = _maker(columns, name)
        rows = []
        for row in reader:
            where = f"line {reader.line_num}"
            if None in row:
                raise ReadError(f"{name}: {where} has {len(row[None])} values more than there are columns; nothing was "
                                "imported", field=name)
            rows.append((where, dict(row)))
            _refuse_too_many(len(rows), name)
    except csv.Error as error:
        raise ReadError(f"{name} is no sound CSV: {shortly(str(error))}; nothing was imported", field=name) from None
    return _checked(rows, make, name)


def _refuse_too_many(count: int, name: str) -> None:
    if count > MOST_ITEMS:
        raise ReadError(f"{name} holds more than {MOST_ITEMS} results and readings; import it in pieces", field=name)


def _maker(columns: Sequence[str], name: str) -> Callable[..., Item]:
    """Return what the columns of a table describe; raises ReadError naming what is too much."""
    for fields, make in ((FIELDS, result), (READING_FIELDS, reading)):
        if columns and set(columns) <= set(fields):
            return make
    near = max((FIELDS, READING_FIELDS), key=lambda fields: len(set(fields) & set(columns)))
    more = [column for column in columns if column not in near]
    found = f"has the unknown column{'s' if len(more) > 1 else ''} {shortly(', '.join(more))}; it " \
        if set(columns) & set(near) else ""
    raise ReadError(f"{name} {found}must have the columns {', '.join(FIELDS)}; or {', '.join(READING_FIELDS)}", field=name)


def from_json(text: str, name: str) -> list[Item]:
    """Return the results and readings in a JSON file as :func:`to_json` writes it. Raises ReadError."""
    raw = plainjson.loads(text, name)
    if not isinstance(raw, dict) or not all(isinstance(raw.get(part, []), list) for part in ("results", "readings")):
        raise ReadError(f"{name} must hold lists of results and readings", field=name)
    _refuse_too_many(sum(len(raw.get(part, [])) for part in ("results", "readings")), name)
    found: list[Item] = []
    for part, make in (("results", result), ("readings", reading)):
        rows = [(f"{part} {i + 1}", {k: v for k, v in row.items() if k != "copy"} if isinstance(row, dict) else {})
                for i, row in enumerate(raw.get(part, []))]
        found += _checked(rows, make, name)
    return found


def _checked(rows: Sequence[tuple[str, dict[str, Any]]], make: Callable[..., Item], name: str) -> list[Item]:
    found, wrong = [], []
    for where, row in rows:
        try:
            found.append(make(**row))
        except (ParamError, TypeError, ValueError) as error:
            wrong.append(f"{where}: {error.sentence if isinstance(error, ParamError) else 'not readable'}")
    if wrong:
        more = f" and {len(wrong) - MOST_TOLD} more" if len(wrong) > MOST_TOLD else ""
        raise ReadError(f"{name}: {'; '.join(wrong[:MOST_TOLD])}{more}; nothing was imported", field=name)
    return numbered(found)


def to_csv(items: Iterable[Item]) -> str:
    """Return results, or readings, as CSV that :func:`from_csv` reads."""
    rows = list(items)
    of_readings = bool(rows) and isinstance(rows[0], Reading)
    text = io.StringIO()
    writer = csv.DictWriter(text, READING_FIELDS if of_readings else FIELDS, extrasaction="ignore")
    writer.writeheader()
    for item in rows:
        values = {k: "" if v is None else v for k, v in asdict(item).items()}
        if isinstance(item, Reading):
            values["values"] = " ".join(repr(v) for v in item.values)
        writer.writerow(values)
    return text.getvalue()


def to_json(items: Iterable[Item]) -> str:
    """Return results and readings as JSON."""
    rows = list(items)
    return json.dumps({"results": [asdict(r) for r in rows if isinstance(r, Result)],
                       "readings": [asdict(r) for r in rows if isinstance(r, Reading)]}, indent=1, ensure_ascii=False) + "\n"
