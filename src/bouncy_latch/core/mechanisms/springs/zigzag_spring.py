"""Zig-zag spring: bars side by side, joined by turns, stretched or pressed along its line."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import ENDLESS, Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.grid import buckles_at, column
from bouncy_latch.core.flex.warp import Bow
from bouncy_latch.core.mechanisms.contract import (
    SPRING,
    Callout,
    Derived,
    Kind,
    Motion,
    Question,
    SeatRule,
    SectionView,
    Shape,
    Solution,
    Tuning,
)
from bouncy_latch.core.mechanisms.springs import spring
from bouncy_latch.core.mechanisms.springs.framed import COVERED, LIP, WALL
from bouncy_latch.core.mechanisms.springs.sizes import ANSWERS, CAUTIONS
from bouncy_latch.core.mechanisms.springs.zigzag import EYE, GROWN, PRESSED, ROUND, ROUNDED, STRETCHED, Plan, ZigzagSpringParams
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import SPRUNG
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree

Mask = npt.NDArray[np.bool_]
STRAIGHTENS = 0.5
"""Of what its bar is longer than it, how far it may be stretched: beyond that it is pulled straight and not bent."""
ASIDE = 2.0
"""How many times its force it bears before it buckles, at the least (common practice, no source)."""
HANGS = 1.0
"""How far its free end may hang down where it is held by the other, mm (common practice, no source)."""
GRAVITY = 9.81e-6
"""N a mm³ at 1 g/cm³."""


def motion(plan: Plan) -> Motion:
    """Return how it is stretched, or pressed."""
    s, p, frame = plan.sprung, plan.p, plan.frame
    travels, moved, _, _ = s.states
    moved = np.concatenate([np.zeros((1, *moved.shape[1:])), moved])
    bow = Bow(s.winding.nodes, moved, np.concatenate([[0.0], travels]))
    half, over = p.tab / 2 + 1e-6, p.thickness / 2 + 1e-6
    from_bed, to_top = (frame.lifted - 1e-6, frame.lifted + p.width + 1e-6) if frame else (-math.inf, math.inf)
    lip = half + LIP if frame else half

    def places(points: Array) -> tuple[Mask, Mask, Mask]:
        """Return which points (n, 3) go with the first tab, with the last, and which stay with the frame."""
        x, y, z = np.abs(points[:, 0]), points[:, 1], points[:, 2]
        # What is gripped stands on the bed; before it floor and roof stay.
        still = ((z < from_bed) | (z > to_top)) & (y < (frame.end - frame.grip - 1e-6 if frame else math.inf))
        if frame or p.ends == GROWN:
            still |= y <= -p.tab + 1e-6
        if frame:
            # Through the end wall only the neck moves.
            through = (y >= frame.wall - 1e-6) & (y <= frame.wall + WALL + 1e-6)
            still |= (x >= frame.inside - 1e-6) | (through & (x > half))
        last = (y >= plan.top - over) & (x <= np.where(y > plan.top + over, lip, half))
        return (x <= half) & (y <= over) & ~still, last & ~still, still

    def warp(points: Array, value: float) -> Array:
        found = points.copy()
        found[:, :2] = bow.follow(points[:, :2], value)
        at = bow.at(value)
        first, last, still = places(points)
        # The tabs are stiff: each goes, and turns, with its end.
        for which, node in ((first, 0), (last, -1)):
            about, turn = s.winding.nodes[node], at[node, 2]
            arm = points[which, :2] - about
            c, sine = math.cos(turn), math.sin(turn)
            found[which, 0] = about[0] + at[node, 0] + c * arm[:, 0] - sine * arm[:, 1]
            found[which, 1] = about[1] + at[node, 1] + sine * arm[:, 0] + c * arm[:, 1]
        found[still] = points[still]
        return found

    def strain(points: Array, value: float) -> Array:
        return np.where(np.logical_or.reduce(places(points)), 0.0, s.strained(points[:, :2], value))

    label = "Stretch" if s.way > 0 else "Press"
    return spring.moving(s, label, f"{label.lower()}ed", warp, strain, ("pitch", "rows"), plan.sections)


def _refuse_what_cannot_be(plan: Plan) -> None:
    p = plan.p
    if p.pitch <= p.thickness + 0.05:
        raise SolveError(f"bars {p.thickness:g} mm thick leave nothing between them at a pitch of {p.pitch:g}", field="pitch",
                         value=p.pitch, limit=round(p.thickness + 0.1, 2))
    if p.tab >= p.row_length - p.thickness:
        raise SolveError(f"tabs of {p.tab:g} mm leave nothing of rows of {p.row_length:g} to bend", field="tab", value=p.tab,
                         limit=round(p.row_length - p.thickness - 0.5, 1))
    if p.action == PRESSED and p.travel > plan.sprung.solid:
        raise SolveError(f"it is solid at {plan.sprung.solid:.1f} mm and cannot be pressed by {p.travel:g}", field="travel",
                         value=p.travel, limit=round(plan.sprung.solid, 2))
    for room, field, least in ((p.room_length, "room_length", 2 * p.tab + p.pitch + p.thickness),
                               (p.room_width, "room_width", p.tab + 2 * p.thickness)):
        if room is not None and room < least:
            raise SolveError(f"{room:g} mm hold no spring: its tabs of {p.tab:g} mm and one turn need {least:.1f}", field=field,
                             value=room, limit=round(least, 1))
    spare = plan.sprung.winding.length - plan.top
    if p.action == STRETCHED and p.travel > STRAIGHTENS * spare:
        raise SolveError(f"stretched by {p.travel:g} mm it is all but a straight bar: that would be {spare:.0f} mm longer",
                         field="travel", value=p.travel, limit=round(STRAIGHTENS * spare, 1))
    if p.ends == EYE and p.eye > p.tab - 2:
        raise SolveError(f"an eye of {p.eye:g} mm leaves no wall in a tab of {p.tab:g}", field="eye", value=p.eye,
                         limit=p.tab - 2)


def _bears(plan: Plan) -> float:
    """Return how many times its force a pressed one bears before it turns aside in its plane, or out of it."""
    s = plan.sprung
    travels, moved, _, _ = s.states
    free = max(int((travels <= s.touches).sum()) - 1, 0)
    aside = math.inf if plan.frame else s.winding.buckles(moved[free]) * float(travels[free]) / plan.p.travel
    grid, apart = s.winding.grid, float(s.winding.nodes[-1, 1] - s.winding.nodes[0, 1])
    lifts = buckles_at(*column(grid.at_end, apart), apart - plan.p.travel, clamped=not plan.pinned)
    return min(aside, lifts / max(s.at_travel, 1e-9), ENDLESS)


def _hangs(plan: Plan) -> float:
    """Return how far the free end of one hangs down that is held level by the other, mm."""
    p = plan.p
    return float(plan.winding.hanging(GRAVITY * plan.process.plastic.density, p.tab**2 * p.width)[-1])


def _round_it(plan: Plan) -> list[Check]:
    """Return the verdicts on what is round it, and on the room it has."""
    p, s, frame = plan.p, plan.sprung, plan.frame
    found = []
    if frame:
        found.append(spring.stopped_whole(s, ("rows", "row_length", "thickness"), "its collar"))
    if frame and frame.cover:
        found.append(frame.cover.check(("thickness", "row_length")))
    low, high = plan.reaches
    longest = high - low + (p.travel if plan.way > 0 else 0.0)
    across = 2 * (frame.inside + WALL) if frame else plan.wide
    for id_, label, needs, room, mend, why in (
            ("fits-along", "Fits its room, along", longest, p.room_length, ("rows", "pitch", "tab"), "at its travel"),
            ("fits-across", "Fits its room, across", across, p.room_width, ("row_length", "pitch"), "with all its turns")):
        if room is not None:
            found.append(Check(id_, label, needs, room, "mm", least=False, stop=room, mend=mend, topic="shape", why=why,
                               basis="the room that is given"))
    return found


def solve(params: ZigzagSpringParams, process: Process) -> Solution:
    """Work out a zig-zag spring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no spring, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    _refuse_what_cannot_be(plan)
    s = plan.sprung
    inner = plan.corner - p.thickness / 2
    checks = spring.checks(s, {"strain": ("rows", "row_length", "thickness"), "gap": ("pitch",),
                               "load": ("width", "thickness", "rows")})
    rounder = ("pitch", "thickness") if p.turn_form == ROUND else ()
    checks.append(Check("turns-round", "Radius of the turns", inner, ROUNDED * p.thickness, "mm", mend=rounder,
                        instead=(("turn_form", ROUND),), topic="shape", why="inner radius; bars break beside a sharper turn",
                        basis="half the thickness (common practice, no source)"))
    holed = p.ends == EYE
    root = process.plastic.strength * p.width * (p.tab - (p.eye if holed else 0.0)) / 2
    checks.append(Check("tab-holds", "End tabs hold", root, s.at_travel, "N", stop=s.at_travel / 2, mend=("tab", "width"),
                        topic="shape", why="plastic beside the eye; half of what tears it is allowed" if holed
                        else "section of the tab; half of what tears it is allowed",
                        basis="twofold on what breaks without warning (common practice, no source)"))
    if p.action == PRESSED and not (plan.frame and plan.frame.cover):
        checks.append(Check("straight", "Safety against buckling", _bears(plan), ASIDE, "", stop=1.0, printer=True,
                            mend=("rows", "row_length", "width"), topic="shape",
                            why="how many times its force the spring bears before it buckles"
                            + ("; the frame guides the spring in its plane" if plan.frame else ""),
                            basis="twice its force (common practice, no source)"))
    if not plan.frame:
        checks.append(Check("hangs", "Droop of the free end", _hangs(plan), HANGS, "mm", least=False,
                            mend=("width", "rows", "row_length"), topic="shape", why="droop by its own weight, the other end "
                                                                                     "held level",
                            basis="1 mm (common practice, no source)"))
    checks += _round_it(plan)
    derived = [*spring.derived(s), Derived("length", "length", plan.reaches[1] - plan.reaches[0], "mm", "as printed, all of it",
                                           "geometry")]
    if s.way < 0:
        derived.append(Derived("length_solid", "solid length", plan.reaches[1] - plan.reaches[0] - s.solid, "mm",
                               "length − travel to solid", "geometry"))
    if plan.frame:
        derived.append(Derived("stops_at", "stopped at", plan.frame.stops_at, "mm", "1.1 · travel", "geometry"))
        derived.append(Derived("frame_gap", "gap to the frame", plan.frame.room, "mm",
                               "2·growth + 2.5·√((2·sd)² + 0.03²) + 0.1", process.source))
    if plan.frame and plan.frame.cover:
        derived.append(plan.frame.cover.derived)

    def draw() -> Shape:
        half, over, low = p.row_length / 2, p.thickness / 2, plan.frame.lifted if plan.frame else 0.0
        high = low + p.width
        callouts = (Callout(f"bar {p.thickness:g}", (0, p.pitch - over, high), (0, p.pitch + over, high)),
                    Callout(f"row {p.row_length:g}", (-half, 0, high), (half, 0, high)))
        views = (SectionView("drawn", 0.0, low + p.width / 2, axis="z"),
                 SectionView("at its travel", p.travel, low + p.width / 2, axis="z"))
        side = plan.frame.inside + WALL if plan.frame else plan.wide / 2
        grown = p.ends == GROWN and not plan.frame
        body = Body("A", "spring", blocks.block(-side, -p.tab - p.backing, side, -p.tab, high) if grown
                    else tree.Box(-p.tab / 2, -p.tab, low, p.tab / 2, -p.tab / 2, high))
        region = (-side, -p.tab, 0.0, side, plan.reaches[1], plan.frame.top if plan.frame else high)
        return Shape((body,), (Feature("spring", "A", add=plan.solid()),), callouts, views, region=region,
                     hidden=plan.p.around == COVERED,
                     bends_along=((1.0, 0.0, 0.0),))

    return spring.solution(KIND, p, s, f"{p.rows} rows", motions=(motion(plan),), draw=draw, checks=tuple(checks),
                           derived=tuple(derived))


KIND = Kind(
    id="zigzag-spring",
    title="Zig-zag spring",
    force="spring_force",
    summary="Bars side by side, joined by round turns, that stretch or press along their line.",
    tasks=(SPRING,),
    answers=ANSWERS,
    params=ZigzagSpringParams,
    solve=solve,
    questions=(
        Question("What must it do?", ("action", "travel", "force", "rate_asked", "energy_asked", "cycles")),
        Question("What room has it?", ("room_length", "room_width", "around")),
        Question("How many bars, and how long?", ("rows", "row_length", "pitch", "turn_form")),
        Question("How thick are they?", ("thickness", "width", "loops")),
        Question("What is it held by?", ("ends", "tab", "eye", "backing")),
    ),
    recommend="thickness",
    clearance="",
    test_piece={"rows": 2},
    sides={"spring": "the spring itself"},
    seats={"spring": SeatRule("+y")},
    cautions=CAUTIONS,
    outcomes=SPRUNG,
    weighs="travel",
    variant="action",
    tuning=Tuning(sizes=("thickness", "rows", "row_length", "width", "pitch"), trade_off=("rate", "strain")),
)
