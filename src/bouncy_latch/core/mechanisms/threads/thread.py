"""Thread: a printed bolt and its nut, a cap on its neck, a threaded hole, a knob; both parts from one definition."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from bouncy_latch.core.layers.likelihood import OfTerm
from bouncy_latch.core.mechanisms.contract import (
    CLOSE,
    JOIN,
    Aim,
    Answer,
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
from bouncy_latch.core.mechanisms.threads import judged
from bouncy_latch.core.mechanisms.threads.plan import Plan, refuse_what_cannot_be
from bouncy_latch.core.mechanisms.threads.shape import Drawn
from bouncy_latch.core.mechanisms.threads.sizes import LOBED, ThreadParams
from bouncy_latch.core.outcomes import SCREWED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.standards import tables

if TYPE_CHECKING:
    from bouncy_latch.core.virtual.printer import VirtualPrinter


def solve(params: ThreadParams, process: Process) -> Solution:
    """Work out a thread for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no thread.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    refuse_what_cannot_be(plan)
    drawn = Drawn(plan)
    motion = drawn.motion()
    spread = plan.screwed.spread
    runs = float(spread[2] + spread[3])

    def draw() -> Shape:
        low, high = drawn.seat
        crest, root = plan.outer[1], plan.inner[1]
        callouts = (Callout(f"⌀ {plan.form.diameter:g}", (-crest, 0, drawn.top), (crest, 0, drawn.top)),
                    Callout(f"pitch {plan.form.pitch:g}", (crest, 0, drawn.begins + 1),
                            (crest, 0, drawn.begins + 1 + plan.form.pitch)))
        # What remains between the flanks is a tenth of a millimetre: the section says it beside the place.
        left, middle = float(plan.screwed.left(plan.screwed.pairs[0], process.growth.mean)), plan.form.middle
        place = (0, middle, (max(low, drawn.begins) + high) / 2)
        flank = Callout(f"left at a flank {left:.2f}", place, (0, middle + 0.05, place[2]), cut=True)
        box = (-root, -root, low, root, root, high)
        views = (SectionView("through the axis, tight", motion.high, 0.0, (-root - 2, low - 1, root + 2, high + 1)),)
        return Shape(drawn.bodies(), drawn.features(), (*callouts, flank), views, region=box)

    return Solution(
        kind=KIND.id, params=params, process=process, derived=judged.derived(plan), checks=judged.checks(plan),
        aim=Aim("runs", runs, "runs by hand", "runs", needs=("flank-gap",), both=runs),
        rulers=(Ruler("offset", "thread offset", "offset", -0.05, 0.6, "mm",
                      f"{process.layer_height:.2f} layers, {math.degrees(plan.form.overhang):.0f}° flanks", p.offset,
                      lambda offset: _chances(plan, offset), SCREWED, sides=lambda offset: _sides(plan, offset)),),
        motions=(motion,), draw=draw, likelihood=OfTerm("flank", process.flank, plan.screwed.by_flank, SCREWED),
        notes=(("Wall lines", f"{max(process.loops, 3)} or more, round the core and in the nut"),
               ("Lay", "as exported: the axis upright"), ("Layer height", f"{process.layer_height:g} mm or less"),
               ("Material", process.plastic.name)),
        summary=judged.summary(plan))


def _spread(plan: Plan, offset: float) -> tuple[float, ...]:
    facts = ThreadParams.facts()["offset"]
    other = Plan(plan.p.changed(offset=min(max(offset, facts.low), facts.high)), plan.process)
    return tuple(float(part) for part in other.screwed.spread)


def _chances(plan: Plan, offset: float) -> tuple[float, ...]:
    return _spread(plan, offset)


def _sides(plan: Plan, offset: float) -> tuple[float, float]:
    """Chances that fingers turn it, and that it does not wobble."""
    will_not, wrench, _, _, wobbles = _spread(plan, offset)
    return 1 - will_not - wrench, 1 - wobbles


def _piece(params: ThreadParams) -> dict[str, float]:
    """Some turns of the same thread."""
    named = tables.threads().get(params.size)
    length = round(max(4 * (named.pitch if named else params.pitch) * params.starts, 5.0), 1)
    return {"length": length, "engaged": min(length, params.engaged or length)}


def _label(solution: Solution) -> Vector:
    """Where the step is engraved: on the block, beside its hole."""
    plan = Plan(solution.params, solution.process)  # type: ignore[arg-type]
    return 0.0, -plan.drawn_flats / 4, plan.head


def _tried(solution: Solution, printer: VirtualPrinter, rng: Any) -> Tried:
    """What a hand finds of a print on a stand-in; what that takes is loaded when it is asked for."""
    from bouncy_latch.core.mechanisms.threads.trial import tried

    return tried(solution, printer, rng)


KIND = Kind(
    id="thread",
    title="Thread",
    summary="A printed screw and what it goes into: bolt and nut, cap and neck, threaded hole, knob.",
    tasks=(JOIN, CLOSE),
    answers={"load": Answer("hold", figure="strip"), "effort": Answer()},
    params=ThreadParams,
    solve=solve,
    questions=(
        Question("What is screwed into what?", ("product", "head", "hand")),
        Question("Which thread?", ("size", "diameter", "pitch", "profile", "flank", "gap", "starts")),
        Question("How long is it?", ("length", "engaged")),
        Question("What must it hold?", ("hold", "flats", "wall")),
    ),
    recommend="offset",
    clearance="offset",
    test_piece=_piece,
    sides={"outer": "what the outer thread stands on", "inner": "what the inner thread is in"},
    seats={"outer": SeatRule("+z"), "inner": SeatRule("+z")},
    cautions=("Nothing that people hang on or under: printed threads strip without warning, and what is tight creeps loose.",
              "Not for gas, pressure or drinking water.",
              "Estimates for filament prints; material values are typical, from memory, until you put in your own."),
    ladder=LadderPiece({"head": LOBED}, _label, shared=("B",), beside=1),
    outcomes=SCREWED,
    variant="product",
    study=StudyTrial(designs=(("bolt and nut", {"size": "M8", "length": 12}),), tried=_tried),
)

