"""Print-in-place hinge: knuckles that alternate between two leaves, turning on cones or balls, printed in one go."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

from bouncy_latch.core.layers.breakaway import Freeing
from bouncy_latch.core.layers.likelihood import PrintedInPlace
from bouncy_latch.core.mechanisms.contract import (
    CLOSE,
    TURN,
    Aim,
    Answer,
    Callout,
    Kind,
    LadderPiece,
    Motion,
    Question,
    Ruler,
    SeatRule,
    SectionView,
    Shape,
    Solution,
    StudyTrial,
    moved_by,
)
from bouncy_latch.core.mechanisms.hinges import judged
from bouncy_latch.core.mechanisms.hinges.plan import Plan
from bouncy_latch.core.mechanisms.hinges.shared import Features
from bouncy_latch.core.mechanisms.hinges.sizes import KnuckleHingeParams
from bouncy_latch.core.parts.box import BOX
from bouncy_latch.core.parts.leaves import LEAVES
from bouncy_latch.core.process.profile import Process


def _motion(plan: Plan) -> Motion:
    """The swing: 0 is shut, 180 flat as printed; every body beyond the first joint follows."""
    z = plan.axis_height
    names = tuple(fold.second[0] for fold in plan.hosts.folds)
    pose = moved_by(plan.joints[0].freedom, names, 180.0, -math.pi / 180)

    def place(point: tuple[float, float, float]) -> str:
        x, y, height = point
        index = round((x - plan.start(0) - plan.knuckle_length / 2) / (plan.knuckle_length + plan.p.gap))
        if math.hypot(y, height - z) < plan.radius + plan.p.gap + 0.3 and 0 <= index < plan.p.knuckles:
            return f"knuckle {index + 1}"
        if abs(x) <= plan.hinge_length / 2 and math.hypot(y, height - z) < plan.shape.sweep_radius + 0.5:
            return f"web of knuckle {min(max(index, 0), plan.p.knuckles - 1) + 1}"
        if height > z - 3:
            return "rims"
        return "walls at the fold"

    return Motion("Swing", "°", 0.0, plan.p.travel, 180.0, 0.0, pose, place_name=place,
                  mend=("gap", "closing_gap", "fold_gap", "travel"))


def _summary(plan: Plan) -> str:
    return (f"The axis lies {plan.axis_height:.2f} mm above the bed, {plan.p.closing_gap / 2:.2f} mm above the rims; the "
            f"barrel "
            f"is {2 * plan.radius:.2f} mm thick. {plan.p.knuckles} knuckles of {plan.knuckle_length:.1f} mm take "
            f"{plan.hinge_length:.1f} of the {2 * plan.hosts.half:.1f} mm edge. With a gap of {plan.p.gap:.2f} mm the "
            f"hinge comes free by hand in {100 * plan.freeing.by_hand:.0f} % of prints; its free edge has ± "
            f"{plan.play.edge:.2f} mm of play.")


def solve(params: KnuckleHingeParams, process: Process) -> Solution:
    """Work out a knuckle hinge for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no hinge.
    """
    plan = Plan(params, process)
    judged.refuse_what_cannot_be(plan)
    free, at = plan.freeing, _freeing_at(params, process)
    return Solution(
        kind=KIND.id, params=params, process=process, derived=judged.derived(plan), checks=judged.checks(plan),
        aim=Aim("comes-free", free.by_hand, "comes free by hand", "free", both=free.both),
        rulers=(Ruler("gap", "gap between knuckles", "gap", 0.0, 0.8, "mm",
                      f"{process.layer_height:.2f} layers, {params.pivot_slope:g}° {params.pivot.replace('-', ' ')}",
                      params.gap, lambda gap: at(gap).chances, sides=lambda gap: (at(gap).by_hand, at(gap).tight)),),
        motions=(_motion(plan),), draw=lambda: _shape(plan), joints=plan.joints,
        likelihood=PrintedInPlace(plan.joints, process), summary=_summary(plan))


def _shape(plan: Plan) -> Shape:
    params = plan.p
    half, clear = plan.hinge_length / 2, max(plan.radius, plan.shape.sweep_radius) + params.gap + 1
    beside = plan.hosts.half + (12 if params.host == BOX else 3)
    z, start = plan.axis_height, plan.start(params.knuckles // 2)
    middle, near = plan.start(0) + 0.3 * plan.knuckle_length, 2.6 * plan.radius
    return Shape(
        bodies=plan.hosts.build(), features=Features(plan).all(),
        views=(
            SectionView("as printed, across a knuckle", 180.0, middle,
                        (-near, max(-1.0, z - 0.9 * near), near, z + 0.5 * near)),
            SectionView(f"shut, {params.closing_gap:.2f} mm between the rims", 0.0, middle),
        ),
        callouts=(
            Callout(f"axis {z:.2f}", (-beside, 0, 0), (-beside, 0, z)),
            Callout(f"gap {params.gap:.2f}", (start - params.gap, 0, z + plan.radius), (start, 0, z + plan.radius)),
            Callout(f"barrel {2 * plan.radius:.2f}", (half + 1.5, plan.radius, z), (half + 1.5, -plan.radius, z)),
        ),
        region=(-half - 1, -clear, max(0.0, z - clear), half + 1, clear, z + clear),
)


def _freeing_at(params: KnuckleHingeParams, process: Process) -> Callable[[float], Freeing]:
    """Return what becomes of the print at another gap; that raises SolveError where there is no hinge."""
    facts = params.facts()["gap"]

    @lru_cache(maxsize=4)
    def at(gap: float) -> Freeing:
        plan = Plan(params.changed(gap=min(max(gap, facts.low), facts.high)), process)
        judged.refuse_what_cannot_be(plan)
        return plan.freeing

    return at


def _label_place(solution: Solution) -> tuple[float, float, float]:
    """A level place on the outer edge of leaf A."""
    params = solution.params
    assert isinstance(params, KnuckleHingeParams)
    return 0.0, -(params.leaf_width - 1.9), solution.value("leaf_thickness")


_ON_PARTS = {"host": BOX, "outline": "rounded-rectangle", "corner_radius": 0, "rim_step": 0, "lid_edge": 0}
"""Parts of the user's are taken as a box with square corners; what their rims do is theirs."""


KIND = Kind(
    id="knuckle-hinge",
    title="Knuckle hinge",
    summary="Two parts that swing on each other, printed in one go without supports.",
    tasks=(CLOSE, TURN),
    answers={"play": Answer(figure="axial_play")},
    params=KnuckleHingeParams,
    solve=solve,
    questions=(
        Question("What swings?", ("host", "outline", "width", "depth", "length", "leaf_width", "links")),
        Question("How tall are the two halves, and how thick the wall?", ("base_height", "lid_height", "wall")),
        Question("How far must it open?", ("travel",)),
        Question("How close do the rims come, and how far apart does it print?", ("closing_gap", "fold_gap")),
        Question("How loose may it be?", ("play_limit", "wobble_limit")),
        Question("How is the hinge divided?", ("knuckles", "knuckle_length", "pivot")),
    ),
    recommend="gap",
    variant="host",
    first=True,
    study=StudyTrial(sample={"host": LEAVES, "length": 30, "knuckles": 4}),
    seats={"a": SeatRule("+y", height=("base_height", "lid_height"), edge="width", reach="depth", given=_ON_PARTS),
           "b": SeatRule("+y", height=("lid_height",), given=_ON_PARTS)},
    sides={"a": "the edge of the first body", "b": "the edge of the body that swings"},
    clearance="gap",
    test_piece={"host": LEAVES, "travel": 180},
    cautions=(
        "Freeing a stiff joint with a blade or mallet: wear eye protection, cut away from your fingers.",
        "Estimates for unfilled filament prints; nothing that lifts, brakes or guards people rests on them alone.",
    ),
    ladder=LadderPiece({"host": LEAVES, "length": 14, "leaf_width": 9.5, "knuckles": 2, "travel": 180, "fold_gap": 0.6},
                       _label_place, square={"bed_chamfer": 0}),
)
