"""How a printed screw runs in a printed nut: the torque that its flanks, crests and roots take, and what a hand says of it.

Faces that tilt are laid as stairs whose crests stand beyond the plane through their edges (:mod:`crests`). Crest on crest two
such faces take h·(1 − cos θ) of the clearance, on average over how their layers lie to each other less, and a nut that floats
along the axis finds that average. What presses is flattened, and rubbed down by the run: a pair
that is snug at first is easy afterwards.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property

import numpy as np

from bouncy_latch.core.errors import SolveError, UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.breakaway import HAND_FORCE, TOOL_FACTOR, nodes_of
from bouncy_latch.core.layers.crests import Faces, Plastic, crest, in_series, rubbed, shared
from bouncy_latch.core.numbers import Array, about_cdf
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
TOOTH = 1.0
"""How deep behind a flank a tooth gives, over the thread's own depth: it is a stub about as wide as deep."""
FIRST, LATER = 0.5, 1.5
"""Part of its own run that crests have slid on average in the first run and in the second one."""
_SHIFTS = np.arange(-0.5, 0.75, 0.0125)
"""Clearances by which all faces are tried further apart, mm."""
_LEAST = 1e-9


@frozen
class Pair:
    """Two faces of bolt and nut: area, mm²; arm, mm; tilt from vertical, rad; drawn clearance normal to them, mm."""

    name: str
    area: float
    arm: float
    tilt: float
    clearance: float


@frozen
class Screwed:
    """A bolt and its nut as printed on a process.

    Attributes:
        pairs: faces that meet; the first one says what is loose. radius: of the hole, mm. grip: radius at which fingers turn
        it, mm. twist: torque that shears the core, N·mm. run: how far a point of the thread slides while it is screwed on, mm.
        wall: plastic around the inner thread, mm. loose: clearance of the first pair's crests beyond which it wobbles, mm.
        worn: part of the run that crests have slid on average: in the first run, or a later one.
    """

    pairs: tuple[Pair, ...]
    radius: float
    grip: float
    twist: float
    process: Process
    run: float
    wall: float = math.inf
    loose: float = fits.LOOSE
    worn: float = FIRST

    @property
    def limits(self) -> tuple[float, float, float]:
        """Torques, N·mm: up to which it is not felt, up to which fingers turn it, and up to which a tool may."""
        hand = 2 * HAND_FORCE * self.grip
        return FREE * hand, hand, max(min(TOOL_FACTOR * hand, TWISTS * self.twist), 1.01 * hand)

    @cached_property
    def later(self) -> Screwed:
        """The same pair in its second run."""
        return replace(self, worn=LATER)

    def left(self, pair: Pair, growth: Array | float) -> Array:
        """Return the clearance of a pair between the planes through its edges, normal to it, mm, at growths (mm per side)."""
        taken = (2 * np.asarray(growth, dtype=np.float64) + self._hole * self.process.hole_term.mean) * math.cos(pair.tilt)
        return np.asarray(pair.clearance - taken - 2 * self.process.flank.mean)

    def free(self, growth: Array | float) -> Array:
        """Return the clearance of the first pair beyond what its stairs take, mm, at growths (mm per side)."""
        pair = self.pairs[0]
        return np.asarray(self.left(pair, growth) - shared(pair.tilt, self.process.layer_height))

    def _floats(self, pair: Pair) -> float:
        """How much less than crest on crest the stairs of a pair take, as it floats along the axis, mm."""
        layer = self.process.layer_height
        return 2 * crest(pair.tilt, layer) - shared(pair.tilt, layer) if pair.tilt > 0 else 0.0

    @property
    def _hole(self) -> float:
        return hole_shrink(1.0, self.radius)

    @cached_property
    def _faces(self) -> tuple[Faces, ...]:
        plastic = Plastic.of(self.process)
        radial = in_series(plastic.round_wall(self.radius, self.wall), plastic.round_wall(self.radius))
        found = []
        for pair in self.pairs:
            # What presses on a slope moves the walls by its cosine, and counts by it once more along the slope's normal.
            tooth = plastic.modulus / (TOOTH * max(pair.area / (2 * math.pi * self.radius), 0.1))
            stiff = in_series(radial / math.cos(pair.tilt) ** 2, max(tooth, radial))
            tilt = round(pair.tilt, 3)
            found.append(plastic.faces((tilt, tilt), stiff))
        return tuple(found)

    def torque(self, growth: Array | float, ridge: float | None = None, shift: Array | float = 0.0) -> Array:
        """Return the torque that turns it, N·mm, at growths; ``ridge``: height of the ridges, mm (None: their mean); ``shift``:
        how much further apart all faces are, mm. The arrays must broadcast."""
        rough = fits.scatter(self.process.ridge.mean if ridge is None else ridge)
        apart = np.asarray(shift) + rubbed(self.worn * self.run)
        found = np.zeros(())
        for pair, faces in zip(self.pairs, self._faces, strict=True):
            room = self.left(pair, growth) + apart + self._floats(pair)
            pressed = faces.pressure(room, rough * math.cos(pair.tilt))
            found = found + pair.area * fits.RUBBING * pressed * pair.arm
        return np.asarray(found)

    def _margins(self, growths: Array, ridge: float | None = None, hole: float = 0.0, limits: tuple[float, ...] = ()) -> Array:
        """Return how much nearer all faces may come until each limit is reached, mm, at growths (n,), (limits, n); ``hole``: by
        how much the hole term is off its mean, mm."""
        nearer = hole * self._hole / 2
        torques = np.log(np.maximum(self.torque(growths[:, None] + nearer, ridge, _SHIFTS), _LEAST))
        found = np.empty((len(limits or self.limits), len(growths)))
        for at, row in enumerate(torques):
            found[:, at] = [-np.interp(-math.log(limit), -row, _SHIFTS) for limit in limits or self.limits]
        return found

    @cached_property
    def _weights(self) -> tuple[tuple[float, float, float], ...]:
        """How many times hole term and ridges take from what is left, and how that spreads from pair to pair, mm, by limit."""
        at, ridge, step = np.array([self.process.growth.mean]), self.process.ridge.mean, 0.005
        here = self._margins(at)[:, 0]
        hole = (here - self._margins(at, hole=step)[:, 0]) / step
        rough = (here - self._margins(at, ridge + step)[:, 0]) / step
        harder = self._margins(at, limits=tuple(1.2 * limit for limit in self.limits))[:, 0]
        spread = np.hypot(SPREAD * (harder - here) / math.log(1.2), WANDERS)
        return tuple(zip(hole.tolist(), rough.tolist(), spread.tolist(), strict=True))

    def chances(self, growths: Array, weights: Array | None = None) -> Array:
        """Return the chances of every outcome at growths (n,), (n, 5), or over their ``weights``, (5,)."""
        found = self._outcomes(growths)[:, 0]
        return np.asarray(found if weights is None else weights @ found)

    def by_flank(self, growths: Array, flanks: Array) -> Array:
        """Return the chances of every outcome at growths (n,) and flank terms (f,) or (n, f), (n, f, 5)."""
        return self._outcomes(growths, flanks)

    def _outcomes(self, growths: Array, flanks: Array | None = None) -> Array:
        growths = np.asarray(growths, dtype=np.float64)
        known = {} if flanks is None else {"flank": np.atleast_2d(flanks)}
        below = []
        for margins, (hole, ridge, spread) in zip(self._margins(growths), self._weights, strict=True):
            taken, left = fits.Taken.of(self.process, {"hole_term": hole, "ridge": ridge, "flank": 2.0}).given(
                growth=growths[:, None], **known)
            below.append(about_cdf((margins[:, None] - taken) / math.hypot(left, spread)))
        free, hand, tool = np.maximum.accumulate(below)
        first = self.pairs[0]
        taken, left = fits.Taken.of(self.process, {
            "hole_term": self._hole * math.cos(first.tilt), "flank": 2.0}).given(growth=growths[:, None], **known)
        loose = (self.free(growths)[:, None] - self.loose - taken) / math.hypot(left, WANDERS)
        wobbles = np.minimum(about_cdf(loose), free)
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
    if crest <= minor:
        raise SolveError(f"an offset of {offset:g} leaves no overlap of the two threads")
    flank = (crest - minor) / math.cos(form.half_angle)
    ridge = max(form.width(crest, offset), 0.02)
    groove = max(form.pitch - form.width(minor, -gap), 0.02)
    return (Pair("flanks", 4 * math.pi * form.middle * flank * pitches, form.middle, form.overhang, offset + gap),
            Pair("crests", 2 * math.pi * crest * ridge * pitches, crest, 0.0, major - crest),
            Pair("roots", 2 * math.pi * root * groove * pitches, root, 0.0, minor - root))


def run_of(form: Form, turns: float) -> float:
    """Return how far a point of a thread slides while all of it is screwed on, mm."""
    return 2 * math.pi * form.middle * turns


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
    turns = NUT * form.diameter / form.pitch
    pairs = pairs_of(form, offset, 0.0, turns)
    root = form.radii(offset)[0] + process.growth.mean
    try:
        twist = SHEAR * process.plastic.across * math.pi * root**3 / 2
    except UserError:
        twist = math.inf  # a material nothing is known of: a tool may not shear it, for all that is known
    wall = nut.flats_max / 2 - form.radii(0.0)[1]
    return Screwed(pairs, form.middle, nut.flats_max / 2, twist, process, run_of(form, turns), wall, wobbles_from(form))
