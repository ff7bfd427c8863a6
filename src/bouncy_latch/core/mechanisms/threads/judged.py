"""Figures and verdicts of a printed thread."""

from __future__ import annotations

import math

from bouncy_latch.core.checks import Check
from bouncy_latch.core.layers.facing import SHORT
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.mechanisms.threads.plan import LEAD_IN, Plan
from bouncy_latch.core.mechanisms.threads.sizes import CAP, PRINTABLE

LAYERS = 4.0
"""Layers of a pitch below which its ridges are mere steps (common practice, no source)."""
SHARE = 0.6
"""Of the basic overlap that a thread should keep (common practice, no source)."""
OPENS, TURNS = 0.1, 15.0
"""How much wider jaws open than their size, mm, and how far a nut may turn in them, degrees."""
KEYS = 0.1
"""How much a socket may be under its key, mm."""
SHARP = 1e-6
"""Of a crest's flat that is used up, mm."""
SLACK = 0.5
"""Degrees that a lead takes off or adds and nobody sees."""
SAFETY = 2.0
"""On what tears or strips without warning (common practice, no source)."""


def turned_allowance(pitch: float) -> float:
    """Return by how much the diameters of a turned bolt of class 6g are smaller than basic, mm: (15 + 11·P) µm (ISO 965-1)."""
    return (15 + 11 * pitch) / 1000


def derived(plan: Plan) -> tuple[Derived, ...]:
    """Return the figures of a thread with their formulas."""
    form, p, screwed = plan.form, plan.p, plan.screwed
    growth = f"growth {plan.process.growth.mean:.2f} ± {plan.process.growth.sd:.2f} ({plan.process.source})"
    source = plan.named.source if plan.named else "your diameter and pitch"
    profile = "the printable profile" if p.profile == PRINTABLE else "ISO 68-1 and ISO 724, from memory"
    g = plan.process.growth.mean
    return (
        Derived("pitch_diameter", "pitch diameter", 2 * form.middle, "mm", "d − 2·(3/8)·H, H = √3/2·P" if p.profile != PRINTABLE
                else "d − depth", f"{profile}; {source}"),
        Derived("minor_diameter", "minor diameter", 2 * form.minor, "mm", "d − 2·(5/8)·H" if p.profile != PRINTABLE
                else "d − 2·depth", profile),
        Derived("bolt_pitch_diameter", "pitch diameter of the bolt", 2 * (form.middle - p.offset / math.sin(form.half_angle)),
                "mm",
                "pitch diameter − 2·offset / sin β", "geometry"),
        Derived("bolt_crest", "crest of the bolt", 2 * plan.outer[1], "mm", "d − 2·offset; sharp where its flat is used up",
                "geometry"),
        Derived("lead", "advances in a turn", form.lead, "mm", "starts · pitch", "geometry"),
        Derived("overlap", "radial overlap", plan.deep, "mm", "bolt's crest − nut's crest", "geometry"),
        Derived("flank_gap", "gap left at a flank", float(screwed.left(screwed.pairs[0], g)), "mm",
                "offset + gap − (2·growth + hole shrink)·cos θ − 2·flank, between the layers' edges", growth),
        Derived("crest_gap", "gap left between crests", float(screwed.free(g)), "mm",
                "gap at a flank − h·(sin θ / 2 − (1 − π/4)·cos θ)", "geometry of round beads"),
        *([Derived("turned_gap", "a turned 6g bolt leaves", turned_allowance(form.pitch) / 2 * math.sin(form.half_angle), "mm",
                   "(15 + 11·P) µm off its diameters, sin β of half of it at a flank", "ISO 965-1, from memory")]
          if p.profile != PRINTABLE and not (plan.named and plan.named.series == "inch") else []),
        Derived("torque", "turns at, first run", float(screwed.torque(g)), "N·mm",
                "Σ area · friction · pressure(clearance) · radius",
                "crests pressed flat (Johnson 1985, Greenwood and Williamson 1966)"),
        Derived("torque_later", "turns at, later runs", float(screwed.later.torque(g)), "N·mm",
                "the same, crests rubbed down by 2·10⁻⁴ of the way they slid", "Archard 1953; common practice, no source"),
        Derived("hand_torque", "two fingers give", screwed.limits[1], "N·mm", "2 · 20 N · grip radius",
                "common practice, no source"),
        Derived("strip", "strips at", plan.strip, "N", "across/√3 · ridge sheared at the other's crest · overlap kept",
                plan.process.plastic.source),
        Derived("tears", "core tears at", plan.pull, "N", "strength across layers · core area", plan.process.plastic.source),
        Derived("wrench", "wrench", plan.across_flats, "mm", "across flats, as printed", "ISO 4032, from memory"),
        *([Derived("key", "key", plan.key, "mm", "across flats", "ISO 4762, from memory")] if plan.keyed else []),
        Derived("drawn_flats", "drawn across flats", plan.drawn_flats, "mm", "wrench − eased", "geometry"),
    )


def checks(plan: Plan) -> tuple[Check, ...]:
    """Return the verdicts on a thread."""
    p, form, process, screwed = plan.p, plan.form, plan.process, plan.screwed
    g, angle = process.growth.mean, math.degrees(form.overhang)
    will_not, wrench, snug, free, wobbles = (100 * float(part) for part in screwed.spread)
    later = 100 * float(screwed.later.spread[2:].sum())
    steep, reach = angle > process.overhang_limit + SLACK, form.depth * form.pitch
    left = float(screwed.free(g))
    kept = plan.deep / (form.depth * form.pitch)
    sharp = "the offset takes the whole crest, which ends sharp; " if form.width(plan.outer[1], p.offset) < SHARP else ""
    broken, what = plan.holds
    wall = plan.around - plan.inner[1] + g
    found = [
        Check("runs", "Runs by hand", snug + free, 90, "%", stop=50, mend=("offset", "gap", "pitch"), printer=True, topic="fit",
              why=f"in the first run: snug {snug:.0f} % of prints, free {free:.0f} %, wobbles {wobbles:.0f} %, needs a wrench "
                  f"{wrench:.0f} %, does not start {will_not:.0f} %; {later:.0f} % run by hand from the second run on",
              basis="90 % of prints (common practice, no source)",
              advice="Print a ladder of threads and try each bolt: it tells how threads come out here."),
        Check("flank-gap", "Gap left at the flanks", left, 0.0, "mm", stop=-0.15, mend=("offset", "gap"), printer=True,
              topic="fit", why=f"{p.offset + plan.gap:.2f} mm drawn, less outline growth × cos {angle:.0f}° and the crests of "
                               f"{process.layer_height:g} mm layers",
              basis="flanks whose crests meet all over jam"),
        Check("flank-overhang", "Flanks print without support", reach if steep else 0.0,
              SHORT * process.line_width, "mm",
              least=False, stop=2 * SHORT * process.line_width, mend=("flank", "pitch"), instead=(("profile", PRINTABLE),),
              topic="print", posed=True,
              why=f"printed with the axis upright, flanks overhang by {angle:.0f}° (limit {process.overhang_limit:.0f}°) and "
                  f"reach {reach:.2f} mm out"
                  + ("; the printable profile overhangs less" if steep and p.profile != PRINTABLE else ""),
              basis="steep undersides that reach two lines out print (common practice, no source)"),
        Check("crest", "Overlap of the threads", 100 * kept, 100 * SHARE, "%", stop=25, mend=("pitch", "offset"),
              instead=(("size", plan.coarser), ("profile", PRINTABLE)), topic="shape",
              why=sharp + ("part of the nominal overlap that is left; a coarser pitch"
                           + ("" if p.profile == PRINTABLE else " or the printable profile") + " keeps more"
                           if kept < SHARE else "part of the nominal overlap that is left"),
              basis="60 % of the nominal overlap (common practice, no source)"),
        Check("layers", "Layers in one pitch", form.pitch / process.layer_height, LAYERS, "", stop=2, mend=("pitch",),
              instead=(("size", plan.coarser),), topic="print",
              why=f"a pitch of {form.pitch:g} mm in layers of {process.layer_height:g} mm; fewer print mere steps",
              basis="four layers make a ridge (common practice, no source)"),
        Check("strip", "Holds the pull", broken / SAFETY, p.hold, "N", stop=p.hold / SAFETY, mend=("engaged", "diameter",
                                                                                                   "pitch"),
              topic="shape", why=f"{what} at {broken:.0f} N, across the layers; half of that is allowed",
              basis="what it must hold; twofold on what breaks without warning (common practice, no source)"),
        Check("core", "Core of the bolt", 2 * plan.outer[0] - 2 * plan.bore, 4 * process.line_width, "mm", mend=("diameter",),
              topic="print", why="diameter of the core, which needs two lines from either side",
              basis="four lines of the process"),
        Check("wall", "Wall round the thread", wall, 2 * process.line_width, "mm", mend=("wall", "flats"), topic="print",
              why="plastic between the inner thread's root and the outside, as printed", basis="two lines of the process"),
        Check("foot", "First layers clear the thread", LEAD_IN + form.depth * form.pitch if not plan.closed else 1.0,
              process.elephant_foot.mean + 2 * process.elephant_foot.sd, "mm", topic="fit", printer=False,
              why="the mouth is chamfered by more than the elephant foot" if not plan.closed else
                  "the mouth prints on top, away from the bed",
              basis="the process's elephant foot and twice its spread",
              advice="Lower the first layer's flow in the slicer, or take a coarser pitch."),
    ]
    if plan.wrenched:
        printed = plan.drawn_flats + 2 * g
        found.append(Check("wrench-goes-on", "Widest hexagon for the wrench", printed + 2 * process.growth.sd,
                           plan.across_flats + OPENS, "mm",
                           least=False, stop=plan.across_flats + 2 * OPENS, mend=("eased",), printer=True, topic="fit",
                           why=f"the widest hexagon this printer makes, for a wrench of {plan.across_flats:g} mm",
                           basis="jaws are 0.1 mm wider than their size (common practice, no source)"))
        found.append(Check("wrench-holds", "Free turn in the wrench", plan.slips, TURNS, "°", least=False, stop=2 * TURNS,
                           mend=("eased",),
                           printer=True, topic="fit", why=f"the nut prints {printed:.2f} mm across flats; a narrower one "
                                                          f"turns further and rounds its corners",
                           basis="beyond it jaws round the corners (common practice, no source)"))
    if plan.keyed:
        printed = plan.drawn_key - 2 * g
        found.append(Check("key-goes-in", "Narrowest socket for the key", printed - 2 * process.growth.sd, plan.key - KEYS,
                           "mm",
                           stop=plan.key - 2 * KEYS, mend=("eased",), printer=True, topic="fit",
                           why=f"the narrowest socket this printer makes, for a key of {plan.key:g} mm",
                           basis="keys are hundredths under their size, and bite into plastic (common practice, no source)"))
    if p.product == CAP:
        found.append(Check("neck", "Wall of the neck", plan.outer[0] - plan.bore, 2 * process.line_width, "mm", mend=("wall",),
                           topic="print", why="plastic inside the thread's root", basis="two lines of the process"))
    return tuple(found)


def summary(plan: Plan) -> str:
    """Return what follows, in words."""
    form, spread = plan.form, plan.screwed.spread
    name = plan.p.size if plan.named else f"{form.diameter:g} × {form.pitch:g}"
    broken, what = plan.holds
    return (f"A {plan.p.hand}-hand {plan.p.profile} thread {name} that advances {form.lead:g} mm a turn, {plan.engaged:.1f} mm "
            f"engaged. With an offset of {plan.p.offset:.2f} mm it runs by hand in {100 * float(spread[2] + spread[3]):.0f} % "
            f"of "
            f"prints; {what} at {broken:.0f} N.")
