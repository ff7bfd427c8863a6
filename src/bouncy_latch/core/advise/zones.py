"""Zones of a ruler and of the gap chart: the chance of every outcome along a scale."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.layers.breakaway import Strength, growth_nodes
from bouncy_latch.core.layers.facing import Facing, freeing
from bouncy_latch.core.mechanisms.contract import Ruler
from bouncy_latch.core.normal import cdf
from bouncy_latch.core.process.outcomes import OUTCOMES
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.progress import checkpoint

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Zones:
    """Chances of ``names`` at ``values``: shape (len(values), len(names)), rows sum to 1; NaN where nothing exists.

    ``tones``: which of the five zone colours each name has.
    """

    values: Array
    chances: Array
    names: tuple[str, ...]
    tones: tuple[int, ...] = (0, 1, 2, 3, 4)


def ruler_zones(ruler: Ruler, count: int = 41) -> Zones:
    """Return the outcome chances along a ruler, everything else held."""
    values = np.linspace(ruler.low, ruler.high, count)
    chances = np.full((count, len(ruler.names)), np.nan)
    for i, value in enumerate(values):
        checkpoint()
        try:
            chances[i] = ruler.chances(float(value))
        except UserError:
            continue
    return Zones(values, chances, ruler.names, ruler.tones)


FITS = ("will not go in", "press", "snug", "slides", "loose")
"""What becomes of two parts printed apart and put together."""
_FIT_LIMITS = (-0.075, 0.0, 0.08, 0.25)
"""Printed clearance per side between those, mm: a press fit interferes by up to 0.15 on the diameter (common practice, no
source)."""


@dataclass(frozen=True)
class Situation:
    """A pair of facing surfaces as practitioners name them.

    Attributes:
        moving: printed in place and moving (True) or printed apart and fitted (False).
        tilt: degrees from vertical.
        hole_radius: radius of the hole it goes into, mm; 0 for none.
        habit: the gap most people use, mm per side (common practice, no source).
    """

    id: str
    label: str
    moving: bool
    tilt: float
    hole_radius: float
    habit: float


SITUATIONS = (
    Situation("place-slope", "moves, printed in place, 45° slope", True, 45, 0, 0.3),
    Situation("place-wall", "moves, printed in place, upright", True, 0, 0, 0.3),
    Situation("place-droop", "moves, printed in place, drooping", True, 75, 0, 0.4),
    Situation("place-flat", "lid over a flat, across layers", True, 88, 0, 0.5),
    Situation("fit-outline", "outline in outline, lying flat", False, 0, 0, 0.1),
    Situation("fit-peg-5", "round peg in a 10 mm hole", False, 0, 5, 0.2),
    Situation("fit-peg-2", "round peg in a 4 mm hole", False, 0, 2, 0.2),
    Situation("fit-thread", "thread flank, axis upright", False, 60, 0, 0.1),
    Situation("fit-nut", "nut in its pocket, each flat", False, 0, 3, 0.05),
)
BOUGHT = "fit-nut"
"""Here one of the two parts is bought and does not grow."""
AIMS = ("press", "snug", "slides")
_SAMPLE_AREA, _SAMPLE_ARM = 60.0, 3.0
_SAMPLE_STRENGTH = Strength(hand=300.0, tool=1200.0, part=1200.0)


def situation_zones(situation: Situation, process: Process, values: Array) -> Zones:
    """Return the chances along the gap ``values`` (mm per side) for a joint of ordinary size in this situation."""
    if situation.moving:
        rows = []
        for gap in values:
            face = Facing(situation.label, _SAMPLE_AREA, np.radians(situation.tilt), float(gap), _SAMPLE_ARM)
            rows.append(freeing([face], process, _SAMPLE_STRENGTH).chances)
        return Zones(values, np.array(rows), OUTCOMES)
    nodes, weights = growth_nodes(process)
    shrink = process.hole_shrink(situation.hole_radius) if situation.hole_radius else 0.0
    noise = max(0.01, process.edge_noise / 2)
    # On a tilted flank the growth of both faces counts only as far as it points across the gap.
    across = math.cos(math.radians(situation.tilt))
    bought = situation.id == BOUGHT
    clearance = values[:, None] - (1 if bought else 2) * nodes[None, :] * across - shrink
    below = np.stack([cdf((limit - clearance) / noise) @ weights for limit in _FIT_LIMITS], axis=1)
    edges = np.column_stack([np.zeros(len(values)), below, np.ones(len(values))])
    return Zones(values, np.diff(edges, axis=1), FITS)


@dataclass(frozen=True)
class Recommendation:
    """The gap for an aim in a situation, mm per side, and the chance that it works; of anyone's printer: their share."""

    situation: Situation
    aim: str
    gap: float
    chance: float


def recommendation(situation: Situation, aim: str, process: Process, wanted: float = 0.95) -> Recommendation:
    """Return the recommended gap: for what moves the least that frees by hand with the wanted chance, else the best."""
    values = np.arange(-0.15 if not situation.moving else 0.05, 1.0, 0.01)
    zones = situation_zones(situation, process, values)
    if situation.moving:
        chances = zones.chances[:, 2:4].sum(axis=1)
        enough = np.flatnonzero(chances >= wanted)
        best = int(enough[0]) if len(enough) else int(np.argmax(chances))
    else:
        chances = zones.chances[:, zones.names.index(aim)]
        best = int(np.argmax(chances))
    return Recommendation(situation, aim, round(float(values[best]), 3), float(chances[best]))
