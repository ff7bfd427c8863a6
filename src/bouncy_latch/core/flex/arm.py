"""A printed arm that bends: taper, root fillet, soft host, printed section, straight or folded back on itself in a U.

The arm runs along +x from its root at x = 0; its end node carries the catch. Lowering means moving the end towards −y.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import cached_property
from itertools import pairwise

import numpy as np

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.frame import Frame, natural_stiffness
from bouncy_latch.core.flex.host import PEAK, WALL, Grown, Web
from bouncy_latch.core.flex.section import Fill, Section, section
from bouncy_latch.core.flex.strip import AT, WEIGHTS, Looked, Strip, half_width
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

ELEMENTS = 6
BEND_ELEMENTS = 6
SPREAD, FOOT = 0.6, 0.4
"""How much of a fillet takes part in the bending, and in the foot that turns in its wall (fitted to plane-stress finite
elements for fillets of 0.1 to 0.6 thicknesses, within 3 %)."""


@frozen
class Base:
    """The first stretch of an arm, where its section is another: its length, mm, the section, and how far its outer fibres lie
    from the neutral axis, mm."""

    length: float
    made: Section
    fibre: float


@frozen
class Arm(Strip):
    """A cantilever.

    Attributes:
        length: from the root to the catch, mm. thickness: at the root, in the plane it bends in, mm. width: mm.
        taper: one of ``beams.TAPERS``. fillet: root radius, mm. fill: how it is printed. modulus: MPa. poisson: ratio.
        soft_root: whether what it grows from gives. root: what that is. web: what it turns on besides; None on a host.
        indent: how far its catch sinks into what it rides over, mm/N, which counts as if the arm shifted at its root.
        fold: inner radius of a U through which the arm comes back, mm; 0 for a straight one. back: length of the leg that
        comes back, mm.
        shape: other sections than a rectangle: (depth, width) → section and the distances of its two outer fibres from the
        neutral axis (towards −y, towards +y), mm. base: another section near the root; None for one throughout.
    """

    length: float
    thickness: float
    width: float
    fill: Fill
    modulus: float
    poisson: float = 0.35
    taper: str = beams.STRAIGHT
    fillet: float = 0.0
    soft_root: bool = True
    fold: float = 0.0
    back: float = 0.0
    shape: Callable[[float, float], tuple[Section, float, float]] | None = None
    root: Grown = WALL
    base: Base | None = None
    web: Web | None = None
    indent: float = 0.0

    @cached_property
    def _hollow(self) -> float:
        """How much more its root gives than in a solid host."""
        return self.root.softer(self.fill, self.thickness, self.size_at(0)[1])

    def grown(self, growth: float) -> Arm:
        """Return the arm as printed with its outline grown by ``growth`` mm per side."""
        web = self.web and Web(self.web.thickness + 2 * growth, self.web.slot - 2 * growth)
        return replace(self, thickness=self.thickness + 2 * growth, width=self.width, fillet=max(0.0, self.fillet - growth),
                       web=web)

    # -- geometry ----------------------------------------------------------------------------------------------------

    def size_at(self, part: float) -> tuple[float, float]:
        """Return thickness and width at ``part`` (0 root, 1 catch) of the length, fillet left out."""
        if self.taper == beams.THINNING:
            return self.thickness * (1 - (1 - beams.TIP_THICKNESS) * part), self.width
        if self.taper == beams.NARROWING:
            return self.thickness, self.width * (1 - (1 - beams.TIP_WIDTH) * part)
        return self.thickness, self.width

    def _bulge(self, x: float) -> float:
        """What the fillet adds to the thickness on one side at x, mm."""
        r = self.fillet
        return r - math.sqrt(max(r**2 - (r - x) ** 2, 0.0)) if x < r else 0.0

    def _at(self, x: float, plain: bool = False) -> tuple[Section, float, float]:
        """Section, lower and upper fibre distance at x mm along a straight arm; ``plain`` leaves the fillet out."""
        if self.base is not None and x < self.base.length:
            return self.base.made, self.base.fibre, self.base.fibre
        depth, width = self.size_at(min(1.0, x / self.length))
        if not plain:
            depth += self.root.sides * SPREAD * self._bulge(x)
        if self.shape is not None:
            return self.shape(depth, width)
        made = section(depth, width, self.fill, self.poisson)
        return made, depth / 2, depth / 2

    def section_at(self, x: float) -> Section:
        """Return the printed section x mm from the root, fillet left out."""
        return self._at(min(x, self.length), plain=True)[0]

    @property
    def areas(self) -> Array:
        """Area of the printed section in the middle of every element, mm², (m,); NaN where a fillet rounds it or another
        section begins."""
        plain = max(self.fillet, self.base.length if self.base else 0.0)
        middles = (self._stations[:-1] + self._stations[1:]) / 2
        return np.array([math.nan if x < plain else self.section_at(float(x)).area for x in middles])

    def pulled(self, x: float, off: float, strength: float) -> float:
        """Return the pull along the arm (N) that its section x mm from the root bears, acting ``off`` mm beside its axis.

        σ = F/A + F e c/I, of a rectangle F/A (1 + 6 e/t); ``strength`` in MPa.
        """
        made, low, high = self._at(min(x, self.length), plain=True)
        return strength * made.area / (1 + abs(off) * max(low, high) * made.area / made.bending)

    @property
    def lever(self) -> float:
        """How far its end sinks per turn of the end, with a force across it, mm."""
        return float(self.flexibility[1, 1] / abs(self.flexibility[2, 1]))

    def patch(self, force: float) -> float:
        """Return half the width over which faces touch, mm; see :meth:`Strip.patch`."""
        return half_width(force / self.width, self.modulus, self.poisson)

    @cached_property
    def _stations(self) -> Array:
        """Distances of the nodes along the arm, mm."""
        if self.fold > 0:
            radius = self.fold + self.thickness / 2
            legs = np.linspace(0, self.length, ELEMENTS // 2 + 1)
            turn = self.length + math.pi * radius * np.arange(1, BEND_ELEMENTS + 1) / BEND_ELEMENTS
            back = self.length + math.pi * radius + self.back * np.arange(1, ELEMENTS // 2 + 1) / (ELEMENTS // 2)
            return np.concatenate([legs, turn, back])
        root = [0.0, self.fillet] if self.fillet > 0 else [0.0]
        return np.concatenate([root[:-1], np.linspace(root[-1], self.length, ELEMENTS + 1)])

    @cached_property
    def nodes(self) -> Array:
        """Centre line, (n, 2) mm; a folded arm comes back above its first leg."""
        if self.fold <= 0:
            return np.column_stack([self._stations, np.zeros(len(self._stations))])
        radius, count = self.fold + self.thickness / 2, ELEMENTS // 2 + 1
        legs = np.column_stack([self._stations[:count], np.zeros(count)])
        angle = math.pi * np.arange(1, BEND_ELEMENTS + 1) / BEND_ELEMENTS
        turn = np.column_stack([self.length + radius * np.sin(angle), radius - radius * np.cos(angle)])
        back = np.column_stack([self.length - self.back * np.arange(1, count) / (count - 1), np.full(count - 1, 2 * radius)])
        return np.vstack([legs, turn, back])

    @cached_property
    def frame(self) -> Frame:
        """The arm as a frame, held at its root."""
        found, stations = [], self._stations
        plain = self._at(self.length / 2, plain=True)[0]
        softness = plain.softness(max(self.length, self.thickness), self.poisson) / self.modulus
        for start, end in pairwise(stations):
            axial, bending = [], []
            for part in AT:
                x = start + part * (end - start)
                made = self._at(min(x, self.length) if self.fold > 0 else x)[0]
                axial.append(self.modulus * made.area)
                bending.append(self.modulus * made.bending)
            found.append((np.array(axial), np.array(bending)))
        nodes = self.nodes
        lengths = np.hypot(*np.diff(nodes, axis=0).T)
        stiffness = np.array([natural_stiffness(float(length), axial, bending, np.full(3, softness), AT, WEIGHTS)
                              for length, (axial, bending) in zip(lengths, found, strict=True)])
        fixed = np.zeros((len(nodes), 3), dtype=bool)
        springs = np.zeros((len(nodes), 3))
        fixed[0, 0] = True
        if self.soft_root:
            made = self._at(0.0, plain=True)[0]
            # A curved section is as deep as the rectangle that bends as much over the same area.
            depth = self.thickness if self.shape is None else math.sqrt(12 * made.bending / made.area)
            foot, width = depth + self.root.sides * FOOT * self.fillet, self.size_at(0)[1]
            turns = beams.root_rotation(foot, width, self.modulus) * self.root.turns * self._hollow
            if self.web is not None:
                turns += self.web.turns(self.thickness, self.length) / (self.modulus * width)
            springs[0, 2] = 1 / turns
            shifts = self.root.shifts * self._hollow / (self.modulus * width) + self.indent
            fixed[0, 1] = shifts == 0
            springs[0, 1] = 0.0 if fixed[0, 1] else 1 / shifts
        else:
            fixed[0, 1:] = True
        ends = np.column_stack([np.arange(len(nodes) - 1), np.arange(1, len(nodes))])
        return Frame(nodes, ends, stiffness, fixed, springs)

    @cached_property
    def looked_at(self) -> Looked:
        """Where strain is looked at; where the fillet ends, its concentration included."""
        concentration = beams.fillet_factor(self.fillet, self.thickness) * self.root.peak * self._hollow**PEAK
        rows = []
        if self.web is not None:
            rows.append((0, 0.0, 0.0, self.web.strain(self.length) / (self.modulus * self.width), 0.0))
        for number, (start, end) in enumerate(pairwise(self._stations)):
            for part in (0.0, 0.5, 1.0):
                x = start + part * (end - start)
                if x < self.fillet - 1e-9:
                    continue
                made, low, high = self._at(min(x, self.length) if self.fold > 0 else x, plain=True)
                by_moment = max(low, high) / (self.modulus * made.bending)
                if abs(x - self.fillet) < 1e-9:
                    by_moment *= concentration
                if self.fold > 0 and self.length < x < self.length + math.pi * (self.fold + self.thickness / 2):
                    by_moment *= beams.curved_factor(self.fold, self.thickness)
                rows.append((number, part, x, by_moment, 1 / (self.modulus * made.area)))
        return Looked.of(rows)


def refuse_short(arm: Arm, field: str) -> None:
    """Raise one sentence for an arm shorter than one and a half thicknesses; ``field``: what makes it longer."""
    least = 1.5 * arm.thickness
    if arm.length < least and arm.fold <= 0:
        raise SolveError(f"an arm {arm.length:g} mm long and {arm.thickness:.2f} thick is a stub, not a spring; from "
                         f"{least:.1f} mm on it bends, or fold it back in a U", field=field, value=arm.length, limit=least)
