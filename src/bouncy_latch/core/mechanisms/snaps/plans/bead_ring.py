"""Bead ring: an elastic ring with an inner bead that stretches over a lip and drops into the groove behind it.

A cap on a neck, or a disc pressed past the bead of a ring onto a bevel; stiff, or slotted into fingers. Both parts print with
their axis upright: a stiff ring then stretches along its layers, fingers bend across them. The ring is drawn open end down,
its axis z; the way in is −z of the ring as printed upside down, see ``seated``.
"""

from __future__ import annotations

import math
from functools import cached_property

from bouncy_latch.core.fields import choice, number, other_default
from bouncy_latch.core.flex import ring as rings
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.contact import Flexure, Ride
from bouncy_latch.core.flex.host import STUB
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.flex.oval import Oval
from bouncy_latch.core.flex.ring import Ring
from bouncy_latch.core.flex.section import UPRIGHT, Fill, Section
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Root
from bouncy_latch.core.mechanisms.snaps import pressing, shapes
from bouncy_latch.core.mechanisms.snaps.fields import TILTED, SnapParams, entry
from bouncy_latch.core.mechanisms.snaps.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch, grown_mate
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import polygon

CAP, DISC = "cap", "disc"
FLOOR = 2.0
VENT = 0.8
"""Least vent that lets the air out of a cap as it closes, mm (common practice, no source)."""
SLOT_WIDTH = 1.2
LEDGE, ASIDE = 3.0, 0.8
"""Breadth of the ledge under a disc, and the gap that fingers leave beside it, mm (own choice)."""
_SECTORS = 8
BESIDE = 5.0
_TINY = 0.02


class BeadRingParams(SnapParams):
    """Sizes of a ring with a bead and of what it snaps over."""

    form: str = choice(CAP, (CAP, DISC), label="form", role="chosen",
                       help="A cap over a neck with a groove, or a disc pressed into a ring past its bead onto a bevel.")
    hold: float = other_default(SnapParams, "hold", 6)
    diameter: float = number(32, label="neck diameter", unit="mm", role="given", low=6, high=300, step=0.5,
                             help="Outer diameter of the lip or disc the bead goes over.", source="you")
    wall: float = number(2, label="ring wall", unit="mm", role="chosen", low=0.8, high=10, step=0.1,
                         help="Thickness of the ring that stretches.")
    undercut: float = number(0.3, label="undercut", unit="mm", role="chosen", low=0.05, high=4, step=0.05,
                             help="How far the bead reaches behind the lip, on the radius.")
    lead_angle: float = number(18, label="lead angle", unit="°", role="chosen", low=10, high=80, step=1,
                               help="Angle of the bead's entry face from the axis.")
    return_angle: float = number(45, label="return angle", unit="°", role="chosen", low=15, high=90, step=1,
                                 help="Angle of the bead's holding face from the axis; it prints without support.")
    lip: float = number(2, label="lip", unit="mm", role="given", low=0.6, high=20, step=0.1,
                        help="Height of the lip, or thickness of the disc, that the bead goes past.", source="you")
    height: float = number(26, label="ring height", unit="mm", role="chosen", low=3, high=100, step=0.5,
                           help="Distance from the ring's rim to its floor or bevel.")
    slots: int = number(16, label="slots", unit="", role="chosen", low=0, high=24, step=1, whole=True,
                        help="Cuts that turn the ring into fingers; 0 for a stiff ring.")
    entry: str = entry(when={"slots": (0,)})
    seat_gap: float = number(0.0, label="bead to seat", unit="mm", role="chosen", low=-0.5, high=2, step=0.05,
                             help="Drawn distance along the axis between lip and bead when shut; below 0 the bead presses the "
                                  "lip onto its seat.")
    vent: float = number(0, label="vent", unit="mm", role="chosen", low=0, high=6, step=0.2,
                         help="Hole in the cap that lets the air out; 0 for none.")
    backing: float = blocks.backing(14, label="neck", low=3, high=200, part="neck", help="Height of the neck piece.")


@frozen
class BeadRingPlan:
    """A design worked out, before it is judged."""

    p: BeadRingParams
    process: Process

    @cached_property
    def bore(self) -> float:
        """Inner radius of the ring, mm."""
        return self.p.diameter / 2 + self.p.clearance

    @cached_property
    def bead_height(self) -> float:
        """How far the bead stands in from the bore, mm."""
        return self.p.undercut + self.p.clearance

    @cached_property
    def crest(self) -> float:
        """Level top of the catch, mm."""
        return max(0.4, self.process.line_width)

    @cached_property
    def bead(self) -> tuple[Point, ...]:
        """The bead's profile: x along the way in from the foot of its holding face, y inward from the ring's bore."""
        p = self.p
        return shapes.catch_profile(0.0, self.bead_height, math.radians(p.lead_angle), math.radians(p.return_angle), self.crest,
                                    p.edge, behind=1.0, drop=_TINY)

    @cached_property
    def bead_length(self) -> float:
        """Of the bead along the way in, mm."""
        return self.bead[-1][0]

    @cached_property
    def bead_area(self) -> float:
        """Of the bead's section, mm²: crest, and half of what both faces rise over."""
        p, h = self.p, self.bead_height
        return h * self.crest + h**2 / 2 * sum(1 / math.tan(math.radians(angle)) for angle in (p.lead_angle, p.return_angle))

    @cached_property
    def seat(self) -> float:
        """Where the catch's foot is when shut, along the way in, mm."""
        p = self.p
        return p.lip + p.seat_gap - p.clearance / math.tan(math.radians(p.return_angle))

    @cached_property
    def foot(self) -> float:
        """Height of the holding face's foot above the rim, mm: the bead ends at the rim's easing."""
        return self.bead_length + 0.4

    @cached_property
    def finger(self) -> float:
        """Length of a finger, mm: from the bead to the end of the slot."""
        return self.p.height - self.foot - 1.0

    def flexure(self, growth: float) -> Flexure:
        """Return what stretches or bends, on a printer of known growth: a whole ring or its fingers."""
        p, m = self.p, self.process.plastic
        fill = self.fill
        bore, wall = self.bore - growth, p.wall + 2 * growth
        if not p.slots:
            return Ring(2 * bore, wall, self.foot, fill, self.process.modulus.mean, m.poisson, self.bead_area,
                        self.bead_height / math.tan(math.radians(p.return_angle)) + self.crest / 2, self.bead_height)
        angle = 2 * math.pi / p.slots - SLOT_WIDTH / (bore + wall / 2)

        def shape(depth: float, _width: float) -> tuple[Section, float, float]:
            return rings.sector(bore, depth, angle, self.finger, fill, m.poisson)

        return Arm(self.finger, wall, angle * bore, fill, self.process.modulus.mean, m.poisson, fillet=0.4, shape=shape,
                   root=STUB)

    @cached_property
    def fill(self) -> Fill:
        """What the wall is made of where a finger bends."""
        p = self.p
        drawn = p.fill(self.process)
        return Fill(drawn.loops, drawn.line, drawn.infill, drawn.skin, UPRIGHT)

    @cached_property
    def axis(self) -> float:
        """Distance of the flexing wall's neutral axis outside the bore, mm."""
        if not self.p.slots:
            return self.p.wall / 2 + self.process.growth.mean
        arm = self.flexure(self.process.growth.mean)
        assert isinstance(arm, Arm)
        return arm.shape(arm.thickness, arm.width)[1] if arm.shape else 0.0

    @cached_property
    def snap(self) -> Snap:
        """Its mechanics: the way in and out, what it bears and what tears."""
        p, g, m = self.p, self.process.growth.mean, self.process.plastic
        catch = tuple((x, y + self.axis) for x, y in self.bead)
        mate = shapes.edge_profile(self.axis + p.clearance, p.lip, p.edge)
        ride = Ride(self.flexure(g), grown_catch(catch, g), grown_mate(mate, g), self.seat, m.friction, count=max(1, p.slots))
        engaged = p.undercut + 2 * g
        round_ = math.pi * p.diameter
        base = self.crest + 1.5 * self.bead_height
        wall = math.pi * ((self.bore + p.wall) ** 2 - self.bore**2) * m.across
        if isinstance(flexure := self.flexure(g), Arm):
            wall = p.slots * flexure.pulled(0.0, self.axis + p.clearance + p.undercut / 2, m.across)
        tears = (
            ("bead", round_ * base * SHEAR_OF_TENSION * m.strength),
            ("lip", round_ * p.lip * SHEAR_OF_TENSION * m.strength),
            ("edge of the bead", round_ * engaged * BEARING * m.strength),
            ("ring", wall),
        )
        return Snap(p, self.process, ride, p.wall + 2 * g, engaged, tears, lead=math.radians(p.lead_angle),
                    overhang=p.return_angle, across=bool(p.slots), upright=True,
                    oval=self._oval(flexure, engaged) if isinstance(flexure, Ring) else None, tilts=p.entry == TILTED)

    def _oval(self, ring: Ring, undercut: float) -> Oval:
        """The ring as it is tipped on, one side first."""
        p, g = self.p, self.process.growth.mean
        # A disc has no groove behind its edge; a neck's groove leaves the bead as much room as the lip leaves the ring.
        groove = math.inf if p.form == DISC else max(self.groove_depth - self.bead_height + p.clearance - 2 * g, 0.02)
        return Oval(ring.mean_radius, ring.wall, p.height - self.foot, ring.modulus * ring.fullness, ring.poisson,
                    float(1 / ring.flexibility[1, 1]), undercut, groove, p.lip + self.bead_length)

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def outer(self) -> float:
        """Outer radius, mm."""
        return self.bore + self.p.wall

    @cached_property
    def bevel(self) -> float:
        """Height at which the disc comes to rest on the 45° bevel, mm."""
        return FLOOR + self.p.height - self.foot - self.seat + self.p.clearance

    def ring(self) -> Feature:
        """What the ring gets: the bead, a ledge with a bevel for a disc; slots and a vent; floor on the bed, open end up."""
        p, b, top = self.p, self.bore, FLOOR + self.p.height
        foot, deep = top - self.foot, self.bore + p.wall / 2
        bead = [(b - y, foot + x) for x, y in self.bead if x >= 0 and y >= 0]
        adds: list[tree.Solid] = [tree.Revolve(polygon([(deep, foot), (deep, bead[-1][1]), *reversed(bead[1:]), (b, foot)]),
                                               as_round=self.outer)]
        cuts: list[tree.Solid] = []
        if p.form == DISC:
            ledge = polygon(self._ledge(deep))
            adds.append(tree.Revolve(ledge, as_round=self.outer))
        elif p.vent > 0:
            cuts.append(tree.cylinder(p.vent / 2, FLOOR + 2).move(z=-1))
        if p.slots:
            begins = b - max(ASIDE, self.bead_height + 0.1) if p.form == DISC else 0.0
            cut: tree.Solid = tree.Box(begins, -SLOT_WIDTH / 2, FLOOR + 1.0, self.outer + 1, SLOT_WIDTH / 2, top + 1)
            turns = [2 * math.pi * (i + 0.5) / p.slots for i in range(p.slots)]
            cuts += [cut.placed(_about_z(turn)) for turn in turns]
        return Feature("ring", "A", add=tree.union(adds), cut=tree.union(cuts) if cuts else None)

    def _ledge(self, deep: float) -> list[Point]:
        """Return the profile of what a disc rests on, part of a closed ring's wall; beside fingers it stands on the floor
        alone, so that they bend, and the disc rests on its rim."""
        b, bevel = self.bore, self.bevel
        if not self.p.slots:
            return [(b - LEDGE, 0.0), (deep, 0.0), (deep, bevel), (b, bevel), (b - LEDGE, bevel - LEDGE)]
        rim, out = bevel - self.p.clearance, b - ASIDE
        return [(b - LEDGE, 0.0), (deep, 0.0), (deep, FLOOR), (out, FLOOR), (out, rim), (b - LEDGE, rim - LEDGE + ASIDE)]

    @cached_property
    def roots(self) -> Root:
        """Of all fingers, just above the end of their slots."""
        low, wide = FLOOR + 1.1, self.outer + 1
        slab = tree.Box(-wide, -wide, low, wide, wide, low + pressing.CUT)
        return Root("A", slab, self.p.slots + 1, (self.bore + self.p.wall / 2, 0.0, low))

    @cached_property
    def alike(self) -> tree.Solid:
        """What all of the ring is a copy of: a finger with half a slot on either side, or a sector where there is none."""
        half, high = math.pi / (self.p.slots or _SECTORS), FLOOR + self.p.height + 1
        far = (self.outer + 2) / math.cos(half)
        return tree.Extrude(polygon([(0.0, 0.0), *((far * math.cos(at), far * math.sin(at)) for at in (-half, half))]), high)

    def lip(self) -> Feature:
        """What the neck or disc loses: its edges eased, and behind the lip of a neck a groove whose ends slope at 45°."""
        p, r, high = self.p, self.p.diameter / 2, self.neck_height
        e = min(max(p.edge, _TINY), 0.4 * p.lip)
        rings = [[(r - e - 1, high + 1), (r + 1, high - e - 1), (r + 1, high + 1)]]
        if p.form == DISC:
            rings.append([(r - e - 1, -1.0), (r + 1, -1.0), (r + 1, e + 1)])
        else:
            groove, low = r - self.groove_depth, high - p.lip
            rings.append([(groove, low - self.groove_reach), (r + 1, low - self.groove_reach - self.groove_depth - 1),
                          (r + 1, low + e + 1), (r - e, low), (groove, low - self.groove_depth)])
        return Feature("lip", "B", cut=tree.union([tree.Revolve(polygon(ring), as_round=r) for ring in rings]))

    @cached_property
    def groove_depth(self) -> float:
        """How deep the groove behind the lip is, mm."""
        return self.bead_height + self.p.clearance

    @cached_property
    def neck_height(self) -> float:
        """How high the neck stands, mm."""
        p = self.p
        if p.form == DISC:
            return p.lip
        # Below the groove and its 45° slope something must be left to stand on.
        return max(p.backing, p.lip + self.bead_length + 2.5, p.lip + self.groove_reach + self.groove_depth + 1.0)

    @cached_property
    def groove_reach(self) -> float:
        """Height of the groove's upright wall, slope included: the bead and a little more, mm."""
        return max(self.bead_length + 1.0, self.bead_height + self.p.clearance + 0.2)

    def draw(self) -> tuple[tuple[Body, ...], tuple[Feature, ...]]:
        """Two tubes, or a tube and a disc."""
        p, cap = self.p, self.p.form == CAP
        ring = blocks.tube(self.bore, self.outer, FLOOR + p.height, floor=FLOOR if cap else 0.0,
                           ease=(min(0.4, p.wall / 3), 0.0))
        inner = max(1.0, p.diameter / 2 - self.groove_depth - 2.4) if cap else 0.0
        neck = blocks.tube(inner, p.diameter / 2, self.neck_height, ease=(0.4 if cap else 0.0, 0.0))
        return ((Body("A", "cap" if cap else "ring", ring), Body("B", "neck" if cap else "disc", neck, self.place)),
                (self.ring(), self.lip()))

    @cached_property
    def place(self) -> tree.Matrix:
        """Where the second part lies on the bed, beside the first."""
        return (1, 0, 0, self.outer + self.p.diameter / 2 + BESIDE, 0, 1, 0, 0, 0, 0, 1, 0)

    @cached_property
    def seated(self) -> tree.Matrix:
        """The neck turned over and put into the ring as printed: lip down, its top face at the seat below the foot."""
        top = FLOOR + self.p.height - self.foot - self.seat
        drawn: tree.Matrix = (1, 0, 0, 0, 0, -1, 0, 0, 0, 0, -1, top + self.neck_height)
        return tree.compose(drawn, tree.invert(self.place))


def _about_z(turn: float) -> tree.Matrix:
    c, s = math.cos(turn), math.sin(turn)
    return (c, -s, 0, 0, s, c, 0, 0, 0, 0, 1, 0)
