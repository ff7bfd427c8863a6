"""What an outcome of a print says about the printer: its chance over growth and weld strength, whatever was printed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property, reduce

import numpy as np
from numpy.typing import NDArray

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import RATTLE_GAP, Strength, nodes_of, spread_with_peeling
from bouncy_latch.core.layers.facing import moments
from bouncy_latch.core.layers.joint import Joint
from bouncy_latch.core.numbers import Array, about_cdf, cdf
from bouncy_latch.core.outcomes import IN_PLACE, Scale
from bouncy_latch.core.process.profile import Process, Spread

RESIDUAL = 0.15
"""Spread of the logarithm of the bond from one print to the next on one printer (common practice, no source)."""
RATTLE_SD = 0.04
_FEET, _REACH = 25, 3.0
"""Elephant feet at which a breakaway is tabulated, and to how many standard deviations of what is known of them."""
_COUNTS, _SAME, _FELT = 2.0, 0.15, 1.0
"""A foot counts where one so many standard deviations off changes the logarithm of a breakaway by so much, be that no further
below what is felt or above what a tool breaks than so much."""
FOOT = "elephant_foot"
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
    """Chances of outcomes over growth and weld strength; the base of what kinds give.

    Some depend on one number more of a process, a :class:`Spread`: ``term`` is its name, empty where none counts.
    """

    scale: Scale = IN_PLACE

    @property
    def term(self) -> str:
        """The number besides growth and weld factor on which its outcomes depend; empty for none."""
        return ""

    def chances(self, growths: Array, factors: Array) -> Array:
        """Return the chance of every outcome at every growth (mm per side) and weld factor (a logarithm), (G, W, outcomes)."""
        raise NotImplementedError

    def chance_of(self, outcome: int, growths: Array, factors: Array) -> Array:
        """Return the chance of one outcome, by its place on the scale, (G, W)."""
        return np.asarray(self.chances(growths, factors)[:, :, outcome])

    def chance_given(self, outcome: int, growths: Array, factors: Array, values: Array) -> Array:
        """Return the chance of one outcome at every growth and ``values`` (G, V) of its term there, (G, V, W or 1)."""
        raise NotImplementedError


@frozen
class OfTerm(Likelihood):
    """Outcomes that growth and one more number of a process decide, and no weld has a part in.

    Attributes:
        name: of that number. spread: what is known of it.
        at: their chances at growths (G,) and its values, (V,) or (G, V), (G, V, outcomes).
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

    @property
    def term(self) -> str:
        """Its name."""
        return self.name

    def chance_given(self, outcome: int, growths: Array, factors: Array, values: Array) -> Array:
        """Return the chance of one outcome at every growth and its values (G, V) there, (G, V, 1)."""
        return self.at(growths, values)[:, :, outcome, None]


_NEEDED = ((2,), (1, 2), (0, 1), (0,), (0,))
"""Of the limits (unfelt, by hand, by tool), those that the chance of each outcome in place needs."""


@frozen
class PrintedInPlace(Likelihood):
    """Joints that must all come free: the worst one decides."""

    joints: tuple[Joint, ...]
    process: Process

    @cached_property
    def rows(self) -> tuple[tuple[float, tuple[Row, ...]], ...]:
        """The joints, tabulated for rising elephant feet (mm a side); for one where none counts."""
        foot = self.process.elephant_foot
        if not foot.sd or not any(face.foot for joint in self.joints for face in joint.faces):
            return self._tabulated(np.array([foot.mean]))
        near = self._tabulated(np.maximum(foot.mean + foot.sd * np.array([-_COUNTS, 0.0, _COUNTS]), 0.0))
        middle = near[1][1]
        if all(_alike(row, other) for _, rows in near for row, other in zip(rows, middle, strict=True)):
            return (near[1],)
        return self._tabulated(np.linspace(max(foot.mean - _REACH * foot.sd, 0.0), foot.mean + _REACH * foot.sd, _FEET))

    def _tabulated(self, feet: Array) -> tuple[tuple[float, tuple[Row, ...]], ...]:
        rows = []
        for joint in self.joints:
            standing = [face for face in joint.faces if face.foot]
            above = moments([face for face in joint.faces if not face.foot], self.process, TABLE)
            peeled = (moments(standing, self.process, np.tile(TABLE, len(feet)), np.repeat(feet, len(TABLE)))
                      if standing else np.zeros(len(feet) * len(TABLE))).reshape(len(feet), -1)
            rows.append([row_of(above, each, joint.strength, joint.least_gap, joint.across) for each in peeled])
        return tuple((float(foot), own) for foot, own in zip(feet, zip(*rows, strict=True), strict=True))

    @cached_property
    def _feet(self) -> Array:
        """The feet of the rows, (F,)."""
        return np.array([foot for foot, _ in self.rows])

    @cached_property
    def _pairs(self) -> tuple[tuple[Array, Array, Row], ...]:
        """Of every joint, for every foot over :data:`TABLE`: log breakaway, one over its spread, (F, n); and its first row."""
        return tuple((np.stack([row.log_moments for row in rows]), 1 / np.stack([row.spread for row in rows]), rows[0])
                     for rows in zip(*(rows for _, rows in self.rows), strict=True))

    @property
    def term(self) -> str:
        """The elephant foot where it counts."""
        return FOOT if len(self.rows) > 1 else ""

    def chances(self, growths: Array, factors: Array) -> Array:
        """Return the chance of every outcome, (G, W, 5)."""
        return np.stack([self.chance_of(outcome, growths, factors) for outcome in range(len(_NEEDED))], axis=2)

    def chance_of(self, outcome: int, growths: Array, factors: Array) -> Array:
        """Return the chance of one outcome, (G, W), without working out what it does not need."""
        foot = self.process.elephant_foot
        values, weights = nodes_of(foot) if self.term else (self._feet, np.ones(1))
        return np.asarray(np.einsum("gvw,v->gw", self.chance_given(outcome, growths, factors, values[None, :]), weights))

    def chance_given(self, outcome: int, growths: Array, factors: Array, values: Array) -> Array:
        """Return the chance of one outcome at every growth and elephant foot (G or 1, V) there, mm, (G, V, W)."""
        below = self._below(_NEEDED[outcome], growths, factors, values)
        if outcome < 3:
            return np.asarray(below[1] - below[0] if outcome else 1 - below[0])
        loose = np.max([row.rattles(growths) for _, _, row in self._pairs], axis=0)
        rattles = np.minimum(below[0], loose[:, None, None])
        return np.asarray(rattles if outcome == 4 else below[0] - rattles)

    def _below(self, picked: tuple[int, ...], growths: Array, factors: Array, feet: Array) -> Array:
        """Return the chances that what holds stays below the picked limits, (of those, G, V, W), at feet (G or 1, V)."""
        low, part = _between(growths, TABLE)
        first, share = _between(feet, self._feet) if self.term else (0, 0.0)
        each_below = []
        for table, sharp, row in self._pairs:
            # First between growths, for every foot of the table, then between feet.
            log_moment = _mixed(table[:, low] * (1 - part) + table[:, low + 1] * part, first, share)
            each = _mixed(sharp[:, low], first, share)[..., None]
            off = (row.limits[list(picked), None, None] - log_moment)[..., None] - factors
            off *= each
            each_below.append(about_cdf(off))
        return reduce(np.minimum, each_below)


def _mixed(table: Array, first: NDArray[np.int64] | int, share: Array | float) -> Array:
    """Return what a table (F, G) says at places between its feet, (G, V), for :func:`_between` of them (G or 1, V); (G, 1) for
    the first one."""
    if isinstance(first, int):
        return np.asarray(table[first][:, None])
    across = np.arange(table.shape[1])[:, None]
    return np.asarray(table[first, across] * (1 - share) + table[first + 1, across] * share)


def _between(values: Array, table: Array) -> tuple[NDArray[np.int64], Array]:
    """Return the place in an even rising table below every value, and how far on to the next one it lies, 0 to 1."""
    place = np.minimum(np.maximum((values - table[0]) / (table[1] - table[0]), 0.0), len(table) - 1.000001)
    low = place.astype(np.int64)
    return low, place - low


def _alike(row: Row, other: Row) -> bool:
    """Whether two rows say the same as far as anybody feels: a bed chamfer makes all feet alike."""
    least, most = float(row.limits[0]) - _FELT, float(row.limits[2]) + _FELT
    off = np.minimum(np.maximum(row.log_moments, least), most) - np.minimum(np.maximum(other.log_moments, least), most)
    return bool((np.abs(off) < _SAME).all())


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
