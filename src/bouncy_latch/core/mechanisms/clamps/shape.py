"""What a tube clamp looks like, and how it is drawn tight."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.flex.bars import Bar, bars
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.clamps.plan import Plan
from bouncy_latch.core.mechanisms.contract import ALONE, CLEAR, Motion
from bouncy_latch.core.mechanisms.nuts.shape import Drawn as Pocket
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import BOUGHT, Body, Feature
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Corner, from_corners

BESIDE, PAST = 5.0, 6.0
"""How far the cap is printed aside, and how far the tube is shown beyond the clamp, mm."""


@frozen
class Drawn:
    """A clamp drawn from its plan."""

    plan: Plan

    def _ear(self) -> list[Corner]:
        """Corners of the ear at +x, y > 0, from the parting at the bore to where its fillet ends on the ring's outside."""
        plan, angle, half = self.plan, self.plan.ear_angle, self.plan.p.gap / 2
        return [(math.sqrt(plan.inner**2 - half**2), half, 0.0), (plan.end, half, 0.0), (plan.end, plan.top, 0.0),
                ((plan.outer + plan.p.fillet) * math.cos(angle), plan.top, -math.tan((math.pi / 2 - angle) / 4)),
                (plan.outer * math.cos(angle), plan.outer * math.sin(angle), 0.0)]

    def ring(self) -> tree.Solid:
        """The upper half, or the whole split ring."""
        plan, ear, split = self.plan, self._ear(), self.plan.split
        angle, inside = plan.ear_angle, math.asin(plan.p.gap / 2 / plan.inner)
        other = [(x if split else -x, -y if split else y) for x, y, _ in reversed(ear)]
        bulges = [ear[3][2], 0.0, 0.0, 0.0, 0.0]
        around = 2 * (math.pi - angle) if split else math.pi - 2 * angle
        back = 2 * (math.pi - inside) if split else math.pi - 2 * inside
        first = [*ear[:-1], (*ear[-1][:2], math.tan(around / 8))]
        c, s = (-1.0, 0.0) if split else (0.0, 1.0)
        far = (plan.outer * c, plan.outer * s, math.tan(around / 8))
        second = [(x, y, bulge) for (x, y), bulge in zip(other, bulges, strict=True)]
        second[-1] = (*second[-1][:2], -math.tan(back / 8))
        near = (plan.inner * c, plan.inner * s, -math.tan(back / 8))
        return tree.Extrude(from_corners([*first, far, *second, near]), plan.p.width)

    def holes(self) -> tree.Solid:
        """For the screws, along y, through both lugs; they lie, so each has a roof at 45°."""
        p, r = self.plan.p, (self.plan.p.screw + self.plan.p.hole) / 2
        reach, side = self.plan.top + 1, r / math.sqrt(2)
        # Drawn as (x, z), extruded along −y.
        drop = from_corners([(0.0, r * math.sqrt(2), 0.0), (-side, side, math.tan(3 * math.pi / 8)), (side, side, 0.0)])
        one = tree.Extrude(drop, 2 * reach).placed((1, 0, 0, 0, 0, 0, -1, reach, 0, 1, 0, 0))
        sides = (self.plan.at,) if self.plan.split else (self.plan.at, -self.plan.at)
        return tree.union([one.move(x=x, z=p.width * (i + 0.5) / p.screws) for x in sides for i in range(p.screws)])

    @cached_property
    def _seats(self) -> list[tree.Matrix]:
        """From a pocket's own coordinates to each of its places: it opens towards −y, at the outside of the lower ear."""
        plan, p = self.plan, self.plan.p
        sides = (plan.at,) if plan.split else (plan.at, -plan.at)
        room = plan.pocket.room if plan.pocket else 0.0
        return [(1, 0, 0, x, 0, 0, -1, room - plan.top, 0, 1, 0, p.width * (i + 0.5) / p.screws)
                for x in sides for i in range(p.screws)]

    def pockets(self) -> list[tree.Solid]:
        """What the nuts' room takes of the lower ear."""
        plan = self.plan.pocket
        return [Pocket(plan).pocket().placed(seat) for seat in self._seats] if plan else []

    def nuts(self) -> list[Body]:
        """The nuts in their pockets; those of a ring that bends are not drawn."""
        plan = self.plan.pocket
        if plan is None or self.plan.split:
            return []
        nut = Pocket(plan).bodies()[1].base
        return [Body(f"N{i}", "nut", nut, seat, BOUGHT) for i, seat in enumerate(self._seats, 1)]

    def features(self) -> tuple[Feature, ...]:
        """The ring and its stem on the foot; the upper half, where there is one."""
        p, reach = self.plan.p, self.plan.outer + 0.1
        if self.plan.split:
            stem: tree.Solid = tree.Box(-reach, -p.foot / 2, 0, -self.plan.inner * 0.6, p.foot / 2, p.width)
        else:
            stem = tree.Box(-p.foot / 2, -reach, 0, p.foot / 2, -self.plan.inner * 0.6, p.width)
        bore = tree.cylinder(self.plan.inner, p.width + 2).move(z=-1)
        keeps = tree.union([bore, self.holes(), *self.pockets()])
        if self.plan.split:
            return (Feature("clamp", "A", add=self.ring() + stem, cut=keeps),)
        upper = self.ring()
        return (Feature("clamp", "A", add=upper.mirror("y") + stem, cut=keeps), Feature("cap", "B", add=upper,
                                                                                        cut=self.holes()))

    @cached_property
    def beside(self) -> tree.Matrix:
        """Where the upper half is printed."""
        return (1, 0, 0, 0, 0, 1, 0, BESIDE, 0, 0, 1, 0)

    def bodies(self) -> tuple[Body, ...]:
        """The block it stands on, the cap, and the tube, which is bought."""
        p = self.plan.p
        if self.plan.split:
            block = blocks.block(-self.plan.outer - p.backing, -p.foot / 2, -self.plan.outer, p.foot / 2, p.width)
        else:
            block = blocks.block(-p.foot / 2, -self.plan.outer - p.backing, p.foot / 2, -self.plan.outer, p.width)
        tube = Body("T", "tube", tree.cylinder(p.diameter / 2, p.width + 2 * PAST).move(z=-PAST), role=BOUGHT)
        if self.plan.split:
            return Body("A", "clamp", block), *self.nuts(), tube
        # The base of the cap is a crumb inside its ring: everything of it is the mechanism's.
        crumb = tree.Box(-0.5, self.plan.inner + 0.3 * p.wall, 0, 0.5, self.plan.inner + 0.7 * p.wall, p.width)
        return Body("A", "clamp", block), Body("B", "cap", crumb, self.beside), *self.nuts(), tube

    def motion(self) -> Motion:
        """The cap comes down, or the ring is bent shut, until it is as tight as it gets."""
        plan, course = self.plan, self.plan.course()
        shut = max(min(2 * (plan.wrapped + plan.lugs.yields(plan.pull(plan.p.torque))), plan.p.gap), 0.01)
        if plan.split:
            bow = self.bow(shut / 2)

            def bends(value: float) -> dict[str, Warp]:
                return {"A": lambda points: self.shrunk(points, bow, value / 2)} if value > 1e-6 else {}

            return Motion("Tighten", "mm", 0.0, shut, 0.0, shut, trial=ALONE, bends=bends, flexing=("A",),
                          mend=("gap", "clearance"), show=shut, course=course,
                          bars=self.sections)

        def pose(value: float) -> dict[str, tree.Matrix]:
            return {"B": (1, 0, 0, 0, 0, 1, 0, -BESIDE - value, 0, 0, 1, 0)}

        return Motion("Close", "mm", 0.0, shut, None, shut, pose, CLEAR, (("A", "B"),), mend=("gap",), show=0.0,
                      course=course)

    def sections(self) -> tuple[Bar, ...]:
        """Return sections of a split ring between its foot and its ear."""
        plan, hoop = self.plan, self.plan.hoop
        to_ear = np.arctan2(-hoop.nodes[1:, 1], hoop.nodes[1:, 0]) > plan.ear_angle
        return bars(hoop.nodes, np.where(to_ear, hoop.areas, np.nan), tree.moved_to(0.0, 0.0, plan.p.width / 2))

    def bow(self, most: float) -> Bow:
        """How the arms of a split ring bend as its lugs close by up to ``most`` mm each."""
        plan, hoop = self.plan, self.plan.hoop
        loads = np.zeros((1, len(hoop.nodes), 3))
        loads[0, -1] = 0.0, 0.01, 0.01 * plan.lever
        moved = hoop.frame.loaded(loads)
        # Linear between open and shut: the whole way is a small part of the radius.
        moved *= most / float(moved[0, -1, 1])
        return Bow(hoop.nodes, np.concatenate([np.zeros_like(moved), moved]), np.array([0.0, most]))

    def shrunk(self, points: Array, bow: Bow, closed: float) -> Array:
        """Return where points (n, 3) of the ring are with each ear ``closed`` mm in."""
        found = points.copy()
        springs = np.arctan2(np.abs(points[:, 1]), -points[:, 0]) > self.plan.hoop.held
        moved = bow.follow(np.column_stack([points[:, 0], -np.abs(points[:, 1])]), closed)
        side = np.where(points[:, 1] >= 0, 1.0, -1.0)
        found[springs, 0], found[springs, 1] = moved[springs, 0], -(side * moved[:, 1])[springs]
        return found
