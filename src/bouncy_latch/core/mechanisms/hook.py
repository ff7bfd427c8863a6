"""Cantilever hook: an arm with a catch that rides over an edge and drops behind it; straight or folded back in a U.

Drawn lying on the bed: the way in is +x, the arm's root is x = 0, its neutral axis y = 0, the mate lies above it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

from bouncy_latch.core.checks import ENDLESS
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.arm import Arm, refuse_short
from bouncy_latch.core.flex.contact import Point, Ride
from bouncy_latch.core.flex.section import cantilever_compliance, section
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import CLOSE, JOIN, Callout, Derived, Kind, Question, Root, Solution
from bouncy_latch.core.mechanisms.snapping import pressing, shapes
from bouncy_latch.core.mechanisms.snapping.fields import CAUTIONS, SnapParams, questions
from bouncy_latch.core.mechanisms.snapping.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch, grown_mate
from bouncy_latch.core.mechanisms.snapping.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Share
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
                       help="The arm stands off a bracket, or is cut free along the edge of a plate.")
    form: str = choice(STRAIGHT, (STRAIGHT, FOLDED), label="form", role="chosen",
                       help="Straight, or folded back in a U where there is no length for a straight one.")
    length: float = number(20, label="length", unit="mm", role="chosen", low=3, high=120, step=0.5,
                           help="From the root to the catch; of a U, to the fold.")
    width: float = number(9, label="width", unit="mm", role="chosen", low=1, high=60, step=0.5,
                          help="Of the arm, across the way it bends; the print's height when it lies.")
    thickness: float = number(1.8, label="thickness", unit="mm", role="chosen", low=0.8, high=10, step=0.1,
                              help="Of the arm at its root, in the plane it bends in.")
    undercut: float = number(0.9, label="undercut", unit="mm", role="chosen", low=0.1, high=10, step=0.05,
                             help="How far the catch reaches behind the edge.")
    lead_angle: float = number(28, label="lead angle", unit="°", role="chosen", low=10, high=80, step=1,
                               help="Of the face that meets the mate, from the way in.")
    return_angle: float = number(72, label="return angle", unit="°", role="chosen", low=15, high=90, step=1,
                                 help="Of the face that holds, from the way in; steep ones lock.")
    taper: str = choice(beams.STRAIGHT, beams.TAPERS, label="taper", role="chosen",
                        help="Thickness to half or width to a quarter at the catch spreads the bending along the arm.")
    fillet: float = number(0.8, label="root fillet", unit="mm", role="chosen", low=0, high=10, step=0.1,
                           help="Rounding where the arm leaves its host; a square corner is where it breaks.")
    slot: float = number(1.6, label="gap beside the arm", unit="mm", role="chosen", low=0.3, high=20, step=0.1,
                         when={"host": (PLATE,)}, help="Between an arm and the plate it is cut from: the room it bends into.")
    fold: float = number(1.2, label="fold radius", unit="mm", role="chosen", low=0.5, high=20, step=0.1,
                         when={"form": (FOLDED,)}, help="Inner radius of a U; twice it is the gap its legs close.")
    finger: float = number(0, label="release finger", unit="mm", role="chosen", low=0, high=30, step=0.5,
                           when={"form": (STRAIGHT,)}, help="How far the nose is made longer, to press it down by; 0 for none.")
    seat_gap: float = number(0.1, label="seat gap", unit="mm", role="chosen", low=-0.5, high=2, step=0.05,
                             help="From the edge to the return face when shut, as drawn; below 0 it seats with preload.")
    wall: float = number(3, label="wall it catches", unit="mm", role="given", low=0.6, high=30, step=0.1,
                         help="Thickness of the wall the catch goes past.", source="you")
    backing: float = blocks.backing(24, label="host length", low=3, high=200, part="bracket or plate",
                                    help="Length of the bracket, or of the plate the arm is cut from.")


@dataclass(frozen=True)
class _Plan:
    p: HookParams
    process: Process

    # -- the arm and its catch, as drawn -----------------------------------------------------------------------------

    @cached_property
    def folded(self) -> bool:
        return self.p.form == FOLDED

    @cached_property
    def tip(self) -> tuple[float, float]:
        """Thickness and width at the catch."""
        return self.arm(0.0).size_at(1.0)

    def arm(self, growth: float) -> Arm:
        p, m = self.p, self.process.plastic
        drawn = Arm(p.length, p.thickness, p.width, p.fill(self.process), self.process.modulus.mean, m.poisson, p.taper,
                    p.fillet, fold=p.fold if self.folded else 0.0, back=p.length)
        return drawn.grown(growth)

    @cached_property
    def printed_arm(self) -> Arm:
        return self.arm(self.process.growth.mean)

    @cached_property
    def catch_height(self) -> float:
        return self.p.undercut + self.p.clearance

    @cached_property
    def catch_length(self) -> float:
        p = self.p
        rise = self.catch_height / math.tan(math.radians(p.return_angle)) if p.return_angle < 89.9 else 0.0
        return rise + CREST + self.catch_height / math.tan(math.radians(p.lead_angle))

    @cached_property
    def nose(self) -> float:
        """How far the nose tapers below the arm's face, mm."""
        return 0.0 if self.folded else min(0.6 * self.tip[0], 1.2)

    def catch(self, face: float) -> tuple[Point, ...]:
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
        # The return face meets the edge above its own foot, by the clearance between arm and edge.
        return self.p.wall + self.p.seat_gap - self.p.clearance / math.tan(math.radians(self.p.return_angle))

    @cached_property
    def snap(self) -> Snap:
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
        half = self.p.thickness / 2 + 0.1
        return pressing.root(max(self.p.fillet, 0.05), -half, half, self.p.width, 2, self.laid)

    @cached_property
    def laid(self) -> tree.Matrix:
        return pressing.laid(self.p.layers, -self.p.backing / 2 if self.p.host == PLATE else -self.p.backing)

    @cached_property
    def depth(self) -> float:
        """How far the host reaches below the arm's neutral axis."""
        p = self.p
        return p.thickness / 2 + (p.slot + max(4.0, p.thickness) if p.host == PLATE else max(4.0, p.fillet + 3.0))

    def hook(self) -> tuple[tree.Solid, Share]:
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
            return host, Share("hook", "A", room, tree.union([*legs, head]))
        arm = tree.Extrude(shapes.arm_outline(p.length, p.thickness, self.tip[0], p.fillet, root), p.width)
        both = tree.union([arm, head])
        if p.taper == beams.NARROWING:
            both = both & shapes.narrowing(p.length, p.width, 60.0)
        return host, Share("hook", "A", room, both)

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

    def keeper(self) -> Share:
        """What the wall it catches loses: the way in below its edge, and the room behind it."""
        p, e = self.p, max(self.p.edge, 0.02)
        room, up = self.reach + 1.0, self.catch_height + 1.5
        edge = [pt for pt in shapes.edge_profile(0.0, p.wall, p.edge) if pt[1] <= e + 1e-9]
        far, low = (room + POST + 1.0, -1.0) if self.open else (room, -self.below)
        way = polygon([(-1.0, low), (far, low), (far, up), (p.wall, up), (p.wall, e), *reversed(edge), (0.0, e), (-1.0, e)])
        return Share("keeper", "B", cut=tree.Extrude(way, p.width + 2).move(z=-1))

    def draw(self) -> tuple[tuple[Body, ...], tuple[Share, ...]]:
        """Bracket or plate with the arm, and the keeper, each in the coordinates of its seat."""
        host, arm = self.hook()
        return ((Body("A", "hook", host, self.laid), Body("B", "keeper", blocks.block(*self.keeper_box, self.p.width),
                                                          self.keeper_laid)), (arm, self.keeper()))

    @cached_property
    def keeper_laid(self) -> tree.Matrix:
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


def _refuse_what_cannot_be(plan: _Plan) -> None:
    p = plan.p
    gap = 2 * p.fold - p.fillet if plan.folded else p.slot
    if (plan.folded or p.host == PLATE) and p.undercut > gap:
        raise SolveError(f"a bump {p.undercut:g} mm tall cannot be pressed into a gap of {gap:g} mm", field="undercut",
                         value=p.undercut, limit=gap)
    if p.host == PLATE and p.length + plan.catch_length > p.backing:
        raise SolveError(f"an arm of {p.length:g} mm with its catch is longer than the plate it is cut from ({p.backing:g} mm)",
                         field="length", value=p.length, limit=round(p.backing - plan.catch_length, 2))
    if plan.folded and p.taper != beams.STRAIGHT:
        raise SolveError("a folded arm is not tapered: its bending is spread already", field="taper", value=p.taper)
    if plan.folded and p.length < plan.catch_length + 1.0:
        raise SolveError(f"a U of {p.length:g} mm is shorter than its catch ({plan.catch_length:.1f} mm)", field="length",
                         value=p.length, limit=round(plan.catch_length + 1, 2))
    if plan.folded and p.fillet > 2 * p.fold - ROOM:
        raise SolveError(f"a root fillet of {p.fillet:g} mm does not fit below a leg that comes back {2 * p.fold:g} mm above",
                         field="fillet", value=p.fillet, limit=round(2 * p.fold - ROOM, 2))
    if p.fillet > 2 * p.thickness:
        raise SolveError(f"a root fillet of {p.fillet:g} mm is no rounding of an arm {p.thickness:g} mm thick", field="fillet",
                         value=p.fillet, limit=2 * p.thickness)
    if p.fillet > 0.6 * p.length:
        raise SolveError(f"a root fillet of {p.fillet:g} mm takes up most of a {p.length:g} mm arm", field="fillet",
                         value=p.fillet, limit=0.6 * p.length)
    if p.host == PLATE and 2 * p.fillet > p.slot:
        raise SolveError(f"a root fillet of {p.fillet:g} mm does not fit into a gap of {p.slot:g} mm", field="fillet",
                         value=p.fillet, limit=p.slot / 2)
    refuse_short(plan.arm(0.0), "length")


def solve(params: HookParams, process: Process) -> Solution:
    """Work out a hook for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no hook, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = _Plan(params, process), params
    _refuse_what_cannot_be(plan)
    snap, (end, face) = plan.snap, plan.end
    bow = Bow.of(plan.printed_arm, snap.way.states)
    floor = -p.thickness / 2 - (p.slot / 2 if p.host == PLATE else 50.0)

    def bends(lowered: float) -> dict[str, Warp]:
        return {"A": pressing.in_plane(lambda points: bow.follow(points, lowered),
                                       lambda points: (points[:, 0] > 1e-6) & (points[:, 1] > floor), plan.laid)}

    low = -plan.depth - 3.0
    at = [tree.moved_point(plan.laid, point) for point in
          ((0, low, p.width), (end, low, p.width), (end + 1, face, p.width), (end + 1, face + plan.catch_height, p.width))]
    look = Look(plan.draw, plan.seated, lying_along(p.layers), bends,
                  (Callout(f"length {p.length:g}", at[0], at[1]), Callout(f"undercut {p.undercut:g}", at[2], at[3])),
                  section=middle_of(p.layers, p.width), roots=(plan.root,))
    mends = Mends(("thickness", "length", "undercut", "fillet"), ("return_angle", "undercut", "thickness"),
                  ("lead_angle", "thickness", "length"))
    what = f"The arm is {p.length:g} long, {p.thickness:g} thick and {p.width:g} wide."
    return solution(KIND.id, snap, look, mends, what=what, bend="undercut", force="thickness", derived=_own(plan))


def _own(plan: _Plan) -> tuple[Derived, ...]:
    arm, p, plastic = plan.printed_arm, plan.p, plan.process.plastic
    made, fill = arm.section_at(arm.length / 2), plan.p.fill(plan.process)
    found = [
        Derived("stiffness", "stiffness at the catch", 1 / float(arm.flexibility[1, 1]), "N/mm",
                "1 / ∫ M²/EI dx, root and core shear with it", plastic.source),
        Derived("fullness", "stiffness of solid", 100 * made.fullness, "%", "EI of walls, skins and infill over EI solid",
                fill.words),
        Derived("catch_length", "catch", plan.catch_length, "mm", "return face + crest + lead-in", "geometry"),
    ]
    if plan.folded:
        return tuple(found)
    now, then = (cantilever_compliance(section(arm.thickness, arm.width, replace(fill, loops=loops), arm.poisson), arm.length,
                                       arm.modulus, arm.poisson) for loops in (fill.loops, fill.loops + 1))
    strain = beams.handbook_strain(plan.snap.engagement, arm.thickness, arm.length, arm.taper)
    press = beams.handbook_force(strain, arm.width, arm.thickness, arm.length, arm.modulus * made.fullness)
    push = press * beams.mating_factor(math.radians(p.lead_angle), plastic.friction)
    found += [
        Derived("another_loop", "another wall loop", 100 * (now / then - 1), "%",
                "stiffer by; the sandwich with the shear of its core", fill.words),
        Derived("handbook_push", "push by the handbook", min(push, ENDLESS), "N",
                "P·tan(α + atan µ), P = b h² E ε/(6 L), ε = y h/(C L²): rigid root, no lever of the push",
                "polymer makers' snap-fit guides, from memory"),
    ]
    return tuple(found)


KIND = Kind(
    id="hook",
    title="Hook",
    summary="An arm with a catch that snaps behind an edge.",
    needs=(CLOSE, JOIN),
    params=HookParams,
    solve=solve,
    questions=questions(
        Question("How much room is there?", ("length", "width", "wall", "backing", "host", "form")),
        Question("What does the catch look like?", ("undercut", "lead_angle", "return_angle", "taper", "finger")),
    ),
    recommend="thickness",
    test_piece={"backing": 6, "host": BRACKET},
    cautions=CAUTIONS,
    outcomes=SNAPPED,
    variant="host",
    sides={"hook": "the root of the arm", "keeper": "the wall it catches behind"},
    tuned=("thickness", "length", "undercut", "return_angle", "lead_angle", "width", "clearance", "seat_gap"),
    alternatives=(("taper", beams.THINNING), ("taper", beams.NARROWING), ("form", FOLDED)),
)
