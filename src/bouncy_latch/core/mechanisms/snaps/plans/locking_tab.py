"""Locking tab: two tongues with a bump on each flank that enter a cavity with two recesses and lock two plates along a seam.

Drawn lying, plates and tab in one plane: the seam is x = 0, the tab points along +x, its two tongues mirror each other in
y = 0.
The angle of the bumps decides whether it comes out again.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.fields import number
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.snaps import pressing, shapes
from bouncy_latch.core.mechanisms.snaps.fields import SnapParams
from bouncy_latch.core.mechanisms.snaps.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch, grown_mate
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Outline, from_corners, polygon

MOST_TABS = 24
WEB, BETWEEN = 2.0, 8.0
"""Least plastic between two cavities, and what is left where nobody says, mm (common practice, no source)."""
CREST = 0.8
ROOM = 0.3
"""Free room at the end of the cavity and round a bump in its recess, mm."""
BESIDE = 6.0


OPEN = 0.05
"""Opening of the seam that is seen, mm (common practice, no source)."""

ROUNDED = 0.7
"""Width of the gaps beside a tongue over its thickness: their ends round its root."""


class LockingTabParams(SnapParams):
    """Sizes of a locking tab, its cavity and the two plates."""

    tabs: int = number(1, label="tabs in a row", unit="", role="given", low=1, high=MOST_TABS, step=1, whole=True, source="you",
                       help="How many tabs lock the seam; they share the push and the hold.")
    pitch: float | None = number(None, label="pitch", unit="mm", role="chosen", low=4, high=400, step=0.5,
                                 when={"tabs": tuple(range(2, MOST_TABS + 1))}, source="a tab's width and 8 mm",
                                 help="From the middle of one tab to that of the next, along the seam.")
    tongue: float = number(2.2, label="tongue", unit="mm", role="chosen", low=0.8, high=12, step=0.1,
                           help="Thickness of each tongue in the plane it bends in.")
    gap: float = number(4, label="gap between tongues", unit="mm", role="chosen", low=0.4, high=30, step=0.1,
                        help="Gap the tongues bend into; it must hold twice what one of them bends.")
    length: float = number(15, label="length", unit="mm", role="chosen", low=3, high=120, step=0.5,
                           help="Distance from the seam to the back of the bump.")
    into: float = number(2, label="runs into the plate", unit="mm", role="chosen", low=0, high=80, step=0.5,
                         help="How far the gaps run back behind the seam: longer tongues are softer.")
    undercut: float = number(0.45, label="bump", unit="mm", role="chosen", low=0.1, high=5, step=0.05,
                             help="How far each bump reaches into its recess.")
    lead_angle: float = number(30, label="lead angle", unit="°", role="chosen", low=10, high=80, step=1,
                               help="Angle of the bump's front from the push direction.")
    return_angle: float = number(72, label="return angle", unit="°", role="chosen", low=15, high=90, step=1,
                                 help="Angle of the bump's back: below the locking angle a pull opens the seam again.")
    thickness: float = number(6, label="plate thickness", unit="mm", role="given", low=1, high=60, step=0.2,
                              help="Thickness of the plates; the tab is so high less the wall over the cavity.", source="you")
    cover: float = number(0, label="wall over the cavity", unit="mm", role="chosen", low=0, high=20, step=0.2,
                          help="Roof left over the cavity to hide the tab; its undersides slope, 0 leaves it open.")
    overhang: float = number(45, label="underside", unit="°", role="chosen", low=20, high=60, step=1,
                             help="Slope of the roof's undersides, from vertical.")
    seat_gap: float = number(0.05, label="seat gap", unit="mm", role="chosen", low=-0.5, high=2, step=0.05,
                             help="Drawn play when shut; below 0 the bumps pull the seam shut.")
    backing: float = blocks.backing(30, label="plates", low=8, high=300, part="plates",
                                    help="Length of the plates on either side of the seam.")


@frozen
class LockingTabPlan:
    """A design worked out, before it is judged."""

    p: LockingTabParams
    process: Process

    @cached_property
    def half(self) -> float:
        """From the middle to a tongue's outer flank."""
        return self.p.gap / 2 + self.p.tongue

    @cached_property
    def wide(self) -> float:
        """What one tab takes of the seam: its cavity with both recesses, and the gaps beside its tongues, mm."""
        return 2 * (self.half + max(self.bump + ROOM, self.beside if self.p.into > 0 else 0.0))

    @cached_property
    def pitch(self) -> float:
        """From tab to tab, mm."""
        return self.p.pitch if self.p.pitch is not None else self.wide + BETWEEN

    @cached_property
    def centres(self) -> tuple[float, ...]:
        """Where the middles of the tabs lie along the seam, mm."""
        return tuple((i - (self.p.tabs - 1) / 2) * self.pitch for i in range(self.p.tabs))

    def nearest(self, y: Array) -> Array:
        """Return the middle of the tab that is nearest to some places along the seam, (n,), mm."""
        number = np.clip(np.rint(y / self.pitch + (self.p.tabs - 1) / 2), 0, self.p.tabs - 1)
        return np.asarray((number - (self.p.tabs - 1) / 2) * self.pitch)

    def row(self, one: tree.Solid) -> tree.Solid:
        """Return a solid of the tab in the middle, for every tab of the row."""
        return one if self.p.tabs == 1 else tree.union([one.move(y=centre) for centre in self.centres])

    @cached_property
    def high(self) -> float:
        """Height of the tab, the print's height when it lies."""
        return self.p.thickness - (self.p.cover + self.roof if self.p.cover > 0 else 0.0)

    @cached_property
    def roof(self) -> float:
        """How high the sloping undersides rise over the tab to a bridge half as wide as the cavity, mm."""
        return 0.5 * (self.half + self.p.clearance) / math.tan(math.radians(self.p.overhang))

    @cached_property
    def bump(self) -> float:
        """How high the bump stands, mm."""
        return self.p.undercut + self.p.clearance

    @cached_property
    def catch(self) -> tuple[Point, ...]:
        """Outer profile from the seam side on, y from the tongue's neutral axis."""
        p = self.p
        return shapes.catch_profile(p.tongue / 2, self.bump, math.radians(p.lead_angle), math.radians(p.return_angle), CREST,
                                    p.edge, behind=min(4.0, 0.8 * p.length), drop=0.35 * p.tongue)

    @cached_property
    def wall(self) -> float:
        """From the seam to the recess in the cavity's flank, mm."""
        p = self.p
        return p.length - p.seat_gap + p.clearance / math.tan(math.radians(p.return_angle))

    @cached_property
    def beside(self) -> float:
        """Width of the gaps that free the tongues from their own plate, mm: room to round the root."""
        return max(self.p.clearance + 0.4, ROUNDED * self.p.tongue)

    @cached_property
    def fillet(self) -> float:
        """Rounding of a tongue's root on either side, mm: what the gaps leave room for, and with roots at the seam the eased
        mouth of the cavity."""
        p = self.p
        outside = self.beside / 2 if p.into > 0 else p.clearance + self.eased
        return min(p.gap / 2, outside, 0.25 * (p.length + p.into))

    @cached_property
    def eased(self) -> float:
        """How much the mouth of the cavity is eased at 45°, mm."""
        return min(max(self.p.edge, 0.02), 0.4 * self.wall)

    @cached_property
    def printed_arm(self) -> Arm:
        """The arm as it comes off the printer."""
        p, length = self.p, self.p.length + self.p.into
        drawn = Arm(length, p.tongue, self.high, p.fill(self.process), self.process.modulus.mean, self.process.plastic.poisson,
                    fillet=self.fillet)
        return drawn.grown(self.process.growth.mean)

    @cached_property
    def snap(self) -> Snap:
        """Its mechanics: the way in and out, what it bears and what tears."""
        p, g, m = self.p, self.process.growth.mean, self.process.plastic
        mate = shapes.edge_profile(p.tongue / 2 + p.clearance, self.wall, p.edge)
        ride = Ride(self.printed_arm, grown_catch(self.catch, g), grown_mate(mate, g), p.length, m.friction, count=2 * p.tabs)
        engaged = p.undercut + 2 * g
        strength = m.across if p.layers == "across" else m.strength
        base = shapes.sheared(self.bump, math.radians(p.lead_angle), math.radians(p.return_angle), CREST)
        tears = (("bump", 2 * p.tabs * base * self.high * SHEAR_OF_TENSION * strength),
                 ("tongue", 2 * p.tabs * self.printed_arm.pulled(0.0, p.tongue / 2 + p.clearance + p.undercut / 2, strength)),
                 ("edge of the recess", 2 * p.tabs * engaged * self.high * BEARING * m.strength))
        return Snap(p, self.process, ride, p.tongue + 2 * g, engaged, tears, slot=(p.gap,
                                                                                   p.tabs * (p.length + p.into) * self.high),
                    needs=2 * engaged + 0.1, lead=math.radians(p.lead_angle),
                    overhang=p.return_angle if p.layers == "across" else p.overhang if p.cover > 0 else 0.0,
                    across=p.layers == "across")

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def tip(self) -> float:
        """How far the tab reaches from its plate, mm."""
        return self.p.length + self.catch[-1][0]

    @cached_property
    def side(self) -> float:
        """Half width of the plates, mm."""
        return self.half + self.bump + ROOM + 4.0 + (self.p.tabs - 1) / 2 * self.pitch

    @cached_property
    def laid(self) -> tree.Matrix:
        """From the drawn coordinates to the print pose."""
        return pressing.laid(self.p.layers, -self.p.backing)

    def tab(self) -> Feature:
        """Tongues with bumps, and the gaps cut between and beside them."""
        p, y = self.p, self.p.gap / 2 + self.p.tongue / 2
        outer = [(p.length + x, y + e) for x, e in self.catch]
        outer[0] = (-0.5, self.half)
        nose = outer[-1][0]
        tongue: tree.Solid = tree.Extrude(polygon([(-0.5, p.gap / 2), (nose, p.gap / 2), *reversed(outer)]), self.high)
        if p.into <= 0:
            wedges = [tree.Extrude(_wedge(self.fillet, 0.0, face, way), self.high)
                      for face, way in ((p.gap / 2, -1), (self.half, 1))]
            tongue = tree.union([tongue, *wedges])
            return Feature("tab", "A", add=self.row(tongue + tongue.mirror("y")))
        gaps = [_slot(-p.into, 0.5, -p.gap / 2, p.gap / 2, self.fillet)]
        for low in (self.half, -self.half - self.beside):
            gaps.append(_slot(-p.into, 0.01, low, low + self.beside, self.fillet))
        cuts: list[tree.Solid] = [tree.Extrude(gap, p.thickness + 2) for gap in gaps]
        if self.high < p.thickness:
            # Behind the seam too a tongue is no higher than it is computed.
            cuts.append(tree.Box(-p.into, -self.half, self.high + 1, 0.01, self.half, p.thickness + 2))
        tongues = self.row(tongue + tongue.mirror("y"))
        return Feature("tab", "A", add=tongues, cut=self.row(tree.union(cuts).move(z=-1)))

    @cached_property
    def depth(self) -> float:
        """Of the cavity, mm."""
        return self.tip + ROOM

    def cavity(self) -> Feature:
        """What the other plate loses, the seam at x = 0 and the cavity along +x."""
        p, c, depth = self.p, self.p.clearance, self.depth
        flank, deep = self.half + c, self.half + self.bump + ROOM
        e = self.eased
        recess = (self.wall, self.tip)
        upper = [(-1.0, flank + e), (0.0, flank + e), (e, flank), (recess[0], flank), (recess[0], deep), (recess[1], deep),
                 (depth, flank)]
        plan = polygon([*((x, -y) for x, y in upper), *reversed(upper)])
        up = self.high + (c if p.cover > 0 else 1.0)
        cut: tree.Solid = tree.Extrude(plan, up + 1).move(z=-1)
        if p.cover > 0:
            slope = math.tan(math.radians(p.overhang))
            roof = min(self.roof, p.thickness - p.cover - up)
            cross = polygon([(-flank, 0), (flank, 0), (flank - roof * slope, roof), (-flank + roof * slope, roof)])
            # Drawn as (y, z), laid along x.
            cut = cut + tree.Placed(tree.Extrude(cross, depth + 1), (0, 0, 1, -1, 1, 0, 0, 0, 0, 1, 0, up - 0.005))
        return Feature("cavity", "B", cut=self.row(cut))

    def draw(self) -> tuple[tuple[Body, ...], tuple[Feature, ...]]:
        """Two plates that meet at the seam."""
        p = self.p
        first = blocks.block(-p.backing, -self.side, 0.0, self.side, p.thickness)
        second = blocks.block(0.0, -self.side, max(p.backing, self.depth + 4.0), self.side, p.thickness)
        return ((Body("A", "tab plate", first, self.laid), Body("B", "cavity plate", second, self.place)),
                (self.tab(), self.cavity()))

    @cached_property
    def place(self) -> tree.Matrix:
        """Where the second part lies on the bed, beside the first."""
        shift: tree.Matrix = (1, 0, 0, 0, 0, 1, 0, 2 * self.side + BESIDE, 0, 0, 1, 0)
        return tree.compose(shift, pressing.laid(self.p.layers, 0.0))

    @cached_property
    def seated(self) -> tree.Matrix:
        """Where the second part sits when shut, from its print pose."""
        return pressing.seated_as_laid(tree.IDENTITY, self.laid, self.place)


def _slot(start: float, end: float, low: float, high: float, radius: float) -> Outline:
    """Return a slot along x whose blind end at ``start`` has corners of ``radius``, mm."""
    bulge = math.tan(math.pi / 8)
    r = min(radius, (high - low) / 2 - 1e-3)
    return from_corners([(end, low, 0.0), (end, high, 0.0), (start + r, high, bulge), (start, high - r, 0.0),
                         (start, low + r, bulge), (start + r, low, 0.0)])


def _wedge(radius: float, x: float, face: float, way: int) -> Outline:
    """Return what rounds the corner between a seam at ``x`` and a tongue's ``face``, on the side ``way`` (1 or −1), mm."""
    bulge, over = math.tan(math.pi / 8), 0.05
    corners = [(x - over, face - way * over, 0.0), (x - over, face + way * radius, 0.0), (x, face + way * radius, way * bulge),
               (x + radius, face, 0.0), (x + radius, face - way * over, 0.0)]
    return from_corners(corners)
