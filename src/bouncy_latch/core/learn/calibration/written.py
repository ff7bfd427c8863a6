"""Ladders that were written are remembered, so that what becomes of their steps is learnt with the sizes they really had."""

from __future__ import annotations

import contextlib
import json
from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import Any

from bouncy_latch.core import files, plainjson
from bouncy_latch.core.errors import ParamError, ReadError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.learn.calibration.ladders import Coupon, fit_result, piece_sizes
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.outcomes import FELT, TOLD
from bouncy_latch.core.process import readings
from bouncy_latch.core.process.evidence import Reading, Result, reading, result
from bouncy_latch.core.process.profile import Process

NAME = "ladders.json"
MOST = 60
_MOST_BYTES = 2 * 2**20


@frozen
class Written:
    """A ladder as it was written.

    Attributes:
        what: its name on the command line. steps: stepped size (mm) and the other sizes as JSON, in order.
        places: what to measure, as feature and nominal size (mm), in order.
        fits: clearances per side (mm) of the holes its peg is tried in besides, in order.
        others: pieces of other kinds beside it: kind, its stepped size, mm, and the other sizes as JSON, in order.
    """

    what: str
    when: str
    process: str
    kind: str
    param: str
    steps: tuple[tuple[float, str], ...]
    places: tuple[tuple[str, float], ...]
    fits: tuple[float, ...] = ()
    others: tuple[tuple[str, float, str], ...] = ()


def of(coupon: Coupon, what: str, process_id: str) -> Written:
    """Return what there is to remember of a coupon."""
    return Written(what, datetime.now().isoformat(timespec="seconds"), process_id, coupon.kind, coupon.param,
                   tuple((step.value, step.params) for step in coupon.stepped),
                   tuple((step.feature, step.value) for step in coupon.measured), tuple(step.value for step in coupon.felt),
                   tuple((step.kind, step.value, step.params) for step in coupon.others))


def remember(folder: Path, written: Written) -> None:
    """Keep a ladder in the data folder, the newest first; a damaged file is set aside as ``NAME.damaged``. Raises SaveError."""
    files.folder(folder)
    with files.alone({folder}):
        try:
            before = recalled(folder)
        except ReadError:
            before = []
            with contextlib.suppress(OSError):
                (folder / NAME).replace(folder / f"{NAME}.damaged")
        kept = [written, *(old for old in before if (old.what, old.process) != (written.what, written.process))]
        files.write(folder / NAME, json.dumps([asdict(item) for item in kept[:MOST]], indent=1).encode())


def recalled(folder: Path) -> list[Written]:
    """Return the ladders remembered, newest first; none where none was written. Raises ReadError for a damaged file."""
    if not (folder / NAME).exists():
        return []
    try:
        raw = plainjson.loads(files.read(folder / NAME, _MOST_BYTES), NAME)
        return [_read(item) for item in raw]
    except (ReadError, TypeError, ValueError, KeyError, AttributeError):
        raise ReadError(f"{NAME} in {folder} is damaged, so the sizes of ladders written before are not known; write the "
                        "ladder again, which sets the damaged file aside", field=str(folder / NAME)) from None


def _read(item: dict[str, Any]) -> Written:
    what, when, process, kind, param = (str(item[name]) for name in ("what", "when", "process", "kind", "param"))
    return Written(what, when, process, kind, param, tuple((float(value), str(sizes)) for value, sizes in item["steps"]),
                   tuple((str(feature), float(nominal)) for feature, nominal in item["places"]),
                   tuple(float(value) for value in item.get("fits", ())),
                   tuple((str(kind), float(value), str(sizes)) for kind, value, sizes in item.get("others", ())))


def sizes_of(folder: Path, kind: str, process_id: str, value: float) -> tuple[str, str] | None:
    """Return the other sizes (JSON) of the newest ladder step of a kind with a size, and when it was written; None if none.

    Raises:
        ReadError: for a damaged file of ladders.
    """
    for written in recalled(folder):
        if written.process == process_id:
            own = written.steps if written.kind == kind else ()
            for step, sizes in (*own, *((step, sizes) for name, step, sizes in written.others if name == kind)):
                if abs(step - value) < 1e-6:
                    return sizes, written.when
    return None


def step_result(folder: Path, kind: Kind, process: Process, step: str, outcome: str) -> Result:
    """Return what became of one step of a kind's ladder, of the newest one with that step if one is remembered; raises
    ParamError."""
    value = getattr(kind.params().changed(**{kind.recommend: step}), kind.recommend)
    known = sizes_of(folder, kind.id, process.id, value)
    return result(process=process.id, kind=kind.id, param=kind.recommend, value=value, outcome=outcome,
                  params=known[0] if known is not None else piece_sizes(kind, value)[1])


def outcomes_of(written: Written, outcomes: str, known: tuple[str, ...]) -> list[Result]:
    """Return the results of a ladder from its outcomes in order, apart by commas; ``-`` for a step nobody looked at.

    Raises:
        ParamError: for a word nobody knows, or another number of them than there are steps.
    """
    said = _one_each(outcomes, [value for value, _ in written.steps], "outcomes", "steps")
    return [result(process=written.process, kind=written.kind, param=written.param, value=value,
                   outcome=outcome_named(word, known), params=sizes)
            for word, (value, sizes) in zip(said, written.steps, strict=False) if word not in {"", "-"}]


def others_of(written: Written, outcomes: str) -> list[Result]:
    """Return what became of the pieces of other kinds beside a ladder, as :func:`outcomes_of`; raises ParamError."""
    said = _one_each(outcomes, [value for _, value, _ in written.others], "others", "pieces")
    found = []
    for word, (name, value, sizes) in zip(said, written.others, strict=False):
        if word not in {"", "-"}:
            kind = registry.kind(name)
            found.append(result(process=written.process, kind=name, param=kind.recommend, value=value,
                                outcome=outcome_named(word, kind.outcomes.names), params=sizes))
    return found


def fits_of(written: Written, fits: str, process: Process) -> list[Result]:
    """Return what a hand said of the holes that a ladder's peg was tried in, as :func:`outcomes_of`; raises ParamError."""
    said = _one_each(fits, list(written.fits), "fits", "holes")
    return [fit_result(process, str(value), outcome_named(word, FELT.names))
            for word, value in zip(said, written.fits, strict=False) if word not in {"", "-"}]


def _one_each(text: str, values: list[float], what: str, places: str) -> list[str]:
    words = [word.strip() for word in text.replace(";", ",").split(",")] if text.strip() else []
    if words and len(words) != len(values):
        there = ", ".join(f"{value:g}" for value in values) or "none"
        raise ParamError(f"{len(words)} {what} for {len(values)} {places} ({there}); give one each, - for none", field=what,
                         value=text)
    return words


def outcome_named(word: str, known: tuple[str, ...]) -> str:
    """Return the outcome a user means by a word: itself, its beginning, or a part that only one has; raises ParamError."""
    plain = word.strip().lower()
    for name in known:
        if plain == TOLD[name].lower():
            return name
    for fits in (plain.__eq__, lambda name: name.startswith(plain), lambda name: plain in name):
        found = [name for name in known if fits(name)]
        if len(found) == 1:
            return found[0]
    raise ParamError(f"outcome must be one of {', '.join(known)}, not '{word}'", field="outcome", value=word)


def readings_of(written: Written, texts: list[str]) -> list[Reading]:
    """Return the readings of a ladder's places: in order, places apart by semicolons, or each after ``feature nominal:``.

    Raises:
        ParamError: for a place the ladder has not, or more places than it has.
    """
    groups = [group.strip() for text in texts for group in text.split(";")]
    there = ", ".join(f"{feature} {nominal:g}" for feature, nominal in written.places) or "none"
    if len(groups) > len(written.places):
        raise ParamError(f"readings of {len(groups)} places; this ladder has {len(written.places)} ({there})", field="readings",
                         value="; ".join(texts))
    found = []
    for place, group in zip(written.places, groups, strict=False):
        if not group:
            continue
        named, colon, values = group.rpartition(":")
        if colon:
            wanted = named.lower().split()
            match = [(f, n) for f, n in written.places if [*f.split(), f"{n:g}"] == wanted]
            if not match:
                raise ParamError(f"this ladder has no place '{named.strip()}'; it has {there}", field="readings", value=named)
            place = match[0]
        readings.read(values, place[1])
        found.append(reading(process=written.process, feature=place[0], nominal=place[1], values=values))
    return found
