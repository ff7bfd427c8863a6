"""Clip hinge: what is refused, how it swings, and the kind. What it is made of is in ``snapping/plans/clip_hinge``."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.arm import refuse_short
from bouncy_latch.core.flex.bars import bars
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import JOIN, TURN, Callout, Derived, Kind, Question, SeatRule, Solution, Tuning
from bouncy_latch.core.mechanisms.snaps import pressing
from bouncy_latch.core.mechanisms.snaps.fields import ANSWERS, CAUTIONS, questions
from bouncy_latch.core.mechanisms.snaps.plans.clip_hinge import PAST, ClipHingeParams, ClipHingePlan
from bouncy_latch.core.mechanisms.snaps.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


def _refuse_what_cannot_be(plan: ClipHingePlan) -> None:
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
    plan, p = ClipHingePlan(params, process), params
    _refuse_what_cannot_be(plan)
    snap, m = plan.snap, process.plastic
    arm = plan.printed_arm
    bow = Bow.of(arm, snap.way.states)
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
        Check("turns-clear", "Tongue turns clear of the fork", room, 0.3, "mm", stop=0.0, mend=("corner", "length", "end"),
              why=f"the tongue's end sweeps {plan.sweep:.2f} mm behind the axis, with a corner chamfer of {p.corner:g} mm",
              topic="shape", basis="0.3 round the turning corner (common practice, no source)"),
        Check("hole-floor", "Nub clears the hole's floor",
              p.hole_depth - (p.nub_height - p.clearance) - 2 * process.growth.mean,
              0.05, "mm", mend=("hole_depth", "nub_height"), printer=True,
              why="with less, the nubs touch the floor of their holes and hold the arms apart",
              topic="fit", basis="0.05 left below the nub as printed (common practice, no source)"),
    ]
    if p.stay > 0:
        own_checks.append(Check("stays-put", "Holds its angle", plan.torque, p.stay, "N·mm", mend=("hole_fit", "nub"),
                                printer=True,
                                why=f"friction of nubs that print {plan.squeeze:+.2f} mm wider than their holes, less a "
                                    f"year's creep",
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
                                       3, plan.laid),),
                bars=lambda: bars(arm.nodes, np.where(arm.nodes[1:, 0] < p.length - p.nub / 2, arm.areas, np.nan),
                                  tree.compose(plan.laid, tree.moved_to(*root, p.width / 2))))
    mends = Mends(("arm", "length", "nub_height"), ("nub_height", "nub", "arm"), ("lead_in", "arm", "nub_height"),
                  ("hole_fit",))
    what = f"Two arms {p.length:g} mm long and {p.arm:g} mm thick let the tongue in between their nubs."
    return solution(KIND.id, snap, look, mends, what=what, bend="nub_height", force="arm", derived=own,
                    checks=tuple(own_checks))


KIND = Kind(
    id="clip-hinge",
    title="Clip hinge",
    force="snap_force",
    summary="Two arms with nubs that snap onto a tongue and let it turn.",
    tasks=(TURN, JOIN),
    answers=ANSWERS,
    params=ClipHingeParams,
    solve=solve,
    questions=questions(
        Question("How large is the hinge?", ("width", "mouth", "length", "backing")),
        Question("What do nubs and holes look like?", ("nub", "nub_height", "hole_fit", "hole_depth")),
        Question("Does it swing, or stay where it is put?", ("stay", "entry", "lead_in", "corner", "end")),
    ),
    recommend="arm",
    test_piece={"backing": 4},
    cautions=CAUTIONS,
    outcomes=SNAPPED,
    sides={"fork": "the root of the arms", "tongue": "the root of the tongue"},
    seats={"fork": SeatRule("+x"), "tongue": SeatRule("-x")},
    tuning=Tuning(sizes=("arm", "length", "nub_height", "lead_in", "nub", "hole_depth", "hole_fit", "clearance")),
)
