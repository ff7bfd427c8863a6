"""One side first: two opposed catches go in one after the other when the part is tilted.

Pushed straight, both catches ride over their mates at once. A hand tilts the part: one catch drops in, the part moves over to
its side and the other catch follows. Both outlines are plane and mirror images in one line; the part is turned about that line,
shifted along it and moves sideways as it likes. An arm that gives turns about a point near its root (its end sinks by its
lever times its turn, as small bends have it), so it leans with a part that is tilted. At every place along the way, every
tilt and every sideways shift each arm must turn by so much that nothing overlaps; of all ways from outside to the seat the one
is looked for on which the arms store least at their worst.
"""

from __future__ import annotations

import math

import numpy as np

from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

STEEPEST = math.radians(25)
"""The most a hand tilts a part, rad (common practice, no source)."""
_TILTS, _STEPS, _SHIFTS = 14, 48, 9
_AS_GOOD = 0.05
"""Part of what tilting saves that is given up to tilt less."""
_SHORTEST = 0.15
"""Part of an arm's lever nearer to its root than which nothing of it moves aside."""


@frozen
class Opposed:
    """Outlines of two opposed catches and of what they ride over.

    Attributes:
        catch: whole upper outline of what carries the upper catch, x from the arm's end, ascending or equal, mm. mate: lower
        outline of what it rides over, x ascending from its front. mirror: y of the line in which both have their mirror images.
        seat: x of the arm's end in the mate's coordinates when seated. lever: how far the arm's end sinks per turn, mm.
    """

    catch: tuple[Point, ...]
    mate: tuple[Point, ...]
    mirror: float
    seat: float
    lever: float


@frozen
class Tilt:
    """The way in that bends least.

    Attributes:
        lowered: what each arm's end sinks at the worst of it, mm, as two equal arms store as much. straight: the same, pushed
        straight. angle: how far the part is tilted, rad; 0 where tilting does not help.
    """

    lowered: float
    straight: float
    angle: float

    @property
    def part(self) -> float:
        """Part of the straight way's bending that is left."""
        return self.lowered / self.straight if self.straight > 0 else 1.0


def easiest(shape: Opposed) -> Tilt:
    """Return the way in that bends the arms least, looked for at tilts up to :data:`STEEPEST`."""
    catch, mate = np.array(shape.catch), np.array(shape.mate)
    tilts = np.linspace(0.0, STEEPEST, _TILTS)
    # Tilted, what lies behind the middle line comes forward.
    front = math.sin(STEEPEST) * abs(shape.mirror - float(mate[:, 1].min()))
    at = np.linspace(-float(catch[-1, 0]) - front, shape.seat, _STEPS)
    both = np.concatenate([-tilts[:0:-1], tilts])
    aside = _needed(shape, catch, mate, at, both)
    # The mirror image is tilted the other way and shifted the other way.
    one, other = aside[:, _TILTS - 1:], aside[:, _TILTS - 1::-1, ::-1]
    stored = np.sqrt((one**2 + other**2) / 2).min(axis=2)
    best = _least_greatest(stored)
    straight = float(stored[:, 0].max())
    enough = best.min() + _AS_GOOD * (straight - best.min())
    chosen = int(np.flatnonzero(best <= enough + 1e-9)[0])
    return Tilt(float(best[chosen]), straight, float(tilts[chosen]))


def _needed(shape: Opposed, catch: Array, mate: Array, at: Array, tilts: Array) -> Array:
    """Return how far the upper arm's end must sink, mm, with the catch at places (S,), the mate tilted (T,) and shifted, as
    (S, T, shifts); shifts are even about 0."""
    widest = 0.5 * float(catch[:, 1].max() - catch[:, 1].min()) + 1e-6
    shifts = np.linspace(-widest, widest, _SHIFTS)
    found = np.empty((len(at), len(tilts), _SHIFTS))
    own_x = np.maximum.accumulate(catch[:, 0] + 1e-9 * np.arange(len(catch)))
    least = _SHORTEST * shape.lever
    own_lever = np.maximum(shape.lever + catch[:, 0], least)
    front = float(mate[:, 0].min())
    for number, tilt in enumerate(tilts):
        c, s = math.cos(tilt), math.sin(tilt)
        dx, dy = mate[:, 0] - front, mate[:, 1] - shape.mirror
        x, y = front + c * dx - s * dy, shape.mirror + s * dx + c * dy
        along = np.maximum.accumulate(x + 1e-9 * np.arange(len(x)))
        over = catch[:, 1] - np.interp(at[:, None] + catch[:, 0], along, y, left=np.inf, right=np.inf)
        places = x - at[:, None]
        under = np.interp(places, own_x, catch[:, 1], left=-np.inf, right=-np.inf) - y
        levers = np.maximum(shape.lever + places, least)
        for column, shift in enumerate(shifts):
            turn = np.maximum(((over + shift) / own_lever).max(axis=1), ((under + shift) / levers).max(axis=1))
            found[:, number, column] = shape.lever * np.maximum(turn, 0.0)
    return found


def _least_greatest(needed: Array) -> Array:
    """Return the least that the greatest value on a way can be, from the first row (any column) to the last row's first column.

    A way goes on from row to row, and from column to column within a row.

    Args:
        needed: values, (S, T).

    Returns:
        With no more than the first column, the first two, …, (T,).
    """
    count = needed.shape[1]
    allowed = np.tril(np.ones((count, count), dtype=bool))
    best = np.where(allowed, needed[0], np.inf)
    for row in needed:
        here = np.maximum(best, row)
        for places in (range(1, count), range(count - 2, -1, -1)):
            step = 1 if places.step > 0 else -1
            for place in places:
                here[:, place] = np.maximum(row[place], np.minimum(here[:, place], here[:, place - step]))
        best = np.where(allowed, here, np.inf)
    return np.asarray(best[:, 0])
