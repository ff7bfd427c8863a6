"""Peg and hole: a round peg that is pressed, snug or slides in the hole of another part; plain, or with crush ribs.

Drawn as printed: the peg stands on its block along z, the part with the hole lies beside it with both mouths of the hole open.
"""

from __future__ import annotations

import math

from bouncy_latch.core.layers.likelihood import OfTerm
from bouncy_latch.core.mechanisms.contract import (
    HOLD,
    JOIN,
    MESHES,
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
    Tuning,
    Vector,
)
from bouncy_latch.core.mechanisms.contract.answer import DAILY, SIDEWAYS
from bouncy_latch.core.mechanisms.fits import judged
from bouncy_latch.core.mechanisms.fits.plan import Plan, refuse_what_cannot_be
from bouncy_latch.core.mechanisms.fits.sizes import PLAIN, PRESS, SLIDES, PegAndHoleParams
from bouncy_latch.core.outcomes import FELT
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import polygon

BESIDE = 5.0
"""Free bed between the two parts, mm."""
BITES = 0.05
"""How far a rib reaches into the peg that it stands on, mm."""


def peg(plan: Plan) -> tree.Solid:
    """Return the peg on its block, bevelled at its tip, with its ribs."""
    p, r, low = plan.p, plan.radius, plan.p.backing
    top = low + p.length
    body: tree.Solid = tree.Revolve(polygon([(0.0, low - 0.1), (r, low - 0.1), (r, top - p.lead), (r - p.lead, top), (0.0, top)]
                                            if p.lead > 0 else [(0.0, low - 0.1), (r, low - 0.1), (r, top), (0.0, top)]))
    if not plan.ribbed:
        return body
    # A rib leaves off below the bevel, which it would stand out of; the first one lies in the section.
    reach, end = r + p.rib, top - max(p.lead, p.rib)
    foot = r * math.cos(p.rib / r) - BITES
    flat = polygon([(foot, -p.rib - BITES), (reach, 0.0), (foot, p.rib + BITES)])
    one = tree.Extrude(flat, end - low + 0.1).move(z=low - 0.1)
    return tree.union([body, *(one.placed(tree.turn_about((0.0, 0.0, 1.0), (0.0, 0.0, 0.0), 2 * math.pi * i / p.ribs + math.pi / 2))
                               for i in range(p.ribs))])


def hole(plan: Plan) -> tree.Solid:
    """Return the hole with a bevel at both mouths."""
    p, r = plan.p, plan.hole
    if p.lead <= 0:
        return tree.cylinder(r, p.length + 2).move(z=-1)
    return tree.Revolve(polygon([(0.0, -1.0), (r + p.lead + 1, -1.0), (r, p.lead), (r, p.length - p.lead),
                                 (r + p.lead + 1, p.length + 1), (0.0, p.length + 1)]))


def solve(params: PegAndHoleParams, process: Process) -> Solution:
    """Work out a peg and its hole for the effective ``process``.

    Raises:
        SolveError: when the parameters describe none.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    refuse_what_cannot_be(plan)
    out = plan.out
    aside: tree.Matrix = tree.moved_to(2 * out + BESIDE, 0.0, 0.0)

    def draw() -> Shape:
        r = plan.radius
        top = p.backing + p.length
        callouts = (Callout(f"⌀ {p.diameter:g} in {2 * plan.hole:.2f}", (0, -r, top), (0, r, top)),
                    Callout(f"length {p.length:g}", (0, r, p.backing), (0, r, top)))
        bodies = (Body("A", "peg", blocks.block(-out, -out, out, out, p.backing)),
                  Body("B", "hole", blocks.block(-out, -out, out, out, p.length), aside))
        views = (SectionView("put together", p.length, 0.0, (-out - 1, -1, out + 1, p.backing + p.length + 1)),
                 SectionView("half way in", p.length / 2, 0.0))
        return Shape(bodies, (Feature("peg", "A", add=peg(plan)), Feature("hole", "B", cut=hole(plan))), callouts, views,
                     region=(-out, -out, p.backing, out, out, p.backing + p.length))

    def pose(value: float) -> dict[str, tree.Matrix]:
        return {"B": tree.compose(tree.moved_to(0.0, 0.0, p.backing + p.length - value), tree.invert(aside))}

    motion = Motion("Press in" if p.fit == PRESS else "Slide in", "mm", 0.0, p.length, None, p.length, pose, MESHES,
                    (("A", "B"),), mend=("clearance",), freely="Peg goes into its hole", slack=50.0,
                    gives=max(plan.rib - p.clearance, -p.clearance, 0.0) + 0.03)
    return Solution(
        kind=KIND.id, params=params, process=process, derived=judged.derived(plan), checks=judged.checks(plan),
        aim=Aim("fits", plan.chance, "fits as asked", "fits", both=plan.chance),
        rulers=(Ruler("clearance", "clearance of the hole", "clearance", -0.1, 0.6, "mm", f"⌀ {p.diameter:g}, {p.fit}",
                      p.clearance, lambda clearance: _spread(plan, clearance), FELT),),
        motions=(motion,), draw=draw, likelihood=OfTerm("fit", process.fit, plan.by_fit, FELT),
        notes=(("Wall lines", f"{max(process.loops, 3)} or more round the hole"), ("Lay", "as exported: peg and hole upright")),
        summary=judged.summary(plan))


def _spread(plan: Plan, clearance: float) -> tuple[float, ...]:
    facts = PegAndHoleParams.facts()["clearance"]
    return Plan(plan.p.changed(clearance=min(max(clearance, facts.low), facts.high)), plan.process).spread


def _piece(params: PegAndHoleParams) -> dict[str, float]:
    """The same fit on less plastic: a thin foot, and no more wall than the lead-in needs."""
    return {"backing": 2, "wall": min(params.wall, max(1.6, round(1.25 * params.lead + 0.05, 2)))}


def _label(solution: Solution) -> Vector:
    """Where the step is engraved: on the block, beside the peg."""
    plan = Plan(solution.params, solution.process)  # type: ignore[arg-type]
    return 0.0, -(plan.radius + plan.rib + plan.out) / 2, plan.p.backing


KIND = Kind(
    id="peg-and-hole",
    title="Peg and hole",
    summary="A round peg that is pressed, snug or slides in the hole of another part; crush ribs swallow printer error.",
    tasks=(JOIN, TURN, HOLD),
    answers={"load": Answer("hold", figure="held"), "effort": Answer("push", figure="push"), "play": Answer(figure="play"),
             "size": Answer("diameter"), "opened": Answer(sets={DAILY: {"fit": SLIDES, "surface": PLAIN, "clearance": 0.27}}),
             "direction": Answer(refuses={SIDEWAYS: "its hold is worked out along the peg; the figure “peg shears off at” is a "
                                                    "bound, no verdict"})},
    params=PegAndHoleParams,
    solve=solve,
    questions=(
        Question("How should the peg sit?", ("fit", "push", "hold")),
        Question("How large is it?", ("diameter", "length", "wall")),
        Question("What helps it in?", ("clearance", "surface", "ribs", "rib", "lead")),
    ),
    recommend="clearance",
    test_piece=_piece,
    sides={"peg": "the part the peg stands on", "hole": "the part with the hole"},
    seats={"peg": SeatRule("+z"), "hole": SeatRule("+z", "length")},
    cautions=("A pressed fit lets go without warning as plastic creeps: nothing that people hang on or under.",
              "Tap a tight peg with a soft mallet, the part held in a vice and not in the hand; wear eye protection."),
    ladder=LadderPiece({"backing": 2, "wall": 2.4}, _label),
    outcomes=FELT,
    variant="fit",
    tuning=Tuning(sizes=("clearance", "length", "wall", "rib"), alternatives=(("surface", "crush ribs"),)),
)
