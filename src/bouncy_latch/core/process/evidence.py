"""Evidence: what became of prints and what was measured, each checked as it comes in. Its file: :mod:`evidence_store`.

Each is keyed by its content and by how many of that content came before, so importing the same file twice changes nothing and
two equal prints are two.
"""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Iterable, Sequence
from dataclasses import asdict, replace
from datetime import datetime
from typing import Any, TypeVar

from bouncy_latch.core import plainjson
from bouncy_latch.core.errors import ParamError, ReadError, shortly
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.outcomes import VERDICTS

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
                  _number(values, "value", least=LEAST_VALUE), _text(values, "outcome"),
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
        raise ParamError("the sizes of a result must be given by name, each with one value", field="params",
                         value=shortly(text))
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


LEAST_VALUE = -5.0
"""The least size a result may have, mm: an allowance may be negative."""


def _number(values: dict[str, Any], name: str, most: float = 50.0, least: float = 0.0) -> float:
    try:
        number = float(str(values[name]).replace(",", "."))
    except (ValueError, OverflowError):
        number = math.nan
    if not least <= number <= most or isinstance(values[name], bool):
        raise ParamError(f"{name} must be a number from {least:g} to {most:g} mm, not '{shortly(str(values[name]))}'",
                         field=name, value=values[name])
    return number
