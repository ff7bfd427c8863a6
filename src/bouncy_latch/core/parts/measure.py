"""How much plastic there is where a mechanism would sit: measured on the part by rays."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from bouncy_latch.core.numbers import Array
from bouncy_latch.core.solids import mesh, tree

Point = tuple[float, float, float]
_INSIDE = 1e-3
"""How far below the surface a ray begins, mm."""


def thickness(solid: tree.Solid, point: Point, inwards: Point) -> float:
    """Return how far it is through a solid from a point of its surface along a unit vector, mm; 0 where there is no plastic."""
    corners, triangles = mesh.arrays(mesh.evaluate(solid))
    ways = np.array(inwards)
    found = [_first(np.asarray(corners, dtype=np.float64), np.asarray(triangles, dtype=np.int64),
                    np.array(point) + _INSIDE * ways + off * _aside(ways), ways) for off in (0.0, 2e-4)]
    # A ray along an edge of the mesh may miss both of its triangles: the one beside it does not.
    least = min(found)
    return round(least + _INSIDE, 4) if math.isfinite(least) else 0.0


def first_met(body: Any, start: Point, way: Point) -> float | None:
    """Return how far along a unit vector from a point outside a ray first meets a manifold, mm; None where it does not."""
    corners, triangles = mesh.arrays(body)
    far = _first(np.asarray(corners, dtype=np.float64), np.asarray(triangles, dtype=np.int64), np.array(start),
                 np.array(way), 1)
    return far if math.isfinite(far) else None


def _aside(way: Array) -> Array:
    other = np.array((1.0, 0.37, 0.19)) if abs(way[0]) < 0.9 else np.array((0.21, 1.0, 0.43))
    found = np.cross(way, other)
    return np.asarray(found / np.linalg.norm(found))


def _first(corners: Array, triangles: Array, start: Array, way: Array, side: int = -1) -> float:
    """Return where a ray first leaves a closed mesh, or (``side`` 1) enters it; ∞ where it does not.

    All triangles round the ray at once: T. Möller and B. Trumbore, "Fast, minimum storage ray/triangle intersection",
    J. Graphics Tools 2, 1997.
    """
    near = triangles[_round(corners, triangles, start, way)]
    a, b, c = (corners[near[:, i]] for i in range(3))
    one, two = b - a, c - a
    across = np.cross(way, two)
    size = (one * across).sum(axis=1)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        off = start - a
        u = (off * across).sum(axis=1) / size
        turned = np.cross(off, one)
        v = turned @ way / size
        t = (two * turned).sum(axis=1) / size
        hit = (side * size > 0) & (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0)
    return float(t[hit].min()) if hit.any() else math.inf


def _round(corners: Array, triangles: Array, start: Array, way: Array) -> Array:
    """Return which triangles the ray's line may meet, (m,): seen along it, their rectangles hold it."""
    one = _aside(way)
    seen = (corners - start) @ np.stack([one, np.cross(way, one)], axis=1)
    may = np.ones(len(triangles), dtype=bool)
    for axis in range(2):
        first, second, third = (seen[triangles[:, i], axis] for i in range(3))
        may &= (np.minimum(np.minimum(first, second), third) <= 1e-9) & (np.maximum(np.maximum(first, second), third) >= -1e-9)
    return may
