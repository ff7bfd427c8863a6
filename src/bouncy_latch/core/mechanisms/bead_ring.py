"""Bead ring: an elastic ring with an inner bead that stretches over a lip and drops into the groove behind it.

A cap on a neck, or a disc pressed past the bead of a ring onto a bevel; stiff, or slotted into fingers. Both parts print with
their axis upright: a stiff ring then stretches along its layers, fingers bend across them. The ring is drawn open end down,
its axis z; the way in is −z of the ring as printed upside down, see ``seated``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex import ring as rings
from bouncy_latch.core.flex.arm import STUB, Arm, refuse_short
from bouncy_latch.core.flex.contact import Flexure, Point, Ride
from bouncy_latch.core.flex.ring import Ring
from bouncy_latch.core.flex.section import UPRIGHT, Fill, Section
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import CLOSE, Callout, Derived, Kind, Question, Root, Solution
from bouncy_latch.core.mechanisms.snapping import pressing, shapes
from bouncy_latch.core.mechanisms.snapping.fields import CAUTIONS, SnapParams, questions
from bouncy_latch.core.mechanisms.snapping.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch, grown_mate
from bouncy_latch.core.mechanisms.snapping.solved import Look, Mends, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Share
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import polygon

CAP, DISC = "cap", "disc"
FLOOR = 2.0
VENT = 0.8
"""Least vent that lets the air out of a cap as it closes, mm (common practice, no source)."""
SLOT_WIDTH = 1.2
BESIDE = 5.0
_TINY = 0.02


class BeadRingParams(SnapParams):
    """Sizes of a ring with a bead and of what it snaps over."""

    form: str = choice(CAP, (CAP, DISC), label="form", role="chosen",
                       help="A cap over a neck with a groove, or a disc pressed into a ring past its bead onto a bevel.")
    diameter: float = number(32, label="neck diameter", unit="mm", role="given", low=6, high=300, step=0.5,
                             help="Outer diameter of the lip or disc the bead goes over.", source="you")
    wall: float = number(1.6, label="ring wall", unit="mm", role="chosen", low=0.8, high=10, step=0.1,
                         help="Thickness of the ring that stretches.")
    undercut: float = number(0.3, label="undercut", unit="mm", role="chosen", low=0.05, high=4, step=0.05,
                             help="How far the bead reaches behind the lip, on the radius.")
    lead_angle: float = number(28, label="lead angle", unit="°", role="chosen", low=10, high=80, step=1,
                               help="Of the bead's entry face, from the axis.")
    return_angle: float = number(45, label="return angle", unit="°", role="chosen", low=15, high=90, step=1,
                                 help="Of the bead's holding face, from the axis; an unsupported face as printed.")
    lip: float = number(2, label="lip", unit="mm", role="given", low=0.6, high=20, step=0.1,
                        help="Height of the lip, or thickness of the disc, that the bead goes past.", source="you")
    height: float = number(22, label="ring height", unit="mm", role="chosen", low=3, high=100, step=0.5,
                           help="From the ring's rim to its floor or bevel.")
    slots: int = number(10, label="slots", unit="", role="chosen", low=0, high=24, step=1, whole=True,
                        help="Cuts that turn the ring into fingers; 0 for a stiff ring.")
    seat_gap: float = number(0.0, label="bead to seat", unit="mm", role="chosen", low=-0.5, high=2, step=0.05,
                             help="Room along the axis between lip and bead when shut, as drawn; below 0 the bead presses the "
                                  "lip onto its seat.")
    vent: float = number(0, label="vent", unit="mm", role="chosen", low=0, high=6, step=0.2,
                         help="Hole in the cap that lets the air out; 0 for none.")
    backing: float = blocks.backing(14, label="neck", low=3, high=200, part="neck", help="Height of the neck piece.")


@dataclass(frozen=True)
class _Plan:
    p: BeadRingParams
    process: Process

    @cached_property
    def bore(self) -> float:
        """Inner radius of the ring, mm."""
        return self.p.diameter / 2 + self.p.clearance

    @cached_property
    def bead_height(self) -> float:
        return self.p.undercut + self.p.clearance

    @cached_property
    def crest(self) -> float:
        return max(0.4, self.process.line_width)

    @cached_property
    def bead(self) -> tuple[Point, ...]:
        """The bead's profile: x along the way in from the foot of its holding face, y inward from the ring's bore."""
        p = self.p
        return shapes.catch_profile(0.0, self.bead_height, math.radians(p.lead_angle), math.radians(p.return_angle), self.crest,
                                    p.edge, behind=1.0, drop=_TINY)

    @cached_property
    def bead_length(self) -> float:
        return self.bead[-1][0]

    @cached_property
    def bead_area(self) -> float:
        """Of the bead's section, mm²: crest, and half of what both faces rise over."""
        p, h = self.p, self.bead_height
        return h * self.crest + h**2 / 2 * sum(1 / math.tan(math.radians(angle)) for angle in (p.lead_angle, p.return_angle))

    @cached_property
    def seat(self) -> float:
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
        p, m = self.p, self.process.plastic
        fill = self.fill
        bore, wall = self.bore - growth, p.wall + 2 * growth
        if not p.slots:
            return Ring(2 * bore, wall, self.foot, fill, self.process.modulus.mean, m.poisson, self.bead_area,
                        self.bead_height / math.tan(math.radians(p.return_angle)) + self.crest / 2)
        angle = 2 * math.pi / p.slots - SLOT_WIDTH / (bore + wall / 2)

        def shape(depth: float, _width: float) -> tuple[Section, float, float]:
            return rings.sector(bore, depth, angle, self.finger, fill, m.poisson)

        return Arm(self.finger, wall, angle * bore, fill, self.process.modulus.mean, m.poisson, fillet=0.4, shape=shape,
                   root=STUB)

    @cached_property
    def fill(self) -> Fill:
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
                    overhang=p.return_angle, across=bool(p.slots), upright=True)

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def outer(self) -> float:
        return self.bore + self.p.wall

    @cached_property
    def bevel(self) -> float:
        """Height at which the disc comes to rest on the 45° bevel, mm."""
        return FLOOR + self.p.height - self.foot - self.seat + self.p.clearance

    def ring(self) -> Share:
        """What the ring gets: the bead, a ledge with a bevel for a disc; slots and a vent; floor on the bed, open end up."""
        p, b, top = self.p, self.bore, FLOOR + self.p.height
        foot, deep = top - self.foot, self.bore + p.wall / 2
        bead = [(b - y, foot + x) for x, y in self.bead if x >= 0 and y >= 0]
        adds: list[tree.Solid] = [tree.Revolve(polygon([(deep, foot), (deep, bead[-1][1]), *reversed(bead[1:]), (b, foot)]),
                                               as_round=self.outer)]
        cuts: list[tree.Solid] = []
        if p.form == DISC:
            ledge = polygon([(b - 3.0, 0.0), (deep, 0.0), (deep, self.bevel), (b, self.bevel), (b - 3.0, self.bevel - 3.0)])
            adds.append(tree.Revolve(ledge, as_round=self.outer))
        elif p.vent > 0:
            cuts.append(tree.cylinder(p.vent / 2, FLOOR + 2).move(z=-1))
        if p.slots:
            cut: tree.Solid = tree.Box(0, -SLOT_WIDTH / 2, FLOOR + 1.0, self.outer + 1, SLOT_WIDTH / 2, top + 1)
            turns = [2 * math.pi * (i + 0.5) / p.slots for i in range(p.slots)]
            cuts += [cut.placed(_about_z(turn)) for turn in turns]
        return Share("ring", "A", add=tree.union(adds), cut=tree.union(cuts) if cuts else None)

    @cached_property
    def roots(self) -> Root:
        """Of all fingers, just above the end of their slots."""
        low, wide = FLOOR + 1.1, self.outer + 1
        slab = tree.Box(-wide, -wide, low, wide, wide, low + pressing.CUT)
        return Root("A", slab, self.p.slots + 1, (self.bore + self.p.wall / 2, 0.0, low))

    def lip(self) -> Share:
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
        return Share("lip", "B", cut=tree.union([tree.Revolve(polygon(ring), as_round=r) for ring in rings]))

    @cached_property
    def groove_depth(self) -> float:
        return self.bead_height + self.p.clearance

    @cached_property
    def neck_height(self) -> float:
        p = self.p
        if p.form == DISC:
            return p.lip
        # Below the groove and its 45° slope something must be left to stand on.
        return max(p.backing, p.lip + self.bead_length + 2.5, p.lip + self.groove_reach + self.groove_depth + 1.0)

    @cached_property
    def groove_reach(self) -> float:
        """Height of the groove's upright wall, slope included: the bead and a little more, mm."""
        return max(self.bead_length + 1.0, self.bead_height + self.p.clearance + 0.2)

    def draw(self) -> tuple[tuple[Body, ...], tuple[Share, ...]]:
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


def _refuse_what_cannot_be(plan: _Plan) -> None:
    p = plan.p
    if plan.foot > p.height - 1.0 or (p.form == CAP and plan.foot + plan.seat > p.height - 0.2):
        raise SolveError(f"a ring {p.height:g} mm high is too low for its bead and a lip of {p.lip:g} mm", field="height",
                         value=p.height, limit=round(plan.foot + max(plan.seat + 0.2, 1.0), 2))
    if p.diameter / 2 - plan.bead_height - p.clearance < 2.0:
        raise SolveError(f"a neck of {p.diameter:g} mm has no room for a groove {plan.bead_height:.2f} mm deep",
                         field="diameter",
                         value=p.diameter, limit=round(2 * (2 + plan.bead_height + p.clearance), 2))
    if p.form == DISC and (plan.bevel < FLOOR + 1.0 + 3.0):
        raise SolveError(f"a ring {p.height:g} mm high has no room for the bevel under a disc of {p.lip:g} mm", field="height",
                         value=p.height, limit=round(p.height + FLOOR + 4.0 - plan.bevel, 2))
    if p.form == DISC and plan.seat - p.clearance < 0.05:
        raise SolveError(f"a disc {p.lip:g} mm thick with {p.clearance:g} mm of clearance would rest above the bead's foot",
                         field="lip", value=p.lip, limit=round(p.lip + p.clearance + 0.05 - plan.seat, 2))
    if p.slots == 1:
        raise SolveError("one slot makes a spring clip, not fingers; use 0 or at least 3 slots", field="slots", value=1,
                         limit=3)
    if p.slots:
        width = 2 * math.pi * plan.bore / p.slots - SLOT_WIDTH
        if p.slots < 3 or width < 2.0:
            most = int(2 * math.pi * plan.bore / 3.2)
            raise SolveError(f"{p.slots} slots leave fingers {width:.1f} mm wide; use 3 to {most}",
                             field="slots", value=p.slots)
        arm = plan.flexure(0.0)
        assert isinstance(arm, Arm)
        refuse_short(arm, "height")
    if p.layers == "across" and not p.slots:
        raise SolveError("a stiff ring printed with its axis upright stretches along its layers; print it that way",
                         field="layers", value=p.layers)
    if p.vent > 0 and p.vent > p.diameter / 2:
        raise SolveError(f"a vent of {p.vent:g} mm is no vent of a {p.diameter:g} mm cap", field="vent", value=p.vent)


def solve(params: BeadRingParams, process: Process) -> Solution:
    """Work out a bead ring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no ring, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = _Plan(params, process), params
    _refuse_what_cannot_be(plan)
    snap, m = plan.snap, process.plastic
    flexure = plan.flexure(process.growth.mean)
    top, foot = FLOOR + p.height, FLOOR + p.height - plan.foot
    bow = Bow.of(flexure, snap.way.states) if isinstance(flexure, Arm) else None
    fade = rings.decay(plan.bore + p.wall / 2, p.wall, m.poisson)

    def bends(lowered: float) -> dict[str, Warp]:
        def stretched(points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
            radius = np.maximum(np.hypot(points[:, 0], points[:, 1]), 1e-9)
            if bow is not None:
                # The finger's axis runs up from the end of its slot; outward is its way down.
                plane = np.column_stack([points[:, 2] - (foot - plan.finger), plan.bore + plan.axis - radius])
                moved = bow.follow(plane, lowered)
                high = points[:, 2] > foot - plan.finger
                new = np.where(high, plan.bore + plan.axis - moved[:, 1], radius)
                z = np.where(high, moved[:, 0] + foot - plan.finger, points[:, 2])
            else:
                u = fade * np.maximum(foot - points[:, 2], 0.0)
                new = radius + np.where(radius > plan.bore - plan.bead_height - 0.1,
                                        lowered * np.exp(-u) * (np.cos(u) + np.sin(u)), 0.0)
                z = points[:, 2]
            scale = new / radius
            return np.column_stack([points[:, 0] * scale, points[:, 1] * scale, z])

        return {"A": stretched}

    checks = []
    if p.form == CAP and not p.slots:
        checks.append(Check("vent", "Air gets out", p.vent, VENT, "mm", mend=("vent",),
                            why="a tight cap springs back on the air it shuts in; a small vent lets it seat",
                            topic="shape", basis="0.8: smaller holes close as they print (common practice, no source)"))
    remote = rings.remote_from(2 * plan.bore, p.wall)
    own = [
        Derived("stretch", "stretches the ring", 2 * snap.way.most, "mm", "2 · (undercut + 2·growth), on the diameter",
                "geometry"),
        Derived("from_rim", "bead from the rim", plan.foot, "mm", "bead length + 0.4", "geometry"),
        Derived("remote", "stiffer from", remote, "mm", "1.8·√(d·t) from the rim", "beam on elastic foundation"),
    ]
    if isinstance(flexure, Ring):
        factor = rings.stretch_factor(flexure.mean_radius, flexure.wall, m.poisson, flexure.from_rim)
        own.append(Derived("factor", "X", factor, "", "P / (y·d·E), foundation beam under a line load", "Hetényi 1946"))
    look = Look(plan.draw, plan.seated, (0.0, 0.0, 1.0), bends,
                  (Callout(f"across {p.diameter:g}", (-plan.bore, 0, top), (plan.bore, 0, top)),
                   Callout(f"wall {p.wall:g}", (plan.bore, 0, top), (plan.outer, 0, top))),
                # A cut through the axis may meet a slot.
                section=("x", SLOT_WIDTH if p.slots else 0.0), roots=(plan.roots,) if p.slots else ())
    mends = Mends(("undercut", "wall", "slots") if p.slots else ("undercut",), ("return_angle", "undercut", "wall"),
                  ("undercut", "wall", "lead_angle"))
    kind = f"{p.slots} fingers" if p.slots else "A closed ring"
    what = f"{kind} {p.wall:g} thick {'spring' if p.slots else 'stretches'} over a lip of {p.diameter:g}."
    return solution(KIND.id, snap, look, mends, what=what, bend="undercut", force="wall", derived=tuple(own),
                    checks=tuple(checks))


KIND = Kind(
    id="bead-ring",
    title="Bead ring",
    summary="A cap or ring whose bead stretches over a lip and drops behind it.",
    needs=(CLOSE,),
    params=BeadRingParams,
    solve=solve,
    questions=questions(
        Question("What does it go over?", ("form", "diameter", "lip", "backing")),
        Question("What stretches?", ("wall", "height", "slots", "vent")),
        Question("What does the bead look like, and where does it sit?",
                 ("undercut", "lead_angle", "return_angle", "seat_gap")),
    ),
    recommend="undercut",
    test_piece={"backing": 5},
    cautions=(*CAUTIONS, "Printed caps are not tight by themselves, and their layer gaps cannot be cleaned for food."),
    outcomes=SNAPPED,
    sides={"ring": "the ring that stretches", "lip": "the lip it goes over"},
    tuned=("undercut", "wall", "lead_angle", "return_angle", "slots", "height", "clearance", "seat_gap"),
    alternatives=(("slots", 8), ("slots", 12)),
)
