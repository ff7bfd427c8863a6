"""Cone and ball pivots that keep an axis without a pin: the male part, its pocket, and the surfaces that face each other.

All are built along +x: the male body's end face is x = 0, the female body's end face is x = ``gap``.
"""

from __future__ import annotations

import math

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.facing import Facing
from bouncy_latch.core.solids import tree

_ROOT = 0.2
"""How far a pivot reaches back into its own knuckle, and its pocket out of the other, so that unions are clean, mm."""
_SAMPLES = 12


@frozen
class Pivot:
    """A pivot of ``radius`` mm at its end face whose underside is ``slope`` rad from vertical.

    Attributes:
        shape: ``cone``, ``truncated-cone`` or ``ball``.
        gap: clearance to its pocket, normal to the surface, mm.
    """

    shape: str
    radius: float
    slope: float
    gap: float

    @property
    def full_depth(self) -> float:
        """Depth of the whole cone, r·tan(slope), mm."""
        return self.radius * math.tan(self.slope)

    @property
    def ball_radius(self) -> float:
        """Radius of the ball whose underside at the end face is at the slope: r/sin(slope), mm."""
        return self.radius / math.sin(self.slope)

    @property
    def depth(self) -> float:
        """How far the pivot stands proud of its end face, mm (ball: r_b(1 − cos slope))."""
        if self.shape == "ball":
            return self.ball_radius * (1 - math.cos(self.slope))
        return self.full_depth * (0.65 if self.shape == "truncated-cone" else 1.0)

    @property
    def mouth_radius(self) -> float:
        """Radius of the pocket at the female end face, mm."""
        if self.shape == "ball":
            offset = self.ball_radius * math.cos(self.slope) + self.gap
            return math.sqrt((self.ball_radius + self.gap) ** 2 - offset**2)
        return self.radius + self._widening - self.gap / math.tan(self.slope)

    @property
    def _widening(self) -> float:
        """Radial shift of the cone surface when it moves out by the gap."""
        return self.gap / math.sin(self.slope)

    @property
    def pocket_depth(self) -> float:
        """Depth of the pocket below the female end face, mm."""
        if self.shape == "cone":
            return self.mouth_radius * math.tan(self.slope)
        return self.depth

    def male(self) -> tree.Solid:
        """Return the male part, reaching from behind its end face to its tip."""
        if self.shape == "ball":
            ball = tree.Sphere(self.ball_radius).move(x=-self.ball_radius * math.cos(self.slope))
            reach = self.ball_radius + 1
            return ball & tree.Box(-_ROOT, -reach, -reach, reach, reach, reach)
        steep = math.tan(self.slope)
        tip = _tip(self.radius - self.depth / steep)
        return tree.along_x(tree.Cone(self.radius + _ROOT / steep, tip, self.depth + _ROOT), x=-_ROOT)

    def pocket(self) -> tree.Solid:
        """Return what is cut from the female body."""
        if self.shape == "ball":
            return tree.Sphere(self.ball_radius + self.gap).move(x=-self.ball_radius * math.cos(self.slope))
        steep = math.tan(self.slope)
        tip = _tip(self.mouth_radius - self.pocket_depth / steep)
        cone = tree.Cone(self.mouth_radius + _ROOT / steep, tip, self.pocket_depth + _ROOT)
        return tree.along_x(cone, x=self.gap - _ROOT)

    def faces(self, count: int) -> list[Facing]:
        """Return the facing surfaces of ``count`` such pivots lying along the bed, by tilt."""
        found = []
        for i in range(_SAMPLES):
            around = (i + 0.5) / _SAMPLES * math.pi / 2
            if self.shape == "ball":
                # Rings of equal area from the pole to the opening circle.
                cosine = 1 - (i + 0.5) / _SAMPLES * (1 - math.cos(self.slope))
                radial = math.sqrt(1 - cosine**2)
                area = 2 * math.pi * self.ball_radius * self.depth / _SAMPLES
                tilt, lever = math.asin(radial * math.sin(math.pi / 4)), self.ball_radius * radial
            else:
                tip = self.radius - self.depth / math.tan(self.slope)
                slant = self.depth / math.sin(self.slope) if self.slope > 0 else self.depth
                slant = math.hypot(self.depth, self.radius - max(tip, 0.0)) if slant else 0.0
                area = math.pi * (self.radius + max(tip, 0.0)) * slant / _SAMPLES
                tilt = math.asin(math.sin(self.slope) * math.sin(around))
                lever = (self.radius + max(tip, 0.0)) / 2
            found.append(Facing("pivot in its pocket", count * area, tilt, self.gap, lever))
        return found


def _tip(radius: float) -> float:
    """Return the radius of a tip; what rounding alone leaves of it is a point."""
    return radius if radius > 1e-9 else 0.0
