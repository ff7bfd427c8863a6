"""What it takes to break welds, against what a hand, a tool and the part itself can give; the chance of each outcome."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.normal import cdf
from bouncy_latch.core.process.outcomes import OUTCOMES
from bouncy_latch.core.process.profile import Process, Spread

Array = npt.NDArray[np.float64]
Vector = tuple[float, float, float]

RATTLE_GAP = 0.5
"""Printed clearance per side beyond which a joint rattles, mm (common practice, no source)."""
_Z, _WEIGHTS = np.polynomial.hermite_e.hermegauss(25)
_WEIGHTS = _WEIGHTS / _WEIGHTS.sum()
_EDGE_SD = 0.03
HAND_FORCE = 20.0
"""What a hand gives without effort at an edge, N (common practice, no source)."""
HAND_PULL = 60.0
"""What fingers pull apart, N (common practice, no source)."""
HAND_ARM = 40.0
"""Longest arm a hand uses on a small part, mm (common practice, no source)."""
TOOL_FACTOR = 4.0
"""A blade, key or mallet against a bare hand (common practice, no source)."""


@dataclass(frozen=True)
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


@dataclass(frozen=True)
class Freedom:
    """How two bodies are meant to move: ``turn`` about a line, ``slide`` along it, or just come ``apart``.

    Attributes:
        point, direction: a point of the line (mm) and its unit direction.
    """

    kind: str
    point: Vector = (0.0, 0.0, 0.0)
    direction: Vector = (0.0, 0.0, 1.0)

    @property
    def unit(self) -> str:
        """Unit of what breaks a weld free."""
        return "N·mm" if self.kind == "turn" else "N"

    def arm(self, point: Vector) -> float:
        """Return the lever of a weld at ``point``, mm; 1 where a force breaks it."""
        if self.kind != "turn":
            return 1.0
        out = np.subtract(point, self.point)
        along = float(out @ np.array(self.direction))
        return math.sqrt(max(float(out @ out) - along**2, 0.0))


@dataclass(frozen=True)
class Freeing:
    """The outcome of printing a joint in place.

    Attributes:
        chances: probability of each of :data:`OUTCOMES`.
        breakaway: expected moment or force to break it free at the mean growth, in the strength's unit.
        weld_area: expected weld area at the mean growth, mm².
        printed_gap: least clearance per side that is left at the mean growth, mm.
        strength: what the breakaway is compared with.
    """

    chances: tuple[float, ...]
    breakaway: float
    weld_area: float
    printed_gap: float
    strength: Strength

    @property
    def outcome(self) -> str:
        """The likeliest outcome; the less free of two equal ones."""
        return OUTCOMES[int(np.argmax(self.chances))]

    @property
    def by_hand(self) -> float:
        """Chance that it frees by hand or better."""
        return float(sum(self.chances[2:]))

    @property
    def good(self) -> float:
        """Chance that it frees by hand or is free, without rattling."""
        return self.chances[2] + self.chances[3]

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


def outcome_chances(moments: Array, weights: Array, least_gap: Array, strength: Strength, spread: float) -> tuple[float, ...]:
    """Return the probability of each outcome.

    Args:
        moments: breakaway (N·mm or N) at each node, (n,); weights: of the nodes, (n,), sum 1.
        least_gap: least printed clearance per side at each node, mm, (n,).
        spread: standard deviation of the logarithm of the bond strength.
    """
    tool = min(strength.tool, strength.part)
    hand = min(strength.hand, 0.999 * tool)
    log_moment = np.log(np.maximum(moments, 1e-9))
    spread = max(spread, 0.02)

    def below(limit: float) -> float:
        return float(weights @ cdf((math.log(limit) - log_moment) / spread))

    unfelt, by_hand, by_tool = below(min(strength.unfelt, 0.99 * hand)), below(hand), below(tool)
    loose = float(weights @ cdf((least_gap - RATTLE_GAP) / _EDGE_SD))
    rattles = min(unfelt, loose)
    chances = (1 - by_tool, by_tool - by_hand, by_hand - unfelt, unfelt - rattles, rattles)
    return tuple(min(1.0, max(0.0, c)) for c in chances)
