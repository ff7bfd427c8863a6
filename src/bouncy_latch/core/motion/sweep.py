"""Swings a mechanism through its whole travel and finds the smallest gap, its place and any collision."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.mechanisms.contract import Motion, Solution
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh

STEPS = 25
SEARCH = 0.6
"""Gaps larger than this are not told apart, mm; the search costs more the further it looks."""
TOUCH = 0.005
_REFINEMENTS = 3




@dataclass(frozen=True)
class Sweep:
    """The gap along the travel.

    Attributes:
        values: positions of the freedom, ascending, in the motion's unit, shape (n,).
        gaps: smallest distance of the two bodies there, mm, 0 where they touch or overlap, shape (n,).
        worst_value, worst_gap: where it is smallest.
        place: that place in the user's words; point: mm, in the first body's print pose.
    """

    values: npt.NDArray[np.float64]
    gaps: npt.NDArray[np.float64]
    worst_value: float
    worst_gap: float
    place: str
    point: tuple[float, float, float]


def sweep(solution: Solution, steps: int = STEPS, progress: Progress = unwatched) -> Sweep:
    """Return the gap between the motion's two bodies over its whole range, refined around the worst place.

    Raises:
        Cancelled: when ``progress`` returned False.
    """
    motion = solution.motion
    still, moving = (mesh.evaluate(solution.bodies[name]) for name in motion.pair)

    def gap_at(value: float) -> float:
        return float(still.min_gap(_posed(moving, motion, value), SEARCH))

    values = list(np.linspace(motion.low, motion.high, steps))
    gaps = []
    for i, value in enumerate(values):
        if not progress(i / (steps + 2 * _REFINEMENTS)):
            raise Cancelled
        gaps.append(gap_at(value))
    spacing = (motion.high - motion.low) / (steps - 1)
    for _ in range(_REFINEMENTS):
        worst = int(np.argmin(gaps))
        if gaps[worst] <= 0:
            break
        spacing /= 2
        for near in (values[worst] - spacing, values[worst] + spacing):
            if motion.low < near < motion.high:
                values.append(near)
                gaps.append(gap_at(near))
    order = np.argsort(values)
    worst = int(np.argmin(gaps))
    point = _nearest_place(still, _posed(moving, motion, values[worst]), gaps[worst])
    progress(1.0)
    return Sweep(np.array(values)[order], np.array(gaps)[order], float(values[worst]), float(gaps[worst]),
                 motion.place_name(point), point)


def spot_sweep(solution: Solution, values: Sequence[float]) -> Sweep:
    """Return the gap at a few ``values`` only: enough to tell whether a change mends a collision found by :func:`sweep`."""
    motion = solution.motion
    still, moving = (mesh.evaluate(solution.bodies[name]) for name in motion.pair)
    inside = sorted({min(max(value, motion.low), motion.high) for value in (*values, motion.low, motion.high)})
    gaps = [float(still.min_gap(_posed(moving, motion, v), SEARCH)) for v in inside]
    worst = int(np.argmin(gaps))
    return Sweep(np.array(inside), np.array(gaps), inside[worst], gaps[worst], "", (0.0, 0.0, 0.0))


def check(result: Sweep, solution: Solution) -> Check:
    """Return the verdict of a sweep: the gap on the way must outlast the printed growth of both bodies."""
    growth = solution.process.growth.mean
    at = f"{result.worst_value:.0f} {solution.motion.unit}".replace(" °", "°")
    return Check(
        "swings-clear", f"{solution.motion.label}s clear", result.worst_gap, 2 * growth + 0.02, "mm", stop=TOUCH,
        mend=solution.motion.mend, place=result.point,
        why=f"smallest gap on the way, at {at}, {result.place}",
                 topic="shape", basis="both outlines grown, and a fiftieth")


def _posed(manifold: Any, motion: Motion, value: float) -> Any:
    return mesh.transformed(manifold, motion.pose(value)[motion.pair[1]])


def _nearest_place(still: Any, moving: Any, gap: float) -> tuple[float, float, float]:
    """Return where two manifolds meet or come nearest, by vertices."""
    if gap <= 0:
        shared = still ^ moving
        if not shared.is_empty():
            box = shared.bounding_box()
            return (box[0] + box[3]) / 2, (box[1] + box[4]) / 2, (box[2] + box[5]) / 2
    from scipy.spatial import cKDTree

    a, b = mesh.arrays(still)[0], mesh.arrays(moving)[0]
    distance, index = cKDTree(b).query(a)
    nearest = int(np.argmin(distance))
    middle = (a[nearest] + b[index[nearest]]) / 2
    return float(middle[0]), float(middle[1]), float(middle[2])
