"""Leaf spring: one leaf, or two that keep what they carry level, bent beside its length in the plane of its layers."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.flex.winding import FREE, LEVEL, Winding
from bouncy_latch.core.mechanisms.contract import (
    ALONE,
    HOLD,
    Callout,
    Derived,
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
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Share
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Edge, Outline, from_corners, rectangle

SINGLE, PARALLEL = "single", "two parallel"
NO, YES = "no", "yes"
BEYOND, FINGER = 0.1, 3.0
"""Part of the travel by which the stop stands beyond it, and how thick its finger is, mm (common practice, no source)."""
FURTHEST = 0.35
"""Of its length that a leaf is bent at the most: further it would turn into its block."""


class LeafSpringParams(SpringParams):
    """Sizes of a leaf spring."""

    form: str = choice(PARALLEL, (SINGLE, PARALLEL), label="leaves", role="given", source="you",
                       help="One leaf, whose end turns; or two, which keep what they carry level.")
    travel: float = number(4, label="travel", unit="mm", role="given", low=0.1, high=100, step=0.5, source="you",
                           help="How far its end moves beside its length.")
    force: float | None = number(None, label="force at travel", unit="N", role="given", low=0.05, high=1000, step=0.1,
                                 source="you", help=FORCE_HELP)
    length: float = number(50, label="free length", unit="mm", role="chosen", low=4, high=300, step=0.5,
                           help="Of a leaf between the blocks it grows out of.")
    spacing: float = number(16, label="leaves apart", unit="mm", role="chosen", low=2, high=200, step=0.5,
                            when={"form": (PARALLEL,)}, help="Middle to middle.")
    fillet: float = number(1, label="root fillet", unit="mm", role="chosen", low=0.2, high=10, step=0.1,
                           help="Radius where a leaf grows out of its blocks, where leaves tear.")
    carried: float = number(10, label="end block", unit="mm", role="chosen", low=3, high=100, step=0.5,
                            help="Length of the block that moves.")
    stopped: str = choice(NO, (NO, YES), label="stop", role="chosen",
                       help="A finger beside the end block that ends its way a tenth beyond its travel.")
    backing: float = blocks.backing(12, label="behind", low=3, high=200, part="block", help="Length of what holds it.")


@dataclass(frozen=True)
class Plan:
    """A leaf spring on a printer: leaves along x from the block at x = 0, its end is moved along y."""

    p: LeafSpringParams
    process: Process

    @property
    def two(self) -> bool:
        """Whether two leaves keep its end level."""
        return self.p.form == PARALLEL

    @cached_property
    def middles(self) -> tuple[float, ...]:
        """Where the leaves' middles are, mm."""
        return (-self.p.spacing / 2, self.p.spacing / 2) if self.two else (0.0,)

    @property
    def reach(self) -> float:
        """How far its blocks reach either side, mm."""
        return max(self.middles) + self.p.thickness / 2 + self.p.fillet + 1.0

    @cached_property
    def sprung(self) -> Sprung:
        """It as printed."""
        p = self.p
        winding = Winding((Edge(0.0, 0.0, p.length / 2, 0.0, 0.0), Edge(p.length / 2, 0.0, p.length, 0.0, 0.0)),
                          p.thickness + 2 * self.process.growth.mean, p.width, fill_of(self.process, p.loops),
                          self.process.modulus.mean, self.process.plastic.poisson, LEVEL if self.two else FREE, p.fillet)
        return Sprung(self.process, p.travel, winding.thickness, self.gap, 0.0, p.cycles, p.force, False, winding,
                      bars=len(self.middles))

    @property
    def gap(self) -> float:
        """Between two leaves, mm; infinite beside one."""
        return self.p.spacing - self.p.thickness if self.two else math.inf

    @cached_property
    def shift(self) -> float:
        """How far its end comes nearer to its block at its travel, mm."""
        return float(-self.sprung.states[1][-1, -1, 0])

    @cached_property
    def tilt(self) -> float:
        """How far its end turns at its travel, rad: of two leaves as one is stretched and the other pressed together."""
        s = self.sprung
        if not self.two:
            return abs(float(s.states[1][-1, -1, 2]))
        axial = s.winding.modulus * s.winding.made.area
        return s.at_travel * self.p.length**2 / (axial * self.p.spacing**2)

    def leaf(self, y: float) -> Outline:
        """A leaf with the fillets at its roots, and a little of the blocks it is in."""
        p, bulge, inside = self.p, -math.tan(math.pi / 8), 0.5
        half, f = p.thickness / 2, p.fillet
        return from_corners([
            (-inside, y - half - f, 0.0), (0.0, y - half - f, bulge), (f, y - half, 0.0), (p.length - f, y - half, bulge),
            (p.length, y - half - f, 0.0), (p.length + inside, y - half - f, 0.0), (p.length + inside, y + half + f, 0.0),
            (p.length, y + half + f, bulge), (p.length - f, y + half, 0.0), (f, y + half, bulge), (0.0, y + half + f, 0.0),
            (-inside, y + half + f, 0.0)])

    def solid(self) -> tree.Solid:
        """The leaves, and the block they carry."""
        p, reach = self.p, self.reach
        end = tree.Extrude(rectangle(p.length, -reach, p.length + p.carried, reach), p.width)
        return tree.union([*(tree.Extrude(self.leaf(y), p.width) for y in self.middles), end, *self.finger()])

    @property
    def stops_at(self) -> float:
        """How far its end goes until the finger stops it, mm."""
        return (1 + BEYOND) * self.p.travel

    def finger(self) -> list[tree.Solid]:
        """What stops its end: from the block that holds it, beside the leaves, to beside the end block."""
        p, near = self.p, self.reach + self.stops_at
        if p.stopped == NO:
            return []
        foot = rectangle(-min(p.backing, 2 * FINGER), self.reach - 0.5, 0.0, near + FINGER)
        return [tree.Extrude(each, p.width) for each in (foot, rectangle(-0.5, near, p.length + p.carried, near + FINGER))]

    def motion(self) -> Motion:
        """Its end is moved aside."""
        p, s = self.p, self.sprung
        travels, moved, _, _ = s.states
        bow = Bow(s.winding.nodes, np.concatenate([np.zeros((1, *moved.shape[1:])), moved]), np.concatenate([[0.0], travels]))

        def warp(points: Array, value: float) -> Array:
            found = points.copy()
            # The stop's finger stays with the block that holds it.
            free = (points[:, 0] > 0) & (points[:, 1] <= self.reach + 1e-6)
            # Every point belongs to the nearest leaf; the block they carry goes with their ends.
            which = np.argmin(np.abs(points[:, 1:2] - np.array(self.middles)), axis=1)
            middle = np.where(points[:, 0] >= p.length, 0.0, np.array(self.middles)[which])
            local = np.column_stack([points[:, 0], points[:, 1] - middle])
            followed = bow.follow(local[free], value)
            found[free, 0], found[free, 1] = followed[:, 0], followed[:, 1] + middle[free]
            return found

        def bends(value: float) -> dict[str, Warp]:
            return {"A": lambda points: warp(points, value)} if value > 1e-6 else {}

        def strain(points: Array, value: float) -> Array:
            which = np.argmin(np.abs(points[:, 1:2] - np.array(self.middles)), axis=1)
            local = np.column_stack([points[:, 0], points[:, 1] - np.array(self.middles)[which]])
            ends = (points[:, 0] <= 0) | (points[:, 0] >= p.length) | (points[:, 1] > self.reach + 1e-6)
            return np.where(ends, 0.0, s.strained(local, value))

        return Motion("Push", "mm", 0.0, p.travel, 0.0, 0.0, trial=ALONE, bends=bends, flexing=("A",),
                      mend=("spacing", "length"), show=0.7 * p.travel, course=s.course("pushed aside"),
                      strains=lambda value: {"A": lambda points: strain(points, value)}, stands=100 * s.permissible)


def _refuse_what_cannot_be(plan: Plan) -> None:
    p = plan.p
    if p.travel > FURTHEST * p.length:
        raise SolveError(f"leaves {p.length:g} mm long are not bent {p.travel:g} mm aside", field="travel", value=p.travel,
                         limit=round(FURTHEST * p.length, 1))
    if 2 * p.fillet > p.length - 2 * p.thickness:
        raise SolveError(f"fillets of {p.fillet:g} leave nothing of a leaf of {p.length:g} mm", field="fillet", value=p.fillet)
    if plan.two and p.spacing < p.thickness + 2 * p.fillet + 0.5:
        raise SolveError(f"leaves {p.spacing:g} mm apart leave no room for their fillets", field="spacing", value=p.spacing,
                         limit=round(p.thickness + 2 * p.fillet + 0.5, 1))


def solve(params: LeafSpringParams, process: Process) -> Solution:
    """Work out a leaf spring for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no spring, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = Plan(params, process), params
    _refuse_what_cannot_be(plan)
    s, motion = plan.sprung, plan.motion()
    checks = spring.checks(s, {"strain": ("length", "thickness"), "gap": ("spacing",) if plan.two else (),
                               "load": ("width", "thickness", "length")})
    checks.append(Check("roots", "Fillets at the roots", p.fillet, 0.5 * p.thickness, "mm", mend=("fillet",), topic="fit",
                        why="where leaves tear: strain there is higher the sharper they are",
                        basis="half the thickness (common practice, no source)"))
    turned = math.degrees(plan.tilt)
    derived = [*spring.derived(s),
               Derived("shift", "comes nearer by", plan.shift, "mm", "the bent leaf's own length; about 0.6·travel²/length",
                       "geometry of the bent frame"),
               Derived("tilt", "its end turns by", turned, "°", "F·L²/(E·A·a²): one leaf is stretched, one pressed" if plan.two
                       else "the bent leaf's end", "statics")]
    if p.stopped == YES:
        broken = 100 * s.strain * (1 + BEYOND)
        derived.append(Derived("stops_at", "stopped at", plan.stops_at, "mm", "1.1 · travel", "geometry"))
        checks.append(Check("stopped-whole", "Whole where it is stopped", broken, process.plastic.strain_once, "%", least=False,
                            stop=process.plastic.strain_break, mend=("length", "thickness"), topic="shape", printer=True,
                            why="strain where its end meets the stop, once", basis="the strain the material stands once"))
    if plan.two:
        checks.append(Check("level", "Stays level", turned, 1.0, "°", least=False, mend=("thickness", "length"), topic="shape",
                            why=f"pushed where its leaves end; it comes {plan.shift:.2f} nearer as it goes",
                            basis="a degree (common practice, no source)"))

    def draw() -> Shape:
        half, high = p.thickness / 2, p.width
        y = plan.middles[-1]
        callouts = (Callout(f"leaf {p.thickness:g}", (p.length / 2, y - half, high), (p.length / 2, y + half, high)),
                    Callout(f"length {p.length:g}", (0, y, high), (p.length, y, high)))
        views = (SectionView("drawn", 0.0, high / 2, axis="z"), SectionView("at its travel", p.travel, high / 2, axis="z"))
        block = blocks.block(-p.backing, -plan.reach, 0.0, plan.reach, high)
        far = plan.reach if p.stopped == NO else plan.reach + plan.stops_at + FINGER
        region = (-1.0, -plan.reach, 0.0, p.length + p.carried, far, high)
        return Shape((Body("A", "spring", block),), (Share("spring", "A", add=plan.solid()),), callouts, views, region=region,
                     bends_along=((1.0, 0.0, 0.0),))

    return spring.solution(KIND, p, s, p.form, motions=(motion,), draw=draw, checks=tuple(checks), derived=tuple(derived),
                           summary=f"{spring.summary(s)} Its end comes {plan.shift:.2f} mm nearer and turns {turned:.1f}°.")



KIND = Kind(
    id="leaf-spring",
    title="Leaf spring",
    summary="One leaf, or two that keep what they carry level, bent beside its length.",
    needs=(HOLD,),
    params=LeafSpringParams,
    solve=solve,
    questions=(
        Question("What must it do?", ("form", "travel", "force", "cycles")),
        Question("How long and how thick?", ("length", "thickness", "width", "loops")),
        Question("What is at its ends?", ("spacing", "fillet", "carried", "stopped")),
    ),
    recommend="thickness",
    clearance="",
    test_piece={"backing": 4, "carried": 4},
    sides={"spring": "the block that holds it"},
    cautions=CAUTIONS,
    outcomes=SPRUNG,
    weighs="travel",
    variant="form",
    tuned=("thickness", "length", "width"),
)
