"""Clip hinge: two arms with round nubs grip a tongue with shallow round holes; it snaps together and turns.

Drawn lying with its axis along y, so that the arms bend along their layers: the arms point along +x, mirror images in y = 0,
their nubs inward; the tongue comes from +x. A nub a little larger than its hole holds a position by friction.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import number
from bouncy_latch.core.flex.arm import EDGE, Arm, refuse_short
from bouncy_latch.core.flex.contact import Point, Ride
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import JOIN, TURN, Callout, Derived, Kind, Question, Solution
from bouncy_latch.core.mechanisms.snapping import pressing
from bouncy_latch.core.mechanisms.snapping.fields import CAUTIONS, SnapParams, questions
from bouncy_latch.core.mechanisms.snapping.snap import BEARING, SHEAR_OF_TENSION, Snap, grown_catch
from bouncy_latch.core.mechanisms.snapping.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Share
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import from_corners, polygon

BESIDE = 5.0
PAST = 2.0
"""How far the arms go on past their nubs, of the nub's radius."""


class ClipHingeParams(SnapParams):
    """Sizes of a clip-together hinge."""

    length: float = number(18, label="arm length", unit="mm", role="chosen", low=4, high=120, step=0.5,
                           help="From the arm's root to the nub's middle.")
    arm: float = number(2, label="arm thickness", unit="mm", role="chosen", low=0.8, high=10, step=0.1,
                        help="In the plane it bends in.")
    width: float = number(10, label="width", unit="mm", role="chosen", low=2, high=80, step=0.5,
                          help="Of arms and tongue across the plane of bending; the print's height.")
    mouth: float = number(8, label="mouth", unit="mm", role="chosen", low=2, high=80, step=0.1,
                          help="Distance between the two arms.")
    nub: float = number(6, label="nub", unit="mm", role="chosen", low=1.5, high=30, step=0.1, help="Diameter of the nubs.")
    nub_height: float = number(0.65, label="nub height", unit="mm", role="chosen", low=0.2, high=6, step=0.05,
                               help="Shorter is easier to fit and easier to lose.")
    nub_chamfer: float = number(0.5, label="nub chamfer", unit="mm", role="chosen", low=0, high=4, step=0.05,
                                help="45° edge of the nub: lets it in, and lets it out again.")
    hole_fit: float = number(0.1, label="hole over nub", unit="mm", role="chosen", low=-0.5, high=2, step=0.02,
                             help="How much wider than the nub the hole is drawn, on the diameter; less holds a position.")
    hole_depth: float = number(1.2, label="hole depth", unit="mm", role="chosen", low=0.2, high=8, step=0.05,
                               help="Of the shallow holes in the tongue.")
    lead_in: float = number(1.2, label="lead-in", unit="mm", role="chosen", low=0, high=5, step=0.1,
                            help="45° ramp on the tongue's edges: the one change that lets it in without overstressing.")
    corner: float = number(2, label="corner chamfer", unit="mm", role="chosen", low=0, high=20, step=0.1,
                           help="Of the tongue's end, so that it can turn.")
    end: float = number(5.2, label="hole from the end", unit="mm", role="chosen", low=1, high=60, step=0.1,
                        help="From the tongue's end to the middle of its hole.")
    stay: float = number(0, label="stays put against", unit="N·mm", role="given", low=0, high=5000, step=1,
                         help="Torque it must hold by friction; 0 if it may swing.", source="you")
    backing: float = blocks.backing(14, label="host length", low=3, high=200, part="fork and tongue",
                                    help="Length of the pieces behind arms and tongue.")


@dataclass(frozen=True)
class _Plan:
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
        p = self.p
        drawn = Arm(p.length, p.arm, p.width, p.fill(self.process), self.process.modulus.mean, self.process.plastic.poisson,
                    fillet=min(1.0, 0.4 * p.mouth, 0.2 * p.length), root=EDGE)
        return drawn.grown(self.process.growth.mean)

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
        p, g, m = self.p, self.process.growth.mean, self.process.plastic
        ride = Ride(self.printed_arm, grown_catch(self.nub_profile, g), self._printed_hole(), p.end, m.friction, count=2)
        strength = m.across if p.layers == "across" else m.strength
        engaged = max(self.undercut + 2 * g, 0.02)
        tears = (("nub", 2 * math.pi / 4 * p.nub**2 * SHEAR_OF_TENSION * m.across),
                 ("arm", 2 * self.printed_arm.pulled(0.0, p.arm / 2 + p.clearance + self.undercut / 2, strength)),
                 ("edge of the hole", 2 * engaged * p.nub * BEARING * m.strength))
        chamfered = p.nub_chamfer >= 0.25 or p.lead_in >= 0.25
        return Snap(p, self.process, ride, p.arm + 2 * g, engaged, tears, lead=math.radians(45 if chamfered else 90),
                    across=p.layers == "across", overhang=0.0)

    @cached_property
    def sweep(self) -> float:
        """How far the tongue's end sweeps behind the axis as it turns, mm."""
        p = self.p
        half, c = p.width / 2, min(p.corner, p.width / 2 - 0.1, p.end - 0.1)
        return max(math.hypot(p.end - c, half), math.hypot(p.end, half - c))

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def fillet(self) -> float:
        return min(1.0, 0.4 * self.p.mouth, 0.2 * self.p.length)

    @cached_property
    def laid(self) -> tree.Matrix:
        return pressing.laid(self.p.layers, -self.p.backing)

    def fork(self) -> Share:
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
        return Share("fork", "A", add=upper + upper.mirror("y"))

    def tongue(self) -> Share:
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
        return Share("tongue", "B", add=made, cut=tree.union([one, one.mirror("y")]))

    @cached_property
    def neck(self) -> float:
        """From the tongue's end to its host: the arms' ends stay clear of it as it turns."""
        p = self.p
        return p.end + math.hypot(PAST * p.nub / 2, p.width / 2) + 1.0

    def draw(self) -> tuple[tuple[Body, ...], tuple[Share, ...]]:
        """Two blocks, one with the fork, one with the tongue."""
        p, wide = self.p, self.p.mouth / 2 + self.p.arm
        behind = blocks.block(self.neck - 0.5, -wide, self.neck + p.backing, wide, p.width)
        return ((Body("A", "fork", blocks.block(-p.backing, -wide, 0, wide, p.width), self.laid),
                 Body("B", "tongue", behind, self.place)), (self.fork(), self.tongue()))

    @cached_property
    def place(self) -> tree.Matrix:
        shift: tree.Matrix = (1, 0, 0, 0, 0, 1, 0, self.p.mouth + 2 * self.p.arm + BESIDE, 0, 0, 1, 0)
        return tree.compose(shift, pressing.laid(self.p.layers, 0.0))

    @cached_property
    def seated(self) -> tree.Matrix:
        drawn: tree.Matrix = (1, 0, 0, self.p.length - self.p.end, 0, 1, 0, 0, 0, 0, 1, 0)
        return pressing.seated_as_laid(drawn, self.laid, self.place)


def _refuse_what_cannot_be(plan: _Plan) -> None:
    p = plan.p
    if plan.undercut < 0.02:
        raise SolveError(f"a nub {p.nub_height:g} mm high does not reach across a side gap of {p.clearance:g} mm",
                         field="nub_height", value=p.nub_height, limit=round(p.clearance + 0.02, 2))
    if p.nub > p.width - 0.8:
        raise SolveError(f"a nub of {p.nub:g} mm does not fit on arms {p.width:g} mm wide", field="nub", value=p.nub,
                         limit=p.width - 0.8)
    if p.mouth - 2 * p.clearance - 2 * p.hole_depth < 2 * plan.process.line_width:
        raise SolveError(f"two holes {p.hole_depth:g} mm deep meet in a tongue {p.mouth - 2 * p.clearance:.2f} mm thick",
                         field="hole_depth", value=p.hole_depth,
                         limit=round((p.mouth - 2 * p.clearance) / 2 - plan.process.line_width, 2))
    if p.mouth - 2 * p.clearance < 2 * p.lead_in + 0.6:
        raise SolveError(f"lead-ins of {p.lead_in:g} mm meet on a tongue {p.mouth - 2 * p.clearance:.2f} mm thick",
                         field="lead_in", value=p.lead_in, limit=round((p.mouth - 2 * p.clearance - 0.6) / 2, 2))
    if p.end < (p.nub + p.hole_fit) / 2 + p.lead_in + 0.4:
        raise SolveError(f"the hole breaks out of the tongue's end: its middle is {p.end:g} mm from it", field="end",
                         value=p.end,
                         limit=round((p.nub + p.hole_fit) / 2 + p.lead_in + 0.4, 2))
    if p.end > p.length - 0.2:
        raise SolveError(f"a tongue that reaches {p.end:g} mm past its hole meets the root of {p.length:g} mm arms",
                         field="end",
                         value=p.end, limit=p.length - 0.2)
    refuse_short(plan.printed_arm, "length")


def solve(params: ClipHingeParams, process: Process) -> Solution:
    """Work out a clip hinge for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no hinge, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = _Plan(params, process), params
    _refuse_what_cannot_be(plan)
    snap, m = plan.snap, process.plastic
    bow = Bow.of(plan.printed_arm, snap.way.states)
    root = (0.0, p.mouth / 2 + p.arm / 2)

    def spread(points: npt.NDArray[np.float64], lowered: float) -> npt.NDArray[np.float64]:
        # Each arm bends away from the middle, so what is down for it is outward.
        side = np.where(points[:, 1] >= 0, 1.0, -1.0)
        flipped = np.column_stack([points[:, 0] - root[0], root[1] - np.abs(points[:, 1])])
        moved = bow.follow(flipped, lowered)
        return np.column_stack([moved[:, 0] + root[0], side * (root[1] - moved[:, 1])])

    def bends(lowered: float) -> dict[str, Warp]:
        return {"A": pressing.in_plane(lambda points: spread(points, lowered), lambda points: points[:, 0] > 1e-6, plan.laid)}

    room = p.length - plan.sweep
    own_checks = [
        Check("turns-clear", "Turns clear of the fork", room, 0.3, "mm", stop=0.0, mend=("corner", "length", "end"),
              why=f"the tongue's end sweeps {plan.sweep:.2f} mm behind the axis, chamfer {p.corner:g}",
              topic="shape", basis="0.3 round the turning corner (common practice, no source)"),
        Check("hole-floor", "Nub clears the hole's floor",
              p.hole_depth - (p.nub_height - p.clearance) - 2 * process.growth.mean,
              0.05, "mm", mend=("hole_depth", "nub_height"), printer=True,
              why="or the nubs bottom out and hold the arms apart",
              topic="fit", basis="0.05 left below the nub as printed (common practice, no source)"),
    ]
    if p.stay > 0:
        own_checks.append(Check("stays-put", "Stays where put", plan.torque, p.stay, "N·mm", mend=("hole_fit", "nub"),
                                printer=True,
                                why=f"friction of nubs printed {plan.squeeze:+.2f} mm over their holes, crept for a year",
                                topic="shape", basis="the torque you ask it to hold"))
    own = (
        Derived("reach", "nub reaches in", plan.undercut, "mm", "nub height − side gap", "you"),
        Derived("squeeze", "nub over printed hole", plan.squeeze, "mm", "4·growth + 2·hole shrink − hole over nub",
                "the process"),
        Derived("torque", "holds a position", plan.torque, "N·mm", "µ·p·π·d·h·d/2, p = E·δ/(2·d) crept, and the arms' pinch",
                m.source),
        Derived("sweep", "tongue sweeps", plan.sweep, "mm", "corner of the chamfered end from the axis", "geometry"),
    )
    at = [tree.moved_point(plan.laid, point) for point in
          ((0, -p.mouth / 2 - p.arm - 2, p.width), (p.length, -p.mouth / 2 - p.arm - 2, p.width),
           (p.length + PAST * p.nub / 2 + 1, -p.mouth / 2, p.width), (p.length + PAST * p.nub / 2 + 1, p.mouth / 2, p.width))]
    look = Look(plan.draw, plan.seated, lying_along(p.layers), bends,
                  (Callout(f"arm {p.length:g}", at[0], at[1]), Callout(f"mouth {p.mouth:g}", at[2], at[3])), label="Clip in",
                  section=middle_of(p.layers, p.width),
                  roots=(pressing.root(max(plan.fillet, 0.05), -p.mouth / 2 - p.arm - 0.1, p.mouth / 2 + p.arm + 0.1, p.width,
                                       3, plan.laid),))
    mends = Mends(("arm", "length", "nub_height"), ("nub_height", "nub", "arm"), ("lead_in", "arm", "nub_height"),
                  ("hole_fit",))
    what = f"Two arms {p.length:g} long and {p.arm:g} thick let the tongue in between their nubs."
    return solution(KIND.id, snap, look, mends, what=what, bend="nub_height", force="arm", derived=own,
                    checks=tuple(own_checks))


KIND = Kind(
    id="clip-hinge",
    title="Clip hinge",
    summary="Two arms with nubs that snap onto a tongue and let it turn.",
    needs=(TURN, JOIN),
    params=ClipHingeParams,
    solve=solve,
    questions=questions(
        Question("How large is the hinge?", ("width", "mouth", "length", "backing")),
        Question("What do nubs and holes look like?", ("nub", "nub_height", "hole_fit", "hole_depth")),
        Question("Does it swing, or stay where it is put?", ("stay", "lead_in", "corner", "end")),
    ),
    recommend="arm",
    test_piece={"backing": 4},
    cautions=CAUTIONS,
    outcomes=SNAPPED,
    sides={"fork": "the root of the arms", "tongue": "the root of the tongue"},
    tuned=("arm", "length", "nub_height", "lead_in", "nub", "hole_depth", "hole_fit", "clearance"),
)
