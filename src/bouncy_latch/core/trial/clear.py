"""Moves a mechanism through a whole motion and finds the smallest gap, its place and any collision."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Motion, Solution
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.trial.posed import gap, nearest, watched_pairs

ID = "swings-clear"
STEPS = 17
SEARCH = 0.6
"""Gaps larger than this are not told apart, mm; the search costs more the further it looks."""
TOUCH = 0.005
_REFINEMENTS = 3
_FLAT = 0.002
"""Difference of the gap at neighbouring places below which it is the same all along, and there is nothing to refine, mm."""


@frozen
class Trace:
    """The gap along a motion.

    Attributes:
        values: positions of the freedom, ascending, in the motion's unit, shape (n,).
        gaps: smallest distance of any two watched bodies there, mm, 0 where they touch or overlap, shape (n,).
        worst_value, worst_gap: where it is smallest.
        place: that place in the user's words; point: mm, in the print pose of the first body of the pair.
    """

    values: Array
    gaps: Array
    worst_value: float
    worst_gap: float
    place: str
    point: tuple[float, float, float]


class _Watched:
    """The watched pairs of a motion; the second of each is moved to where it is seen from the first."""

    def __init__(self, solution: Solution, motion: Motion) -> None:
        self._motion = motion
        self._pairs = watched_pairs(solution, motion)
        self._bodies = {name: mesh.evaluate(solution.together[name]) for pair in self._pairs for name in pair}

    def gap(self, value: float, search: float = SEARCH) -> float:
        """Return the smallest gap at a value, mm, at most ``search``."""
        return min((gap(first, second, search) for first, second in self._at(value)), default=search)

    def place(self, value: float, smallest: float) -> tuple[float, float, float]:
        """Return where the smallest gap at a value is, mm."""
        bodies = self._at(value)
        if not bodies:
            return 0.0, 0.0, 0.0
        first, second = bodies[0] if len(bodies) == 1 else min(bodies, key=lambda pair: gap(pair[0], pair[1], SEARCH))
        return nearest(first, second, smallest)

    def _at(self, value: float) -> list[tuple[Any, Any]]:
        pose = self._motion.pose(value)
        found = []
        for first, second in self._pairs:
            seen = tree.compose(tree.invert(pose.get(first, tree.IDENTITY)), pose.get(second, tree.IDENTITY))
            found.append((self._bodies[first], mesh.transformed(self._bodies[second], seen)))
        return found


def sweep(solution: Solution, steps: int = STEPS, progress: Progress = unwatched, motion: Motion | None = None,
          traced: bool = True) -> Trace:
    """Return the gap over the whole range of a motion (default: the main one), refined around the worst place.

    ``traced``: whether the gap is wanted all along the way; otherwise larger gaps than the smallest one are not told apart from
    it, which takes half the time.

    Raises:
        Cancelled: when ``progress`` returned False.
    """
    motion = motion or solution.motion
    watched = _Watched(solution, motion)
    values = list(np.linspace(motion.low, motion.high, steps))
    gaps: list[float] = []
    for i, value in enumerate(values):
        if not progress(i / (steps + 2 * _REFINEMENTS)):
            raise Cancelled
        gaps.append(watched.gap(value, SEARCH if traced else min([SEARCH, *(gap + 2 * _FLAT for gap in gaps)])))
    spacing = (motion.high - motion.low) / (steps - 1)
    for _ in range(_REFINEMENTS):
        worst = int(np.argmin(gaps))
        beside = [gap for value, gap in zip(values, gaps, strict=True) if 0 < abs(value - values[worst]) < 1.01 * spacing]
        if gaps[worst] <= 0 or max(beside) - gaps[worst] <= _FLAT:
            break
        spacing /= 2
        for near in (values[worst] - spacing, values[worst] + spacing):
            if motion.low < near < motion.high:
                values.append(near)
                gaps.append(watched.gap(near, SEARCH if traced else min(gaps) + 2 * _FLAT))
    order = np.argsort(values)
    worst = int(np.argmin(gaps))
    point = watched.place(values[worst], gaps[worst])
    progress(1.0)
    return Trace(np.array(values)[order], np.array(gaps)[order], float(values[worst]), float(gaps[worst]),
                 motion.place_name(point), point)


def spot_sweep(solution: Solution, values: Sequence[float], motion: Motion | None = None) -> Trace:
    """Return the gap at a few ``values`` only: enough to tell whether a change mends a collision found by :func:`sweep`."""
    motion = motion or solution.motion
    watched = _Watched(solution, motion)
    inside = sorted({min(max(value, motion.low), motion.high) for value in (*values, motion.low, motion.high)})
    gaps = [watched.gap(value) for value in inside]
    worst = int(np.argmin(gaps))
    return Trace(np.array(inside), np.array(gaps), inside[worst], gaps[worst], "", (0.0, 0.0, 0.0))


def check(trace: Trace, solution: Solution, motion: Motion | None = None) -> Check:
    """Return the verdict of a sweep: the gap on the way must outlast the printed growth of both bodies."""
    motion = motion or solution.motion
    growth = solution.process.growth.mean
    at = f"{trace.worst_value:.0f} {motion.unit}".replace(" °", "°")
    return Check(ID, f"Smallest gap: {motion.label.lower()}", trace.worst_gap, 2 * growth + 0.02, "mm", stop=TOUCH,
                 mend=motion.mend,
                 place=trace.point, why=f"at {at}, {trace.place}; outline growth needs so much",
                 topic="shape", basis="both outlines grown, and a fiftieth")
