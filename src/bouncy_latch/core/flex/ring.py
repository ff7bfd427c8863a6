"""Rings that stretch over a bead: a stiff cap or neck as a beam on an elastic foundation, and slotted ones as fingers.

A thin tube under a ring load bends along its length like a beam on a foundation E t/r² (M. Hetényi, *Beams on Elastic
Foundation*, 1946): λ = [3(1 − ν²)]^¼/√(r t), k λ-length scales. Near the rim the tube is four times softer than far from it.
The load is spread over the bead's contact band; above t/r = 0.2 away from the rim this is some 13 % stiff.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from bouncy_latch.core.flex.arm import Bent
from bouncy_latch.core.flex.section import SHEAR, Fill, Section, section
from bouncy_latch.core.numbers import Array

_GRID = 24


def decay(mean_radius: float, wall: float, poisson: float) -> float:
    """Return λ = [3(1 − ν²)]^¼/√(r t), 1/mm."""
    return float((3 * (1 - poisson**2)) ** 0.25 / math.sqrt(mean_radius * wall))


def remote_from(bore: float, wall: float) -> float:
    """Return the distance from the rim beyond which a joint counts as remote, 1.8 √(d t), mm (snap-fit guides, from memory)."""
    return 1.8 * math.sqrt(bore * wall)


def _give(x: Array, at: Array, lam: float) -> Array:
    """Deflection at ``x`` per ring load at ``at`` of a tube with a free end at 0, in units of λ/(2 k); x ≥ 0."""
    u = lam * np.abs(x - at)
    far = np.exp(-u) * (np.cos(u) + np.sin(u))
    v = lam * at
    c1, c2 = np.exp(-v) * (3 * np.cos(v) - np.sin(v)), -np.exp(-v) * (np.cos(v) - np.sin(v))
    w = lam * x
    return np.asarray(far + np.exp(-w) * (c1 * np.cos(w) + c2 * np.sin(w)))


def stretch_factor(mean_radius: float, wall: float, poisson: float, from_rim: float, band: float) -> float:
    """Return X of P = y d E X, the total radial force of a diametral stretch y at the bore d = 2 r − t.

    Args:
        from_rim: middle of the load from the free end, mm. band: its width along the axis, mm.
    """
    lam = decay(mean_radius, wall, poisson)
    foundation = wall / mean_radius**2
    start = max(0.0, from_rim - band / 2)
    at = start + (np.arange(_GRID) + 0.5) / _GRID * max(band, 1e-6)
    mean = float(_give(at[:, None], at[None, :], lam).mean()) * lam / (2 * foundation)
    # Per unit of line load the wall gives `mean`; half the stretch y on either side, all round 2 π r.
    return math.pi * mean_radius / mean / (2 * mean_radius - wall)


@dataclass(frozen=True)
class Ring:
    """A closed elastic ring that carries a bead or groove.

    Attributes:
        bore: diameter at the joint, mm. wall: mm. from_rim, band: see :func:`stretch_factor`. fill, modulus, poisson: as of
        an arm. other: relative stiffness of the part it mates with, for the share it gives; infinite for a stiff one.
    """

    bore: float
    wall: float
    from_rim: float
    band: float
    fill: Fill
    modulus: float
    poisson: float = 0.35

    @property
    def mean_radius(self) -> float:
        """Of the wall's middle, mm."""
        return (self.bore + self.wall) / 2

    @property
    def fullness(self) -> float:
        """Part of the hoop stiffness that a printed wall has of a solid one."""
        made = section(self.wall, max(self.band, 4 * self.fill.line), self.fill, self.poisson)
        return made.area / (made.width * made.depth)

    @property
    def stiffness(self) -> float:
        """Total radial force per mm of radial stretch, N/mm."""
        factor = stretch_factor(self.mean_radius, self.wall, self.poisson, self.from_rim, self.band)
        return 2 * self.bore * self.modulus * self.fullness * factor

    @cached_property
    def flexibility(self) -> Array:
        """Radial stretch per newton of total radial force in the middle of a (3, 3); a ring does not tilt its bead."""
        found = np.zeros((3, 3))
        found[1, 1] = 1 / self.stiffness
        return found

    def bent(self, lowered: Array, ratio: Array, arms: Array) -> Bent:
        """Return the ring stretched by ``lowered`` (B,) mm at the radius; hoop strain is 2 y/d."""
        count = len(lowered)
        return Bent(self.stiffness * lowered, np.zeros((count, 1, 3)), 2 * lowered / self.bore, np.zeros(count))


FLATTENS = 0.01
"""Softening of a wide finger whose curved section flattens as it bends, per (b²/R t)(b/L)² (fitted to solid finite elements of
fingers with b²/R t from 3 to 27, within 3 %; b the arc at mid-wall, L the length)."""
HELD = 0.975
"""What its held root leaves of a finger's give besides: it cannot narrow there."""


def sector(radius: float, wall: float, angle: float, length: float, fill: Fill, poisson: float) -> tuple[Section, float, float]:
    """Return the section of a finger that is a sector of a ring, bending about its tangent.

    Args:
        radius: inner radius, mm. wall: mm. angle: of the whole sector, rad. length: of the finger, mm.

    Returns:
        The section and the distances of its inner and outer fibres from the neutral axis, mm. A = ψ(r_o² − r_i²),
        I = (r_o⁴ − r_i⁴)(ψ + sin ψ cos ψ)/4 − A y_c², ψ half the angle.
    """
    half, outer = angle / 2, radius + wall
    area = half * (outer**2 - radius**2)
    middle = 2 * math.sin(half) / (3 * half) * (outer**3 - radius**3) / (outer**2 - radius**2)
    bending = (outer**4 - radius**4) / 4 * (half + math.sin(half) * math.cos(half)) - area * middle**2
    arc, middle_radius = angle * (radius + wall / 2), radius + wall / 2
    bending /= HELD + FLATTENS * arc**2 / (middle_radius * wall) * (arc / length) ** 2
    flat = section(wall, max(area / wall, fill.line), fill, poisson)
    made = Section(wall, area / wall, area * flat.area / (flat.width * wall), bending * flat.fullness,
                   bending * flat.own / (flat.width * wall**3 / 12), SHEAR * area * flat.solid, flat.core_shear, flat.solid)
    return made, middle - radius * math.cos(half), outer - middle
