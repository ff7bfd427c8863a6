"""Tube clip: what is refused, how it opens, and the kind. What it is made of is in ``snapping/plans/tube_clip``."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.bars import bars
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import (
    HOLD,
    Answer,
    Bought,
    Callout,
    Derived,
    Kind,
    Question,
    SeatRule,
    Solution,
    Tuning,
)
from bouncy_latch.core.mechanisms.snaps import pressing
from bouncy_latch.core.mechanisms.snaps.fields import ANSWERS, CAUTIONS, questions
from bouncy_latch.core.mechanisms.snaps.plans.tube_clip import TubeClipParams, TubeClipPlan
from bouncy_latch.core.mechanisms.snaps.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


def _refuse_what_cannot_be(plan: TubeClipPlan) -> None:
    p = plan.p
    if p.foot / 2 > 0.8 * plan.outer:
        raise SolveError(f"a foot of {p.foot:g} mm leaves nothing of a ring {2 * plan.outer:.1f} mm wide to bend", field="foot",
                         value=p.foot, limit=round(1.6 * plan.outer, 1))
    reach, foot = plan.outer + p.backing - 0.2, p.foot / 2
    if plan.root[0] < -reach:
        most = (reach**2 - plan.outer**2 + foot**2) / (2 * (plan.outer - foot))
        raise SolveError(f"a fillet of {p.fillet:g} mm does not fit on {p.backing:g} mm behind the ring", field="fillet",
                         value=p.fillet, limit=math.floor(10 * most) / 10)
    if plan.nose - plan.root[2] < math.radians(30):
        raise SolveError(f"between a foot of {p.foot:g} mm with a fillet of {p.fillet:g} and a mouth of {p.mouth:g}° no arm is "
                         "left to bend", field="mouth", value=p.mouth,
                         limit=round(math.degrees(2 * (math.pi - plan.root[2])) - 60))
    if plan.inner < 1.0:
        raise SolveError(f"a ring smaller than its tube by {-p.clearance:g} mm a side has no room for it", field="clearance",
                         value=p.clearance, limit=1.0 - p.diameter / 2)
    if p.diameter / 2 <= plan.printed.inner * math.sin(plan.nose) + 0.02:
        most = math.degrees(2 * math.asin(min(1.0, (p.diameter / 2 - 0.02) / plan.printed.inner)))
        raise SolveError(f"a mouth of {p.mouth:g}° is as wide as the tube: nothing would hold it", field="mouth", value=p.mouth,
                         limit=math.floor(most))
    if 2 * plan.lip(plan.inner)[0][-1][1] > -0.2:
        raise SolveError("the lips meet each other", field="lip", value=p.lip)


def solve(params: TubeClipParams, process: Process) -> Solution:
    """Work out a tube clip for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no clip, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = TubeClipPlan(params, process), params
    _refuse_what_cannot_be(plan)
    snap, hoop, way = plan.snap, plan.printed, plan.snap.way
    bow = Bow.of(hoop, way.states)

    def opened(points: npt.NDArray[np.float64], lowered: float) -> npt.NDArray[np.float64]:
        side = np.where(points[:, 1] >= 0, 1.0, -1.0)
        moved = bow.follow(np.column_stack([points[:, 0], -np.abs(points[:, 1])]), lowered)
        return np.column_stack([moved[:, 0], -side * moved[:, 1]])

    def springs(points: npt.NDArray[np.float64]) -> npt.NDArray[np.bool_]:
        around = np.arctan2(np.abs(points[:, 1]), -points[:, 0])
        return np.asarray((around > hoop.held) & (np.hypot(*points.T) < plan.outer + 0.1) | (around > plan.nose))

    def bends(lowered: float) -> dict[str, Warp]:
        return {"A": pressing.in_plane(lambda points: opened(points, lowered), springs, plan.laid)}

    own = (
        Derived("mouth_width", "mouth between the noses", 2 * hoop.inner * math.sin(plan.nose), "mm", "2·r·sin(mouth/2)",
                "geometry, as printed"),
        Derived("opens", "opens by", 2 * way.most, "mm", "both noses, as the tube passes them", "the way in"),
        Derived("back_factor", "stress at the back, inside", hoop.factor, "×", "t·(r_n − r_i)/(6·e·r_i), over a straight bar's",
                "Winkler–Bach"),
        Derived("pressed", "presses the tube", plan.pressed, "N", "both noses and the back, when shut", "the way in"),
        Derived("slides_at", "slides along the tube at", plan.slides, "N", "µ · creep · all forces on the tube",
                process.plastic.source),
        Derived("turns_at", "turns on the tube at", plan.slides * p.diameter / 2, "N·mm", "the same, at the tube's radius",
                process.plastic.source),
    )
    checks = []
    if p.stay > 0:
        checks.append(Check("stays-put", "Does not slide along the tube", plan.slides, p.stay, "N", stop=0.5 * p.stay,
                            mend=("clearance", "wall", "width"), printer=True,
                            why=f"friction of a clip that presses with {plan.pressed:.1f} N, less a year's creep",
                            topic="shape", basis="the force along the tube you ask it to stand"))
    size = p.width + 1.0 if p.layers == "along" else p.width
    at = [tree.moved_point(plan.laid, point) for point in (
        (0.0, -p.diameter / 2, size), (0.0, p.diameter / 2, size), (-plan.outer, 0.0, size), (-plan.inner, 0.0, size))]
    look = Look(plan.draw, plan.seated, lying_along(p.layers), bends,
                (Callout(f"tube {p.diameter:g}", at[0], at[1]), Callout(f"wall {p.wall:g}", at[2], at[3])),
                label="Clip on", section=middle_of(p.layers, p.width),
                roots=(pressing.root(-0.97 * plan.inner, -plan.outer - 1, plan.outer + 1, p.width, 3, plan.laid),),
                bars=lambda: bars(hoop.nodes, plan.plain_areas, tree.compose(plan.laid, tree.moved_to(0.0, 0.0, p.width / 2))),
                alike={"A": pressing.slab(p.width, plan.laid)})
    mends = Mends(("mouth", "wall", "foot"), ("mouth", "wall", "width"), ("wall", "mouth", "width"), ("clearance",))
    what = f"An open ring {p.wall:g} mm thick opens {2 * way.most:.1f} mm to let a tube of {p.diameter:g} mm in."
    return solution(KIND.id, snap, look, mends, what=what, bend="mouth", force="wall", derived=own, checks=tuple(checks),
                    bought=(Bought(f"tube or pole, {p.diameter:g} mm", 1, "as measured; it is not printed"),))


KIND = Kind(
    id="tube-clip",
    title="Tube clip",
    force="snap_force",
    summary="An open ring that snaps over a tube or pole and grips it.",
    tasks=(HOLD,),
    answers={**ANSWERS, "size": Answer("diameter")},
    params=TubeClipParams,
    solve=solve,
    questions=questions(
        Question("What does it go over?", ("diameter", "backing")),
        Question("What opens?", ("wall", "width", "mouth", "foot", "fillet")),
        Question("How does the tube find its way in, and does it grip?", ("lead_angle", "lip", "clearance", "stay")),
    ),
    recommend="wall",
    test_piece={"backing": 2},
    cautions=(*CAUTIONS, "Nothing that people hang on or under: a clip lets go when it is pulled, warmed or old."),
    outcomes=SNAPPED,
    sides={"clip": "what the clip stands on"},
    seats={"clip": SeatRule("+x")},
    tuning=Tuning(sizes=("wall", "mouth", "width", "lead_angle", "foot", "clearance")),
)
