"""Figures and verdicts of a screw's hole and its boss."""

from __future__ import annotations

from bouncy_latch.core.checks import Check
from bouncy_latch.core.mechanisms.bosses.plan import FORMED, GRIP, Plan
from bouncy_latch.core.mechanisms.bosses.sizes import COUNTERBORE, FORMING, NONE
from bouncy_latch.core.mechanisms.contract import Derived

SAFETY = 2.0
"""On what tears without warning (common practice, no source)."""
SPAN = 12.0
"""Of a bridge of one layer, mm (common practice, no source)."""
SLENDER = 5.0
"""Height of a boss over its diameter (common practice, no source)."""


def derived(plan: Plan) -> tuple[Derived, ...]:
    """Return the figures of a hole with their formulas."""
    p, m = plan.p, plan.process.plastic
    taken = 2 * (plan.process.growth.mean + plan.process.hole_shrink(plan.hole / 2))
    growth = f"growth {plan.process.growth.mean:.2f} ± {plan.process.growth.sd:.2f} ({plan.process.source})"
    source = {"clearance": "ISO 273, from memory, not confirmed", "self-forming": f"{FORMED:g} of the thread formed (common "
              "practice, no source)", "heat-insert": f"{GRIP:g} a side (common practice, no source): measure your insert"}
    return (
        Derived("hole", "hole, drawn", plan.hole, "mm", "wanted + allowance", "geometry"),
        Derived("wanted", "hole that is wanted", plan.wanted, "mm", "by its class, its thread or its insert", source[p.core]),
        Derived("printed", "hole, as printed", plan.hole - taken, "mm", "drawn − 2·(growth + hole shrink)", growth),
        Derived("recess", "recess of the head", 2 * plan.head if plan.headed != NONE else 0.0, "mm",
                "head + 0.7", plan.row.source),
        Derived("sunk", "depth of the recess", plan.sunk, "mm", "head + what it lies below, in whole layers", plan.row.source),
        Derived("boss_outer", "boss", 2 * plan.outer, "mm", "hole + 2·wall", "geometry"),
        Derived("engaged", "holds along", plan.engaged, "mm", "thread formed, insert, or what is under the head", "geometry"),
        Derived("pull", "pulls out at", plan.pull[0], "N", "shear or tension across layers", m.source),
        Derived("strip_torque", "strips at", plan.torque, "N·mm", "0.2 · pull · d", "dry screw (common practice, no source)"),
    )


def checks(plan: Plan) -> tuple[Check, ...]:
    """Return the verdicts on a hole."""
    p, process = plan.p, plan.process
    never, wrench, snug, free, wobbles = (100 * part for part in plan.spread)
    words = {"clearance": "goes through by hand", "self-forming": "forms its thread with a driver",
             "heat-insert": "the insert sinks in by heat and stays"}[p.core]
    pull, what = plan.pull
    least = min(plan.walls, key=lambda wall: wall[1] - wall[0])
    found = [
        Check("goes-in", "Screw " + ("goes through" if plan.through else "holds in its hole"), 100 * plan.chance, 90, "%",
              stop=50, mend=("allowance",), printer=True, topic="fit",
              why=f"{words}; prints that are too tight {never + wrench:.0f} %, snug {snug:.0f} %, free {free:.0f} %, too wide "
                  f"{wobbles:.0f} %",
              basis="90 % of prints (common practice, no source)"),
        Check("pulls", "Holds the pull", pull / SAFETY, p.hold, "N", stop=p.hold / SAFETY, mend=("plate", "boss", "wall"),
              topic="shape", why=f"{what} at {pull:.0f} N; half of that is allowed",
              basis="what it must hold; twofold on what breaks without warning (common practice, no source)"),
        Check("boss-wall", "Wall left", least[1] - least[0] + 2 * process.growth.mean,
              (3 if p.core != FORMING else 4) * process.line_width, "mm", mend=("wall",),
              topic="print", why="thinnest plastic round the hole and the head, as printed; marked in the section",
              place=(0.0, (least[0] + least[1]) / 2, least[2]),
              basis="three lines, four where a thread spreads them"),
    ]
    if p.boss > 0:
        found.append(Check("boss-foot", "Fillet at the foot", p.fillet, 0.15 * 2 * plan.outer, "mm", mend=("fillet",),
                           topic="shape", why="bosses break off at their foot; a fillet spreads the strain",
                           basis="0.15 of the boss (common practice, no source)"))
        found.append(Check("slender", "Boss height over diameter", p.boss / (2 * plan.outer), SLENDER, "", least=False,
                           mend=("boss", "wall"),
                           topic="print", why="slender bosses wobble while they print", basis="five times (common practice, "
                                                                                              "no source)"))
    if plan.headed != NONE:
        low = plan.sunk - plan.row.head_height if plan.headed == COUNTERBORE else p.hide
        found.append(Check("head-hidden", "Head lies below", low, 0.0, "mm", mend=("hide",), topic="shape",
                           why=f"a recess {plan.sunk:.1f} mm deep for a head {plan.row.head_height:g} mm high",
                           basis="flush or below"))
        found.append(Check("under-head", "Plastic under the head", plan.top - plan.sunk, 3 * process.layer_height, "mm",
                           mend=("plate", "boss"), topic="shape", why="layers that carry the head", basis="three layers"))
    if plan.bridged:
        found.append(Check("bridge", "Bridge over the counterbore", 2 * plan.head, SPAN, "mm", least=False, topic="print",
                           why="one layer closes the counterbore; push it out or drill it, and wear eye protection",
                           basis="bridges of 12 mm (common practice, no source)",
                           advice="Take a screw with a smaller head, or a countersink."))
    return tuple(found)


def summary(plan: Plan) -> str:
    """Return what follows, in words."""
    pull, what = plan.pull
    kind = {"clearance": "clearance hole", "self-forming": "hole for a thread that the screw forms",
            "heat-insert": "hole for an insert set by heat"}[plan.p.core]
    return (f"A {kind} of {plan.hole:.2f} mm for an {plan.p.screw}; {100 * plan.chance:.0f} % of prints fit as asked. "
            f"At {pull:.0f} N {what}; the screw strips its hole at {plan.torque:.0f} N·mm.")
