"""Puts a judged snap, its shape and its motion together into what every kind owes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field

from bouncy_latch.core.checks import Check
from bouncy_latch.core.flex.bars import Bar
from bouncy_latch.core.flex.warp import Warp
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.likelihood import OfTerm
from bouncy_latch.core.mechanisms.contract import Bought, Callout, Derived, Motion, Root, SectionView, Shape, Solution
from bouncy_latch.core.mechanisms.snaps import judged, pressing
from bouncy_latch.core.mechanisms.snaps.snap import Snap
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.solids import tree

Vector = tuple[float, float, float]


@frozen
class Mends:
    """Which parameters mend what: strain, retention, push, play when shut."""

    bends: tuple[str, ...]
    holds: tuple[str, ...]
    pushes: tuple[str, ...]
    seats: tuple[str, ...] = ("seat_gap",)


@frozen
class Look:
    """What a snap fit looks like.

    Attributes:
        draw: makes the bodies and what is done to each. seated: transform of body B from its print pose to its seat on A.
        along: the way A's catch goes into B, as A is printed. bends: from the lowering (mm) to how the bodies bend.
        label: of the motion.
        still: poses of further bodies that stay where they are put. section: the cut that shows it best: axis and place, mm.
        roots: where what bends hangs on its host. alike: what all of a body is a copy of. bars: sections of
        what bends, as computed.
    """

    draw: Callable[[], tuple[tuple[Body, ...], tuple[Feature, ...]]]
    seated: tree.Matrix
    along: Vector
    bends: Callable[[float], dict[str, Warp]]
    callouts: tuple[Callout, ...] = ()
    label: str = "Press in"
    still: Mapping[str, tree.Matrix] | None = None
    section: tuple[str, float] = ("x", 0.0)
    roots: tuple[Root, ...] = ()
    alike: Mapping[str, tree.Solid] = field(default_factory=dict)
    bars: Callable[[], tuple[Bar, ...]] = tuple


def solution(kind_id: str, snap: Snap, look: Look, mends: Mends, *, what: str, bend: str, force: str,
             derived: tuple[Derived, ...] = (), checks: tuple[Check, ...] = (), bought: tuple[Bought, ...] = ()) -> Solution:
    """Return the solution of a snap fit.

    Args:
        what: the sentence that begins the summary. bend, force: parameters of the two rulers. derived, checks: the kind's own.
        bought: what is not printed.
    """
    motion = pressing.motion(look.label, snap.way, look.seated, look.bends, along=look.along, still=look.still or {},
                             course=judged.course(snap), roots=look.roots, alike=look.alike, bars=look.bars)

    def draw() -> Shape:
        bodies, shares = look.draw()
        return Shape(bodies, shares, look.callouts, _views(snap, motion, look), bends_along=(look.along,))

    return Solution(
        kind=kind_id, params=snap.params, process=snap.process, derived=(*judged.derived(snap), *derived),
        checks=(*judged.checks(snap, bends=mends.bends, holds=mends.holds, pushes=mends.pushes, seats=mends.seats), *checks),
        aim=judged.aim(snap), rulers=judged.rulers(snap, bend=bend, force=force), motions=(motion,), draw=draw,
        notes=judged.notes(snap), bought=bought, summary=judged.summary(snap, what),
        likelihood=OfTerm("snap_force", snap.process.snap_force, snap.outcomes, SNAPPED))


def _views(snap: Snap, motion: Motion, look: Look) -> tuple[SectionView, ...]:
    axis, at = look.section
    most = motion.show if motion.show is not None else motion.high
    return (SectionView(f"{most:.1f} mm in, bent {snap.way.most:.2f} mm", most, at, axis=axis),
            SectionView("shut", motion.high, at, axis=axis))


def middle_of(layers: str, height: float) -> tuple[str, float]:
    """Return the cut through the middle of parts drawn lying and ``height`` mm high, as they are laid."""
    return ("z", height / 2) if layers == "along" else ("x", -height / 2)


def lying_along(layers: str) -> Vector:
    """Return the way in of a catch drawn along +x, as its part is laid."""
    return (1.0, 0.0, 0.0) if layers == "along" else (0.0, 0.0, 1.0)
