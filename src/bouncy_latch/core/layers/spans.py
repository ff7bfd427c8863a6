"""How an unsupported region is held: as a bridge from end to end, as a ledge from one side, or not at all.

Lines are laid across the region in a fan of directions, as a slicing program lays a bridge; the direction in which the
most length is held at both ends wins, the shortest span among equals.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

_TURNS = 12
_MOST_LINES = 24
_BEYOND = 0.03
"""How far past a line's end its support is looked for, mm."""
HELD_SHARE = 0.85
"""Share of the lines' length that must be held for the whole to count as held."""


@frozen
class Hold:
    """How a region is held.

    Attributes:
        both: share of line length held at both ends, in the best direction.
        one: share held at one end at least.
        span: longest line held at both ends, mm (0 when there is none).
        reach: longest line held at one end only, mm (0 when there is none).
        direction: of the best lines, degrees from x.
    """

    both: float
    one: float
    span: float
    reach: float
    direction: float

    @property
    def is_bridge(self) -> bool:
        """Whether lines can be laid straight across between two ends that are really held."""
        return self.both >= HELD_SHARE


def rings(region: Any) -> list[Array]:
    """Return the outlines of a region, each (n, 2)."""
    return [np.asarray(p) for p in region.to_polygons()]


def edges(outlines: list[Array]) -> tuple[Array, Array]:
    """Return starts and ends (n, 2) of every edge of closed outlines."""
    if not outlines:
        return np.zeros((0, 2)), np.zeros((0, 2))
    return np.vstack(outlines), np.vstack([np.roll(ring, -1, axis=0) for ring in outlines])


def inside(points: Array, starts: Array, ends: Array) -> npt.NDArray[np.bool_]:
    """Return which points (n, 2) lie inside closed edges, by counting crossings to the right."""
    y = points[:, 1, None]
    crosses = (starts[None, :, 1] > y) != (ends[None, :, 1] > y)
    rise = ends[:, 1] - starts[:, 1]
    slope = np.where(rise == 0, 0.0, (ends[:, 0] - starts[:, 0]) / np.where(rise == 0, 1.0, rise))
    x = starts[None, :, 0] + (y - starts[None, :, 1]) * slope[None, :]
    return np.asarray((crosses & (x > points[:, 0, None])).sum(axis=1) % 2 == 1)


def hold(region: Any, support: Any, spacing: float = 0.45) -> Hold:
    """Return how ``region`` (mm) is held by ``support``, the region of the layer below as far as it carries."""
    outlines = rings(region)
    starts, ends = edges(outlines)
    if not len(starts):
        return Hold(0.0, 0.0, 0.0, 0.0, 0.0)
    below = edges(rings(support))
    steps = ends - starts
    longest = steps[int(np.argmax((steps**2).sum(axis=1)))]
    base = math.atan2(longest[1], longest[0])
    turns = [_turn(starts, ends, below, base + k * math.pi / _TURNS, spacing) for k in range(_TURNS)]
    best_both = max(turn.both for turn in turns)
    if best_both >= HELD_SHARE:
        return min((t for t in turns if t.both >= best_both - 0.03), key=lambda t: t.span)
    best_one = max(turn.one for turn in turns)
    if best_one <= 0:
        return turns[0]
    return min((t for t in turns if t.one >= best_one - 0.03), key=lambda t: t.reach)


def _turn(starts: Array, ends: Array, below: tuple[Array, Array], angle: float, spacing: float) -> Hold:
    """Lay lines at ``angle`` across the region and see which of their ends rest on something."""
    c, s = math.cos(angle), math.sin(angle)
    turn = np.array([[c, -s], [s, c]])
    a, b = starts @ turn, ends @ turn
    low, high = float(a[:, 1].min()), float(a[:, 1].max())
    count = int(min(max((high - low) / spacing, 3), _MOST_LINES))
    levels = low + (np.arange(count) + 0.5) / count * (high - low)
    crosses = (a[None, :, 1] > levels[:, None]) != (b[None, :, 1] > levels[:, None])
    line, edge = np.nonzero(crosses)
    x = a[edge, 0] + (levels[line] - a[edge, 1]) / (b[edge, 1] - a[edge, 1]) * (b[edge, 0] - a[edge, 0])
    order = np.lexsort((x, line))
    x, line = x[order], line[order]
    begin, end, level = x[0::2], x[1::2], levels[line[0::2]]
    length = end - begin
    real = length > 1e-6
    begin, end, level, length = begin[real], end[real], level[real], length[real]
    if not len(length):
        return Hold(0.0, 0.0, 0.0, 0.0, math.degrees(angle))
    tips = np.stack([np.concatenate([begin - _BEYOND, end + _BEYOND]), np.concatenate([level, level])], axis=1) @ turn.T
    rests = inside(tips, *below)
    left, right = rests[: len(length)], rests[len(length):]
    both, any_end = left & right, left | right
    total = float(length.sum())
    single = any_end & ~both
    return Hold(float(length[both].sum()) / total, float(length[any_end].sum()) / total,
                float(length[both].max(initial=0.0)), float(length[single].max(initial=0.0)),
                math.degrees(angle) % 180)


def droop(span: float, process_sag: float) -> float:
    """Return how far a strand across ``span`` mm sags, mm: sag of 10 mm × (span/10)⁴, as a cold strand does."""
    return process_sag * (span / 10.0) ** 4
