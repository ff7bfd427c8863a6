"""A flat spiral as a spring: torque and strain against turns, from free to solid."""

from __future__ import annotations

from functools import cached_property
from typing import ClassVar

import numpy as np

from bouncy_latch.core.flex.spiral import Spiral
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.springs.spring import TORQUE, Load, Spring
from bouncy_latch.core.numbers import Array

POINTS = 41
"""Places of a course."""
FIRST = 0.01
"""Turns within which its stiffness is that of the beginning."""


@frozen
class Coiled(Spring):
    """A spiral between its arbor and its anchor; ``spiral``: as printed; ``freed``: chance that a hand frees it from a drum."""

    spiral: Spiral
    freed: float = 1.0
    load: ClassVar[Load] = TORQUE
    rate_formula: ClassVar[str] = "2π·E·I/L, times what its outer end's hold makes of it"
    load_formula: ClassVar[str] = "the strip's own curvature, coil upon coil where they meet"
    strain_formula: ClassVar[str] = "M·t/(2·E·I)·K_i, K_i of the innermost coil (Winkler–Bach)"
    meets: ClassVar[str] = "turns until coil lies on coil, as printed; from there on it is a rigid disc"

    @cached_property
    def curve(self) -> tuple[Array, Array, Array]:
        """Turns, torque and strain along the way, each (n,), from nothing."""
        at = np.linspace(0.0, self.travel, POINTS)
        torque, strain = self.spiral.wound(at)
        return at, torque, strain

    @property
    def rate(self) -> float:
        """Stiffness at the beginning, N·mm a turn."""
        return float(self.spiral.wound(np.array([FIRST]))[0][0]) / FIRST

    @property
    def touches(self) -> float:
        """Turns from free to solid, as printed."""
        return self.spiral.solid_turns
