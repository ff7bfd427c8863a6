"""Figures and verdicts of a knuckle hinge, and what cannot be."""

from __future__ import annotations

import math

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.layers.breakaway import HAND_FORCE
from bouncy_latch.core.layers.facing import worst_contact_gap
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.mechanisms.hinges.plan import END_MARGIN, Plan
from bouncy_latch.core.parts.box import BOX
from bouncy_latch.core.parts.box import refuse_what_cannot_be as refuse_box
from bouncy_latch.core.parts.leaves import CHAIN

LEAST_WOBBLE, WOBBLES = 0.6, 45.0
"""What a free edge may wobble where nobody said, mm, and the part of its reach that it may (common practice, no source)."""


def derived(plan: Plan) -> tuple[Derived, ...]:
    """Return the figures of a hinge with their formulas."""
    p, process, play = plan.p, plan.process, plan.play
    growth = f"growth {process.growth.mean:.2f} ± {process.growth.sd:.2f} ({process.source})"
    tilts = [f.tilt for f in plan.faces if f.stays]
    barrel_how = "2·wall + fold gap, flush with both inner walls" if p.barrel is None else "set by you"
    free = plan.freeing
    return (
        Derived("barrel", "barrel", 2 * plan.radius, "mm", barrel_how, "you: wall, fold gap"),
        Derived("axis_height", "axis height", plan.axis_height, "mm", "(rim A + rim B + closing gap) / 2",
                "you: heights, closing gap"),
        Derived("knuckle_length", "knuckle length", plan.knuckle_length, "mm",
                "at most 6, and all of them on the straight edge" if p.knuckle_length is None else "set by you",
                "you: edge, knuckles"),
        Derived("hinge_length", "hinge length", plan.hinge_length, "mm", "n·length + (n − 1)·gap", "you"),
        Derived("pivot_radius", "pivot radius", plan.pivot.radius, "mm",
                "barrel radius less two lines round the pocket" if p.pivot_radius is None else "set by you",
                "rule: a wall is two lines"),
        Derived("pivot_depth", "pivot stands proud", plan.pivot.depth, "mm",
                "r_b(1 − cos slope)" if p.pivot == "ball" else "radius·tan slope", "geometry"),
        Derived("leaf_thickness" if p.host != BOX else "rim_height", "rim height", plan.hosts.rims[0], "mm",
                "web and barrel clear the bed by two layers" if p.host != BOX else "base height", "geometry"),
        Derived("weld_free_gap", "weld-free above", worst_contact_gap(tilts, process.layer_height, process.growth.mean),
                "mm", "h·sin θ + 2g·cos θ, worst tilt of barrel and pivot", growth),
        Derived("printed_gap", "printed gap", p.gap - 2 * process.growth.mean, "mm", "gap − 2·growth", growth),
        Derived("breakaway", "breakaway", free.breakaway, "N·mm", "Σ weld area × bond strength × arm", growth),
        Derived("hand_moment", "a hand gives", plan.strength.hand, "N·mm", f"{HAND_FORCE:g} N at the free edge",
                "common practice"),
        Derived("axial_play", "axial play", play.axial, "mm", "± (gap − 2·growth − 2·ridges)", growth),
        Derived("radial_play", "radial play", play.radial, "mm", "± axial play / sin(pivot underside)", growth),
        Derived("edge_wobble", "wobble at the edge", play.edge, "mm",
                "± radial + reach · min(2·radial / span, axial / barrel radius)", growth),
    )


def checks(plan: Plan) -> tuple[Check, ...]:
    """Return the verdicts on a hinge."""
    p, process, play, pivot = plan.p, plan.process, plan.play, plan.pivot
    h, line, g = process.layer_height, process.line_width, process.growth.mean
    free = plan.freeing
    hosts = plan.hosts
    wobbles = p.wobble_limit if p.wobble_limit is not None else max(LEAST_WOBBLE, hosts.reach / WOBBLES)

    rims = round(hosts.rims[0] / h) * h + round(hosts.rims[1] / h) * h
    shut = 2 * plan.axis_height - rims
    ring = plan.radius - pivot.mouth_radius
    behind = plan.knuckle_length - pivot.pocket_depth
    wall_parts = {"ring round the pivot's pocket": ring, "web behind the pocket": behind, "wall": hosts.thinnest}
    thinnest = min(wall_parts, key=lambda name: wall_parts[name])
    engaged = pivot.depth - p.gap - max(0.0, p.gap - 2 * g)
    # The chamfer's inset in the first layer is taken at mid-layer.
    first_growth = g + process.foot(0) - max(0.0, p.bed_chamfer - process.first_layer_height / 2)
    remainder = p.bed_chamfer - h * round(p.bed_chamfer / h)
    box = p.host == BOX
    return (
        Check("comes-free", "Comes free", 100 * free.by_hand, 95, "%", stop=50,
              mend=("bed_chamfer", "gap", "fold_gap") if plan.cure else ("gap", "fold_gap"), printer=True,
              posed=True, why=f"most likely {free.outcome}: welds hold {free.breakaway:.0f} N·mm at the mean outline growth, "
                              f"a hand "
                  f"gives {plan.strength.hand:.0f} N·mm" + (f"; {plan.cure}" if plan.cure else ""),
              topic="fit", basis="95 % of first prints (common practice, no source)"),
        Check("printed-clearance", "Gap left after printing", p.gap - 2 * g, 0.1, "mm", stop=0.02, mend=("gap",),
              printer=True, why=f"each side prints {g:.2f} mm too wide, so a drawn gap of {p.gap:.2f} mm prints "
                                f"{p.gap - 2 * g:.2f} mm",
              topic="fit", basis="two beads laid 0.1 apart still part (common practice, no source)"),
        Check("closes-fully", "Closes fully", shut, 0.2, "mm", stop=0.0, mend=("closing_gap",),
              why="gap between the rims when shut, with heights rounded to whole layers; the axis lies half of it higher",
              topic="shape", basis="a layer of room, so that rounding to layers cannot hold the rims apart"),
        Check("travel", "Travel", plan.travel_limit, p.travel, "°", stop=p.travel - 0.5, mend=("travel", "fold_gap"),
              why="beyond this angle the walls meet behind the fold" if not hosts.leans
              else "the faces at the fold lean back far enough for the whole travel",
              topic="shape", basis="the travel you ask for"),
        Check("fold-gap", "Fold gap left in the first layer", p.fold_gap - 2 * first_growth, 0.2, "mm", stop=0.05,
              mend=("fold_gap", "bed_chamfer"), printer=True,
              posed=True, why=f"outline growth and elephant foot, less the bed chamfer, take {first_growth:.2f} mm of the gap "
                              f"a side",
              topic="fit", basis="0.2 between first layers, which squash most (common practice, no source)"),
        Check("engagement", "Pivot stays in", engaged, 0.3, "mm", stop=0.1,
              mend=("pivot_radius", "gap", "barrel"), printer=True,
              why=f"the pivot reaches {pivot.depth:.2f} mm into its hole, less the gap and the greatest play",
              topic="shape", basis="0.3 left when all play lies on one side (common practice, no source)"),
        Check("edge-wobble", "Lid wobbles at its edge" if box else "Free edge wobbles", play.edge, wobbles, "mm",
              least=False, mend=("knuckles", "gap", "knuckle_length"), printer=True,
              why=f"pivot play ± {play.radial:.2f} mm over {plan.hinge_length:.0f} mm of hinge becomes ± {play.edge:.2f} mm "
                  f"at the "
                  f"free edge, {hosts.reach:.0f} mm away",
              topic="shape", basis="the wobble you allow" if p.wobble_limit is not None else
              "one forty-fifth of the reach, and 0.6 mm: a good degree (common practice, no source)"),
        Check("axial-play", "Slides along its axis", play.axial, p.play_limit, "mm", least=False, mend=("gap",), printer=True,
              why=f"± the printed gap at the knuckle ends, less their roughness; {100 * free.tight:.0f} % of prints stay "
                  f"within the limit",
              topic="shape", basis="the play you allow"),
        Check("radial-play", "Play across the axis", play.radial, 0.6, "mm", least=False,
              mend=("gap", "pivot_slope"), printer=True, why="± the printed gap across the axis of the cone or ball",
              topic="shape", basis="0.6 is seen as loose (common practice, no source)"),
        Check("pivot-overhang", "Pivot underside", p.pivot_slope, process.overhang_limit, "°", least=False,
              stop=process.overhang_limit + 10, mend=("pivot_slope",), posed=True,
              why="angle from vertical; steeper undersides droop",
              topic="print", basis="the overhang limit of the process"),
        Check("web-overhang", "Web underside", p.web_slope, process.overhang_limit, "°", least=False,
              stop=process.overhang_limit + 10, mend=("web_slope",), posed=True,
              why="angle from vertical; steeper undersides droop",
              topic="print", basis="the overhang limit of the process"),
        Check("thinnest-wall", "Thinnest wall", wall_parts[thinnest], 2 * line, "mm", stop=line,
              mend=("pivot_radius", "wall", "knuckle_length", "rim_clearance") if box
              else ("pivot_radius", "barrel", "knuckle_length"),
              why=f"the {thinnest}; a sound wall is two lines of {line:.2f} mm",
              topic="print", basis="two lines of the process"),
        Check("chamfer-layers", "Bed chamfer ends between layers", abs(remainder), 0.01, "mm", least=False,
              mend=("bed_chamfer",), posed=True,
              why=f"a bed chamfer of {p.bed_chamfer:g} mm is {p.bed_chamfer / h:.2f} layers; make it a whole number of layers "
                  f"of {h:g} mm",
              topic="print", basis="a slicer cuts whole layers only"),
    )


def refuse_what_cannot_be(plan: Plan) -> None:
    """Raise one sentence for parameters that are sane alone and impossible together."""
    p, line = plan.p, plan.process.line_width
    room = 2 * plan.hosts.half - 2 * END_MARGIN
    if p.wall < line:
        raise SolveError(f"a wall of {p.wall:g} mm is thinner than one printed line ({line:g} mm)",
                         field="wall", value=p.wall, limit=line)
    if abs(plan.hosts.rims[0] - plan.hosts.rims[1]) > p.closing_gap + 1e-9:
        raise SolveError("base and lid must be printed with their rims level (within the closing gap), or the knuckles "
                         "hang in the air", field="lid_height", value=p.lid_height, limit=p.base_height)
    if plan.radius < p.fold_gap / 2 + 2 * line:
        raise SolveError(f"a barrel of {2 * plan.radius:.2f} mm does not reach across the fold gap into its wall; "
                         f"it needs {p.fold_gap + 4 * line:.2f} mm", field="barrel", value=2 * plan.radius,
                         limit=p.fold_gap + 4 * line)
    widest = (p.fold_gap / 2 + plan.carrier) / math.cos(plan.slope)
    if plan.radius > widest + 1e-9:
        raise SolveError(f"a barrel of {2 * plan.radius:.2f} mm hangs over inside a {plan.carrier:.2f} mm wall; "
                         f"at most {2 * widest:.2f} mm is carried", field="barrel", value=2 * plan.radius,
                         limit=2 * widest)
    lowest = min(plan.hosts.rims)
    if plan.axis_height - plan.radius - p.gap < 0.4 or lowest < plan.axis_height - plan.radius:
        raise SolveError(f"a barrel of {2 * plan.radius:.2f} mm does not fit under an axis {plan.axis_height:.2f} mm "
                         "above the bed with these rims: raise the lower rim or make the barrel smaller",
                         field="barrel", value=2 * plan.radius, limit=2 * (plan.axis_height - p.gap - 0.4))
    if plan.hinge_length > room + 1e-6 or plan.knuckle_length < 2.0:
        most = max(0, math.floor((room + p.gap) / ((p.knuckle_length or 2.0) + p.gap)))
        raise SolveError(f"{p.knuckles} knuckles do not fit on a straight edge of {2 * plan.hosts.half:.1f} mm; "
                         f"at most {most} do", field="knuckles", value=p.knuckles, limit=most)
    if plan.pivot.mouth_radius > plan.radius - 0.2 or plan.pivot.pocket_depth > plan.knuckle_length - 0.2:
        raise SolveError(f"a pivot of {plan.pivot.radius:.2f} mm radius with its gap breaks out of a knuckle "
                         f"{2 * plan.radius:.2f} mm thick and {plan.knuckle_length:.2f} mm long",
                         field="pivot_radius", value=plan.pivot.radius, limit=plan.radius - 0.2)
    if p.host == BOX:
        refuse_box(p, p.wall)
    elif plan.shape.sweep_radius + p.gap > p.leaf_width - 1:
        raise SolveError(f"leaves {p.leaf_width:g} mm wide are too narrow for this hinge",
                         field="leaf_width", value=p.leaf_width, limit=plan.shape.sweep_radius + p.gap + 1)
    if p.host == CHAIN and p.links > 2 and p.leaf_width + p.fold_gap < 2 * plan.radius + p.gap:
        raise SolveError(f"links {p.leaf_width:g} mm wide are too narrow for {2 * plan.radius:.2f} mm barrels at both edges",
                         field="leaf_width", value=p.leaf_width, limit=round(2 * plan.radius + p.gap - p.fold_gap, 2))
    if plan.shape.bevel > 0:
        left = p.leaf_width - (-plan.shape.face_u(-plan.axis_height) - p.fold_gap / 2) * (2 if p.host == CHAIN else 1)
        if left < 2 * line:
            raise SolveError(f"leaves {p.leaf_width:g} mm wide and {plan.leaf_thickness:.1f} thick have no foot left once "
                             f"their faces lean back for {p.travel:g}°", field="travel", value=p.travel, limit=180)
    chamfer_top = plan.axis_height - plan.radius - p.gap
    if p.bed_chamfer > min(chamfer_top, p.wall * 0.75):
        raise SolveError(f"a bed chamfer of {p.bed_chamfer:g} mm reaches into the hinge or through the wall",
                         field="bed_chamfer", value=p.bed_chamfer, limit=min(chamfer_top, p.wall * 0.75))
