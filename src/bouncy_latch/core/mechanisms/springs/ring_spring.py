"""Ring spring: zig-zags or leaves round a ring that carry a middle, a cushion in its plane or a button out of it."""

from __future__ import annotations

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.mechanisms.contract import SPRING, Callout, Derived, Kind, Question, SectionView, Shape, Solution, Tuning
from bouncy_latch.core.mechanisms.springs import spring
from bouncy_latch.core.mechanisms.springs.carried import Button
from bouncy_latch.core.mechanisms.springs.framed import NOTHING
from bouncy_latch.core.mechanisms.springs.ringed import BUTTON, CUSHION, ZIGZAGS, Plan, RingSpringParams
from bouncy_latch.core.mechanisms.springs.sizes import ANSWERS, CAUTIONS
from bouncy_latch.core.outcomes import SPRUNG
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process

LAYERS_BEAR = 0.577
"""Shear over pull that layers stand between them (von Mises, 1/√3)."""


def _refuse_what_cannot_be(plan: Plan) -> None:
    p = plan.p
    if p.inner_radius + 4 * p.thickness > plan.bore:
        raise SolveError(f"between a middle of {p.inner_radius:g} and a ring of {plan.bore:g} mm there is no room for arms",
                         field="outer_radius", value=p.outer_radius, limit=round(p.inner_radius + p.wall + 5 * p.thickness, 1))
    if plan.gap < 0.05:
        field = "row_length" if p.arm_form == ZIGZAGS else "thickness"
        raise SolveError(f"{p.arms} arms of {p.thickness:g} mm bars find no room from {p.inner_radius:g} to {plan.bore:g} mm",
                         field=field, value=getattr(p, field))
    if plan.lugs and plan.lug_room < 0.1:
        raise SolveError("between its arms there is no room for stops: fewer or narrower arms, or no stop", field="stopped",
                         value=p.stopped)
    if p.action == CUSHION and p.travel > plan.solid_at:
        raise SolveError(f"it is solid at {plan.solid_at:.1f} mm and cannot be shifted by {p.travel:g}", field="travel",
                         value=p.travel, limit=round(0.95 * plan.solid_at, 2))
    if p.action == BUTTON and p.travel > 0.5 * (plan.bore - p.inner_radius):
        raise SolveError(f"arms that bridge {plan.bore - p.inner_radius:.1f} mm are not pushed {p.travel:g} out of their plane",
                         field="travel", value=p.travel, limit=round(0.5 * (plan.bore - p.inner_radius), 1))


def solve(params: RingSpringParams, process: Process) -> Solution:
    """Work out a ring spring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no spring, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p, plastic = Plan(params, process), params, process.plastic
    _refuse_what_cannot_be(plan)
    s = plan.sprung
    longer = ("rows", "row_length", "outer_radius") if p.arm_form == ZIGZAGS else ("outer_radius", "arms")
    button = p.action == BUTTON
    checks = spring.checks(s, {"strain": (*longer, "width" if button else "thickness"), "gap": ("rows", "outer_radius"),
                               "load": ("width", "thickness", "arms")})
    if isinstance(s, Button):
        most = LAYERS_BEAR * plastic.across
        checks.append(Check("layers-hold", "Shear between layers", 100 * s.sheared / most, 50, "%", least=False, stop=100,
                            mend=(*longer, "width"), topic="shape", why="greatest where an arm twists, as a part of what "
                                                                        "splits the layers",
                            basis="twofold on what breaks without warning (common practice, no source)"))
    if plan.stops:
        checks.append(spring.stopped_whole(s, longer, "the middle"))
    if plan.lugs:
        checks.append(Check("lugs-apart", "Stops clear of the arms", plan.lug_room - 2 * process.growth.mean, spring.APART,
                            "mm", mend=("row_length", "arms"), topic="fit", printer=True, why="gap beside the arms, as printed",
                            basis="a tenth (common practice, no source)"))
    if plan.cover:
        checks.append(plan.cover.check(("thickness", "row_length")))
    derived = (*spring.derived(s), *((plan.cover.derived,) if plan.cover else ()),
               Derived("rate_along", "stiffness in its plane", s.along, "N/mm", "frames of all its arms", "geometry"),
               Derived("rate_across", "stiffness out of it", s.across, "N/mm", "arms · grid of one, its end kept level",
                       "geometry"),
               *((Derived("stops_at", "stopped at", plan.stops_at, "mm", "1.1 · travel", "geometry"),) if plan.stops
                 else ()))

    def draw() -> Shape:
        high, half = plan.low + p.width, p.thickness / 2
        callouts = (Callout(f"ring {2 * p.outer_radius:g}", (-p.outer_radius, 0, plan.rim), (p.outer_radius, 0, plan.rim)),
                    Callout(f"bar {p.thickness:g}", (0, plan.bore - 1 - half, high), (0, plan.bore - 1 + half, high)))
        views = (SectionView("drawn", 0.0, plan.low + p.width / 2, axis="z"),
                 SectionView("at its travel", p.travel, plan.low + p.width / 2, axis="z"))
        out = p.outer_radius
        ring = blocks.tube(plan.bore, out, plan.rim)
        return Shape((Body("A", "spring", ring),), (Feature("spring", "A", add=plan.housed()),), callouts, views,
                     hidden=plan.p.around != NOTHING,
                     region=(-out, -out, 0.0, out, out, plan.rim), bends_along=() if button else ((1.0, 0.0, 0.0),))

    label = "Press" if button else "Shift"
    moved = spring.moving(s, label, f"its middle {label.lower()}ed", s.follow, s.strained, ("rows", "outer_radius"),
                          plan.sections)
    notes = (("Use", "lay the rim on what stops it and push from the other side"),) if button and plan.stops else ()
    found = spring.solution(KIND, p, s, f"{p.arms} {p.arm_form}", motions=(moved,), draw=draw, checks=tuple(checks),
                            derived=derived)
    return spring.with_notes(found, notes)


def _piece(params: RingSpringParams) -> dict[str, float]:
    """The same arms in a ring that is just stiff enough to handle."""
    wall = min(params.wall, 1.6)
    return {"wall": wall, "outer_radius": params.outer_radius - params.wall + wall}


KIND = Kind(
    id="ring-spring",
    title="Ring spring",
    force="spring_force",
    summary="Zig-zags or leaves round a ring that carry a middle: a cushion in its plane, or a push button out of it.",
    tasks=(SPRING,),
    answers=ANSWERS,
    params=RingSpringParams,
    solve=solve,
    questions=(
        Question("What must it do?", ("action", "travel", "force", "rate_asked", "energy_asked", "cycles")),
        Question("What room is there?", ("outer_radius", "inner_radius", "wall")),
        Question("What carries it?", ("arm_form", "arms", "rows", "row_length", "stopped", "around")),
        Question("How thick are its bars?", ("thickness", "width", "loops")),
    ),
    recommend="thickness",
    clearance="",
    test_piece=_piece,
    sides={"spring": "the spring itself"},
    cautions=CAUTIONS,
    outcomes=SPRUNG,
    variant="action",
    tuning=Tuning(sizes=("thickness", "width", "row_length", "outer_radius", "rows", "arms", "wall"), trade_off=("rate",
                                                                                                                 "strain")),
)
