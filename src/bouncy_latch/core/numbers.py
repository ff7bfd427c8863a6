"""Small numerical ideas shared everywhere: arrays of numbers, the normal distribution, values that stand for a spread.

Φ comes from the standard library's error function: SciPy's own would do, but importing it takes a third of the time in
which the window must be usable.
"""

from __future__ import annotations

import math
import sys
from collections.abc import Callable
from typing import TypeVar

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
_Any = TypeVar("_Any", bound=np.generic)

_erf = np.frompyfunc(math.erf, 1, 1)


def cdf(x: npt.ArrayLike) -> Array:
    """Return Φ(x), elementwise; by SciPy's once something else has loaded it."""
    special = sys.modules.get("scipy.special")
    if special is not None and hasattr(special, "ndtr"):
        return np.asarray(special.ndtr(np.asarray(x, dtype=np.float64)))
    return 0.5 * (1.0 + np.asarray(_erf(np.asarray(x, dtype=np.float64) / math.sqrt(2.0)), dtype=np.float64))


def about_cdf(x: Array) -> Array:
    """Return Φ(x), elementwise, within 0.00014, many times faster than :func:`cdf`.

    Source: S. R. Bowling, M. T. Khasawneh, S. Kaewkuekool and B. R. Cho, "A logistic approximation to the cumulative normal
    distribution", Journal of Industrial Engineering and Management 2 (2009).
    """
    found = x * x
    found *= 0.03528
    found += 0.7988
    found *= x
    np.tanh(found, out=found)
    found += 1.0
    found *= 0.5
    return found


def above_normal(x: Array) -> Array:
    """Return 1 − Φ(x), elementwise, within 1.2e-7 of its value however far out.

    Source: W. H. Press et al., "Numerical Recipes", 2nd edition, 6.2 (a Chebyshev fit of erfc).
    """
    z = np.abs(x) / math.sqrt(2.0)
    t = 1.0 / (1.0 + 0.5 * z)
    found = np.zeros_like(t)
    for term in (0.17087277, -0.82215223, 1.48851587, -1.13520398, 0.27886807, -0.18628806, 0.09678418, 0.37409196, 1.00002368,
                 -1.26551223):
        found = found * t + term
    tail = 0.5 * t * np.exp(-z * z + found)
    return np.where(x >= 0, tail, 1.0 - tail)


def normal_nodes(count: int) -> tuple[Array, Array]:
    """Return values of a standard normal variable and their weights, both (count,), sum 1 (Gauss–Hermite)."""
    nodes, weights = np.polynomial.hermite_e.hermegauss(count)
    return nodes, weights / weights.sum()


def distinct(values: npt.NDArray[_Any]) -> npt.NDArray[_Any]:
    """Return the different values in rising order; NumPy's own loads its masked arrays for it, a tenth of a short command."""
    rising = np.sort(values, axis=None)
    return rising[np.append(True, rising[1:] != rising[:-1])] if rising.size else rising


def on_grid(value: float, step: float, low: float, high: float) -> float:
    """Return the multiple of ``step`` nearest to ``value``, kept from ``low`` to ``high``."""
    return round(min(high, max(low, round(value / step) * step)), 6)


def closed_in(off: Callable[[float], float], good: tuple[float, float], bad: tuple[float, float],
              tolerance: float, step: float = 0.0,
              crosses: Callable[[float, float], float | None] | None = None) -> tuple[float, float]:
    """Return a place that passes (``off`` ≤ 0) and one that does not, at most ``tolerance`` apart, between two such ones.

    It is looked for a little beyond where a straight line crosses, by turns on either side so that both ends close in, and
    half way after a step that drew them little nearer: mostly half as many steps as halving takes, twice as many at worst.

    Args:
        good, bad: a place and ``off`` there, which may be infinite.
        step: of a grid that both and all places between lie on; then the two are neighbours.
        crosses: from two such places to one between them where it is better expected than on a straight line, and may be looked
            for twice before half way; None: it is not.
    """
    (inside, below), (outside, above) = good, bad
    tolerance = max(tolerance, 1.01 * step)
    passed, before, slow, patience = True, math.inf, 0, 2 if crosses else 1
    while (wide := abs(outside - inside)) > tolerance:
        reach = wide / 2
        slow = 0 if wide < 0.6 * before or slow == patience else slow + 1
        if slow < patience and math.isfinite(below) and math.isfinite(above):
            there = crosses(inside, outside) if crosses else None
            expected = wide * -below / (above - below) if there is None else abs(there - inside)
            beyond = expected + (0.4 if passed else -0.4) * tolerance
            reach = min(max(beyond, 0.4 * tolerance), wide - 0.4 * tolerance)
        if step:
            reach = min(max(round(reach / step), 1), round(wide / step) - 1) * step
        before = wide
        tried = inside + math.copysign(reach, outside - inside)
        found = off(tried)
        passed = found <= 0
        if passed:
            inside, below = tried, found
        else:
            outside, above = tried, found
    return inside, outside


def round_ticks(low: float, high: float, most: int) -> list[float]:
    """Return round numbers (steps of 1, 2 or 5 times a power of ten) between two bounds, at most about ``most``."""
    if not high > low:
        return [low]
    rough = (high - low) / max(most, 1)
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(factor * power for factor in (1, 2, 5, 10) if factor * power >= 0.999 * rough)
    first, last = math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9)
    return [round(i * step, 10) + 0.0 for i in range(first, last + 1)]


def groups_of(pairs: npt.NDArray[np.int64], count: int) -> list[npt.NDArray[np.int64]]:
    """Return which of ``count`` things hang together by ``pairs`` (n, 2), as groups of their indices in rising order.

    Labels run to the smallest in reach, with every label also looking up its own label: a few rounds do.
    """
    label = np.arange(count)
    first, second = pairs[:, 0], pairs[:, 1]
    while True:
        low = np.minimum(label[first], label[second])
        before = label.copy()
        np.minimum.at(label, first, low)
        np.minimum.at(label, second, low)
        label = label[label]
        if (label == before).all():
            break
    order = np.argsort(label, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(label[order])) + 1) if count else []


def near_groups(points: Array, distance: float) -> list[list[int]]:
    """Return groups of points (n, k) that hang together by steps of at most ``distance``."""
    order = np.argsort(points[:, 0], kind="stable")
    x = points[order, 0]
    # Sorted along x, whatever is near lies between two bounds.
    last = np.searchsorted(x, x + distance, side="right")
    pairs = [np.zeros((0, 2), dtype=np.int64)]
    for i, end in enumerate(last.tolist()):
        if end > i + 1:
            gaps = points[order[i + 1:end]] - points[order[i]]
            close = np.flatnonzero(np.einsum("ij,ij->i", gaps, gaps) <= distance**2)
            pairs.append(np.column_stack([np.full(len(close), order[i]), order[i + 1 + close]]))
    return [group.tolist() for group in groups_of(np.vstack(pairs), len(points))]


def monotone(x: Array, known: Array, values: Array) -> Array:
    """Return at ``x`` the curve through rising points (n,) that is smooth and rises and falls only where they do.

    Cubic pieces with the slopes of F. N. Fritsch and J. Butland, "A method for constructing local monotone piecewise cubic
    interpolants", SIAM J. Sci. Stat. Comput. 5 (1984); at the ends the three-point formula, limited.
    """
    h, d = np.diff(known), np.diff(values) / np.diff(known)
    if len(h) == 1:
        return np.asarray(values[0] + d[0] * (x - known[0]))
    w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
    same = d[:-1] * d[1:] > 0
    safe = np.where(same, d[:-1], 1.0), np.where(same, d[1:], 1.0)
    inner = np.where(same, (w1 + w2) / (w1 / safe[0] + w2 / safe[1]), 0.0)
    slope = np.concatenate([[_end_slope(h[0], h[1], d[0], d[1])], inner, [_end_slope(h[-1], h[-2], d[-1], d[-2])]])
    i = np.clip(np.searchsorted(known, x, side="right") - 1, 0, len(h) - 1)
    t = (x - known[i]) / h[i]
    return np.asarray((1 + 2 * t) * (1 - t) ** 2 * values[i] + t * (1 - t) ** 2 * h[i] * slope[i]
                      + t**2 * (3 - 2 * t) * values[i + 1] + t**2 * (t - 1) * h[i] * slope[i + 1])


def _end_slope(h0: float, h1: float, d0: float, d1: float) -> float:
    found = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if found * d0 <= 0:
        return 0.0
    return 3 * d0 if d0 * d1 <= 0 and abs(found) > 3 * abs(d0) else float(found)


def evenly_spread(dimensions: int, count: int) -> Array:
    """Return points of the unit cube, (count, dimensions), spread evenly: the additive recurrence with the roots of
    x^(d+1) = x + 1 (M. Roberts, "The unreasonable effectiveness of quasirandom sequences", 2018)."""
    root = 1.5
    for _ in range(30):
        root = (1 + root) ** (1 / (dimensions + 1))
    steps = root ** -np.arange(1, dimensions + 1)
    return np.asarray((0.5 + np.arange(1, count + 1)[:, None] * steps) % 1.0)
