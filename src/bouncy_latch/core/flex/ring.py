"""Rings that stretch over a bead: a stiff cap or neck as a beam on an elastic foundation, and slotted ones as fingers.

A thin tube under a ring load bends along its length like a beam on a foundation E t/r² (M. Hetényi, *Beams on Elastic
Foundation*, 1946): λ = [3(1 − ν²)]^¼/√(r t). Near the rim the tube is four times softer than far from it, and there its wall
tilts under the load: the bead rolls as it rides, which flattens its holding face. The load is a line where the faces touch.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.flex import shell
from bouncy_latch.core.flex.section import SHEAR, Fill, Section, section
from bouncy_latch.core.flex.strip import Bent, half_width
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

_GRID = 24
LINE = 0.1
"""Half the width of the line where rounded printed edges touch, mm (Hertz, edges of 0.2 mm under some 40 N/mm)."""


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


def stretch_factor(mean_radius: float, wall: float, poisson: float, from_rim: float, band: float = 0.0) -> float:
    """Return X of P = y d E X, the total radial force of a diametral stretch y at the bore d = 2 r − t.

    Args:
        from_rim: middle of the load from the free end, mm. band: its width along the axis, mm; 0 for a line load.
    """
    lam = decay(mean_radius, wall, poisson)
    at = max(0.0, from_rim - band / 2) + (np.arange(_GRID) + 0.5) / _GRID * band
    # Per unit of line load the wall gives `mean`; half the stretch y on either side, all round 2 π r.
    mean = float(_give(at[:, None], at[None, :], lam).mean()) * lam / (2 * wall / mean_radius**2)
    return math.pi * mean_radius / mean / (2 * mean_radius - wall)


@frozen
class Ring:
    """A closed elastic ring that carries a bead or groove.

    Attributes:
        bore: diameter at the joint, mm. wall: mm. from_rim: the joint from the free rim, mm. fill, modulus, poisson: as of
        an arm. bead: area of its section, which stretches with the wall, mm². bead_at: how much nearer the rim its crest is.
        bead_height: how far its crest stands in from the bore, mm.
    """

    bore: float
    wall: float
    from_rim: float
    fill: Fill
    modulus: float
    poisson: float = 0.35
    bead: float = 0.0
    bead_at: float = 0.0
    bead_height: float = 0.0

    @property
    def mean_radius(self) -> float:
        """Of the wall's middle, mm."""
        return (self.bore + self.wall) / 2

    @property
    def fullness(self) -> float:
        """Part of the hoop stiffness that a printed wall has of a solid one."""
        made = section(self.wall, 4 * self.fill.line, self.fill, self.poisson)
        return made.area / (made.width * made.depth)

    def _soft(self, pull: float) -> Array:
        """Flexibility (3, 3) with a pull along the wall, N all round."""
        round_, e = 2 * math.pi * self.mean_radius, self.modulus * self.fullness
        found = shell.joint(self.mean_radius, self.wall, self.poisson, self.from_rim - self.bead_at, pull / (round_ * e))
        give, slope, roll = (each / (e * round_) for each in found)
        stiff = np.linalg.inv(np.array([[give, -slope], [-slope, roll]]))
        stiff[0, 0] += 2 * math.pi * self.modulus * self.bead / self.mean_radius
        soft = np.zeros((3, 3))
        soft[1:, 1:] = np.linalg.inv(stiff)
        # A push along the wall widens it behind the joint by Poisson, half of that at the joint. That it also shortens the wall
        # only delays what happens.
        soft[0, 1] = soft[1, 0] = self.poisson / (4 * math.pi * e * self.wall)
        # Where the end is said to be, the section under the bead goes along stiffly.
        carried = np.array([[1.0, 0, 0], [0, 1.0, -self.bead_at], [0, 0, 1.0]])
        return np.asarray(carried @ soft @ carried.T)

    @cached_property
    def flexibility(self) -> Array:
        """Of the wall's middle at the joint per newton of total force and N·mm of total moment round it, (3, 3), see
        :attr:`Strip.flexibility <bouncy_latch.core.flex.strip.Strip.flexibility>`: it stretches and its bead rolls."""
        return self._soft(0.0)

    @cached_property
    def _by_pull(self) -> Array:
        """What a newton of pull along the wall adds to the flexibility, (3, 3)."""
        small = 0.002 * 2 * math.pi * self.mean_radius * self.modulus * self.fullness
        return (self._soft(small) - self._soft(-small)) / (2 * small)

    @cached_property
    def dent(self) -> float:
        """What the line where faces touch sinks into the wall per newton all round, mm: a thin line on a slab,
        2(1 − ν²)/(πE) (ln(4t/a) − ν/(2(1 − ν))) per N/mm (K. L. Johnson, *Contact Mechanics*, 1985, ch. 5)."""
        nu = self.poisson
        return 2 * (1 - nu**2) / (math.pi * self.modulus) * (math.log(4 * self.wall / LINE) - nu / (2 * (1 - nu))) / (
            math.pi * self.bore)

    @property
    def stretch(self) -> float:
        """The crest stretches by all it is moved, over its own radius, whatever of that is a dent in the wall behind, 1/mm."""
        return 1 / (self.bore / 2 - self.bead_height)

    def patch(self, force: float) -> float:
        """Return half the width of the line where faces touch, mm; see :meth:`Strip.patch`."""
        return half_width(force / (math.pi * self.bore), self.modulus, self.poisson)

    def bent(self, lowered: Array, ratio: Array, arms: Array) -> Bent:
        """Return the ring stretched by ``lowered`` (B,) mm at the radius; hoop strain is 2 y/d.

        What pushes along the wall as it is stretched softens it, what pulls stiffens it.
        """
        loads = np.column_stack([ratio, -np.ones_like(ratio), -arms[:, 0] - ratio * arms[:, 1]])
        moved, more = loads @ self.flexibility, loads @ self._by_pull
        down, change = np.maximum(-moved[:, 1], 1e-12), -more[:, 1] * ratio
        # lowered = F (down + change F), kept where a push would buckle the wall.
        root = np.sqrt(np.maximum(down**2 + 4 * change * lowered, 0.1 * down**2))
        force = 2 * lowered / (down + root)
        return Bent(force, (force[:, None] * moved)[:, None, :], 2 * lowered / self.bore, np.zeros(len(lowered)))


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
