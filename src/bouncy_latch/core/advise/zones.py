"""Zones of a ruler and of the gap chart: the chance of every outcome along a scale."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.layers.breakaway import Strength, growth_nodes
from bouncy_latch.core.layers.facing import Facing, freeing
from bouncy_latch.core.mechanisms.contract import Kind, Ruler
from bouncy_latch.core.mechanisms.fields import Params
from bouncy_latch.core.normal import cdf
from bouncy_latch.core.process.outcomes import OUTCOMES
from bouncy_latch.core.process.profile import Process

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Zones:
    """Chances of ``names`` at ``values``: shape (len(values), len(names)), rows sum to 1; NaN where nothing exists."""

    values: Array
    chances: Array
    names: tuple[str, ...]


def ruler_zones(kind: Kind, params: Params, process: Process, ruler: Ruler, count: int = 41) -> Zones:
    """Return the outcome chances along a ruler, everything else held."""
    facts = type(params).facts()[ruler.param]
    values = np.linspace(ruler.low, ruler.high, count)
    chances = np.full((count, len(OUTCOMES)), np.nan)
    for i, value in enumerate(values):
        try:
            inside = float(min(max(value, facts.low), facts.high))
            chances[i] = kind.solve(params.changed(**{ruler.param: inside}), process).freeing.chances
        except UserError:
            continue
    return Zones(values, chances, OUTCOMES)


FITS = ("will not go in", "press", "snug", "slides", "loose")
"""What becomes of two parts printed apart and put together."""
_FIT_LIMITS = (-0.03, 0.02, 0.08, 0.25)
"""Printed clearance per side between those, mm (common practice, no source)."""


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
)
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
    clearance = values[:, None] - 2 * nodes[None, :] - shrink
    below = np.stack([cdf((limit - clearance) / noise) @ weights for limit in _FIT_LIMITS], axis=1)
    edges = np.column_stack([np.zeros(len(values)), below, np.ones(len(values))])
    return Zones(values, np.diff(edges, axis=1), FITS)
