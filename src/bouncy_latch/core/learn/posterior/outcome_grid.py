"""What single outcomes say, together: over growth and weld factor, and over one number more that some depend on.

Outcomes of such a number share its value: their chances are multiplied before it is integrated out.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.likelihood import FOOT, Likelihood
from bouncy_latch.core.learn.posterior.names import GROWTH
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import OUTCOMES
from bouncy_latch.core.process.evidence import Result

SLIP = 0.03
"""Chance that an outcome was misjudged or misrecorded (common practice, no source)."""
OF_FAMILIES = ("flank", "pocket", "boss", "snap_force")
"""What the models of single families do not know, which their outcomes tell."""
TERMS = (*OF_FAMILIES, FOOT)
"""Numbers besides growth that some outcomes depend on."""
OFF = 0.024
"""How far what outcomes in place say of growth is off on one printer, all together, mm per side (common practice, no
source)."""
_V = 7
"""Values that stand for what is known of such a number."""


@frozen
class Known:
    """What is known before any outcome: over the grid of growth and weld factor, and of every term.

    Attributes:
        growths, factors: the grid, (G,) and (W,). log_weights: (G, W).
        terms: by name, values of every term at every growth (G, V), and their weights (V,).
    """

    growths: Array
    factors: Array
    log_weights: Array
    terms: Mapping[str, tuple[Array, Array]]

    def told(self, item: Result, likelihood: Likelihood, rank: int) -> Told:
        """Return what an outcome says, a slip of the record allowed for."""
        if term := likelihood.term:
            found = likelihood.chance_given(rank, self.growths, self.factors, self.terms[term][0])
        else:
            found = likelihood.chance_of(rank, self.growths, self.factors)[:, None, :]
        likely = (1 - SLIP) * found
        likely += SLIP / len(OUTCOMES)
        return Told(item, np.log(likely, out=likely), term)

    def likely(self, each: Told) -> Array:
        """Return the chance of an outcome over the grid, (G, W) or (G, 1)."""
        likely = np.exp(each.log_likely)
        return np.asarray(np.einsum("gvw,v->gw", likely, self.terms[each.term][1]) if each.term else likely[:, 0])

    def weights(self, said: Mapping[str, Array]) -> Array:
        """Return the weights of the grid after what outcomes ``said``, (G, W), sum 1."""
        return self._weighed(self._heard(said))

    def joint(self, said: Mapping[str, Array], name: str) -> Array:
        """Return the weights of growths and values of a term after what outcomes ``said``, (G, V), sum 1."""
        own = said[name]
        if name in OF_FAMILIES:
            heard = self._heard({term: each for term, each in said.items() if term != name})[:, None, :] + own
        else:
            welds = self._together({term: each for term, each in said.items() if term not in {name, *OF_FAMILIES}})[:, None, :]
            pressed = self._together({term: each for term, each in said.items() if term in OF_FAMILIES})[:, None, :]
            heard = self._blurred(welds + own) + pressed
        return np.asarray(self._weighed(heard, np.log(self.terms[name][1])[:, None]).sum(axis=2))

    def _heard(self, said: Mapping[str, Array]) -> Array:
        """Return what outcomes ``said`` over the grid, (G, W): what welds may be off together, see :data:`OFF`; what a family's
        model does not know is a number of its own."""
        welds = self._together({term: each for term, each in said.items() if term not in OF_FAMILIES})
        return self._blurred(welds) + self._together({term: each for term, each in said.items() if term in OF_FAMILIES})

    def _together(self, said: Mapping[str, Array]) -> Array:
        """Return what outcomes ``said`` over the grid, (G, W); those of one term share its value."""
        found = np.zeros_like(self.log_weights)
        for term, shown in said.items():
            if term:
                top = shown.max()
                mean = np.einsum("gvw,v->gw", np.exp(shown - top), self.terms[term][1])
                found += np.log(np.maximum(mean, 1e-300)) + top
            else:
                found += shown[:, 0]
        return found

    def _weighed(self, log_likely: Array, log_term: Array | float = 0.0) -> Array:
        """Return weights, sum 1, from a log-likelihood (G, W), or (G, V, W) with how likely each value of a term is, (V, 1)."""
        before = self.log_weights if log_likely.ndim == 2 else self.log_weights[:, None, :] + log_term
        found = before + log_likely
        weights = np.exp(found - found.max())
        return np.asarray(weights / weights.sum())

    def _blurred(self, log_likely: Array) -> Array:
        """Return a log-likelihood when all outcomes of a printer may be off together by :data:`OFF` of growth."""
        if not log_likely.any():
            return log_likely
        step = float(self.growths[1] - self.growths[0])
        reach = math.ceil(3 * OFF / step)
        kernel = np.exp(-0.5 * (step * np.arange(-reach, reach + 1) / OFF) ** 2)
        top = float(log_likely.max())
        padded = np.pad(np.exp(np.maximum(log_likely - top, -700.0)), [(reach, reach), *[(0, 0)] * (log_likely.ndim - 1)],
                        mode="edge")
        found = sum(weight * padded[i:i + len(self.growths)] for i, weight in enumerate(kernel / kernel.sum()))
        return np.asarray(np.log(np.maximum(found, 1e-300)) + top)


@frozen
class Told:
    """What an outcome says: the logarithm of its chance over growths, values of a term and weld factors, (G, V, W), with one in
    place of V or W where they do not count."""

    item: Result
    log_likely: Array
    term: str = ""


def said_by(told: Sequence[Told]) -> dict[str, Array]:
    """Return what outcomes say together, a log-likelihood (G, V, W) for every term and for those of none."""
    said: dict[str, Array] = {}
    for each in told:
        if each.term in said:
            said[each.term] += each.log_likely
        else:
            said[each.term] = each.log_likely.copy()
    return said


def values_of(mean: Array, cov: Array, at: int, growths: Array) -> tuple[Array, Array]:
    """Return values of number ``at`` at every growth that stand for what is known of it there, (G, V), and weights (V,)."""
    leans = cov[at, GROWTH] / cov[GROWTH, GROWTH]
    rest = math.sqrt(max(cov[at, at] - leans * cov[at, GROWTH], 0.0))
    parts = np.linspace(-2.5, 2.5, _V)
    own = np.exp(-0.5 * parts**2)
    own /= own.sum()
    # So that few values spread as much as what they stand for.
    parts /= math.sqrt(float(own @ parts**2))
    return mean[at] + leans * (growths - mean[GROWTH])[:, None] + rest * parts, own


def followed(mean: Array, cov: Array, growths: Array, weights: Array) -> tuple[Array, Array]:
    """Return mean and covariance after growth alone became ``weights`` over ``growths``, (G,)."""
    return _regressed(mean, cov, [GROWTH], growths[None, :], weights)


def taught(mean: Array, cov: Array, at: int, growths: Array, values: Array, joint: Array) -> tuple[Array, Array]:
    """Return mean and covariance after growth and number ``at`` became ``joint`` (G, V) over growths and ``values`` (G, V)."""
    both = np.stack([np.broadcast_to(growths[:, None], values.shape).ravel(), values.ravel()])
    return _regressed(mean, cov, [GROWTH, at], both, joint.ravel())


def _regressed(mean: Array, cov: Array, picked: list[int], values: Array, weights: Array) -> tuple[Array, Array]:
    """Return mean and covariance after the ``picked`` numbers (k) became ``weights`` (n,) over ``values`` (k, n); the others
    follow by their regression on them."""
    new = values @ weights
    left = (values - new[:, None]) * weights @ (values - new[:, None]).T
    own = cov[np.ix_(picked, picked)]
    gain = np.linalg.solve(own, cov[picked]).T
    return mean + gain @ (new - mean[picked]), cov - gain @ (own - left) @ gain.T
