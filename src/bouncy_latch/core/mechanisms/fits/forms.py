"""Cross-sections that fit into each other: round, or of three to eight sides."""

from __future__ import annotations

import math

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.solids.outline import Outline, circle, polygon


@frozen
class Round:
    """A round section of ``radius`` mm."""

    radius: float

    @property
    def around(self) -> float:
        """Its circumference, mm."""
        return 2 * math.pi * self.radius

    @property
    def area(self) -> float:
        """mm²."""
        return math.pi * self.radius**2

    @property
    def corner(self) -> float:
        """Radius of its corners, mm: a hole shrinks by how it is curved."""
        return self.radius

    @property
    def reach(self) -> float:
        """How far it reaches from its middle, mm."""
        return self.radius

    def widened(self, by: float) -> Round:
        """Return it with its face moved out by ``by`` mm."""
        return Round(self.radius + by)

    def outline(self) -> Outline:
        """Return its outline."""
        return circle(self.radius)


@frozen
class Polygon:
    """A section of ``sides`` equal sides, ``radius`` mm from its middle to a side; one side looks along +y."""

    sides: int
    radius: float

    @property
    def around(self) -> float:
        """Its circumference, mm."""
        return 2 * self.sides * self.radius * math.tan(math.pi / self.sides)

    @property
    def area(self) -> float:
        """mm²."""
        return self.around * self.radius / 2

    @property
    def corner(self) -> float:
        """Its sides are straight: holes of them do not shrink by being curved."""
        return math.inf

    @property
    def reach(self) -> float:
        """How far its corners reach from its middle, mm."""
        return self.radius / math.cos(math.pi / self.sides)

    def widened(self, by: float) -> Polygon:
        """Return it with every side moved out by ``by`` mm."""
        return Polygon(self.sides, self.radius + by)

    def outline(self) -> Outline:
        """Return its outline."""
        turns = [math.pi / 2 + math.pi / self.sides * (2 * i + 1) for i in range(self.sides)]
        return polygon([(self.reach * math.cos(turn), self.reach * math.sin(turn)) for turn in turns])


Form = Round | Polygon
