"""Split pin: what is refused, and the kind. What it is made of is in ``snapping/plans/split_pin``."""

from __future__ import annotations

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.arm import refuse_short
from bouncy_latch.core.flex.bars import bars
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import JOIN, Callout, Derived, Kind, Question, Solution, Tuning
from bouncy_latch.core.mechanisms.snaps import pressing
from bouncy_latch.core.mechanisms.snaps.fields import ANSWERS, CAUTIONS, questions
from bouncy_latch.core.mechanisms.snaps.plans.split_pin import SplitPinParams, SplitPinPlan
from bouncy_latch.core.mechanisms.snaps.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


def _refuse_what_cannot_be(plan: SplitPinPlan) -> None:
    p = plan.p
    if plan.slot >= plan.pin - 2 * plan.process.line_width:
        raise SolveError(f"a slot of {plan.slot:.2f} mm leaves no arms of a {plan.pin:.2f} mm pin", field="slot",
                         value=p.slot, limit=round(p.pin - 2 * plan.process.line_width / p.scale, 2))
    if 2 * plan.undercut > plan.slot:
        raise SolveError(f"two bumps of {plan.undercut:.2f} mm cannot be pinched into a slot of {plan.slot:.2f} mm",
                         field="undercut", value=p.undercut, limit=p.slot / 2)
    if plan.foot - plan.root <= 0.5:
        raise SolveError(f"the wall ({plan.grip:.2f} mm with its boss) is too thin for arms behind a middle of "
                         f"{2 * plan.root:.2f} mm: add a boss", field="boss", value=p.boss)
    refuse_short(plan.arm(0.0), "boss")


def solve(params: SplitPinParams, process: Process) -> Solution:
    """Work out a split pin for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no pin, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = SplitPinPlan(params, process), params
    _refuse_what_cannot_be(plan)
    snap = plan.snap
    arm = plan.printed_arm
    bow = Bow.of(arm, snap.way.states)
    root = (plan.root, (plan.pin - plan.thickness) / 2)

    def bends(lowered: float) -> dict[str, Warp]:
        return {"A": pressing.in_plane(pressing.arms(bow, lowered, root), lambda points: points[:, 0] > plan.root, plan.laid)}

    at = [tree.moved_point(plan.laid, point) for point in
          ((plan.root, -plan.pin / 2 - 2, plan.depth), (plan.foot, -plan.pin / 2 - 2, plan.depth),
           (-plan.tail - 1, -plan.pin / 2, plan.depth), (-plan.tail - 1, plan.pin / 2, plan.depth))]
    seats = plan.seats()
    look = Look(plan.draw, seats[0], lying_along(p.layers), bends,
                  (Callout(f"arm {plan.foot - plan.root:.1f}", at[0], at[1]), Callout(f"pin {plan.pin:g}", at[2], at[3])),
                  still={"C": seats[1]},
                  section=middle_of(p.layers, plan.depth), roots=(plan.roots,),
                bars=lambda: bars(arm.nodes, arm.areas, tree.compose(plan.laid, tree.moved_to(*root, plan.depth / 2))))
    mends = Mends(("slot", "undercut", "boss"), ("return_angle", "undercut", "depth"), ("slot", "lead_angle", "scale"))
    what = f"Two arms {plan.foot - plan.root:.1f} mm long and {plan.thickness:.2f} mm thick pinch at each end."
    own = (
        Derived("arm_length", "arm", plan.foot - plan.root, "mm", "wall + boss + seat gap − middle / 2", "you"),
        Derived("arm_thickness", "arm thickness", plan.thickness, "mm", "(pin − slot) / 2", "you"),
        Derived("thumb", "of a thumb's push", 100 * snap.insertion / p.push, "%", "push to close / push at most",
                "you"),
    )
    return solution(KIND.id, snap, look, mends, what=what, bend="undercut", force="scale", derived=own)


KIND = Kind(
    id="split-pin",
    title="Split pin",
    force="snap_force",
    summary="A pin with split ends that joins two plates through two identical holes.",
    tasks=(JOIN,),
    answers=ANSWERS,
    params=SplitPinParams,
    solve=solve,
    questions=questions(
        Question("How thick are the plates, and how large is the pin?", ("wall", "backing", "scale", "pin", "depth")),
        Question("What do the ends look like?", ("slot", "undercut", "lead_angle", "return_angle", "boss", "entry")),
    ),
    recommend="slot",
    test_piece={"backing": 8},
    cautions=CAUTIONS,
    outcomes=SNAPPED,
    sides={"plate": "each plate, where the pin goes through"},
    tuning=Tuning(sizes=("slot", "undercut", "return_angle", "boss", "depth", "lead_angle", "clearance", "seat_gap")),
)
