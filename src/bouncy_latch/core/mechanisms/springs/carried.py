"""What a middle carried in a ring is as printed: shifted in its plane, or pushed out of it.

In the plane the middle does not turn; every arm is followed by its own frame. Out of the plane it is pushed straight through,
and every arm bends, twists and warps; zig-zag arms are stretched besides, leaves are not: the middle turns a little.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from bouncy_latch.core.flex import chances
from bouncy_latch.core.flex.grid import torsion_of, twist_factor
from bouncy_latch.core.flex.warp import Bow, beside
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.springs.spring import Spring
from bouncy_latch.core.mechanisms.springs.sprung import first_touch
from bouncy_latch.core.numbers import Array, monotone

if TYPE_CHECKING:
    from bouncy_latch.core.mechanisms.springs.ringed import Plan

STATES, POINTS = 3, 25
CHORDS = 0.05
"""How far the chords of a drawn circle lie inside it at the most, mm."""


@frozen
class Ringed(Spring):
    """A middle in a ring; ``plan``: what it is drawn by."""

    plan: Plan

    @property
    def freed(self) -> float:
        """Chance that a hand frees it from floor and roof."""
        return self.plan.cover.by_hand if self.plan.cover else 1.0

    @property
    def along(self) -> float:
        """Stiffness in its plane, N/mm."""
        raise NotImplementedError

    @cached_property
    def across(self) -> float:
        """Stiffness out of its plane, N/mm."""
        return self.plan.p.arms * float(self.plan.winding.grid.at_end[0, 0])

    def follow(self, points: Array, value: float) -> Array:
        """Return where points (n, 3) of it are when its middle has gone ``value`` mm."""
        raise NotImplementedError

    def strained(self, points: Array, value: float) -> Array:
        """Return how strained points (n, 3) of it are, (n,), as a part of what it stands."""
        raise NotImplementedError


def _way(plan: Plan) -> Array:
    """Return the way along y as every arm sees it, who is turned by an angle and so sees it turned back, (arms, 3)."""
    turn = 2 * math.pi * np.arange(plan.p.arms) / plan.p.arms
    return np.column_stack([np.sin(turn), np.cos(turn), np.zeros(plan.p.arms)])


def _in_plane(plan: Plan, travels: Array) -> tuple[Array, Array]:
    """Return displacements (B, arms, n, 3) of every arm, each seen as the first one, and forces on the middle along its way,
    (B,), when it is shifted along y by travels (B,)."""
    arms, way = plan.p.arms, _way(plan)
    to = (travels[:, None, None] * way).reshape(-1, 3)
    moved, force = plan.winding.frame.released.brought(len(plan.winding.nodes) - 1, to)
    along = (force.reshape(len(travels), arms, 3) * way).sum(axis=(1, 2))
    return moved.reshape(len(travels), arms, -1, 3), along


@frozen
class Cushion(Ringed):
    """Its middle is shifted in its plane."""

    @cached_property
    def _followed(self) -> tuple[Array, Array, Array, Array]:
        """Travels (B,), displacements (B, arms, n, 3), forces and greatest strains (B,)."""
        travels = self.travel * np.arange(1, STATES + 1) / STATES
        moved, force = _in_plane(self.plan, travels)
        strain = self.plan.winding.strains(moved.reshape(-1, *moved.shape[2:])).reshape(moved.shape[:2]).max(axis=1)
        return travels, moved, force, strain

    @cached_property
    def curve(self) -> tuple[Array, Array, Array]:
        """Travel, force and strain along the way, each (:data:`POINTS`,)."""
        travels, _, force, strain = self._followed
        at, known = np.linspace(0.0, self.travel, POINTS), np.concatenate([[0.0], travels])
        force, strain = (np.concatenate([[0.0], each]) for each in (force, strain))
        return at, monotone(at, known, force), monotone(at, known, strain)

    @property
    def rate(self) -> float:
        """Stiffness at the beginning, N/mm."""
        bar, way = self.plan.winding, _way(self.plan)
        return float(np.einsum("ai,ij,aj->", way, bar.frame.released.resists(len(bar.nodes) - 1), way))

    along = rate

    @cached_property
    def touches(self) -> float:
        """Travel at which bars, arms, middle and ring first meet, as printed, mm."""
        travels, moved, _, _ = self._followed
        bar, p = self.plan.winding, self.plan.p
        inner = slice(3, len(bar.nodes) - 3)
        turn = 2 * math.pi * np.arange(p.arms) / p.arms
        gaps = [self.gap - 2 * self.process.growth.mean]
        for travel, each in zip(travels, moved, strict=True):
            at = bar.nodes[inner] + each[:, inner, :2]
            middle = travel * np.column_stack([np.sin(turn), np.cos(turn)])
            off_middle = np.hypot(*(at - middle[:, None]).transpose(2, 0, 1)).min() - p.inner_radius - self.thickness / 2
            off_ring = self.plan.bore - np.hypot(*at.transpose(2, 0, 1)).max() - self.thickness / 2
            gaps.append(min(float(bar.least_gap(each).min()), float(off_middle), float(off_ring)))
        return first_touch(np.concatenate([[0.0], travels]), np.array(gaps))

    @cached_property
    def _bows(self) -> list[Bow]:
        travels, moved, _, _ = self._followed
        known = np.concatenate([[0.0], travels])
        return [Bow(self.plan.winding.nodes, np.concatenate([np.zeros((1, *moved.shape[2:])), moved[:, arm]]), known)
                for arm in range(self.plan.p.arms)]

    def follow(self, points: Array, value: float) -> Array:
        """Return where points (n, 3) of it are when its middle has gone ``value`` mm."""
        arm, middle, still = self.plan.where(points)
        found = points.copy()
        found[middle, 1] += value
        for each, bow in enumerate(self._bows):
            mine = (arm == each) & ~middle & ~still
            local = bow.follow(self.plan.turned(points[mine, :2], -each), value)
            found[mine, :2] = self.plan.turned(local, each)
        return found

    def strained(self, points: Array, value: float) -> Array:
        """Return how strained points (n, 3) of it are, (n,), as a part of what it stands."""
        arm, middle, still = self.plan.where(points, -CHORDS)
        found, bar = np.zeros(len(points)), self.plan.winding
        for each, bow in enumerate(self._bows):
            mine = (arm == each) & ~middle & ~still
            inner = bar.frame.forces(bow.at(value)[None])[0]
            found[mine] = bar.strained(self.plan.turned(points[mine, :2], -each), inner)
        return found / self.permissible


@frozen
class Button(Ringed):
    """Its middle is pushed straight out of its plane."""

    @cached_property
    def _unit(self) -> tuple[Array, Array, float, float]:
        """Of an arm whose end is a millimetre up: displacements (n, 3), strain along every element's ends (m, 2), and its
        greatest equivalent strain and shear stress over the shear modulus."""
        bar, p = self.plan.winding, self.plan.p
        moved = bar.grid.moved(np.array([1.0, 0.0, 0.0]))
        bending, twisting, changing = bar.grid.inner(moved)
        # A flat bar is stretched where it bends, and at its edges where its twist changes.
        along = bending * p.width / 2 / bar.grid.bending[:, None] + changing * p.width * self.thickness / 4
        long, short = max(p.width, self.thickness), min(p.width, self.thickness)
        sheared = twisting * torsion_of(long, short) * twist_factor(long, short) / (long * short**2)
        both = np.hypot(along, math.sqrt(3) * sheared / (2 * (1 + bar.poisson)))
        return moved, along, float(both.max()), float(sheared.max())

    @cached_property
    def _stretching(self) -> float:
        """Force over the cube of the travel, N/mm³: zig-zags are drawn out as they tilt, F = 2·n·k·c²·w³ where each arm becomes
        c·w² shorter; leaves turn the middle instead."""
        p, bar = self.plan.p, self.plan.winding
        if not p.zigzags:
            return 0.0
        steps, way = np.diff(self._unit[0][:, 0]), np.diff(bar.grid.nodes, axis=0)
        length = np.hypot(*way.T)
        shorter = abs(float((steps**2 / (2 * length**2) * way[:, 1]).sum()))
        _, pulled = bar.frame.released.brought(len(bar.nodes) - 1, np.array([[0.0, -1e-3, 0.0]]))
        return 2 * p.arms * abs(float(pulled[0, 1])) / 1e-3 * shorter**2

    @cached_property
    def curve(self) -> tuple[Array, Array, Array]:
        """Travel, force and strain along the way, each (:data:`POINTS`,)."""
        at = np.linspace(0.0, self.travel, POINTS)
        return at, self.across * at + self._stretching * at**3, self._unit[2] * at

    @property
    def rate(self) -> float:
        """Stiffness at the beginning, N/mm."""
        return self.across

    @cached_property
    def along(self) -> float:
        """Stiffness in its plane, N/mm."""
        small = 1e-3
        return float(_in_plane(self.plan, np.array([small]))[1][0]) / small

    @cached_property
    def scatter(self) -> float:
        """Log spread of the load: of the modulus, and of growth as it stiffens arms that bend and twist."""
        fatter = replace(self.plan.winding, thickness=self.thickness + 2 * self.process.growth.sd)
        by_growth = math.log(fatter.grid.at_end[0, 0] / self.plan.winding.grid.at_end[0, 0])
        return math.hypot(self.process.modulus.sd / self.process.modulus.mean, float(by_growth))

    def zones(self, thickness: float) -> tuple[float, ...]:
        """Chances of the outcomes of :data:`outcomes.BENT` for arms of another thickness, by the strain they would have."""
        other = replace(self.plan, p=self.plan.p.changed(thickness=thickness)).sprung
        return chances.bend_zones(other.strain, self.permissible, self.process.plastic.strain_break / 100)

    @property
    def touches(self) -> float:
        """Never: it goes where nothing is."""
        return math.inf

    @property
    def sheared(self) -> float:
        """Greatest shear between its layers at its travel, MPa."""
        bar = self.plan.winding
        return self._unit[3] * self.travel * bar.modulus / (2 * (1 + bar.poisson))

    def follow(self, points: Array, value: float) -> Array:
        """Return where points (n, 3) of it are when its middle has gone ``value`` mm."""
        arm, middle, still = self.plan.where(points)
        found, moved, nodes = points.copy(), self._unit[0][:, :3] * value, self.plan.winding.grid.nodes
        found[middle, 2] += value
        for each in range(self.plan.p.arms):
            mine = (arm == each) & ~middle & ~still
            local = self.plan.turned(points[mine, :2], -each)
            i, t, _ = beside(nodes, local)
            up, about_x, about_y = ((1 - t) * moved[i].T + t * moved[i + 1].T)
            # Between nodes it bends as a cubic through their places and slopes.
            along = nodes[i + 1] - nodes[i]
            line, rise = nodes[i] + t[:, None] * along, moved[i + 1, 0] - moved[i, 0]
            slopes = [along[:, 1] * moved[k, 1] - along[:, 0] * moved[k, 2] for k in (i, i + 1)]
            up = up + t * (1 - t) ** 2 * (slopes[0] - rise) - t**2 * (1 - t) * (slopes[1] - rise)
            off = local - line
            found[mine, 2] += up + about_x * off[:, 1] - about_y * off[:, 0]
        return found

    def strained(self, points: Array, value: float) -> Array:
        """Return how strained points (n, 3) of it are, (n,), as a part of what it stands."""
        arm, middle, still = self.plan.where(points, -CHORDS)
        found, nodes, along = np.zeros(len(points)), self.plan.winding.grid.nodes, self._unit[1]
        most = self._unit[2] / max(float(along.max()), 1e-12)
        for each in range(self.plan.p.arms):
            mine = (arm == each) & ~middle & ~still
            i, t, _ = beside(nodes, self.plan.turned(points[mine, :2], -each))
            depth = np.abs(2 * points[mine, 2] / self.plan.p.width - 1)
            found[mine] = ((1 - t) * along[i, 0] + t * along[i, 1]) * np.minimum(depth, 1.0) * most
        return found * value / self.permissible
