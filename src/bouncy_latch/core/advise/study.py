"""Does the advice work? Virtual printers nobody has seen before print one ladder, then one design each, and are judged.

The printers (:mod:`bouncy_latch.core.virtual.printer`) share no formula with the prediction. Fixed rules are judged on the
same printers beside the advice.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bouncy_latch.core.advise import ladders
from bouncy_latch.core.advise.learn import learn
from bouncy_latch.core.advise.window import recommended
from bouncy_latch.core.advise.zones import SITUATIONS, recommendation
from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.layers.breakaway import RATTLE_GAP, Strength
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.outcomes import OUTCOMES
from bouncy_latch.core.process.population import built_in, effective
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.virtual.caliper import Caliper
from bouncy_latch.core.virtual.printer import Object, VirtualPrinter, machine

RULES = (0.2, 0.3, 0.5)
"""Gaps that people use everywhere, mm (common practice, no source)."""
PEG = 8.0
GOES_IN, HOLDS = -0.08, 0.02
"""A press fit's printed clearance per side: below the first it does not go in, above the second it does not hold."""
SLIDES = (0.03, 0.3)
"""A sliding fit's: below the first it sticks, above the second it rattles."""
_WHEN = "2026-01-01"


@dataclass(frozen=True)
class Row:
    """One way of choosing gaps: on how many printers the first hinge, sliding peg and press fit worked, and the play left.

    Attributes:
        play: mean clearance left per side of the hinges that worked, mm.
    """

    name: str
    printers: int
    hinge: int
    slide: int
    press: int
    play: float

    @property
    def share(self) -> float:
        """Share of all first prints that worked."""
        return (self.hinge + self.slide + self.press) / (3 * self.printers)


def unknown(process: Process | None = None) -> Process:
    """Return a process nobody knows anything about: the population at ordinary layers."""
    return effective(process or built_in()[0], Policy.ANYONE).model_copy(update={"id": "unknown"})


def outcome_of(printer: VirtualPrinter, made: Object, arm: Callable[[tuple[float, float, float]], float], strength: Strength,
               left: float) -> str:
    """Return what became of a printed joint; ``left`` is the clearance per side that a feeler would find, mm."""
    held = printer.breakaway(made, arm)
    tool = min(strength.tool, strength.part)
    if held > tool:
        return OUTCOMES[0]
    if held > min(strength.hand * printer.hidden.hand, tool):
        return OUTCOMES[1]
    if held > strength.unfelt:
        return OUTCOMES[2]
    return OUTCOMES[4] if left > RATTLE_GAP else OUTCOMES[3]


def print_ladder(printer: VirtualPrinter, coupon: ladders.Coupon, process: Process, seed: int,
                 progress: Progress = unwatched) -> list[Result | Reading]:
    """Print a coupon virtually and write down outcomes and readings, as a user would.

    Raises:
        Cancelled: when ``progress`` returned False.
    """
    caliper = Caliper(seed)
    rng = np.random.default_rng(seed)
    made: dict[str, Object] = {}
    found: list[Result | Reading] = []
    for number, step in enumerate(coupon.steps):
        if not progress(number / len(coupon.steps)):
            raise Cancelled
        key = step.bodies[0]
        if key not in made:
            made[key] = printer.print({name: mesh.evaluate(coupon.bodies[name]) for name in step.bodies}, process)
        if step.feature:
            found.append(Reading(_WHEN, process.id, step.feature, step.value, _read(printer, caliper, made[key], step, rng)))
        elif coupon.kind in registry.kinds():
            kind = registry.kind(coupon.kind)
            params, sizes = ladders.piece_sizes(kind, step.value)
            solution = kind.solve(params, process)
            left = _left(step.value, printer, process, rng)
            assert solution.freeing is not None
            outcome = outcome_of(printer, made[key], solution.motion.arm, solution.freeing.strength, left)
            found.append(Result(_WHEN, process.id, coupon.kind, coupon.param, step.value, outcome, params=sizes))
        else:
            strength = Strength(60.0, 240.0, math.inf, "N", 1.0)
            outcome = outcome_of(printer, made[key], lambda _: 1.0, strength, step.value)
            found.append(Result(_WHEN, process.id, coupon.kind, coupon.param, step.value, outcome))
    progress(1.0)
    return found


def _left(gap: float, printer: VirtualPrinter, process: Process, rng: np.random.Generator) -> float:
    hidden = printer.hidden
    grown = process.line_width * (hidden.flow - 1) / 2 + hidden.swell
    return gap - 2 * grown + float(rng.normal(0, 0.02))


def _read(printer: VirtualPrinter, caliper: Caliper, made: Object, step: ladders.Step,
          rng: np.random.Generator) -> tuple[float, ...]:
    x, y = step.place
    if step.feature == "outside":
        return caliper.boss(made, step.bodies[0], (x, y), step.value, 1.6, 9.0)
    if step.feature == "hole":
        return caliper.hole(made, step.bodies[0], (x, y), 0.8, 9.0)
    if step.feature == "sag":
        droop = printer.hidden.sag * (step.value / 10) ** 3.5
        return tuple(round(max(0.0, droop * math.exp(rng.normal(0, 0.15))), 2) for _ in range(2))
    if step.feature == "overhang":
        return (round(float(45 + rng.normal(0, 3)), 0),)
    droop = 1.0 * 60**3 / (3 * 2300 * 8 * 2.4**3 / 12)
    return tuple(round(droop * math.exp(rng.normal(0, 0.05)), 2) for _ in range(3))


def study(printers: int, seed: int, progress: Progress = unwatched) -> list[Row]:
    """Return the rows of the study: the advice after one ladder, the advice for anyone's printer, and fixed rules.

    Raises:
        Cancelled: when ``progress`` returned False.
    """
    base = unknown()
    kind = registry.kind("knuckle-hinge")
    design = kind.params().changed(host="leaves", length=30, knuckles=4)
    slide = next(s for s in SITUATIONS if s.id == "fit-peg-5")
    steps = ladders.telling_steps(kind, base, learn(base, []).belief)
    coupon = ladders.first(kind, base, steps)
    blind = (recommended(kind, design, base) or 0.6, recommendation(slide, "slides", base).gap,
             recommendation(slide, "press", base).gap)
    tally: dict[str, list[tuple[bool, bool, bool, float]]] = {}
    for number in range(printers):
        if not progress(number / printers):
            raise Cancelled
        printer = VirtualPrinter(machine(seed * 100_003 + number), seed * 7919 + number)
        learnt = learn(base, print_ladder(printer, coupon, base, seed + number)).belief.process(base)
        own = (recommended(kind, design, learnt) or 0.6, recommendation(slide, "slides", learnt).gap,
               recommendation(slide, "press", learnt).gap)
        rng = np.random.default_rng(seed * 31 + number)
        for name, gaps in (("my printer, after one ladder", own), ("anyone's printer, no ladder", blind),
                           *((f"{rule} everywhere", (rule, rule, rule)) for rule in RULES)):
            tally.setdefault(name, []).append(_first_prints(printer, kind.id, design, gaps, base, rng))
    rows = []
    for name, results in tally.items():
        plays = [play for hinge, _, _, play in results if hinge]
        rows.append(Row(name, printers, sum(r[0] for r in results), sum(r[1] for r in results), sum(r[2] for r in results),
                        float(np.mean(plays)) if plays else math.nan))
    progress(1.0)
    return rows


def _first_prints(printer: VirtualPrinter, kind_id: str, design: object, gaps: tuple[float, float, float], process: Process,
                  rng: np.random.Generator) -> tuple[bool, bool, bool, float]:
    """Print a hinge, a sliding peg and a press fit once each; whether they work, and the hinge's clearance left."""
    kind = registry.kind(kind_id)
    solution = kind.solve(design.changed(**{kind.recommend: round(gaps[0], 3)}), process)  # type: ignore[attr-defined]
    bodies = {name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}
    left = _left(gaps[0], printer, process, rng)
    assert solution.freeing is not None
    outcome = outcome_of(printer, printer.print(bodies, process), solution.motion.arm, solution.freeing.strength, left)
    fits = [_clearance(printer, gap, process) for gap in gaps[1:]]
    return (outcome in OUTCOMES[2:4], SLIDES[0] < fits[0] < SLIDES[1], GOES_IN < fits[1] < HOLDS, left)


def _clearance(printer: VirtualPrinter, gap: float, process: Process) -> float:
    """Print a peg and its hole and return the clearance per side where they meet, mm."""
    chamfer = tree.Cone(PEG / 2 - gap - 0.4, PEG / 2 - gap, 0.4)
    peg = mesh.evaluate(tree.union([chamfer, tree.cylinder(PEG / 2 - gap, 7.6).move(z=0.4)]))
    plate = mesh.evaluate(tree.Box(-9, -9, 0, 9, 9, 4) - tree.union([
        tree.cylinder(PEG / 2, 9).move(z=-1), tree.Cone(PEG / 2 + 0.4, PEG / 2, 0.4)]))
    pin, hole = printer.print({"peg": peg}, process), printer.print({"plate": plate}, process)
    # Two parts meet at their high points, as the jaws of a caliper do.
    around = np.linspace(0, math.pi, 8, endpoint=False)
    pegs = [np.vstack([np.asarray(p) for p in pin.region("peg", z).to_polygons()]) for z in (1.5, 2.1, 2.7, 3.3)]
    wide = [max(float(np.ptp(points @ np.array([math.cos(a), math.sin(a)]))) for points in pegs) for a in around]
    return (Caliper().bore(hole, "plate", (0.0, 0.0), 1.4, 3.4) - float(np.mean(wide))) / 2
