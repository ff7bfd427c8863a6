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
"""Part of the lines' length that must be held for the whole to count as held."""


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
    turns = _turned(starts, ends, below, base + np.arange(_TURNS) * math.pi / _TURNS, spacing)
    best_both = max(turn.both for turn in turns)
    if best_both >= HELD_SHARE:
        return min((t for t in turns if t.both >= best_both - 0.03), key=lambda t: t.span)
    best_one = max(turn.one for turn in turns)
    if best_one <= 0:
        return turns[0]
    return min((t for t in turns if t.one >= best_one - 0.03), key=lambda t: t.reach)


def _turned(starts: Array, ends: Array, below: tuple[Array, Array], angles: Array, spacing: float) -> list[Hold]:
    """Lay lines at every one of ``angles`` across the region and see which of their ends rest on something."""
    c, s = np.cos(angles), np.sin(angles)
    # The lines of all angles, one behind the other: which angle each is of, and how far off it lies.
    (ax, ay), (bx, by) = ((np.outer(c, each[:, 0]) + np.outer(s, each[:, 1]), np.outer(c, each[:, 1]) - np.outer(s, each[:, 0]))
                          for each in (starts, ends))
    low, high = ay.min(axis=1), ay.max(axis=1)
    counts = np.minimum(np.maximum((high - low) / spacing, 3), _MOST_LINES).astype(np.int64)
    turn = np.repeat(np.arange(len(angles)), counts)
    number = np.arange(len(turn)) - np.repeat(np.cumsum(counts) - counts, counts)
    levels = low[turn] + (number + 0.5) / counts[turn] * (high - low)[turn]
    line, edge = np.nonzero((ay[turn] > levels[:, None]) != (by[turn] > levels[:, None]))
    own = turn[line]
    from_x, from_y = ax[own, edge], ay[own, edge]
    x = from_x + (levels[line] - from_y) / (by[own, edge] - from_y) * (bx[own, edge] - from_x)
    order = np.lexsort((x, line))
    x, line = x[order], line[order]
    begin, end, line = x[0::2], x[1::2], line[0::2]
    real = end - begin > 1e-6
    begin, end, line = begin[real], end[real], line[real]
    own, length = turn[line], end - begin
    along, across = np.concatenate([begin - _BEYOND, end + _BEYOND]), np.tile(levels[line], 2)
    tips = np.stack([along * np.tile(c[own], 2) - across * np.tile(s[own], 2),
                     along * np.tile(s[own], 2) + across * np.tile(c[own], 2)], axis=1)
    rests = inside(tips, *below)
    left, right = rests[: len(length)], rests[len(length):]
    both, any_end = left & right, left | right
    total = np.bincount(own, length, len(angles))
    held, half = (np.bincount(own, length * which, len(angles)) / np.maximum(total, 1e-300) for which in (both, any_end))
    span, reach = np.zeros(len(angles)), np.zeros(len(angles))
    np.maximum.at(span, own, length * both)
    np.maximum.at(reach, own, length * (any_end & ~both))
    return [Hold(*(float(each) for each in row)) for row in zip(held, half, span, reach, np.degrees(angles) % 180, strict=True)]


def droop(span: float, process_sag: float) -> float:
    """Return how far a strand across ``span`` mm sags, mm: sag of 10 mm × (span/10)⁴, as a cold strand does."""
    return process_sag * (span / 10.0) ** 4
