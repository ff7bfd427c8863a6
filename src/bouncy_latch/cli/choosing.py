"""``choose``: one need, every kind that could meet it, as JSON or as a table."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bouncy_latch.cli.shared import figure, known_of, process_named
from bouncy_latch.core import fields, files
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.plainjson import loads

if TYPE_CHECKING:
    from bouncy_latch.core.choosing.candidate import Candidate
    from bouncy_latch.core.choosing.choose import Choice

MOST_BYTES = 2**20
_COLUMNS = ("", "works", "anyone", "window", "push", "holds", "layer 1", "plastic", "time")


def chosen(file: Path | None, values: dict[str, Any], weights: dict[str, Any], process: str) -> tuple[Choice, dict[str, float]]:
    """Return the choice for a need in a JSON file and ``name=value`` pairs, and the weights; raises ParamError, ReadError."""
    from bouncy_latch.core.choosing.choose import choose
    from bouncy_latch.core.choosing.need import Need
    from bouncy_latch.core.choosing.ranking import WEIGHTS

    asked: dict[str, Any] = {}
    if file is not None:
        found = loads(files.read(file, MOST_BYTES), file.name)
        if not isinstance(found, dict):
            raise ParamError(f"{file.name} holds no need: it must be an object of names and values", field="need")
        asked = {name: value for name, value in found.items() if value is not None}
    need = fields.parse(Need, {**asked, **values})
    found_weights = dict(WEIGHTS)
    for name, value in weights.items():
        if name not in WEIGHTS:
            raise ParamError(f"there is no criterion '{name}'; known are {', '.join(WEIGHTS)}", field=name, value=value)
        try:
            found_weights[name] = float(value)
        except ValueError:
            raise ParamError(f"the weight of {name} must be a number from 0 to 1, not '{value}'", field=name,
                             value=value) from None
        if not 0 <= found_weights[name] <= 1:
            raise ParamError(f"the weight of {name} must be from 0 to 1, not {value}", field=name, value=value)
    return choose(need, known_of(process_named(process)).believed, found_weights), found_weights


def plain(choice: Choice, weights: dict[str, float]) -> dict[str, Any]:
    """Return a choice as JSON can hold it."""
    return {"need": {name: value for name, value in choice.need.model_dump().items() if value is not None}, "weights": weights,
            "ranked": [_plain(each, weights) for each in choice.candidates],
            "dismissed": [{"kind": each.kind.id, "why": each.reason} for each in choice.dismissed],
            "give_up": choice.give_up}


def _plain(each: Candidate, weights: dict[str, float]) -> dict[str, Any]:
    from bouncy_latch.core.choosing.ranking import score

    more, design = each.more, each.design
    default = design.kind.params().model_dump()
    found: dict[str, Any] = {
        "kind": design.kind.id, "reached": each.reached, "score": round(score(each, weights), 1), "chance": figure(each.chance),
        "met": [{"name": met.name, "value": figure(met.value), "wanted": met.wanted, "unit": met.unit, "holds": met.holds}
                for met in each.met],
        "short_of": list(each.short), "set": {name: value for name, value in design.params.model_dump().items()
                                              if value != default[name]},
        **{name: figure(value) for name, value in (("effort", each.effort), ("holds", each.holds), ("play", each.play))
           if not math.isnan(value)},
        "sides": [round(side, 1) for side in each.sides]}
    if more is not None:
        found |= {"anyone": figure(more.anyone), "window": figure(more.window.width) if more.window else 0.0,
                  "fails_a_tenth_off": more.tender, "first_layer": {"outline": round(more.plain.outline, 1),
                                                                    "inside_corners": more.plain.corners},
                  "minutes": round(more.minutes, 1), "grams": round(more.grams, 2)}
    return found


def table(choice: Choice) -> str:
    """Return a choice as a table of text: one line a candidate, then what does not answer the need and why."""
    rows = [_COLUMNS]
    for each in choice.candidates:
        more = each.more
        rows.append((each.design.kind.title, f"{100 * each.chance:.0f} %", f"{100 * more.anyone:.0f} %" if more else "",
                     f"{more.window.width:.2f} mm" if more and more.window else "none", _newtons(each.effort),
                     _newtons(each.holds), f"{more.plain.outline:.0f}" if more else "", f"{more.grams:.1f} g" if more else "",
                     f"{more.minutes:.0f} min" if more else ""))
    wide = [max(len(row[column]) for row in rows) for column in range(len(_COLUMNS))]
    lines = ["  ".join(cell.ljust(size) if not number else cell.rjust(size)
                       for number, (cell, size) in enumerate(zip(row, wide, strict=True))) for row in rows]
    for line, each in enumerate(choice.candidates, 1):
        if each.short:
            lines[line] += f"  misses: {each.short[0]}"
    lines += [f"not: {each.reason}" for each in choice.dismissed]
    if choice.give_up:
        lines.append(choice.give_up)
    return "\n".join(lines) + "\n"


def _newtons(value: float) -> str:
    return "" if math.isnan(value) else f"{value:.0f} N"
