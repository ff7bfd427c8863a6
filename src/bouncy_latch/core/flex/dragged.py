"""A catch that is pulled out while what carries it gives along the way too, as a leg folded back in a U does.

Its end goes along with the part that pulls, and hangs on the return face until it slides off or springs off at once. Several
balances may then belong to one place of the part on the way, and which one it is depends on where the part comes from. So the
balance is sought at places of the *catch against its mate* (one for each), where only the end's turn is unknown; where the part
is then follows. Coming from the seat, it takes the first balance that each place has.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.flex.way import Others
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

FURTHEST = math.radians(40)
"""Turn of the end beyond which small bends say nothing."""
HALVED = 10
"""Times the span of turns is narrowed."""
TIGHT = 0.01
"""Part of an arm's give below which pulling has drawn it as good as tight."""
LIFTS = 0.05
"""How far a pull draws an end towards its mate, over how far the same force across pushes it away, from which on it counts."""
FRICTIONS = 5
"""Frictions that are followed; what others make of the way lies between theirs."""
Moves = Callable[[Array, Array], Array]
"""From slopes and touching points to how a newton across, with friction, moves the end: x, y, turn, (3, k)."""


def is_dragged(flexibility: Array, above: float) -> bool:
    """Whether a pull ``above`` mm over an end's axis draws it towards its mate, as of no straight arm: it may then hang."""
    return bool(flexibility[1, 0] - above * flexibility[1, 2] > LIFTS * flexibility[1, 1])


@frozen
class Hung:
    """Balances at places of the catch against its mate, each (k,); ``turn`` (rad) and ``shift`` (mm) of the end, how far it is
    ``lowered`` (mm), the ``slope`` of the touching faces, ``arms`` (k, 2) of the touching point, mm."""

    shift: Array
    turn: Array
    lowered: Array
    slope: Array
    arms: Array


def between(off: Callable[[Array], Array], low: Array, high: Array) -> Array:
    """Return where functions that fall from above 0 at ``low`` to below 0 at ``high`` (k,) are 0: false position, the kept
    end's value halved (Illinois; G. Dahlquist & Å. Björck, *Numerical Methods*, 1974, § 6.2), halving where that is slow."""
    at_low, at_high = off(low), off(high)
    for number in range(HALVED):
        part = np.clip(at_low / np.maximum(at_low - at_high, 1e-300), 0.02, 0.98) if number % 3 else np.full(len(low), 0.5)
        middle = low + part * (high - low)
        found = off(middle)
        less = found < 0
        at_high, at_low = np.where(less, found, at_high / 2), np.where(less, at_low / 2, found)
        high, low = np.where(less, middle, high), np.where(less, low, middle)
    return (low + high) / 2


def hung(lowering: Callable[[Array], tuple[Array, Array, Array]], moves: Moves, count: int, beyond: Array) -> Hung:
    """Return the balance at each of ``count`` places, whose turn is found by halving.

    ``lowering``: from turns to how far the end must be down, the slope of the faces and the touching point. ``beyond``: what
    large bends add to shift and turn per mm lowered, (2, k).
    """
    def off(turn: Array) -> Array:
        lowered, slope, arms = lowering(turn)
        moved = moves(slope, arms)
        # A pull that would draw it tight turns it without end, the way it begins.
        brought = np.where(moved[1] < 0, lowered * (moved[2] / np.maximum(-moved[1], 1e-12) + beyond[1]), moved[2] * np.inf)
        return np.asarray(np.clip(np.nan_to_num(brought, nan=0.0) - turn, -2 * FURTHEST, 2 * FURTHEST))

    turn = between(off, np.full(count, -FURTHEST), np.full(count, FURTHEST))
    lowered, slope, arms = lowering(turn)
    moved = moves(slope, arms)
    return Hung(lowered * (moved[0] / np.maximum(-moved[1], 1e-12) + beyond[0]), turn, lowered, slope, arms)


@frozen
class Drag:
    """The way out at one friction, from the seat on, each (k,).

    Attributes:
        place: of the part where the catch is at each of its places against its mate, mm. force: along the way there, N.
        stiff: force per mm that the part goes on while the faces stick, N/mm. tight: number of the place from which on
        pulling slides it no further; k where it always does. crest: number of the first place on the crest.
    """

    place: Array
    force: Array
    stiff: Array
    tight: int
    crest: int

    @cached_property
    def kept(self) -> npt.NDArray[np.int64]:
        """Numbers of the places it comes through, last first: where the part goes back it has sprung past them."""
        reached = self.place[:max(self.tight, 1)]
        before = np.concatenate([[np.inf], np.minimum.accumulate(reached)[:-1]])
        return np.flatnonzero(reached < before)[::-1]

    @property
    def holds(self) -> bool:
        """Whether it never slides off."""
        return self.tight < self.crest

    @property
    def peak(self) -> float:
        """Greatest force on the way, N; infinite where it holds."""
        return math.inf if self.holds else float(self.force[self.kept].max())

    def along(self, at: Array) -> Array:
        """Return the force with the part at ``at`` (S,), rising, N."""
        found = np.interp(at, self.place[self.kept], self.force[self.kept], right=0.0)
        last = self.kept[0]
        further = np.maximum(self.place[last] - at, 0.0) * float(self.holds)
        return np.asarray(np.where(further > 0, self.force[last] + self.stiff[last] * further, found))

    def where(self, at: Array) -> Array:
        """Return the number of the catch's place, as a fraction, with the part at ``at`` (S,), rising."""
        return np.asarray(np.interp(at, self.place[self.kept], self.kept.astype(float)))


def sticking(flexibility: Array, arms: Array) -> Array:
    """Return the force along per mm for which a part takes points of an end along that do not slide, N/mm, (k,).

    ``arms``: the points, from the end, mm, (k, 2).
    """
    f, (x, y) = flexibility, arms.T
    xx = f[0, 0] - 2 * y * f[0, 2] + y**2 * f[2, 2]
    xy = f[0, 1] + x * f[0, 2] - y * f[2, 1] - x * y * f[2, 2]
    yy = f[1, 1] + 2 * x * f[1, 2] + x**2 * f[2, 2]
    return np.asarray(yy / (xx * yy - xy**2))


def others(drags: list[Drag], frictions: Array, followed: Array, at: Array, own: Array, bears: float) -> Others:
    """Return what frictions (n,) make of the way out at places ``at`` (S,), between those ``followed`` (m,) of the ``drags``,
    which end soon after the crest; from there on forces are as small as the mean friction's ``own`` (S,).

    A pull of more than ``bears`` N holds until something tears, and is infinite.
    """
    # Forces grow by factors as they come near those that hold.
    far = 1e3 * min(bears, 1e4)
    peaks = np.exp(np.interp(frictions, followed, np.log([min(max(drag.peak, 1e-6), far) for drag in drags])))
    along = np.array([np.where((at < drag.place[-1]) & (not drag.holds), own, drag.along(at)) for drag in drags])
    part = np.interp(frictions, followed, np.arange(len(followed)))
    low = np.minimum(part.astype(int), len(followed) - 2)
    between = along[low] + (part - low)[:, None] * (along[low + 1] - along[low])
    holds = peaks > min(bears, far / 2)
    return Others(frictions, np.where(holds, np.inf, peaks), np.where((between > bears) | (holds[:, None] & (between >= bears)),
                                                                      np.inf, between))
