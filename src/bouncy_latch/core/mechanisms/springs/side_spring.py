"""Side spring: a thin bar in the edge of a lid, held at both ends, whose nub presses on the wall beside it and gives way."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex.bars import Bar, bars
from bouncy_latch.core.flex.warp import Bow
from bouncy_latch.core.flex.winding import LINE, Winding
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import (
    CLOSE,
    HOLD,
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
from bouncy_latch.core.mechanisms.contract.answer import SIDEWAYS
from bouncy_latch.core.mechanisms.springs import giving, spring
from bouncy_latch.core.mechanisms.springs.giving import Giving
from bouncy_latch.core.mechanisms.springs.sizes import ANSWERS, CAUTIONS, FORCE_HELP, SpringParams
from bouncy_latch.core.mechanisms.springs.spring import Wanted, fill_of, room_for
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import SPRUNG
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Edge, from_corners, polygon, rectangle

PLAIN, DENTED = "plain", "for a dent"
ONE, TWO = "one side", "both sides"
NUB = 3.0
"""Radius of a nub, mm (common practice, no source)."""
SPREADS = 0.7
"""How much of a nub's height takes part in the bending of the bar it sits on."""
FURTHEST = 0.15
"""Of its length that a bar held at both ends gives at the most: it is stretched as it gives."""
Mask = npt.NDArray[np.bool_]


class SideSpringParams(SpringParams):
    """Sizes of side springs."""

    opening: float = number(60, label="opening", unit="mm", role="given", low=6, high=600, step=0.1, source="you",
                            help="Measured distance between the two walls.")
    travel: float = number(0.5, label="bars bend by", unit="mm", role="chosen", low=0.05, high=20, step=0.05,
                           help="How far the nub reaches beyond the wall, as printed: so far the bar bends.")
    force: float | None = number(None, label="force of one bar", unit="N", role="given", low=0.05, high=1000, step=0.1,
                                 source="you", help=FORCE_HELP)
    bars_on: str = choice(TWO, (ONE, TWO), label="bars on", role="chosen",
                         help="One bar pushes the lid against the other wall.")
    length: float = number(44, label="bar length", unit="mm", role="chosen", low=4, high=300, step=0.5,
                           help="Free length of a bar between its ends.")
    slack: float = number(0.4, label="lid narrower by", unit="mm", role="chosen", low=0, high=5, step=0.05,
                          help="How much narrower than the opening the lid is, on either side.")
    nub: str = choice(PLAIN, (PLAIN, DENTED), label="nub", role="chosen",
                      help="A plain nub holds by friction; one for a dent in the wall clicks into it.")


@frozen
class Plan:
    """Side springs in a lid on a printer: the lid about the origin, its bars along y at its edges in x."""

    p: SideSpringParams
    process: Process

    @property
    def edge(self) -> float:
        """Where the lid's edges are, mm from its middle."""
        return self.p.opening / 2 - self.p.slack

    @property
    def tip(self) -> float:
        """Where the nubs reach as drawn, mm from the middle: they print out to what they are to give."""
        return self.p.opening / 2 + self.p.travel - self.process.growth.mean

    @property
    def slot(self) -> float:
        """Width of the slot behind a bar, mm."""
        return self.p.travel + room_for(self.process)

    @property
    def fillet(self) -> float:
        """Radius at the ends of the slot, mm."""
        return self.slot / 2

    @property
    def signs(self) -> tuple[float, ...]:
        """On which sides there are bars."""
        return (1.0, -1.0) if self.p.bars_on == TWO else (1.0,)

    @cached_property
    def bends(self) -> float:
        """How much of half a bar bends, mm: under the nub it is thicker by 0.7 of the nub's height (fitted to plane-stress
        elements of bars of 1.2 to 2, nubs 0.5 to 3.5 high, within 3 % of the stiffness)."""
        p = self.p
        at = np.linspace(0.0, NUB, 61)
        rise = np.maximum(np.sqrt(NUB**2 - at**2) - NUB + (self.tip - self.edge), 0.0)
        thick = p.thickness + 2 * self.process.growth.mean
        return p.length / 2 - float(np.trapezoid(1 - (thick / (thick + SPREADS * rise)) ** 3, at))

    @cached_property
    def sprung(self) -> Giving:
        """Half a bar as printed: from its end to its nub, which does not turn nor leave its line, so it is stretched too."""
        p, bends = self.p, self.bends
        winding = Winding((Edge(0.0, 0.0, bends / 2, 0.0, 0.0), Edge(bends / 2, 0.0, bends, 0.0, 0.0)),
                          p.thickness + 2 * self.process.growth.mean, p.width, fill_of(self.process, p.loops),
                          self.process.modulus.mean, self.process.plastic.poisson, LINE, self.fillet,
                          nub=self.process.line_width / 2)
        return Giving(self.process, p.travel, winding.thickness, self.slot, self.slot, p.cycles,
                      Wanted(p.force, p.rate_asked, p.energy_asked), True, winding, -1, 2)

    @property
    def half(self) -> float:
        """How far the lid reaches along y, mm."""
        return self.p.length / 2 + self.slot + 4.0

    def cuts(self) -> tree.Solid:
        """The slots behind the bars."""
        p, r, back = self.p, self.slot / 2, self.edge - self.p.thickness
        y, bulge = p.length / 2 - r, -math.tan(-math.pi / 4)
        slot = from_corners([(back - self.slot, -y, bulge), (back, -y, 0.0), (back, y, bulge), (back - self.slot, y, 0.0)])
        one = tree.Extrude(slot, p.width + 2).move(z=-1)
        return tree.union([one if side > 0 else one.mirror("x") for side in self.signs])

    def sections(self) -> tuple[Bar, ...]:
        """Return a section of every bar, between its end's fillet and its nub."""
        x, far = self.edge - self.p.thickness / 2, self.p.length / 2 - self.fillet
        nodes = np.array([[0.0, NUB + 0.2 * (far - NUB)], [0.0, far]])
        return tuple(bar for side in self.signs for bar in bars(nodes, np.array([self.sprung.winding.made.area]),
                                                                tree.moved_to(side * x, 0.0, self.p.width / 2)))

    def nubs(self) -> tree.Solid:
        """The nubs, bevelled above and below."""
        p, bevel = self.p, min(self.p.travel + 0.3, self.p.width / 3, NUB / 2)
        round_ = tree.Revolve(polygon([(0, 0), (NUB - bevel, 0), (NUB, bevel), (NUB, p.width - bevel), (NUB - bevel, p.width),
                                       (0, p.width)]))
        ahead = tree.Extrude(rectangle(self.edge - self.p.thickness / 2, -NUB - 1, self.tip + 1, NUB + 1), p.width)
        one = round_.move(x=self.tip - NUB) & ahead
        if self.tip - NUB > self.edge:
            # One that stands out further than it is round has a neck.
            neck = rectangle(self.edge - p.thickness / 2, -NUB + bevel, self.tip - NUB, NUB - bevel)
            one = tree.union([one, tree.Extrude(neck, p.width)])
        return tree.union([one if side > 0 else one.mirror("x") for side in self.signs])

    @cached_property
    def _bow(self) -> Bow:
        travels, moved, _, _ = self.sprung.states
        moved = np.concatenate([np.zeros((1, *moved.shape[1:])), moved])
        return Bow(self.sprung.winding.nodes, moved, np.concatenate([[0.0], travels]))

    def _local(self, points: Array) -> tuple[Array, Mask]:
        """Return where on their half bar points (n, 3) are, (n, 2), and which are on one: x from its end, y outwards."""
        x, y = points[:, 0], points[:, 1]
        out = np.where(x > 0, 1.0, -1.0)
        inside = self.edge - self.p.thickness - 1e-4
        bar = (out * x >= inside) & (np.abs(y) <= self.p.length / 2) & ((out > 0) | (len(self.signs) > 1))
        middle = self.edge - self.p.thickness / 2
        return np.column_stack([self.p.length / 2 - np.abs(y), out * x - middle]), bar

    def follow(self, points: Array, value: float) -> Array:
        """Return where points (n, 3) of it are when its bars have given ``value`` mm."""
        local, bar = self._local(points)
        found, gone = points.copy(), self._bow.follow(local, value)
        out, way = np.where(points[:, 0] > 0, 1.0, -1.0), np.where(points[:, 1] >= 0, 1.0, -1.0)
        # The nub goes straight with the middle of its bar.
        nub = bar & (np.abs(points[:, 1]) <= NUB) & (local[:, 1] > self.p.thickness / 2 - 1e-4)
        gone[nub] = local[nub] + np.array([0.0, -value])
        found[bar, 0] = (out * (gone[:, 1] + self.edge - self.p.thickness / 2))[bar]
        found[bar, 1] = (way * (self.p.length / 2 - gone[:, 0]))[bar]
        return found

    def strained(self, points: Array, value: float) -> Array:
        """Return how strained points (n, 3) of it are, (n,), as a part of what it stands."""
        local, bar = self._local(points)
        return np.where(bar & (np.abs(local[:, 1]) <= self.p.thickness / 2 + 1e-4), self.sprung.strained(local, value), 0.0)


def _refuse_what_cannot_be(plan: Plan) -> None:
    p = plan.p
    if p.travel > FURTHEST * p.length:
        raise SolveError(f"a bar {p.length:g} mm long, held at both ends, does not give {p.travel:g}", field="travel",
                         value=p.travel, limit=round(FURTHEST * p.length, 2))
    if plan.edge - p.thickness - plan.slot < 4:
        raise SolveError(f"bars and slots leave nothing of a lid for an opening of {p.opening:g} mm", field="opening",
                         value=p.opening, limit=round(2 * (4 + p.thickness + plan.slot + p.slack), 1))
    if p.length < 3 * NUB:
        raise SolveError(f"a bar {p.length:g} mm long has no room for its nub", field="length", value=p.length, limit=3 * NUB)


def solve(params: SideSpringParams, process: Process) -> Solution:
    """Work out side springs for the effective ``process``.

    Raises:
        SolveError: when the parameters describe none, or they bend further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    _refuse_what_cannot_be(plan)
    s = plan.sprung
    checks = spring.checks(s, {"strain": ("length", "thickness", "travel"), "gap": ("travel",),
                               "load": ("thickness", "length", "width")})
    checks += giving.checks(s, ("thickness", "length", "travel"))
    derived = (*spring.derived(s), *giving.derived(s, "a bar", p.nub == DENTED),
               Derived("tips", "across the nubs, drawn", plan.tip + (plan.tip if p.bars_on == TWO else plan.edge), "mm",
                       "opening + give − growth, on every side with a bar", process.source),
               Derived("stretched", "of that by being stretched", 100 * (1 - s.rate * p.travel / s.at_travel), "%",
                       "1 − first stiffness · give / press: held at both ends", "geometry"))

    def draw() -> Shape:
        high, half, edge = p.width, plan.half, plan.edge
        callouts = (Callout(f"opening {p.opening:g}", (-p.opening / 2, 0, high), (p.opening / 2, 0, high)),
                    Callout(f"bar {p.length:g}", (edge, -p.length / 2, high), (edge, p.length / 2, high)))
        views = (SectionView("drawn", 0.0, high / 2, axis="z"), SectionView("between its walls", p.travel, high / 2, axis="z"))
        lid = blocks.block(-edge, -half, edge, half, high)
        return Shape((Body("A", "lid", lid),), (Feature("bars", "A", add=plan.nubs(), cut=plan.cuts()),), callouts, views,
                     region=(-edge, -half, 0.0, edge, half, high), bends_along=((0.0, 1.0, 0.0),))

    return spring.solution(KIND, p, s, f"{p.bars_on}, {p.nub}",
                           motions=(spring.moving(s, "Give way", "given way", plan.follow, plan.strained,
                                                  ("travel", "length"), plan.sections, 0.9),),
                           draw=draw, checks=tuple(checks), derived=derived)


KIND = Kind(
    id="side-spring",
    title="Side spring",
    force="spring_force",
    summary="A thin bar in the edge of a lid whose nub presses on the wall beside it: no fit to hit, or a click into a dent.",
    tasks=(CLOSE, HOLD),
    answers={"opened": ANSWERS["opened"], "size": Answer("opening"), "effort": Answer(figure="push_in"),
             "load": Answer(figure="pull_out"),
             "direction": Answer(refuses={SIDEWAYS: "only its friction along the wall is worked out"})},
    params=SideSpringParams,
    solve=solve,
    questions=(
        Question("What does it go between?", ("opening", "travel", "force", "rate_asked", "energy_asked", "cycles")),
        Question("How long and how thick are its bars?", ("length", "thickness", "width", "loops")),
        Question("What else?", ("bars_on", "nub", "slack")),
    ),
    recommend="thickness",
    clearance="",
    test_piece=lambda params: {"width": max(params.width / 2, 2.0)},
    sides={"bars": "the lid"},
    cautions=CAUTIONS,
    outcomes=SPRUNG,
    tuning=Tuning(sizes=("thickness", "length", "travel", "width"), trade_off=("rate", "strain")),
)
