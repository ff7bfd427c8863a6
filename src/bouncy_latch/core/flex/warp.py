"""Bends a solid with its arm: every vertex follows the arm's centre line by the computed curve."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.flex.strip import Bent, Strip
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

Warp = Callable[[Array], Array]
"""From points (n, 3), mm, drawn, to where they are."""


Strain = Callable[[Array], Array]
"""From points (n, 3), mm, drawn, to how strained they are, (n,), as a part of what the material stands."""


KEPT = 24
"""Answers that are kept: a drag asks the same of a solid several times a frame."""
_keeping = threading.Lock()
_kept: OrderedDict[tuple[bytes, ...], tuple[npt.NDArray[Any], ...]] = OrderedDict()


def by_place(line: tuple[bytes, ...], points: Array, work: Callable[[Array], tuple[npt.NDArray[Any], ...]]
             ) -> tuple[npt.NDArray[Any], ...]:
    """Return what ``work`` says of points (n, 2), each once: of what stands upright many lie above each other, and a frame asks
    of the same ones again; ``line``: what its answer depends on besides."""
    key = (*line, points.tobytes())
    with _keeping:
        if key in _kept:
            _kept.move_to_end(key)
            return _kept[key]
    alone, which = np.unique(np.ascontiguousarray(points, dtype=np.float64).view(np.complex128)[:, 0], return_inverse=True)
    found = tuple(each[which] for each in work(np.column_stack([alone.real, alone.imag])))
    with _keeping:
        _kept[key] = found
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return found


def beside(nodes: Array, points: Array) -> tuple[Array, Array, Array]:
    """Return of points (n, 2) the nearest piece of a line through ``nodes``, where along it (0 to 1), and how far beside it,
    mm, positive on its left."""
    i, t, aside = by_place((nodes.tobytes(),), points, lambda alone: _beside(nodes, alone))
    return i, t, aside


def _beside(nodes: Array, points: Array) -> tuple[Array, Array, Array]:
    along = np.diff(nodes, axis=0)
    out = points[:, None, :] - nodes[:-1]
    held = np.clip((out * along).sum(axis=2) / (along**2).sum(axis=1), 0.0, 1.0)
    away = out - held[:, :, None] * along
    i = np.argmin((away**2).sum(axis=2), axis=1)
    row = np.arange(len(points))
    aside = (along[i, 0] * away[row, i, 1] - along[i, 1] * away[row, i, 0]) / np.hypot(along[i, 0], along[i, 1])
    return i, held[row, i], aside


@frozen
class Bow:
    """The shape of an arm at any lowering, between the states that were followed.

    Attributes:
        nodes: of its centre line as drawn, (n, 2) mm. moved: displacements of the nodes in every state, (B, n, 3).
        lowered: of those states, mm, ascending (B,).
    """

    nodes: Array
    moved: Array
    lowered: Array

    @classmethod
    def of(cls, arm: Strip, states: Bent) -> Bow:
        """Return the bow of an arm from some of its states."""
        lowered = -states.moved[:, -1, 1]
        order = np.argsort(lowered)
        kept = order[np.concatenate([[True], np.diff(lowered[order]) > 1e-9])]
        moved = np.concatenate([np.zeros((1, *states.moved.shape[1:])), states.moved[kept]])
        return cls(arm.nodes, moved, np.concatenate([[0.0], lowered[kept]]))

    def at(self, lowered: float) -> Array:
        """Return the displacements of the arm's nodes, (n, 3), at a lowering (mm)."""
        place = float(np.interp(lowered, self.lowered, np.arange(len(self.lowered))))
        low = min(int(place), len(self.lowered) - 2)
        part = place - low
        return np.asarray((1 - part) * self.moved[low] + part * self.moved[low + 1])

    def follow(self, points: Array, lowered: float) -> Array:
        """Return where points (n, 2) of the arm's plane go, mm.

        Every point belongs to the nearest element; along it the centre line is a cubic through the places and turns of its
        ends, and past the last node it goes on straight. What lies before the root stays.
        """
        moved = self.at(lowered)
        start, along = self.nodes[:-1], np.diff(self.nodes, axis=0)
        i, t, _ = beside(self.nodes, points)
        span_i = np.hypot(along[i, 0], along[i, 1])
        unit_i = along[i] / span_i[:, None]
        normal = np.column_stack([-unit_i[:, 1], unit_i[:, 0]])
        d0, d1 = moved[i], moved[i + 1]
        chord = ((d1[:, :2] - d0[:, :2]) * normal).sum(axis=1) / span_i
        bulge = span_i * (t * (1 - t) ** 2 * (d0[:, 2] - chord) - t**2 * (1 - t) * (d1[:, 2] - chord))
        line = start[i] + t[:, None] * along[i]
        shift = (1 - t)[:, None] * d0[:, :2] + t[:, None] * d1[:, :2] + bulge[:, None] * normal
        turn = (1 - t) * d0[:, 2] + t * d1[:, 2]
        arm = points - line
        c, s = np.cos(turn), np.sin(turn)
        turned = np.column_stack([c * arm[:, 0] - s * arm[:, 1], s * arm[:, 0] + c * arm[:, 1]])
        found = line + shift + turned
        before = (points - start[0]) @ along[0] < 0
        return np.where((before & (i == 0))[:, None], points, found)
