"""A bolt and its nut as a stand-in printer lays them, put together: what a hand finds, from the sections alone.

At every height the nut's hole is held against the bolt's outline at the same place of the thread, turned on by quarters of a
turn, so that the stairs of both meet in every way. What crosses is pressed: its torque is pressure · friction · area · radius.
"""

from __future__ import annotations

import math

import numpy as np

from bouncy_latch.core.layers.fits import RUBBING
from bouncy_latch.core.mechanisms.contract import Solution, Tried
from bouncy_latch.core.mechanisms.threads.plan import Plan
from bouncy_latch.core.mechanisms.threads.shape import Drawn
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.virtual import pressing, sections
from bouncy_latch.core.virtual.printer import VirtualPrinter

QUARTERS = (0.0, 0.25, 0.5, 0.75)
HEIGHTS, DIRECTIONS = 6, 120
NEAREST = 0.1
"""Part of the flanks that comes nearest to the other one's."""


def tried(solution: Solution, printer: VirtualPrinter, _rng: np.random.Generator) -> Tried:
    """Return what became of a bolt and nut on a printer."""
    plan = Plan(solution.params, solution.process)  # type: ignore[arg-type]
    drawn, form = Drawn(plan), plan.form
    low, high = drawn.seat
    bolt = printer.print({"A": mesh.evaluate(solution.bodies["A"])}, solution.process)
    nut = printer.print({"B": mesh.evaluate(solution.bodies["B"].move(x=-drawn.printed_at[3]))}, solution.process)
    angles = np.linspace(0, 2 * math.pi, DIRECTIONS, endpoint=False)
    edge = plan.inner[1] - plan.inner[0] + 0.4
    worst, clear = 0.0, []
    root, crest = plan.outer
    for quarter in QUARTERS:
        turn = 2 * math.pi * quarter * (-1 if plan.p.hand == "left" else 1)
        reach = []
        for z in np.linspace(edge, high - low - edge, HEIGHTS):
            ring = sections.outline(bolt.region("A", float(z) + low + form.lead * quarter), angles)
            hole = sections.hole(nut.region("B", float(z)), angles - turn)
            reach.append(hole - ring)
            flank = (ring > root + 0.1 * (crest - root)) & (ring < crest - 0.1 * (crest - root))
            # What wobbles has room at the places that come nearest, too.
            clear.append(float(np.quantile((hole - ring)[flank], NEAREST)) * math.cos(form.overhang) if flank.any() else 0.0)
        pressed = pressing.pressure(np.concatenate(reach), pressing.RUN_IN)
        area = 2 * math.pi * form.middle * plan.engaged
        worst = max(worst, RUBBING * pressed * area * form.middle)
    free, hand, tool = plan.screwed.limits
    left = float(np.mean(clear))
    outcome = 0 if worst > tool else 1 if worst > hand else 2 if worst > free else 4 if left > plan.screwed.loose else 3
    return Tried(outcome, outcome in {2, 3}, left)
