"""Clip hinge: two arms with round nubs grip a tongue with shallow round holes; it snaps together and turns.

Drawn lying with its axis along y, so that the arms bend along their layers: the arms point along +x, mirror images in y = 0,
their nubs inward; the tongue comes from +x. A nub a little larger than its hole holds a position by friction.
"""

from __future__ import annotations

import math
from functools import cached_property

from bouncy_latch.core.fields import number, other_default
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.host import EDGE
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.flex.tilted import Opposed
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.snaps import pressing
from bouncy_latch.core.mechanisms.snaps.fields import TILTED, SnapParams, entry
from bouncy_latch.core.mechanisms.snaps.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import from_corners, polygon

BESIDE = 5.0
PAST = 2.0
"""How far the arms go on past their nubs, of the nub's radius."""


class ClipHingeParams(SnapParams):
    """Sizes of a clip-together hinge."""

    hold: float = other_default(SnapParams, "hold", 8)
    cycles: int = other_default(SnapParams, "cycles", 10)
    length: float = number(19, label="arm length", unit="mm", role="chosen", low=4, high=120, step=0.5,
                           help="Distance from the arm's root to the middle of the nub.")
    arm: float = number(2, label="arm thickness", unit="mm", role="chosen", low=0.8, high=10, step=0.1,
                        help="Thickness of the arm in the plane it bends in.")
    width: float = number(11, label="width", unit="mm", role="chosen", low=2, high=80, step=0.5,
                          help="Width of arms and tongue across the plane of bending: the print's height.")
    mouth: float = number(8, label="mouth", unit="mm", role="chosen", low=2, high=80, step=0.1,
                          help="Distance between the two arms.")
    nub: float = number(7, label="nub", unit="mm", role="chosen", low=1.5, high=30, step=0.1, help="Diameter of the nubs.")
    nub_height: float = number(0.65, label="nub height", unit="mm", role="chosen", low=0.2, high=6, step=0.05,
                               help="How far each nub reaches in; a shorter one is easier to fit and easier to lose.")
    nub_chamfer: float = number(0.5, label="nub chamfer", unit="mm", role="chosen", low=0, high=4, step=0.05,
                                help="Width of the nub's 45° edge, which lets it in and out again.")
    hole_fit: float = number(0.08, label="hole over nub", unit="mm", role="chosen", low=-0.5, high=2, step=0.02,
                             help="How much wider than the nub the hole is drawn, on the diameter; less holds a position.")
    hole_depth: float = number(1.2, label="hole depth", unit="mm", role="chosen", low=0.2, high=8, step=0.05,
                               help="Depth of the shallow holes in the tongue.")
    lead_in: float = number(1.2, label="lead-in", unit="mm", role="chosen", low=0, high=5, step=0.1,
                            help="Width of the 45° ramp on the tongue's edges, which spreads the arms gently.")
    corner: float = number(2, label="corner chamfer", unit="mm", role="chosen", low=0, high=20, step=0.1,
                           help="Chamfer of the tongue's end, which lets it turn.")
    end: float = number(5.2, label="hole from the end", unit="mm", role="chosen", low=1, high=60, step=0.1,
                        help="Distance from the tongue's end to the middle of its hole.")
    entry: str = entry()
    stay: float = number(0, label="holds its angle against", unit="N·mm", role="given", low=0, high=5000, step=1,
                         help="Torque it must hold by friction; 0 if it may swing.", source="you")
    backing: float = blocks.backing(14, label="host length", low=3, high=200, part="fork and tongue",
                                    help="Length of the pieces behind arms and tongue.")


@frozen
class ClipHingePlan:
    """A design worked out, before it is judged."""

    p: ClipHingeParams
    process: Process

    @cached_property
    def undercut(self) -> float:
        """How far a nub reaches into the tongue, as drawn."""
        return self.p.nub_height - self.p.clearance

    @cached_property
    def nub_profile(self) -> tuple[Point, ...]:
        """A nub seen along the hinge's width: x from its middle, y inward from the arm's neutral axis."""
        p, r = self.p, self.p.nub / 2
        face, c = p.arm / 2, min(p.nub_chamfer, p.nub_height - 0.02, r - 0.1)
        top = face + p.nub_height
        points = [(-r - 3.0, face), (-r, face), (-r, top - c), (-r + c, top), (r - c, top), (r, top - c), (r, face),
                  (r + 1.0, face)]
        if c < 0.02:
            points = [(-r - 3.0, face), (-r, face), (-r, top), (r, top), (r, face), (r + 1.0, face)]
        return tuple(points)

    @cached_property
    def tongue_profile(self) -> tuple[Point, ...]:
        """The tongue's flank seen the same way: x from its end, y as for the nub."""
        p = self.p
        face = p.arm / 2 + p.clearance
        r, deep, tiny = (p.nub + p.hole_fit) / 2, face + p.hole_depth, 1e-3
        lead = max(p.lead_in, 0.02)
        return ((0.0, face + lead), (lead, face), (p.end - r, face), (p.end - r + tiny, deep), (p.end + r - tiny, deep),
                (p.end + r, face), (p.end + r + 8.0, face))

    @cached_property
    def printed_arm(self) -> Arm:
        """The arm as it comes off the printer."""
        p = self.p
        drawn = Arm(p.length, p.arm, p.width, p.fill(self.process), self.process.modulus.mean, self.process.plastic.poisson,
                    fillet=min(1.0, 0.4 * p.mouth, 0.2 * p.length), root=EDGE, indent=self._indent)
        return drawn.grown(self.process.growth.mean)

    @cached_property
    def _indent(self) -> float:
        """How far a nub dents the tongue's wall where infill lies behind it, mm/N: a plate on a foundation of infill as deep as
        half the tongue, 1/(8 √(k D)), and as a strip between the tongue's skins, 0.017 b²/D, beyond what it dents a solid one
        (Timoshenko & Woinowsky-Krieger, *Theory of Plates and Shells*, from memory)."""
        p, fill, m = self.p, self.p.fill(self.process), self.process.plastic
        modulus, deep = self.process.modulus.mean, p.mouth / 2 - p.clearance
        wall = min(fill.loops * fill.line, deep)
        plate = modulus * wall**3 / (12 * (1 - m.poisson**2))
        solid, hollow = (8 * math.sqrt(modulus * core / deep * plate) for core in (1.0, fill.core_ratio))
        strip = plate / (0.017 * p.width**2)
        return max(1 / (hollow + strip) - 1 / (solid + strip), 0.0)

    def _opposed(self, ride: Ride) -> Opposed:
        """The arms' whole inner outlines and the tongue's, as printed."""
        p, g = self.p, self.process.growth.mean
        face = p.arm / 2 + g
        catch = tuple((x, y) for x, y in ride.catch if -p.nub / 2 - 2 * g < x < p.nub / 2 + 2 * g)
        whole = ((-p.length, face), *catch, (PAST * p.nub / 2 + g, face))
        mate = (*ride.mate[:-1], (self.neck, ride.mate[-1][1]))
        return Opposed(whole, mate, (p.arm + p.mouth) / 2, ride.seat, self.printed_arm.lever)

    def _printed_hole(self) -> tuple[Point, ...]:
        """The flank as printed: its hole small by growth and hole shrink."""
        g = self.process.growth.mean
        shrink = g + self.process.hole_shrink((self.p.nub + self.p.hole_fit) / 2)
        (x0, y0), (x1, y1), (x2, y2), (x3, y3), (x4, y4), (x5, y5), (x6, y6) = self.tongue_profile
        return ((x0 - g, y0 - g), (x1 - g, y1 - g), (x2 + shrink, y2 - g), (x3 + shrink, y3 - g), (x4 - shrink, y4 - g),
                (x5 - shrink, y5 - g), (x6, y6 - g))

    @cached_property
    def squeeze(self) -> float:
        """How much wider than its hole a nub prints, on the diameter, mm; below 0 it is loose."""
        p, g = self.p, self.process.growth.mean
        return -p.hole_fit + 4 * g + 2 * self.process.hole_shrink((p.nub + p.hole_fit) / 2)

    @cached_property
    def torque(self) -> float:
        """Holding torque by friction of both nubs, N·mm: µ p π d h · d/2 with p = E δ/(2 d), and the arms' pinch."""
        p, m = self.p, self.process.plastic
        pressure = self.process.modulus.mean * max(0.0, self.squeeze) / (2 * p.nub) * m.creep
        gripped = max(0.0, min(p.nub_height - p.nub_chamfer, p.hole_depth) - p.clearance)
        by_nubs = 2 * m.friction * pressure * math.pi * p.nub * gripped * p.nub / 2
        return by_nubs + self.snap.way.preload * m.friction * p.nub / 3

    @cached_property
    def snap(self) -> Snap:
        """Its mechanics: the way in and out, what it bears and what tears."""
        p, g, m = self.p, self.process.growth.mean, self.process.plastic
        ride = Ride(self.printed_arm, grown_catch(self.nub_profile, g), self._printed_hole(), p.end, m.friction, count=2)
        strength = m.across if p.layers == "across" else m.strength
        engaged = max(self.undercut + 2 * g, 0.02)
        tears = (("nub", 2 * math.pi / 4 * p.nub**2 * SHEAR_OF_TENSION * m.across),
                 ("arm", 2 * self.printed_arm.pulled(0.0, p.arm / 2 + p.clearance + self.undercut / 2, strength)),
                 ("edge of the hole", 2 * engaged * p.nub * BEARING * m.strength))
        chamfered = p.nub_chamfer >= 0.25 or p.lead_in >= 0.25
        return Snap(p, self.process, ride, p.arm + 2 * g, engaged, tears, lead=math.radians(45 if chamfered else 90),
                    across=p.layers == "across", overhang=0.0, opposed=self._opposed(ride), tilts=p.entry == TILTED)

    @cached_property
    def sweep(self) -> float:
        """How far the tongue's end sweeps behind the axis as it turns, mm."""
        p = self.p
        half, c = p.width / 2, min(p.corner, p.width / 2 - 0.1, p.end - 0.1)
        return max(math.hypot(p.end - c, half), math.hypot(p.end, half - c))

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def fillet(self) -> float:
        """Rounding where an arm leaves the fork, mm."""
        return min(1.0, 0.4 * self.p.mouth, 0.2 * self.p.length)

    @cached_property
    def laid(self) -> tree.Matrix:
        """From the drawn coordinates to the print pose."""
        return pressing.laid(self.p.layers, -self.p.backing)

    def fork(self) -> Feature:
        """Arms with nubs."""
        p, half = self.p, self.p.mouth / 2
        tip, r = p.length + PAST * p.nub / 2, self.fillet
        q = math.tan(math.pi / 8)
        arm: tree.Solid = tree.Extrude(from_corners([(-0.5, half - r, 0), (0, half - r, -q), (r, half, 0), (tip, half, 0),
                                                     (tip, half + p.arm, 0), (-0.5, half + p.arm, 0)]), p.width)
        c = min(p.nub_chamfer, p.nub_height - 0.02, p.nub / 2 - 0.1)
        rows = [(0.0, -0.3), (p.nub / 2, -0.3), (p.nub / 2, p.nub_height - c), (p.nub / 2 - c, p.nub_height),
                (0.0, p.nub_height)]
        nub = tree.Revolve(polygon(rows if c >= 0.02 else [rows[0], rows[1], (p.nub / 2, p.nub_height), rows[4]]))
        # Its axis, drawn up, points inward: z → −y.
        placed = nub.placed((1, 0, 0, p.length, 0, 0, -1, half, 0, 1, 0, p.width / 2))
        upper = arm + placed
        return Feature("fork", "A", add=upper + upper.mirror("y"))

    def tongue(self) -> Feature:
        """The tongue pointing along −x, its end at x = 0, and its holes."""
        p, half = self.p, self.p.mouth / 2 - self.p.clearance
        lead, c = min(p.lead_in, half - 0.3), min(p.corner, p.width / 2 - 0.1, p.end - 0.1)
        reach = self.neck
        plan = [(0.0, -half + lead), (lead, -half), (reach, -half), (reach, half), (lead, half), (0.0, half - lead)]
        if lead < 0.02:
            plan = [(0.0, -half), (reach, -half), (reach, half), (0.0, half)]
        made: tree.Solid = tree.Extrude(polygon(plan), p.width)
        if c > 0.05:
            side = [(0.0, c), (c, 0.0), (reach + 1, 0.0), (reach + 1, p.width), (c, p.width), (0.0, p.width - c)]
            # Drawn as (x, z), extruded along −y.
            made = made & tree.Placed(tree.Extrude(polygon(side), 2 * half + 2), (1, 0, 0, 0, 0, 0, -1, half + 1, 0, 1, 0, 0))
        hole = tree.cylinder((p.nub + p.hole_fit) / 2, p.hole_depth + 1)
        one = hole.placed((1, 0, 0, p.end, 0, 0, 1, half - p.hole_depth, 0, 1, 0, p.width / 2))
        return Feature("tongue", "B", add=made, cut=tree.union([one, one.mirror("y")]))

    @cached_property
    def neck(self) -> float:
        """From the tongue's end to its host: the arms' ends stay clear of it as it turns."""
        p = self.p
        return p.end + math.hypot(PAST * p.nub / 2, p.width / 2) + 1.0

    def draw(self) -> tuple[tuple[Body, ...], tuple[Feature, ...]]:
        """Two blocks, one with the fork, one with the tongue."""
        p, wide = self.p, self.p.mouth / 2 + self.p.arm
        behind = blocks.block(self.neck - 0.5, -wide, self.neck + p.backing, wide, p.width)
        return ((Body("A", "fork", blocks.block(-p.backing, -wide, 0, wide, p.width), self.laid),
                 Body("B", "tongue", behind, self.place)), (self.fork(), self.tongue()))

    @cached_property
    def place(self) -> tree.Matrix:
        """Where the second part lies on the bed, beside the first."""
        shift: tree.Matrix = (1, 0, 0, 0, 0, 1, 0, self.p.mouth + 2 * self.p.arm + BESIDE, 0, 0, 1, 0)
        return tree.compose(shift, pressing.laid(self.p.layers, 0.0))

    @cached_property
    def seated(self) -> tree.Matrix:
        """Where the second part sits when shut, from its print pose."""
        drawn: tree.Matrix = (1, 0, 0, self.p.length - self.p.end, 0, 1, 0, 0, 0, 0, 1, 0)
        return pressing.seated_as_laid(drawn, self.laid, self.place)
