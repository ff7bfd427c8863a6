"""Bodies that fold against each other about axes along x: what they offer a hinge, and what a hinge wants of them.

The first fold plane is y = 0; the first body lies at y < 0, the next ones at y > 0, all open side up on the bed z = 0.
"""

from __future__ import annotations

from collections.abc import Callable

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.parts.body import Body, Seat
from bouncy_latch.core.solids import tree

BACK: tree.Matrix = (-1, 0, 0, 0, 0, -1, 0, 0, 0, 0, 1, 0)
"""Frame of an edge that looks towards −y: turned half round about z."""


@frozen
class Wants:
    """What a hinge asks of the bodies it joins, mm.

    Attributes:
        between: distance of two bodies on the bed. closing: distance of their rims when shut.
        wall: thickness of the walls that carry it. chamfer: along the bed edges. layer: layer height.
        thickness: of plates that have none of their own. plain: distance from the fold within which rims stay plain, so that
            knuckles can turn.
    """

    between: float
    closing: float
    wall: float
    chamfer: float
    layer: float
    thickness: float
    plain: float


@frozen
class Fold:
    """Two seats that face each other across a fold plane at ``y``: names of the bodies and their seats."""

    first: tuple[str, Seat]
    second: tuple[str, Seat]
    y: float = 0.0


@frozen
class Hinged:
    """Two or more bodies side by side.

    Attributes:
        folds: where they fold, in order. free: the outer edges of a row that is folded up, first and last.
        half: every straight edge runs from x = −half to +half, mm. rims: heights on both sides of a fold.
        reach: from the fold plane to the free edge. thinnest: thinnest wall of the bodies themselves.
        leans: whether the faces at the fold may lean back for travel beyond flat.
        build: makes the bodies; called only when the solid is wanted.
    """

    folds: tuple[Fold, ...]
    half: float
    rims: tuple[float, float]
    reach: float
    thinnest: float
    leans: bool
    build: Callable[[], tuple[Body, ...]]
    free: tuple[tuple[str, Seat], ...] = ()
