"""A nut's pocket as a stand-in printer lays it, and a nut out of its box put in: what a hand finds, from the sections alone."""

from __future__ import annotations

import math

import numpy as np

from bouncy_latch.core.mechanisms.contract import Solution, Tried
from bouncy_latch.core.mechanisms.nuts.plan import MALLET, PRESS, STAYS, STEEL, USUAL, Plan
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.virtual import pressing, sections
from bouncy_latch.core.virtual.printer import VirtualPrinter

HEIGHTS, PLACES = 5, 15
BAGS, IN_BAG = 0.2, 0.08
"""Spread from one bag of nuts to the next, and within one, over the tolerance (common practice, no source)."""


def tried(solution: Solution, printer: VirtualPrinter, rng: np.random.Generator) -> Tried:
    """Return what became of an upright pocket for a hexagon nut on a printer."""
    plan = Plan(solution.params, solution.process)  # type: ignore[arg-type]
    nut, p = plan.nut, plan.p
    tolerance = nut.flats_max - nut.flats_min
    bag = BAGS * float(np.random.default_rng(printer.seed).normal())
    size = min(nut.flats_max - tolerance * (USUAL - bag - IN_BAG * float(rng.normal())), nut.flats_max)
    made = printer.print({"A": mesh.evaluate(solution.bodies["A"])}, solution.process)
    across = np.linspace(-0.45, 0.45, PLACES) * plan.bears
    clear, wide = [], []
    top = plan.band - 0.2 if plan.stepped else nut.height_min - 0.4
    for z in np.linspace(p.floor + 0.4, p.floor + top, HEIGHTS):
        ring = sections.hole_ring(made.region("A", float(z)))
        flats = [sections.along(ring, -math.pi / 2 + math.pi / 3 * side, across) for side in range(6)]
        for side in range(3):
            # The nut finds its own middle between two flats.
            span = flats[side] + flats[side + 3][::-1]
            clear.append((span - size) / 2)
            wide.append(float(span.mean()))
    left = np.concatenate(clear)
    push = plan.flank * STEEL * pressing.pressure(left)
    spins = float(np.mean(wide)) >= nut.corners_min
    outcome = 0 if push > MALLET * PRESS else 1 if push > PRESS else 2 if push > STAYS else 4 if spins else 3
    return Tried(outcome, outcome == plan.wanted, float(left.mean()))
