"""What readings say of the numbers that are believed: linear but for how far those at several places differ.

Jaws rest on high points, outside and in a hole, so a reading tells growth and ridges together.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from bouncy_latch.core.layers.fits import JAW
from bouncy_latch.core.learn.posterior.names import (
    FOOT,
    GROWTH,
    HOLE,
    MODULUS,
    NAMES,
    PEG_TERM,
    RIDGE,
    SAG,
    SHRINK,
    SPRING_FORCE,
)
from bouncy_latch.core.numbers import Array, normal_nodes
from bouncy_latch.core.process.evidence import Reading
from bouncy_latch.core.process.profile import Process, hole_shrink

BY_JAWS = ("outside", "peg", "hole")
"""Features between whose places readings scatter with the ridges."""
SEAM = "seam"
"""The feature of a peg that is read with a jaw on the line where its layers begin."""
_OF_PEG = ("peg", SEAM)
ONE_LAYER, ONE_LAYER_SD = 0.71, 0.4
"""How far jaws on the first layer rest out, as part of how far they do on the block above it, and the spread of that. Jaws on
several layers rest on the widest of them, and nobody knows which part of the ridges goes along a layer and which from layer to
layer (all parts alike likely; thin layers waver more from one to the next). Where all goes along the layers, the highest peaks
of two sides with six each stand 2 × 1.27 deviations out, the widest of three such layers 3.3, of a boss's seventeen 4.2, and
the first layer shows 0.18 of a boss's ridges less (expected greatest of normal values; H. L. Harter, "Expected values of normal
order statistics", 1961); over all parts it is 0.29 ± 0.44 (by drawing), of which 0.18 are in ``PART_NOISE``."""
PART_NOISE = 0.03
"""How far one printed size differs from the next for reasons nobody models, mm (common practice, no source)."""
BEND_LOAD, BEND_LENGTH, BEND_WIDTH, BEND_DEPTH = 1.0, 60.0, 8.0, 2.4
"""The bend bar: newtons at the tip of a clamped bar, mm."""
HAND = 0.015
"""Spread of readings that a hand takes of one and the same place, mm (common practice, no source)."""
ALIKE = 0.4
"""Spread of the logarithm of how far a surface's readings scatter for the height of its ridges: jaws find the same ones
again, or it is no normal one (common practice, no source)."""
_UNLIKE = 7
"""Values that stand for that spread."""
WEIGHING = 0.06
"""How far a weighed spring's stiffness is off: a travel read by eye, a bar that is not even (common practice, no source)."""
JAW_FLAT = 0.6
"""Width of the flat of a caliper's inside jaws, mm; between 0.3 and 0.8 (common practice, no source)."""
JAW_SD = 0.5
"""Spread of the highest of the 25 or so ridges that a jaw meets, in standard deviations of the surface (order statistics of a
normal sample, 0.48 for 25, by numerical integration)."""


def linear(item: Reading, growth: float) -> tuple[Array, float, float] | None:
    """Return the row H (N,), the value and its variance of a reading, so that value ≈ H · numbers; None: not linear.

    ``growth``: what is believed of it so far, mm per side; what is not quite linear is taken about it.
    """
    count = len(item.values)
    value = math.fsum(item.values) / count
    own = np.var(item.values, ddof=1) / count if count > 2 else 0.02**2 / count
    variance = float(own) + PART_NOISE**2
    d = item.nominal
    row = np.zeros(len(NAMES))
    if item.feature in {"outside", *_OF_PEG, "length", "first layer"}:
        row[GROWTH], row[RIDGE], row[SHRINK] = 2.0, 2.0 * (ONE_LAYER if item.feature == "first layer" else 1.0), -d / 100
        row[PEG_TERM] = -2.0 * hole_shrink(1.0, d / 2) if item.feature in _OF_PEG else 0.0
        row[FOOT] = 2.0 if item.feature == "first layer" else 0.0
        return row, value - d, variance
    if item.feature == "hole":
        row[GROWTH], row[RIDGE], row[HOLE], row[SHRINK] = -2.0, -2.0, -2.0 * hole_shrink(1.0, d / 2), -d / 100
        # Flat jaws are chords of the hole: they touch w²/(2d) before its diameter does.
        chord = JAW_FLAT**2 / (2 * max(d, 2 * JAW_FLAT))
        return row, value - d + chord, variance + chord**2
    if item.feature == "sag" and d > 0:
        row[SAG] = (d / 10) ** 4
        return row, value, variance + (0.15 * value) ** 2
    if item.feature == "bend" and value > 0:
        # Droop = F L³ / (3 E I); the logarithm is linear in log E.
        inertia = BEND_WIDTH * BEND_DEPTH**3 / 12
        row[MODULUS] = 1.0
        return row, math.log(BEND_LOAD * BEND_LENGTH**3 / (3 * inertia * value)), variance / value**2 + 0.05**2
    if item.feature == "weighed" and value > 0 and d > 0:
        # Its force is as E·(t + 2g)³: read as drawn, log E + 3 log(1 + 2g/t), linear in g about what is believed of it.
        bar = max(d + 2 * growth, 0.2 * d)
        # What springs are stiffer than worked out is in it, too.
        row[MODULUS], row[SPRING_FORCE], row[GROWTH] = 1.0, 1.0, 6 / bar
        return row, math.log(1000 * value) - 3 * math.log(bar / d) + 6 / bar * growth, WEIGHING**2 / count
    return None


def scattered(items: Sequence[Reading], heights: Array) -> Array | None:
    """Return the log-likelihood of heights of the ridges, mm, from how readings by jaws differ between places; None: from none.

    Two jaws each rest on the highest of many ridges; beyond a hand's own their readings scatter by √2 · :data:`JAW_SD` of the
    surface's standard deviation, of which ridges stand ``fits.JAW`` out. The variance of n + 1 normal readings times n is χ²
    distributed with n degrees of freedom.
    """
    several = [item for item in items if item.feature in BY_JAWS and len(item.values) > 2]
    free = sum(len(item.values) - 1 for item in several)
    if not free:
        return None
    pooled = math.fsum(float(np.var(item.values, ddof=1)) * (len(item.values) - 1) for item in several) / free
    nodes, weights = normal_nodes(_UNLIKE)
    own = math.sqrt(2) * JAW_SD / JAW * heights[:, None] * np.exp(ALIKE * nodes)
    variance = HAND**2 + own**2
    found = -0.5 * free * (np.log(variance) + pooled / variance)
    top = found.max()
    return np.asarray(np.log(np.exp(found - top) @ weights) + top)


def rough_as(process: Process, ridge: float) -> Process:
    """Return a process whose edges waver as its ridges say, in steps of a two-hundredth."""
    return process.model_copy(update={"edge_noise": min(max(round(ridge / JAW / 0.005) * 0.005, 0.01), 0.12)})
