"""Fin ring: thin fins round a plug, wider than the opening it goes into, that lean aside as it is pushed in."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import number
from bouncy_latch.core.flex.bars import Bar, bars
from bouncy_latch.core.flex.host import EDGE
from bouncy_latch.core.flex.warp import Bow
from bouncy_latch.core.flex.winding import FREE, Winding, stroke
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import PEEL_FRONT
from bouncy_latch.core.mechanisms.contract import (
    CLOSE,
    HOLD,
    Answer,
    Callout,
    Derived,
    Kind,
    Question,
    SeatRule,
    SectionView,
    Shape,
    Solution,
    Tuning,
)
from bouncy_latch.core.mechanisms.contract.answer import SIDEWAYS
from bouncy_latch.core.mechanisms.springs import giving, spring
from bouncy_latch.core.mechanisms.springs.framed import breaks_loose, layers_to_break
from bouncy_latch.core.mechanisms.springs.giving import Giving
from bouncy_latch.core.mechanisms.springs.sizes import ANSWERS, CAUTIONS, FORCE_HELP, SpringParams
from bouncy_latch.core.mechanisms.springs.spring import Wanted, fill_of
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import SPRUNG
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Edge, Outline, polygon

ROOM = 0.8
"""Between a fin and its core where it leaves its root, mm: a wedge that closes to nothing would print as one."""
ROUNDED = 0.5
"""Fillet over the thickness where a fin leaves its root: sharper ones break there (common practice, no source)."""
FOOT = 1.5
"""How far its root reaches back over the thickness of a fin: a shorter one would bend with it (own choice, by plane-stress
elements)."""
CORE = 3.0
"""Wall of the core, which is hollow, mm (common practice, no source)."""
STAND = 0.15
"""Least part of its length that a fin stands off its core at its tip when it has given way (common practice, no source)."""
CHORDS = 8
"""Corners that draw a fillet."""
Mask = npt.NDArray[np.bool_]


class FinRingParams(SpringParams):
    """Sizes of a fin ring."""

    opening: float = number(60, label="opening", unit="mm", role="given", low=6, high=400, step=0.1, source="you",
                            help="Measured diameter of the opening the part goes into.")
    travel: float = number(0.4, label="fins bend by", unit="mm", role="chosen", low=0.05, high=20, step=0.05,
                           help="How far the fins reach beyond the opening, on the radius, as printed: so far they bend.")
    force: float | None = number(None, label="force of all fins", unit="N", role="given", low=0.05, high=5000, step=0.5,
                                 source="you", help=FORCE_HELP)
    fins: int = number(12, label="fins", unit="", role="chosen", low=3, high=80, step=1, whole=True,
                       help="How many there are, evenly round.")
    length: float = number(16, label="fin length", unit="mm", role="chosen", low=2, high=80, step=0.5,
                           help="Free length from the core to the tip; a longer fin leans more.")
    depth: float = number(7, label="fin depth", unit="mm", role="chosen", low=1, high=60, step=0.5,
                          help="Distance from the core to the opening, on the radius.")
    plate: float = number(2, label="plate", unit="mm", role="chosen", low=0.6, high=20, step=0.2, part="plate",
                          help="Thickness of the lid that the core stands on.")
    flange: float = number(3, label="rim", unit="mm", role="chosen", low=0, high=60, step=0.5, part="plate",
                           help="How far the lid reaches beyond the opening.")


@frozen
class Plan:
    """A fin ring on a printer, about z: a plate, a core on it, fins that hang free over the plate; the first fin's tip on y."""

    p: FinRingParams
    process: Process

    @property
    def core(self) -> float:
        """Radius of the core, mm."""
        return self.p.opening / 2 - self.p.depth

    @property
    def tip(self) -> float:
        """Radius of the fins' tips as drawn, mm: they print out to what they are to give."""
        return self.p.opening / 2 + self.p.travel - self.process.growth.mean

    @property
    def foot(self) -> float:
        """Radius at which the middle of a fin leaves its root, mm."""
        return self.core + ROOM + self.p.thickness / 2

    @cached_property
    def line(self) -> tuple[Edge, Edge]:
        """The first fin's centre line from its root on the core to its tip, mm."""
        p, reach, foot = self.p, self.tip, self.foot
        for _ in range(4):
            cosine = (reach**2 + foot**2 - p.length**2) / (2 * reach * foot)
            angle = math.acos(min(max(cosine, -1.0), 1.0))
            root = foot * math.sin(angle), foot * math.cos(angle)
            # Its outer corner, half its thickness beside its middle, is what touches first.
            reach = self.tip - p.thickness / 2 * abs(root[0]) / p.length
        middle = root[0] / 2, (root[1] + reach) / 2
        return Edge(*root, *middle, 0.0), Edge(*middle, 0.0, reach, 0.0)

    @property
    def fillet(self) -> float:
        """Radius in the corner between a fin and its root, mm."""
        return min(ROUNDED * self.p.thickness, ROOM)

    @property
    def back(self) -> float:
        """How far a fin's root reaches back along it, mm."""
        return max(2 * ROOM, FOOT * self.p.thickness)

    @property
    def _along(self) -> tuple[Array, Array, Array]:
        """Where the first fin begins (2,), its direction (2,), and that towards the core across it (2,)."""
        first, last = self.line[0], self.line[-1]
        root = np.array([first.x0, first.y0])
        along = np.array([last.x1, last.y1]) - root
        along /= np.hypot(*along)
        inward = np.array([-along[1], along[0]])
        return root, along, inward * -np.sign(inward @ root)

    @cached_property
    def flat(self) -> tuple[Outline, Outline, Outline]:
        """The first fin, its root, straight down to the core and back along the fin, and the fillet between both."""
        p, f, (root, along, inward), last = self.p, self.fillet, self._along, self.line[-1]
        deep, out, inside = 2 * ROOM + p.thickness, -p.thickness / 2, 0.1

        def at(forward: float, down: float) -> tuple[float, float]:
            x, y = root + forward * along + down * inward
            return float(x), float(y)

        foot = polygon(_left_about([at(0.0, out), at(0.0, deep), at(-self.back, deep), at(-self.back, out)]))
        around = [at(f * (1 - math.sin(a)), -out + f * (1 - math.cos(a))) for a in np.linspace(0.0, math.pi / 2, CHORDS)]
        fillet = polygon(_left_about([at(-inside, -out - inside), at(f, -out - inside), *around, at(-inside, -out + f)]))
        begin = at(-inside, 0.0)
        return stroke((Edge(*begin, last.x1, last.y1, 0.0),), p.thickness), foot, fillet

    @cached_property
    def sprung(self) -> Giving:
        """It as printed."""
        p = self.p
        winding = Winding(self.line, p.thickness + 2 * self.process.growth.mean, p.width, fill_of(self.process, p.loops),
                          self.process.modulus.mean, self.process.plastic.poisson, FREE, self.fillet, grown=EDGE)
        return Giving(self.process, p.travel, winding.thickness, self.gap, self.solid_at, p.cycles,
                      Wanted(p.force, p.rate_asked, p.energy_asked), False, winding, -1, p.fins)

    @cached_property
    def gap(self) -> float:
        """Least drawn gap between neighbouring fins, mm."""
        part = np.linspace(0.0, 1.0, 40)[:, None]
        last = self.line[-1]
        root, along, _ = self._along
        own = (1 - part) * (root - self.back * along) + part * np.array([last.x1, last.y1])
        gaps = [np.hypot(*(own[:, None] - self.turned(own, side)[None]).transpose(2, 0, 1)).min() for side in (1, -1)]
        return float(min(gaps)) - self.p.thickness

    @property
    def solid_at(self) -> float:
        """Radial give at which a tip meets the core, mm."""
        return self.tip - self.core - self.p.thickness

    def turned(self, points: Array, fin: float) -> Array:
        """Return points (n, 2) of the first fin as another one has them."""
        c, s = math.cos(2 * math.pi * fin / self.p.fins), math.sin(2 * math.pi * fin / self.p.fins)
        return np.column_stack([c * points[:, 0] - s * points[:, 1], s * points[:, 0] + c * points[:, 1]])

    @cached_property
    def holds(self) -> float:
        """Force at its tip that a fin bears, N."""
        p, made = self.p, self.sprung.winding.made
        return float(made.bending * self.process.plastic.strength / (p.thickness / 2) / p.length)

    @cached_property
    def layers(self) -> int:
        """Layers of air under the fins: as few as let them break loose."""
        return layers_to_break(self.process, (min(PEEL_FRONT, self.p.length), self.p.thickness), self.holds)

    @property
    def loose(self) -> float:
        """Chance that the fins break loose from the plate when they are pushed aside."""
        return breaks_loose(self.process, self.layers, (min(PEEL_FRONT, self.p.length), self.p.thickness), self.holds)

    @property
    def low(self) -> float:
        """Height at which the fins begin, mm."""
        return self.p.plate + self.layers * self.process.layer_height

    @property
    def top(self) -> float:
        """Height of the whole, mm."""
        return self.low + self.p.width

    def sections(self) -> tuple[Bar, ...]:
        """Return a section in the middle of the first fin."""
        first, last = self.line
        ends = np.array([[first.x0, first.y0], [last.x1, last.y1]])
        return bars(ends, np.array([self.sprung.winding.made.area]), tree.moved_to(0.0, 0.0, self.low + self.p.width / 2))

    def solid(self) -> tree.Solid:
        """Core and fins, bevelled where they go in first."""
        p = self.p
        fin = tree.union([tree.Extrude(each, p.width) for each in self.flat]).move(z=self.low)
        each = 2 * math.pi / p.fins
        fins = [fin.placed(tree.turn_about((0.0, 0.0, 1.0), (0.0, 0.0, 0.0), k * each)) for k in range(p.fins)]
        bevel, out = min(p.travel + 0.6, p.width / 2, p.depth - 0.2), self.tip + 2.0
        edge = tree.Revolve(polygon([(self.tip - bevel, self.top + 0.01), (self.tip + 0.01, self.top - bevel - 0.02),
                                     (out, self.top - bevel - 0.02), (out, self.top + 0.01)]))
        inside = self.core - CORE if self.core > 2 * CORE else 0.0
        return tree.union([blocks.tube(inside, self.core, self.top), tree.union(fins) - edge])

    def where(self, points: Array) -> tuple[npt.NDArray[np.int64], Mask]:
        """Return of points (n, 3) the fin each is of, and whether it is of none."""
        p = self.p
        away = np.hypot(points[:, 0], points[:, 1])
        root = math.atan2(self.line[0].x0, self.line[0].y0)
        # The further in, the further round is a fin's middle.
        share = np.clip((self.tip - away) / max(self.tip - self.core, 1e-6), 0.0, 1.0)
        back = np.arctan2(points[:, 1], points[:, 0]) - math.pi / 2 + root * share
        fin = np.mod(np.round(back * p.fins / (2 * math.pi)), p.fins).astype(np.int64)
        return fin, (away <= self.core + 1e-6) | (points[:, 2] < self.low - 1e-6)

    @cached_property
    def _bow(self) -> Bow:
        travels, moved, _, _ = self.sprung.states
        moved = np.concatenate([np.zeros((1, *moved.shape[1:])), moved])
        return Bow(self.sprung.winding.nodes, moved, np.concatenate([[0.0], travels]))

    def _local(self, points: Array, fin: npt.NDArray[np.int64], back: int) -> Array:
        angle = back * 2 * math.pi * fin / self.p.fins
        c, s = np.cos(angle), np.sin(angle)
        return np.column_stack([c * points[:, 0] - s * points[:, 1], s * points[:, 0] + c * points[:, 1]])

    def follow(self, points: Array, value: float) -> Array:
        """Return where points (n, 3) of it are when its fins have given ``value`` mm."""
        fin, still = self.where(points)
        found = points.copy()
        local = self._bow.follow(self._local(points, fin, -1), value)
        found[:, :2] = np.where(still[:, None], points[:, :2], self._local(local, fin, 1))
        return found

    def strained(self, points: Array, value: float) -> Array:
        """Return how strained points (n, 3) of it are, (n,), as a part of what it stands."""
        fin, still = self.where(points)
        return np.where(still, 0.0, self.sprung.strained(self._local(points, fin, -1), value))


def _left_about(corners: list[tuple[float, ...]]) -> list[tuple[float, float]]:
    """Return corners in the order that goes round to the left."""
    x, y = np.array(corners).T
    turns = float((x * np.roll(y, -1) - y * np.roll(x, -1)).sum())
    found = [(float(a), float(b)) for a, b in corners]
    return found if turns > 0 else found[::-1]


def _refuse_what_cannot_be(plan: Plan) -> None:
    p = plan.p
    if plan.core < 2:
        raise SolveError(f"fins that stand off {p.depth:g} mm leave no core in an opening of {p.opening:g}", field="depth",
                         value=p.depth, limit=round(p.opening / 2 - 2, 1))
    if plan.tip < plan.foot + 0.5:
        needed = round(p.depth + plan.foot + 0.5 - plan.tip + 0.05, 1)
        raise SolveError(f"fins {p.thickness:g} mm thick have no room where they stand off {p.depth:g} mm: {needed:g} mm at "
                         "least", field="depth", value=p.depth, limit=needed)
    shortest, longest = plan.tip - plan.foot + 0.5, math.sqrt(plan.tip**2 - plan.foot**2)
    if not shortest <= p.length <= longest:
        raise SolveError(f"fins {p.length:g} mm long do not fit between core and opening: from {shortest:.1f} to {longest:.1f}",
                         field="length", value=p.length, limit=round(min(max(p.length, shortest), longest), 1))
    if plan.gap < 0.05:
        raise SolveError(f"{p.fins} fins of {p.thickness:g} mm touch each other", field="fins", value=p.fins)
    if p.travel > plan.solid_at - STAND * p.depth:
        raise SolveError(f"fins that stand off {p.depth:g} mm cannot give {p.travel:g}", field="travel", value=p.travel,
                         limit=round(max(plan.solid_at - STAND * p.depth, 0.05), 2))


def solve(params: FinRingParams, process: Process) -> Solution:
    """Work out a fin ring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe none, or its fins bend further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    _refuse_what_cannot_be(plan)
    s = plan.sprung
    checks = spring.checks(s, {"strain": ("length", "thickness", "travel"), "gap": ("fins", "depth"),
                               "load": ("thickness", "fins", "length")})
    checks += giving.checks(s, ("thickness", "fins", "length", "travel"))
    checks.append(Check("breaks-loose", "Fins come free of the plate", 100 * plan.loose, 90, "%", stop=50, printer=True,
                        topic="fit",
                        mend=("length", "thickness"), why=f"{plan.layers} layers of air between fins and plate; a push aside "
                                                          f"breaks them loose",
                        basis="90 % of prints (common practice, no source)"))
    derived = (*spring.derived(s), *giving.derived(s, "all fins"),
               Derived("air", "air under the fins", plan.low - p.plate, "mm", "fewest layers from which they break loose",
                       "what hangs on what it lies over"),
               Derived("tips", "across the fins, drawn", 2 * plan.tip, "mm", "opening + 2·(give − growth)", process.source))

    def draw() -> Shape:
        out, high = p.opening / 2 + p.flange, plan.top
        last = plan.line[-1]
        callouts = (Callout(f"opening {p.opening:g}", (-p.opening / 2, 0, high), (p.opening / 2, 0, high)),
                    Callout(f"gives {p.travel:g}", (0, p.opening / 2, high), (0, last.y1, high)))
        cut = plan.low + p.width / 2
        views = (SectionView("drawn", 0.0, cut, axis="z"), SectionView("in its opening", p.travel, cut, axis="z"))
        lid = Body("A", "lid", blocks.tube(0.0, out, p.plate))
        return Shape((lid,), (Feature("plug", "A", add=plan.solid()),), callouts, views,
                     region=(-plan.tip, -plan.tip, p.plate, plan.tip, plan.tip, high), bends_along=((1.0, 0.0, 0.0),))

    moved = spring.moving(s, "Give way", "given way", plan.follow, plan.strained, ("fins", "depth"), plan.sections, 0.9)
    return spring.solution(KIND, p, s, f"{p.fins} fins", motions=(moved,), draw=draw, checks=tuple(checks), derived=derived)


KIND = Kind(
    id="fin-ring",
    title="Fin ring",
    force="spring_force",
    summary="Thin fins round a plug, wider than its opening, that give way: seals and centres a lid without a fit to hit.",
    tasks=(CLOSE, HOLD),
    answers={"opened": ANSWERS["opened"], "size": Answer("opening"), "effort": Answer(figure="push_in"),
             "load": Answer(figure="pull_out"),
             "direction": Answer(refuses={SIDEWAYS: "only its friction along the wall is worked out"})},
    params=FinRingParams,
    solve=solve,
    questions=(
        Question("What does it go into?", ("opening", "travel", "force", "rate_asked", "energy_asked", "cycles")),
        Question("How many fins, and how long?", ("fins", "length", "depth")),
        Question("How thick are they?", ("thickness", "width", "loops")),
        Question("What carries them?", ("plate", "flange")),
    ),
    recommend="thickness",
    clearance="",
    test_piece=lambda params: {"flange": 0, "plate": 0.8, "width": max(params.width / 2, 1.0)},
    sides={"plug": "the lid"},
    seats={"plug": SeatRule("+z")},
    cautions=CAUTIONS,
    outcomes=SPRUNG,
    tuning=Tuning(sizes=("thickness", "length", "fins", "travel"), trade_off=("rate", "strain")),
)
