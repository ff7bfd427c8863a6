"""Screw boss: a screw's hole with a recess for its head, a boss, a thread the screw forms, or an insert set by heat."""

from __future__ import annotations

from bouncy_latch.core.layers.likelihood import OfTerm
from bouncy_latch.core.mechanisms.bosses import judged
from bouncy_latch.core.mechanisms.bosses.plan import Plan, refuse_what_cannot_be
from bouncy_latch.core.mechanisms.bosses.shape import Drawn
from bouncy_latch.core.mechanisms.bosses.sizes import FORMING, INSERT, ScrewBossParams
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
    Vector,
)
from bouncy_latch.core.mechanisms.contract.answer import DAILY
from bouncy_latch.core.outcomes import SCREWED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.standards import lengths, tables


def solve(params: ScrewBossParams, process: Process) -> Solution:
    """Work out a screw's hole for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no hole.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    refuse_what_cannot_be(plan)
    drawn = Drawn(plan)
    motion = drawn.motion()

    def draw() -> Shape:
        r = plan.hole / 2
        # Where the section is cut: walls along it, and what carries the head.
        callouts = [Callout(f"⌀ {plan.hole:.2f}", (0, -r, plan.top), (0, r, plan.top)),
                    *(Callout(f"wall {outside - inside:.1f}", (0, inside, z), (0, outside, z), cut=True)
                      for inside, outside, z in plan.walls)]
        if plan.sunk:
            under = -(r + plan.head) / 2
            callouts.append(Callout(f"under the head {plan.top - plan.sunk:.1f}", (0, under, plan.sunk), (0, under, plan.top),
                                    cut=True))
        views = (SectionView("through the axis", motion.high, 0.0, (-plan.out - 1, -1, plan.out + 1, plan.top + 1)),)
        return Shape(drawn.bodies(), drawn.features(), tuple(callouts), views,
                     region=(-plan.out, -plan.out, 0.0, plan.out, plan.out, plan.top))

    length = lengths.at_least(plan.row.diameter, plan.top - plan.sunk + 6 if plan.through else plan.engaged + 3)
    bought = [Bought(f"screw {p.screw} × {length:g}", 1, "what it is screwed to is taken for 3 to 6 mm")]
    if p.core == INSERT:
        wide, long = plan.insert
        bought.append(Bought(f"heat-set insert {p.screw}", 1, f"{wide:g} wide, {long:g} long; measure yours"))
    notes = [("Wall lines", f"{max(process.loops, 4)} or more, so that the boss is solid"), ("Lay", "as exported: head down")]
    return Solution(
        kind=KIND.id, params=params, process=process, derived=judged.derived(plan), checks=judged.checks(plan),
        aim=Aim("goes-in", plan.chance, "comes out as asked", "fits", both=plan.chance),
        rulers=(Ruler("allowance", "allowance of the hole", "allowance", -0.3, 0.8, "mm", f"{p.screw}, {p.core}", p.allowance,
                      lambda allowance: _spread(plan, allowance), SCREWED),),
        motions=(motion,), draw=draw, likelihood=OfTerm("boss", process.boss, plan.by_boss, SCREWED),
        notes=tuple(notes), bought=tuple(bought),
        summary=judged.summary(plan))


def _spread(plan: Plan, allowance: float) -> tuple[float, ...]:
    facts = ScrewBossParams.facts()["allowance"]
    return Plan(plan.p.changed(allowance=min(max(allowance, facts.low), facts.high)), plan.process).spread


def _piece(params: ScrewBossParams) -> dict[str, float]:
    """The same hole in a thin plate, without its boss."""
    row = tables.screws()[params.screw]
    return {"boss": 0, "wall": min(params.wall, 2.0), "plate": round(row.head_height + params.hide + 1.6, 1),
            "fillet": min(params.fillet, 0.5)}


def _label(solution: Solution) -> Vector:
    """Where the step is engraved: on the plate, beside the hole."""
    plan = Plan(solution.params, solution.process)  # type: ignore[arg-type]
    return 0.0, -(plan.hole / 2 + plan.out) / 2, plan.p.plate


KIND = Kind(
    id="screw-boss",
    title="Screw boss",
    summary="A screw's hole with a recess for its head, a boss, a thread it forms for itself, or an insert set by heat.",
    tasks=(HOLD, JOIN),
    answers={"load": Answer("hold", figure="pull"), "effort": Answer(), "direction": Answer(),
             "opened": Answer(refuses={DAILY: "a screw cut into plastic wears its thread out"})},
    params=ScrewBossParams,
    solve=solve,
    questions=(
        Question("Which screw, and what does the hole do?", ("screw", "core", "fit")),
        Question("What hides its head?", ("head", "hide", "bridge")),
        Question("How tall is the boss?", ("plate", "boss", "wall", "fillet")),
        Question("What must it hold?", ("hold", "allowance")),
    ),
    recommend="allowance",
    clearance="",
    test_piece=_piece,
    sides={"boss": "the part the boss stands on"},
    seats={"boss": SeatRule("+z", "plate")},
    cautions=("Drilling or pushing out a bridge: wear eye protection, hold the part in a vice, not in the hand.",
              "Setting inserts: a soldering iron burns, and hot plastic gives off fumes; air the room.",
              "Nothing that people hang on or under: plastic under screws creeps."),
    ladder=LadderPiece({"core": FORMING, "boss": 0, "plate": 8, "wall": 4}, _label),
    outcomes=SCREWED,
    variant="core",
)
