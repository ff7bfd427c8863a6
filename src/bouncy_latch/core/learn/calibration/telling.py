"""Which sizes a ladder should step: those whose outcomes tell most, and what is known once they are printed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.layers.likelihood import OfTerm
from bouncy_latch.core.learn.calibration.ladders import ladder_of, piece_sizes
from bouncy_latch.core.learn.posterior.belief import Belief
from bouncy_latch.core.learn.posterior.names import NAMES
from bouncy_latch.core.learn.posterior.outcome import likelihood_of
from bouncy_latch.core.learn.posterior.outcome_grid import OF_FAMILIES, values_of
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.process.profile import Process

Chances = np.ndarray[Any, np.dtype[np.float64]]

APART = 0.03
"""Least difference between two steps that are chosen for the user, mm."""
_GRID = 0.015
"""Between two sizes whose outcomes are looked at, mm."""


def telling_steps(kind: Kind, process: Process, belief: Belief, count: int = 4) -> tuple[float, ...]:
    """Return the sizes of a ladder whose outcomes tell most about the process, least first.

    At every size the information an outcome would bring, H(mean chance) − mean H(chance) over what is believed, is worked
    out; the steps lie at equal shares of its square.
    """
    ladder_of(kind)
    facts = kind.params.facts()[kind.recommend]
    # A gap of a joint is never less than what welds for certain; what may be negative begins where it may.
    low = facts.low if facts.low < 0 else max(facts.low, 0.06)
    values, information = [], []
    for value in np.round(np.arange(low, min(facts.high, 0.7), _GRID), 4):
        try:
            chances, weights = _step_chances(kind, process, belief, float(value))
        except SolveError:
            continue  # nothing of that size can be made
        values.append(float(value))
        mean = np.einsum("gw,gwc->c", weights, chances)
        information.append(_entropy(mean) - float(np.einsum("gw,gw->", weights, _entropies(chances))))
    if not values:
        span = f"from {low:g} to {min(facts.high, 0.7):g} {facts.unit}"
        raise SolveError(f"no {facts.label} {span} can be made with these sizes, so there is nothing to step",
                         field=kind.recommend)
    told = np.maximum(np.array(information), 1e-6) ** 2
    shares = np.cumsum(told) / told.sum()
    picked: list[float] = []
    for i in range(count):
        value = float(np.interp((i + 0.5) / count, shares, values))
        value = facts.rounded(value)
        # Two steps nearer to each other than a hand can tell apart teach the same twice.
        value = max(value, round(picked[-1] + APART, 4)) if picked else value
        picked.append(round(min(value, facts.high, values[-1] + APART), 4))
    return tuple(picked)


def _step_chances(kind: Kind, process: Process, belief: Belief, value: float, square: bool = False
                  ) -> tuple[Chances, Chances]:
    """Return the chance of every outcome of one step over what is believed, and how likely that is: over growth and weld
    factor, (G, W, 5) and (G, W), or over growth and what the kind's family does not know, (G, V, 5) and (G, V)."""
    printed = likelihood_of(kind.figures(piece_sizes(kind, value, square)[0], process))
    if isinstance(printed, OfTerm) and printed.term in OF_FAMILIES:
        values, shares = values_of(belief.mean, belief.cov, NAMES.index(printed.term), belief.growths)
        return printed.at(belief.growths, values), belief.weights.sum(axis=1)[:, None] * shares
    return printed.chances(belief.growths, belief.factors), belief.weights


def expected_spread(kind: Kind, process: Process, belief: Belief, steps: Sequence[float], square: bool = False,
                    tries: int = 24) -> float:
    """Return the standard deviation of growth (mm per side) to be expected after a ladder of ``steps``, the widest one on the
    bed ``square`` or not, seeded."""
    chances = []
    weights = belief.weights
    for value in steps:
        found, weights = _step_chances(kind, process, belief, float(value), square and value == max(steps))
        chances.append(found)
    shape = weights.shape
    rng = np.random.default_rng(20261123)
    flat = weights.ravel()
    variances = []
    for truth in rng.choice(len(flat), size=tries, p=flat):
        weights = flat.copy()
        for table in chances:
            rows = table.reshape(-1, table.shape[2])
            seen = rng.choice(rows.shape[1], p=rows[truth] / rows[truth].sum())
            weights = weights * (0.97 * rows[:, seen] + 0.006)
        own = (weights / weights.sum()).reshape(shape).sum(axis=1)
        mean = float(own @ belief.growths)
        variances.append(float(own @ (belief.growths - mean) ** 2))
    return math.sqrt(float(np.mean(variances)))


def _entropy(chances: Chances) -> float:
    inside = chances[chances > 1e-12]
    return float(-(inside * np.log(inside)).sum())


def _entropies(chances: Chances) -> Chances:
    safe = np.maximum(chances, 1e-12)
    return np.asarray(-(safe * np.log(safe)).sum(axis=2))
