"""A ring drawn tight round a tube by screws through its lugs: grip, the strain at the lugs, how far the gap closes.

Per side of the ring the screws pull with F; e is the distance from the middle of the wall to the screws' axis, r the tube's
radius, β the angle of wall that each pull draws tight (a quarter turn of two halves, a half turn of one split ring). About
the tube's axis, the couple F·e tightens the wall beyond F; friction on the way round eats of it as of a belt (Euler–
Eytelwein).
Forces N, lengths mm.
"""

from __future__ import annotations

import math

from bouncy_latch.core.flex import beams
from bouncy_latch.core.frozen import frozen

NUT_FACTOR = 0.2
"""Torque over pull times diameter of a dry screw (common practice, no source)."""
TILTS = 1.34
"""What the gap closes at the screws over what the wall takes up as it wraps round the tube: the ear tilts with it."""
EAR, WALL, FACTOR, POWER = 0.85, 0.17, 0.95, -0.4
"""Parts of lug and wall in what bends where they meet, and strain concentration of the fillet, FACTOR (f/h)^POWER (fitted
to plane-stress finite elements of half rings on a rigid tube, wall 2.5 to 6, lug 5 and 8, fillet 1 and 2: within 10 %)."""
YIELDS = 0.45
"""Length of wall that the ear turns with it, in wall thicknesses (fitted to the same, within a quarter)."""


def pull_of(torque: float, diameter: float) -> float:
    """Return the pull of a screw tightened by ``torque`` N·mm, T/(0.2 d), N."""
    return torque / (NUT_FACTOR * diameter)


@frozen
class Lugs:
    """One side of a clamp.

    Attributes:
        radius: of the tube, mm. wall, width: of the ring, mm. ear: thickness of an ear in the direction it is pulled, mm.
        lever: e, mm. fillet: where ear and wall meet, mm. around: β, rad. modulus: MPa.
    """

    radius: float
    wall: float
    width: float
    ear: float
    lever: float
    fillet: float
    around: float
    modulus: float

    def pressed(self, pull: float, friction: float) -> float:
        """Return all forces between ring and tube for a pull on each side, 2πF (1 + e/2r)(1 − e^(−µβ))/(µβ), N."""
        rubbed = friction * self.around
        belt = -math.expm1(-rubbed) / rubbed if rubbed > 1e-9 else 1.0
        return 2 * math.pi * pull * (1 + self.lever / (2 * self.radius)) * belt

    def strain(self, pull: float) -> float:
        """Return the greatest surface strain, where ear and wall meet."""
        bends = EAR / self.ear**2 + WALL / self.wall**2
        concentration = max(1.0, FACTOR * float((max(self.fillet, 0.05 * self.ear) / self.ear) ** POWER))
        return concentration * 6 * pull * self.lever * bends / (self.width * self.modulus)

    def yields(self, pull: float) -> float:
        """Return how far an ear is pulled at the screws' axis once the wall lies on the tube, mm."""
        inertia = self.width / 12
        return pull / self.modulus * (self.lever**3 / (3 * inertia * self.ear**3)
                                      + self.lever**2 * YIELDS * self.wall / (inertia * self.wall**3))

    def closes(self, clearance: float) -> float:
        """Return how far an ear moves until the wall lies on a tube that is ``clearance`` mm smaller a side, mm."""
        return TILTS * self.around * max(clearance, 0.0)


def bending_shut(clearance: float, wall: float, radius: float) -> float:
    """Return the strain inside a ring that is bent from radius r + c to r, t/2 · c/r² times the curved bar's factor."""
    return wall / 2 * max(clearance, 0.0) / radius**2 * beams.curved_factor(radius, wall)
