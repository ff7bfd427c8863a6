"""Zig-zag spring: bars side by side, joined by round turns, stretched or pressed along its line."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.flex.winding import Winding, stroke
from bouncy_latch.core.mechanisms.contract import (
    ALONE,
    HOLD,
    Callout,
    Kind,
    Motion,
    Question,
    SectionView,
    Shape,
    Solution,
)
from bouncy_latch.core.mechanisms.springing import spring
from bouncy_latch.core.mechanisms.springing.sizes import CAUTIONS, FORCE_HELP, SpringParams
from bouncy_latch.core.mechanisms.springing.spring import fill_of
from bouncy_latch.core.mechanisms.springing.sprung import Sprung
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import SPRUNG
from bouncy_latch.core.parts.body import Body, Share
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Edge, rectangle

STRETCHED, PRESSED = "stretched", "pressed"
TAB, EYE = "tab", "eye"
STRAIGHTENS = 0.5
"""Of what its bar is longer than it, how far it may be stretched: beyond that it is pulled straight and not bent."""
SLENDER = 2.0
"""Length over width from which a pressed spring goes aside (common practice, no source)."""
ROUND = 0.5
"""Inner radius of a turn over the thickness at the least: sharper ones break beside the turn (common practice, no source)."""


class ZigzagSpringParams(SpringParams):
    """Sizes of a zig-zag spring."""

    action: str = choice(STRETCHED, (STRETCHED, PRESSED), label="it is", role="given", source="you",
                         help="Stretched from its drawn length, or pressed together.")
    travel: float = number(8, label="travel", unit="mm", role="given", low=0.1, high=200, step=0.5, source="you",
                           help="How far its ends move against each other.")
    force: float | None = number(None, label="force at travel", unit="N", role="given", low=0.05, high=1000, step=0.1,
                                 source="you", help=FORCE_HELP)
    rows: int = number(9, label="rows", unit="", role="chosen", low=1, high=60, step=1, whole=True,
                       help="Bars across; the two half ones at the ends count as one.")
    row_length: float = number(18, label="row length", unit="mm", role="chosen", low=2, high=200, step=0.5,
                               help="Of a bar between its turns.")
    pitch: float = number(4, label="pitch", unit="mm", role="chosen", low=0.8, high=60, step=0.1,
                          help="From bar to bar, middle to middle: twice the radius of a turn.")
    ends: str = choice(TAB, (TAB, EYE), label="ends", role="chosen", help="What it is held by: tabs, or tabs with an eye.")
    tab: float = number(8, label="tab", unit="mm", role="chosen", low=2, high=60, step=0.5,
                        help="Length and width of the tabs.")
    eye: float = number(4, label="eye", unit="mm", role="chosen", low=1, high=40, step=0.5, when={"ends": (EYE,)},
                        help="Diameter of the eye.")


@dataclass(frozen=True)
class Plan:
    """A zig-zag on a printer; it lies along y from its first tab, its first bar at y = 0."""

    p: ZigzagSpringParams
    process: Process

    def line(self) -> tuple[Edge, ...]:
        """The centre line from the side of the first tab to that of the last, mm."""
        p, half = self.p, self.p.row_length / 2
        edges, y, side = [Edge(p.tab / 2, 0.0, half, 0.0, 0.0)], 0.0, 1.0
        for row in range(p.rows):
            edges.append(Edge(side * half, y, side * half, y + p.pitch, side))
            y += p.pitch
            last = row == p.rows - 1
            edges.append(Edge(side * half, y, side * p.tab / 2 if last else -side * half, y, 0.0))
            side = -side
        return tuple(edges)

    @property
    def top(self) -> float:
        """Where the last bar is, mm."""
        return self.p.rows * self.p.pitch

    @cached_property
    def sprung(self) -> Sprung:
        """It as printed."""
        p, growth = self.p, self.process.growth.mean
        winding = Winding(self.line(), p.thickness + 2 * growth, p.width, fill_of(self.process, p.loops),
                          self.process.modulus.mean, self.process.plastic.poisson)
        gap = p.pitch - p.thickness
        pressed = p.action == PRESSED
        return Sprung(self.process, p.travel, winding.thickness, gap, p.rows * gap, p.cycles, p.force, pressed, winding,
                      -1 if pressed else 1)

    @property
    def wide(self) -> float:
        """Across all its turns, mm."""
        return self.p.row_length + self.p.pitch + self.p.thickness

    def solid(self) -> tree.Solid:
        """The bar and its tabs, standing on the bed."""
        p, half, over = self.p, self.p.tab / 2, self.p.thickness / 2
        # The bar begins inside its tab.
        line = self.line()
        first, last = line[0], line[-1]
        inside = min(0.5, half)
        run = (Edge(first.x0 - inside, 0.0, first.x1, 0.0, 0.0), *line[1:-1],
               Edge(last.x0, last.y0, last.x1 - math.copysign(inside, last.x1), last.y1, 0.0))
        tabs = [rectangle(-half, -p.tab, half, over), rectangle(-half, self.top - over, half, self.top + p.tab)]
        whole = tree.union([tree.Extrude(stroke(run, p.thickness), p.width), *(tree.Extrude(tab, p.width) for tab in tabs)])
        if p.ends == EYE:
            eyes = [tree.cylinder(p.eye / 2, p.width + 2).move(y=y, z=-1) for y in (-half, self.top + half)]
            whole = whole - tree.union(eyes)
        return whole

    def motion(self) -> Motion:
        """It is stretched, or pressed."""
        s = self.sprung
        travels, moved, _, _ = s.states
        bow = Bow(s.winding.nodes, np.concatenate([np.zeros((1, *moved.shape[1:])), moved]), np.concatenate([[0.0], travels]))

        def warp(points: Array, value: float) -> Array:
            found = points.copy()
            found[:, :2] = bow.follow(points[:, :2], value)
            # The tabs are stiff: each goes with its end.
            half, over = self.p.tab / 2 + 1e-6, self.p.thickness / 2 + 1e-6
            inside = np.abs(points[:, 0]) <= half
            first, last = inside & (points[:, 1] <= over), inside & (points[:, 1] >= self.top - over)
            found[first] = points[first]
            found[last] = points[last] + np.array([0.0, s.way * value, 0.0])
            return found

        def bends(value: float) -> dict[str, Warp]:
            return {"A": lambda points: warp(points, value)} if value > 1e-6 else {}

        def strain(points: Array, value: float) -> Array:
            tabs = (np.abs(points[:, 0]) < half) & ((points[:, 1] <= over) | (points[:, 1] >= self.top - over))
            return np.where(tabs, 0.0, s.strained(points[:, :2], value))

        half, over = self.p.tab / 2, self.p.thickness / 2 + 1e-6
        label = "Stretch" if s.way > 0 else "Press"
        return Motion(label, "mm", 0.0, self.p.travel, 0.0, 0.0, trial=ALONE, bends=bends, flexing=("A",),
                      mend=("pitch", "rows"), show=0.7 * self.p.travel, course=s.course(label.lower() + "ed"),
                      strains=lambda value: {"A": lambda points: strain(points, value)}, stands=100 * s.permissible)


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
    spare = plan.sprung.winding.length - plan.top
    if p.action == STRETCHED and p.travel > STRAIGHTENS * spare:
        raise SolveError(f"stretched by {p.travel:g} mm it is all but a straight bar: that would be {spare:.0f} mm longer",
                         field="travel", value=p.travel, limit=round(STRAIGHTENS * spare, 1))
    if p.ends == EYE and p.eye > p.tab - 2:
        raise SolveError(f"an eye of {p.eye:g} mm leaves no wall in a tab of {p.tab:g}", field="eye", value=p.eye,
                         limit=p.tab - 2)


def solve(params: ZigzagSpringParams, process: Process) -> Solution:
    """Work out a zig-zag spring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no spring, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    _refuse_what_cannot_be(plan)
    s = plan.sprung
    motion = plan.motion()
    inner = (p.pitch - p.thickness) / 2
    checks = spring.checks(s, {"strain": ("rows", "row_length", "thickness"), "gap": ("pitch",),
                               "load": ("width", "thickness", "rows")})
    checks.append(Check("turns-round", "Turns are round", inner, ROUND * p.thickness, "mm", mend=("pitch", "thickness"),
                        topic="shape", why="inside; bars break just beside a sharp turn",
                        basis="half the thickness (common practice, no source)"))
    root = process.plastic.strength * p.width * (p.tab - (p.eye if p.ends == EYE else 0.0)) / 2
    checks.append(Check("tab-holds", "Tabs hold", root, s.at_travel, "N", stop=s.at_travel / 2, mend=("tab", "width"),
                        topic="shape", why="beside the eye, twofold" if p.ends == EYE else "across, twofold",
                        basis="twofold on what breaks without warning (common practice, no source)"))
    if p.action == PRESSED:
        checks.append(Check("straight", "Stays straight", (plan.top + p.thickness) / plan.wide, SLENDER, "", least=False,
                            mend=("rows", "row_length", "pitch"), topic="shape",
                            why="length over width; a longer one goes aside unless it is guided",
                            basis="twice as long as wide (common practice, no source)"))

    def draw() -> Shape:
        half, over, high = p.row_length / 2, p.thickness / 2, p.width
        callouts = (Callout(f"bar {p.thickness:g}", (0, p.pitch - over, high), (0, p.pitch + over, high)),
                    Callout(f"row {p.row_length:g}", (-half, 0, high), (half, 0, high)))
        views = (SectionView("drawn", 0.0, high / 2, axis="z"), SectionView("at its travel", p.travel, high / 2, axis="z"))
        body = Body("A", "spring", tree.Box(-p.tab / 2, -p.tab, 0, p.tab / 2, -p.tab / 2, p.width))
        region = (-plan.wide / 2, -p.tab, 0.0, plan.wide / 2, plan.top + p.tab, p.width)
        return Shape((body,), (Share("spring", "A", add=plan.solid()),), callouts, views, region=region,
                     bends_along=((1.0, 0.0, 0.0),))

    return spring.solution(KIND, p, s, f"{p.rows} rows", motions=(motion,), draw=draw, checks=tuple(checks))



KIND = Kind(
    id="zigzag-spring",
    title="Zig-zag spring",
    summary="Bars side by side, joined by round turns, that stretch or press along their line.",
    needs=(HOLD,),
    params=ZigzagSpringParams,
    solve=solve,
    questions=(
        Question("What must it do?", ("action", "travel", "force", "cycles")),
        Question("How many bars, and how long?", ("rows", "row_length", "pitch")),
        Question("How thick are they?", ("thickness", "width", "loops")),
        Question("What is it held by?", ("ends", "tab", "eye")),
    ),
    recommend="thickness",
    clearance="",
    test_piece={"rows": 2},
    sides={"spring": "the spring itself"},
    cautions=CAUTIONS,
    outcomes=SPRUNG,
    weighs="travel",
    variant="action",
    tuned=("thickness", "rows", "row_length", "width", "pitch"),
)
