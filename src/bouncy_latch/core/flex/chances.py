"""How sure a snap fit is: stiffness, friction, growth and the material's limits all vary from print to print.

Forces scale with a log-normal stiffness (modulus, and growth through thickness cubed and engagement); friction turns the
contact force by its own spread; strains against a log-normal limit. Everything is integrated by Gauss–Hermite nodes.
"""

from __future__ import annotations

import math
from statistics import NormalDist

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array, cdf, normal_nodes

_Z, _W = normal_nodes(9)
_EQUAL = np.array([NormalDist().inv_cdf((i + 0.5) / 40) for i in range(40)])
STRAIN_SPREAD = 0.15
"""Standard deviation of the logarithm of the strain a print bears (common practice, no source)."""
WAVER = 0.08
"""Log spread of a force by the way it is pushed and pulled; without it chances would be steps (common practice, no source)."""
LAZY = 0.25
"""Part of the permissible strain below which an arm is lazy: it could be smaller or thicker."""


@frozen
class Spreads:
    """What varies besides friction: log standard deviation of stiffness, of strain and of strength."""

    stiffness: float
    strain: float
    strength: float = 0.1


@frozen
class Odds:
    """Chances that it goes in, holds, survives, all of them, and that its faces lock (0 to 1)."""

    goes_in: float
    holds: float
    survives: float
    works: float
    locks: float


def spreads(modulus: float, modulus_sd: float, growth_sd: float, thickness: float, engagement: float,
            strength: float) -> Spreads:
    """Return the spreads of a snap: d ln P = d ln E + (6/h + 2/u) dg, d ln ε = (2/h + 2/u) dg."""
    by_growth = (6 / thickness + 2 / max(engagement, 0.05)) * growth_sd
    strain = math.hypot((2 / thickness + 2 / max(engagement, 0.05)) * growth_sd, STRAIN_SPREAD)
    return Spreads(math.hypot(modulus_sd / modulus, by_growth), strain, strength)


def frictions(mean: float, sd: float) -> Array:
    """Return coefficients of friction that stand for a spread, all equally likely, (n,)."""
    return np.maximum(mean + sd * _EQUAL, 0.02)


def odds(into: Array, out: Array, strain: float, push: float, hold: float, strength: float, permissible: float,
         spread: Spreads, locked: bool | None = None) -> Odds:
    """Return the chances of a snap fit.

    Args:
        into, out: greatest forces going in and pulling out at equally likely frictions, (n,), N; infinite where it sticks.
        push, hold: what a hand gives, what it must hold, N. strength: at which it tears, N.
        strain, permissible: surface strain and what is allowed. locked: whether it must lock, or must not; None: either.
    """
    stiff = np.exp(spread.stiffness * _Z)[:, None]
    goes = cdf(np.log(np.maximum(push / np.maximum(into * stiff, 1e-6), 1e-9)) / WAVER)
    slides = cdf(np.log(np.maximum(np.where(np.isfinite(out), out * stiff, 1e9), 1e-6) / max(hold, 1e-6)) / WAVER)
    holds = slides * cdf(math.log(max(strength, 1e-6) / max(hold, 1e-6)) / max(spread.strength, WAVER))
    survives = float(cdf(math.log(permissible / max(strain, 1e-9)) / spread.strain))
    each = _W[:, None] / len(out)
    as_asked = 1.0 if locked is None else np.isinf(out) == locked
    works = float((each * goes * holds * as_asked).sum()) * survives
    return Odds(float((each * goes).sum()), float((each * holds).sum()), survives, works, float(np.isinf(out).mean()))


SLACK = 0.5
"""Part of what a snap must hold below which it falls out by itself, as a user says (common practice, no source)."""


def outcomes(into: Array, out: Array, push: float, hold: float, survives: float, spread: Spreads, stiffer: float) -> Array:
    """Return the chances of the outcomes of :data:`outcomes.SNAPPED`, (5,), of a snap that is ``stiffer`` than worked out by a
    known factor; the other arguments as for :func:`odds`."""
    stiff = stiffer * np.exp(spread.stiffness * _Z)[:, None]

    def below(forces: Array, limit: float) -> float:
        known = np.where(np.isfinite(forces), forces * stiff, 1e9)
        return float((_W[:, None] / len(forces) * cdf(np.log(limit / np.maximum(known, 1e-6)) / WAVER)).sum())

    by_hand, hard, falls = below(into, push), below(into, HARD * push), below(out, SLACK * max(hold, 1e-6))
    breaks = 1 - survives
    falls = min(falls, by_hand)
    left = np.array([1 - hard, hard - by_hand, by_hand - falls, falls])
    return np.append(np.maximum(left, 0.0) * (1 - breaks), breaks)


def bend_zones(strain: float, permissible: float, breaking: float, spread: float = STRAIN_SPREAD) -> tuple[float, ...]:
    """Return the chances of the outcomes of :data:`outcomes.BENT` at a surface strain."""
    limits = (LAZY * permissible, permissible, max(breaking, 1.05 * permissible))
    below = [float(cdf(math.log(limit / max(strain, 1e-9)) / spread)) for limit in limits]
    return below[0], below[1] - below[0], below[2] - below[1], 1 - below[2]


FALLS_IN = 0.15
"""Part of what a hand gives below which nothing is felt (common practice, no source)."""
HARD = 2.0
"""What both thumbs or a clamp give over one thumb (common practice, no source)."""


def force_zones(force: float, push: float, spread: float) -> tuple[float, ...]:
    """Return the chances of the outcomes of :data:`outcomes.PUSHED` for an insertion force (N) against what a hand gives."""
    below = [float(cdf(math.log(limit / max(force, 1e-6)) / max(spread, 0.05))) for limit in
             (FALLS_IN * push, push, HARD * push)]
    return below[0], below[1] - below[0], below[2] - below[1], 1 - below[2]
