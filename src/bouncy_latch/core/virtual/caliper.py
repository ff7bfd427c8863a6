"""A virtual caliper: jaws on a printed body, read by a hand, a hundredth at a time."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import manifold3d
import numpy as np

from bouncy_latch.core.virtual.printer import Object

RESOLUTION = 0.01
HAND = 0.015
"""Spread of a hand's readings, mm."""


@dataclass
class Caliper:
    """Takes repeated readings; seeded."""

    seed: int = 1

    def __post_init__(self) -> None:
        self._rng = np.random.default_rng(self.seed)

    def _said(self, value: float) -> float:
        return round(round((value + float(self._rng.normal(0, HAND))) / RESOLUTION) * RESOLUTION, 2)

    def boss(self, made: Object, body: str, centre: tuple[float, float], size: float, low: float, high: float,
             times: int = 3) -> tuple[float, ...]:
        """Return readings (mm) across a round boss about ``centre``, about ``size`` mm wide, among others on one body."""
        angles = self._rng.uniform(0, math.pi, times)
        box = manifold3d.CrossSection.square((2 * size, 2 * size), center=True).translate(centre)
        regions = [region ^ box for region in _layers(made, body, low, high)]
        return tuple(self._said(max(_extent(region, a) for region in regions if not region.is_empty())) for a in angles)

    def block(self, made: Object, body: str, low: float, high: float, times: int = 3) -> tuple[float, ...]:
        """Return readings (mm) across a square block, by turns along x and y."""
        regions = _layers(made, body, low, high)
        return tuple(self._said(max(_extent(region, (i % 2) * math.pi / 2) for region in regions)) for i in range(times))

    def bore(self, made: Object, body: str, centre: tuple[float, float], low: float, high: float) -> float:
        """Return the mean over all directions of the width of a hole at its narrowest layer, mm, without a hand's error."""
        angles = np.linspace(0, math.pi, 8, endpoint=False)
        regions = _layers(made, body, low, high)
        return float(np.mean([min(_opening(region, centre, a) for region in regions) for a in angles]))

    def hole(self, made: Object, body: str, centre: tuple[float, float], low: float, high: float,
             times: int = 3) -> tuple[float, ...]:
        """Return readings (mm) across a round hole about ``centre``, the jaws opened until they touch."""
        angles = self._rng.uniform(0, math.pi, times)
        return tuple(self._said(min(_opening(region, centre, a) for region in _layers(made, body, low, high))) for a in angles)


_TYPING = np.random.default_rng(20261123)


def typed(size: float) -> str:
    """Return what a caliper with a data cable types for a thing of ``size`` mm, a hand's error included."""
    return f"{round((size + float(_TYPING.normal(0, HAND))) / RESOLUTION) * RESOLUTION:.2f}"


def _layers(made: Object, body: str, low: float, high: float) -> list[Any]:
    heights = [middle for middle, _ in made.layers if low <= middle <= high]
    regions = [made.region(body, height) for height in heights]
    return [region for region in regions if not region.is_empty()]


def _extent(region: Any, angle: float) -> float:
    points = np.vstack([np.asarray(p) for p in region.to_polygons()])
    along = points @ np.array([math.cos(angle), math.sin(angle)])
    return float(np.ptp(along))


def _opening(region: Any, centre: tuple[float, float], angle: float) -> float:
    """Return the distance between the walls of a hole along a direction, met by jaws a millimetre wide."""
    rings = [np.asarray(p) - np.array(centre) for p in region.to_polygons()]
    # The hole is the ring nearest to its middle.
    ring = min(rings, key=lambda r: float(np.hypot(*r.T).max()))
    along = np.array([math.cos(angle), math.sin(angle)])
    across = np.array([-along[1], along[0]])
    near = ring[np.abs(ring @ across) < 0.5]
    if len(near) < 2:
        near = ring
    reach = near @ along
    return float(reach[reach > 0].min(initial=9e9) - reach[reach < 0].max(initial=-9e9))
