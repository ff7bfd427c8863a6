"""A flat spiral: a strip wound from an arbor out to its anchor, and what turns it until coil lies on coil.

Coils are taken as concentric: at a way s along the strip the radius is r(s), its curvature 1/r. A couple bends every place
alike by Δκ = M/EI; coils may not come nearer than they are thick, so r² − s·t/π may not fall outwards, nor below the arbor's.
Of all shapes that obey this the strip takes the one of least energy: a packed inner part, a free part, a packed outer one.

How its outer end is held costs or gives stiffness: a compliance of the drawn centre line, in bending, says how much.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.section import Fill, Section, section
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

PLACES, BENDS = 240, 60
"""Places along the strip, and couples between nothing and solid that are worked out."""
EVEN_GAP, EVEN_STRESS = "even gap", "even stress"


@frozen
class Spiral:
    """A strip as printed.

    Attributes:
        inner, outer: radii of its centre line at arbor and anchor, mm. turns: between them as it lies free.
        thickness, width: mm. fill, modulus (MPa), poisson: of the strip. clamped: whether its outer end may not turn.
        even: whether its gaps are even, or all close at the same couple.
    """

    inner: float
    outer: float
    turns: float
    thickness: float
    width: float
    fill: Fill
    modulus: float
    poisson: float = 0.35
    clamped: bool = True
    even: bool = True

    @cached_property
    def made(self) -> Section:
        """The printed section."""
        return section(self.thickness, self.width, self.fill, self.poisson)

    @property
    def stiffness(self) -> float:
        """Couple over curvature, N·mm²."""
        return self.modulus * self.made.bending

    @cached_property
    def _drawn(self) -> tuple[Array, Array]:
        """Ways along the strip and the radii there, both (:data:`PLACES`,), mm."""
        part = np.linspace(0.0, 1.0, PLACES)
        length = math.pi * self.turns * (self.inner + self.outer)
        if self.even:
            return part * length, np.sqrt(self.inner**2 + (self.outer**2 - self.inner**2) * part)
        return self._closing_at_once(part, length)

    def _closing_at_once(self, part: Array, guess: float) -> tuple[Array, Array]:
        """Return ways and radii of a strip whose curvature is that of the packed one less the same everywhere, after one turn
        in which it leaves the arbor; the length and that difference follow from the turns and the outer radius."""
        def radii(length: float, less: float) -> Array:
            packed = np.sqrt(self.inner**2 + part * length * self.thickness / math.pi)
            leaving = np.minimum(part * length / (2 * math.pi * self.inner), 1.0)
            return np.asarray(1 / (1 / packed - less * leaving * leaving * (3 - 2 * leaving)))

        def turned(length: float, less: float) -> float:
            return float(np.trapezoid(length / radii(length, less), part)) / (2 * math.pi)

        def less_for(length: float) -> float:
            end = math.sqrt(self.inner**2 + length * self.thickness / math.pi)
            return 1 / end - 1 / self.outer

        # The further out it ends the fewer turns a length makes: both follow from one unknown.
        low, high = 0.3 * guess, 2.0 * guess
        for _ in range(60):
            middle = (low + high) / 2
            low, high = (middle, high) if turned(middle, less_for(middle)) < self.turns else (low, middle)
        length = (low + high) / 2
        if less_for(length) <= 0:
            raise SolveError(f"{self.turns:g} turns leave no gaps between {self.inner:.1f} and {self.outer:.1f} mm")
        return part * length, radii(length, less_for(length))

    @property
    def length(self) -> float:
        """Along the centre line, mm."""
        return float(self._drawn[0][-1])

    @cached_property
    def angles(self) -> Array:
        """Angles round the arbor at the places of the strip, (n,) rad, from 0."""
        return self._angles(self._drawn[1])

    def _angles(self, radii: Array) -> Array:
        way = self._drawn[0]
        steps = np.diff(way) * (1 / radii[:-1] + 1 / radii[1:]) / 2
        return np.concatenate([[0.0], np.cumsum(steps)])

    @property
    def radii(self) -> Array:
        """Radii at the places of the strip as it lies free, (n,) mm."""
        return self._drawn[1]

    @cached_property
    def least_gap(self) -> float:
        """Between coils as they lie free, mm: the least step of the radius in a turn, less the thickness."""
        angles, radii = self.angles, self.radii
        if angles[-1] <= 2 * math.pi:
            return math.inf
        further = np.interp(angles + 2 * math.pi, angles, radii)
        steps = (further - radii)[angles <= angles[-1] - 2 * math.pi + 1e-9]
        return float(steps.min()) - self.thickness

    @cached_property
    def solid_turns(self) -> float:
        """Turns from free to solid on the arbor: π·n·(d + t + n·t) = length, less the turns it has."""
        t, across = self.thickness, 2 * self.inner
        return (math.sqrt(across**2 + 4 * t * self.length / math.pi) - across) / (2 * t) - self.turns

    # -- winding -------------------------------------------------------------------------------------------------------

    def _bent(self, more: float) -> Array:
        """Return the radii (n,) under a couple that bends what is free by ``more``, 1/mm."""
        way, drawn = self._drawn
        pack = way * self.thickness / math.pi
        wanted = 1 / drawn + more
        above = np.maximum(1 / wanted**2 - pack, self.inner**2)
        # Where it falls outwards coils lie on each other: all from the place on that balances what they would rather be.
        falls = np.flatnonzero(np.diff(above) < -1e-12)
        if len(falls):
            first = int(falls[0]) + 1
            curvature = 1 / np.sqrt(above[:first, None] + pack[None, :])
            beyond = np.arange(len(way))[None, :] >= np.arange(first)[:, None]
            pull = ((curvature - wanted) * (curvature * curvature * curvature) * beyond).sum(axis=1)
            begin = int(np.flatnonzero(pull >= 0)[-1]) if (pull >= 0).any() else 0
            above[begin:] = above[begin]
        return np.asarray(np.sqrt(above + pack))

    @cached_property
    def _wound(self) -> tuple[Array, Array, Array]:
        """Turns wound (B,), the bend of what is free (B,), 1/mm, and the radii (B, n), from free to solid."""
        most = float((1 / np.sqrt(self.inner**2 + self._drawn[0] * self.thickness / math.pi) - 1 / self.radii).max())
        top = max(most, 1e-6)
        while self._turned(self._bent(top)) < 0.995 * self.solid_turns and top < 8 * most:
            top *= 1.3
        bends = top * np.linspace(0.0, 1.0, BENDS) ** 1.2
        radii = np.array([self._bent(float(bend)) for bend in bends])
        radii[0] = self.radii
        return np.array([self._turned(row) for row in radii]), bends, radii

    def _turned(self, radii: Array) -> float:
        return float(self._angles(radii)[-1] - self.angles[-1]) / (2 * math.pi)

    def wound(self, turns: Array) -> tuple[Array, Array]:
        """Return the couple, N·mm, and the greatest strain at turns (B,) from free.

        Raises:
            SolveError: when it is solid before.
        """
        known, bends, radii = self._wound
        if float(np.max(turns)) > known[-1] + 1e-6:
            raise SolveError(f"it is solid after {known[-1]:.2f} turns")
        strains = (self._surface(radii) * self._uneven).max(axis=1)
        return self.held[0] * self.stiffness * np.interp(turns, known, bends), np.interp(turns, known, strains)

    def _surface(self, radii: Array) -> Array:
        """Return the strain at the inside of the strip, under a moment that is even along it, for radii (..., n)."""
        return np.asarray((1 / radii - 1 / self.radii) * self._curved * self.thickness / 2 * self.held[0])

    @cached_property
    def _curved(self) -> Array:
        """How much more a curved strip is strained at its inside than a straight one, at its places, (n,)."""
        return np.array([beams.curved_factor(float(r), self.thickness) for r in self.radii - self.thickness / 2])

    def strained(self, turns: float) -> Array:
        """Return how strained the inside of the strip is at its places, (n,), at turns from free."""
        return self._surface(self._at(turns)) * self._uneven

    def _at(self, turns: float) -> Array:
        """Return the radii at turns from free, (n,) mm."""
        known, _, radii = self._wound
        place = float(np.interp(turns, known, np.arange(len(known))))
        low = min(int(place), len(known) - 2)
        return np.asarray(radii[low] + (place - low) * (radii[low + 1] - radii[low]))

    @cached_property
    def held(self) -> tuple[float, float]:
        """Stiffness over that of a pure couple, and the greatest moment over the couple, by how its outer end is held."""
        return self._reactions[0], float(self._uneven.max())

    @property
    def _uneven(self) -> Array:
        """Moment at every place over the couple, (n,)."""
        return self._reactions[1]

    @cached_property
    def _reactions(self) -> tuple[float, Array]:
        """Stiffness over that of a pure couple, and the moment at every place over the couple, (n,)."""
        angles, radii, way = self.angles, self.radii, self._drawn[0]
        x, y = radii * np.cos(angles), radii * np.sin(angles)
        arms = np.stack([-(y[-1] - y), x[-1] - x, np.ones_like(x)])
        weights = np.gradient(way)
        compliance = (arms * weights) @ arms.T
        moved = -np.array([-y[-1], x[-1], 1.0])
        free = 3 if self.clamped else 2
        load = np.linalg.solve(compliance[:free, :free], moved[:free])
        moments = load @ arms[:free]
        couple = float(load @ np.array([-y[-1], x[-1], 1.0])[:free])
        return abs(couple) * self.length, np.abs(moments) / abs(couple)

    def shown(self, turns: float) -> tuple[Array, Array]:
        """Return angles (n,) rad and radii (n,) mm at turns from free; the last turn leads to where its outer end is held."""
        now = self._at(turns)
        # Between two states it is turned as far as is asked, not as far as radii in between would have it.
        angles = self._angles(now)
        angles = angles * (self.angles[-1] + 2 * math.pi * turns) / angles[-1]
        back = (angles - angles[-1]) / (2 * math.pi) + 1
        lead = np.clip(back, 0.0, 1.0)
        now = now + (self.radii[-1] - now[-1]) * lead * lead * (3 - 2 * lead)
        return angles - angles[-1] + self.angles[-1], now
