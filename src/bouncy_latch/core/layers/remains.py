"""What remains of the gap between bodies in one layer, as bands for a picture."""

from __future__ import annotations

from itertools import combinations
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.layers.laying import grown

LEVELS = (0.5, 0.3, 0.2, 0.1)
"""Distances between the laid outlines, mm, widest first: rattles above, then free, by hand, tool, welded below the last."""

Polygons = list[npt.NDArray[np.float64]]


def bands(regions: tuple[Any, ...]) -> list[tuple[float, Polygons]]:
    """Return (distance, polygons) of where two bodies of a layer are nearer to each other than each of :data:`LEVELS`.

    Within a band the rest of the gap is between its distance and the next; what touches belongs to the last.
    """
    present = [region for region in regions if not region.is_empty()]
    found: list[tuple[float, Polygons]] = []
    pairs = [(a, b) for a, b in combinations(present, 2) if _near(a, b)]
    for level in LEVELS if pairs else ():
        polygons: Polygons = []
        for a, b in pairs:
            # Closing the two together fills what is narrower than the level; what is near one body alone is its own slot.
            half = level / 2 + 1e-3
            filled = grown(grown(a + b, half), -half) - a - b
            polygons += [np.asarray(p) for p in (filled ^ grown(a, level) ^ grown(b, level)).to_polygons()]
            polygons += [np.asarray(p) for p in (a ^ b).to_polygons()]
        found.append((level, polygons))
    return found


def _near(first: Any, second: Any) -> bool:
    a, b, reach = first.bounds(), second.bounds(), LEVELS[0]
    return bool(a[0] - reach <= b[2] and b[0] - reach <= a[2] and a[1] - reach <= b[3] and b[1] - reach <= a[3])
