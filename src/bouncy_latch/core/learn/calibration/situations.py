"""The gap chart: pairs of facing surfaces as practitioners name them, and which gap suits what they are for."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from bouncy_latch.core import typed
from bouncy_latch.core.errors import ParamError, SolveError, shortly
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.zones import Zones
from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.bonding import PEEL_FRONT
from bouncy_latch.core.layers.breakaway import (
    HAND_FORCE,
    TOOL_FACTOR,
    Resistance,
    Strength,
    cure,
    nodes_of,
    outcome_chances,
    tight_chances,
)
from bouncy_latch.core.layers.facing import CEILING, Facing, Widened, bed_faces
from bouncy_latch.core.layers.freedom import sag_bond
from bouncy_latch.core.layers.predict import Hung
from bouncy_latch.core.layers.screwed import ordinary
from bouncy_latch.core.numbers import Array, cdf, normal_nodes
from bouncy_latch.core.outcomes import FITS, IN_PLACE, SCREWED
from bouncy_latch.core.process.profile import Process, hole_shrink


@frozen
class Situation:
    """A pair of facing surfaces as practitioners name them.

    Attributes:
        moving: printed in place and moving (True) or printed apart and fitted (False).
        tilt: degrees from vertical.
        hole_radius: radius of the hole it goes into, mm; 0 for none.
        habit: the gap most people use, mm per side (common practice, no source).
        chamfer: of the bed edges where the pair stands on the bed, mm; None where it does not meet the bed.
        play: how much play is taken for tight enough where it moves, ± mm (common practice, no source).
        thread: the size of the bolt and nut whose flanks they are; "" for other pairs.
        peg: whether what goes into the hole is a round peg.
        span: of what lies over the other across the layers, held at both ends and as deep as wide, mm; 0 for other pairs.
    """

    id: str
    label: str
    moving: bool
    tilt: float
    hole_radius: float
    habit: float
    chamfer: float | None = None
    play: float = 0.3
    thread: str = ""
    peg: bool = False
    span: float = 0.0

    @property
    def aims(self) -> tuple[str, ...]:
        """What its gap may be chosen for."""
        return RUNS if self.thread else ("moves",) if self.moving else FITTED


SPAN, SPANS = 10.0, (2.0, 60.0)
"""How far a lid spans where nobody says, and the least and the most that may be said, mm."""
SITUATIONS = (
    Situation("place-slope", "moves, printed in place, 45° slope", True, 45, 0, 0.3),
    Situation("place-wall", "moves, printed in place, upright", True, 0, 0, 0.3),
    Situation("bed-chamfer", "upright on the bed, 0.4 chamfer", True, 0, 0, 0.4, 0.4),
    Situation("bed-wall", "upright on the bed, edges square", True, 0, 0, 0.5, 0.0),
    Situation("bed-slope", "45° slope on the bed, edges square", True, 45, 0, 0.4, 0.0),
    Situation("place-droop", "moves, printed in place, drooping", True, 75, 0, 0.4),
    Situation("place-flat", "lid over a flat, across layers", True, 88, 0, 0.5, play=0.6, span=SPAN),
    Situation("fit-outline", "outline in outline, lying flat", False, 0, 0, 0.1),
    Situation("fit-peg-5", "round peg in a 10 mm hole", False, 0, 5, 0.2, peg=True),
    Situation("fit-peg-2", "round peg in a 4 mm hole", False, 0, 2, 0.2, peg=True),
    Situation("fit-thread", "thread flank, M8, axis upright", False, 60, 4, 0.1, thread="M8"),
    Situation("fit-thread-20", "thread flank, M20, axis upright", False, 60, 10, 0.1, thread="M20"),
    Situation("fit-nut", "nut in its pocket, each flat", False, 0, 0, 0.05),
)
BOUGHT = "fit-nut"
"""Here one of the two parts is bought and does not grow."""
FITTED, RUNS = ("press", "snug", "slides"), ("runs snug", "runs free")
"""What a fit may be chosen for, and a thread."""
PURPOSES = {
    "moves": "printed in place: comes free by hand and does not rattle", "press": "pressed in by hand and stays there",
    "snug": "pushed in, no play to feel", "slides": "slides by its own weight or a light push",
    "runs snug": "screws on by hand with hardly any play", "runs free": "spins on freely",
}
"""What each aim means: of several gaps for one pair, what each is for."""
WANDERS = 0.01
"""How far a mean surface wanders from place to place, mm (common practice, no source)."""
DROOPS, DROOP_SD = 0.5, 0.25
"""How far a bead droops that lies wholly beside the one below, and how uncertain that is, in layers: its own layer holds it at
one side, and half a layer is what curled edges stand off (common practice, no source)."""
UNFELT = 1.0
"""A pull that nobody notices, N (common practice, no source)."""
_DROOP, _DROOP_WEIGHTS = normal_nodes(5)
_RIDGES, _RIDGE_WEIGHTS = normal_nodes(5)


@frozen
class Size:
    """A size that joints have: area that faces, mm², its lever and that on the bed, mm; what a hand gives.

    On the bed they are so long that no more of them holds at a time than a body can pull off at one place, if they lift; what
    turns about an upright axis shears its whole ring. Nobody says which, so both count alike.
    """

    area: float
    arm: float
    bed_arm: float
    strength: Strength

    @property
    def sheared(self) -> float:
        """How many times what peels at a time its whole ring on the bed is."""
        return 2 * math.pi * self.bed_arm / PEEL_FRONT


def _size(radius: float) -> Size:
    """Return a joint that turns on a radius, mm: as long as wide, on the bed a third wider, gripped at twice the radius."""
    hand = HAND_FORCE * max(2 * radius, 12.0)
    return Size(2 * math.pi * radius**2, radius, 4 / 3 * radius, Strength(hand, TOOL_FACTOR * hand, math.inf))


SIZES = (_size(3.0), _size(5.5), _size(10.0))
"""A pin, a hinge's knuckle, a bearing: what is welded grows with the square of a size and its lever with it, what a hand gives
hardly. The chart does not know what for its gap is asked, so its chances are the mean of all (common practice, no source)."""


def situation_zones(situation: Situation, process: Process, values: Array) -> Zones:
    """Return the chances along the gap ``values`` (mm per side) for a joint of ordinary size in this situation."""
    if situation.moving:
        return Zones(values, _moving(situation, process, values)[0], IN_PLACE)
    if situation.thread:
        return Zones(values, np.stack([_screwed(situation.thread, float(gap), process) for gap in values]), SCREWED)
    printed = 1 if situation.id == BOUGHT else 2
    curved = hole_shrink(1.0, situation.hole_radius) if situation.hole_radius else 0.0
    unknown = "pocket" if situation.id == BOUGHT else "fit"
    faces, rough = fits.usual(process, printed), fits.scatter(process.ridge.mean, printed)
    parts = {"growth": float(printed), "hole_term": curved, "peg_term": -curved * situation.peg}
    below = []
    for limit in fits.limits(faces, rough):
        rises = fits.by_ridge(limit, printed)
        taken = fits.Taken.of(process, {**parts, unknown: 1.0, "ridge": rises})
        # The mean of a surface wanders from place to place and from print to print.
        wide = math.hypot(taken.sd, WANDERS)
        below.append(cdf((limit.clearance - values + taken.mean - rises * process.ridge.mean) / wide))
    # What is loose is so by its clearance, whatever its ridges are, but for very rough ones.
    bare, ridge = fits.Taken.of(process, parts), process.ridge
    heights = ridge.mean + ridge.sd * _RIDGES
    off, sd = bare.given(ridge=heights)
    loose = np.array([fits.edges(faces, fits.scatter(float(height), printed))[-1] for height in heights])
    below.append(cdf((loose + bare.mean + off - values[:, None]) / math.hypot(sd, WANDERS)) @ _RIDGE_WEIGHTS)
    rising = np.maximum.accumulate(np.stack(below, axis=1), axis=1)
    edges = np.column_stack([np.zeros(len(values)), rising, np.ones(len(values))])
    return Zones(values, np.diff(edges, axis=1), FITS)


def _screwed(size: str, gap: float, process: Process) -> Array:
    """Return the chances of a bolt in its nut, all faces of one ``gap`` mm from the other's, (5,)."""
    try:
        return ordinary(size, gap, process).spread
    except SolveError:
        return np.array([0.0, 0.0, 0.0, 0.0, 1.0])  # nothing of the thread is left: it has no hold


def span_of(text: str) -> float:
    """Return the span of a lid that was typed, mm; raises ParamError for what is none."""
    least, most = SPANS
    try:
        span = typed.number(text, "mm")
    except ValueError:
        span = math.nan
    if not least <= span <= most:
        raise ParamError(f"the span of a lid is a number from {least:g} to {most:g} mm, not {shortly(text) or 'nothing'}",
                         field="span", value=text)
    return span


def spanning(situation: Situation, span: float) -> Situation:
    """Return a situation with the span of what is asked about, mm; one without a span as it is."""
    return replace(situation, span=span) if situation.span else situation


def _moving(situation: Situation, process: Process, values: Array) -> tuple[Array, Array]:
    """Return the chances (k, 5) and those of free and not loose (k,) of a moving joint along rising gaps (k,)."""
    if situation.span:
        return _bridged(situation, process, values)
    lower, spread = droop(situation.tilt, process)
    if not lower:
        return _stepping(situation, process, values)
    parts = [_stepping(situation, process, values - lower - spread * node) for node in _DROOP]
    return (np.tensordot(_DROOP_WEIGHTS, [each[0] for each in parts], 1),
            np.tensordot(_DROOP_WEIGHTS, [each[1] for each in parts], 1))


def droop(tilt: float, process: Process) -> tuple[float, float]:
    """Return how much nearer than drawn an underside comes by its beads' drooping, and the spread of that, normal to it, mm.

    ``tilt``: degrees from vertical. Beads whose middle lies on the layer below do not droop.
    """
    step = process.layer_height * math.tan(math.radians(tilt))
    beside = min(max(2 * step / process.line_width - 1.0, 0.0), 1.0)
    scale = beside * process.layer_height * math.sin(math.radians(tilt))
    return DROOPS * scale, DROOP_SD * scale


def _bridged(situation: Situation, process: Process, values: Array) -> tuple[Array, Array]:
    """Return the chances of what bridges its span over a flat and must be lifted off by 20 N, as :func:`_moving`.

    Where its gap is no whole number of layers, their heights decide how many layers of air print: both are weighed.
    """
    sag, weights = nodes_of(process.sag)
    layers = values / process.layer_height
    fewer = np.floor(layers + 1e-9).astype(int)
    more_often = np.clip(layers - fewer, 0.0, 1.0)
    held = np.array([_lifted(empty, situation.span, process, sag) for empty in range(int(fewer.max()) + 2)])
    strength = Strength(HAND_FORCE, TOOL_FACTOR * HAND_FORCE, math.inf, "N", UNFELT)
    gaps = np.repeat(values[:, None], len(sag), axis=1)

    def of(empty: Array) -> tuple[Array, Array]:
        moments = held[empty]
        pair = [Resistance(moments, gaps, strength, np.zeros_like(moments), across=True)]
        return (outcome_chances(pair, weights, process.bond_spread),
                tight_chances(pair, weights, process.bond_spread, process, situation.play)[1])

    (few, few_both), (many, many_both) = of(fewer), of(fewer + 1)
    return few + (many - few) * more_often[:, None], few_both + (many_both - few_both) * more_often


def _lifted(empty: int, span: float, process: Process, sag: Array) -> Array:
    """Return the pull that lifts a square lid off the flat below ``empty`` layers of air, at some sags (n,), N (n,)."""
    if empty == 0:
        return np.full(len(sag), span**2 * process.bond_stacked)
    hung = Hung(0, span**2, 0.0, 0.0, 0.0, empty * process.layer_height, empty, span, ("", ""))
    return sag_bond(empty, process) * hung.area * np.array([hung.touches(float(each)) for each in sag])


def _stepping(situation: Situation, process: Process, values: Array) -> tuple[Array, Array]:
    """Return what :func:`_moving` does of a joint whose faces step from layer to layer."""
    # All sizes have the same faces but for how much of them there is and on what lever.
    unit = Widened.of(faces_of(situation, float(values[0]), process), values - values[0], process)
    # What hangs over the other is pulled off from an edge: there its size hardly matters.
    sizes = SIZES if math.radians(situation.tilt) <= CEILING else SIZES[:1]
    each = [unit.chances(size.strength, situation.play, size.area * size.arm, size.bed_arm) for size in sizes]
    chances, both = (np.mean(found, axis=0) for found in zip(*each, strict=True))
    if situation.chamfer is None:
        return chances, both
    # Of what shears its ring on the bed the middle size stands for all.
    size = sizes[len(sizes) // 2]
    sheared = unit.chances(size.strength, situation.play, size.area * size.arm, size.bed_arm * size.sheared)
    return (chances + sheared[0]) / 2, (both + sheared[1]) / 2


def faces_of(situation: Situation, gap: float, process: Process) -> tuple[Facing, ...]:
    """Return the facing surfaces of a moving joint in a situation, ``gap`` mm apart: 1 mm² on a lever of 1 mm, and as much as
    holds at a time on the bed on a lever of 1 mm."""
    tilt = math.radians(situation.tilt)
    faces: tuple[Facing, ...] = (Facing(situation.label, 1.0, tilt, gap, 1.0),)
    if situation.chamfer is not None:
        faces += bed_faces("first layers", math.inf, gap, 1.0, process, (situation.chamfer, situation.chamfer), tilt)
    return faces


@frozen
class Recommendation:
    """The gap for an aim in a situation, mm per side, and the chance that it works; of anyone's printer: their share."""

    situation: Situation
    aim: str
    gap: float
    chance: float


def chamfer_for(situation: Situation, process: Process) -> float | None:
    """Return the least bed chamfer, mm, in whole layers, that a pair standing on the bed needs at the gap it would have away
    from the bed; None where none helps."""
    away = recommendation(replace(situation, chamfer=None), "moves", process)

    def by_hand(chamfer: float) -> float:
        return float(_moving(replace(situation, chamfer=chamfer), process, np.array([away.gap]))[0][0, 2:].sum())

    found = cure(by_hand(0.0), process.first_layer_height, process.layer_height, by_hand)
    return found.chamfer if found else None


UNMEASURED = 0.25
"""Spread of the sag over its mean from which nobody measured it."""
SERVES, BETTER = 0.5, 0.05
"""Chance below which no single size serves, and by how much a chamfer must raise a chance to be called for."""


def caution(situation: Situation, process: Process) -> str:
    """Return what no gap of a pair can bring, and what does instead, as a sentence; empty where its gap serves."""
    if situation.span:
        unknown = process.sag.sd > UNMEASURED * process.sag.mean
        return "how far bridges droop was never measured here: the ladder of bridges tells it" if unknown else ""
    best = max((recommendation(situation, aim, process) for aim in situation.aims), key=lambda found: found.chance)
    if situation.chamfer == 0:
        chamfer = chamfer_for(situation, process)
        there = recommendation(replace(situation, chamfer=chamfer or None), "moves", process)
        if chamfer and there.chance > best.chance + BETTER:
            return (f"with square edges it will be loose or stuck in {100 * (1 - best.chance):.0f} % of prints: chamfer both "
                    f"bed edges by {chamfer:g} mm, then {there.gap:.2f} mm a side works in {100 * there.chance:.0f} %")
        return ""
    if situation.moving or situation.thread or best.chance >= SERVES:
        return ""
    if situation.id == BOUGHT:
        return "no single size serves: print a pocket ladder, or let the nut drop in and close it in (sealed, slid)"
    return ("no single size serves: print three sizes and keep the one that fits, or let one part give: a fin ring, a bead "
            "ring or a side spring")


def recommendation(situation: Situation, aim: str, process: Process) -> Recommendation:
    """Return the recommended gap: of what moves where it is most likely free and not loose, of a fit its likeliest place."""
    values = np.arange(-0.15 if not situation.moving else 0.05, 1.0, 0.01)
    if situation.moving:
        chances = _moving(situation, process, values)[1]
    else:
        zones = situation_zones(situation, process, values)
        chances = zones.chances[:, zones.scale.names.index(aim)]
    best = int(np.argmax(chances))
    return Recommendation(situation, aim, round(float(values[best]), 3), float(chances[best]))
