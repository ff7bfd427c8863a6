"""How two bodies are meant to move against each other, and what a weld between them resists."""

from __future__ import annotations

import math
from dataclasses import replace

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.solids import tree

Vector = tuple[float, float, float]

TURN, SLIDE, SCREW, APART = "turn", "slide", "screw", "apart"
UPRIGHT = 0.95
"""Part of a direction that points up from which on it is upright."""


@frozen
class Freedom:
    """A freedom: ``turn`` about a line, ``slide`` along it, ``screw`` along it as it turns, or just come ``apart``.

    Attributes:
        point, direction: a point of the line (mm) and its unit direction.
        pitch: of a screw, advance along the direction in one right-handed turn, mm; below 0 for a left-hand screw.
    """

    kind: str
    point: Vector = (0.0, 0.0, 0.0)
    direction: Vector = (0.0, 0.0, 1.0)
    pitch: float = 0.0

    @property
    def turns(self) -> bool:
        """Whether its value is an angle (rad) rather than a distance (mm), and what breaks a weld a torque."""
        return self.kind in {TURN, SCREW}

    @property
    def unit(self) -> str:
        """Unit of what breaks a weld free."""
        return "N·mm" if self.turns else "N"

    def matrix(self, value: float) -> tree.Matrix:
        """Return the transform of the moving body at a value, rad or mm."""
        dx, dy, dz = self.direction
        if not self.turns:
            return (1, 0, 0, dx * value, 0, 1, 0, dy * value, 0, 0, 1, dz * value)
        turn = tree.turn_about(self.direction, self.point, value)
        along = self.pitch * value / (2 * math.pi) if self.kind == SCREW else 0.0
        return tree.compose((1, 0, 0, dx * along, 0, 1, 0, dy * along, 0, 0, 1, dz * along), turn)

    def arm(self, point: Vector) -> float:
        """Return the lever of a weld at ``point``, mm; 1 where a force breaks it.

        Of a screw the weld is sheared along its helix: by virtual work the torque is F·√(r² + (pitch/2π)²).
        """
        if not self.turns:
            return 1.0
        (px, py, pz), (dx, dy, dz) = self.point, self.direction
        x, y, z = point[0] - px, point[1] - py, point[2] - pz
        along = x * dx + y * dy + z * dz
        radius = math.sqrt(max(x * x + y * y + z * z - along**2, 0.0))
        return math.hypot(radius, self.pitch / (2 * math.pi)) if self.kind == SCREW else radius

    @property
    def level(self) -> bool:
        """Whether every point keeps its height over the bed while it moves, in the pose it is given in.

        Then first layers that meet are sheared off all at once; what lifts is prised open from one place on.
        """
        upright = abs(self.direction[2])
        return upright > UPRIGHT if self.turns else self.kind == SLIDE and upright < math.sqrt(1 - UPRIGHT**2)

    def placed(self, matrix: tree.Matrix) -> Freedom:
        """Return the same freedom carried along by a rigid transform."""
        x, y, z = (sum(matrix[4 * r + c] * self.direction[c] for c in range(3)) for r in range(3))
        return replace(self, point=tree.moved_point(matrix, self.point), direction=(x, y, z))
