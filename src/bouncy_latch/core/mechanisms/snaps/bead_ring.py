"""Bead ring: what is refused, how it stretches, and the kind. What it is made of is in ``snapping/plans/bead_ring``."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex import ring as rings
from bouncy_latch.core.flex.arm import Arm, refuse_short
from bouncy_latch.core.flex.bars import Bar, bars
from bouncy_latch.core.flex.contact import Flexure
from bouncy_latch.core.flex.ring import Ring
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import CLOSE, Answer, Callout, Derived, Kind, Question, Solution, Tuning
from bouncy_latch.core.mechanisms.snaps.fields import ANSWERS, CAUTIONS, questions
from bouncy_latch.core.mechanisms.snaps.plans.bead_ring import (
    CAP,
    DISC,
    FLOOR,
    SLOT_WIDTH,
    VENT,
    BeadRingParams,
    BeadRingPlan,
)
from bouncy_latch.core.mechanisms.snaps.solved import Look, Mends, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


def _refuse_what_cannot_be(plan: BeadRingPlan) -> None:
    p = plan.p
    if plan.foot > p.height - 1.0 or (p.form == CAP and plan.foot + plan.seat > p.height - 0.2):
        raise SolveError(f"a ring {p.height:g} mm high is too low for its bead and a lip of {p.lip:g} mm", field="height",
                         value=p.height, limit=round(plan.foot + max(plan.seat + 0.2, 1.0), 2))
    if p.diameter / 2 - plan.bead_height - p.clearance < 2.0:
        raise SolveError(f"a neck of {p.diameter:g} mm has no room for a groove {plan.bead_height:.2f} mm deep",
                         field="diameter",
                         value=p.diameter, limit=round(2 * (2 + plan.bead_height + p.clearance), 2))
    if p.form == DISC and (plan.bevel < FLOOR + 1.0 + 3.0):
        raise SolveError(f"a ring {p.height:g} mm high has no room for the bevel under a disc of {p.lip:g} mm", field="height",
                         value=p.height, limit=round(p.height + FLOOR + 4.0 - plan.bevel, 2))
    if p.form == DISC and plan.seat - p.clearance < 0.05:
        raise SolveError(f"a disc {p.lip:g} mm thick with {p.clearance:g} mm of clearance would rest above the bead's foot",
                         field="lip", value=p.lip, limit=round(p.lip + p.clearance + 0.05 - plan.seat, 2))
    if p.slots == 1:
        raise SolveError("one slot makes a spring clip, not fingers; use 0 or at least 3 slots", field="slots", value=1,
                         limit=3)
    if p.slots:
        width = 2 * math.pi * plan.bore / p.slots - SLOT_WIDTH
        if p.slots < 3 or width < 2.0:
            most = int(2 * math.pi * plan.bore / 3.2)
            raise SolveError(f"{p.slots} slots leave fingers {width:.1f} mm wide; use 3 to {most}",
                             field="slots", value=p.slots)
        arm = plan.flexure(0.0)
        assert isinstance(arm, Arm)
        refuse_short(arm, "height")
    if p.layers == "across" and not p.slots:
        raise SolveError("a stiff ring printed with its axis upright stretches along its layers; print it that way",
                         field="layers", value=p.layers)
    if p.vent > 0 and p.vent > p.diameter / 2:
        raise SolveError(f"a vent of {p.vent:g} mm is no vent of a {p.diameter:g} mm cap", field="vent", value=p.vent)


def sections(plan: BeadRingPlan, flexure: Flexure) -> tuple[Bar, ...]:
    """Return the sections of a finger, and of a closed ring that of the wall over its length from bead to floor."""
    across = plan.bore + plan.p.wall / 2
    if isinstance(flexure, Arm):
        upright: tree.Matrix = (0, -1, 0, across, 0, 0, 0, 0, 1, 0, 0, FLOOR + plan.p.height - plan.foot - plan.finger)
        return bars(flexure.nodes, flexure.areas, upright)
    assert isinstance(flexure, Ring)
    area = flexure.wall * 2 * math.pi * flexure.mean_radius
    return (Bar("A", (across, 0.0, FLOOR + plan.p.height / 2), (0.0, 0.0, 1.0), area),)


def solve(params: BeadRingParams, process: Process) -> Solution:
    """Work out a bead ring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no ring, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = BeadRingPlan(params, process), params
    _refuse_what_cannot_be(plan)
    snap, m = plan.snap, process.plastic
    flexure = plan.flexure(process.growth.mean)
    top, foot = FLOOR + p.height, FLOOR + p.height - plan.foot
    bow = Bow.of(flexure, snap.way.states) if isinstance(flexure, Arm) else None
    fade = rings.decay(plan.bore + p.wall / 2, p.wall, m.poisson)

    def bends(lowered: float) -> dict[str, Warp]:
        def stretched(points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
            radius = np.maximum(np.hypot(points[:, 0], points[:, 1]), 1e-9)
            if bow is not None:
                # The finger's axis runs up from the end of its slot; outward is its way down.
                plane = np.column_stack([points[:, 2] - (foot - plan.finger), plan.bore + plan.axis - radius])
                moved = bow.follow(plane, lowered)
                high = points[:, 2] > foot - plan.finger
                new = np.where(high, plan.bore + plan.axis - moved[:, 1], radius)
                z = np.where(high, moved[:, 0] + foot - plan.finger, points[:, 2])
            else:
                u = fade * np.maximum(foot - points[:, 2], 0.0)
                new = radius + np.where(radius > plan.bore - plan.bead_height - 0.1,
                                        lowered * np.exp(-u) * (np.cos(u) + np.sin(u)), 0.0)
                z = points[:, 2]
            scale = new / radius
            return np.column_stack([points[:, 0] * scale, points[:, 1] * scale, z])

        return {"A": stretched}

    checks = []
    if p.form == CAP and not p.slots:
        checks.append(Check("vent", "Vent", p.vent, VENT, "mm", mend=("vent",),
                            why="a tight cap springs back on the air below it; a small vent lets it seat",
                            topic="shape", basis="0.8: smaller holes close as they print (common practice, no source)"))
    if snap.oval is not None:
        # At one side first it comes out as it went in, over the holding face.
        tips = min(snap.oval.worst.press * beams.mating_factor(math.radians(p.return_angle), m.friction), snap.weakest[1])
        by = "a thumb that pushes at its edge" if p.form == DISC else "a hand that pulls at one side"
        checks.append(Check("tips-out", "Holds against a push at one side", tips, p.hold, "N", stop=0.5 * p.hold,
                            mend=("return_angle", "undercut", "wall"), printer=True,
                            why=f"{by} tips it out at {tips:.0f} N, as the ring goes oval; a straight pull needs "
                                f"{snap.retention:.0f} N",
                            topic="shape", basis="the hold you ask for"))
    remote = rings.remote_from(2 * plan.bore, p.wall)
    own = [
        Derived("stretch", "stretches the ring", 2 * snap.way.most, "mm", "2 · (undercut + 2·growth), on the diameter",
                "geometry"),
        Derived("from_rim", "bead from the rim", plan.foot, "mm", "bead length + 0.4", "geometry"),
        Derived("remote", "stiffer from", remote, "mm", "1.8·√(d·t) from the rim", "beam on elastic foundation"),
    ]
    if isinstance(flexure, Ring):
        factor = rings.stretch_factor(flexure.mean_radius, flexure.wall, m.poisson, flexure.from_rim)
        own.append(Derived("factor", "X", factor, "", "P / (y·d·E), foundation beam under a line load", "Hetényi 1946"))
    look = Look(plan.draw, plan.seated, (0.0, 0.0, 1.0), bends,
                  (Callout(f"across {p.diameter:g}", (-plan.bore, 0, top), (plan.bore, 0, top)),
                   Callout(f"wall {p.wall:g}", (plan.bore, 0, top), (plan.outer, 0, top))),
                # A cut through the axis may meet a slot.
                section=("x", SLOT_WIDTH if p.slots else 0.0), roots=(plan.roots,) if p.slots else (),
                alike={"A": plan.alike}, bars=lambda: sections(plan, flexure))
    mends = Mends(("undercut", "wall", "slots") if p.slots else ("undercut",), ("return_angle", "undercut", "wall"),
                  ("undercut", "wall", "lead_angle"))
    kind = f"{p.slots} fingers" if p.slots else "A closed ring"
    what = f"{kind} {p.wall:g} mm thick {'spring' if p.slots else 'stretches'} over a neck of {p.diameter:g} mm."
    return solution(KIND.id, snap, look, mends, what=what, bend="undercut", force="wall", derived=tuple(own),
                    checks=tuple(checks))


KIND = Kind(
    id="bead-ring",
    title="Bead ring",
    force="snap_force",
    summary="A cap or ring whose bead stretches over a lip and drops behind it.",
    tasks=(CLOSE,),
    answers={**ANSWERS, "size": Answer("diameter")},
    params=BeadRingParams,
    solve=solve,
    questions=questions(
        Question("What does it go over?", ("form", "diameter", "lip", "backing")),
        Question("What stretches?", ("wall", "height", "slots", "entry", "vent")),
        Question("What does the bead look like, and where does it sit?",
                 ("undercut", "lead_angle", "return_angle", "seat_gap")),
    ),
    recommend="undercut",
    test_piece={"backing": 5},
    cautions=(*CAUTIONS, "Printed caps are not tight by themselves, and their layer gaps cannot be cleaned for food."),
    outcomes=SNAPPED,
    sides={"ring": "the ring that stretches", "lip": "the lip it goes over"},
    tuning=Tuning(sizes=("undercut", "wall", "lead_angle", "return_angle", "slots", "height", "clearance", "seat_gap"),
                  alternatives=(("slots", 8), ("slots", 12))),
)
