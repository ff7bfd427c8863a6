"""The press-in motion: the mate slides onto the catch while the arms really bend."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.course import Course
from bouncy_latch.core.flex.bars import Bar
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.flex.way import Way
from bouncy_latch.core.mechanisms.contract import RIDES, Motion, Root
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.solids import tree

CUT = 0.06
"""Thickness of the slab that cuts a root through to see what else holds an arm, mm."""
SLAB, _FAR = 4.0, 1e3
"""Thickness of what stands for a body of one outline where it is tried out, mm; and how far it reaches otherwise."""


def motion(label: str, way: Way, seated: tree.Matrix, bends: Callable[[float], dict[str, Warp]], *,
           along: tuple[float, float, float] = (1.0, 0.0, 0.0), still: Mapping[str, tree.Matrix], course: Course,
           roots: tuple[Root, ...] = (), alike: Mapping[str, tree.Solid], bars: Callable[[], tuple[Bar, ...]]) -> Motion:
    """Return pressing body B onto body A, from where they first touch.

    Args:
        seated: transform of B from its print pose to its seat on A. bends: from the lowering (mm) to how the bodies bend.
        along: direction in which A's catch goes into B, as A is printed. still: where further bodies stay.
        course: what it costs along its way. roots: where what bends hangs on its host. alike, bars: see
            :class:`Motion`.
    """
    length = way.length

    def pose(value: float) -> dict[str, tree.Matrix]:
        back = length - value
        shift = (1, 0, 0, along[0] * back, 0, 1, 0, along[1] * back, 0, 0, 1, along[2] * back)
        return {**still, "B": tree.compose(shift, seated)}

    def bent(value: float) -> dict[str, Warp]:
        lowered = float(np.interp(value, way.travel, way.lowered, left=0.0))
        return bends(lowered) if lowered > 1e-6 else {}

    return Motion(label, "mm", 0.0, length, None, length, pose, RIDES, (("A", "B"),), bends=bent, flexing=("A",),
                  roots=roots, alike=alike, show=float(way.travel[int(np.argmax(way.lowered))]), course=course,
                  bars=bars)


def root(x: float, low: float, high: float, width: float, pieces: int, placed: tree.Matrix) -> Root:
    """Return the roots of arms drawn along x in body A, then ``placed``: cut at ``x`` between y ``low`` and ``high``."""
    slab = tree.Box(x, low, -1.0, x + CUT, high, width + 1.0)
    return Root("A", tree.Placed(slab, placed), pieces, tree.moved_point(placed, (x, (low + high) / 2, width / 2)))


def slab(width: float, placed: tree.Matrix) -> tree.Solid:
    """Return what all of a body is like that was drawn of one outline, ``width`` mm high, then ``placed``: its middle."""
    half = min(width, SLAB) / 2
    return tree.Placed(tree.Box(-_FAR, -_FAR, width / 2 - half, _FAR, _FAR, width / 2 + half), placed)


def in_plane(follow: Callable[[Array], Array], chosen: Callable[[Array], npt.NDArray[np.bool_]], placed: tree.Matrix) -> Warp:
    """Return a warp of the chosen points of a body whose plane of bending was x–y before it was ``placed``.

    Args:
        follow: from points (n, 2) of that plane to where they go. chosen: which of (n, 2) belong to the arm.
    """
    to_bed = np.array(placed, dtype=np.float64).reshape(3, 4)
    turn, shift = to_bed[:, :3], to_bed[:, 3]

    def warp(points: Array) -> Array:
        drawn = (points - shift) @ turn
        mask = chosen(drawn[:, :2])
        if mask.any():
            drawn[mask, :2] = follow(drawn[mask, :2])
        return np.asarray(drawn @ turn.T + shift)

    return warp


def arms(bow: Bow, lowered: float, root: tuple[float, float]) -> Callable[[Array], Array]:
    """Return how points (n, 2) of two arms that are each other's mirror images in y = 0 move.

    ``root``: where the upper arm's neutral axis leaves the body.
    """
    start = np.array(root)

    def follow(points: Array) -> Array:
        side = np.where(points[:, 1] >= 0, 1.0, -1.0)
        upper = np.column_stack([points[:, 0], np.abs(points[:, 1])]) - start
        moved = bow.follow(upper, lowered) + start
        return np.column_stack([moved[:, 0], side * moved[:, 1]])

    return follow


def laid(layers: str, low: float) -> tree.Matrix:
    """Return how a part drawn lying is put on the bed: as drawn, or stood up with its lowest x (``low``) on the bed."""
    return tree.IDENTITY if layers == "along" else (0, 0, -1, 0, 0, 1, 0, 0, 1, 0, 0, -low)


UP_TO_WAY: tree.Matrix = (0, 0, 1, 0, 0, 1, 0, 0, -1, 0, 0, 0)
"""Turns a body printed with its hole upright so that its up points along the way in."""


def seated_as_laid(drawn: tree.Matrix, first: tree.Matrix, second: tree.Matrix) -> tree.Matrix:
    """Return the seat of the second body from its print pose, given its seat as drawn and how both are laid."""
    return tree.compose(first, tree.compose(drawn, tree.invert(second)))
