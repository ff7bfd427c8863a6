"""Half of an open ring that is held at its back and opens like a bow: what carries the nose of a clip round a tube.

The ring's axis is the origin, its mouth towards +x. The half below y = 0 is followed from its back at x < 0 round to its nose;
angles are from the back. Lowering its end, towards −y, opens it. Its surface is strained as a curved bar's: at the inside by
Winkler–Bach's factor.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np

from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.frame import Frame, natural_stiffness
from bouncy_latch.core.flex.section import Fill, Section, section
from bouncy_latch.core.flex.strip import AT, WEIGHTS, Looked, Strip, half_width
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

ELEMENTS = 9
SOFT, INTO, PEAK = 0.72, 0.6, 1.02
"""By how many thicknesses the ring goes on bending inside the foot it grows out of, at most this part of the way to the middle
of its back; and how much higher strain peaks at the fillet there than at a wide wall (fitted to plane-stress finite elements of
rings with t/r_i 0.12 to 0.4 on feet from a fifth to nine tenths of their width: stiffness within 5 %, strain
within 5 %, of the narrowest 10 % high)."""


@frozen
class Hoop(Strip):
    """Half an open ring.

    Attributes:
        inner: radius inside, mm. thickness: mm. width: along the axis, mm. begins, ends: where it leaves its foot and where its
        nose is, rad from the back. fillet: radius between its outside and the foot, mm. fill, modulus, poisson: as of an arm.
    """

    inner: float
    thickness: float
    width: float
    begins: float
    ends: float
    fillet: float
    fill: Fill
    modulus: float
    poisson: float = 0.35

    @property
    def middle(self) -> float:
        """Radius of the centre line, mm."""
        return self.inner + self.thickness / 2

    def patch(self, force: float) -> float:
        """Return half the width over which faces touch, mm; see :meth:`Strip.patch`."""
        return half_width(force / self.width, self.modulus, self.poisson)

    @cached_property
    def held(self) -> float:
        """Where it no longer bends, rad from the back."""
        return self.begins - min(SOFT * self.thickness / self.middle, INTO * self.begins)

    @cached_property
    def made(self) -> Section:
        """The printed section."""
        return section(self.thickness, self.width, self.fill, self.poisson)

    @property
    def areas(self) -> Array:
        """Area of the printed section in the middle of every element, mm², (m,); NaN inside the foot."""
        return np.where(np.arange(ELEMENTS + 1) < 2, np.nan, self.made.area)

    @cached_property
    def _angles(self) -> Array:
        return np.append(self.held, np.linspace(self.begins, self.ends, ELEMENTS + 1))

    @cached_property
    def nodes(self) -> Array:
        """Centre line, (n, 2) mm."""
        return self.middle * np.column_stack([-np.cos(self._angles), -np.sin(self._angles)])

    @cached_property
    def frame(self) -> Frame:
        """It as a frame, held inside its foot."""
        made, nodes = self.made, self.nodes
        softness = made.softness(self.middle * (self.ends - self.held), self.poisson) / self.modulus
        # Straight elements cut the arc's corners; what bends is as long as the arc.
        lengths = self.middle * np.diff(self._angles)
        axial, bending, shear = (np.full(len(AT), value) for value in (self.modulus * made.area, self.modulus * made.bending,
                                                                       softness))
        stiffness = np.array([natural_stiffness(float(length), axial, bending, shear, AT, WEIGHTS) for length in lengths])
        fixed = np.zeros((len(nodes), 3), dtype=bool)
        fixed[0] = True
        ends = np.column_stack([np.arange(len(nodes) - 1), np.arange(1, len(nodes))])
        return Frame(nodes, ends, stiffness, fixed, np.zeros((len(nodes), 3)))

    @property
    def factor(self) -> float:
        """Stress at the inside of the curved wall over that of a straight one."""
        return beams.curved_factor(self.inner, self.thickness)

    @property
    def at_foot(self) -> float:
        """Stress at the fillet of the foot, outside, over that of a straight bar."""
        return beams.fillet_factor(self.fillet, self.thickness) * PEAK

    @cached_property
    def looked_at(self) -> Looked:
        """Ends of every element outside the foot: its inside everywhere, the fillet where it begins."""
        plain, by_pull = self.thickness / 2 / (self.modulus * self.made.bending), 1 / (self.modulus * self.made.area)
        rows = []
        for number, angle in enumerate(self._angles[:-1]):
            if angle >= self.begins - 1e-9:
                factor = max(self.factor, self.at_foot) if angle <= self.begins + 1e-9 else self.factor
                rows.append((number, 0.0, self.middle * (float(angle) - self.begins), plain * factor, by_pull))
        return Looked.of(rows)

    def pulled(self, nose: tuple[float, float], strength: float) -> float:
        """Return the pull along x (N) at a point of its end, ``nose`` mm from its last node, that its wall bears, MPa given."""
        loads = np.zeros((1, len(self.nodes), 3))
        tiny = 1e-3
        loads[0, -1] = tiny, 0.0, -tiny * nose[1]
        return strength * tiny / (self.modulus * float(self.strains(self.frame.loaded(loads)).max()))
