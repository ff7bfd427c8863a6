"""Presses a snap together, bending as computed, and looks for anything that touches and should not."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.mechanisms.contract import Motion, Solution
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.trial.posed import FINE, bent, overlap, watched_pairs, within_reach

__all__ = ["ALLOWED", "FINE", "ID", "bent", "check", "overlap"]
ID = "rides-clear"
STEPS = 13
ALLOWED = 0.12
"""Overlap of the drawn parts that growth and rounding in the computed way account for, mm."""


def check(solution: Solution, progress: Progress = unwatched, motion: Motion | None = None,
          edges: Mapping[str, float] | None = None) -> Check:
    """Return the verdict on pressing parts together with the mesh bent by the computed curve.

    ``edges``: how long those of what bends may be, see :func:`bent`.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    motion = motion or solution.motion
    pairs = watched_pairs(solution, motion)
    worst, where, at = 0.0, None, motion.low
    values = np.linspace(motion.low, motion.high, STEPS).tolist()
    near = within_reach(solution, motion, values, pairs, edges or {})
    for i, value in enumerate(values):
        if not progress(i / STEPS):
            raise Cancelled
        bodies = bent(solution, value, motion, edges, near)
        for first, second in pairs:
            depth, place = overlap(bodies[first], bodies[second])
            if depth > worst:
                worst, where, at = depth, place, value
    progress(1.0)
    why = (f"the parts overlap most at {at:.1f} {motion.unit}; outline growth and rounding leave some" if worst > 0 else
           "bent along its computed curve, the part touches its mate only where it should")
    return Check(ID, "No unintended overlap during assembly", worst, ALLOWED, "mm", why, least=False, stop=0.5, place=where,
                 mend=motion.mend, topic="shape", basis="overlap that outline growth and rounding leave",
                 advice="Give the part more room at the marked place, or bend it less.")
