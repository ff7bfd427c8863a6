"""What fits share: how a peg or plug and its hole are drawn, put together and made a solution of.

Drawn as printed: what goes in stands on its block along z, the part with the hole lies beside it with both mouths open.
"""

from __future__ import annotations

import math

from bouncy_latch.core.layers.likelihood import OfTerm
from bouncy_latch.core.mechanisms.contract import MESHES, Aim, Callout, Motion, Ruler, SectionView, Shape, Solution, Vector
from bouncy_latch.core.mechanisms.fits import judged
from bouncy_latch.core.mechanisms.fits.plan import Plan, refuse_what_cannot_be
from bouncy_latch.core.mechanisms.fits.sizes import PRESS, FitParams
from bouncy_latch.core.outcomes import FELT
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import polygon

BESIDE = 5.0
"""Free bed between the two parts, mm."""
BITES = 0.05
"""How far a rib reaches into what it stands on, mm."""


def inserted(plan: Plan) -> tree.Solid:
    """Return what goes in, on its block, bevelled at its tip, with its ribs."""
    p, form, low = plan.p, plan.form, plan.p.backing
    top, r = low + p.length, form.radius
    levels = [(form, low - 0.1), (form, top - p.lead), (form.widened(-p.lead), top)] if p.lead > 0 else \
        [(form, low - 0.1), (form, top)]
    body: tree.Solid = tree.Loft(tuple((each.outline(), z) for each, z in levels))
    if not plan.ribbed:
        return body
    # A rib leaves off below the bevel, which it would stand out of; the first one lies in the section.
    reach, end = r + p.rib, top - max(p.lead, p.rib)
    foot = (r * math.cos(p.rib / r) if math.isfinite(form.corner) else r) - BITES
    flat = polygon([(foot, -p.rib - BITES), (reach, 0.0), (foot, p.rib + BITES)])
    one, turn = tree.Extrude(flat, end - low + 0.1).move(z=low - 0.1), 2 * math.pi / p.ridges
    return tree.union([body, *(one.placed(tree.turn_about((0.0, 0.0, 1.0), (0.0, 0.0, 0.0), turn * i + math.pi / 2))
                               for i in range(p.ridges))])


def hole(plan: Plan) -> tree.Solid:
    """Return the hole with a bevel at both mouths."""
    p, form = plan.p, plan.hole
    if p.lead <= 0:
        return tree.Extrude(form.outline(), p.length + 2).move(z=-1)
    wide = form.widened(p.lead + 1)
    levels = ((wide, -1.0), (form, p.lead), (form, p.length - p.lead), (wide, p.length + 1))
    return tree.Loft(tuple((each.outline(), z) for each, z in levels))


def solution(kind_id: str, params: FitParams, process: Process, name: str, about: str) -> Solution:
    """Return the solution of a fit.

    Args:
        name: of what goes in. about: its size in a few words.

    Raises:
        SolveError: when the parameters describe none.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    refuse_what_cannot_be(plan)
    out = plan.out
    aside: tree.Matrix = tree.moved_to(2 * out + BESIDE, 0.0, 0.0)

    def draw() -> Shape:
        r, top = plan.form.radius, p.backing + p.length
        callouts = (Callout(f"{about} in {2 * plan.hole.radius:.2f}", (0, -r, top), (0, r, top)),
                    Callout(f"length {p.length:g}", (0, r, p.backing), (0, r, top)))
        bodies = (Body("A", name, blocks.block(-out, -out, out, out, p.backing)),
                  Body("B", "hole", blocks.block(-out, -out, out, out, p.length), aside))
        views = (SectionView("put together", p.length, 0.0, (-out - 1, -1, out + 1, top + 1)),
                 SectionView("half way in", p.length / 2, 0.0))
        return Shape(bodies, (Feature(name, "A", add=inserted(plan)), Feature("hole", "B", cut=hole(plan))), callouts, views,
                     region=(-out, -out, p.backing, out, out, top))

    def pose(value: float) -> dict[str, tree.Matrix]:
        return {"B": tree.compose(tree.moved_to(0.0, 0.0, p.backing + p.length - value), tree.invert(aside))}

    motion = Motion("Press in" if p.fit == PRESS else "Slide in", "mm", 0.0, p.length, None, p.length, pose, MESHES,
                    (("A", "B"),), mend=("clearance",), freely=f"{name.capitalize()} goes into its hole", slack=50.0,
                    gives=max(plan.rib - p.clearance, -p.clearance, 0.0) + 0.03)
    return Solution(
        kind=kind_id, params=params, process=process, derived=judged.derived(plan), checks=judged.checks(plan),
        aim=Aim("fits", plan.chance, "fits as asked", "fits", both=plan.chance),
        rulers=(Ruler("clearance", "clearance of the hole", "clearance", -0.1, 0.6, "mm", f"{about}, {p.fit}",
                      p.clearance, lambda clearance: _spread(plan, clearance), FELT),),
        motions=(motion,), draw=draw, likelihood=OfTerm("fit", process.fit, plan.by_fit, FELT),
        notes=(("Wall lines", f"{max(process.loops, 3)} or more round the hole"), ("Lay", "as exported: both upright")),
        summary=judged.summary(plan))


def _spread(plan: Plan, clearance: float) -> tuple[float, ...]:
    facts = type(plan.p).facts()["clearance"]
    return Plan(plan.p.changed(clearance=min(max(clearance, facts.low), facts.high)), plan.process).spread


def piece(params: FitParams) -> dict[str, float]:
    """Return the same fit on less plastic: a thin foot, and no more wall than the lead-in needs."""
    return {"backing": 2, "wall": min(params.wall, max(1.6, round(1.25 * params.lead + 0.05, 2)))}


def label(solution: Solution) -> Vector:
    """Return where a ladder's step is engraved: on the block, beside what stands on it."""
    plan = Plan(solution.params, solution.process)  # type: ignore[arg-type]
    return 0.0, -(plan.form.radius + plan.rib + plan.out) / 2, plan.p.backing
