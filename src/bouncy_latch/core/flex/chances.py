"""How sure a snap fit is: stiffness, friction, growth and the material's limits all vary from print to print.

Forces scale with a log-normal stiffness (modulus, and growth through thickness cubed and engagement); friction turns the
contact force by its own spread; strains against a log-normal limit. Everything is integrated by Gauss–Hermite nodes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bouncy_latch.core.numbers import Array, cdf, normal_nodes

_Z, _W = normal_nodes(9)
STRAIN_SPREAD = 0.15
"""Standard deviation of the logarithm of the strain a print bears (common practice, no source)."""
WAVER = 0.08
"""Log spread of a force by the way it is pushed and pulled; without it chances would be steps (common practice, no source)."""
LAZY = 0.25
"""Part of the permissible strain below which an arm is lazy: it could be smaller or thicker."""


@dataclass(frozen=True)
class Spreads:
    """What varies: log standard deviation of stiffness and of strain, friction with its standard deviation."""

    stiffness: float
    strain: float
    friction: float
    friction_sd: float


@dataclass(frozen=True)
class Odds:
    """Chances that it goes in, holds, survives, and all of them (0 to 1)."""

    goes_in: float
    holds: float
    survives: float
    works: float


def spreads(modulus: float, modulus_sd: float, friction: float, friction_sd: float, growth_sd: float, thickness: float,
            engagement: float) -> Spreads:
    """Return the spreads of a snap: d ln P = d ln E + (6/h + 2/u) dg, d ln ε = (2/h + 2/u) dg."""
    by_growth = (6 / thickness + 2 / max(engagement, 0.05)) * growth_sd
    strain = math.hypot((2 / thickness + 2 / max(engagement, 0.05)) * growth_sd, STRAIN_SPREAD)
    return Spreads(math.hypot(modulus_sd / modulus, by_growth), strain, friction, friction_sd)


def odds(peak_in: float, slope_in: float, peak_out: float, slope_out: float, strain: float, push: float, hold: float,
         strength: float, permissible: float, spread: Spreads) -> Odds:
    """Return the chances of a snap fit.

    Args:
        peak_in, peak_out: forces at the mean, N (``peak_out`` infinite where it locks). slope_in, slope_out: angles of the
        touching faces there, rad. push, hold: what a hand gives, what it must hold, N. strength: at which it tears, N.
        strain, permissible: surface strain and what is allowed.
    """
    stiff = np.exp(spread.stiffness * _Z)[:, None]
    phi = np.arctan(np.maximum(spread.friction + spread.friction_sd * _Z, 0.02))[None, :]
    base = math.atan(spread.friction)
    weights = _W[:, None] * _W[None, :]

    def along(peak: float, slope: float) -> Array:
        if not math.isfinite(peak):
            return np.full((len(_Z), len(_Z)), np.inf)
        whole = np.minimum(slope + phi, math.pi / 2)
        factor = np.tan(np.minimum(whole, math.pi / 2 - 0.005)) / max(math.tan(min(slope + base, math.pi / 2 - 0.005)), 1e-3)
        return np.asarray(np.where(whole >= math.pi / 2 - 0.005, np.inf, peak * stiff * np.maximum(factor, 0.02)))

    into, out = along(peak_in, slope_in), np.minimum(along(peak_out, slope_out), strength)
    goes = cdf(np.log(np.maximum(push / np.maximum(into, 1e-6), 1e-9)) / WAVER)
    holds = cdf(np.log(np.maximum(out, 1e-6) / max(hold, 1e-6)) / WAVER)
    survives = float(cdf(math.log(permissible / max(strain, 1e-9)) / spread.strain))
    return Odds(float((weights * goes).sum()), float((weights * holds).sum()), survives,
                float((weights * goes * holds).sum()) * survives)


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
