"""How a mechanism moves: one freedom with its range, how bodies follow it and how it is tried out."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field
from typing import TYPE_CHECKING

from bouncy_latch.core.course import Course
from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract.shape import Vector
from bouncy_latch.core.solids import tree

if TYPE_CHECKING:
    from bouncy_latch.core.flex.bars import Bar
    from bouncy_latch.core.flex.warp import Strain, Warp

CLEAR, RIDES, MESHES, ALONE = "clear", "rides", "meshes", "alone"

TRIALS = (CLEAR, RIDES, MESHES, ALONE)
"""How a motion is tried out: nothing may touch; parts ride over each other, bending; teeth rub on purpose; one body bends."""


def _where(point: Vector) -> str:
    return f"x {point[0]:.1f}, y {point[1]:.1f}, z {point[2]:.1f}"


def _still(_value: float) -> dict[str, tree.Matrix]:
    return {}


@frozen
class Root:
    """Where what bends grows out of its host.

    Attributes:
        body: its name. cut: a thin slab through every root of the body, in print pose. pieces: into how many the body falls
        with them cut through. place: a point at one of the roots, mm.
    """

    body: str
    cut: tree.Solid
    pieces: int
    place: Vector


@frozen
class Motion:
    """One freedom of the mechanism.

    Attributes:
        label: what the user does ("Swing").
        unit: ``°`` or ``mm``.
        low, high: range of the freedom, in that unit; ``rest`` is the value in print pose, None where parts printed apart
            are put together, so that the print pose is none of the motion's.
        closed: the value at which it is shut.
        pose: from a value to the rigid transform of every body that moves, by body name.
        trial: how it is tried out, one of :data:`TRIALS`.
        pairs: bodies watched against each other (names); none: every two that the motion moves apart from each other.
        place_name: the user's words for a point (mm, print pose of the first body).
        bends: from a value to how the bodies that flex are bent (in print pose, before ``pose``), by body name.
        flexing: names of the bodies that bend at all. roots: where they hang on what does not.
        alike: by body name, in print pose, the part that all of it is a copy of, all round or along, with what it meets. It
            alone is tried out of what bends, and of what meshes between the ends of the way. Nothing where bodies carry others.
        show: the value at which it is first shown; None for most of the way.
        mend: parameters that could mend a collision on the way, likeliest first.
        freely: what its verdict is called where surfaces rub on purpose; empty for "Turn freely" and the like.
        slack: of what meshes, how far apart the rubbing surfaces may come, mm. gives: how far they may reach into each other on
            the way because something gives, mm.
        course: what it costs along its way.
        strains: from a value to how strained the bodies that flex are, by body name. stands: the strain they stand, per cent.
        bars: sections of what bends as they were computed; tests hold them against the drawn solid.
    """

    label: str
    unit: str
    low: float
    high: float
    rest: float | None
    closed: float
    pose: Callable[[float], dict[str, tree.Matrix]] = _still
    trial: str = CLEAR
    pairs: tuple[tuple[str, str], ...] = ()
    place_name: Callable[[Vector], str] = _where
    bends: Callable[[float], dict[str, Warp]] | None = None
    flexing: tuple[str, ...] = ()
    roots: tuple[Root, ...] = ()
    alike: Mapping[str, tree.Solid] = field(default_factory=dict)
    show: float | None = None
    mend: tuple[str, ...] = ()
    freely: str = ""
    slack: float = 0.5
    gives: float = 0.0
    course: Course | None = None
    strains: Callable[[float], dict[str, Strain]] | None = None
    stands: float = 0.0
    bars: Callable[[], tuple[Bar, ...]] = tuple


def moved_by(freedom: Freedom, bodies: tuple[str, ...], rest: float,
             scale: float = 1.0) -> Callable[[float], dict[str, tree.Matrix]]:
    """Return the poses of bodies that move together by a freedom: none at ``rest``; ``scale`` turns the unit to rad or mm."""
    return lambda value: dict.fromkeys(bodies, freedom.matrix((value - rest) * scale))
