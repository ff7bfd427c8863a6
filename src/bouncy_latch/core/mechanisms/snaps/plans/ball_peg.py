"""Ball peg: a split round peg on a limb that snaps through a hole and turns there for ever, flat face on flat face.

Drawn lying: the peg's axis is x, the limb's turning face is x = 0; peg and limb are cut flat so that they lie on the bed and
bend along their layers. The hole has a countersunk mouth, a throat, and a recess the ball stands in.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.fields import choice, number, other_default
from bouncy_latch.core.flex.arm import Arm, Base
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.flex.section import SHEAR, Fill, Section, section
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.snaps import pressing, shapes
from bouncy_latch.core.mechanisms.snaps.fields import SnapParams
from bouncy_latch.core.mechanisms.snaps.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch, grown_mate
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import circle, polygon, rectangle

BALL, SHOULDER = "ball", "shoulder"
NOSE = 0.55
"""Radius the ball is cut off at in front, of the peg's."""
RELIEF = 0.8
"""Gap on either side of the peg where it runs into the limb, so that its halves can pinch there, mm."""
HAIR = 0.01
"""What keeps two faces from merely touching, mm."""
RIM = 3.0
"""Wall left round the recess, mm."""
RECESS_ROOM = 0.4
"""Room round the ball in its recess, mm per side."""
BESIDE = 5.0
_ARC = 14


class BallPegParams(SnapParams):
    """Sizes of a ball peg, its limb and its socket."""

    clearance: float = other_default(SnapParams, "clearance", 0.3)
    peg: float = number(7, label="peg", unit="mm", role="chosen", low=2, high=40, step=0.1,
                        help="Diameter of the neck that turns in the throat.")
    ball: float = number(8.4, label="ball", unit="mm", role="chosen", low=2.2, high=50, step=0.1,
                         help="Diameter of the head; the halves must be pinched by how much it is wider than the throat.")
    head: str = choice(SHOULDER, (BALL, SHOULDER), label="head", role="chosen",
                       help="A ball comes out again with a pull; a square shoulder behind it never does.")
    slot: float = number(4.2, label="slot", unit="mm", role="chosen", low=0.3, high=20, step=0.1,
                         help="Gap between the two halves of the peg.")
    into: float = number(9, label="runs into the limb", unit="mm", role="chosen", low=0, high=60, step=0.5,
                         help="How far peg and slot begin inside the limb: longer halves are softer.")
    flat: float = number(0.75, label="flat", unit="", role="chosen", low=0.4, high=1, step=0.05,
                         help="Thickness of the lying peg as a part of its diameter; the rest is cut off above and below.")
    throat: float = number(4, label="throat", unit="mm", role="given", low=1, high=40, step=0.1,
                           help="Thickness of the wall the peg goes through, mouth and throat together.", source="you")
    mouth: float = number(1.0, label="mouth", unit="mm", role="chosen", low=0, high=6, step=0.1,
                          help="Width of the 45° countersink that leads the ball into the hole.")
    seat_gap: float = number(0.15, label="seat gap", unit="mm", role="chosen", low=-0.3, high=2, step=0.05,
                             help="Drawn end play of the turning joint; below 0 the joint is pulled tight and drags.")
    backing: float = blocks.backing(24, label="limb", low=5, high=200, part="limb and body",
                                    help="Length of the limb, and edge of the body piece it turns on.")


def half_round(radius: float, slot: float, flat: float, fill: Fill, poisson: float) -> tuple[Section, float, float, float]:
    """Return the section of one half of a split round peg that is cut flat above and below.

    Args:
        radius: mm. slot: mm. flat: thickness across the layers, mm.

    Returns:
        Section about the axis it bends on, distances of its inner and outer fibres from the neutral axis, and that axis's
        distance from the peg's, all mm.
    """
    y = np.linspace(slot / 2, radius, 61)
    width = np.minimum(flat, 2 * np.sqrt(np.maximum(radius**2 - y**2, 0.0)))
    area = float(np.trapezoid(width, y))
    middle = float(np.trapezoid(width * y, y)) / area
    bending = float(np.trapezoid(width * (y - middle) ** 2, y))
    depth = radius - slot / 2
    like = section(depth, max(area / depth, fill.line), fill, poisson)
    whole = like.width * depth
    made = Section(depth, like.width, area * like.area / whole, bending * like.fullness,
                   bending * like.own / (whole * depth**2 / 12),
                   SHEAR * area * like.solid, like.core_shear, like.solid)
    return made, middle - slot / 2, radius - middle, middle


@frozen
class BallPegPlan:
    """A design worked out, before it is judged."""

    p: BallPegParams
    process: Process

    @cached_property
    def bore(self) -> float:
        """Radius of the throat, mm."""
        return self.p.peg / 2 + self.p.clearance

    @cached_property
    def undercut(self) -> float:
        """How far it reaches behind what holds it, mm."""
        return self.p.ball / 2 - self.bore

    @cached_property
    def profile(self) -> tuple[Point, ...]:
        """Upper outline of neck and head from the neck's foot on: x from where the head leaves the neck, y from the axis."""
        r, big = self.p.peg / 2, self.p.ball / 2
        reach = math.sqrt(big**2 - r**2)
        start = math.atan2(r, -reach)
        centre = reach
        if self.p.head == SHOULDER:
            start, centre = math.pi / 2, 0.02
        stop = math.asin(min(0.95, NOSE * r / big))
        angles = [start + (stop - start) * i / _ARC for i in range(_ARC + 1)]
        arc = [(centre + big * math.cos(a), big * math.sin(a)) for a in angles]
        return ((-4.0, r), (0.0, r), *(arc if self.p.head == SHOULDER else arc[1:]))

    @cached_property
    def seat(self) -> float:
        """X of the neck's end: the head's back meets the throat's far edge, the faces are ``seat_gap`` apart."""
        meets = next(x for (x, y) in self._fine if y >= self.bore)
        return self.p.throat + self.p.seat_gap - meets

    @cached_property
    def _fine(self) -> list[Point]:
        xs, ys = np.array(self.profile).T
        at = np.linspace(0, len(xs) - 1, 600)
        index = np.arange(len(xs))
        return list(zip(np.interp(at, index, xs).tolist(), np.interp(at, index, ys).tolist(), strict=True))

    @cached_property
    def flat(self) -> float:
        """Between the flats that it is cut to, mm."""
        return self.p.flat * self.p.peg

    def half(self, growth: float) -> tuple[Section, float, float, float]:
        """Return section, lowest and highest fibre and axis of one half, on a printer of known growth."""
        p = self.p
        return half_round(p.peg / 2 + growth, p.slot - 2 * growth, self.flat, p.fill(self.process),
                          self.process.plastic.poisson)

    def arm(self, growth: float) -> Arm:
        """Return the arm on a printer that grows outlines by ``growth``, mm per side."""
        made, low, high, _ = self.half(growth)
        p, fill = self.p, self.p.fill(self.process)
        length, base = self.seat + p.into, None
        if p.into > 0:
            # Freed from the limb by straight cuts, the bars are as high as the limb there.
            bar = section(made.depth + HAIR, self.flat, fill, self.process.plastic.poisson)
            base = Base(p.into, bar, bar.depth / 2)
        return Arm(length, made.depth, self.flat if base else made.width, fill, self.process.modulus.mean,
                   self.process.plastic.poisson, fillet=min(p.slot / 2, 0.2 * length),
                   shape=lambda _depth, _width: (made, low, high), base=base)

    @cached_property
    def printed_arm(self) -> Arm:
        """The arm as it comes off the printer."""
        return self.arm(self.process.growth.mean)

    @cached_property
    def snap(self) -> Snap:
        """Its mechanics: the way in and out, what it bears and what tears."""
        p, g, m = self.p, self.process.growth.mean, self.process.plastic
        axis = self.half(g)[3]
        shrink = self.process.hole_shrink(self.bore)
        catch = tuple((x, y - axis) for x, y in self.profile)
        mate = shapes.edge_profile(self.bore - axis, p.throat, p.edge, p.mouth)
        ride = Ride(self.printed_arm, grown_catch(catch, g), grown_mate(mate, g + shrink), self.seat, m.friction, count=2)
        engaged = self.undercut + 2 * g + shrink
        strength = m.across if p.layers == "across" else m.strength
        beyond = self.half(g)[2] + p.clearance + self.undercut / 2
        tears = (("neck", 2 * self.printed_arm.pulled(0.0, beyond, strength)),
                 ("head", 2 * self.flat * min(p.ball / 2, 2.5) * SHEAR_OF_TENSION * strength),
                 ("edge of the throat", 2 * engaged * self.flat * BEARING * m.strength))
        return Snap(p, self.process, ride, self.half(g)[0].depth, engaged, tears,
                    slot=(p.slot, (self.seat + p.into) * self.flat), needs=2 * engaged + 0.1,
                    lead=math.radians(45) if p.mouth >= 0.3 else math.radians(75), wall=(p.throat, 4 * self.process.line_width),
                    across=p.layers == "across")

    @cached_property
    def turning(self) -> float:
        """Printed clearance of the neck in the throat, mm per side."""
        return self.p.clearance - 2 * self.process.growth.mean - self.process.hole_shrink(self.bore)

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def laid(self) -> tree.Matrix:
        """From the drawn coordinates to the print pose."""
        return pressing.laid(self.p.layers, -self.p.backing)

    @cached_property
    def limb_half(self) -> float:
        """Half the width of the limb it stands on, mm."""
        return max(self.p.ball / 2 + 1.5, self.p.peg / 2 + RELIEF + 2.5)

    def peg(self) -> tree.Solid:
        """The peg with its head, lying with its axis at half its thickness."""
        p = self.p
        head = [(y, self.seat + x) for x, y in self.profile if x >= 0]
        body = [(0.0, -0.5), (p.peg / 2, -0.5), *head, (0.0, head[-1][1])]
        round_peg = tree.along_x(tree.Revolve(polygon(body)))
        flat = tree.Box(-1, -p.ball, -self.flat / 2, self.tip + 1, p.ball, self.flat / 2)
        return (round_peg & flat).move(z=self.flat / 2)

    @cached_property
    def tip(self) -> float:
        """How far it reaches from the limb, mm."""
        return self.seat + self.profile[-1][0]

    def slot(self) -> tree.Solid:
        """The slot, and the relief on either side of the peg inside the limb."""
        p, high = self.p, self.flat + 2
        end, r = p.slot / 2 - p.into, p.peg / 2
        found: list[tree.Solid] = [tree.Extrude(rectangle(end, -p.slot / 2, self.tip + 2, p.slot / 2), high),
                                   tree.Extrude(circle(p.slot / 2), high).move(x=end)]
        if p.into > 0:
            # A hair beside the peg: a wall that touches a round along a line is no sound solid.
            for y in (r + HAIR, -r - HAIR - RELIEF):
                found.append(tree.Extrude(rectangle(-p.into, y, 0.01, y + RELIEF), high))
        return tree.union(found).move(z=-1)

    @cached_property
    def body_size(self) -> tuple[float, float]:
        """Half edge and height of the body piece, mm."""
        p = self.p
        return max(p.backing / 2, p.ball / 2 + RECESS_ROOM + RIM), p.throat + (self.tip - self.seat) + 1.0

    def socket(self) -> tree.Solid:
        """What the body loses: mouth, throat and recess, the mouth on the bed."""
        p, b = self.p, self.bore
        wide, high = p.ball / 2 + RECESS_ROOM, self.body_size[1]
        ease = max(p.mouth, 0.02)
        eased = min(max(p.edge, 0.02), 0.4 * (p.throat - ease), wide - b - 0.02)
        cut = polygon([(0, -1), (b + ease, -1), (b + ease, 0), (b, ease), (b, p.throat - eased), (b + eased, p.throat),
                       (wide, p.throat), (wide, high + 1),
                       (0, high + 1)])
        return tree.Revolve(cut)

    def draw(self) -> tuple[tuple[Body, ...], tuple[Feature, ...]]:
        """The limb with its peg, and the body it turns on."""
        p, (side, high) = self.p, self.body_size
        limb = tree.Box(-p.backing, -self.limb_half, 0, 0, self.limb_half, self.flat)
        body = blocks.block(-side, -side, side, side, high)
        return ((Body("A", "limb", limb, self.laid), Body("B", "body", body, self.place)),
                (Feature("peg", "A", add=self.peg(), cut=self.slot()), Feature("socket", "B", cut=self.socket())))

    @cached_property
    def place(self) -> tree.Matrix:
        """Where the second part lies on the bed, beside the first."""
        return (1, 0, 0, 0, 0, 1, 0, self.limb_half + BESIDE + self.body_size[0], 0, 0, 1, 0)

    @cached_property
    def seated(self) -> tree.Matrix:
        """Where the second part sits when shut, from its print pose."""
        drawn = tree.compose((1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, self.flat / 2), pressing.UP_TO_WAY)
        return pressing.seated_as_laid(drawn, self.laid, self.place)
