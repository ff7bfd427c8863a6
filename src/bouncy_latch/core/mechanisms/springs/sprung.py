"""A spring whose bar winds in the layers and whose ends move in a line: what its frame says along the travel."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.flex.winding import Winding
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.springs.spring import Spring
from bouncy_latch.core.numbers import Array, monotone

STATES = 3
"""Travels at which the balance of forces is found; between them the force is a smooth curve."""
MET = 4
"""How many more from where bars meet."""
TINY = 1e-3
"""Part of the travel that is as good as none."""
POINTS = 25
"""Places of a course."""


@frozen
class Sprung(Spring):
    """A spring of bars.

    Attributes:
        winding: its bar as printed. way: 1 where it is stretched, -1 pressed. bars: side by side, sharing the force.
        share: of the travel that one bar takes, where several follow each other.
    """

    winding: Winding
    way: int = 1
    bars: int = 1
    share: float = 1.0

    @property
    def _travels(self) -> Array:
        """Travels at which it is followed, from as good as none, (B,) mm."""
        return self.travel * np.concatenate([[TINY], np.arange(1, STATES + 1) / STATES])

    @cached_property
    def _apart(self) -> tuple[Array, Array, Array, Array]:
        """Travels, displacements, forces of one bar and strains as if it went through itself."""
        travels = self._travels
        return travels, *self.winding.pulled(self.way * self.share * travels)

    @cached_property
    def _followed(self) -> tuple[Array, Array, Array, Array]:
        travels, moved, force, strain = self._apart
        if self.touches < self.travel * (1 - TINY):
            # Rows of bars that have met go on as one: followed anew from there.
            free = travels < self.touches * (1 - TINY)
            met = self.touches + (self.travel - self.touches) * np.arange(MET + 1) / MET
            after = self.winding.pulled(self.way * self.share * met, meeting=True)
            travels = np.concatenate([travels[free], met])
            moved, force, strain = (np.concatenate([before[free], now])
                                    for before, now in zip((moved, force, strain), after, strict=True))
        return travels, moved, self.bars * self.way * force, strain

    @cached_property
    def _inner(self) -> Array:
        """Forces within the bar at the travels of :attr:`states`, (B, m, 3)."""
        return self.winding.frame.forces(self.states[1])

    def strained(self, points: Array, travel: float) -> Array:
        """Return how strained points (n, 2) of the drawn bar are at a travel, (n,), as a part of what it stands."""
        return self.strained_by(self._inner, points, travel)

    def strained_by(self, forces: Array, points: Array, travel: float) -> Array:
        """Return the same of a bar with ``forces`` (B, m, 3) within its elements at the travels of :attr:`states`."""
        return self.winding.strained(points, self.between(forces, travel)) / self.permissible

    def between(self, values: Array, travel: float) -> Array:
        """Return what is (B, …) at the travels of :attr:`states`, and nothing at rest, at a travel in between."""
        known, values = np.concatenate([[0.0], self.states[0]]), np.concatenate([np.zeros((1, *values.shape[1:])), values])
        place = float(np.interp(travel, known, np.arange(len(known))))
        low = min(int(place), len(known) - 2)
        return np.asarray(values[low] + (place - low) * (values[low + 1] - values[low]))

    @property
    def states(self) -> tuple[Array, Array, Array, Array]:
        """Travels (B,), displacements (B, n, 3), forces N and strains at some places of the way."""
        travels, moved, force, strain = self._followed
        return travels[1:], moved[1:], force[1:], strain[1:]

    @cached_property
    def curve(self) -> tuple[Array, Array, Array]:
        """Travel, force and strain along the way, each (:data:`POINTS`,), from nothing."""
        travels, _, force, strain = self.states
        at = np.linspace(0.0, self.travel, POINTS)
        known = np.concatenate([[0.0], travels])
        return at, monotone(at, known, np.concatenate([[0.0], force])), monotone(at, known, np.concatenate([[0.0], strain]))

    @property
    def rate(self) -> float:
        """Stiffness at the beginning of the way, N/mm."""
        travels, _, force, _ = self._apart
        return float(self.bars * self.way * force[0] / travels[0])

    @cached_property
    def touches(self) -> float:
        """Travel at which parts of the bar first meet, as printed, mm; infinite where they part or never do."""
        travels, moved, _, _ = self._apart
        gaps = np.concatenate([[self.gap - 2 * self.process.growth.mean], self.winding.least_gap(moved[1:])])
        known = np.concatenate([[0.0], travels[1:]])
        if not np.isfinite(gaps).all():
            return math.inf
        met = first_touch(known, gaps)
        return math.inf if self.way > 0 and gaps.min() > 0 else met


def first_touch(known: Array, gaps: Array) -> float:
    """Return the travel at which gaps (n,) at travels ``known`` (n,), from nothing, are first closed, the fall before going on
    as it is; infinite where they only widen."""
    below = np.flatnonzero(gaps <= 0)
    i = int(below[0]) if len(below) else len(gaps) - 1
    if i == 0:
        return 0.0
    slope = (gaps[i - 1] - gaps[i]) / (known[i] - known[i - 1])
    return float(known[i - 1] + gaps[i - 1] / slope) if slope > 0 else math.inf
