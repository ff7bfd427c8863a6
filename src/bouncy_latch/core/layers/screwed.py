"""How a printed screw runs in a printed nut: the torque that its flanks, crests and roots take, and what a hand says of it.

Faces that tilt are laid as stairs. A bead's side is round, so a flank at θ from vertical in layers h has ridges that stand
h/2·(1 − cos θ) out of the mean plane through the beads' edges and valleys behind them: its mean and its scatter are those of
that outline (exact, of half circles). What two such faces take to slide is what :mod:`fits` says of their scatter together.
"""

from __future__ import annotations

import math
from functools import cached_property, lru_cache

import numpy as np

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.breakaway import HAND_FORCE, TOOL_FACTOR, nodes_of
from bouncy_latch.core.numbers import Array, about_cdf, normal_nodes
from bouncy_latch.core.process.profile import Process, hole_shrink
from bouncy_latch.core.standards import tables
from bouncy_latch.core.standards.screw_form import Form, standard

FREE = 0.1
"""Part of what two fingers give that is not felt any more (common practice, no source)."""
TWISTS = 0.6
"""Part of the torque that shears a core which a user still dares to put on it (common practice, no source)."""
SPREAD = 0.4
"""Of the logarithm of the torque from pair to pair (common practice, no source)."""
WANDERS = 0.02
"""Spread of a mean clearance from pair to pair, mm (common practice, no source)."""
NUT = 0.8
"""Height of a nut over the diameter, as ISO 4032 has it (from memory)."""
TILT, LOOSEST = 0.05, 0.35
"""Play along the axis over the diameter (3° of tilt) from which a wide thread wobbles, and the clearance of flanks from which
any does, mm (common practice, no source)."""
SHEAR = 1 / math.sqrt(3)
"""Shear strength over tensile strength (von Mises)."""
_HOLES, _HOLE_WEIGHTS = normal_nodes(5)
_FLANKS, _FLANK_WEIGHTS = normal_nodes(3)
_SAMPLES = 64


@frozen
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


@frozen
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

    def left(self, pair: Pair, growth: Array | float, hole: Array | float | None = None,
             flank: Array | float | None = None) -> Array:
        """Return the mean clearance of a pair after growth (mm per side), normal to it, mm.

        ``hole``, ``flank``: the hole and the flank term; the process's means without. The arrays must broadcast.
        """
        term = self.process.hole_term.mean if hole is None else hole
        across = math.cos(pair.tilt)
        taken = (2 * np.asarray(growth, dtype=np.float64) + np.asarray(term) * hole_shrink(1.0, self.radius)) * across
        if pair.tilt > 0:
            behind, _ = stairs(round(pair.tilt, 4), self.process.layer_height)
            taken = taken + 2 * (np.asarray(self.process.flank.mean if flank is None else flank) - behind)
        return np.asarray(pair.clearance - taken)

    def torque(self, growth: Array, rough: Array | float, hole: Array | float | None = None,
               flank: Array | float | None = None) -> Array:
        """Return the torque that turns it, N·mm, at growths; ``rough``: scatter of two upright faces together, mm; ``hole``
        and ``flank`` as for :meth:`left`. The arrays must broadcast."""
        found = np.zeros(())
        for pair in self.pairs:
            steps = stairs(round(pair.tilt, 4), self.process.layer_height)[1] if pair.tilt > 0 else 0.0
            scatter = np.hypot(rough, math.sqrt(2) * steps)
            found = found + pair.area / 100 * fits.push(self.left(pair, growth, hole, flank), scatter) * pair.arm
        return np.asarray(found)

    def chances(self, growths: Array, weights: Array | None = None) -> Array:
        """Return the chances of every outcome at growths (n,), (n, 5), or over their ``weights``, (5,)."""
        term = self.process.flank
        found = self.by_flank(growths, term.mean + term.sd * _FLANKS)
        found = np.einsum("nfk,f->nk", found, _FLANK_WEIGHTS)
        return np.asarray(found if weights is None else weights @ found)

    def by_flank(self, growths: Array, flanks: Array) -> Array:
        """Return the chances of every outcome at growths (n,) and flank terms (f,) or (n, f), (n, f, 5)."""
        term, (roughs, shares) = self.process.hole_term, fits.rough_nodes(self.process)
        growth, flank = growths[:, None, None, None], np.atleast_2d(flanks)[:, :, None, None]
        hole = np.maximum(term.mean + term.sd * _HOLES, 0.0)[None, None, :, None]
        torque = np.maximum(self.torque(growth, np.array(roughs), hole, flank), 1e-6)
        parts = np.outer(_HOLE_WEIGHTS, shares)
        below = (about_cdf(np.log(limit / torque) / SPREAD) for limit in self.limits)
        free, hand, tool = (np.einsum("nfhr,hr->nf", each, parts) for each in below)
        clear = self.left(self.pairs[0], growth, hole, flank)
        wobbles = np.minimum(np.einsum("nfhr,h->nf", about_cdf((clear - self.loose) / WANDERS), _HOLE_WEIGHTS), free)
        return np.stack([1 - tool, tool - hand, hand - free, free - wobbles, wobbles], axis=2)

    @cached_property
    def spread(self) -> Array:
        """Chances of every outcome over the process's spread of growth, (5,)."""
        return self.chances(*nodes_of(self.process.growth))


def pairs_of(form: Form, offset: float, gap: float, pitches: float) -> tuple[Pair, ...]:
    """Return the faces that meet where the outer thread's are moved in by ``offset`` and the inner one's out by ``gap``, mm;
    ``pitches``: engaged, of all starts together.

    Raises:
        SolveError: where nothing of the thread is left.
    """
    (root, crest), (minor, major) = form.radii(offset), form.radii(-gap)
    flank = (crest - minor) / math.cos(form.half_angle)
    ridge = max(form.width(crest, offset), 0.02)
    groove = max(form.pitch - form.width(minor, -gap), 0.02)
    return (Pair("flanks", 4 * math.pi * form.middle * flank * pitches, form.middle, form.overhang, offset + gap),
            Pair("crests", 2 * math.pi * crest * ridge * pitches, crest, 0.0, major - crest),
            Pair("roots", 2 * math.pi * root * groove * pitches, root, 0.0, minor - root))


def wobbles_from(form: Form) -> float:
    """Return the clearance of the flanks beyond which a thread wobbles, mm."""
    return min(max(fits.LOOSE, TILT * form.diameter * math.cos(form.half_angle) / 2), LOOSEST)


def ordinary(size: str, offset: float, process: Process) -> Screwed:
    """Return a bolt of a named size and its nut, the bolt's faces moved in by ``offset`` mm.

    Raises:
        SolveError: where nothing of the thread is left.
    """
    row, nut = tables.threads()[size], tables.nuts()[size]
    form = standard(row.diameter, row.pitch)
    pairs = pairs_of(form, offset, 0.0, NUT * form.diameter / form.pitch)
    root = form.radii(offset)[0] + process.growth.mean
    try:
        twist = SHEAR * process.plastic.across * math.pi * root**3 / 2
    except UserError:
        twist = math.inf  # a material nothing is known of: a tool may not shear it, for all that is known
    return Screwed(pairs, form.middle, nut.flats_max / 2, twist, process, wobbles_from(form))
