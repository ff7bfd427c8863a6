"""Weld prediction from facing surfaces: the quick road, good for every frame of a drag.

A mechanism declares which surfaces of two bodies face each other, how far apart and how tilted; this module says how much
of them welds, which moment breaks that, and the chance of each outcome. The slow road, which slices the real solids, is
:mod:`bouncy_latch.core.layers.predict`; tests hold the two against each other.

Geometry, for a surface tilted θ from vertical at normal clearance c, layer height h, growth g (mm per side): in the layer
plane the gap is c/cos θ while each layer steps h·tan θ, so one body is laid on the other where h·sin θ + 2g·cos θ > c, and
both touch within a layer where 2g·cos θ > c.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.layers.breakaway import Freeing, Strength, growth_nodes, outcome_chances
from bouncy_latch.core.normal import cdf
from bouncy_latch.core.process.profile import Process

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Facing:
    """A pair of facing surfaces of two bodies that must come apart.

    Attributes:
        name: what the user calls the place.
        area: area of the pair, mm².
        tilt: rad from vertical (0 a wall, π/2 a ceiling).
        gap: clearance between the drawn surfaces, normal to them, mm.
        lever: arm of a weld there about the mechanism's axis, mm.
        stays: whether the surfaces face each other throughout the motion, so that play is measured there.
    """

    name: str
    area: float
    tilt: float
    gap: float
    lever: float
    stays: bool = True


def contact_gap(tilt: float, layer_height: float, growth: float) -> float:
    """Return the clearance c* below which one body is laid on the other: h·sin θ + 2g·cos θ, mm."""
    return layer_height * math.sin(tilt) + 2.0 * growth * math.cos(tilt)


def worst_contact_gap(tilts: Sequence[float], layer_height: float, growth: float) -> float:
    """Return the greatest c* over several tilts (rad), mm."""
    return max(contact_gap(tilt, layer_height, growth) for tilt in tilts)


def _expected_overlap(mean: Array, sd: Array) -> Array:
    """Mean of the positive part of a normal variable."""
    z = mean / sd
    positive: Array = mean * cdf(z) + sd * np.exp(-0.5 * z**2) / math.sqrt(2 * math.pi)
    return positive


def weld_areas(faces: Sequence[Facing], process: Process, growth: Array) -> tuple[Array, Array]:
    """Return the expected stacked and side weld areas, each shape (faces, growths), mm².

    Local edge noise is averaged over; ``growth`` (mm per side) is the printer's own and is taken as known.
    """
    area, tilt, gap = np.array([(f.area, f.tilt, f.gap) for f in faces]).T[:, :, None]
    h, noise = process.layer_height, max(process.edge_noise, 1e-4)
    sine, cosine = np.sin(tilt), np.cos(tilt)
    # Two facing edges waver independently, each by the edge noise.
    sd = math.sqrt(2.0) * noise * np.maximum(cosine, 0.05)
    side = area * cosine * cdf((2 * growth * cosine - gap) / sd)
    overlap = _expected_overlap(h * sine + 2 * growth * cosine - gap, sd) / h
    return area * np.minimum(sine, overlap), side


def freeing(faces: Sequence[Facing], process: Process, strength: Strength) -> Freeing:
    """Return the chances of each outcome for joints made of ``faces`` on ``process``."""
    nodes, weights = growth_nodes(process)
    growth = np.append(nodes, process.growth.mean)
    stacked, side = weld_areas(faces, process, growth)
    lever = np.array([f.lever for f in faces])[:, None]
    moments = ((stacked * process.bond_stacked + side * process.bond_side) * lever).sum(axis=0)
    least = min(f.gap for f in faces if f.stays)
    return Freeing(
        chances=outcome_chances(moments[:-1], weights, least - 2 * nodes, strength, process.bond_spread),
        breakaway=float(moments[-1]),
        weld_area=float(stacked[:, -1].sum() + side[:, -1].sum()),
        printed_gap=least - 2 * process.growth.mean,
        strength=strength,
    )
