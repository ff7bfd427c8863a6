"""Figures and verdicts of a fit."""

from __future__ import annotations

from bouncy_latch.core.checks import Check
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.mechanisms.fits.plan import Plan
from bouncy_latch.core.mechanisms.fits.sizes import PRESS

LONG_HELD = 0.5
"""Part of its strength that a wall may be stretched with for ever (common practice, no source)."""
LEAD = 0.4
"""Bevel that lets a peg find its hole, mm (common practice, no source)."""


def derived(plan: Plan) -> tuple[Derived, ...]:
    """Return the figures of a fit with their formulas."""
    process = plan.process
    growth = f"growth {process.growth.mean:.2f} ± {process.growth.sd:.2f} ({process.source})"
    return (
        Derived("hole", "hole, drawn", 2 * plan.hole.radius, "mm", "what goes in + 2·clearance", "geometry"),
        Derived("left", "clearance left", plan.left, "mm", "clearance − 2·growth − hole shrink + peg term − fit term", growth),
        Derived("area", "area of the fit", plan.area, "mm²", "circumference·(length − lead-ins)", "geometry"),
        Derived("push", "push to put in", plan.push, "N", "µ·area·pressure of the crests" +
                (" + µ·n·2·δ·L·H of the ribs" if plan.ribbed else ""), process.plastic.source),
        Derived("held", "holds after a year", plan.held, "N", "push × creep", process.plastic.source),
        Derived("hoop", "stress round the hole", plan.bursts, "MPa", "p·(R² + r²)/(R² − r²)", "Lamé, thick ring"),
        Derived("shears", "shears off at", plan.shears, "N", "section·strength across/√3", process.plastic.source),
        Derived("play", "play across", 2 * max(plan.left - plan.rib, 0.0), "mm", "2·(clearance left − rib)", growth),
    )


def checks(plan: Plan) -> tuple[Check, ...]:
    """Return the verdicts on a fit."""
    p, process = plan.p, plan.process
    hammer, press, snug, slides, loose = (100 * part for part in plan.spread)
    allowed = LONG_HELD * process.plastic.strength
    found = [
        Check("fits", {"press": "Presses in and stays", "snug": "Sits snug", "slides": "Slides in its hole"}[p.fit],
              100 * plan.chance, 90, "%", stop=30, mend=("clearance",), printer=True, topic="fit",
              instead=() if plan.ribbed or p.fit != PRESS else (("surface", "crush ribs"),),
              why=f"prints that want a hammer {hammer:.0f} %, are pressed by hand {press:.0f} %, snug {snug:.0f} %, slide "
                  f"{slides:.0f} %, are loose {loose:.0f} %",
              basis="90 % of prints (common practice, no source)"),
        Check("insertion", "Push to put in", plan.push, p.push, "N", least=False, stop=2 * p.push,
              mend=("clearance", "length"), printer=True, topic="shape",
              why=f"push that an average print takes; {plan.left:.2f} mm of clearance are left a side",
              basis="the push you allow"),
        Check("wall-holds", "Stress round the hole", plan.bursts, allowed, "MPa", least=False,
              stop=process.plastic.strength, mend=("wall", "clearance"), printer=True, topic="shape",
              why=f"put in with {plan.push:.0f} N, the fit stretches the wall of {p.wall:g} mm round it",
              basis="half its strength, for what stays stretched (common practice, no source)"),
        Check("ring-wall", "Wall round the hole", p.wall + 2 * process.growth.mean, 2 * process.line_width, "mm",
              mend=("wall",), topic="print", why="plastic round the hole, as printed", basis="two lines of the process"),
        Check("lead-in", "Lead-in", p.lead, LEAD, "mm", mend=("lead",), topic="shape",
              why="a bevel at tip and mouth leads into the hole and hides the elephant foot",
              basis="0.4 mm (common practice, no source)"),
    ]
    if p.fit == PRESS:
        found.append(Check("held", "Holds the pull", plan.held, p.hold, "N", stop=p.hold / 2, mend=("clearance", "length"),
                           printer=True, topic="shape",
                           why=f"friction of {plan.push:.0f} N when new, less a year's creep", basis="the pull you ask for"))
    if plan.ribbed:
        found.append(Check("ribs-reach", "Ribs reach the hole", plan.rib - plan.left, 0.03, "mm", stop=-0.05,
                           mend=("rib", "clearance"), printer=True, topic="fit",
                           why=f"ribs of {p.rib:g} mm, clearance left {plan.left:.2f} mm",
                           basis="0.03 mm: less is not felt (common practice, no source)"))
    return tuple(found)


def summary(plan: Plan) -> str:
    """Return what follows, in words."""
    thick, hole = 2 * plan.form.radius, 2 * plan.hole.radius
    return (f"{thick:g} mm in a hole of {hole:.2f} mm: {plan.left:.2f} mm of clearance is left a side. The push to put it in "
            f"is {plan.push:.1f} N; {100 * plan.chance:.0f} % of prints come out as asked.")
