"""Split pin: two plates held by a pin whose ends are split; the arms pinch on the way in and spread behind the wall.

Drawn lying: the pin's axis is x, the plates meet at x = 0, its slots lie in the plane y = 0. Every size of the pin and the grip
is multiplied by ``scale``; a tiny pin is hard to pinch in, the same shape larger goes in easily.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property

from bouncy_latch.core.fields import number
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.host import SPLIT, Web
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.flex.tilted import Opposed
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Root
from bouncy_latch.core.mechanisms.snaps import pressing, shapes
from bouncy_latch.core.mechanisms.snaps.fields import TILTED, SnapParams, entry
from bouncy_latch.core.mechanisms.snaps.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch, grown_mate
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import LOOSE, Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import circle, polygon, rectangle

CREST = 0.6
BESIDE = 5.0
FLAT = 8.0
"""How far beside its hole a plate is looked at as the pin is tilted, mm."""


class SplitPinParams(SnapParams):
    """Sizes of a split pin and the plates it joins."""

    scale: float = number(1.0, label="scale", unit="×", role="chosen", low=0.4, high=5, step=0.05,
                          help="Scale of the pin, its barbs and the grip together.")
    pin: float = number(5.1, label="pin", unit="mm", role="chosen", low=2, high=40, step=0.1,
                        help="Thickness of the pin across its slot.")
    depth: float = number(10.4, label="pin depth", unit="mm", role="chosen", low=1, high=40, step=0.1,
                          help="Depth of the pin along its slot: the print's height when it lies.")
    slot: float = number(3.4, label="slot", unit="mm", role="chosen", low=0.3, high=20, step=0.1,
                         help="Gap between the two arms; it must hold twice what an arm bends.")
    undercut: float = number(0.35, label="undercut", unit="mm", role="chosen", low=0.1, high=5, step=0.05,
                             help="How far each barb reaches behind the wall.")
    lead_angle: float = number(22, label="lead angle", unit="°", role="chosen", low=10, high=80, step=1,
                               help="Angle of the barb's nose from the push direction.")
    return_angle: float = number(81, label="return angle", unit="°", role="chosen", low=15, high=90, step=1,
                                 help="Angle of the barb's back from the push direction; steep backs lock.")
    wall: float = number(3, label="wall", unit="mm", role="given", low=0.6, high=40, step=0.1,
                         help="Thickness of each plate.", source="you")
    boss: float = number(8, label="boss", unit="mm", role="chosen", low=0, high=40, step=0.5,
                         help="How much thicker each plate is round its hole.")
    web: float = number(2.0, label="middle", unit="mm", role="chosen", low=0.8, high=20, step=0.2,
                        help="Solid part of the pin between its two slots.")
    entry: str = entry()
    seat_gap: float = number(0.1, label="seat gap", unit="mm", role="chosen", low=-0.5, high=2, step=0.05,
                             help="Drawn distance from the wall to the barb's back when shut; below 0 the pin seats with "
                                  "preload.")
    backing: float = blocks.backing(36, label="plate", low=4, high=200, part="plate", help="Edge of the square plates.")


@frozen
class SplitPinPlan:
    """A design worked out, before it is judged."""

    p: SplitPinParams
    process: Process

    @cached_property
    def pin(self) -> float:
        """Diameter across the legs, scaled, mm."""
        return self.p.pin * self.p.scale

    @cached_property
    def depth(self) -> float:
        """Across the way it bends, scaled, mm."""
        return self.p.depth * self.p.scale

    @cached_property
    def slot(self) -> float:
        """Between the legs, scaled, mm."""
        return self.p.slot * self.p.scale

    @cached_property
    def undercut(self) -> float:
        """How far it reaches behind what holds it, mm."""
        return self.p.undercut * self.p.scale

    @cached_property
    def wall(self) -> float:
        """Thickness of what it goes through, mm."""
        return self.p.wall * self.p.scale

    @cached_property
    def grip(self) -> float:
        """What one end goes through, mm."""
        return (self.p.wall + self.p.boss) * self.p.scale

    @cached_property
    def thickness(self) -> float:
        """Of one leg, mm."""
        return (self.pin - self.slot) / 2

    @cached_property
    def height(self) -> float:
        """How high the catch stands above the pin's face, mm."""
        return self.undercut + self.p.clearance

    @cached_property
    def foot(self) -> float:
        """X of the barb's foot, which is also the seat."""
        return self.grip + self.p.seat_gap - self.p.clearance / math.tan(math.radians(self.p.return_angle))

    @cached_property
    def root(self) -> float:
        """Half the web between the two ends, mm."""
        return self.p.web * self.p.scale / 2

    @cached_property
    def crest(self) -> float:
        """Level top of the catch, mm."""
        return max(CREST * self.p.scale, self.process.line_width)

    def arm(self, growth: float) -> Arm:
        """Return the arm on a printer that grows outlines by ``growth``, mm per side."""
        p = self.p
        drawn = Arm(self.foot - self.root, self.thickness, self.depth, p.fill(self.process), self.process.modulus.mean,
                    self.process.plastic.poisson, fillet=min(self.slot / 2, 0.8 * (self.foot - self.root)),
                    root=SPLIT, web=Web(self.p.web * self.p.scale, self.slot))
        return drawn.grown(growth)

    def catch(self, face: float) -> tuple[Point, ...]:
        """Return the catch's outline from behind to the nose, over a face at height ``face``, mm."""
        p = self.p
        return shapes.catch_profile(face, self.height, math.radians(p.lead_angle), math.radians(p.return_angle), self.crest,
                                    p.edge, behind=min(4.0, 0.9 * (self.foot - self.root)), drop=0.4 * self.thickness)

    @cached_property
    def printed_arm(self) -> Arm:
        """The arm as it comes off the printer."""
        return self.arm(self.process.growth.mean)

    @cached_property
    def snap(self) -> Snap:
        """Its mechanics: the way in and out, what it bears and what tears."""
        p, g, m, h = self.p, self.process.growth.mean, self.process.plastic, self.thickness
        ride = Ride(self.printed_arm, grown_catch(self.catch(h / 2), g),
                    grown_mate(shapes.edge_profile(h / 2 + p.clearance, self.grip, p.edge), g), self.foot, m.friction, count=2)
        engaged = self.undercut + 2 * g
        strength = m.across if p.layers == "across" else m.strength
        base = shapes.sheared(self.height, math.radians(p.lead_angle), math.radians(p.return_angle), self.crest)
        tears = (
            ("barb", 2 * base * self.depth * SHEAR_OF_TENSION * strength),
            ("arm", 2 * self.printed_arm.pulled(0.0, h / 2 + p.clearance + self.undercut / 2, strength)),
            ("edge of the hole", 2 * engaged * self.depth * BEARING * m.strength),
        )
        return Snap(p, self.process, ride, h + 2 * g, engaged, tears,
                    slot=(self.slot, (self.foot - self.root) * self.depth), needs=2 * engaged + 0.1,
                    lead=math.radians(p.lead_angle), overhang=p.return_angle if p.layers == "across" else 0.0,
                    wall=(self.grip, self.pin / 2), across=p.layers == "across", opposed=self._opposed(ride),
                    tilts=p.entry == TILTED)

    def _opposed(self, ride: Ride) -> Opposed:
        """The legs' whole outer outlines and the hole's, as printed."""
        face = ride.catch[0][1]
        catch = ((-self.foot - self.root, face), *ride.catch[1:])
        mate = ((ride.mate[0][0], ride.mate[0][1] + FLAT), *ride.mate[1:-1], (ride.mate[-1][0], ride.mate[-1][1] + FLAT))
        return Opposed(catch, mate, -(self.slot + self.thickness) / 2, ride.seat, self.printed_arm.lever)

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def tail(self) -> float:
        """Half length of the pin, mm."""
        return self.foot + self.catch(0.0)[-1][0]

    @cached_property
    def laid(self) -> tree.Matrix:
        """From the drawn coordinates to the print pose."""
        return pressing.laid(self.p.layers, -self.tail)

    @cached_property
    def roots(self) -> Root:
        """Both ends are cut through at once."""
        one, wide = pressing.root(self.root + self.slot / 2, -self.pin, self.pin, self.depth, 5, self.laid), self.pin
        x = self.root + self.slot / 2
        other = tree.Placed(tree.Box(-x - pressing.CUT, -wide, -1.0, -x, wide, self.depth + 1.0), self.laid)
        return replace(one, cut=one.cut + other)

    def solid(self) -> tree.Solid:
        """Return the whole pin as drawn."""
        catch = [(self.foot + x, y) for x, y in self.catch(self.pin / 2)]
        catch[0] = (-0.5, self.pin / 2)
        end = tree.Extrude(polygon([*((x, -y) for x, y in catch), *reversed(catch)]), self.depth)
        round_end = tree.Extrude(circle(self.slot / 2), self.depth + 2).move(x=self.root + self.slot / 2, z=-1)
        slot = tree.Extrude(rectangle(self.root + self.slot / 2, -self.slot / 2, self.tail + 1, self.slot / 2),
                            self.depth + 2).move(z=-1) + round_end
        half = end - slot
        return half + half.mirror("x")

    def hole(self) -> Feature:
        """What a plate gets: a boss, and the hole upright, eased at both ends; the face that meets the other plate below."""
        p = self.p
        rim, a, b = self.boss_rim, self.depth / 2 + p.clearance, self.pin / 2 + p.clearance
        boss = blocks.block(-a - rim, -b - rim, a + rim, b + rim, self.grip) if p.boss > 0 else None
        ease = min(max(p.edge, 0.02), 0.3 * self.grip)
        base, wide = rectangle(-a, -b, a, b), rectangle(-a - ease, -b - ease, a + ease, b + ease)
        hole = tree.Loft(((wide, 0.0), (base, ease), (base, self.grip - ease), (wide, self.grip)))
        return Feature("plate", "B", add=boss, cut=hole)

    @cached_property
    def boss_rim(self) -> float:
        """Wall of the boss round its hole, mm."""
        return 1.2 + 0.25 * self.pin

    @cached_property
    def plate_half(self) -> float:
        """Half the edge of a plate, mm: it carries its hole, and its boss where it has one."""
        p = self.p
        hole = max(self.pin, self.depth) / 2 + p.clearance
        return max(p.backing / 2, hole + 2.0, hole + self.boss_rim if p.boss > 0 else 0.0)

    def draw(self) -> tuple[tuple[Body, ...], tuple[Feature, ...]]:
        """The pin, which is loose, and two plates."""
        size, hole = self.plate_half, self.hole()
        plate = blocks.block(-size, -size, size, size, self.wall)
        return ((Body("A", "pin", self.solid(), self.laid, LOOSE), Body("B", "plate", plate, self.places[0]),
                 Body("C", "second plate", plate, self.places[1])), (hole, hole.seated("C", tree.IDENTITY)))

    @cached_property
    def places(self) -> tuple[tree.Matrix, tree.Matrix]:
        """Where the plates lie on the bed, beside the pin."""
        half = self.plate_half
        y = self.pin / 2 + self.height + BESIDE + half
        return ((1, 0, 0, half + BESIDE / 2, 0, 1, 0, y, 0, 0, 1, 0), (1, 0, 0, -half - BESIDE / 2, 0, 1, 0, y, 0, 0, 1, 0))

    def seats(self) -> tuple[tree.Matrix, tree.Matrix]:
        """Where the plates sit on the pin, from their print poses."""
        first = tree.compose((1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, self.depth / 2), pressing.UP_TO_WAY)
        second: tree.Matrix = (0, 0, -1, 0, 0, 1, 0, 0, 1, 0, 0, self.depth / 2)
        return (pressing.seated_as_laid(first, self.laid, self.places[0]),
                pressing.seated_as_laid(second, self.laid, self.places[1]))
