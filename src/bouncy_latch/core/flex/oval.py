"""One side first, of rings: a stiff cap that is tipped on goes oval instead of stretching all round.

One side of the bead is pushed over the lip, then the two places where bead and lip cross run round to the other side. The rim
moves outwards by w(θ) = Σ a_n cos nθ: n = 0 stretches it all round, n = 1 shifts it, the others bend it without stretching it.
How stiff each of them is at the rim is a beam along the cap's axis on an elastic foundation, under tension by what twists (the
semi-membrane theory of cylinders, V. Z. Vlasov, *General Theory of Shells*, 1949, from memory; rings: S. P. Timoshenko,
*Strength of Materials*):

    E t R²/n⁴ · d⁴W/dx⁴ − 2 (1 − ν) D (n² − 1)²/(n R)² · d²W/dx² + D (n² − 1)²/R⁴ · W = 0

pinned at the floor, which warps, and free at the rim.

Where they cross, the bead must be out by all of the undercut; where it is past the lip already, the groove lets it in by so
much and no more. Of all shapes that obey this the ring takes the one of least energy, at every place of the crossing.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

MODES = 14
"""Waves round the rim that are told apart."""
_ELEMENTS = 12
_CROSSINGS = 18
_PLACES = 72
"""Places of the crossing, and places round the rim at which the groove is looked at."""


@frozen
class Tipped:
    """The worst of the way: force across at both crossings together, N, greatest strain, and how far it is tipped, rad."""

    press: float
    strain: float
    angle: float


@frozen
class Oval:
    """A ring or cap with a bead near its rim.

    Attributes:
        radius: of its wall's middle, mm. wall, height: mm, from floor to rim. modulus: of the wall as printed, MPa. poisson.
        stretch: newtons all round per mm that its rim is stretched at the radius. undercut: how far the bead must go out, mm.
        groove: how far it may go in where it is past the lip, mm; infinite for a thin disc. lip: height that bead and lip take
        along the axis, mm.
    """

    radius: float
    wall: float
    height: float
    modulus: float
    poisson: float
    stretch: float
    undercut: float
    groove: float
    lip: float

    @cached_property
    def stiffnesses(self) -> Array:
        """Stiffness of every wave at the rim, N/mm: energy over half the square of its amplitude, (MODES,)."""
        r, plate = self.radius, self.modulus * self.wall**3 / (12 * (1 - self.poisson**2))
        n = np.arange(2, MODES)[:, None, None]
        round_ = math.pi * r
        along = self.modulus * self.wall * r**2 / n**4 * round_
        twist = 2 * (1 - self.poisson) * plate * (n**2 - 1) ** 2 / (n * r) ** 2 * round_
        # Near a free rim what bends round it curves along the axis as it likes.
        bedding = (1 - self.poisson**2) * plate * (n**2 - 1) ** 2 / r**4 * round_
        bent, slanted, lifted = _beam(self.height)
        # Pinned at the floor: what is first moves not, and turns.
        system = (along * bent + twist * slanted + bedding * lifted)[:, 1:, 1:]
        push = np.zeros((*system.shape[:2], 1))
        push[:, -2] = 1.0
        given = np.linalg.solve(system, push)[:, -2, 0]
        return np.concatenate([[self.stretch, 1e-6 * self.stretch], 1 / given])

    def crossing(self, place: float) -> tuple[float, Array]:
        """Return force across at both crossings, N, and amplitudes (MODES,), mm, with the crossing ``place`` rad from the side
        that goes over last."""
        from scipy.optimize import nnls

        waves, soft = np.arange(MODES), 1 / self.stiffnesses
        rows, least = [np.cos(waves * place)], [self.undercut]
        if math.isfinite(self.groove):
            past = np.linspace(place, math.pi, _PLACES)[1:]
            rows += list(np.cos(past[:, None] * waves))
            least += [-self.groove] * len(past)
        held, bound = np.array(rows), np.array(least)
        # Least energy under inequalities, by its dual (C. L. Lawson & R. J. Hanson, Solving Least Squares Problems, 1974, LDP).
        multipliers, _ = nnls(np.vstack([(held * np.sqrt(soft)).T, bound]), np.append(np.zeros(MODES), 1.0))
        forces = multipliers / (1 - float(bound @ multipliers))
        return float(forces[0]), soft * (held.T @ forces)

    @cached_property
    def worst(self) -> Tipped:
        """The worst of the way round."""
        press, strain, waves = 0.0, 0.0, np.arange(MODES)
        round_ = np.cos(np.linspace(0, math.pi, _PLACES)[:, None] * waves)
        for place in np.linspace(0.95 * math.pi, 0.0, _CROSSINGS):
            force, amplitudes = self.crossing(float(place))
            bent = round_ @ (amplitudes * (waves**2 - 1)) / self.radius**2 * self.wall / 2
            stretched = abs(float(amplitudes[0])) / self.radius
            press, strain = max(press, force), max(strain, float(np.abs(bent).max()) + stretched)
        return Tipped(press, strain, math.atan2(self.lip, 2 * self.radius))


def _beam(length: float) -> tuple[Array, Array, Array]:
    """Return the matrices of a beam's energies by its curvature, slope and shift, over places and turns of its nodes, which lie
    closer towards its free end."""
    at = length * (1 - (1 - np.arange(_ELEMENTS + 1) / _ELEMENTS) ** 2)
    size = 2 * len(at)
    found = np.zeros((3, size, size))
    for i, h in enumerate(np.diff(at)):
        bent = np.array([[12, 6 * h, -12, 6 * h], [6 * h, 4 * h**2, -6 * h, 2 * h**2],
                         [-12, -6 * h, 12, -6 * h], [6 * h, 2 * h**2, -6 * h, 4 * h**2]]) / h**3
        slanted = np.array([[36, 3 * h, -36, 3 * h], [3 * h, 4 * h**2, -3 * h, -(h**2)],
                            [-36, -3 * h, 36, -3 * h], [3 * h, -(h**2), -3 * h, 4 * h**2]]) / (30 * h)
        lifted = np.array([[156, 22 * h, 54, -13 * h], [22 * h, 4 * h**2, 13 * h, -3 * h**2],
                           [54, 13 * h, 156, -22 * h], [-13 * h, -3 * h**2, -22 * h, 4 * h**2]]) * h / 420
        part = slice(2 * i, 2 * i + 4)
        for whole, one in zip(found, (bent, slanted, lifted), strict=True):
            whole[part, part] += one
    return found[0], found[1], found[2]
