"""What it takes to break welds, against what a hand, a tool and the part itself can give; the chance of each outcome."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import PEEL_SPREAD
from bouncy_latch.core.numbers import Array, cdf, normal_nodes
from bouncy_latch.core.outcomes import OUTCOMES
from bouncy_latch.core.process.profile import Process, Spread

RATTLE_GAP = 0.5
"""Printed clearance per side beyond which a joint rattles, mm (common practice, no source)."""
_Z, _WEIGHTS = normal_nodes(25)
_EDGE_SD = 0.03
PLAY_SD = 0.02
"""How much play differs from one print to the next, mm: growth does by 0.01 (common practice, no source), on both surfaces."""
HAND_FORCE = 20.0
"""What a hand gives without effort at an edge, N (common practice, no source)."""
HAND_PULL = 60.0
"""What fingers pull apart, N (common practice, no source)."""
HAND_ARM = 40.0
"""Longest arm a hand uses on a small part, mm (common practice, no source)."""
TOOL_FACTOR = 4.0
"""A blade, key or mallet against a bare hand (common practice, no source)."""


@frozen
class Strength:
    """What is available to break a weld along or about the mechanism's freedom.

    Attributes:
        hand, tool, part: what a hand gives, what a tool gives, what the weakest section survives; N·mm or N by ``unit``.
        unfelt: below this nobody notices a weld (common practice, no source).
        weakest: where the part gives way first.
    """

    hand: float
    tool: float
    part: float
    unit: str = "N·mm"
    unfelt: float = 4.0
    weakest: str = "the weakest section"

    @property
    def limits(self) -> tuple[float, float, float]:
        """What nobody feels, what a hand breaks and what a tool breaks before the part does, rising."""
        tool = min(self.tool, self.part)
        hand = min(self.hand, 0.999 * tool)
        return min(self.unfelt, 0.99 * hand), hand, tool


CURES = 6
"""Chamfers that are tried as a cure for first layers that meet: one layer, two …, fewer than so many."""
CURED, HARMLESS = 0.05, 0.01
"""A chamfer is told of where it takes away so much of the chance to fail; it makes a foot harmless where a larger one takes
away no more than so much besides."""


@frozen
class Cure:
    """A 45° chamfer on the bed edges of both bodies, mm, and the chance to come free by hand that it brings."""

    chamfer: float
    by_hand: float

    def __str__(self) -> str:
        return f"a {self.chamfer:g} chamfer on the bed edges frees it ({100 * self.by_hand:.0f} %)"


def cure(by_hand: float, first: float, layer: float, chance: Callable[[float], float]) -> Cure | None:
    """Return the least chamfer, in whole layers, that a larger one hardly betters; None where none cures anything.

    Args:
        by_hand: the chance as it is.
        first, layer: heights of the first layer and of the others, mm.
        chance: to come free by hand with so much more chamfer on both bodies, mm.
    """
    most = chance(first + (CURES - 1) * layer)
    if most < by_hand + CURED:
        return None
    for count in range(CURES):
        chamfer = round(first + count * layer, 3)
        if (got := chance(chamfer)) >= most - HARMLESS:
            return Cure(chamfer, got)
    return None


@frozen
class Freeing:
    """The outcome of printing a joint in place.

    Attributes:
        chances: probability of each of :data:`OUTCOMES`.
        breakaway: expected moment or force to break it free at the mean growth, in the strength's unit.
        weld_area: expected weld area at the mean growth, mm².
        printed_gap: least clearance per side that is left at the mean growth, mm.
        strength: what the breakaway is compared with. name: of the pair that is hardest to free, where there are several.
        tight: chance that no play exceeds what is allowed; both: that this holds and it comes free by hand.
        cure: the bed chamfer that would free it, where first layers are what holds it.
    """

    chances: tuple[float, ...]
    breakaway: float
    weld_area: float
    printed_gap: float
    strength: Strength
    name: str = ""
    tight: float = 1.0
    both: float = 0.0
    cure: Cure | None = None

    @property
    def outcome(self) -> str:
        """The outcome to be expected: half of all prints come out no freer, and half no less free."""
        return OUTCOMES[int(np.searchsorted(np.cumsum(self.chances), 0.5 * sum(self.chances)))]

    @property
    def by_hand(self) -> float:
        """Chance that it frees by hand or better."""
        return float(sum(self.chances[2:]))

    @property
    def breaks_first(self) -> bool:
        """Whether at the mean growth the part gives way before the welds, though a tool could go on."""
        return self.strength.part < min(self.breakaway, self.strength.tool)


def nodes_of(spread: Spread) -> tuple[Array, Array]:
    """Return values and weights, both (n,), that stand for a spread (Gauss–Hermite)."""
    if spread.sd == 0:
        return np.array([spread.mean]), np.array([1.0])
    return spread.mean + spread.sd * _Z, _WEIGHTS


def growth_nodes(process: Process) -> tuple[Array, Array]:
    """Return growth values (mm per side) and their weights, both (n,), standing for the process's spread."""
    return nodes_of(process.growth)


def foot_nodes(process: Process, count: int = 9) -> tuple[Array, Array]:
    """Return ``count`` elephant feet (mm a side) and their weights, both (n,); a foot is never less than nothing.

    That feet fade by 0.35 to 0.65 from layer to layer on one printer or another (common practice, no source) moves the foot at
    which what stands on the bed square comes by hand by 0.004 at most, so one half stands for all of them.
    """
    foot = process.elephant_foot
    if foot.sd == 0:
        return np.array([foot.mean]), np.array([1.0])
    nodes, weights = normal_nodes(count)
    return np.maximum(foot.mean + foot.sd * nodes, 0.0), weights


@frozen
class Resistance:
    """What holds one pair of bodies over the nodes of what is uncertain, and what can break it.

    Attributes:
        moments: breakaway, N·mm or N, (n,). gaps: least printed clearance per side, mm, (n,).
        peeled: what first layers have of the moments, whose hold is less certain, (n,). name: what it is called.
        across: whether its play lies across the layers, where outlines and their ridges have no part in it.
    """

    moments: Array
    gaps: Array
    strength: Strength
    peeled: Array
    name: str = ""
    across: bool = False

    @property
    def nodes(self) -> Resistance:
        """The same without the last node, which stands for the mean of everything."""
        return replace(self, moments=self.moments[:-1], gaps=self.gaps[:-1], peeled=self.peeled[:-1])

    def spread(self, bond: float) -> Array:
        """Return the standard deviation of the logarithm of every moment, (n,), that of the bond strength being ``bond``."""
        return spread_with_peeling(self.moments, self.peeled, max(bond, 0.02))


def spread_with_peeling(moments: Array, peeled: Array, bond: float) -> Array:
    """Return the standard deviation of the logarithms of moments (n,) of which ``peeled`` are first layers'."""
    return np.asarray(np.hypot(bond, PEEL_SPREAD * peeled / np.maximum(moments, 1e-9)))


def hardest(held: Sequence[Resistance]) -> Resistance:
    """Return the pair whose last node is hardest to break by hand."""
    return max(held, key=lambda pair: float(pair.moments[-1]) / pair.strength.limits[1])


def tight_chances(held: Sequence[Resistance], weights: Array, spread: float, process: Process, play: float
                  ) -> tuple[Array, Array]:
    """Return the chance that no joint has more play than ``play`` (± mm), and that they come free by hand besides.

    Play is what is left between the ridges of both surfaces; where calipers know growth and ridges together, the ridges are
    the lower the more it has grown. Where moments and gaps are (k, n), so are k chances.
    """
    free, tight = np.ones(len(weights)), np.ones(len(weights))
    ridge, hangs = process.ridge, process.correlation("growth", "ridge")
    lean = hangs * ridge.sd / process.growth.sd if process.growth.sd else 0.0
    ridged = 2 * ridge.sd * math.sqrt(1 - hangs**2 if lean else 1.0)
    for pair in held:
        log_moment = np.log(np.maximum(pair.moments, 1e-9))
        free = np.minimum(free, cdf((math.log(pair.strength.limits[1]) - log_moment) / pair.spread(spread)))
        grown = ((pair.gaps @ weights)[..., None] - pair.gaps) / 2
        taken, wide = (0.0, PLAY_SD) if pair.across else (2 * (ridge.mean + lean * grown), math.hypot(PLAY_SD, ridged))
        tight = np.minimum(tight, cdf((play - pair.gaps + taken) / wide))
    return np.asarray(tight @ weights), np.asarray((free * tight) @ weights)


def outcome_chances(held: Sequence[Resistance], weights: Array, spread: float) -> Array:
    """Return the probability of each outcome, (5,), of a print in which all of some pairs must come free.

    What is uncertain is common to a print, so at every node the worst pair decides. Where moments and gaps are (k, n), so
    are k prints judged, (k, 5).

    Args:
        weights: of the nodes, (n,), sum 1.
        spread: standard deviation of the logarithm of the bond strength.
    """
    below = np.ones((3, *held[0].moments.shape))
    loose = np.zeros(held[0].moments.shape)
    for pair in held:
        log_moment = np.log(np.maximum(pair.moments, 1e-9))
        limits = np.log(pair.strength.limits)
        below = np.minimum(below, cdf(np.subtract.outer(limits, log_moment) / pair.spread(spread)))
        loose = np.maximum(loose, cdf((pair.gaps - RATTLE_GAP) / _EDGE_SD))
    unfelt, by_hand, by_tool = below @ weights
    rattles = np.minimum(unfelt, loose @ weights)
    chances = np.stack([1 - by_tool, by_tool - by_hand, by_hand - unfelt, unfelt - rattles, rattles], axis=-1)
    return np.asarray(np.clip(chances, 0.0, 1.0))
