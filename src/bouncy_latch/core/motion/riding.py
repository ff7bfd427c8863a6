"""Presses a snap together, bending as computed, and looks for anything that touches and should not."""

from __future__ import annotations

from typing import Any

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh, tree

STEPS = 13
FINE = 0.8
"""Longest edge of a mesh that is to be bent, mm."""
ALLOWED = 0.12
"""Overlap of the drawn parts that growth and rounding in the computed way account for, mm."""
RIDES_ID = "rides-clear"


def bent(solution: Solution, value: float) -> dict[str, Any]:
    """Return the bodies' manifolds with the motion at ``value``: bent, then moved."""
    motion = solution.motion
    warps = motion.bends(value) if motion.bends else {}
    pose = motion.pose(value)
    found = {}
    for name, solid in solution.bodies.items():
        body = mesh.evaluate(solid)
        if name in warps:
            body = mesh.warped(body, warps[name], FINE)
        found[name] = mesh.transformed(body, pose.get(name, tree.IDENTITY))
    return found


def overlap(first: Any, second: Any) -> tuple[float, tuple[float, float, float]]:
    """Return how deep two manifolds reach into each other (thickness of what they share, mm), and where."""
    shared = first ^ second
    if shared.is_empty():
        return 0.0, (0.0, 0.0, 0.0)
    deepest, place = 0.0, (0.0, 0.0, 0.0)
    for piece in shared.decompose():
        area = piece.surface_area()
        # A thin flake has two faces; its thickness is its volume over one of them.
        depth = 2 * piece.volume() / area if area > 0 else 0.0
        if depth > deepest:
            box = piece.bounding_box()
            deepest, place = depth, ((box[0] + box[3]) / 2, (box[1] + box[4]) / 2, (box[2] + box[5]) / 2)
    return deepest, place


def check(solution: Solution, progress: Progress = unwatched) -> Check:
    """Return the verdict on pressing the pair together with the mesh bent by the computed curve.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    motion = solution.motion
    worst, where, at = 0.0, None, motion.low
    for i, value in enumerate(np.linspace(motion.low, motion.high, STEPS)):
        if not progress(i / STEPS):
            raise Cancelled
        bodies = bent(solution, float(value))
        depth, place = overlap(bodies[motion.pair[0]], bodies[motion.pair[1]])
        if depth > worst:
            worst, where, at = depth, place, float(value)
    progress(1.0)
    why = (f"most at {at:.1f} mm of the way; growth and rounding leave some" if worst > 0 else
           "bent by the computed curve, the two only touch where they should")
    return Check(RIDES_ID, "Nothing else in the way", worst, ALLOWED, "mm", why, least=False, stop=0.5, place=where,
                 topic="shape", basis="overlap that growth and rounding of the way leave")
