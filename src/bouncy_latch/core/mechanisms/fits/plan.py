"""How a peg or plug sits in its hole as printed: the clearance left, the push that takes, what it holds, what it bursts.

The classes of fit are those of the gap chart (:mod:`bouncy_latch.core.layers.fits`): a push on 100 mm² of fit. Crush ribs of
45° are pressed flat: cut off by δ, a rib bears its hardness on a strip 2·δ wide (D. Tabor, "The Hardness of Metals", 1951, from
memory: what is cut off a wedge bears the hardness; the same hardness as that of crests,
:mod:`bouncy_latch.core.layers.crests`).
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.fits import Taken
from bouncy_latch.core.mechanisms.fits.forms import Form
from bouncy_latch.core.mechanisms.fits.sizes import PRESS, RIBBED, SLIDES, SNUG, FitParams
from bouncy_latch.core.numbers import Array, cdf, normal_nodes
from bouncy_latch.core.process.profile import Process, hole_shrink

WANDERS = 0.01
"""How far a mean surface wanders from print to print, mm (common practice, no source)."""
WANTED = {PRESS: 1, SNUG: 2, SLIDES: 3}
"""Place of each fit on the scale of what a hand feels."""
PER = 100.0
"""Area that the forces of the classes are for, mm²."""
_GROWTHS, (_RIDGES, _WEIGHTS) = normal_nodes(15), normal_nodes(5)


@frozen
class Plan:
    """A peg or plug and its hole on a printer."""

    p: FitParams
    process: Process

    @cached_property
    def form(self) -> Form:
        """Section of what goes in, as drawn."""
        return self.p.form

    @cached_property
    def hole(self) -> Form:
        """Section of the hole, as drawn."""
        return self.form.widened(self.p.clearance)

    @property
    def out(self) -> float:
        """Half the width of the part with the hole, mm."""
        return self.hole.reach + self.p.wall

    @property
    def ribbed(self) -> bool:
        """Whether the peg has crush ribs."""
        return self.p.surface == RIBBED

    @property
    def rib(self) -> float:
        """How far ribs stand out, mm; 0 without."""
        return self.p.rib if self.ribbed else 0.0

    @cached_property
    def area(self) -> float:
        """Of the fit, mm²: what lies between the lead-ins."""
        return self.form.around * self.along

    @property
    def along(self) -> float:
        """Length of the fit, mm."""
        return max(self.p.length - 2 * self.p.lead, 0.2 * self.p.length)

    @cached_property
    def curved(self) -> float:
        """How many times the hole term takes from a hole that is curved so; none where its sides are straight."""
        corner = self.hole.corner
        return hole_shrink(1.0, corner) if math.isfinite(corner) else 0.0

    # -- what push which clearance takes ---------------------------------------------------------------------------------

    def crushed(self, push: float) -> float:
        """Return how far ribs are cut off at a push, mm: push = µ·n·2·δ·L·H."""
        per_mm = fits.RUBBING * self.p.ridges * 2 * self.along * self.hard
        return push / per_mm

    @cached_property
    def hard(self) -> float:
        """What crests of its plastic bear, MPa."""
        return fits.usual(self.process).hard

    def edges(self, rough: float) -> tuple[float, float, float, float]:
        """Return the clearances left (mm per side, rising) between hammer, press, snug, slides and loose."""
        plain = fits.edges(fits.usual(self.process), rough)
        if not self.ribbed:
            return plain
        pushes = (force * self.area / PER for force in (fits.NO_HAND, fits.PRESSED, fits.FELT))
        found = [max(edge, self.rib - self.crushed(push)) for edge, push in zip(plain, pushes, strict=False)]
        return found[0], found[1], found[2], max(plain[3], found[2] + 0.05, self.rib + plain[3] - plain[2])

    def push_at(self, left: float) -> float:
        """Return the push that a clearance left (mm per side) takes, N: of the faces, and of what ribs are cut off."""
        rough = fits.scatter(self.process.ridge.mean)
        faces = fits.RUBBING * self.area * float(fits.usual(self.process).pressure(left, rough))
        over = max(self.rib - max(left, 0.0), 0.0)
        return faces + (over / self.crushed(1.0) if self.ribbed else 0.0)

    @cached_property
    def left(self) -> float:
        """Clearance left on average, mm per side."""
        return self.p.clearance - self._usual - 2 * self.process.growth.mean

    @property
    def _usual(self) -> float:
        process = self.process
        return self.curved * (process.hole_term.mean - process.peg_term.mean) + process.fit.mean

    @property
    def push(self) -> float:
        """Push of an average print, N."""
        return self.push_at(self.left)

    # -- chances -----------------------------------------------------------------------------------------------------------

    def by_fit(self, growths: Array, terms: Array) -> Array:
        """Return the chances of every outcome at growths (n,) and fit terms (v,) or (n, v), (n, v, 5)."""
        return self._outcomes(growths, terms)

    def _outcomes(self, growths: Array, terms: Array | None = None) -> Array:
        growths = np.asarray(growths, dtype=np.float64)[:, None]
        known = {} if terms is None else {"fit": np.atleast_2d(terms)}
        ridge, below = self.process.ridge, []
        faces, rough = fits.usual(self.process), fits.scatter(ridge.mean)
        own = {"hole_term": self.curved, "peg_term": -self.curved, "fit": 1.0}
        left = self.p.clearance - 2 * growths - self._usual
        rises = [fits.by_ridge(limit) for limit in fits.limits(faces, rough)]
        for edge, rise in zip(self.edges(rough), rises, strict=False):
            taken, sd = Taken.of(self.process, {**own, "ridge": 0.0 if self.ribbed else rise}).given(growth=growths, **known)
            below.append(cdf((edge - left + taken) / math.hypot(sd, WANDERS)))
        # What is loose is so by its clearance, whatever its ridges are, but for very rough ones.
        heights = ridge.mean + ridge.sd * _RIDGES
        taken, sd = Taken.of(self.process, own).given(growth=growths[..., None], ridge=heights,
                                                      **{name: each[..., None] for name, each in known.items()})
        loose = np.array([self.edges(fits.scatter(float(height)))[-1] for height in heights])
        below.append(cdf((loose - left[..., None] + taken) / math.hypot(sd, WANDERS)) @ _WEIGHTS)
        rising = np.maximum.accumulate(np.stack(below), axis=0)
        ends = np.concatenate([np.zeros((1, *rising.shape[1:])), rising, np.ones((1, *rising.shape[1:]))])
        return np.moveaxis(np.diff(ends, axis=0), 0, 2)

    @cached_property
    def spread(self) -> tuple[float, ...]:
        """Chances of every outcome over the process's growth."""
        nodes, weights = _GROWTHS
        growth = self.process.growth
        return tuple(float(part) for part in weights @ self._outcomes(growth.mean + growth.sd * nodes)[:, 0])

    @property
    def chance(self) -> float:
        """Chance of the fit that is wanted."""
        return self.spread[WANTED[self.p.fit]]

    # -- what it holds and bursts --------------------------------------------------------------------------------------------

    @property
    def held(self) -> float:
        """Pull that friction still bears after a year, N."""
        return self.push * self.process.plastic.creep

    @cached_property
    def bursts(self) -> float:
        """Greatest hoop stress in the wall round the hole, MPa: Lamé's thick ring under the pressure of the fit."""
        pressure = self.push / fits.RUBBING / self.area
        # A polygon's corners are left out: its ring is that of the circle inside it.
        inner, outer = self.hole.radius**2, (self.hole.radius + self.p.wall) ** 2
        return pressure * (outer + inner) / (outer - inner)

    @property
    def shears(self) -> float:
        """Force across it that shears it off its block, between two layers, N."""
        return self.form.area * self.process.plastic.across / math.sqrt(3)


def refuse_what_cannot_be(plan: Plan) -> None:
    """Raise one sentence for sizes that fit nothing together."""
    p, radius = plan.p, plan.form.radius
    if plan.hole.radius < 0.7:
        raise SolveError(f"a clearance of {p.clearance:g} leaves no hole for what is {2 * radius:g} mm thick",
                         field="clearance", value=p.clearance)
    if p.lead > min(0.4 * p.length, 0.6 * radius):
        most = round(min(0.4 * p.length, 0.6 * radius), 2)
        raise SolveError(f"a lead-in of {p.lead:g} mm leaves little of what is {2 * radius:g} mm thick and {p.length:g} long",
                         field="lead", value=p.lead, limit=most)
    if p.lead > 0.8 * p.wall:
        raise SolveError(f"a lead-in of {p.lead:g} mm leaves no rim on a wall of {p.wall:g}", field="lead", value=p.lead,
                         limit=round(0.8 * p.wall, 2))
    if plan.ribbed and p.ridges * 2 * p.rib > 0.8 * plan.form.around:
        raise SolveError(f"{p.ridges} ribs of {p.rib:g} mm run into each other round what is {2 * radius:g} mm thick",
                         field="rib", value=p.rib, limit=round(0.4 * plan.form.around / p.ridges, 2))
    if plan.ribbed and p.clearance <= 0:
        raise SolveError(f"with a clearance of {p.clearance:g} mm the whole face is pressed, and ribs do nothing",
                         field="clearance", value=p.clearance, limit=0.05)
