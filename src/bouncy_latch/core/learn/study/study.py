"""Does the advice work? Virtual printers nobody has seen before print one ladder, then one of everything, and are judged.

The printers (:mod:`bouncy_latch.core.virtual.printer`) share no formula with the prediction. Three ways of choosing a gap are
judged on the same printers: the advice after one ladder, the advice for anyone's printer, and gaps that people use everywhere.
Every print is also a test of what was said about it, so a study tells how far stated chances can be trusted: those of a printer
that has printed its ladder, and, where the advice for anyone's is followed, those of a stranger.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import numpy as np

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, SolveError
from bouncy_latch.core.freedom import APART, Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.search.window import recommended
from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.breakaway import HAND_FORCE, RATTLE_GAP, TOOL_FACTOR, Strength
from bouncy_latch.core.layers.facing import freeing
from bouncy_latch.core.layers.joint import Joint
from bouncy_latch.core.learn.calibration import ladders, shapes, telling
from bouncy_latch.core.learn.calibration.situations import SITUATIONS, Situation, chamfer_for, recommendation, situation_zones
from bouncy_latch.core.learn.posterior.belief import FIT_PEG, Learnt, learn
from bouncy_latch.core.learn.study.workforce import Kept, spread
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind, Solution
from bouncy_latch.core.outcomes import FELT, FITS, OUTCOMES
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.population import built_in, effective
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.virtual import pressing, sections
from bouncy_latch.core.virtual.caliper import Caliper
from bouncy_latch.core.virtual.printer import Object, VirtualPrinter, machine

RULES = (0.2, 0.3, 0.5)
"""Gaps that people use everywhere, mm (common practice, no source)."""
MINE, BLIND = "my printer, after one ladder", "anyone's printer, no ladder"
HINGE = "hinge"
FITTED = (("peg", "fit-peg-5", "slides"), ("peg", "fit-peg-5", "press"), ("tongue", "fit-outline", "snug"))
"""What is printed apart and fitted: the shape, its situation in the gap chart, and the class of fit that is wanted."""
_WHEN = "2026-01-01"
_HEIGHTS = (1.5, 2.1, 2.7, 3.3)
"""Where two parts in each other are looked at, mm above the bed."""
_IN_PLATE = (0.9, 1.3, 1.7, 2.1)
"""Where the holes of a ladder are looked at that a peg is tried in, mm above the bed."""
_SPREAD = 0.09
"""How far around the advised gap the prints lie that test what is said, mm."""


@frozen
class Record:
    """One print: how its gap was chosen, what it is, what was said of it and what became of it.

    Attributes:
        said: stated chance of the outcome that was wanted (free by hand; or the class of fit). worked: whether it came.
        close: whether it came out within one class of the expected one. tight: whether its play is within what is allowed.
        left: clearance per side that is left, mm.
    """

    policy: str
    what: str
    gap: float
    said: float
    worked: bool
    close: bool
    tight: bool
    left: float


@frozen
class Interval:
    """What was believed of a printer's growth after its ladder, and what it really was, mm per side."""

    low: float
    high: float
    mean: float
    truth: float


@frozen
class Trial:
    """Everything one virtual printer printed."""

    number: int
    records: tuple[Record, ...]
    growth: Interval


def unknown(process: Process | None = None) -> Process:
    """Return a process nobody knows anything about: the population at ordinary layers."""
    return effective(process or built_in()[0], Policy.ANYONE).model_copy(update={"id": "unknown"})


def outcome_of(printer: VirtualPrinter, made: Object, joints: Sequence[Joint], left: float) -> str:
    """Return what became of a print with joints, the least free place speaking for it; ``left``: clearance per side that a
    feeler would find, mm."""
    found = [_outcome(printer, made, joint.freedom.placed(place.matrix), joint.strength, left)
             for joint in joints for place in joint.places]
    return min(found, key=OUTCOMES.index)


def _outcome(printer: VirtualPrinter, made: Object, freedom: Freedom, strength: Strength, left: float) -> str:
    held = printer.breakaway(made, freedom.arm, freedom.level)
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
        elif step.kind and step.kind != coupon.kind and step.kind in registry.kinds():
            found.append(_piece_tried(printer, step, process, rng))
        elif (step.kind or coupon.kind) in registry.kinds():
            kind = registry.kind(coupon.kind)
            params = fields.parse(kind.params, json.loads(step.params)).changed(**{coupon.param: step.value})
            solution = kind.solve(params, process)
            left = _left(step.value, printer, process, rng)
            outcome = outcome_of(printer, made[key], solution.joints, left)
            found.append(Result(_WHEN, process.id, coupon.kind, coupon.param, step.value, outcome,
                                params=step.params))
        elif FIT_PEG in {step.kind, coupon.kind}:
            plate, peg = step.bodies
            holes = [made[key].region_at(plate, z, step.place) for z in _IN_PLATE]
            # A peg that was measured before is the same one.
            clearance, force = _pushed([made.get(peg, made[key]).region_at(peg, z, step.mate) for z in _HEIGHTS], holes)
            outcome = FELT.names[FITS.names.index(_felt(force, clearance))]
            found.append(Result(_WHEN, process.id, FIT_PEG, "gap", step.value, outcome))
        else:
            strength = Strength(HAND_FORCE, TOOL_FACTOR * HAND_FORCE, math.inf, "N", 1.0)
            outcome = _outcome(printer, made[key], Freedom(APART), strength, step.value)
            found.append(Result(_WHEN, process.id, coupon.kind, coupon.param, step.value, outcome))
    progress(1.0)
    return found


def _piece_tried(printer: VirtualPrinter, step: ladders.Step, process: Process, rng: np.random.Generator) -> Result:
    """Return what became of a piece of another kind beside a ladder."""
    kind = registry.kind(step.kind)
    assert kind.study.tried is not None
    params = fields.parse(kind.params, json.loads(step.params)).changed(**{kind.recommend: step.value})
    outcome = kind.study.tried(kind.solve(params, process), printer, rng).outcome
    return Result(_WHEN, process.id, kind.id, kind.recommend, step.value, kind.outcomes.names[outcome], params=step.params)


def _left(gap: float, printer: VirtualPrinter, process: Process, rng: np.random.Generator) -> float:
    """The clearance between mean surfaces, mm per side."""
    return gap - 2 * true_growth(printer, process) + float(rng.normal(0, 0.01))


def true_growth(printer: VirtualPrinter, process: Process) -> float:
    """Return how far a printer's mean outlines lie outside the drawn ones, mm per side."""
    return process.line_width * (printer.hidden.flow - 1) / 2 + printer.hidden.swell


def _read(printer: VirtualPrinter, caliper: Caliper, made: Object, step: ladders.Step,
          rng: np.random.Generator) -> tuple[float, ...]:
    x, y = step.place
    if step.feature in {"outside", "peg", "first layer"}:
        if step.label in {"foot", "tenth"}:
            low, high = (0.0, 0.25) if step.feature == "first layer" else (1.4, 9.0)
            return caliper.block(made, step.bodies[0], low, high)
        return caliper.boss(made, step.bodies[0], (x, y), step.value, *step.span)
    if step.feature == "hole":
        return caliper.hole(made, step.bodies[0], (x, y), 0.8, 9.0)
    if step.feature == "sag":
        droop = printer.hidden.sag * (step.value / 10) ** 3.5
        return tuple(round(max(0.0, droop * math.exp(rng.normal(0, 0.15))), 2) for _ in range(2))
    if step.feature == "overhang":
        return (round(float(45 + rng.normal(0, 3)), 0),)
    droop = 1.0 * 60**3 / (3 * 2300 * 8 * 2.4**3 / 12)
    return tuple(round(droop * math.exp(rng.normal(0, 0.05)), 2) for _ in range(3))


# -- one printer -----------------------------------------------------------------------------------------------------------


@lru_cache(maxsize=4)
def _set_up() -> tuple[Process, Design, ladders.Coupon]:
    base = unknown()
    kind = registry.first()
    design = Design(kind, kind.params().changed(**kind.study.sample), base)
    steps = telling.telling_steps(kind, base, learn(base, []).belief)
    return base, design, ladders.first(kind, base, steps)


def trial(seed: int, number: int) -> Trial:
    """Return everything the printer with a ``number`` printed; the same for the same ``seed`` and number, wherever it runs."""
    import scipy.special  # noqa: F401 - one Φ from the first print on: the other one differs in its last digits

    base, design, coupon = _set_up()
    printer = VirtualPrinter(machine(seed * 100_003 + number), seed * 7919 + number)
    learnt = learn(base, print_ladder(printer, coupon, base, seed + number))
    mine = learnt.belief.process(base)
    rng = np.random.default_rng(seed * 31 + number)
    records: list[Record] = []
    for policy, process in ((MINE, mine), (BLIND, base)):
        records.append(_hinge(printer, replace(design, process=process), None, policy, rng))
        records += [_in_place(printer, shape, None, process, policy, rng) for shape in shapes.IN_PLACE]
        edge = chamfer_for(_situation(shapes.IN_PLACE[0].situation), process) or 0.0
        records.append(_in_place(printer, shapes.chamfered(edge), None, process, policy, rng))
        records += [_fitted(printer, *what, None, process, policy) for what in FITTED]
    for rule in RULES:
        # Whoever follows a rule asks nobody; what the printer's ladder says of such a gap is a test of that.
        policy = f"{rule} everywhere"
        records.append(_hinge(printer, replace(design, process=mine), rule, policy, rng))
        records += [_in_place(printer, shape, rule, mine, policy, rng) for shape in shapes.IN_PLACE]
        records += [_fitted(printer, *what, rule, mine, policy) for what in FITTED]
    for shape in shapes.IN_PLACE:
        near = _advised(shape, mine) + float(rng.uniform(-_SPREAD, 0.3 * _SPREAD))
        records.append(_in_place(printer, shape, max(near, 0.05), mine, "tested", rng))
    near = (recommended(replace(design, process=mine)) or 0.4) + float(rng.uniform(-1.5 * _SPREAD, 0.0))
    records.append(_hinge(printer, replace(design, process=mine), max(near, 0.05), "tested", rng))
    for policy, process in ((MINE, mine), (BLIND, base)):
        records += [_tried(printer, kind, *what, process, policy, rng) for kind in registry.kinds().values()
                    for what in kind.study.designs]
    return Trial(number, tuple(records), _interval(learnt, true_growth(printer, base)))


def _tried(printer: VirtualPrinter, kind: Kind, what: str, params: Mapping[str, Any], process: Process, policy: str,
           rng: np.random.Generator) -> Record:
    """Print a design of a kind at its recommended size and return what a hand finds."""
    design = Design(kind, kind.params().changed(**params), process)
    best = recommended(design)
    if best is not None:
        design = design.changed(**{kind.recommend: best})
    solution = design.solve()
    assert kind.study.tried is not None
    found = kind.study.tried(solution, printer, rng)
    chances = solution.rulers[0].chances(solution.rulers[0].value)
    return Record(policy, what, solution.rulers[0].value, solution.aim.chance, found.worked,
                  abs(found.outcome - int(np.argmax(chances))) < 2, True, found.left)


def _interval(learnt: Learnt, truth: float) -> Interval:
    belief = learnt.belief
    shares = np.cumsum(belief.weights.sum(axis=1))
    low, high = np.interp([0.05, 0.95], shares, belief.growths)
    return Interval(float(low), float(high), belief.spread("growth").mean, truth)


def _hinge(printer: VirtualPrinter, design: Design, gap: float | None, policy: str, rng: np.random.Generator) -> Record:
    if gap is None:
        gap = recommended(design) or 0.6
    solution = design.changed(**{design.kind.recommend: round(gap, 3)}).solve()
    bodies = {name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}
    left = _left(gap, printer, design.process, rng)
    outcome = outcome_of(printer, printer.print(bodies, design.process), solution.joints, left)
    expected = _expected(solution)
    return Record(policy, HINGE, gap, solution.aim.chance, OUTCOMES.index(outcome) >= 2,
                  abs(OUTCOMES.index(outcome) - OUTCOMES.index(expected)) < 2, left <= _allowed(printer, 0.3), left)


def _expected(solution: Solution) -> str:
    joint = solution.joints[0]
    return freeing(joint.faces, solution.process, joint.strength).outcome


def _allowed(printer: VirtualPrinter, play: float) -> float:
    """The clearance between mean surfaces that leaves so much play between their high points, mm."""
    return play + 2 * 2.0 * printer.hidden.waver


def _situation(name: str) -> Situation:
    return next(situation for situation in SITUATIONS if situation.id == name)


def _advised(shape: shapes.Shape, process: Process) -> float:
    return recommendation(_situation(shape.situation), "moves", process).gap


def _in_place(printer: VirtualPrinter, shape: shapes.Shape, gap: float | None, process: Process, policy: str,
              rng: np.random.Generator) -> Record:
    if gap is None:
        gap = _advised(shape, process)
    found = freeing(shape.faces(gap, process), process, shape.strength)
    bodies = {name: mesh.evaluate(solid) for name, solid in shape.build(round(gap, 3)).items()}
    left = gap if shape.flat else _left(gap, printer, process, rng)
    outcome = _outcome(printer, printer.print(bodies, process), shape.freedom, shape.strength, left)
    return Record(policy, shape.id, gap, found.by_hand, OUTCOMES.index(outcome) >= 2,
                  abs(OUTCOMES.index(outcome) - OUTCOMES.index(found.outcome)) < 2,
                  left <= (shape.play if shape.flat else _allowed(printer, shape.play)), left)


# -- printed apart ----------------------------------------------------------------------------------------------------------


def _fitted(printer: VirtualPrinter, what: str, situation: str, wanted: str, gap: float | None, process: Process,
            policy: str) -> Record:
    if gap is None:
        gap = recommendation(_situation(situation), wanted, process).gap
    chances = situation_zones(_situation(situation), process, np.array([gap])).chances[0]
    clearance, force = _put_together(printer, what, gap, process)
    felt = _felt(force, clearance)
    rank, place = FITS.names.index(felt), FITS.names.index(wanted)
    return Record(policy, f"{what} {wanted}", gap, float(chances[place]), felt == wanted, abs(rank - place) < 2, True,
                  clearance)


def _felt(force: float, clearance: float) -> str:
    if force > fits.NO_HAND:
        return FITS.names[0]
    if force > fits.PRESSED:
        return FITS.names[1]
    if force > fits.FELT:
        return FITS.names[2]
    return FITS.names[3] if clearance < fits.LOOSE else FITS.names[4]


def _put_together(printer: VirtualPrinter, what: str, gap: float, process: Process) -> tuple[float, float]:
    """Print two parts and return their mean clearance per side (mm) and the push they take on 100 mm² (N)."""
    inner, outer = (shapes.peg if what == "peg" else shapes.tongue)(gap)
    pin = printer.print({"inner": mesh.evaluate(inner)}, process)
    socket = printer.print({"outer": mesh.evaluate(outer)}, process)
    return _pushed([pin.region("inner", z) for z in _HEIGHTS], [socket.region("outer", z) for z in _HEIGHTS])


def _pushed(inner: Sequence[Any], outer: Sequence[Any]) -> tuple[float, float]:
    """Return the mean clearance per side (mm) and the push on 100 mm² (N) of sections in each other, each about the origin."""
    every = np.concatenate([_clearances(pin, hole) for pin in inner for hole in outer])
    return float(every.mean()), 100 * fits.RUBBING * pressing.pressure(every)


def _clearances(inner: Any, outer: Any) -> np.ndarray[Any, np.dtype[np.float64]]:
    """Return the distance from the inner outline to the hole round it at many directions, mm; negative where they cross."""
    angles = np.linspace(0, 2 * math.pi, 96, endpoint=False)
    return sections.hole(outer, angles) - sections.outline(inner, angles)


# -- many printers ------------------------------------------------------------------------------------------------------------


def study(printers: int, seed: int, progress: Progress = unwatched, *, workers: int | None = 1, scheduler: str = "",
          keep: Path | None = None) -> list[Trial]:
    """Return the trials of some printers in their order; the same whatever does them, see :func:`workforce.spread`.

    ``keep``: a file that finished trials are kept in, so that a study that was stopped goes on.

    Raises:
        Cancelled: when ``progress`` returned False. ParamError: for a file of something else, a scheduler nobody answers at.
    """
    kept = Kept(keep, asdict, _trial_of, f"first print, seed {seed}") if keep else None
    return spread(partial(trial, seed), range(printers), workers=workers, scheduler=scheduler, kept=kept, progress=progress)


def _trial_of(plain: Any) -> Trial:
    return Trial(plain["number"], tuple(Record(**record) for record in plain["records"]), Interval(**plain["growth"]))


def design_trial(kind_id: str, params: str, process: str, advised: bool, seed: int, number: int) -> str:
    """Return what became of one design, given as JSON, on one printer.

    ``advised``: its owner prints the first ladder before, and takes the size that this advises.

    Raises:
        SolveError: for a kind that is not printed in place.
    """
    kind, base = registry.kind(kind_id), Process.model_validate_json(process)
    printer = VirtualPrinter(machine(seed * 100_003 + number), seed * 7919 + number)
    design = Design(kind, fields.parse(kind.params, json.loads(params)), base)
    if advised:
        _, _, coupon = _set_up()
        learnt = learn(base, print_ladder(printer, coupon, base, seed + number)).belief.process(base)
        design = replace(design, process=learnt)
        if (best := recommended(design)) is not None:
            design = design.changed(**{kind.recommend: round(best, 3)})
    solution = design.solve()
    if not solution.joints:
        raise SolveError(f"a {kind.title.lower()} is not printed in place; printers have nothing to free")
    bodies = {name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}
    left = _left(solution.joints[0].least_gap, printer, base, np.random.default_rng(seed * 31 + number))
    return outcome_of(printer, printer.print(bodies, base), solution.joints, left)


def design_study(design: Design, printers: int, seed: int, advised: bool, progress: Progress = unwatched, *,
                 workers: int | None = 1, scheduler: str = "", keep: Path | None = None) -> dict[str, int]:
    """Return on how many printers one design came out how.

    Raises:
        Cancelled, ParamError: as :func:`study`. SolveError: for a kind that is not printed in place.
    """
    told = (design.kind.id, design.params.model_dump_json(), design.process.model_dump_json(), advised)
    kept = Kept(keep, str, str, json.dumps(["design", *told, seed])) if keep else None
    found = spread(partial(design_trial, *told, seed), range(printers), workers=workers, scheduler=scheduler, kept=kept,
                   progress=progress)
    return {name: found.count(name) for name in OUTCOMES}
