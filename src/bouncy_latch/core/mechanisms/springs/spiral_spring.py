"""Spiral spring: a flat strip wound from an arbor out to its anchor, turned until it is wound up."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex.bars import PLACES, Bar, bars
from bouncy_latch.core.flex.spiral import EVEN_GAP, EVEN_STRESS, Spiral
from bouncy_latch.core.flex.warp import by_place
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import PEEL_FRONT
from bouncy_latch.core.mechanisms.contract import (
    SPRING,
    TURN,
    Answer,
    Callout,
    Derived,
    Kind,
    Question,
    SectionView,
    Shape,
    Solution,
    Tuning,
)
from bouncy_latch.core.mechanisms.springs import spring
from bouncy_latch.core.mechanisms.springs.coiled import Coiled
from bouncy_latch.core.mechanisms.springs.framed import NOTHING, Cover
from bouncy_latch.core.mechanisms.springs.sizes import ANSWERS, CAUTIONS, SpringParams
from bouncy_latch.core.mechanisms.springs.spring import Wanted, fill_of, room_for
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import SPRUNG
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Outline, from_corners, polygon, rectangle

Mask = npt.NDArray[np.bool_]
TAB, PIN = "tab", "pin"
DRUM = "a drum, floor and roof"
LEFT, RIGHT = "left", "right"
CORNERS = 16
"""Corners of a coil's outline a turn."""
STEP = 2.0
"""Width over thickness of the step of the arbor that the strip grows out of."""
ROOM = 0.7
"""Between the arbor and the strip where it leaves the step, mm: a wedge that closes to nothing would print as one."""
DRUM_WALL = 2.4
"""Thickness of the drum's wall, mm (common practice, no source)."""
HUB_WALL = 1.2
"""Least wall between the corners of the square and the outside of the arbor, mm (common practice, no source)."""

NEAR = 1e-3
"""Angle to either side over which its direction is taken, rad."""


class SpiralSpringParams(SpringParams):
    """Sizes of a spiral spring."""

    travel: float = number(1, label="turns wound", unit="turns", role="given", low=0.01, high=40, step=0.1, source="you",
                           help="How far the spring is wound from the state it is printed in.")
    torque: float | None = number(None, label="torque at travel", unit="N·mm", role="given", low=0.1, high=100_000, step=1,
                                  source="you", help="Torque asked when wound so far. Left empty, any torque will do.")
    form: str = choice(EVEN_GAP, (EVEN_GAP, EVEN_STRESS), label="spacing", role="chosen",
                       help="Coils evenly apart, or spaced so that all of them are strained alike and close at the same "
                            "torque.")
    turns: float = number(7, label="coils", unit="turns", role="chosen", low=0.5, high=30, step=0.25,
                          help="Coils of the strip between arbor and outer end, as printed.")
    inner_radius: float = number(7, label="inner radius", unit="mm", role="chosen", low=1.5, high=100, step=0.5,
                                 help="Inside of the strip where it begins, a line's room round the arbor.")
    outer_radius: float = number(30, label="outer radius", unit="mm", role="chosen", low=3, high=300, step=0.5,
                                 help="Outside of the strip where it ends.")
    bore: float = number(6, label="square hole", unit="mm", role="chosen", low=1, high=60, step=0.5,
                         help="Square hole of the arbor, across its flats, for what turns it.")
    anchor: str = choice(TAB, (TAB, PIN), label="outer end", role="chosen",
                         help="A tab that is held so that it cannot turn, or an eye on a pin, which is a fifth softer.")
    tab: float = number(8, label="tab", unit="mm", role="chosen", low=2, high=60, step=0.5, help="Length and width of the tab.")
    eye: float = number(3, label="eye", unit="mm", role="chosen", low=1, high=40, step=0.5, when={"anchor": (PIN,)},
                        help="Diameter of the hole for the pin.")
    around: str = choice(NOTHING, (NOTHING, DRUM), label="housing", role="chosen",
                         help="A drum that its outer end grows into, with a floor and a roof that its arbor passes through.")
    hand: str = choice(RIGHT, (RIGHT, LEFT), label="winds", role="chosen",
                       help="Which way the arbor is turned to wind it up, seen from above: right is clockwise.")


@frozen
class Plan:
    """A spiral on a printer: its arbor about z, the strip's inner end on the x axis."""

    p: SpiralSpringParams
    process: Process

    @cached_property
    def drawn(self) -> Spiral:
        """The strip as drawn."""
        p, half = self.p, self.p.thickness / 2
        return Spiral(p.inner_radius + half, p.outer_radius - half, p.turns, p.thickness, p.width,
                      fill_of(self.process, p.loops), self.process.modulus.mean, self.process.plastic.poisson, p.anchor == TAB,
                      p.form == EVEN_GAP)

    @cached_property
    def coiled(self) -> Coiled:
        """It as printed: thicker by the growth of both sides, its middle line where it was drawn."""
        p, grown = self.p, self.p.thickness + 2 * self.process.growth.mean
        printed = replace(self.drawn, thickness=grown)
        return Coiled(self.process, p.travel, grown, self.drawn.least_gap, self.drawn.solid_turns, p.cycles,
                      Wanted(p.torque, p.rate_asked, p.energy_asked), True, printed, self.cover.by_hand if self.cover else 1.0)

    @property
    def arbor(self) -> float:
        """Radius of the arbor: under the strip where it begins there is room for a line."""
        return self.p.inner_radius - ROOM

    @property
    def side(self) -> float:
        """1 where the strip runs outwards anticlockwise: wound up by turning the arbor clockwise."""
        return 1.0 if self.p.hand == RIGHT else -1.0

    @cached_property
    def end(self) -> tuple[float, float, float]:
        """Where the strip's middle ends, mm, and the angle at which it runs on, rad."""
        angles, radii = self.drawn.angles, self.drawn.radii
        lean = math.atan2(radii[-1] - radii[-2], radii[-1] * (angles[-1] - angles[-2]))
        x, y = radii[-1] * math.cos(angles[-1]), radii[-1] * math.sin(angles[-1])
        return float(x), float(y), float(angles[-1] + math.pi / 2 - lean)

    def strip(self) -> Outline:
        """The strip's outline, arcs through corners of both sides."""
        angles, radii, half = self.drawn.angles, self.drawn.radii, self.p.thickness / 2
        at = np.linspace(0.0, angles[-1], max(8, math.ceil(CORNERS * self.p.turns)) + 1)
        r = np.interp(at, angles, radii)
        slope = np.gradient(r, at)
        heading = at + math.pi / 2 - np.arctan2(slope, r)
        bulge = np.tan(np.diff(heading) / 4)
        x, y = r * np.cos(at), r * np.sin(at)
        nx, ny = np.sin(heading), -np.cos(heading)
        outside = np.column_stack([x + half * nx, y + half * ny, np.append(bulge, 0.0)])
        inside = np.column_stack([x - half * nx, y - half * ny, np.append(0.0, -bulge)])[::-1]
        return from_corners([(float(cx), float(cy), float(arc)) for cx, cy, arc in (*outside, *inside)])

    def _beside_end(self, along: float, out: float) -> tuple[float, float]:
        """A place so far along the strip beyond its end, and outwards of its middle, mm."""
        x, y, heading = self.end
        c, s = math.cos(heading), math.sin(heading)
        return x + along * c + out * s, y + along * s - out * c

    def sections(self) -> tuple[Bar, ...]:
        """Return sections of the strip."""
        spiral, low = self.coiled.spiral, self.cover.lifted if self.cover else 0.0
        last = float(spiral.angles[-1])
        found: list[Bar] = []
        # Its ends lie in the arbor's step and in its tab.
        for at in np.linspace(min(0.7, 0.3 * last), max(last - 0.7, 0.7 * last), PLACES):
            beside = at + np.array([-NEAR, NEAR])
            radii = np.interp(beside, spiral.angles, spiral.radii)
            nodes = np.column_stack([radii * np.cos(beside), self.side * radii * np.sin(beside)])
            found += bars(nodes, np.array([spiral.made.area]), tree.moved_to(0.0, 0.0, low + self.p.width / 2))
        return tuple(found)

    def solid(self) -> tree.Solid:
        """Arbor, strip and what holds its outer end, standing on the bed."""
        p, half, high = self.p, self.p.thickness / 2, self.p.width
        # The strip grows out of a step of the arbor that is as high as it is thick, and falls off as the next coil does.
        back = STEP * p.thickness
        lean = math.atan2(back, p.inner_radius + p.thickness)
        falls = lean / (2 * math.pi) * (self.drawn.least_gap + p.thickness) if math.isfinite(self.drawn.least_gap) else 0.0
        top = math.sqrt((p.inner_radius + p.thickness - falls) ** 2 - back**2)
        step = polygon([(0.0, -back), (top, -back), (p.inner_radius + p.thickness, 0.0), (p.inner_radius + p.thickness, 0.05),
                        (0.0, 0.05)])
        held = polygon([self._beside_end(*corner) for corner in (
            (-0.3, -half), (p.tab, -half), (p.tab, p.tab - half), (-0.3, p.tab - half))])
        grown = (tree.Extrude(each, high) for each in (step, self.strip(), held))
        whole = tree.union([tree.cylinder(self.arbor, high), *grown])
        square = rectangle(-p.bore / 2, -p.bore / 2, p.bore / 2, p.bore / 2)
        holes: list[tree.Solid] = [tree.Extrude(square, high + 2).move(z=-1)]
        if p.anchor == PIN:
            x, y = self._beside_end(p.tab / 2, p.tab / 2 - half)
            holes.append(tree.cylinder(p.eye / 2, high + 2).move(x, y, -1))
        whole = whole - tree.union(holes)
        return whole if self.side > 0 else whole.mirror("y")

    @cached_property
    def cover(self) -> Cover | None:
        """Floor and roof, where it has them."""
        if self.p.around == NOTHING:
            return None
        made = self.drawn.made
        holds = made.bending * self.process.plastic.strength / (self.p.thickness / 2) / PEEL_FRONT
        return Cover(self.process, self.p.width, (PEEL_FRONT, self.p.thickness), holds)

    @property
    def drum(self) -> tuple[float, float]:
        """Radii of the drum's wall, inside and outside, mm."""
        inside = self.p.outer_radius + room_for(self.process)
        return inside, inside + DRUM_WALL

    def housed(self) -> tree.Solid:
        """It in its drum: its outer end grows into the wall, its arbor stands on the bed and turns in floor and roof."""
        cover, (inside, outside) = self.cover, self.drum
        if cover is None:
            return self.solid()
        through = self.arbor + room_for(self.process)
        square = rectangle(-self.p.bore / 2, -self.p.bore / 2, self.p.bore / 2, self.p.bore / 2)
        kept = self.solid() & tree.cylinder(outside, self.p.width)
        drum = [blocks.tube(inside, outside, cover.top), *cover.slabs(lambda thick: blocks.tube(through, outside - 0.5, thick))]
        arbor = tree.cylinder(self.arbor, cover.top) - tree.Extrude(square, cover.top + 2).move(z=-1)
        return tree.union([kept.move(z=cover.lifted), *drum, arbor])

    def warp(self, points: Array, turns: float) -> Array:
        """Return where points (n, 3) of it are when it is wound: the arbor turns, coils close, its outer end stays."""
        spiral, side = self.drawn, self.side
        angles, radii = spiral.angles, spiral.radii
        x, y = points[:, 0], side * points[:, 1]
        away, coil, arbor, still = self._where(points)
        turned, now = self.coiled.spiral.shown(turns)
        radius = away - np.interp(coil, angles, radii) + np.interp(coil, angles, now)
        angle = np.interp(coil, angles, turned)
        found = np.column_stack([radius * np.cos(angle), side * radius * np.sin(angle), points[:, 2]])
        back = -2 * math.pi * turns
        cos, sin = math.cos(back), math.sin(back)
        found[arbor, 0] = x[arbor] * cos - y[arbor] * sin
        found[arbor, 1] = side * (x[arbor] * sin + y[arbor] * cos)
        found[still] = points[still]
        return found

    def _where(self, points: Array) -> tuple[Array, Array, Mask, Mask]:
        """Return of points (n, 3) how far they are from the axis, the angle of the coil they are nearest to, and whether they
        go with the arbor, or stay with what holds the outer end."""
        line = self.drawn.angles.tobytes(), self.drawn.radii.tobytes(), repr((self.p, self.side)).encode()
        away, coil, arbor, still = by_place(line, points[:, :2], self._place)
        if self.cover:
            inmost = away <= self.arbor + 1e-3
            still = still | ((self.cover.hides(points[:, 2]) | (away >= self.drum[0] - 0.05)) & ~inmost)
            arbor = arbor & (inmost | ~still)
        return away, coil, arbor, still

    def _place(self, points: Array) -> tuple[Array, Array, Mask, Mask]:
        angles, radii = self.drawn.angles, self.drawn.radii
        x, y = points[:, 0], self.side * points[:, 1]
        away, round_ = np.hypot(x, y), np.mod(np.arctan2(y, x), 2 * math.pi)
        coils = round_[:, None] + 2 * math.pi * np.arange(math.ceil(self.p.turns) + 1)
        off = np.where(coils <= angles[-1] + 1e-9, np.abs(away[:, None] - np.interp(coils, angles, radii)), np.inf)
        coil, least = coils[np.arange(len(points)), off.argmin(axis=1)], off.min(axis=1)
        # The step that the strip grows out of goes with the arbor.
        near = away <= math.hypot(self.p.inner_radius + self.p.thickness, STEP * self.p.thickness) + 1e-6
        arbor = (near & (least > 0.75 * self.p.thickness)) | (away <= self.arbor + 1e-6)
        return away, np.asarray(coil), arbor, (least > self.p.thickness) & ~arbor

    def strain(self, points: Array, turns: float) -> Array:
        """Return how strained points (n, 3) of it are when it is wound, (n,), as a part of what it stands."""
        away, coil, arbor, still = self._where(points)
        aside = np.abs(away - np.interp(coil, self.drawn.angles, self.drawn.radii))
        along = np.interp(coil, self.drawn.angles, self.coiled.spiral.strained(turns))
        across = np.minimum(2 * aside / self.p.thickness, 1.0)
        return np.where(np.logical_or(arbor, still), 0.0, along * across / self.coiled.permissible)


def _refuse_what_cannot_be(plan: Plan) -> None:
    p = plan.p
    if p.outer_radius < p.inner_radius + 2 * p.thickness:
        raise SolveError(f"between {p.inner_radius:g} and {p.outer_radius:g} mm there is no room for a spiral",
                         field="outer_radius", value=p.outer_radius, limit=round(p.inner_radius + 2.5 * p.thickness, 1))
    if p.bore * math.sqrt(2) / 2 > plan.arbor - 0.4:
        raise SolveError(f"a square of {p.bore:g} leaves nothing of an arbor of {plan.arbor:g} mm radius", field="bore",
                         value=p.bore, limit=round((plan.arbor - 0.4) * math.sqrt(2), 1))
    room = (p.outer_radius - p.inner_radius) / (p.thickness + 0.05)
    if p.turns >= 1 and plan.drawn.least_gap < 0.05:
        raise SolveError(f"{p.turns:g} turns of {p.thickness:g} mm leave no gaps between {p.inner_radius:g} and "
                         f"{p.outer_radius:g} mm", field="turns", value=p.turns, limit=round(0.9 * room - 1, 2))
    if p.travel > 0.98 * plan.coiled.spiral.solid_turns:
        raise SolveError(f"it is solid after {plan.coiled.spiral.solid_turns:.2f} turns and cannot be wound by {p.travel:g}",
                         field="travel", value=p.travel, limit=round(0.95 * plan.coiled.spiral.solid_turns, 2))
    if p.anchor == PIN and p.eye > p.tab - 2:
        raise SolveError(f"an eye of {p.eye:g} mm leaves no wall in a tab of {p.tab:g}", field="eye", value=p.eye,
                         limit=p.tab - 2)


def solve(params: SpiralSpringParams, process: Process) -> Solution:
    """Work out a spiral spring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no spring, or it is solid before its travel.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    _refuse_what_cannot_be(plan)
    s, drawn = plan.coiled, plan.drawn
    checks = spring.checks(s, {"strain": ("turns", "thickness", "outer_radius"), "gap": ("turns", "outer_radius"),
                               "load": ("width", "thickness", "turns")})
    wall = plan.arbor - p.bore / math.sqrt(2)
    checks.append(Check("arbor-wall", "Wall of the arbor", wall, HUB_WALL, "mm", stop=0.5, mend=("inner_radius", "bore"),
                        topic="shape", why="plastic beyond the corners of the square hole",
                        basis="three lines (common practice, no source)"))
    held = process.plastic.strength * p.width * p.tab**2 / 6 / (2 if p.anchor == TAB else 4)
    checks.append(Check("anchor-holds", "Outer end holds", held, s.at_travel, "N·mm", stop=s.at_travel / 2,
                        mend=("tab", "width"), topic="shape", why="the tab bends; half of what breaks it is allowed"
                        + ("" if p.anchor == TAB else ", beside the eye"),
                        basis="twofold on what breaks without warning (common practice, no source)"))
    checks.append(Check("in-plane", "Strip stays flat", p.width, 2 * p.thickness, "mm", mend=("width", "thickness"),
                        topic="shape", why="height of the strip, which needs twice its thickness; a lower strip rises out of "
                                           "its plane when wound",
                        basis="twice as high as thick (common practice, no source)"))
    if plan.cover:
        checks.append(plan.cover.check(("thickness", "width")))
    derived = (*spring.derived(s), *((plan.cover.derived,) if plan.cover else ()),
               Derived("length", "length of the strip", drawn.length, "mm", "π · turns · (inner + outer)", "geometry"),
               Derived("turns_solid", "turns in all when solid", p.turns + s.solid, "turns",
                       "π·n·(2·arbor + t + n·t) = length", "geometry"))

    def draw() -> Shape:
        low = plan.cover.lifted if plan.cover else 0.0
        high = low + p.width
        callouts = (Callout(f"strip {p.thickness:g}", (p.outer_radius - p.thickness, 0, high), (p.outer_radius, 0, high)),
                    Callout(f"arbor {2 * plan.arbor:g}", (0, -plan.arbor, high), (0, plan.arbor, high)))
        views = (SectionView("drawn", 0.0, low + p.width / 2, axis="z"),
                 SectionView("wound", p.travel, low + p.width / 2, axis="z"))
        half = p.bore / 2
        body = Body("A", "spring", tree.Box(-plan.arbor, -0.5 * half, 0, -half - 0.1, 0.5 * half, high))
        out = p.outer_radius + p.tab
        return Shape((body,), (Feature("spring", "A", add=plan.housed()),), callouts, views, hidden=plan.p.around != NOTHING,
                     region=(-out, -out, 0.0, out, out, high), bends_along=((1.0, 0.0, 0.0),))

    moved = spring.moving(s, "Wind", "wound up", plan.warp, plan.strain, ("turns", "outer_radius"), plan.sections)
    about = f"{p.turns:g} turns, {p.form}"
    return spring.solution(KIND, p, s, about, motions=(moved,), draw=draw, checks=tuple(checks), derived=derived)


def _piece(params: SpiralSpringParams) -> dict[str, float]:
    """A lower one: as strained, and as much softer."""
    return {"width": max(params.width / 2, 2 * params.thickness)}


KIND = Kind(
    id="spiral-spring",
    title="Spiral spring",
    force="spring_force",
    summary="A flat strip wound from an arbor out to its anchor: closes lids, winds back what was pulled out.",
    tasks=(SPRING, TURN),
    answers={"opened": ANSWERS["opened"], "torque": Answer("torque", figure="torque")},
    params=SpiralSpringParams,
    solve=solve,
    questions=(
        Question("How far is it wound, and how strong?", ("travel", "torque", "rate_asked", "energy_asked", "cycles")),
        Question("What room is there?", ("inner_radius", "outer_radius", "turns", "form")),
        Question("How thick is it?", ("thickness", "width", "loops")),
        Question("What turns it, what holds it?", ("bore", "anchor", "tab", "eye", "hand", "around")),
    ),
    recommend="thickness",
    clearance="",
    test_piece=_piece,
    sides={"spring": "the spring itself"},
    cautions=CAUTIONS,
    outcomes=SPRUNG,
    variant="form",
    tuning=Tuning(sizes=("thickness", "turns", "outer_radius", "width"), trade_off=("rate", "strain"),
                  starts={"lid closer": {"travel": 0.4, "turns": 4, "inner_radius": 7, "outer_radius": 24, "thickness": 1.6,
                                         "width": 8},
            "wind-up": {"travel": 3, "turns": 13, "inner_radius": 8, "outer_radius": 48, "thickness": 1.0, "width": 10,
                        "cycles": 1000}}),
)
