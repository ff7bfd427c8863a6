"""What single outcomes say, together: over growth and weld factor, and over growth and one number more that some depend on.

Outcomes of such a number share its value: their chances are multiplied before it is integrated out.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.likelihood import Likelihood, OfTerm
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import OUTCOMES
from bouncy_latch.core.process.evidence import Result

GROWTH = 0
"""The place of growth among the numbers that are believed."""
SLIP = 0.03
"""Chance that an outcome was misjudged or misrecorded (common practice, no source)."""
TERMS = ("flank",)
"""Numbers besides growth that outcomes of some kinds depend on."""
_V = 13
"""Values that stand for what is known of such a number."""


@frozen
class Told:
    """What an outcome says: its chance over growth and weld factor (G, W), or over growth and values of a term (G, V)."""

    item: Result
    likely: Array
    term: str = ""

    def over_growth(self, terms: Mapping[str, tuple[Array, Array]]) -> Array:
        """Return its chance over growth and weld factor, (G, W) or (G, 1); ``terms``: values and weights by name."""
        return (self.likely @ terms[self.term][1])[:, None] if self.term else self.likely


def values_of(mean: Array, cov: Array, at: int) -> tuple[Array, Array]:
    """Return values (V,) of number ``at`` that stand for what is known of it, and their weights (V,)."""
    parts = np.linspace(-3.0, 3.0, _V)
    own = np.exp(-0.5 * parts**2)
    return mean[at] + math.sqrt(cov[at, at]) * parts, own / own.sum()


def told_by(item: Result, likelihood: Likelihood, rank: int, grid: tuple[Array, Array],
          terms: Mapping[str, tuple[Array, Array]]) -> Told:
    """Return what an outcome says, a slip of the record allowed for."""
    growths, factors = grid
    if isinstance(likelihood, OfTerm):
        found, term = likelihood.at(growths, terms[likelihood.name][0])[:, :, rank], likelihood.name
    else:
        found, term = likelihood.chance_of(rank, growths, factors), ""
    return Told(item, (1 - SLIP) * found + SLIP / len(OUTCOMES), term)


def together(told: Sequence[Told], terms: Mapping[str, tuple[Array, Array]], like: Array) -> Array:
    """Return the log-likelihood of all outcomes over growth and weld factor (G, W); those of one term share its value."""
    found = np.zeros_like(like)
    for each in told:
        if not each.term:
            found += np.log(each.likely)
    for name, (_, own) in terms.items():
        shown = [each.likely for each in told if each.term == name]
        if shown:
            found += np.log(np.prod(shown, axis=0) @ own)[:, None]
    return found


def taught(mean: Array, cov: Array, at: int, growths: Array, weights: Array, values: Array, likely: Array
            ) -> tuple[Array, Array]:
    """Return mean and covariance once number ``at`` follows what outcomes say over growth and its values, (G, V).

    ``weights``: of growth by all outcomes, (G,). What else is believed follows growth alone.
    """
    joint = weights[:, None] * likely / likely.sum(axis=1, keepdims=True)
    own = joint.sum(axis=0)
    middle, growth = float(own @ values), float(weights @ growths)
    shared = float(np.einsum("gv,g,v->", joint, growths - growth, values - middle))
    mean, cov = mean.copy(), cov.copy()
    mean[at] = middle
    row = cov[:, GROWTH] / cov[GROWTH, GROWTH] * shared
    row[at] = float(own @ (values - middle) ** 2)
    cov[at, :] = cov[:, at] = row
    return mean, cov
