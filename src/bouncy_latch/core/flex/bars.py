"""The sections that were computed of what bends: a place along each and its area, which the drawn solid must have there too."""

from __future__ import annotations

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.solids import tree

PLACES = 5
"""Sections that are looked at along one bar."""


@frozen
class Bar:
    """One section of a bar as it was computed.

    Attributes:
        body: its name. place: a point of the section, mm, in print pose. along: the direction of the bar there, of length 1.
        area: of the section, mm².
    """

    body: str
    place: tuple[float, float, float]
    along: tuple[float, float, float]
    area: float


def bars(nodes: Array, areas: Array, placed: tree.Matrix, body: str = "A") -> tuple[Bar, ...]:
    """Return sections spread over a bar.

    Args:
        nodes: its middle line in the plane z = 0 of its own coordinates, (n, 2) mm. areas: of the section in the middle of
            every piece of that line, (n - 1,) mm²; NaN where the section is not to be looked at. placed: from the bar's
            coordinates to the body's print pose. body: its name.
    """
    at = np.array(placed, dtype=np.float64).reshape(3, 4)
    known = np.flatnonzero(np.isfinite(areas))
    chosen = known[np.linspace(0, len(known) - 1, min(PLACES, len(known))).round().astype(int)]
    found = []
    for piece in chosen:
        start, end = nodes[piece], nodes[piece + 1]
        place = at[:, :2] @ ((start + end) / 2) + at[:, 3]
        along = at[:, :2] @ ((end - start) / np.hypot(*(end - start)))
        found.append(Bar(body, (float(place[0]), float(place[1]), float(place[2])),
                         (float(along[0]), float(along[1]), float(along[2])), float(areas[piece])))
    return tuple(found)
