"""Cantilever hook: what is refused, what it says of itself, and the kind. What it is made of is in ``snapping/plans/hook``."""

from __future__ import annotations

import math
from dataclasses import replace

from bouncy_latch.core.checks import ENDLESS
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.arm import refuse_short
from bouncy_latch.core.flex.bars import bars
from bouncy_latch.core.flex.section import cantilever_compliance, section
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import CLOSE, JOIN, Callout, Derived, Kind, Question, SeatRule, Solution, Tuning
from bouncy_latch.core.mechanisms.snaps import pressing
from bouncy_latch.core.mechanisms.snaps.fields import ANSWERS, CAUTIONS, questions
from bouncy_latch.core.mechanisms.snaps.plans.hook import BRACKET, FOLDED, PLATE, ROOM, HookParams, HookPlan
from bouncy_latch.core.mechanisms.snaps.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


def _refuse_what_cannot_be(plan: HookPlan) -> None:
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
    plan, p = HookPlan(params, process), params
    _refuse_what_cannot_be(plan)
    snap, (end, face), arm = plan.snap, plan.end, plan.printed_arm
    bow = Bow.of(arm, snap.way.states)
    floor = -p.thickness / 2 - (p.slot / 2 if p.host == PLATE else 50.0)

    def bends(lowered: float) -> dict[str, Warp]:
        return {"A": pressing.in_plane(lambda points: bow.follow(points, lowered),
                                       lambda points: (points[:, 0] > 1e-6) & (points[:, 1] > floor), plan.laid)}

    low = -plan.depth - 3.0
    at = [tree.moved_point(plan.laid, point) for point in
          ((0, low, p.width), (end, low, p.width), (end + 1, face, p.width), (end + 1, face + plan.catch_height, p.width))]
    look = Look(plan.draw, plan.seated, lying_along(p.layers), bends,
                  (Callout(f"length {p.length:g}", at[0], at[1]), Callout(f"undercut {p.undercut:g}", at[2], at[3])),
                  section=middle_of(p.layers, p.width), roots=(plan.root,),
                bars=lambda: bars(arm.nodes, plan.plain_areas, tree.compose(plan.laid, tree.moved_to(0.0, 0.0, 0.1 * p.width))))
    mends = Mends(("thickness", "length", "undercut", "fillet"), ("return_angle", "undercut", "thickness"),
                  ("lead_angle", "thickness", "length"))
    what = f"The arm is {p.length:g} mm long, {p.thickness:g} mm thick and {p.width:g} mm wide."
    return solution(KIND.id, snap, look, mends, what=what, bend="undercut", force="thickness", derived=_own(plan))


def _own(plan: HookPlan) -> tuple[Derived, ...]:
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
    force="snap_force",
    summary="An arm with a catch that snaps behind an edge.",
    tasks=(CLOSE, JOIN),
    answers=ANSWERS,
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
    seats={"hook": SeatRule("+x"), "keeper": SeatRule("-x")},
    tuning=Tuning(sizes=("thickness", "length", "undercut", "return_angle", "lead_angle", "width", "clearance", "seat_gap"),
                  alternatives=(("taper", beams.THINNING), ("taper", beams.NARROWING), ("form", FOLDED))),
)
