"""Figures and verdicts of a tube clamp."""

from __future__ import annotations

import math
from dataclasses import replace

from bouncy_latch.core.checks import Check
from bouncy_latch.core.flex import lugs
from bouncy_latch.core.mechanisms.clamps.plan import HAND, HEAD, Plan
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.mechanisms.nuts import judged as pockets

LEFT = 0.3
"""Gap that must be left between the lugs when tight, mm (common practice, no source)."""
BEARS = 0.4
"""Pressure under a washer that plastic stands for years, over its strength (common practice, no source)."""
ROOMY = 0.1
"""By how much a screw hole must print wider than the screw, mm (common practice, no source)."""


def derived(plan: Plan) -> tuple[Derived, ...]:
    """Return the figures of a clamp with their formulas."""
    p, m = plan.p, plan.process.plastic
    growth = f"growth {plan.process.growth.mean:.2f} ± {plan.process.growth.sd:.2f} ({plan.process.source})"
    pull = p.screws * lugs.pull_of(p.torque, p.screw)
    return (
        Derived("preload", "screws of a side pull", pull, "N", "n · torque / (0.2 · d)",
                "dry screw (common practice, no source)"),
        Derived("pressed", "presses the tube", plan.lugs.pressed(plan.pull(p.torque), m.friction), "N",
                "2π·F·(1 + e/2r)·(1 − e^(−µβ))/(µβ)",
                "belt friction, Euler–Eytelwein, and moments about the tube's axis"),
        Derived("slides_at", "slides along at", plan.slides(p.torque), "N", "µ · creep · all forces on the tube", m.source),
        Derived("turns_at", "turns at", plan.slides(p.torque) * p.diameter / 2, "N·mm", "the same, at the tube's radius",
                m.source),
        Derived("torque_needed", "torque that just holds", plan.needed * 0.2 * p.screw / p.screws, "N·mm",
                "pull for what is asked · 0.2 · d / n", m.source),
        Derived("gap_left", "left between the lugs", plan.gap_left(p.torque), "mm",
                "gap − 2·growth − 2·(1.34·β·clearance + give of an ear)", growth),
        Derived("to_shut", "pull that bends it shut", plan.to_shut, "N", "of a split ring: curved arms; halves: none",
                "the ring's stiffness"),
        Derived("strain", "strain at the lugs", 100 * plan.strain(p.torque), "%",
                "K·6·F·e·(0.85/h² + 0.17/t²)/(b·E), K = 0.95·(f/h)^−0.4", m.source),
        Derived("bearing", "pressure under a washer", plan.pull(p.torque) / p.screws / _washer(plan), "MPa",
                "pull / ring of the washer round the hole", "geometry"),
    )


def _washer(plan: Plan) -> float:
    """Area of a washer that bears on the ear, mm²."""
    return math.pi * ((HEAD * plan.p.screw) ** 2 - ((plan.p.screw + plan.p.hole) / 2) ** 2)


def checks(plan: Plan) -> tuple[Check, ...]:
    """Return the verdicts on a clamp."""
    p, m, process = plan.p, plan.process.plastic, plan.process
    slides, turn = plan.slides(p.torque), p.twist > 0
    opening = (p.screw + p.hole) - 2 * (process.growth.mean + process.hole_shrink((p.screw + p.hole) / 2)) - p.screw
    return (
        Check("works", "Holds and lasts", 100 * plan.chance, 90, "%", stop=50, mend=("torque", "ear", "width", "wall"),
              printer=True, why=f"screws tightened by feel vary by ± {100 * HAND:.0f} %, friction by {m.friction:.2f} ± "
                                f"{m.friction_sd:.2f}",
              topic="shape", basis="90 % of clamps (common practice, no source)"),
        Check("grip", "Grips", slides, plan.asked, "N", stop=0.5 * plan.asked, mend=("torque", "screws"), printer=True,
              why=f"the tube slides at {slides:.0f} N" + (f" and turns at {slides * p.diameter / 2:.0f} N·mm" if turn else "") +
                  f"; creep leaves {100 * m.creep:.0f} % of the screws' pull after a year",
              topic="shape", basis="what it must stand along and turning, together"),
        Check("ear-strain", "Strain of the lugs", 100 * plan.strain(p.torque), 100 * plan.permissible, "%", least=False,
              stop=m.strain_break, mend=("ear", "width", "fillet", "wall", "torque"), printer=True,
              why=f"greatest where lug and ring meet; {m.name} bears {100 * plan.permissible:.2f} % for years and cracks at "
                  f"{m.strain_break:.1f} %",
              topic="shape", basis="the strain the material stands repeatedly, here for good"),
        Check("gap-left", "Gap left when tight", plan.gap_left(p.torque), LEFT, "mm", stop=0.0,
              mend=("gap", "clearance", "ear"), printer=True,
              why="with none left the lugs meet, and the screws no longer press the tube",
              topic="fit", basis="0.3 mm between the lugs (common practice, no source)"),
        Check("goes-on", "Clearance round the tube", plan.room, 0.0, "mm", stop=-0.1, mend=("clearance",), printer=True,
              why=f"{p.clearance:.2f} mm drawn, of which outline growth and hole shrink take {plan.shrink:.2f} mm",
              topic="fit", basis="the tube as measured"),
        Check("bearing", "Pressure under a washer", plan.pull(p.torque) / p.screws / _washer(plan), BEARS * m.strength, "MPa",
              least=False, stop=m.strength, mend=("screws", "torque"),
              why=f"under a washer {2 * plan.head:.1f} mm wide on {m.name}; without a washer the head sinks in",
              topic="shape", basis="0.4 of the strength for years (common practice, no source)"),
        Check("screw-fits", "Screw goes through", opening, ROOMY, "mm", stop=0.0, mend=("hole",), printer=True,
              why="the hole as printed, less the screw",
              topic="fit", basis="0.1 wider than the screw (common practice, no source)"),
        Check("screw-wall", "Wall round the screws", (p.width / p.screws - plan.takes) / 2, 2 * process.line_width, "mm",
              mend=("width", "screws"), why="plastic between a screw's hole or nut pocket and the side of the lug",
              topic="print", basis="two lines of the process"),
        *_nut_checks(plan),
    )


def _nut_checks(plan: Plan) -> list[Check]:
    """Return the verdicts on pressed nuts: those of their pockets, mended by the clamp's own sizes."""
    if plan.pocket is None:
        return []
    pull = plan.pull(plan.p.torque) / plan.p.screws
    pocket = replace(plan.pocket, p=plan.pocket.p.changed(hold=min(max(pull, 1.0), 20000.0)))
    mends = {"nut-fits": ("allowance",), "no-spin": ("allowance",), "nut-torque": ("torque", "screws"),
             "pull-through": ("ear",), "under-nut": ("ear",), "roof": ()}
    return [replace(check, mend=mends[check.id]) for check in pockets.checks(pocket) if check.id in mends]
