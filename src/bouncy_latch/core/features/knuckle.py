"""The shape of one hinge knuckle seen along its axis: barrel, tangent web, and the relief the other leaf needs.

Plane coordinates (u, v) have the axis at the origin, u across the fold and v up; the knuckle's own wall is at u < 0.
Extruding along x and mirroring gives the other side's knuckles. Lengths mm, angles rad.
"""

from __future__ import annotations

import math

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.solids import outline, tree


@frozen
class KnuckleShape:
    """Section of a knuckle.

    Attributes:
        radius: barrel radius.
        fold_gap: distance between the two walls, both sides of the fold plane.
        wall: thickness of the wall that carries the knuckle.
        axis_height: height of the axis above the bed.
        slope: underside of the web, from vertical.
        gap: clearance to the other leaf.
        bevel: how far the wall's face leans back under the axis, for travel beyond flat.
    """

    radius: float
    fold_gap: float
    wall: float
    axis_height: float
    slope: float
    gap: float
    bevel: float = 0.0

    @property
    def tangent(self) -> tuple[float, float]:
        """Where the web's underside touches the barrel."""
        return self.radius * math.cos(self.slope), -self.radius * math.sin(self.slope)

    def face_u(self, v: float) -> float:
        """Return u of the own wall's face at height v: upright, or leaning back by the bevel below the axis."""
        leaned = (v * math.sin(self.bevel) - self.fold_gap / 2) / math.cos(self.bevel)
        return min(-self.fold_gap / 2, leaned)

    @property
    def foot(self) -> tuple[float, float]:
        """Where the web's underside meets the wall's face, or the bed if that comes first."""
        u0, v0 = self.tangent
        bed = -self.axis_height
        leans, half = math.tan(self.slope), self.fold_gap / 2
        # The underside u0 + (v − v0)·leans meets the upright face and the leaning one once each, the web leans at least as much
        # as the bevel; the face is the one that stands further back, so the lower of the two places is where it is met.
        upright = v0 - (u0 + half) / leans
        steeper, past = leans - math.tan(self.bevel), v0 * leans - u0 - half / math.cos(self.bevel)
        v = min(upright, past / steeper if steeper > 1e-9 else math.copysign(math.inf, past))
        return (u0 + (bed - v0) * leans, bed) if v <= bed else (self.face_u(v), v)

    @property
    def stands(self) -> bool:
        """Whether the web reaches the bed before it reaches its wall."""
        return self.foot[1] <= -self.axis_height

    @property
    def sweep_radius(self) -> float:
        """Furthest point of barrel and web from the axis."""
        foot_v = self.foot[1]
        return max(self.radius, math.hypot(self.face_u(foot_v), foot_v))

    def solid(self, length: float) -> tree.Solid:
        """Return barrel and web from x = 0 to ``length``, in (x, y, z) with the axis at y = 0, z = axis height."""
        foot_u, foot_v = self.foot
        if self.stands:
            # It stands on the bed: reach through it, to be trimmed level.
            foot_u, foot_v = foot_u - math.tan(self.slope), foot_v - 1.0
        inner = -min(self.fold_gap / 2 + self.wall, self.radius)
        back = min(inner, self.face_u(foot_v) - 0.4)
        # The barrel's arc ends where it meets the wall's inner face, at or below the axis.
        last = math.pi + math.acos(-inner / self.radius)
        section = [*_arc(self.radius, -self.slope, last), (back, foot_v, 0.0), (foot_u, foot_v, 0.0)]
        return self._prism(outline.Outline(tuple(section)), length)

    def relief(self, length: float, travel_beyond: float) -> tree.Solid:
        """Return what the other leaf (at u > 0) must leave free over ``length``, from x = 0."""
        clear = self.radius + self.gap
        if travel_beyond > 0:
            free = tree.cylinder(max(clear, self.sweep_radius + self.gap), length)
            return tree.along_x(free, z=self.axis_height)
        # Round the barrel, then along the web's underside moved out by the gap.
        section = [*_arc(clear, -self.slope, 1.5 * math.pi), (0.0, -clear / math.sin(self.slope), 0.0)]
        return self._prism(outline.Outline(tuple(section)), length)

    def fold_bevel(self, x0: float, x1: float) -> tree.Solid:
        """Return the wedge cut from the own leaf under the axis so that it can turn beyond flat."""
        bed = -self.axis_height - 1.0
        wedge = outline.polygon([(0.0, 0.0), (self.face_u(0.0), 0.0), (self.face_u(bed), bed), (0.0, bed)])
        return self._prism(wedge, x1 - x0).move(x=x0)

    def _prism(self, section: outline.Outline, length: float) -> tree.Solid:
        return tree.along_x(tree.Extrude(section, length), z=self.axis_height)


def _arc(radius: float, start: float, end: float) -> list[outline.Corner]:
    """Corners of an arc about the origin from angle ``start`` to ``end`` (rad), the end point included."""
    middle = (start + end) / 2
    bulge = math.tan((end - start) / 8)
    return [(radius * math.cos(start), radius * math.sin(start), bulge),
            (radius * math.cos(middle), radius * math.sin(middle), bulge),
            (radius * math.cos(end), radius * math.sin(end), 0.0)]
