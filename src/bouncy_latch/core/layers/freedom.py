"""From predicted contacts to the chance that two bodies come free, along or about the way they are meant to move.

The breakaway is Σ weld area × bond strength of its kind × arm. It is known at a few growths; between them it is
interpolated, local edge noise is averaged over, and growth and sag are integrated over what the process says of them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.layers.breakaway import Freeing, Strength, growth_nodes, nodes_of, outcome_chances
from bouncy_latch.core.layers.predict import Hung, Prediction
from bouncy_latch.core.layers.welds import SAG, STACKED, Weld
from bouncy_latch.core.process.profile import Process

Array = npt.NDArray[np.float64]
Arm = Callable[[tuple[float, float, float]], float]

SAG_BOND = 0.02
"""Bond of a strand that hung down one layer, as part of a pressed one's (common practice, no source)."""
SAG_FADE = 6.0
"""Every further layer of air makes that so many times weaker (common practice, no source)."""
_NOISE, _NOISE_WEIGHTS = np.polynomial.hermite_e.hermegauss(9)
_NOISE_WEIGHTS = _NOISE_WEIGHTS / _NOISE_WEIGHTS.sum()


def bond(weld: Weld, process: Process) -> float:
    """Return the strength of a weld by its kind, MPa."""
    if weld.kind == SAG:
        return _sag_bond(round(weld.drop / process.layer_height), process)
    return process.bond_stacked if weld.kind == STACKED else process.bond_side


def _sag_bond(empty: int, process: Process) -> float:
    return process.bond_stacked * SAG_BOND / SAG_FADE ** (max(empty, 1) - 1)


def breakaway(welds: Sequence[Weld], process: Process, arm: Arm) -> float:
    """Return what breaks some welds, N·mm (arms in mm) or N (arms of 1)."""
    return math.fsum(w.area * bond(w, process) * math.fsum(map(arm, w.points)) / len(w.points) for w in welds)


def moment_at(prediction: Prediction, process: Process, arm: Arm, growth: Array) -> Array:
    """Return the breakaway of stacked and side welds at some growths (n,), local edge noise averaged over, N·mm or N."""
    known, contacts = prediction.curve.growths, prediction.curve.contacts
    if not contacts:
        return np.zeros(len(growth))
    levers = np.array([bond(w, process) * math.fsum(map(arm, w.points)) / len(w.points) for w in contacts])
    values = levers @ prediction.curve.areas
    if len(known) == 1:
        return np.full(len(growth), values[0])
    from scipy.interpolate import PchipInterpolator

    # More growth never welds less; slices rounded to whole layers may say so by a hair. From where welding begins the
    # overlap widens and spreads at once, so the root of the moment is what grows evenly.
    curve = PchipInterpolator(known, np.sqrt(np.maximum.accumulate(values)))
    smear = process.edge_noise / math.sqrt(2) * _NOISE
    at = np.clip(growth[:, None] + smear[None, :], known[0], known[-1])
    return np.asarray(curve(at) ** 2 @ _NOISE_WEIGHTS)


def moment_of_sag(hung: Sequence[Hung], process: Process, arm: Arm, sag: Array) -> Array:
    """Return the breakaway of sag welds at some sags of a 10 mm span (n,), N·mm or N."""
    total = np.zeros(len(sag))
    for item in hung:
        lever = _sag_bond(item.empty, process) * arm((item.x, item.y, item.z))
        total += lever * item.area * np.array([item.touches(float(s)) for s in sag])
    return total


def freed(prediction: Prediction, process: Process, arm: Arm, strength: Strength, least_gap: float) -> Freeing:
    """Return the chance of each outcome for the bodies of a prediction.

    Args:
        arm: lever of a weld at a point (mm) about the freedom; 1 where a force breaks it.
        least_gap: least drawn clearance between surfaces that stay together, mm per side.
    """
    growth, weights = growth_nodes(process)
    sag, sag_weights = nodes_of(process.sag)
    laid = moment_at(prediction, process, arm, growth)
    hung = moment_of_sag(prediction.hung, process, arm, sag) if prediction.hung else np.zeros(1)
    sag_weights = sag_weights if prediction.hung else np.ones(1)
    moments = (laid[:, None] + hung[None, :]).ravel()
    both = (weights[:, None] * sag_weights[None, :]).ravel()
    gaps = np.repeat(least_gap - 2 * growth, len(hung))
    return Freeing(
        chances=outcome_chances(moments, both, gaps, strength, process.bond_spread),
        breakaway=breakaway(prediction.welds, process, arm),
        weld_area=math.fsum(w.area for w in prediction.welds),
        printed_gap=least_gap - 2 * process.growth.mean, strength=strength)
