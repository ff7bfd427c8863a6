"""Where two polylines first meet: faces over corners, and corners that meet corners."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.numbers import Array

CLEAR = -1e3
"""How far what does not meet at all lies over what it might meet, mm."""


def mean_of(lately: Iterable[tuple[npt.NDArray[np.int64], Array]], places: npt.NDArray[np.int64]) -> Array:
    """Return the means of what some places had lately, (k, values); ``lately``: numbers of places (n,) of a round, all of
    ``places`` among them, and their values (n, values)."""
    return np.asarray(np.mean([values[np.searchsorted(numbers, places)] for numbers, values in lately], axis=0))


def over_faces(x: Array, y: Array, mate: Array, top: int) -> tuple[Array, npt.NDArray[np.int64], Array]:
    """Return how far the corners of a mate (m, 2) lie below polylines x, y (S, n).

    The most of each row, on which face and where on it, each (S,). ``top``: number of the highest corner; what leans back under
    it cannot be touched from above.
    """
    rows = np.arange(len(x))
    seen = np.concatenate([np.minimum.accumulate(x[:, top::-1], axis=1)[:, ::-1],
                           np.maximum.accumulate(x[:, top:], axis=1)[:, 1:]], axis=1) + 1e-9 * np.arange(x.shape[1])
    # The rows laid one behind the other are one long polyline, which is looked up once.
    apart = rows[:, None] * (max(float(seen.max()), float(mate[-1, 0])) - min(float(seen.min()), float(mate[0, 0])) + 1.0)
    long, corners = (seen + apart).ravel(), mate[:, 0] + apart
    lies_over = (mate[:, 0] >= seen[:, :1]) & (mate[:, 0] <= seen[:, -1:])
    over = np.where(lies_over, np.interp(corners, long, y.ravel()) - mate[:, 1], CLEAR)
    best = over.argmax(axis=1)
    edge = np.clip(np.searchsorted(long, corners[rows, best], side="right") - 1 - rows * x.shape[1], 0, x.shape[1] - 2)
    start = seen[rows, edge]
    return over[rows, best], edge, np.clip((mate[best, 0] - start) / (seen[rows, edge + 1] - start), 0, 1)
