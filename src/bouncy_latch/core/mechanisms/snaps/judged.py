"""Checks and figures of a judged snap fit, the same for every kind; a kind adds its own."""

from __future__ import annotations

import math

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.course import Asked, Course
from bouncy_latch.core.flex import beams, chances
from bouncy_latch.core.flex.chances import LAZY
from bouncy_latch.core.flex.way import Others
from bouncy_latch.core.mechanisms.contract import Aim, Derived, Ruler
from bouncy_latch.core.mechanisms.snaps.fields import EITHER, PERMANENT
from bouncy_latch.core.mechanisms.snaps.snap import Snap
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import BENT, PUSHED

AIM_ID, AIM = "works", 90.0
LEAST_CLEARANCE = 0.03
"""Printed clearance per side below which parts rub all the way, mm (common practice, no source)."""
STEEPEST_LEAD, SHORT = math.radians(60), math.radians(15)
MARGIN = 6.0
"""What a face that must lock stands beyond the locking angle, degrees (common practice: 5 to 8, no source)."""
HELD = 0.5
"""Part of the permissible repeated strain beyond which a snap that stays bent slackens (common practice, no source)."""
NINE_OF_TEN = 1.645
"""Standard deviations on either side between which nine of ten lie."""
GENTLE_EDGE = 0.2
"""Edge radius below which printed edges shave each other, mm (common practice, no source)."""


def aim(snap: Snap) -> Aim:
    """Return what a snap is for, as a chance."""
    asked = snap.params.click_asked is not None
    return Aim(AIM_ID, snap.odds.works, "goes in, holds and lasts", "works", needs=("strain", "insertion", "retention",
                                                                                        *(("click",) if asked else ())))


def _there(snap: Snap, *names: str) -> tuple[str, ...]:
    """Return those parameters that this kind has and uses."""
    active = snap.params.active()
    return tuple(name for name in names if name in active)


def checks(snap: Snap, *, bends: tuple[str, ...], holds: tuple[str, ...], pushes: tuple[str, ...],
           seats: tuple[str, ...] = ("seat_gap",)) -> tuple[Check, ...]:
    """Return the verdicts of a snap.

    Args:
        bends, holds, pushes, seats: parameters that could mend strain, retention, insertion force and rattle.
    """
    p, way, m, odds = snap.params, snap.way, snap.material, snap.odds
    found = []
    if snap.across and not snap.upright:
        found.append(Check("layer-direction", "Bends along its layers", 100 * snap.layer_share, 100, "%", leads=True,
                           why=f"printed upright, bending splits the layers: they hold {m.across:.0f} MPa, along them the "
                               f"plastic holds "
                               f"{m.strength:.0f} MPa; lay it down",
                           topic="print", basis="the strength along the layers, of the material"))
    found += [
        Check(AIM_ID, "Goes in, holds and lasts", 100 * odds.works, AIM, "%", stop=50,
              mend=_mends(snap, bends, holds, pushes, seats),
              printer=True,
              why=f"goes in by hand {100 * odds.goes_in:.0f} %, holds {100 * odds.holds:.0f} %, survives the bending "
                  f"{100 * odds.survives:.0f} %; stiffness ± {100 * snap.spread.stiffness:.0f} %, friction {m.friction:.2f} ± "
                  f"{m.friction_sd:.2f}",
              topic="shape", basis="90 % of prints (common practice, no source)"),
        Check("strain", "Bending strain", 100 * snap.peak_strain, 100 * snap.permissible, "%", least=False,
              stop=100 * snap.breaking, mend=bends, printer=True,
              why=f"the part bends {snap.bent * way.most:.2f} mm; {m.name} survives {100 * snap.permissible:.2f} % "
                  f"{_life(snap)} and breaks at {100 * snap.breaking:.1f} %",
              topic="shape", basis="the permissible strain of the material for its life"),
        Check("insertion", "Push to close", snap.insertion, p.push, "N", least=False, stop=2 * p.push, mend=pushes,
              printer=True, why=_goes_in_by(snap),
              topic="shape", basis="the push you allow"),
        Check("retention", "Holds against a pull", snap.retention, p.hold, "N", stop=0.5 * p.hold, mend=holds, printer=True,
              why=_holds_by(snap),
              topic="shape", basis="the hold you ask for"),
        *([] if snap.grips else [_clearance(snap)]),
        *_clicks(snap, pushes),
        Check("rattle", "Play when shut", way.rattle, p.play, "mm", least=False, mend=seats, printer=True,
              why="the part moves back so far before its back face catches" if way.rattle > 0 else
                  f"no play: seated, the part presses with {way.preload:.1f} N",
              topic="fit", basis="the play you allow; 0.15 mm of play rattles (common practice, no source)"),
        Check("lead-in", "Lead-in", math.degrees(snap.lead),
              math.degrees(min(STEEPEST_LEAD, beams.locking_angle(m.friction) - SHORT)), "°", least=False, stop=80,
              mend=_there(snap, "lead_angle", "lead_in", "mouth"),
              why="angle of the entry ramp from the push direction; steep ramps jam",
              topic="shape", basis="60°, and 15° less than the angle at which friction locks the faces (common practice, no "
                                   "source)"),
        Check("undercut-prints", "Undercut prints", snap.engagement, snap.process.line_width / 2, "mm",
              mend=_there(snap, "undercut", "ball", "nub_height"), printer=True,
              why="the overlap of catch and edge as printed; the nozzle smooths away less than half a line",
              topic="fit", basis="half a line of the process", advice="Reach further behind the edge: more undercut."),
        Check("edge-radius", "Rubbing edges", p.edge, GENTLE_EDGE, "mm", mend=("edge",),
              why="rounding of the edges that rub; sharper ones shave each other",
              topic="shape", basis="0.2, about what a 0.4 nozzle rounds by itself (common practice, no source)"),
    ]
    found += _release(snap)
    if snap.slot is not None:
        found += [
            Check("arm-gap", "Room beside the arm", snap.slot_left, snap.needs, "mm", stop=0.5 * snap.needs,
                  mend=_there(snap, "slot", "gap", "fold", "undercut"), printer=True,
                  why=f"{snap.slot[0]:.2f} mm drawn, of which outline growth takes {2 * snap.process.growth.mean:.2f} mm; the "
                      f"arm moves "
                      f"{way.most:.2f} mm",
                  topic="fit", basis="what the arm moves, and a tenth"),
            Check("arm-weld", "Arm stays free of its neighbour", snap.slot_weld, 0.5, "mm²", least=False, stop=5.0,
                  mend=_there(snap, "slot", "gap", "fold"), printer=True,
                  why="expected weld across the gap beside the arm",
                  topic="fit", basis="half a square millimetre of weld, which a finger tears (common practice, no source)"),
        ]
    if snap.overhang > 0:
        limit = snap.process.overhang_limit
        found.append(Check("overhang", "Unsupported face", snap.overhang, limit, "°", least=False, stop=limit + 20, posed=True,
                           mend=_there(snap, "return_angle", "overhang"),
                           why="angle from vertical as printed; a steeper catch face droops and prints ragged",
                           topic="print", basis="the overhang limit of the process"))
    if snap.wall is not None:
        found.append(Check("wall", "Wall it catches on", *snap.wall, "mm", stop=2 * snap.process.line_width,
                           mend=_there(snap, "boss", "wall"),
                           why="thickness of the wall behind the edge; a boss thickens a thin wall",
                           topic="print", basis="half of what goes through it, or four lines (common practice, no source)",
                           advice="Thicken the wall behind the edge."))
    found.append(Check("creep", "Strain while shut", 100 * way.strain_seated, HELD * m.strain_repeated * snap.layer_share, "%",
                       least=False, mend=seats,
                       why=f"strain while shut: after a year {100 * m.creep:.0f} % of its {way.preload:.1f} N are left"
                       if way.strain_seated > 0 else "shut, the part is not bent, so it does not creep",
                       topic="shape", basis="half of the permissible repeated strain (common practice, no source)"))
    return tuple(found)


def _clicks(snap: Snap, pushes: tuple[str, ...]) -> list[Check]:
    """Return the verdict on the click that was asked for."""
    asked = snap.params.click_asked
    if asked is None:
        return []
    freed = snap.click if snap.goes_in else 0.0
    spread = 100 * (math.exp(NINE_OF_TEN * snap.spread.stiffness) - 1)
    return [Check("click", "Click when shut", freed, asked, "N·mm", stop=asked / 4, printer=True, topic="shape",
                  mend=(*_there(snap, "undercut", "nub_height", "ball"), *pushes),
                  why="energy freed as the catch drops behind the edge: "
                      f"{100 * snap.returned:.0f} % of the {snap.work:.0f} N·mm that the push put in; 90 % of prints lie "
                      f"within ± {spread:.0f} %" if snap.goes_in else "the part cannot be pushed in, so that nothing clicks",
                  basis="the click you ask for; 0.5 N·mm is felt, 2 N·mm heard (common practice, no source)",
                  advice="More undercut, a stiffer arm or a steeper back face let more energy go.")]


def _mends(snap: Snap, bends: tuple[str, ...], holds: tuple[str, ...], pushes: tuple[str, ...],
           seats: tuple[str, ...]) -> tuple[str, ...]:
    """Return what could mend the chance that it works: of what it most often fails by first."""
    parts = sorted([(snap.odds.goes_in, 2, pushes), (snap.odds.holds, 0, holds), (snap.odds.survives, 1, bends)])
    return tuple(dict.fromkeys([name for *_, names in parts for name in names] + list(seats)))


def _clearance(snap: Snap) -> Check:
    growth, drawn = snap.process.growth.mean, snap.params.clearance
    return Check("clearance", "Clearance left after printing", drawn - 2 * growth, LEAST_CLEARANCE, "mm", stop=-0.1,
                 mend=("clearance",), printer=True, why=f"{drawn:.2f} mm drawn, of which outline growth takes {growth:.2f} mm "
                                                        f"from either side",
                 topic="fit", basis="0.03 mm a side: with less the parts rub (common practice, no source)")


def _holds_by(snap: Snap) -> str:
    """How it holds: by sliding out at a force, by locking until something gives, or as the print's friction will have it."""
    (weakest, tears), locks, peaks = snap.weakest, 100 * snap.odds.locks, snap.way.others_out.peaks
    if locks > 99:
        return f"the back face locks: the {weakest} breaks at {tears:.0f} N before the part slides out"
    slides = float(np.minimum(peaks[np.isfinite(peaks)], tears).mean())
    slide = f"the part slides out at {slides:.1f} N; the {weakest} would break at {tears:.0f} N"
    lock = f"{locks:.0f} % of prints lock and hold {tears:.0f} N"
    return slide if locks < 1 else f"{lock}; of the others, {slide}"


def _goes_in_by(snap: Snap) -> str:
    """What the push meets on the way in, or why it cannot be pushed in."""
    jams = 100 * snap.jams
    if not snap.goes_in:
        return (f"cannot be pushed in: in {jams:.0f} % of prints the entry is too steep for its friction, and the "
                f"{snap.weakest[0]} breaks first; give the entry a flatter ramp")
    some = f"; {jams:.0f} % of prints jam by friction" if jams >= 1 else ""
    how = "greatest force while pushing in"
    if snap.tilted_in:
        how = (f"one side first, the part tilted by {math.degrees(snap.tilted_by):.0f}°; pushed straight it takes "
               f"{snap.straight:.0f} N")
    elif snap.tilts:
        how += "; tilting the part does not help here"
    return (f"{how}; the push does {snap.work:.0f} N·mm of work, the click frees {snap.click:.1f} "
            f"N·mm{some}")


def _life(snap: Snap) -> str:
    cycles = snap.params.cycles
    return "once" if cycles == 1 else f"for {cycles} uses"


def _release(snap: Snap) -> list[Check]:
    """Whether it comes out as it should: an angle against the locking angle, when it was asked for."""
    if snap.params.release == EITHER:
        return []
    lock = math.degrees(beams.locking_angle(snap.material.friction))
    steepest, locks = math.degrees(snap.way.steepest_return), snap.odds.locks
    mend, friction = _there(snap, "return_angle", "seat_gap"), f"{snap.material.friction:.2f} ± {snap.material.friction_sd:.2f}"
    if snap.params.release == PERMANENT:
        return [Check("release", "Back face locks", steepest, lock + MARGIN, "°", stop=lock, mend=mend,
                      why=f"angle of the back face while bent; faces of {lock:.0f}° and more lock, at a friction of "
                          f"{friction} in "
                          f"{100 * locks:.0f} % of prints",
                      topic="shape", basis="90° − atan µ, where the faces lock, and 6° for prints with less friction (common "
                                           "practice: 5 to 8, no source)")]
    return [Check("release", "Comes out again", 100 * (1 - locks), AIM, "%", stop=50, mend=mend,
                  why=f"the back face stands at {steepest:.0f}° while bent; faces of {lock:.0f}° and more lock, at a friction "
                      f"of "
                      f"{friction}",
                  topic="shape", basis="90 % of prints (common practice, no source)")]


def derived(snap: Snap) -> tuple[Derived, ...]:
    """Return the figures of a snap with their formulas."""
    way, m = snap.way, snap.material
    plastic = f"{m.name}: {m.source}"
    lock = math.degrees(beams.locking_angle(m.friction))
    growth = f"growth {snap.process.growth.mean:.2f} ± {snap.process.growth.sd:.2f} ({snap.process.source})"
    found = [
        Derived("insertion", "push to close", snap.insertion, "N",
                "greatest of n·P·tan(γ + atan µ) on the way in, mean over µ",
                plastic),
        *_entries(snap, plastic),
        Derived("retention", "holds", snap.retention, "N",
                f"the {snap.weakest[0]} gives; the faces lock" if snap.odds.locks > 0.99
                else "greatest of n·P·tan(γ + atan µ) on the way out, mean over µ, none beyond what tears it",
                plastic),
        Derived("tears", f"{snap.weakest[0]} gives", snap.weakest[1], "N", "area × strength along or across the layers",
                plastic),
        Derived("deflection", "bends", snap.bent * way.most, "mm", "undercut + 2·growth, less what the turn of the end gives",
                growth),
        Derived("strain", "bending strain", 100 * snap.peak_strain, "%", "M·c/EI at the worst place × fillet factor", plastic),
        Derived("permissible", "permissible strain", 100 * snap.permissible, "%",
                "between once and repeated by log(times opened)" + (", across the layers" if snap.across else ""), plastic),
        Derived("work", "work to close", snap.work, "N·mm", "∫ force in · dx", "computed way"),
        *([Derived("click", "click", snap.click, "N·mm", "∫ force across · d(bend) over the drop", "computed way"),
           Derived("returned", "comes back as the click", 100 * snap.returned, "%", "click / work to close", "computed way")]
          if snap.goes_in else []),
        Derived("preload", "preload when shut", way.preload, "N", "stiffness × bend left when shut", growth),
        Derived("rattle", "play when shut", way.rattle, "mm", "way back to the return face", growth),
        Derived("locking_angle", "locks from", lock, "°", "90° − atan µ", plastic),
        Derived("creep_left", "preload after a year", way.preload * m.creep, "N", "preload × creep factor", plastic),
    ]
    fill = snap.params.fill(snap.process)
    if snap.params.loops is None:
        found.append(Derived("loops", "wall lines", fill.loops, "", "as the process has it", "the process"))
    if snap.params.infill is None:
        found.append(Derived("infill", "infill", 100 * fill.infill, "%", "as the process has it", "the process"))
    return tuple(found)


def _entries(snap: Snap, plastic: str) -> tuple[Derived, ...]:
    """Return the pushes straight and one side first, of two opposed catches."""
    first = snap.one_side_first
    if snap.tilt is None and snap.oval is None:
        return ()
    ring = snap.oval is not None
    found = [Derived("push_straight", "push, straight", snap.straight, "N", "all of the bead at once, mean over µ" if ring else
                     "both catches at once, mean over µ", plastic)]
    if first is not None:
        found += [Derived("push_tilted", "push, one side first", float(first.mean(snap.weakest[1]).max()), "N",
                          "bead and lip cross at two places, the ring goes oval, mean over µ" if ring else
                          "one catch at a time, and friction along the other arm, mean over µ", plastic),
                  Derived("tilt", "tilted by", math.degrees(snap.tilted_by), "°",
                          "height of lip and bead over the diameter" if ring else
                          "least tilt of the way in on which the arms store least", "geometry")]
    return tuple(found)


def course(snap: Snap) -> Course:
    """Return the force along the way, from the first touch at 0 mm, both ways, with the spread of nine prints of ten."""
    way, p = snap.way, snap.params
    out = "a pull does not open the snap" if snap.odds.locks > 0.99 else f"holds {snap.retention:.1f} N"
    goes = f"in {snap.insertion:.1f} N, click {snap.click:.1f} N·mm" if snap.goes_in else "cannot be pushed in"
    curves = {"in": tuple(snap.into.tolist()), "out": tuple(snap.out.tolist())}
    if snap.tilted_in:
        curves["in, straight"] = tuple(way.others_in.mean(snap.weakest[1]).tolist())
    bands = {name: _band(snap, force, others) for name, force, others in
             (("in", snap.into, snap.goes), ("out", snap.out, way.others_out))}
    return Course("force along the way", "N", tuple(way.travel.tolist()), curves, f"{goes}, {out}",
                  bands, (Asked(f"push at most {p.push:g}", p.push), Asked(f"must hold {p.hold:g}", p.hold)))


def _band(snap: Snap, force: Array, others: Others) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Return what nine prints of ten lie between: stiffness and friction vary independently of each other."""
    by_stiffness = NINE_OF_TEN * snap.spread.stiffness * np.abs(force)
    low, high = (np.hypot(by_stiffness, np.minimum(others.quantile(share), snap.weakest[1]) - force) for share in (0.05, 0.95))
    return tuple((force - low).tolist()), tuple((force + high).tolist())


def rulers(snap: Snap, *, bend: str, force: str) -> tuple[Ruler, ...]:
    """Return the bend ruler and the force ruler and the parameters they drive."""
    breaking = snap.breaking
    top = max(1.6 * breaking, 1.15 * snap.peak_strain)
    hand = max(2.6 * snap.params.push, 1.15 * min(snap.insertion, 20 * snap.params.push))
    permissible, spread, stiff = snap.permissible, snap.spread.strain, snap.spread.stiffness
    return (
        Ruler("bend", "bend", bend, 0.0, round(100 * top, 1), "%",
              f"surface strain of {snap.material.name}", 100 * snap.peak_strain,
              lambda strain: chances.bend_zones(strain / 100, permissible, breaking, spread), BENT,
              direct=False),
        Ruler("force", "push to close", force, 0.0, float(round(hand)), "N", f"a hand gives {snap.params.push:g} N",
              snap.insertion, lambda newtons: chances.force_zones(newtons, snap.params.push, stiff), PUSHED,
              direct=False),
    )


def notes(snap: Snap) -> tuple[tuple[str, str], ...]:
    """Return the slicer settings that act as dimensions of this snap."""
    p = snap.params
    fill = p.fill(snap.process)
    solid = [("Solid", "cured resin has no wall lines and no infill; cure it fully before it bends")]
    walls = solid if snap.process.cured else [
        ("Wall lines", f"{fill.loops}"), ("Infill", f"{100 * fill.infill:.0f} %"),
        ("Solid layers", f"{snap.process.solid_layers} at the bottom and at the top")]
    pairs = [*walls, ("Print", p.order), ("Layer height", f"{snap.process.layer_height:g} mm"),
             ("Line width", f"{snap.process.line_width:g} mm"), ("Material", snap.material.name)]
    if not snap.across:
        pairs.append(("Lay", "as exported: what bends lies in the layers"))
    return tuple(pairs)


def summary(snap: Snap, what: str) -> str:
    """Return what follows, in words."""
    way = snap.way
    locks = snap.odds.locks
    out = (f"A pull does not open the snap: the {snap.weakest[0]} breaks first, at {snap.weakest[1]:.0f} N."
           if locks > 0.99 else
           f"The snap holds {snap.retention:.0f} N on average; {100 * locks:.0f} % of prints lock." if locks >= 0.01 else
           f"The snap comes out at {snap.retention:.0f} N." if way.peak_out < snap.weakest[1] else
           f"The snap holds {snap.retention:.0f} N; then the {snap.weakest[0]} breaks.")
    seat = (f"Seated, it presses with {way.preload:.1f} N." if way.preload > 0 else
            f"Seated, it has {way.rattle:.2f} mm of play." if way.rattle > 0.005 else
            "Seated, it neither rattles nor presses.")
    lazy = " The strain is low: the part could be shorter or thicker." if snap.peak_strain < LAZY * snap.permissible else ""
    first = ", one side first" if snap.tilted_in else ""
    goes = f"The snap goes in with {snap.insertion:.0f} N{first}" if snap.goes_in else "The snap cannot be pushed in"
    bends = f"bending {snap.bent * way.most:.2f} mm at {100 * snap.peak_strain:.1f} % strain"
    return f"{what} {goes}, {bends}. {out} {seat}{lazy}"
