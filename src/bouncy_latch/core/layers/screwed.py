"""How a printed screw runs in a printed nut: the torque that its flanks, crests and roots take, and what a hand says of it.

Faces that tilt are laid as stairs. A bead's side is round, so a flank at θ from vertical in layers h has ridges that stand
h/2·(1 − cos θ) out of the mean plane through the beads' edges and valleys behind them: its mean and its scatter are those of
that outline (exact, of half circles). What two such faces take to slide is what :mod:`fits` says of their scatter together.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.breakaway import HAND_FORCE, TOOL_FACTOR, nodes_of
from bouncy_latch.core.numbers import Array, cdf, normal_nodes
from bouncy_latch.core.process.profile import Process, hole_shrink

FREE = 0.1
"""Part of what two fingers give that is not felt any more (common practice, no source)."""
TWISTS = 0.6
"""Part of the torque that shears a core which a user still dares to put on it (common practice, no source)."""
SPREAD = 0.4
"""Of the logarithm of the torque from pair to pair (common practice, no source)."""
WANDERS = 0.02
"""Spread of a mean clearance from pair to pair, mm (common practice, no source)."""
_HOLES, _HOLE_WEIGHTS = normal_nodes(5)
_SAMPLES = 64


@dataclass(frozen=True)
class Pair:
    """Two faces of bolt and nut: area, mm²; arm, mm; tilt from vertical, rad; drawn clearance normal to them, mm."""

    name: str
    area: float
    arm: float
    tilt: float
    clearance: float


@lru_cache(maxsize=256)
def stairs(tilt: float, layer: float) -> tuple[float, float]:
    """Return how far the mean of a face laid in layers lies behind the plane through its beads' edges, and its scatter about
    that mean, both normal to the face, mm; ``tilt`` from vertical, rad."""
    z = (np.arange(_SAMPLES) + 0.5) / _SAMPLES * layer - layer / 2
    side = z * math.tan(tilt) - (layer / 2 - np.sqrt((layer / 2) ** 2 - z**2))
    return float(-side.mean() * math.cos(tilt)), float(side.std() * math.cos(tilt))


@dataclass(frozen=True)
class Screwed:
    """A bolt and its nut as printed on a process.

    Attributes:
        pairs: faces that meet; the first one says what is loose. radius: of the hole, mm. grip: radius at which fingers turn
        it, mm. twist: torque that shears the core, N·mm. loose: mean clearance of the first pair beyond which it wobbles, mm.
    """

    pairs: tuple[Pair, ...]
    radius: float
    grip: float
    twist: float
    process: Process
    loose: float = fits.LOOSE

    @property
    def limits(self) -> tuple[float, float, float]:
        """Torques, N·mm: up to which it is not felt, up to which fingers turn it, and up to which a tool may."""
        hand = 2 * HAND_FORCE * self.grip
        return FREE * hand, hand, max(min(TOOL_FACTOR * hand, TWISTS * self.twist), 1.01 * hand)

    def left(self, pair: Pair, growth: Array | float, hole: float | None = None) -> Array:
        """Return the mean clearance of a pair after growth (mm per side), normal to it, mm; ``hole``: the hole term."""
        term = self.process.hole_term.mean if hole is None else hole
        across = math.cos(pair.tilt)
        behind, _ = stairs(round(pair.tilt, 4), self.process.layer_height) if pair.tilt > 0 else (0.0, 0.0)
        taken = (2 * np.asarray(growth, dtype=np.float64) + hole_shrink(term, self.radius)) * across
        return np.asarray(pair.clearance - taken + 2 * behind)

    def torque(self, growth: Array, rough: float, hole: float | None = None) -> Array:
        """Return the torque that turns it, N·mm, at growths (n,); ``rough``: scatter of two upright faces together, mm."""
        found = np.zeros(np.shape(growth))
        for pair in self.pairs:
            steps = stairs(round(pair.tilt, 4), self.process.layer_height)[1] if pair.tilt > 0 else 0.0
            scatter = math.hypot(rough, math.sqrt(2) * steps)
            found = found + pair.area / 100 * fits.push(self.left(pair, growth, hole), scatter) * pair.arm
        return found

    def chances(self, growths: Array, weights: Array | None = None) -> Array:
        """Return the chances of every outcome at growths (n,), (n, 5), or over their ``weights``, (5,)."""
        term = self.process.hole_term
        holes = np.maximum(term.mean + term.sd * _HOLES, 0.0)
        below, wobbles = np.zeros((3, len(growths))), np.zeros(len(growths))
        for rough, share in zip(*fits.rough_nodes(self.process), strict=True):
            for hole, part in zip(holes, _HOLE_WEIGHTS, strict=True):
                torque = np.maximum(self.torque(growths, rough, float(hole)), 1e-6)
                below += share * part * np.stack([cdf(np.log(limit / torque) / SPREAD) for limit in self.limits])
                clear = self.left(self.pairs[0], growths, float(hole))
                wobbles += share * part * cdf((clear - self.loose) / WANDERS)
        free, hand, tool = below
        wobbles = np.minimum(wobbles, free)
        found = np.stack([1 - tool, tool - hand, hand - free, free - wobbles, wobbles], axis=1)
        return found if weights is None else weights @ found

    @property
    def spread(self) -> Array:
        """Chances of every outcome over the process's spread of growth, (5,)."""
        return self.chances(*nodes_of(self.process.growth))
