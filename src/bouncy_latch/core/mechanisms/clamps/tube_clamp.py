"""Tube clamp: two halves, or one split ring, drawn tight round a tube by screws through lugs."""

from __future__ import annotations

from bouncy_latch.core.mechanisms.clamps import judged
from bouncy_latch.core.mechanisms.clamps.plan import Plan, refuse_what_cannot_be
from bouncy_latch.core.mechanisms.clamps.shape import Drawn
from bouncy_latch.core.mechanisms.clamps.sizes import TubeClampParams
from bouncy_latch.core.mechanisms.contract import (
    HOLD,
    Aim,
    Answer,
    Bought,
    Callout,
    Kind,
    Question,
    Ruler,
    SectionView,
    Shape,
    Solution,
    Tuning,
)
from bouncy_latch.core.outcomes import CLAMPED, NESTED, SNAPPED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.standards import lengths

WASHER, NUT = 0.2, 0.9
"""Thickness of a washer and height of a nut, with the thread that stands out of it, over the diameter (ISO 7089, ISO 4032, from
memory, rounded)."""


def _screw_length(plan: Plan) -> float:
    """Return the length sold that goes through both lugs, the gap, and where it is not pressed into an ear the nut, mm."""
    p = plan.p
    return lengths.at_least(p.screw, 2 * p.ear + p.gap + WASHER * p.screw * (1 if plan.pocket else 2)
                            + (0.0 if plan.pocket else NUT * p.screw))


def solve(params: TubeClampParams, process: Process) -> Solution:
    """Work out a tube clamp for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no clamp.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    refuse_what_cannot_be(plan)
    drawn = Drawn(plan)
    motion = drawn.motion()
    top = max(3 * p.torque, 2 * plan.needed * 0.2 * p.screw / p.screws)

    def draw() -> Shape:
        high = p.width + 1.0
        c, s = (-1.0, 0.0) if plan.split else (0.0, 1.0)
        wall = ((plan.inner * c, plan.inner * s, high), (plan.outer * c, plan.outer * s, high))
        gap = (plan.at, -p.gap / 2, high), (plan.at, p.gap / 2, high)
        callouts = (Callout(f"wall {p.wall:g}", *wall), Callout(f"gap {p.gap:g}", *gap))
        views = (SectionView("open", motion.low if plan.split else 0.0, p.width / 2, axis="z"),
                 SectionView("tight", motion.high, p.width / 2, axis="z"))
        return Shape(drawn.bodies(), drawn.features(), callouts, views, bends_along=((1.0, 0.0, 0.0),))

    screws = p.screws * (1 if plan.split else 2)
    what = "A split ring is" if plan.split else "Two halves are"
    return Solution(
        kind=KIND.id, params=params, process=process, derived=judged.derived(plan), checks=judged.checks(plan),
        aim=Aim("works", plan.chance, "holds and lasts", "holds", needs=("grip", "ear-strain", "gap-left")),
        rulers=(Ruler("torque", "tightened by", "torque", 0.0, float(round(top)), "N·mm",
                      f"{process.plastic.name}, {p.screws} M{p.screw:g} a side", p.torque,
                      lambda torque: plan.zones(max(torque, 1e-3)), CLAMPED), *_nut_rulers(plan)),
        motions=(motion,), draw=draw,
        notes=(("Wall lines", f"{plan.fill.loops}"), ("Infill", f"{process.infill:g} %; 40 % and more under screws"),
               ("Lay", "as exported: the layers go round the tube"), ("Material", process.plastic.name)),
        bought=(Bought(f"M{p.screw:g} × {_screw_length(plan):g} screw with nut and washers", screws, f"{p.torque:g} N·mm each"
                       + ("; the nuts are pressed in first" if plan.pocket else "")),
                Bought(f"tube or pole, {p.diameter:g} mm", 1, "as measured; it is not printed")),
        summary=f"{what} drawn tight round a tube of {p.diameter:g} mm by {screws} M{p.screw:g}. The tube slides at "
                f"{plan.slides(p.torque):.0f} N after a year; {plan.gap_left(p.torque):.1f} mm are left between the lugs.")


def _nut_rulers(plan: Plan) -> tuple[Ruler, ...]:
    """The allowance of pressed nuts, as a ruler of its own."""
    if plan.pocket is None:
        return ()
    return (Ruler("allowance", "allowance across the nuts' flats", "allowance", -0.4, 0.8, "mm",
                  f"{plan.pocket.nut.size}, pressed", plan.p.allowance,
                  lambda allowance: plan.pressed(allowance).spread, NESTED),)


KIND = Kind(
    id="tube-clamp",
    title="Tube clamp",
    summary="Two halves or a split ring that screws draw tight round a tube.",
    tasks=(HOLD,),
    answers={"load": Answer("along", figure="slides_at"),
             "torque": Answer("twist", figure="turns_at"), "size": Answer("diameter")},
    params=TubeClampParams,
    solve=solve,
    questions=(
        Question("What does it hold on to?", ("diameter", "form", "foot", "backing")),
        Question("What must it stand?", ("along", "twist")),
        Question("Which screws, and how tight?", ("screw", "screws", "torque", "hole", "nuts", "allowance")),
        Question("How thick is it?", ("wall", "width", "ear", "fillet")),
        Question("How much room is there?", ("gap", "clearance", "loops")),
    ),
    recommend="torque",
    test_piece={"backing": 1},
    cautions=("Nothing that people hang on or under: plastic under screws creeps, and what was tight slips in a year.",
              "Tighten by feel and stop early: lugs crack without warning, and pieces fly.",
              "Estimates for filament prints; material values are typical, from memory, until you put in your own."),
    outcomes=SNAPPED,
    sides={"clamp": "what the clamp stands on", "cap": "the other half"},
    variant="form",
    tuning=Tuning(sizes=("torque", "ear", "width", "wall", "screws", "gap", "fillet")),
)
