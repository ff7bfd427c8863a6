"""Cantilever hook: an arm with a catch that rides over an edge and drops behind it; straight or folded back in a U.

Drawn lying on the bed: the way in is +x, the arm's root is x = 0, its neutral axis y = 0, the mate lies above it.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Root
from bouncy_latch.core.mechanisms.snaps import pressing, shapes
from bouncy_latch.core.mechanisms.snaps.fields import SnapParams
from bouncy_latch.core.mechanisms.snaps.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch, grown_mate
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import circle, polygon, rectangle

STRAIGHT, FOLDED = "straight", "u"
BRACKET, PLATE = "bracket", "plate"
CREST = 0.8
"""Level top of the catch, mm: two lines."""
ROOM = 0.4
"""What an arm gets beyond what it must bend, mm."""
POST = 4.0
"""Wall of the keeper round its opening, mm."""
BEHIND = 0.6
"""Gap between the free end of a folded arm and its host, mm."""
BESIDE = 5.0
"""Free bed between the two parts, mm."""


class HookParams(SnapParams):
    """Sizes of a hook, its bracket or plate, and the keeper it catches in."""

    host: str = choice(BRACKET, (BRACKET, PLATE), label="host", role="chosen",
                       help="What the arm grows from: a bracket, or the edge of a plate it is cut free from.")
    form: str = choice(STRAIGHT, (STRAIGHT, FOLDED), label="form", role="chosen",
                       help="Straight, or folded back in a U where there is no length for a straight one.")
    length: float = number(21, label="length", unit="mm", role="chosen", low=3, high=120, step=0.5,
                           help="Length of the arm from its root to the catch; of a U, to the fold.")
    width: float = number(11.5, label="width", unit="mm", role="chosen", low=1, high=60, step=0.5,
                          help="Width of the arm across the way it bends: the print's height when it lies.")
    thickness: float = number(1.8, label="thickness", unit="mm", role="chosen", low=0.8, high=10, step=0.1,
                              help="Thickness of the arm at its root, in the plane it bends in.")
    undercut: float = number(0.9, label="undercut", unit="mm", role="chosen", low=0.1, high=10, step=0.05,
                             help="How far the catch reaches behind the edge.")
    lead_angle: float = number(28, label="lead angle", unit="°", role="chosen", low=10, high=80, step=1,
                               help="Angle of the entry ramp from the push direction; steep ramps need more push.")
    return_angle: float = number(72, label="return angle", unit="°", role="chosen", low=15, high=90, step=1,
                                 help="Angle of the back face from the push direction; steep faces lock.")
    taper: str = choice(beams.STRAIGHT, beams.TAPERS, label="taper", role="chosen",
                        help="Thickness to half or width to a quarter at the catch spreads the bending along the arm.")
    fillet: float = number(0.8, label="root fillet", unit="mm", role="chosen", low=0, high=10, step=0.1,
                           help="Rounding where the arm leaves its host; a square corner is where it breaks.")
    slot: float = number(1.6, label="gap beside the arm", unit="mm", role="chosen", low=0.3, high=20, step=0.1,
                         when={"host": (PLATE,)}, help="Distance between the arm and the plate it is cut from, into which it "
                                                       "bends.")
    fold: float = number(1.2, label="fold radius", unit="mm", role="chosen", low=0.5, high=20, step=0.1,
                         when={"form": (FOLDED,)}, help="Inner radius of a U; twice it is the gap its legs close.")
    finger: float = number(0, label="release finger", unit="mm", role="chosen", low=0, high=30, step=0.5,
                           when={"form": (STRAIGHT,)}, help="How much longer the nose is made to press the arm down by; 0 for "
                                                            "none.")
    seat_gap: float = number(0.1, label="seat gap", unit="mm", role="chosen", low=-0.5, high=2, step=0.05,
                             help="Drawn distance from the edge to the back face when shut; below 0 the part seats with "
                                  "preload.")
    wall: float = number(3, label="wall it catches", unit="mm", role="given", low=0.6, high=30, step=0.1,
                         help="Thickness of the wall the catch goes past.", source="you")
    backing: float = blocks.backing(28, label="host length", low=3, high=200, part="bracket or plate",
                                    help="Length of the bracket, or of the plate the arm is cut from.")


@frozen
class HookPlan:
    """A design worked out, before it is judged."""

    p: HookParams
    process: Process

    # -- the arm and its catch, as drawn -----------------------------------------------------------------------------

    @cached_property
    def folded(self) -> bool:
        """Whether the arm comes back in a U."""
        return self.p.form == FOLDED

    @cached_property
    def tip(self) -> tuple[float, float]:
        """Thickness and width at the catch."""
        return self.arm(0.0).size_at(1.0)

    def arm(self, growth: float) -> Arm:
        """Return the arm on a printer that grows outlines by ``growth``, mm per side."""
        p, m = self.p, self.process.plastic
        drawn = Arm(p.length, p.thickness, p.width, p.fill(self.process), self.process.modulus.mean, m.poisson, p.taper,
                    p.fillet, fold=p.fold if self.folded else 0.0, back=p.length)
        return drawn.grown(growth)

    @cached_property
    def printed_arm(self) -> Arm:
        """The arm as it comes off the printer."""
        return self.arm(self.process.growth.mean)

    @property
    def plain_areas(self) -> Array:
        """Area of the arm's printed section along it, mm²; NaN where the catch sits on a leg that comes back."""
        arm = self.printed_arm
        under = (np.arange(len(arm.areas)) > len(arm.areas) / 2) & (arm.nodes[1:, 0] < self.catch_length)
        return np.where(under & self.folded, np.nan, arm.areas)

    @cached_property
    def catch_height(self) -> float:
        """How high the catch stands above the arm's face, mm."""
        return self.p.undercut + self.p.clearance

    @cached_property
    def catch_length(self) -> float:
        """Of the catch along the way in, mm."""
        p = self.p
        rise = self.catch_height / math.tan(math.radians(p.return_angle)) if p.return_angle < 89.9 else 0.0
        return rise + CREST + self.catch_height / math.tan(math.radians(p.lead_angle))

    @cached_property
    def nose(self) -> float:
        """How far the nose tapers below the arm's face, mm."""
        return 0.0 if self.folded else min(0.6 * self.tip[0], 1.2)

    def catch(self, face: float) -> tuple[Point, ...]:
        """Return the catch's outline from behind to the nose, over a face at height ``face``, mm."""
        p = self.p
        return shapes.catch_profile(face, self.catch_height, math.radians(p.lead_angle), math.radians(p.return_angle), CREST,
                                    p.edge, behind=min(4.0, p.length / 2), drop=max(self.nose, 0.02))

    @cached_property
    def end(self) -> tuple[float, float]:
        """Where the arm's end and its upper face are, as drawn: x of the return face's foot, y of the face."""
        if self.folded:
            # Back over its own root: nearer the fold, pushing it in would lift the catch instead of ducking it.
            return 0.0, 2 * self.p.fold + 1.5 * self.p.thickness
        return self.p.length, self.p.thickness / 2

    @cached_property
    def seat(self) -> float:
        """Where the catch's foot is when shut, along the way in, mm."""
        # The return face meets the edge above its own foot, by the clearance between arm and edge.
        return self.p.wall + self.p.seat_gap - self.p.clearance / math.tan(math.radians(self.p.return_angle))

    @cached_property
    def snap(self) -> Snap:
        """Its mechanics: the way in and out, what it bears and what tears."""
        p, g, m = self.p, self.process.growth.mean, self.process.plastic
        face = (self.p.thickness if self.folded else self.tip[0]) / 2
        ride = Ride(self.printed_arm, grown_catch(self.catch(face), g),
                    grown_mate(shapes.edge_profile(face + p.clearance, p.wall, p.edge), g), self.seat, m.friction)
        engaged = p.undercut + 2 * g
        strength = m.across if p.layers == "across" else m.strength
        width = self.tip[1]
        base = shapes.sheared(self.catch_height, math.radians(p.lead_angle), math.radians(p.return_angle), CREST)
        tears = (
            ("catch", base * width * SHEAR_OF_TENSION * strength),
            ("arm", self.pulled(strength)),
            ("edge of the catch", engaged * width * BEARING * m.strength),
            ("wall", p.wall * width * SHEAR_OF_TENSION * m.strength),
        )
        # Next to the fold both legs face each other; over the root the fillet stands in the way.
        gap = 2 * p.fold - p.fillet if self.folded else p.slot
        beside = self.folded or p.host == PLATE
        return Snap(p, self.process, ride, p.thickness + 2 * g, engaged, tears,
                    slot=(gap, p.length * p.width) if beside else None, needs=engaged + 0.1, lead=math.radians(p.lead_angle),
                    overhang=p.return_angle if p.layers == "across" else 0.0,
                    wall=(p.wall, 4 * self.process.line_width), across=p.layers == "across")

    def pulled(self, strength: float) -> float:
        """Return the pull that its legs bear, N: it acts beside their axes, at the middle of what overlaps."""
        arm, beyond = self.printed_arm, self.p.clearance + self.p.undercut / 2
        if self.folded:
            return min(arm.pulled(0.0, self.end[1] + beyond, strength), arm.pulled(0.0, arm.thickness / 2 + beyond, strength))
        return min(arm.pulled(x, arm.size_at(x / arm.length)[0] / 2 + beyond, strength) for x in (0.0, arm.length))

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def root(self) -> Root:
        """Where the arm leaves its host; cut there, it must come away."""
        half = self.p.thickness / 2 + 0.1
        return pressing.root(max(self.p.fillet, 0.05), -half, half, self.p.width, 2, self.laid)

    @cached_property
    def laid(self) -> tree.Matrix:
        """From the drawn coordinates to the print pose."""
        return pressing.laid(self.p.layers, -self.p.backing / 2 if self.p.host == PLATE else -self.p.backing)

    @cached_property
    def depth(self) -> float:
        """How far the host reaches below the arm's neutral axis."""
        p = self.p
        return p.thickness / 2 + (p.slot + max(4.0, p.thickness) if p.host == PLATE else max(4.0, p.fillet + 3.0))

    def hook(self) -> tuple[tree.Solid, Feature]:
        """The host, and the arm with its catch and the room it bends into, lying."""
        p, (end, face) = self.p, self.end
        top = min(p.thickness / 2 + max(4.0, p.fillet + 2.0), face - ROOM if self.folded else math.inf)
        room: tree.Solid | None = None
        if p.host == PLATE:
            host = blocks.block(-p.backing / 2, -self.depth, p.backing, min(face, top), p.width)
            beside = rectangle(0.0, -p.thickness / 2 - p.slot, p.backing + 1, face + 20)
            room = tree.Extrude(beside, p.width + 2).move(z=-1)
        else:
            host = blocks.block(-p.backing, -self.depth, 0.0, top, p.width)
        if self.folded:
            # The leg that comes back ends over the root, and bends down behind it.
            free = rectangle(-BEHIND, p.thickness / 2 + p.fillet, p.length, face + 20)
            over = tree.Extrude(free, p.width + 2).move(z=-1)
            room = over if room is None else room + over
        catch = list(self.catch(face))
        nose = catch[-1][0]
        # The first point lies behind the return face's foot, which is the leg's end where it is folded.
        catch = catch[1:] if self.folded else [(-0.5, face), *catch[1:]]
        under = self.catch_under(nose)
        head: tree.Solid = tree.Extrude(polygon([*((end + x, y) for x, y in under),
                                                 *((end + x, y) for x, y in reversed(catch))]),
                                        p.width)
        root = 1.0
        if self.folded:
            outer, radius = p.fold + p.thickness, p.fold + p.thickness / 2
            ring: tree.Solid = tree.Extrude(circle(outer), p.width) - tree.Extrude(circle(p.fold), p.width + 2).move(z=-1)
            # A little overlap with the legs, so that the union is one piece.
            half = ring & tree.Box(-0.05, -outer - 1, -1, outer + 1, outer + 1, p.width + 1)
            legs = [tree.Extrude(shapes.arm_outline(p.length, p.thickness, p.thickness, p.fillet, root), p.width),
                    half.move(x=p.length, y=radius),
                    tree.Extrude(rectangle(end, face - p.thickness, p.length, face), p.width)]
            return host, Feature("hook", "A", room, tree.union([*legs, head]))
        arm = tree.Extrude(shapes.arm_outline(p.length, p.thickness, self.tip[0], p.fillet, root), p.width)
        both = tree.union([arm, head])
        if p.taper == beams.NARROWING:
            both = both & shapes.narrowing(p.length, p.width, 60.0)
        return host, Feature("hook", "A", room, both)

    def catch_under(self, nose: float) -> list[Point]:
        """The underside of the catch from behind to the nose, in the end's own x."""
        _, face = self.end
        low = face - (self.p.thickness if self.folded else self.tip[0])
        if self.folded:
            return [(0.0, low), (nose, low)]
        if self.p.finger > 0:
            top = face - max(self.nose, 0.02)
            return [(-0.5, low), (nose + self.p.finger, low), (nose + self.p.finger, top)]
        return [(-0.5, low), (nose, low)]

    @cached_property
    def reach(self) -> float:
        """How far hook goes past the front of the wall when seated, mm."""
        over = self.p.finger if not self.folded else 0.0
        tail = self.catch(0.0)[-1][0] + over
        if self.folded:
            tail = self.p.length - self.end[0] + self.p.fold + self.p.thickness
        return self.seat + tail

    @cached_property
    def below(self) -> float:
        """How far the keeper's opening reaches below the wall's lower face, mm."""
        p = self.p
        return p.clearance + (self.end[1] + p.thickness / 2) + p.undercut + ROOM + 2 * p.clearance

    @cached_property
    def open(self) -> bool:
        """Whether the keeper is only the upper jaw: the plate, or the root below the catch, is the other."""
        return self.p.host == PLATE or self.folded

    @cached_property
    def keeper_box(self) -> tuple[float, float, float, float]:
        """The keeper before anything is cut from it: x0, y0, x1, y1."""
        far, up = self.reach + 1.0 + POST, self.catch_height + 1.5 + POST
        return 0.0, 0.0 if self.open else -self.below - POST, far, up

    def keeper(self) -> Feature:
        """What the wall it catches loses: the way in below its edge, and the room behind it."""
        p, e = self.p, max(self.p.edge, 0.02)
        room, up = self.reach + 1.0, self.catch_height + 1.5
        edge = [pt for pt in shapes.edge_profile(0.0, p.wall, p.edge) if pt[1] <= e + 1e-9]
        far, low = (room + POST + 1.0, -1.0) if self.open else (room, -self.below)
        way = polygon([(-1.0, low), (far, low), (far, up), (p.wall, up), (p.wall, e), *reversed(edge), (0.0, e), (-1.0, e)])
        return Feature("keeper", "B", cut=tree.Extrude(way, p.width + 2).move(z=-1))

    def draw(self) -> tuple[tuple[Body, ...], tuple[Feature, ...]]:
        """Bracket or plate with the arm, and the keeper, each in the coordinates of its seat."""
        host, arm = self.hook()
        return ((Body("A", "hook", host, self.laid), Body("B", "keeper", blocks.block(*self.keeper_box, self.p.width),
                                                          self.keeper_laid)), (arm, self.keeper()))

    @cached_property
    def keeper_laid(self) -> tree.Matrix:
        """From the keeper's drawn coordinates to the print pose, beside the hook."""
        p = self.p
        if p.host == PLATE:
            top = max(self.end[1] + self.catch_height, p.thickness / 2 + p.fillet)
        else:
            top = self.end[1] + max(4.0, p.fillet + 2.0, self.catch_height)
        beside = top - self.keeper_box[1] + BESIDE
        return tree.compose((1, 0, 0, 0, 0, 1, 0, beside, 0, 0, 1, 0), pressing.laid(p.layers, 0.0))

    @cached_property
    def seated(self) -> tree.Matrix:
        """Where the keeper sits on the hook, from its print pose."""
        end, face = self.end
        drawn: tree.Matrix = (1, 0, 0, end - self.seat, 0, 1, 0, face + self.p.clearance, 0, 0, 1, 0)
        return pressing.seated_as_laid(drawn, self.laid, self.keeper_laid)
