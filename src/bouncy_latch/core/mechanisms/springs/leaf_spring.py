"""Leaf spring: one leaf, two that keep what they carry level, or two pairs folded back, bent in the plane of their layers."""

from __future__ import annotations

import math

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.mechanisms.contract import (
    SPRING,
    Callout,
    Derived,
    Kind,
    Question,
    SeatRule,
    SectionView,
    Shape,
    Solution,
    Tuning,
)
from bouncy_latch.core.mechanisms.springs import spring
from bouncy_latch.core.mechanisms.springs.framed import NOTHING
from bouncy_latch.core.mechanisms.springs.leaves import FINGER, FURTHEST, NO, STAGE, LeafSpringParams, Plan
from bouncy_latch.core.mechanisms.springs.sizes import ANSWERS, CAUTIONS
from bouncy_latch.core.outcomes import SPRUNG
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process


def _refuse_what_cannot_be(plan: Plan) -> None:
    p = plan.p
    if p.travel > FURTHEST * p.length:
        raise SolveError(f"leaves {p.length:g} mm long are not bent {p.travel:g} mm aside", field="travel", value=p.travel,
                         limit=round(FURTHEST * p.length, 1))
    if 2 * p.fillet > p.length - 2 * p.thickness:
        raise SolveError(f"fillets of {p.fillet:g} leave nothing of a leaf of {p.length:g} mm", field="fillet", value=p.fillet)
    if plan.two and p.spacing < p.thickness + 2 * p.fillet + 0.5:
        raise SolveError(f"leaves {p.spacing:g} mm apart leave no room for their fillets", field="spacing", value=p.spacing,
                         limit=round(p.thickness + 2 * p.fillet + 0.5, 1))


def solve(params: LeafSpringParams, process: Process) -> Solution:
    """Work out a leaf spring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no spring, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    _refuse_what_cannot_be(plan)
    s = plan.sprung
    checks = spring.checks(s, {"strain": ("length", "thickness"), "gap": ("spacing",) if plan.two else (),
                               "load": ("width", "thickness", "length")})
    checks.append(Check("roots", "Fillets at the roots", p.fillet, 0.5 * p.thickness, "mm", mend=("fillet",), topic="fit",
                        why="leaves tear at their roots; a larger fillet lowers the strain there",
                        basis="half the thickness (common practice, no source)"))
    turned = math.degrees(plan.tilt)
    shift = "the second pair undoes the first" if plan.folded else "the bent leaf's own length; about 0.6·travel²/length"
    tilt = "F·L²/(E·A·a²), each pair: one leaf is stretched, one pressed" if plan.two else "the bent leaf's end"
    derived = [*spring.derived(s), Derived("shift", "comes nearer by", plan.shift, "mm", shift, "geometry of the bent frame"),
               Derived("tilt", "its end turns by", turned, "°", tilt, "statics")]
    if plan.cover:
        checks.append(plan.cover.check(("thickness", "length")))
        derived.append(plan.cover.derived)
    if plan.is_stopped:
        derived.append(Derived("stops_at", "stopped at", plan.stops_at, "mm", "1.1 · travel", "geometry"))
        checks.append(spring.stopped_whole(s, ("length", "thickness"), "its end"))
    if plan.two:
        nearer = "no nearer" if plan.folded else f"{plan.shift:.2f} nearer as it goes"
        checks.append(Check("level", "Tilt of the end", turned, 1.0, "°", least=False, mend=("thickness", "length"),
                            topic="shape",
                            why=f"the end turns so far when pushed where its leaves end; it comes {nearer}",
                            basis="1° (common practice, no source)"))

    def draw() -> Shape:
        half, low = p.thickness / 2, plan.cover.lifted if plan.cover else 0.0
        high = low + p.width
        y = plan.middles[-1]
        callouts = (Callout(f"leaf {p.thickness:g}", (p.length / 2, y - half, high), (p.length / 2, y + half, high)),
                    Callout(f"length {p.length:g}", (0, y, high), (p.length, y, high)))
        views = (SectionView("drawn", 0.0, low + p.width / 2, axis="z"),
                 SectionView("at its travel", p.travel, low + p.width / 2, axis="z"))
        block = blocks.block(-plan.behind - p.backing, -plan.widest, -plan.behind, plan.widest, plan.top)
        far = plan.widest if p.stopped == NO or plan.folded or plan.cover else plan.reach + plan.stops_at + FINGER
        region = (-plan.behind - 1.0, -plan.widest, 0.0, p.length + (STAGE if plan.folded else p.carried), far, plan.top)
        return Shape((Body("A", "spring", block),), (Feature("spring", "A", add=plan.solid()),), callouts, views, region=region,
                     hidden=plan.p.around != NOTHING,
                     bends_along=((1.0, 0.0, 0.0),))

    moved = spring.moving(s, "Push", "pushed aside", plan.warp, plan.strain, ("spacing", "length"), plan.sections)
    return spring.solution(KIND, p, s, p.form, motions=(moved,), draw=draw, checks=tuple(checks), derived=tuple(derived),
                           summary=f"{spring.summary(s)} Its end comes {plan.shift:.2f} mm nearer and turns {turned:.1f}°.")


KIND = Kind(
    id="leaf-spring",
    title="Leaf spring",
    force="spring_force",
    summary="One leaf, two that keep what they carry level, or two pairs folded back, bent beside their length.",
    tasks=(SPRING,),
    answers=ANSWERS,
    params=LeafSpringParams,
    solve=solve,
    questions=(
        Question("What must it do?", ("form", "travel", "force", "rate_asked", "energy_asked", "cycles")),
        Question("How long and how thick?", ("length", "thickness", "width", "loops")),
        Question("What is at its ends?", ("spacing", "fillet", "carried", "stopped", "around")),
    ),
    recommend="thickness",
    clearance="",
    test_piece={"backing": 4, "carried": 4},
    sides={"spring": "the block that holds it"},
    seats={"spring": SeatRule("+x")},
    cautions=CAUTIONS,
    outcomes=SPRUNG,
    weighs="travel",
    variant="form",
    tuning=Tuning(sizes=("thickness", "length", "width"), trade_off=("rate", "strain")),
)
