"""What an outcome of a print says about the printer: its chance over growth and weld strength, whatever was printed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property, reduce

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import RATTLE_GAP, Strength, foot_nodes, nodes_of, spread_with_peeling
from bouncy_latch.core.layers.facing import parted_moments
from bouncy_latch.core.layers.joint import Joint
from bouncy_latch.core.numbers import Array, cdf
from bouncy_latch.core.outcomes import IN_PLACE, Scale
from bouncy_latch.core.process.profile import Process, Spread

RESIDUAL = 0.15
"""Spread of the logarithm of the bond from one print to the next on one printer (common practice, no source)."""
RATTLE_SD = 0.04
_FEET, _SAME = 3, 0.15
"""Elephant feet that stand for their spread, and the logarithm by which breakaways must differ for a foot to count."""
TABLE = np.linspace(-0.4, 0.7, 111)
"""Growths at which a breakaway is tabulated, mm per side."""


@frozen
class Row:
    """A pair of bodies as outcomes see it.

    Attributes:
        log_moments: log breakaway over :data:`TABLE` at the process's own bond, (n,). spread: of it, from print to print (n,).
        limits: logarithms of what is unfelt, what a hand and what a tool can break. least: drawn gap, mm per side. across:
        whether it lies across the layers, where no outline's growth comes between.
    """

    log_moments: Array
    spread: Array
    limits: Array
    least: float
    across: bool = False

    def rattles(self, growths: Array) -> Array:
        """Return the chance that so much is left of its gap that it rattles, at some growths (mm per side)."""
        return cdf((self.least - 2 * growths * (not self.across) - RATTLE_GAP) / RATTLE_SD)


class Likelihood:
    """Chances of outcomes over growth and weld strength; the base of what kinds give."""

    scale: Scale = IN_PLACE

    def chances(self, growths: Array, factors: Array) -> Array:
        """Return the chance of every outcome at every growth (mm per side) and weld factor (a logarithm), (G, W, outcomes)."""
        raise NotImplementedError

    def chance_of(self, outcome: int, growths: Array, factors: Array) -> Array:
        """Return the chance of one outcome, by its place on the scale, (G, W)."""
        return np.asarray(self.chances(growths, factors)[:, :, outcome])


@frozen
class OfGrowth(Likelihood):
    """Outcomes that no weld has a part in: ``at`` gives their chances at growths (G,), (G, outcomes)."""

    at: Callable[[Array], Array]
    scale: Scale

    def chances(self, growths: Array, factors: Array) -> Array:
        """Return the chance of every outcome at every growth, the same for all weld factors, (G, W, outcomes)."""
        found = self.at(np.asarray(growths, dtype=np.float64))
        return np.repeat(found[:, None, :], len(factors), axis=1)


@frozen
class OfTerm(Likelihood):
    """Outcomes that growth and one more number of a process decide, and no weld has a part in.

    Attributes:
        name: of that number, a :class:`Spread` of the process. spread: what is known of it.
        at: their chances at growths (G,) and its values (V,), (G, V, outcomes).
    """

    name: str
    spread: Spread
    at: Callable[[Array, Array], Array]
    scale: Scale

    def chances(self, growths: Array, factors: Array) -> Array:
        """Return the chance of every outcome at every growth, the same for all weld factors, (G, W, outcomes)."""
        values, weights = nodes_of(self.spread)
        found = np.einsum("gvk,v->gk", self.at(np.asarray(growths, dtype=np.float64), values), weights)
        return np.repeat(found[:, None, :], len(factors), axis=1)


_NEEDED = ((2,), (1, 2), (0, 1), (0,), (0,))
"""Of the limits (unfelt, by hand, by tool), those that the chance of each outcome in place needs."""


@frozen
class PrintedInPlace(Likelihood):
    """Joints that must all come free: the worst one decides."""

    joints: tuple[Joint, ...]
    process: Process

    @cached_property
    def rows(self) -> tuple[tuple[float, tuple[Row, ...]], ...]:
        """The joints, tabulated for every elephant foot that may be, with its weight; one where none stands on the bed."""
        stands = any(face.foot for joint in self.joints for face in joint.faces)
        feet, weights = foot_nodes(self.process, _FEET) if stands else (np.array([self.process.elephant_foot.mean]), np.ones(1))
        found = [tuple(
            row_of(*parted_moments(joint.faces, self.process, TABLE, np.full(len(TABLE), foot)), joint.strength,
                   joint.least_gap, joint.across)
            for joint in self.joints) for foot in feet]
        middle = found[len(found) // 2]
        if all(_alike(row, other) for rows in found for row, other in zip(rows, middle, strict=True)):
            return ((1.0, middle),)
        return tuple((float(weight), rows) for weight, rows in zip(weights, found, strict=True))

    @cached_property
    def _pairs(self) -> tuple[tuple[Array, Array, Row], ...]:
        """Of every joint, for every foot over :data:`TABLE`: log breakaway, one over its spread, (F, n); and its first row."""
        return tuple((np.stack([row.log_moments for row in rows]), 1 / np.stack([row.spread for row in rows]), rows[0])
                     for rows in zip(*(rows for _, rows in self.rows), strict=True))

    def chances(self, growths: Array, factors: Array) -> Array:
        """Return the chance of every outcome, (G, W, 5)."""
        below, weights = self._below((0, 1, 2), growths, factors)
        unfelt, by_hand, by_tool = self._mean(below, weights)
        rattles = self._rattles(below[0], weights, growths)
        return np.stack([1 - by_tool, by_tool - by_hand, by_hand - unfelt, unfelt - rattles, rattles], axis=2)

    def chance_of(self, outcome: int, growths: Array, factors: Array) -> Array:
        """Return the chance of one outcome, (G, W), without working out those that it does not need."""
        below, weights = self._below(_NEEDED[outcome], growths, factors)
        if outcome >= 3:
            rattles = self._rattles(below[0], weights, growths)
            return rattles if outcome == 4 else np.asarray(self._mean(below, weights)[0] - rattles)
        means = self._mean(below, weights)
        return np.asarray(means[1] - means[0] if outcome else 1 - means[0])

    def _below(self, picked: tuple[int, ...], growths: Array, factors: Array) -> tuple[Array, Array]:
        """Return the chances that what holds stays below the picked limits (of those, F, G, W), and the feet's weights (F,)."""
        weights = np.array([weight for weight, _ in self.rows])
        each_below = []
        place = np.clip((growths - TABLE[0]) / (TABLE[1] - TABLE[0]), 0, len(TABLE) - 1.000001)
        low = place.astype(int)
        part = place - low
        for table, sharp, row in self._pairs:
            log_moment = table[:, low] * (1 - part) + table[:, low + 1] * part
            each = sharp[:, low, None]
            off = (row.limits[list(picked), None, None] - log_moment)[..., None] * each
            each_below.append(cdf(off - factors * each))
        return reduce(np.minimum, each_below), weights

    def _mean(self, below: Array, weights: Array) -> Array:
        return np.asarray(np.einsum("kfgw,f->kgw", below, weights))

    def _rattles(self, unfelt: Array, weights: Array, growths: Array) -> Array:
        """Return the chance of rattling, (G, W): one joint has play enough, and what holds is not felt (F, G, W)."""
        loose = np.max([row.rattles(growths) for _, _, row in self._pairs], axis=0)
        return np.asarray(np.einsum("fgw,f->gw", np.minimum(unfelt, loose[:, None]), weights))


def _alike(row: Row, other: Row) -> bool:
    """Whether two rows say the same as far as anybody feels: a bed chamfer makes all feet alike."""
    felt = float(row.limits[0]) - 1.0
    return bool((np.abs(np.maximum(row.log_moments, felt) - np.maximum(other.log_moments, felt)) < _SAME).all())


def row_of(above: Array, peeled: Array, strength: Strength, least: float, across: bool = False) -> Row:
    """Return what breaks a pair of bodies (over :data:`TABLE`, N·mm or N; first layers, which peel, apart) and its drawn gap,
    ``across`` the layers or not, as outcomes see them."""
    held = above + peeled
    return Row(np.log(np.maximum(held, 1e-9)), spread_with_peeling(held, peeled, RESIDUAL), np.log(strength.limits), least,
               across)


def constant(force: float, strength: Strength, least: float) -> Row:
    """Return a pair that lies across the layers, held by the same force at any growth."""
    return row_of(np.full(len(TABLE), force), np.zeros(len(TABLE)), strength, least, across=True)


def class_chances(rows: Sequence[Row], growths: Array, factors: Array) -> Array:
    """Return the chance of every outcome in place at every growth and weld factor, (G, W, 5); the worst row decides."""
    tables = []
    for row in rows:
        log_moment = np.interp(growths, TABLE, row.log_moments)[:, None] + factors[None, :]
        spread = np.interp(growths, TABLE, row.spread)[:, None]
        tables.append((cdf((row.limits[:, None, None] - log_moment[None]) / spread), row.rattles(growths)[:, None]))
    (unfelt, by_hand, by_tool), loose = tables[0]
    for below, wide in tables[1:]:
        unfelt, by_hand, by_tool = np.minimum((unfelt, by_hand, by_tool), below)
        loose = np.maximum(loose, wide)
    rattles = np.minimum(unfelt, loose)
    return np.stack([1 - by_tool, by_tool - by_hand, by_hand - unfelt, unfelt - rattles, rattles], axis=2)
