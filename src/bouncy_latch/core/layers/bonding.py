"""How firmly beads of two bodies hold where they meet: pressed or laid they fuse, where they merely touch they hardly do.

A bead's edge is round and nothing presses it, so what two beads share fuses the less the nearer it lies to either edge: at a
depth x into what they share the bond has reached 1 − exp(−x/t) of its strength. A contact d deep within a layer therefore
holds with 1 − exp(−d/t) of it, and a ring o wide that one bead is laid on another with o − t(1 − exp(−o/t)) of its width.
Both are what the bare contact would be if every depth were less by a length drawn from an exponential distribution of mean
t, which is how the sliced layers take it into account.
"""

from __future__ import annotations

import math

import numpy as np

from bouncy_latch.core.numbers import Array, cdf

TOUCH = 0.02
"""The depth t: of what beads share, what lies nearer to an edge than this merely touches, mm (common practice, no source)."""
PEEL_FRONT = 10.0
"""Of a thin ring in the first layers only as much holds at a time as a body's stiffness spreads a pull over, mm.

A body that is pried up at one place is a beam on an elastic foundation: q_max = P β/2 with β⁴ = k/(4 E I) (M. Hetényi, "Beams
on Elastic Foundation", 1946, the infinite beam), so P = q·2/β. For a section of 5 × 8 mm on a weld a layer high and 0.3 wide, β
is 0.2 per mm.
"""
PEEL_SPREAD = 0.5
"""Spread of the logarithm of how much of it holds at a time, with the body and with how it is pulled: 2/β goes with the fourth
root of E·I/k, 6 to 16 mm for sections from 4 × 4 to 10 × 10, and a twist shears all of a small ring at once (no source).
"""
SAG_BOND = 0.03
"""Bond of a strand that hung down one layer, as part of a pressed one's: a solid support one layer below comes off with a tool,
two layers below by hand (common practice, no source)."""
SAG_FADE = 6.0
"""Every further layer of air makes that so many times weaker (common practice, no source)."""
_AT, _WEIGHTS = np.polynomial.laguerre.laggauss(6)


def depth_nodes() -> tuple[Array, Array]:
    """Return depths (mm) that merely touch, and their weights, both (6,), sum 1 (Gauss–Laguerre)."""
    return TOUCH * _AT, _WEIGHTS


def expected_depth(mean: Array, sd: Array) -> Array:
    """Return the mean of the positive part of a normal variable, mm."""
    z = mean / sd
    positive: Array = mean * cdf(z) + sd * np.exp(-0.5 * z**2) / math.sqrt(2 * math.pi)
    return positive


def expected_share(mean: Array, sd: Array) -> Array:
    """Return the mean of 1 − exp(−d/t), where d > 0, of a normally distributed depth d (mm)."""
    shifted = (mean - sd**2 / TOUCH) / sd
    # Far below nothing the exponential runs away while what it multiplies vanishes faster.
    faded = np.exp(np.minimum(-mean / TOUCH + 0.5 * (sd / TOUCH) ** 2, 50.0))
    return np.clip(cdf(mean / sd) - faded * cdf(shifted), 0.0, 1.0)


def expected_width(mean: Array, sd: Array) -> Array:
    """Return the mean of o − t(1 − exp(−o/t)), where o > 0, of a normally distributed overlap o (mm)."""
    return np.maximum(expected_depth(mean, sd) - TOUCH * expected_share(mean, sd), 0.0)
