"""What bends in a plane and carries something at its end: a frame along its centre line, and where its surface is strained."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Iterable
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.flex.frame import Frame
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

_LEGENDRE = np.polynomial.legendre.leggauss(3)
AT, WEIGHTS = (_LEGENDRE[0] + 1) / 2, _LEGENDRE[1] / 2
"""Stations and weights of the quadrature along an element."""


@frozen
class Bent:
    """A strip in several states.

    Attributes:
        force: N across the way, per state (B,). moved: displacements of the nodes, (B, n, 3). strain: greatest surface strain
        per state, stress concentrations included, (B,). where: distance from the root at which it is, mm, (B,).
    """

    force: Array
    moved: Array
    strain: Array
    where: Array

    def part(self, chosen: slice) -> Bent:
        """Return some of the states."""
        return Bent(self.force[chosen], self.moved[chosen], self.strain[chosen], self.where[chosen])

    @property
    def turned(self) -> Array:
        """Rotation of the end, rad, (B,)."""
        return np.asarray(self.moved[:, -1, 2])


@frozen
class Looked:
    """Places of a strip's surface at which strain is looked at, each (k,).

    Attributes:
        number: of the element. part: of it (0 to 1). along: distance from the root, mm. by_moment, by_pull: strain per N·mm
        and per N.
    """

    number: npt.NDArray[np.int64]
    part: Array
    along: Array
    by_moment: Array
    by_pull: Array

    @classmethod
    def of(cls, rows: Iterable[tuple[int, float, float, float, float]]) -> Looked:
        """Return the places given one by one."""
        number, part, along, by_moment, by_pull = np.array(list(rows)).T
        return cls(number.astype(np.int64), part, along, by_moment, by_pull)


EASED = 0.2
"""Radius of edges that ride on each other as they are usually eased, mm."""


def half_width(per_mm: float, modulus: float, poisson: float) -> float:
    """Return half the width over which an eased edge lies on a face under ``per_mm`` N/mm, mm: √(4 p R (1 − ν²)/(πE)) (Hertz;
    K. L. Johnson, *Contact Mechanics*, 1985, ch. 4)."""
    return math.sqrt(4 * max(per_mm, 0.0) * EASED * (1 - poisson**2) / (math.pi * modulus))


class Strip(ABC):
    """A flexure held at its first node; its last node carries the catch. Lowering moves that node towards −y."""

    @property
    @abstractmethod
    def nodes(self) -> Array:
        """Centre line, (n, 2) mm."""

    @property
    @abstractmethod
    def frame(self) -> Frame:
        """It as a frame."""

    @property
    @abstractmethod
    def looked_at(self) -> Looked:
        """Where strain is looked at."""

    @abstractmethod
    def patch(self, force: float) -> float:
        """Return half the width over which faces touch under ``force`` N, mm; see :func:`half_width`."""

    @property
    def dent(self) -> float:
        """What touches it hardly sinks in, as slender as it is."""
        return 0.0

    @property
    def stretch(self) -> float:
        """Strain where the faces touch per mm its end is lowered, 1/mm: of rings alone."""
        return 0.0

    def bent(self, lowered: Array, ratio: Array, arms: Array) -> Bent:
        """Return it with its end lowered.

        Args:
            lowered: mm, (B,). ratio: force along +x for every newton of the force towards −y, (B,).
            arms: where the force acts, from the end node, in axes that turn with it, mm, (B, 2).

        Raises:
            SolveError: when it cannot bend that far, saying how far and why.
        """
        directions = np.column_stack([ratio, -np.ones_like(ratio)])
        moved, force = self.frame.pushed(len(self.nodes) - 1, lowered, directions, arms)
        strain = self.strains(moved)
        worst = strain.argmax(axis=1)
        return Bent(force, moved, strain[np.arange(len(moved)), worst], self.looked_at.along[worst])

    def strains(self, moved: Array) -> Array:
        """Return the surface strain at every place that is looked at, (B, k), for displacements (B, n, 3)."""
        inner, at = self.frame.forces(moved), self.looked_at
        moment = -inner[:, at.number, 1] * (1 - at.part) + inner[:, at.number, 2] * at.part
        return np.asarray(np.abs(moment) * at.by_moment + np.abs(inner[:, at.number, 0]) * at.by_pull)

    @cached_property
    def flexibility(self) -> Array:
        """Displacement of the end per N along x, per N along y and per N·mm, for small bends, (3, 3)."""
        return self.frame.flexibility(len(self.nodes) - 1)
