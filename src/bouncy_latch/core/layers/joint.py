"""A joint: which bodies must move against each other, how, which surfaces face each other there, and what breaks them free."""

from __future__ import annotations

from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import Strength
from bouncy_latch.core.layers.facing import Facing, least_staying
from bouncy_latch.core.solids import tree


@frozen
class Play:
    """Free movement left after printing, each ± mm about the middle, and the angle (rad) that tilt allows."""

    axial: float
    radial: float
    tilt: float
    edge: float


@frozen
class Place:
    """One of the places of a joint: its two bodies, and the transform from where the joint was drawn."""

    pair: tuple[str, str]
    matrix: tree.Matrix = tree.IDENTITY


@frozen
class Joint:
    """A joint printed in place; the same one may be repeated, six rollers are one joint at six places.

    Attributes:
        freedom: how the second body moves against the first, where it was drawn.
        faces: the surfaces that face each other at one place. strength: what is available to break one place free.
        places: where it is.
    """

    id: str
    label: str
    freedom: Freedom
    faces: tuple[Facing, ...]
    strength: Strength
    places: tuple[Place, ...]
    play: Play | None = None

    @property
    def least_gap(self) -> float:
        """Least drawn clearance between surfaces that stay together, mm per side."""
        return least_staying(self.faces).gap

    @property
    def across(self) -> bool:
        """Whether that clearance lies across the layers, where no outline's growth comes between."""
        return least_staying(self.faces).hangs
