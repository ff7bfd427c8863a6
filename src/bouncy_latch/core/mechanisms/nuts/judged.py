"""Figures and verdicts of a nut's pocket."""

from __future__ import annotations

from bouncy_latch.core.checks import Check
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.mechanisms.nuts.plan import DRY, TURNS, Plan
from bouncy_latch.core.mechanisms.nuts.sizes import BRIDGE, GABLE, PULLED, SLID
from bouncy_latch.core.standards import lengths

SAFETY = 2.0
"""On what tears without warning (common practice, no source)."""
SLACK = 0.5
"""Degrees of overhang that nobody sees."""
SPANS = 10.0
"""Of a bridge that closes without drooping to the nut, mm (common practice, no source)."""
KEEPS, HIGHEST = 0.1, 0.5
"""How far a bump must stand beyond the play over the nut, and how far a nut still slides over it, mm (common practice)."""


LADDER = "Print a ladder of pockets and try your own nuts in them: it tells how they come out here."


def screw(plan: Plan) -> float:
    """Return the length of the screw that fits: it fills the nut, and where the nut is closed in no more."""
    needed = plan.p.floor + plan.nut.height_max
    closed = plan.roofed and not plan.lies
    return (lengths.at_most if closed else lengths.at_least)(plan.nut.diameter, needed)


def derived(plan: Plan) -> tuple[Derived, ...]:
    """Return the figures of a pocket with their formulas."""
    p, nut, process = plan.p, plan.nut, plan.process
    growth = f"growth {process.growth.mean:.2f} ± {process.growth.sd:.2f} ({process.source})"
    force = plan.push
    found = [
        Derived("pocket", "pocket across flats", plan.drawn, "mm", "greatest across flats + allowance", nut.source),
        Derived("printed", "as printed", plan.drawn - 2 * process.growth.mean, "mm", "drawn − 2·growth", growth),
        Derived("corners", "pocket across corners", 2 * plan.corner, "mm", "flats / cos 30°" if not plan.square else
                "flats · √2", "geometry; corners of nuts are cut and stay loose"),
        Derived("clearance", "left at a flat", float(plan.left(process.growth.mean)), "mm",
                "(drawn − a usual nut)/2 − growth", growth),
        Derived("push", "goes in with", force, "N", "pressure(clearance) · friction · area of the flats",
                "crests pressed flat (Johnson 1985, Greenwood and Williamson 1966)"),
        Derived("free_turn", "turns freely, each way", plan.play, "°", "acos(s/e) − acos(pocket/e)", "geometry"),
        Derived("torque", "walls stand", plan.torque, "N·mm", "sides · strength · flat² · pressed height / 12",
                process.plastic.source),
        Derived("pull", "pulls through at", plan.pull, "N", "strength/√3 · rim · what is under it", process.plastic.source),
        Derived("hole", "screw hole, drawn", plan.hole, "mm", "ISO 273 + 2·(0.05 of usual growth + hole shrink)",
                "ISO 273, from memory, not confirmed"),
        Derived("screw", "screw that fits", float(screw(plan)), "mm", "under the nut + nut", "ISO 4762 lengths, from memory"),
        Derived("depth", "pocket along the axis", plan.room, "mm", "greatest height + room", nut.source),
    ]
    if p.style == PULLED:
        found.append(Derived("seats_at", "seated by a torque of", DRY * force * nut.diameter, "N·mm", "0.2 · push · d",
                             "dry screw (common practice, no source)"))
    return tuple(found)


def checks(plan: Plan) -> tuple[Check, ...]:
    """Return the verdicts on a pocket."""
    p, nut, process = plan.p, plan.nut, plan.process
    wide, mallet, pressed, drops, spins = (100 * part for part in plan.spread)
    slack = plan.free_at(process.growth.mean - 2 * process.growth.sd)
    opening = plan.hole - 2 * (process.growth.mean + process.hole_shrink(plan.hole / 2)) - nut.diameter
    asked = "is pressed in by hand and stays" if plan.wanted == 2 else "drops in and does not spin"
    found = [
        Check("nut-fits", "Nut " + ("pressed in" if plan.wanted == 2 else "drops in"), 100 * plan.chance, 85, "%", stop=50,
              mend=("allowance",), printer=True, topic="fit",
              why=f"asked: the nut {asked}; prints that hold it pressed {pressed:.0f} %, let it drop in {drops:.0f} %, need a "
                  f"mallet {mallet + wide:.0f} %, let it spin {spins:.0f} %",
              basis="85 % of pockets (common practice, no source)", advice=LADDER),
        Check("no-spin", "Nut cannot spin", float(slack), 0.15, "mm", stop=0.0, mend=("allowance",), printer=True,
              topic="fit", why=f"corners of the smallest nut, {nut.corners_min:g} mm, less the widest pocket across flats; "
                               f"the nut turns "
                               f"{plan.play:.0f}° either way", basis="0.15 mm of hold at the corners (common practice, no "
                                                                     "source)"),
        *([] if plan.wanted == 2 else [Check(
            "nut-turns", "Free turn of the nut", plan.play, TURNS, "°", least=False, stop=2 * TURNS, mend=("allowance",),
            printer=True, topic="fit", why="how far a usual nut turns either way before the pocket's flats hold it",
            basis="beyond it the nut works loose (common practice, no source)")]),
        Check("nut-torque", "Walls bear the nut's torque", plan.torque / SAFETY, DRY * p.hold * nut.diameter, "N·mm",
              mend=("land", "hold"), topic="shape",
              why=f"the walls are crushed at {plan.torque:.0f} N·mm; half of that is allowed",
              basis="the torque that gives the pull it must hold: 0.2·F·d"),
        Check("pull-through", "Holds the pull", plan.pull / SAFETY, p.hold, "N", stop=p.hold / SAFETY, mend=("floor",),
              topic="shape", why=f"the floor under the nut shears at {plan.pull:.0f} N; half of that is allowed",
              basis="what it must hold; twofold on what breaks without warning (common practice, no source)"),
        Check("pocket-wall", "Wall round the pocket", p.wall + process.growth.mean, 3 * process.line_width, "mm",
              mend=("wall",), topic="print", why="plastic at the nut's corners, as printed",
              basis="three lines of the process"),
        Check("under-nut", "Floor under the nut", p.floor, 3 * process.layer_height, "mm", mend=("floor",), topic="print",
              why="three solid layers carry the nut, never infill", basis="three layers of the process"),
        Check("screw-through", "Screw goes through", opening, 0.1, "mm", stop=0.0, printer=True,
              topic="fit", why=f"a hole of {plan.wanted_hole:g} mm as printed, less a screw of {nut.diameter:g} mm",
              basis="0.1 mm wider than the screw (common practice, no source)",
              advice="Choose a coarser fit of the screw hole."),
    ]
    if plan.sealed:
        top = plan.axis + nut.flats_max / 2 if plan.lies else p.floor + nut.height_max
        found.append(Check("flush", "Nut below the nozzle", plan.paused - top, 0.0, "mm", stop=0.0, topic="print",
                           why=f"the tallest nut, against the top of the layer at {plan.paused:.2f} mm",
                           basis="the nozzle passes at the layer's top"))
    if plan.roofed and plan.peak:
        found.append(Check("roof", "Roof over the nut", 45.0, process.overhang_limit + SLACK, "°", least=False, stop=60,
                           instead=(("closed", BRIDGE),), topic="print", why="two slopes close over the nut",
                           basis="the overhang limit of the process"))
    elif plan.roofed or plan.span:
        found.append(Check("roof", "Roof over the nut", plan.span, SPANS, "mm", least=False, instead=(("closed", GABLE),),
                           topic="print", why="the roof bridges the pocket" if plan.span else "the first layer of the roof "
                                                                                              "lies on the nut",
                           basis="bridges of ten millimetres (common practice, no source)"))
    if p.style == SLID:
        over = p.bump - (plan.room - nut.height_max)
        found.append(Check("bump", "Bump keeps the nut", over, KEEPS, "mm", mend=("bump",), topic="shape",
                           why="height of the bump, less the play along the screw", basis="0.1 (common practice, no source)"))
        found.append(Check("bump-passes", "Nut slides over the bump", over, HIGHEST, "mm", least=False, mend=("bump",),
                           topic="shape", why="how far the plastic must give while the nut passes",
                           basis="half a millimetre (common practice)"))
    return tuple(found)


def summary(plan: Plan) -> str:
    """Return what follows, in words."""
    nut = plan.nut
    name = "your nut" if nut.size == "own" else f"{nut.size} nut"
    how = f"{plan.p.style} in" + (f" with {plan.push:.0f} N" if plan.wanted == 2 else "")
    stop = f" The print stops at {plan.paused:.2f} mm." if plan.sealed else ""
    return (f"The {name} is {how}; in {100 * plan.chance:.0f} % of prints as wanted. The pocket bears "
            f"{plan.pull / SAFETY:.0f} N and {plan.torque / SAFETY:.0f} N·mm; the nut turns {min(plan.play, 180):.0f}° in it; "
            f"use a "
            f"screw {screw(plan)} mm long{' (the bore lies along the bed)' if plan.lies else ''}.{stop}")
