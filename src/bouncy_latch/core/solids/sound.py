"""What every body must be before anything else is said of it: closed, edges of two triangles each, on the bed, apart."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from bouncy_latch.core.solids import mesh

TOUCH = 1e-6
"""Shared volume that rounding alone leaves, mm³."""
LEVEL = 1e-6
"""Distance from the bed that rounding alone leaves, mm."""


def shared(bodies: Mapping[str, Any]) -> list[tuple[str, str, float]]:
    """Return the pairs of manifolds that overlap, with the volume they share, mm³."""
    found = []
    names = list(bodies)
    boxes = {name: bodies[name].bounding_box() for name in names}
    for number, first in enumerate(names):
        for second in names[number + 1:]:
            a, b = boxes[first], boxes[second]
            if all(a[i] < b[i + 3] and b[i] < a[i + 3] for i in range(3)):
                volume = float((bodies[first] ^ bodies[second]).volume())
                if volume > TOUCH:
                    found.append((first, second, volume))
    return found


def crowded_edges(faces: mesh.Triangles) -> int:
    """Return how many edges of triangles (m, 3) belong to more or fewer than two of them."""
    edges = np.sort(np.vstack([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    _, counts = np.unique(edges, axis=0, return_counts=True)
    return int((counts != 2).sum())


def troubles(bodies: Mapping[str, Any], resting: bool = True) -> list[str]:
    """Return what is wrong with manifolds in print pose, a sentence each; none for sound ones.

    ``resting``: whether each of them stands on the bed, as all do that are not printed inside or above another.
    """
    found = []
    for name, body in bodies.items():
        if body.is_empty() or body.volume() <= 0:
            found.append(f"{name} is no solid")
            continue
        crowded = crowded_edges(mesh.arrays(body)[1])
        if crowded:
            found.append(f"{name} has {crowded} edges that do not belong to two triangles")
        pieces = len(body.decompose())
        if pieces > 1:
            found.append(f"{name} is in {pieces} pieces")
        low = body.bounding_box()[2]
        if resting and abs(low) > LEVEL:
            found.append(f"{name} {'floats above' if low > 0 else 'reaches below'} the bed by {abs(low):.3g} mm")
    return found + [f"{a} and {b} overlap by {volume:.3g} mm³" for a, b, volume in shared(bodies)]
