"""Figures and verdicts of a nut's pocket."""

from __future__ import annotations

from bouncy_latch.core.checks import Check
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.mechanisms.nuts.plan import DRY, Plan
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
        Derived("printed", "as printed", plan.drawn - 2 * (process.growth.mean + process.hole_shrink(plan.drawn / 2)), "mm",
                "drawn − 2·(growth + hole shrink)", growth),
        Derived("corners", "pocket across corners", 2 * plan.corner, "mm", "flats / cos 30°" if not plan.square else
                "flats · √2", "geometry; corners of nuts are cut and stay loose"),
        Derived("clearance", "left at a flat", float(plan.left(process.growth.mean, process.hole_term.mean)), "mm",
                "(drawn − a usual nut)/2 − growth − hole shrink", growth),
        Derived("push", "goes in with", force, "N", "push(clearance, roughness) · area of the flats",
                "contact of rough faces (Greenwood and Williamson 1966)"),
        Derived("free_turn", "turns freely, each way", plan.play, "°", "acos(s/e) − acos(pocket/e)", "geometry"),
        Derived("torque", "walls stand", plan.torque, "N·mm", "sides · strength · flat² · height / 12", process.plastic.source),
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
              why=f"{asked}; pressed {pressed:.0f} %, drops in {drops:.0f} %, wants a mallet {mallet + wide:.0f} %, spins "
                  f"{spins:.0f} %", basis="17 of 20 pockets (common practice, no source)"),
        Check("no-spin", "Flats hold the nut", float(slack), 0.15, "mm", stop=0.0, mend=("allowance",), printer=True,
              topic="fit", why=f"corners of the smallest nut, {nut.corners_min:g}, over the flats of a lean print; free turn "
                               f"{plan.play:.0f}° each way", basis="0.15 of hold at the corners (common practice, no source)"),
        Check("nut-torque", "Walls stand the nut's torque", plan.torque / SAFETY, DRY * p.hold * nut.diameter, "N·mm",
              mend=("hold",), topic="shape", why=f"crushed at {plan.torque:.0f} N·mm; twofold safety",
              basis="the torque that gives the pull it must hold: 0.2·F·d"),
        Check("pull-through", "Holds the pull", plan.pull / SAFETY, p.hold, "N", stop=p.hold / SAFETY, mend=("floor",),
              topic="shape", why=f"what is under the nut shears at {plan.pull:.0f} N; twofold safety",
              basis="what it must hold; twofold on what breaks without warning (common practice, no source)"),
        Check("pocket-wall", "Wall round the pocket", p.wall + process.growth.mean, 3 * process.line_width, "mm",
              mend=("wall",), topic="print", why="at its corners, as printed", basis="three lines of the process"),
        Check("under-nut", "Solid under the nut", p.floor, 3 * process.layer_height, "mm", mend=("floor",), topic="print",
              why="three solid layers carry it, never infill", basis="three layers of the process"),
        Check("screw-through", "Screw goes through", opening, 0.1, "mm", stop=0.0, printer=True,
              topic="fit", why=f"hole {plan.wanted_hole:g} as printed over a screw of {nut.diameter:g}",
              basis="0.1 wider than the screw (common practice, no source)"),
    ]
    if plan.sealed:
        top = plan.axis + nut.flats_max / 2 if plan.lies else p.floor + nut.height_max
        found.append(Check("flush", "Nut below the nozzle", plan.paused - top, 0.0, "mm", stop=0.0, topic="print",
                           why=f"its greatest height against the layer's top at {plan.paused:.2f}",
                           basis="the nozzle passes at the layer's top"))
    if plan.roofed and plan.peak:
        found.append(Check("roof", "Roof closes", 45.0, process.overhang_limit + SLACK, "°", least=False, stop=60,
                           instead=(("closed", BRIDGE),), topic="print", why="two slopes over the nut, with room under them",
                           basis="the overhang limit of the process"))
    elif plan.roofed or plan.span:
        found.append(Check("roof", "Roof closes", plan.span, SPANS, "mm", least=False, instead=(("closed", GABLE),),
                           topic="print", why="bridged" if plan.span else "its first layer lies on the nut",
                           basis="bridges of ten millimetres (common practice, no source)"))
    if p.style == SLID:
        over = p.bump - (plan.room - nut.height_max)
        found.append(Check("bump", "Bump keeps it", over, KEEPS, "mm", mend=("bump",), topic="shape",
                           why="beyond the play along the axis", basis="0.1 (common practice, no source)"))
        found.append(Check("bump-passes", "Nut slides over the bump", over, HIGHEST, "mm", least=False, mend=("bump",),
                           topic="shape", why="what must give as it passes", basis="half a millimetre (common practice)"))
    return tuple(found)


def summary(plan: Plan) -> str:
    """Return what follows, in words."""
    nut = plan.nut
    name = "your nut" if nut.size == "own" else f"{nut.size} nut"
    how = f"{plan.p.style} in" + (f" with {plan.push:.0f} N" if plan.wanted == 2 else "")
    stop = f" The print stops at {plan.paused:.2f} mm." if plan.sealed else ""
    return (f"The {name} is {how}; in {100 * plan.chance:.0f} % of prints as wanted. It stands {plan.pull / SAFETY:.0f} N and "
            f"{plan.torque / SAFETY:.0f} N·mm, turns {min(plan.play, 180):.0f}° freely, and takes a screw {screw(plan)} long"
            f"{' (bore lies)' if plan.lies else ''}.{stop}")
