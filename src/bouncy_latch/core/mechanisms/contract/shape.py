"""What a mechanism looks like: its bodies, what is done to each, dimensions and sections worth showing."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.solids import tree

if TYPE_CHECKING:
    from bouncy_latch.core.layers.poses import Pose

Vector = tuple[float, float, float]


@frozen
class Callout:
    """A dimension shown in the 3-D view: two points (mm, print pose) and its text; ``cut``: where a section cuts through it."""

    label: str
    start: Vector
    end: Vector
    cut: bool = False


@frozen
class SectionView:
    """A section worth showing.

    Attributes:
        label: caption. value: position of the motion. at: where it is cut, mm, along ``axis``. window: what part of it, mm:
        y0, z0, y1, z1 of a cut across x; x0, y0, x1, y1 of one across z.
    """

    label: str
    value: float
    at: float
    window: tuple[float, float, float, float] | None = None
    axis: str = "x"


@frozen
class Shape:
    """What a mechanism looks like, worked out when it is wanted.

    Attributes:
        bodies: before anything is done to them; loose and bought ones among them.
        shares: what the mechanism does to each, in the seat it has there.
        region: the mechanism's own part of the bodies, mm: x0, y0, z0, x1, y1, z1.
        bends_along: directions (print pose) along which something that flexes is stretched.
        poses: ways up worth comparing besides the designed one and the plain sides.
        solid: where it must be printed solid, by name, in print pose: no part of it, but a region for the slicer.
        hidden: whether what matters lies inside, so that it is shown cut at first.
    """

    bodies: tuple[Body, ...]
    features: tuple[Feature, ...] = ()
    callouts: tuple[Callout, ...] = ()
    views: tuple[SectionView, ...] = ()
    region: tuple[float, float, float, float, float, float] | None = None
    bends_along: tuple[Vector, ...] = ()
    poses: tuple[Pose, ...] = ()
    solid: tuple[tuple[str, tree.Solid], ...] = ()
    hidden: bool = False
