"""The wall of a tube near its free rim: a beam that shears, on the elastic foundation of its hoops, pulled or pressed along.

Per mm of circumference, E = 1: bending t³/12(1 − ν²), shear 5/6 t/2(1 + ν), foundation t/r² (M. Hetényi, *Beams on Elastic
Foundation*, 1946; shear as S. P. Timoshenko). Linear elements with one point of quadrature each, finest at the joint.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from bouncy_latch.core.flex.section import SHEAR
from bouncy_latch.core.numbers import Array

FAR = 6.0
"""How many times 1/λ of wall are followed behind the joint; what lies further back does not move."""
NEAR, GROWS = 0.03, 1.15
"""Shortest element in parts of 1/λ, and how much longer each next one is."""


@lru_cache(maxsize=256)
def joint(radius: float, wall: float, poisson: float, from_rim: float, pull: float = 0.0) -> tuple[float, float, float]:
    """Return what a line load and a moment do at ``from_rim`` mm from the rim, each per unit of load per mm round, E = 1.

    Args:
        radius: of the middle of the wall, mm. pull: along the wall behind the joint, per mm round and E, mm; below 0 pressed.

    Returns:
        Displacement outward per load; slope per load towards the tube, which is displacement per moment; slope per moment.
    """
    wave = math.sqrt(radius * wall) / (3 * (1 - poisson**2)) ** 0.25
    nodes, at = _nodes(from_rim, wave)
    bending, shear, hoop = wall**3 / (12 * (1 - poisson**2)), SHEAR * wall / (2 * (1 + poisson)), wall / radius**2
    length = np.diff(nodes)
    middle = (nodes[1:] + nodes[:-1]) / 2
    drawn = np.where(middle > from_rim, pull, 0.0)
    count = len(nodes)
    stiff = np.zeros((2 * count, 2 * count))
    # Displacement w and turn θ of both ends; rows of strain: curvature θ′, shear w′ − θ, slope w′; the hoop by w itself.
    for i, h in enumerate(length):
        part = slice(2 * i, 2 * i + 4)
        curved, sheared, sloped = np.array([[0, -1, 0, 1], [-1, -h / 2, 1, -h / 2], [-1, 0, 1, 0]]) / h
        stiff[part, part] += h * (bending * np.outer(curved, curved) + shear * np.outer(sheared, sheared)
                                  + drawn[i] * np.outer(sloped, sloped))
        stiff[2 * i, 2 * i] += hoop * h / 3
        stiff[2 * i + 2, 2 * i + 2] += hoop * h / 3
        stiff[2 * i, 2 * i + 2] += hoop * h / 6
        stiff[2 * i + 2, 2 * i] += hoop * h / 6
    loads = np.zeros((2 * count, 2))
    loads[2 * at, 0] = loads[2 * at + 1, 1] = 1.0
    held = 2 * count - 2
    moved = np.linalg.solve(stiff[:held, :held], loads[:held])
    return float(moved[2 * at, 0]), float(moved[2 * at + 1, 0]), float(moved[2 * at + 1, 1])


def _nodes(from_rim: float, wave: float) -> tuple[Array, int]:
    """Return places along the wall from the rim, mm, and which of them is the joint."""
    def graded(reach: float) -> Array:
        count = max(2, math.ceil(math.log1p(reach / (NEAR * wave) * (GROWS - 1)) / math.log(GROWS)))
        steps = GROWS ** np.arange(count)
        return np.concatenate([[0.0], np.cumsum(steps) / steps.sum() * reach])

    before = from_rim - graded(max(from_rim, 1e-3))[::-1]
    return np.concatenate([before, from_rim + graded(FAR * wave)[1:]]), len(before) - 1
