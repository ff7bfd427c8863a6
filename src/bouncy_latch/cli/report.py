"""What ``solve`` and ``predict`` say, as JSON: keys that scripts rely on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from bouncy_latch.cli.shared import figure
from bouncy_latch.core.checks import ordered
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.outcomes import OUTCOMES, RECORDED

if TYPE_CHECKING:
    from bouncy_latch.core.checks import Check
    from bouncy_latch.core.judge.prints.printing import Printed
    from bouncy_latch.core.judge.search.remedies import Remedy
    from bouncy_latch.core.judge.verdicts import FullAnalysis, QuickAnalysis
    from bouncy_latch.core.mechanisms.contract import Solution


def verdict(check: Check, remedies: Sequence[Remedy] = ()) -> dict[str, Any]:
    """Return a verdict with what would mend it."""
    found: dict[str, Any] = {
        "id": check.id, "label": check.label, "value": figure(check.value), "limit": figure(check.limit),
        "unit": check.unit, "margin": figure(check.margin), "verdict": check.verdict, "why": check.why,
        "topic": check.topic, "basis": check.basis,
        "remedies": [{"param": change.param, "value": change.value, "unit": change.unit, **_remedy(r)}
                     for r in remedies for change in r.changes if len(r.changes) == 1],
    }
    if check.advice:
        found["advice"] = check.advice
    pairs = [{"set": r.values, **_remedy(r)} for r in remedies if len(r.changes) > 1]
    if pairs:
        found["pairs"] = pairs
    if check.place is not None:
        found["place"] = [figure(v) for v in check.place]
    return found


def _remedy(remedy: Remedy) -> dict[str, Any]:
    return {"margin": figure(remedy.margin), "text": remedy.text, "chance": figure(remedy.chance), "left": list(remedy.left)}


def report(solution: Solution, view: QuickAnalysis, proof: FullAnalysis | None) -> dict[str, Any]:
    """Return the stable JSON contract of ``solve``."""
    from bouncy_latch.core.judge.verdicts import offered

    params = {}
    for name, facts in type(solution.params).facts().items():
        params[name] = {"value": getattr(solution.params, name), "unit": facts.unit, "role": facts.role}
    checks = [*solution.checks, *(proof.checks if proof else ())]
    return {
        "kind": solution.kind,
        "process": solution.process.id,
        "params": params,
        "derived": {d.name: {"value": figure(d.value), "unit": d.unit, "formula": d.formula, "source": d.source}
                    for d in solution.derived},
        "checks": [verdict(c, offered(view, proof, c.id)) for c in ordered(checks)],
        "print_window": None if view.window is None else
        {"lo": figure(view.window.low), "hi": figure(view.window.high), "unit": "mm/side",
         "share": figure(view.window.share(solution.process.growth)),
         "ends": {"lo": view.window.thin, "hi": view.window.fat}},
        "prediction": _prediction(solution),
        "recommended": {} if view.recommended is None else
        {registry.kind(solution.kind).recommend: figure(view.recommended)},
        **({"pauses": [{"z": figure(p.z), "insert": p.insert, "note": p.note} for p in solution.pauses]}
           if solution.pauses else {}),
    }


def _prediction(solution: Solution) -> dict[str, Any]:
    """What is expected: of a joint printed in place how it frees, of parts put together the chance and the forces."""
    found: dict[str, Any] = {"aim": {"words": solution.aim.words, "chance": figure(solution.aim.chance)}}
    freeing, play = solution.freeing, solution.play
    if freeing is not None:
        found |= {"class": freeing.outcome,
                  "p": {name: figure(chance) for name, chance in zip(OUTCOMES, freeing.chances, strict=True)},
                  "breakaway": {"value": figure(freeing.breakaway), "unit": solution.joints[0].freedom.unit}}
    elif solution.rulers:
        ruler = solution.rulers[0]
        if ruler.scale in RECORDED:
            chances = ruler.chances(ruler.value)
            found["p"] = {name: figure(chance) for name, chance in zip(ruler.scale.names, chances, strict=True)}
    if play is not None:
        found["play"] = {"axial": figure(play.axial), "radial": figure(play.radial), "edge": figure(play.edge),
                         "tilt_deg": figure(play.tilt * 57.29577951), "unit": "mm"}
    course = solution.motion.course
    if course is not None:
        curves = {name: _figures(curve) for name, curve in course.curves.items()}
        bands = {name: {"low": _figures(low), "high": _figures(high)} for name, (low, high) in course.bands.items()}
        found["course"] = {"unit": course.unit, "travel": [figure(v) for v in course.values], **curves,
                           **({"band": bands} if bands else {}),
                           **({"asked": [{"words": each.words, "value": figure(each.value)} for each in course.asked]}
                              if course.asked else {})}
    if solution.notes:
        found["print_notes"] = dict(solution.notes)
    if solution.bought:
        found["bought"] = [{"name": item.name, "count": item.count, "note": item.note} for item in solution.bought]
    return found


def _figures(values: tuple[float, ...]) -> list[float | None]:
    """What locks has no force; JSON has no infinity either."""
    return [figure(value) for value in values]


def print_report(printed: Printed) -> dict[str, Any]:
    """Return the stable JSON contract of ``predict``."""
    from bouncy_latch.core.layers.findings import Finding

    made, freeing = printed.prediction, printed.freeing
    return {
        "bodies": list(made.names), "layers": len(made.layers), "growth": made.growth,
        "weld_area": {**{kind: figure(made.area(kind)) for kind in ("stacked", "side", "sag")}, "unit": "mm²"},
        "joint": None if freeing is None else {
            "class": freeing.outcome, "p": dict(zip(OUTCOMES, map(figure, freeing.chances), strict=True)),
            "breaks_first": freeing.breaks_first, "gap": {"printed": figure(freeing.printed_gap), "unit": "mm"},
            "breakaway": {"value": figure(freeing.breakaway), "hand": figure(freeing.strength.hand),
                          "tool": figure(freeing.strength.tool), "weakest": freeing.strength.weakest,
                          "part": None if math.isinf(freeing.strength.part) else figure(freeing.strength.part),
                          "unit": freeing.strength.unit}},
        "spots": [{"x": figure(s.x), "y": figure(s.y), "z": figure(s.z), "area": figure(s.area), "kind": s.kind,
                   "layers": [s.first_layer + 1, s.last_layer + 1], "pair": list(s.pair)} for s in printed.spots[:50]],
        "checks": [verdict(c, []) for c in ordered(printed.checks)],
        "findings": [{"id": f.id, "body": f.body, "verdict": f.verdict, "value": figure(f.value), "limit": figure(f.limit),
                      "unit": f.unit, "layers": [f.first_layer + 1, f.last_layer + 1], "extent": figure(f.extent),
                      "place": None if f.place is None else [figure(v) for v in f.place], "why": f.why}
                     for f in ordered(made.findings) if isinstance(f, Finding)],
        "unsupported": {"value": figure(made.unsupported), "unit": "mm²"},
        "sizes": {s.body: {"drawn": [figure(v) for v in s.drawn], "printed": [figure(v) for v in s.printed], "unit": "mm"}
                  for s in made.sizes},
        "estimate": {"minutes": round(printed.estimate.minutes), "grams": round(printed.estimate.grams, 1),
                     "formula": printed.estimate.formula},
    }
