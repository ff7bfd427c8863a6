"""What a hand feels when two printed parts are put together: the force that their ridges, pressed flat, take to slide.

Printed surfaces meet at their ridges, so a snug peg has a mean clearance around nothing. Heights of both surfaces together are
normal with a standard deviation s; at a mean clearance c what reaches across is s·F₁(c/s) a unit of area on average, F₁(x) =
φ(x) − x(1 − Φ(x)) (J. A. Greenwood and J. B. P. Williamson, "Contact of nominally flat surfaces", Proc. R. Soc. A 295, 1966),
and ridges pressed so far push back with a stiffness and rub. Where each class of fit begins is a force, not a gap.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from bouncy_latch.core.numbers import Array, cdf, normal_nodes
from bouncy_latch.core.process.profile import Process

JAW = 2.0
"""How many standard deviations of a surface its ridges stand out as jaws find them: the highest of some 25, the layers of a peg
5 mm tall (order statistics of a normal sample, 1.97 for 25, by numerical integration)."""
STIFFNESS = 11.0
"""Of printed ridges pressed flat, MPa per mm: 0.05 a side of interference takes about 20 N on 100 mm² (common practice, no
source)."""
RUBBING = 0.35
"""Friction of printed plastic on itself (common practice, no source)."""
FELT, PRESSED, NO_HAND = 0.3, 12.0, 40.0
"""Newtons on 100 mm² of fit: above the first it no longer slides by itself, above the second it is pressed in, above the third
it wants a hammer (common practice, no source)."""
LOOSE = 0.2
"""Clearance per side beyond which a sliding part rattles, mm (common practice, no source)."""
TOGETHER = ("growth", "hole_term", "ridge", "peg_term")
"""Numbers of a process whose correlations it holds, in order."""
_RIDGE = TOGETHER.index("ridge")
_ROUGH, _ROUGH_WEIGHTS = normal_nodes(5)


def push(clearance: Array, rough: Array | float) -> Array:
    """Return the push that a fit takes, N on 100 mm², at mean clearances (mm per side); ``rough``: s, mm."""
    x = np.asarray(clearance, dtype=np.float64) / rough
    reach = np.exp(-0.5 * x**2) / math.sqrt(2 * math.pi) - x * (1 - cdf(x))
    return np.asarray(100 * RUBBING * STIFFNESS * rough * np.maximum(reach, 0.0), dtype=np.float64)


@lru_cache(maxsize=256)
def limits(rough: float, firm: float = 1.0) -> tuple[float, float, float, float]:
    """Return the mean clearances (mm per side, rising) between the classes of fit: hammer, press, snug, slides, loose.

    ``firm``: what a hand calls one force or another, over what the usual one does.
    """
    edges = []
    for force in (NO_HAND, PRESSED, FELT):
        low, high = -1.0, 1.0
        while high - low > 1e-5:
            middle = (low + high) / 2
            low, high = (middle, high) if float(push(np.array([middle]), rough)[0]) > firm * force else (low, middle)
        edges.append(high)
    return edges[0], edges[1], edges[2], max(LOOSE, edges[2] + 0.05)


def given_ridges(process: Process, surfaces: int, hole: float, peg: float) -> tuple[Array, float]:
    """Return what takes from a drawn clearance, mm per side: its means at the nodes of :func:`rough_nodes`, its spread there.

    ``surfaces``: how many of the two grow; ``hole``, ``peg``: parts of the hole and the peg term that count. What is believed
    of growth, both terms and ridges is jointly normal.
    """
    spreads = [getattr(process, name) for name in TOGETHER]
    sd = np.array([each.sd for each in spreads])
    hangs = np.eye(len(TOGETHER))
    hangs[np.triu_indices(len(TOGETHER), 1)] = process.correlated
    cov = np.outer(sd, sd) * np.triu(hangs, 1)
    cov = cov + cov.T + np.diag(sd**2)
    row = np.array([surfaces, hole, 0.0, -peg])
    mean, variance, shared = float(row @ [each.mean for each in spreads]), float(row @ cov @ row), float(row @ cov[:, _RIDGE])
    if not sd[_RIDGE]:
        return np.array([mean]), math.sqrt(max(variance, 0.0))
    leans = shared / sd[_RIDGE]
    return mean + leans * _ROUGH, math.sqrt(max(variance - leans**2, 0.0))


def rough_nodes(process: Process, printed: int = 2) -> tuple[tuple[float, ...], Array]:
    """Return combined roughnesses s (mm) of ``printed`` surfaces and their weights, over the spread of the ridges."""
    ridge = process.ridge
    heights = np.maximum(ridge.mean + ridge.sd * _ROUGH, 0.005) if ridge.sd else np.array([max(ridge.mean, 0.005)])
    weights = _ROUGH_WEIGHTS if ridge.sd else np.ones(1)
    return tuple(round(float(math.sqrt(printed) * height / JAW), 4) for height in heights), weights
