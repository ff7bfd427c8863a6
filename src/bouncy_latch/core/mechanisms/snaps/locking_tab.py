"""Locking tab: what is refused, and the kind. What it is made of is in ``snaps/plans/locking_tab``."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.arm import refuse_short
from bouncy_latch.core.flex.bars import bars
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import JOIN, Answer, Callout, Derived, Kind, Question, SeatRule, Solution, Tuning
from bouncy_latch.core.mechanisms.contract.answer import ONE_FACE
from bouncy_latch.core.mechanisms.snaps import pressing
from bouncy_latch.core.mechanisms.snaps.fields import ANSWERS, CAUTIONS, questions
from bouncy_latch.core.mechanisms.snaps.plans.locking_tab import OPEN, WEB, LockingTabParams, LockingTabPlan
from bouncy_latch.core.mechanisms.snaps.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


def _refuse_what_cannot_be(plan: LockingTabPlan) -> None:
    p = plan.p
    if 2 * p.undercut > p.gap:
        raise SolveError(f"two bumps of {p.undercut:g} mm cannot be pressed into a gap of {p.gap:g} mm", field="undercut",
                         value=p.undercut, limit=p.gap / 2)
    if plan.high < 1.0:
        raise SolveError(f"a cover of {p.cover:g} mm with its sloping undersides leaves {max(plan.high, 0):.1f} mm of a "
                         f"{p.thickness:g} mm plate for the tab", field="cover", value=p.cover,
                         limit=round(max(0.0, p.thickness - 1.0 - plan.roof), 2))
    if p.into > p.backing - 4:
        raise SolveError(f"gaps that run {p.into:g} mm in are longer than the plate of {p.backing:g} mm allows", field="into",
                         value=p.into, limit=p.backing - 4)
    if plan.wall < 1.0:
        raise SolveError("the recess would break through to the seam: make the tongues longer", field="length", value=p.length)
    if p.tabs > 1 and plan.pitch < plan.wide + WEB:
        raise SolveError(f"tabs {plan.wide:.1f} mm wide need a pitch of {plan.wide + WEB:.1f} mm or more, so that {WEB:g} mm "
                         f"of "
                         "plastic stand between two cavities", field="pitch", value=p.pitch, limit=round(plan.wide + WEB, 2))
    refuse_short(plan.printed_arm, "length")


def solve(params: LockingTabParams, process: Process) -> Solution:
    """Work out a locking tab for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no tab, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = LockingTabPlan(params, process), params
    _refuse_what_cannot_be(plan)
    snap = plan.snap
    arm = plan.printed_arm
    bow = Bow.of(arm, snap.way.states)
    root = (-p.into, p.gap / 2 + p.tongue / 2)

    def bends(lowered: float) -> dict[str, Warp]:
        beside, one = plan.half + 0.1, pressing.arms(bow, lowered, root)

        def follow(points: Array) -> Array:
            middle = np.column_stack([np.zeros(len(points)), plan.nearest(points[:, 1])])
            return one(points - middle) + middle

        def chosen(points: Array) -> npt.NDArray[np.bool_]:
            aside = np.abs(points[:, 1] - plan.nearest(points[:, 1]))
            return (points[:, 0] > 1e-6) | ((points[:, 0] > -p.into) & (aside < beside))

        return {"A": pressing.in_plane(follow, chosen, plan.laid)}

    pulls = snap.way.preload > 0
    own_checks = (
        Check("seam", "Seam opens by", snap.way.rattle, OPEN, "mm", least=False, mend=("seat_gap",),
              why=f"the backs of the bumps press the plates together with {snap.way.preload:.1f} N" if pulls
              else "nothing presses the plates together; a smaller seat gap does",
              topic="fit", basis="0.05: a seam that opens further is seen (common practice, no source)"),
        Check("between-bumps", "Flank in front of the recess", plan.wall, 2 * p.undercut, "mm", mend=("length",),
              why="plastic in front of the recess, which the bumps pull on",
              topic="shape", basis="twice the undercut stands in shear before the bump (common practice, no source)"),
    )
    own = (
        Derived("recess_from_seam", "recess from the seam", plan.wall, "mm", "length − seat gap + clearance/tan(return)",
                "geometry"),
        *([Derived("pitch", "pitch", plan.pitch, "mm", "cavity with its recesses + 8 mm", "common practice, no source")]
          if p.tabs > 1 else []),
        Derived("tab_height", "tab height", plan.high, "mm", "plate − cover − sloping undersides", "you"),
    )
    at = [tree.moved_point(plan.laid, point) for point in
          ((0, -plan.half - 2.5, plan.high), (p.length, -plan.half - 2.5, plan.high), (plan.tip + 1, -p.gap / 2, plan.high),
           (plan.tip + 1, p.gap / 2, plan.high))]
    look = Look(plan.draw, plan.seated, lying_along(p.layers), bends,
                  (Callout(f"length {p.length:g}", at[0], at[1]), Callout(f"gap {p.gap:g}", at[2], at[3])), label="Slide in",
                  section=middle_of(p.layers, plan.high),
                  roots=tuple(pressing.root(plan.fillet + 0.1 - p.into, y - plan.half - 0.05, y + plan.half + 0.05, p.thickness,
                                            3, plan.laid) for y in plan.centres[:1]),
                bars=lambda: bars(arm.nodes, arm.areas, tree.compose(
                    plan.laid, tree.moved_to(root[0], plan.centres[0] + root[1], plan.high / 2))))
    mends = Mends(("tongue", "into", "length", "undercut"), ("return_angle", "undercut", "tongue"),
                  ("tongue", "into", "lead_angle"))
    tabs = "Two tongues" if p.tabs == 1 else f"{p.tabs} tabs of two tongues, {plan.pitch:.1f} mm from tab to tab, each"
    what = f"{tabs} {p.length + p.into:g} mm long and {p.tongue:g} mm thick."
    return solution(KIND.id, snap, look, mends, what=what, bend="undercut", force="tongue", derived=own, checks=own_checks)


KIND = Kind(
    id="locking-tab",
    title="Locking tab",
    force="snap_force",
    summary="Two tongues with bumps that lock two plates along a seam.",
    tasks=(JOIN,),
    answers={**ANSWERS, "visible": Answer(sets={ONE_FACE: {"cover": 1.2, "overhang": 45}})},
    params=LockingTabParams,
    solve=solve,
    questions=questions(
        Question("How thick are the plates, and does the tab show?", ("thickness", "backing", "cover", "overhang")),
        Question("How many tabs lock the seam?", ("tabs", "pitch")),
        Question("What do the tongues look like?", ("length", "into", "tongue", "gap")),
        Question("What do the bumps look like?", ("undercut", "lead_angle", "return_angle")),
    ),
    recommend="tongue",
    test_piece=lambda p: {"backing": max(8, math.ceil(p.into) + 4)},
    cautions=CAUTIONS,
    outcomes=SNAPPED,
    sides={"tab": "the edge with the tab", "cavity": "the edge with the cavity"},
    seats={"tab": SeatRule("+x"), "cavity": SeatRule("-x")},
    tuning=Tuning(sizes=("tongue", "length", "undercut", "return_angle", "into", "lead_angle", "gap", "clearance", "seat_gap")),
)
