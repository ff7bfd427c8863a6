"""Ball peg: what is refused, how it turns, and the kind. What it is made of is in ``snapping/plans/ball_peg``."""

from __future__ import annotations

import math

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.arm import refuse_short
from bouncy_latch.core.flex.bars import bars
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import JOIN, TURN, Callout, Derived, Kind, Question, SeatRule, Solution, Tuning
from bouncy_latch.core.mechanisms.snaps import pressing
from bouncy_latch.core.mechanisms.snaps.fields import ANSWERS, CAUTIONS, questions
from bouncy_latch.core.mechanisms.snaps.plans.ball_peg import BALL, HAIR, RELIEF, SHOULDER, BallPegParams, BallPegPlan
from bouncy_latch.core.mechanisms.snaps.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


def _refuse_what_cannot_be(plan: BallPegPlan) -> None:
    p = plan.p
    if p.ball <= p.peg + 0.1:
        raise SolveError(f"a ball of {p.ball:g} mm is no wider than its peg of {p.peg:g} mm", field="ball", value=p.ball,
                         limit=round(p.peg + 0.1, 2))
    if plan.undercut <= 0.02:
        raise SolveError(f"a ball of {p.ball:g} mm falls through a throat of {2 * plan.bore:.2f} mm", field="ball",
                         value=p.ball,
                         limit=round(2 * plan.bore + 0.04, 2))
    if p.slot >= p.peg - 2 * plan.process.line_width:
        raise SolveError(f"a slot of {p.slot:g} mm leaves no halves of a {p.peg:g} mm peg", field="slot", value=p.slot,
                         limit=round(p.peg - 2 * plan.process.line_width, 2))
    if 2 * plan.undercut > p.slot:
        raise SolveError(f"the ball must be pinched by {2 * plan.undercut:.2f} mm and its slot is {p.slot:g} mm wide",
                         field="slot", value=p.slot, limit=round(2 * plan.undercut, 2))
    if p.mouth >= p.throat - 0.4:
        raise SolveError(f"a mouth of {p.mouth:g} mm leaves no throat of a {p.throat:g} mm wall", field="mouth", value=p.mouth,
                         limit=round(p.throat - 0.4, 2))
    if p.into > p.backing - 2:
        raise SolveError(f"a slot that runs {p.into:g} mm in is longer than the limb of {p.backing:g} mm allows", field="into",
                         value=p.into, limit=p.backing - 2)
    refuse_short(plan.arm(0.0), "into")


def solve(params: BallPegParams, process: Process) -> Solution:
    """Work out a ball peg for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no peg, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = BallPegPlan(params, process), params
    _refuse_what_cannot_be(plan)
    snap = plan.snap
    arm = plan.printed_arm
    bow = Bow.of(arm, snap.way.states)
    root = (-p.into, plan.half(0.0)[3])

    def bends(lowered: float) -> dict[str, Warp]:
        beside = p.peg / 2 + RELIEF / 2
        return {"A": pressing.in_plane(
            pressing.arms(bow, lowered, root),
            lambda points: (points[:, 0] > 1e-6) | ((points[:, 0] > -p.into) & (np.abs(points[:, 1]) < beside)), plan.laid)}

    own_checks = [
        Check("turns", "Clearance left to turn in", plan.turning, 0.05, "mm", stop=0.0, mend=("clearance",), printer=True,
              why=f"{p.clearance:.2f} mm drawn, less the outline growth of both parts and "
                  f"{process.hole_shrink(plan.bore):.2f} mm of hole shrink",
              topic="fit", basis="0.05 mm a side (common practice, no source)"),
        Check("mouth", "Countersunk mouth", p.mouth, 0.5, "mm", mend=("mouth",),
              why="without a countersink the ball meets a square edge",
              topic="shape", basis="a countersink of half a millimetre leads in (common practice, no source)"),
    ]
    own = (
        Derived("throat_bore", "throat", 2 * plan.bore, "mm", "peg + 2·clearance", "you"),
        Derived("half_depth", "half peg", plan.half(0.0)[0].depth, "mm", "(peg − slot) / 2", "you"),
        Derived("turning_clearance", "turns with", plan.turning, "mm", "clearance − 2·growth − hole shrink", "the process"),
    )
    at = [tree.moved_point(plan.laid, point) for point in
          ((plan.tip + 1, -p.ball / 2, plan.flat), (plan.tip + 1, p.ball / 2, plan.flat), (0, p.ball / 2 + 2.5, plan.flat),
           (plan.seat, p.ball / 2 + 2.5, plan.flat))]
    look = Look(plan.draw, plan.seated, lying_along(p.layers), bends,
                  (Callout(f"ball {p.ball:g}", at[0], at[1]), Callout(f"neck {plan.seat:.2f}", at[2], at[3])),
                  section=middle_of(p.layers, plan.flat),
                  roots=(pressing.root(max(p.slot / 2 - p.into, 0.05 - p.into), -p.peg / 2 - HAIR, p.peg / 2 + HAIR, plan.flat,
                                       3, plan.laid),),
                bars=lambda: bars(arm.nodes, arm.areas, tree.compose(plan.laid, tree.moved_to(*root, plan.flat / 2))))
    mends = Mends(("slot", "into", "ball"), ("ball", "slot", "into"), ("into", "slot", "mouth"))
    what = f"Each half of the split peg is {plan.half(0.0)[0].depth:.2f} mm thick; the limb turns freely on it."
    return solution(KIND.id, snap, look, mends, what=what, bend="ball", force="slot", derived=own, checks=tuple(own_checks))


KIND = Kind(
    id="ball-peg",
    title="Ball peg",
    force="snap_force",
    summary="A split round peg that snaps in and turns for ever, face on face.",
    tasks=(JOIN, TURN),
    answers=ANSWERS,
    params=BallPegParams,
    solve=solve,
    questions=questions(
        Question("How thick is the wall, and how large may the peg be?", ("throat", "peg", "ball", "backing")),
        Question("Does it come out again, and how does it go in?", ("head", "slot", "into", "mouth")),
    ),
    recommend="slot",
    test_piece=lambda p: {"backing": max(6, math.ceil(p.into) + 2)},
    cautions=(*CAUTIONS, "Toy joints of resin must be fully cured before they are snapped; uncured resin harms the skin."),
    outcomes=SNAPPED,
    sides={"peg": "the end of the limb", "socket": "the wall it turns in"},
    seats={"peg": SeatRule("+x")},
    tuning=Tuning(sizes=("slot", "into", "ball", "peg", "mouth", "clearance", "seat_gap"), alternatives=(("head", SHOULDER),
                                                                                                         ("head", BALL))),
)
