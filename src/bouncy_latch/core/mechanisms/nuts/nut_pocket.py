"""Nut pocket: a bought nut pressed, dropped, slid or pulled in, or sealed in while the print waits."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from bouncy_latch.core.layers.likelihood import OfTerm
from bouncy_latch.core.mechanisms.contract import (
    HOLD,
    JOIN,
    Aim,
    Answer,
    Bought,
    Callout,
    Kind,
    LadderPiece,
    Question,
    Ruler,
    SeatRule,
    SectionView,
    Shape,
    Solution,
    StudyTrial,
    Tried,
    Vector,
)
from bouncy_latch.core.mechanisms.nuts import judged
from bouncy_latch.core.mechanisms.nuts.plan import Plan, refuse_what_cannot_be
from bouncy_latch.core.mechanisms.nuts.shape import Drawn
from bouncy_latch.core.mechanisms.nuts.sizes import OWN, NutPocketParams
from bouncy_latch.core.outcomes import NESTED
from bouncy_latch.core.process.profile import Process

if TYPE_CHECKING:
    from bouncy_latch.core.virtual.printer import VirtualPrinter


def solve(params: NutPocketParams, process: Process) -> Solution:
    """Work out a nut's pocket for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no pocket.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    refuse_what_cannot_be(plan)
    drawn = Drawn(plan)
    motion = drawn.motion()

    def draw() -> Shape:
        half = plan.drawn / 2
        z = drawn.top + p.floor if not plan.lies else drawn.under + drawn.over
        callouts = (Callout(f"{plan.nut.size} + {p.allowance:.2f}", (0, -half, z), (0, half, z)),) if not plan.lies else (
            Callout(f"{plan.nut.size} + {p.allowance:.2f}", (-half, 0, z), (half, 0, z)),)
        box = (-drawn.out, -drawn.out, 0.0, drawn.out, drawn.out, z)
        views = (SectionView("through the screw's axis", motion.high, 0.0, (-drawn.out - 1, -1, drawn.out + 1, z + 1)),)
        return Shape(drawn.bodies(), drawn.features(), callouts, views, region=box, hidden=plan.sealed,
                     solid=(("solid-under-nut", drawn.solid_under()),))

    name = plan.nut.size if plan.nut.size != "own" else f"{plan.nut.flats_max:g} across flats"
    notes = [("Under the nut", "solid, 3 layers, 1 mm round it (a region in the 3MF): no solid skin everywhere"),
             ("Lay", "as exported" + (": the bore lies, its octagon needs no support" if plan.lies else "")),
             ("Wall lines", f"{max(process.loops, 3)} or more")]
    return Solution(
        kind=KIND.id, params=params, process=process, derived=judged.derived(plan), checks=judged.checks(plan),
        aim=Aim("nut-fits", plan.chance, "fits as asked", "fits", needs=("no-spin",), both=plan.firm, least=plan.least),
        rulers=(Ruler("allowance", "allowance across flats", "allowance", -0.4, 0.8, "mm", f"{name}, {p.style}",
                      p.allowance, lambda allowance: _spread(plan, allowance), NESTED,
                      sides=lambda allowance: _sides(plan, allowance)),),
        motions=(motion,), draw=draw, likelihood=OfTerm("pocket", process.pocket, plan.by_pocket, NESTED),
        notes=tuple(notes), pauses=drawn.pauses(),
        bought=(Bought(f"nut {name}", 1, plan.nut.source),
                Bought(f"screw M{plan.nut.diameter:g} × {judged.screw(plan):g}", 1, "the length that fits")),
        summary=judged.summary(plan))


def _spread(plan: Plan, allowance: float) -> tuple[float, ...]:
    facts = NutPocketParams.facts()["allowance"]
    return Plan(plan.p.changed(allowance=min(max(allowance, facts.low), facts.high)), plan.process).spread


def _sides(plan: Plan, allowance: float) -> tuple[float, float]:
    """Chances that it goes in as asked or more easily, and that it is held as asked and does not rattle."""
    facts = NutPocketParams.facts()["allowance"]
    other = Plan(plan.p.changed(allowance=min(max(allowance, facts.low), facts.high)), plan.process)
    looser = sum(other.spread[plan.wanted + 1:])
    return sum(other.spread[plan.wanted:]), 1 - looser - (other.chance - other.firm)


def _label(solution: Solution) -> Vector:
    """Where the step is engraved: beside the pocket's mouth."""
    plan = Plan(solution.params, solution.process)  # type: ignore[arg-type]
    drawn = Drawn(plan)
    return 0.0, -(plan.corner + drawn.out) / 2, plan.p.floor + drawn.top


def _tried(solution: Solution, printer: VirtualPrinter, rng: Any) -> Tried:
    """What a hand finds of a print on a stand-in; what that takes is loaded when it is asked for."""
    from bouncy_latch.core.mechanisms.nuts.trial import tried

    return tried(solution, printer, rng)


KIND = Kind(
    id="nut-pocket",
    title="Nut pocket",
    summary="A bought nut that is pressed, dropped, slid or pulled in, or sealed in while the print waits.",
    tasks=(HOLD, JOIN),
    answers={"load": Answer("hold", figure="pull"), "effort": Answer(figure="push")},
    params=NutPocketParams,
    solve=solve,
    questions=(
        Question("Which nut?", ("nut", "shape", "diameter", "flats", "thickness", "differs")),
        Question("How does it go in?", ("style", "lying")),
        Question("What must it hold?", ("hold", "floor", "wall")),
        Question("How is it closed?", ("closed", "roof", "bump", "bore", "fit")),
    ),
    recommend="allowance",
    clearance="",
    test_piece={"wall": 2, "floor": 1},
    sides={"pocket": "the part the nut is in"},
    seats={"pocket": SeatRule("+z", "floor")},
    cautions=("Putting a nut into a paused print: the nozzle is hot, and axes may move without warning.",
              "While the machine waits motors may time out, and a cooling bed lets parts go; be there, and be quick.",
              "Nothing that people hang on or under: plastic under screws creeps."),
    ladder=LadderPiece({"wall": 3, "floor": 1}, _label, beside=2),
    outcomes=NESTED,
    variant="style",
    takes=lambda piece: {"nut": OWN, "shape": piece.shape, "diameter": piece.diameter, "flats": max(piece.flats),
                         "thickness": max(piece.height), "differs": piece.differs},
    study=StudyTrial(designs=(("nut pressed", {"nut": "M5"}), ("nut dropped", {"nut": "M5", "style": "dropped",
                                                                               "allowance": 0.25})), tried=_tried),
)
