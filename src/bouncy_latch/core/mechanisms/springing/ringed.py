"""A middle carried in a ring by arms all round: their shape, and what they are as printed, in their plane and out of it.

In the plane the middle is shifted and does not turn; every arm is followed by its own frame. Out of the plane it is pushed
straight through, and every arm bends and twists; zig-zag arms are stretched besides, leaves are not: the middle turns a little.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex import chances
from bouncy_latch.core.flex.grid import torsion_of, twist_factor
from bouncy_latch.core.flex.warp import Bow, beside
from bouncy_latch.core.flex.winding import Winding, stroke
from bouncy_latch.core.mechanisms.springing.sizes import FORCE_HELP, SpringParams
from bouncy_latch.core.mechanisms.springing.spring import BEYOND, Spring, Wanted, fill_of, room_for
from bouncy_latch.core.mechanisms.springing.sprung import first_touch
from bouncy_latch.core.numbers import Array, monotone
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Edge, rectangle

CUSHION, BUTTON = "cushion", "button"
ZIGZAGS, LEAVES = "zig-zags", "leaves"
NO, YES = "no", "yes"
STATES, POINTS = 3, 25
LUG = 4.0
"""Breadth of the lugs that stop a cushion, mm (common practice, no source)."""
CHORDS = 0.05
"""How far the chords of a drawn circle lie inside it at the most, mm."""
FINE = 8
"""Points on every edge of an arm by which it is kept off its neighbours."""
Mask = npt.NDArray[np.bool_]


class RingSpringParams(SpringParams):
    """Sizes of a ring spring."""

    action: str = choice(CUSHION, (CUSHION, BUTTON), label="it is", role="given", source="you",
                         help="A cushion, whose middle is shifted in its plane; or a button, pushed out of it.")
    travel: float = number(1.5, label="travel", unit="mm", role="given", low=0.1, high=60, step=0.1, source="you",
                           help="How far its middle goes.")
    force: float | None = number(None, label="force at travel", unit="N", role="given", low=0.05, high=1000, step=0.1,
                                 source="you", help=FORCE_HELP)
    arm_form: str = choice(ZIGZAGS, (ZIGZAGS, LEAVES), label="arms are", role="chosen",
                           help="Zig-zags from the ring to the middle, or leaves that run round it.")
    arms: int = number(4, label="arms", unit="", role="chosen", low=2, high=16, step=1, whole=True, help="All round.")
    outer_radius: float = number(36, label="outer radius", unit="mm", role="chosen", low=4, high=300, step=0.5,
                                 help="Outside of the ring.")
    inner_radius: float = number(9, label="middle radius", unit="mm", role="chosen", low=1, high=200, step=0.5,
                                 help="Of the disc that the arms carry.")
    wall: float = number(4, label="ring", unit="mm", role="chosen", low=1, high=60, step=0.5, help="Thickness of the ring.")
    rows: int = number(6, label="rows", unit="", role="chosen", low=2, high=30, step=1, whole=True,
                       when={"arm_form": (ZIGZAGS,)}, help="Bars of a zig-zag.")
    row_length: float = number(12, label="row length", unit="mm", role="chosen", low=2, high=200, step=0.5,
                               when={"arm_form": (ZIGZAGS,)}, help="Of its bars between their turns.")
    stopped: str = choice(YES, (NO, YES), label="stop", role="chosen",
                          help="A tenth beyond its travel: lugs on the middle of a cushion, between its arms; a higher rim "
                               "round a button that is laid face down on what stops it.")


@dataclass(frozen=True)
class Plan:
    """A ring spring on a printer, about z; its first arm runs from the ring at the far end of y."""

    p: RingSpringParams
    process: Process

    @property
    def bore(self) -> float:
        """Radius of the inside of the ring, mm."""
        return self.p.outer_radius - self.p.wall

    @property
    def pitch(self) -> float:
        """From bar to bar of a zig-zag, middle to middle, mm."""
        return (self.bore - self.p.inner_radius) / (self.p.rows + 1)

    @cached_property
    def line(self) -> tuple[Edge, ...]:
        """The first arm's centre line, from the ring to the middle, mm."""
        return self._zigzag() if self.p.arm_form == ZIGZAGS else self._leaf()

    def _zigzag(self) -> tuple[Edge, ...]:
        p, pitch, half = self.p, self.pitch, self.p.row_length / 2
        r, quarter = min(pitch / 2, 0.8 * half), math.tan(math.pi / 8)
        y, side = self.bore - pitch, 1.0
        edges = [Edge(0.0, self.bore, 0.0, y + r, 0.0), Edge(0.0, y + r, r, y, quarter), Edge(r, y, half, y, 0.0)]
        for row in range(1, p.rows):
            edges.append(Edge(side * half, y, side * half, y - pitch, -side))
            y -= pitch
            edges.append(Edge(side * half, y, side * r if row == p.rows - 1 else -side * half, y, 0.0))
            side = -side
        return (*edges, Edge(-side * r, y, 0.0, y - r, -side * quarter), Edge(0.0, y - r, 0.0, p.inner_radius, 0.0))

    def _leaf(self) -> tuple[Edge, ...]:
        """A leaf half way between ring and middle, clockwise, round into a stub at either end."""
        p, across = self.p, self.bore - self.p.inner_radius
        mean, r = self.bore - across / 2, across / 4
        up = math.sqrt((mean + r) ** 2 - r**2)
        lean, dip = math.asin(r / (mean + r)), math.asin(min(r / max(mean - r, 1e-6), 1.0))
        begin = math.pi / 2 - lean
        end = math.pi / 2 - 2 * math.pi / p.arms + (2 * r + p.thickness + self.clear) / mean
        sweep = begin - (end + dip)
        if sweep < math.radians(10):
            raise SolveError(f"{p.arms} leaves find no room round a middle of {p.inner_radius:g} mm", field="arms",
                             value=p.arms)

        def at(radius: float, angle: float) -> tuple[float, float]:
            return radius * math.cos(angle), radius * math.sin(angle)

        half, low = begin - sweep / 2, (mean - r) * math.cos(dip)
        bulge = -math.tan(sweep / 8)
        return (Edge(0.0, self.bore, 0.0, up, 0.0), Edge(0.0, up, *at(mean, begin), math.tan((math.pi / 2 - lean) / 4)),
                Edge(*at(mean, begin), *at(mean, half), bulge), Edge(*at(mean, half), *at(mean, end + dip), bulge),
                Edge(*at(mean, end + dip), *at(low, end), -math.tan((math.pi / 2 + dip) / 4)),
                Edge(*at(low, end), *at(p.inner_radius, end), 0.0))

    @property
    def clear(self) -> float:
        """Between neighbouring arms of leaves, mm."""
        return max(room_for(self.process), 1.0)

    @cached_property
    def winding(self) -> Winding:
        """An arm as printed."""
        p = self.p
        return Winding(self.line, p.thickness + 2 * self.process.growth.mean, p.width, fill_of(self.process, p.loops),
                       self.process.modulus.mean, self.process.plastic.poisson)

    @cached_property
    def _points(self) -> Array:
        """Points of the first arm's centre line between its stubs, (n, 2)."""
        found: list[tuple[float, float]] = []
        for edge in self.line[1:-1]:
            if edge.bulge:
                found += edge.chords(1e9, FINE)
            else:
                found += [(edge.x0 + (edge.x1 - edge.x0) * i / FINE, edge.y0 + (edge.y1 - edge.y0) * i / FINE)
                          for i in range(FINE)]
        return np.array(found)

    @cached_property
    def gap(self) -> float:
        """Least drawn gap between bars, arms, ring and middle, mm."""
        p, points = self.p, self._points
        away = np.hypot(*points.T)
        gaps = [self.bore - away.max() - p.thickness / 2 if p.arm_form == LEAVES else self._off_ring,
                self._off_middle, self._off_neighbour]
        if p.arm_form == ZIGZAGS:
            gaps.append(self.pitch - p.thickness)
        return float(min(gaps))

    @property
    def _off_ring(self) -> float:
        # Where a bar turns into its stub it is on its way to the ring.
        bars = self._points[FINE:]
        return float(self.bore - np.hypot(*bars.T).max() - self.p.thickness / 2)

    @property
    def _off_middle(self) -> float:
        bars = self._points[:-FINE]
        return float(np.hypot(*bars.T).min() - self.p.inner_radius - self.p.thickness / 2)

    @property
    def _off_neighbour(self) -> float:
        whole = np.concatenate([self._points, [(e.x1, e.y1) for e in (self.line[0], self.line[-1])]])
        turned = self.turned(whole, 1)
        return float(np.hypot(*(whole[:, None] - turned[None]).transpose(2, 0, 1)).min() - self.p.thickness)

    def turned(self, points: Array, arm: int) -> Array:
        """Return points (n, 2) of the first arm as another one has them."""
        c, s = math.cos(2 * math.pi * arm / self.p.arms), math.sin(2 * math.pi * arm / self.p.arms)
        return np.column_stack([c * points[:, 0] - s * points[:, 1], s * points[:, 0] + c * points[:, 1]])

    @property
    def stops_at(self) -> float:
        """Travel at which it is stopped, mm."""
        return (1 + BEYOND) * self.p.travel

    @property
    def solid_at(self) -> float:
        """Travel at which it goes no further, mm; infinite for a button that nothing stops."""
        p = self.p
        if p.stopped == YES:
            return self.stops_at
        bars = p.rows if p.arm_form == ZIGZAGS else 1
        return self.bore - p.inner_radius - bars * p.thickness if p.action == CUSHION else math.inf

    @property
    def rim(self) -> float:
        """Height of the ring, mm: of a stopped button it stands out."""
        return self.p.width + (self.stops_at if self.p.action == BUTTON and self.p.stopped == YES else 0.0)

    @cached_property
    def lugs(self) -> tuple[tuple[float, float, float], ...]:
        """Of every lug its angle, rad, and from where to where it reaches, mm."""
        p = self.p
        if p.action == BUTTON or p.stopped == NO:
            return ()
        return tuple((math.pi / 2 + math.pi * (2 * arm + 1) / p.arms, p.inner_radius - 0.5, self.bore - self.stops_at)
                     for arm in range(p.arms))

    @cached_property
    def lug_room(self) -> float:
        """Between a lug and the arms beside it when it is stopped, mm: what goes along with the middle comes no nearer."""
        side = self._points
        angle = math.pi / 2 + math.pi / self.p.arms
        off = -(side @ np.array([-math.sin(angle), math.cos(angle)]))
        share = (np.hypot(*side.T) - self.p.inner_radius) / (self.bore - self.p.inner_radius)
        return float((off - share * self.stops_at).min() - LUG / 2 - self.p.thickness / 2)

    def solid(self) -> tree.Solid:
        """Arms, middle and what stops it, standing on the bed."""
        p = self.p
        first, last = self.line[0], self.line[-1]
        inward = math.hypot(last.x1, last.y1)
        run = (Edge(0.0, self.bore + 0.4, first.x1, first.y1, 0.0), *self.line[1:-1],
               Edge(last.x0, last.y0, last.x1 * (1 - 0.4 / inward), last.y1 * (1 - 0.4 / inward), 0.0))
        arm = tree.Extrude(stroke(run, p.thickness), p.width)
        pieces: list[tree.Solid] = [arm.placed(_turned_by(2 * math.pi * k / p.arms)) for k in range(p.arms)]
        pieces.append(tree.cylinder(p.inner_radius, p.width))
        pieces += [tree.Extrude(rectangle(near, -LUG / 2, far, LUG / 2), p.width).placed(_turned_by(angle))
                   for angle, near, far in self.lugs]
        return tree.union(pieces)

    @cached_property
    def sprung(self) -> Cushion | Button:
        """It as printed."""
        p = self.p
        known = (self.process, p.travel, self.winding.thickness, self.gap, self.solid_at, p.cycles,
                 Wanted(p.force, p.rate_asked, p.energy_asked), p.action == CUSHION, self)
        return Cushion(*known) if p.action == CUSHION else Button(*known)

    def where(self, points: Array, grip: float = CHORDS) -> tuple[Array, Mask, Mask]:
        """Return of points (n, 3) the arm each is of, whether it is of the middle, and whether it stays with the ring.

        ``grip``: how far either reaches into the arms, mm."""
        p = self.p
        x, y = points[:, 0], points[:, 1]
        away = np.hypot(x, y)
        # A leaf's sector begins a little before its stub, a zig-zag's half way to its neighbour.
        each = 2 * math.pi / p.arms
        back = np.arctan2(y, x) - math.pi / 2
        if p.arm_form == ZIGZAGS:
            arm = np.round(back / each)
        else:
            arm = np.ceil(back / each - (p.thickness + self.clear / 2) / (self.bore + p.inner_radius) * 2 / each)
        still, middle = away >= self.bore - grip, away <= p.inner_radius + grip
        for angle, _, far in self.lugs:
            along, across = x * math.cos(angle) + y * math.sin(angle), y * math.cos(angle) - x * math.sin(angle)
            middle |= (along >= 0) & (along <= far + 1e-4) & (np.abs(across) <= LUG / 2 + 1e-4)
        return np.mod(arm, p.arms).astype(int), middle, still


@dataclass(frozen=True)
class Ringed(Spring):
    """A middle in a ring; ``plan``: what it is drawn by."""

    plan: Plan

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


def _turned_by(angle: float) -> tree.Matrix:
    return tree.turn_about((0.0, 0.0, 1.0), (0.0, 0.0, 0.0), angle)


def _in_plane(plan: Plan, travels: Array) -> tuple[Array, Array]:
    """Return displacements (B, arms, n, 3) of every arm, each seen as the first one, and forces on the middle along its way,
    (B,), when it is shifted along y by travels (B,)."""
    arms = plan.p.arms
    turn = 2 * math.pi * np.arange(arms) / arms
    # Seen from an arm turned by an angle the way is turned back by it.
    way = np.column_stack([np.sin(turn), np.cos(turn), np.zeros(arms)])
    to = (travels[:, None, None] * way).reshape(-1, 3)
    moved, force = plan.winding.frame.released.brought(len(plan.winding.nodes) - 1, to)
    along = (force.reshape(len(travels), arms, 3) * way).sum(axis=(1, 2))
    return moved.reshape(len(travels), arms, -1, 3), along


@dataclass(frozen=True)
class Cushion(Ringed):
    """Its middle is shifted in its plane."""

    @cached_property
    def _followed(self) -> tuple[Array, Array, Array, Array]:
        """Travels (B,), displacements (B, arms, n, 3), forces and greatest strains (B,), from nothing."""
        travels = self.travel * np.concatenate([[1e-3], np.arange(1, STATES + 1) / STATES])
        moved, force = _in_plane(self.plan, travels)
        strain = self.plan.winding.strains(moved.reshape(-1, *moved.shape[2:])).reshape(moved.shape[:2]).max(axis=1)
        return travels, moved, force, strain

    @cached_property
    def curve(self) -> tuple[Array, Array, Array]:
        """Travel, force and strain along the way, each (:data:`POINTS`,)."""
        travels, _, force, strain = self._followed
        at, known = np.linspace(0.0, self.travel, POINTS), np.concatenate([[0.0], travels[1:]])
        force, strain = (np.concatenate([[0.0], each[1:]]) for each in (force, strain))
        return at, monotone(at, known, force), monotone(at, known, strain)

    @property
    def rate(self) -> float:
        """Stiffness at the beginning, N/mm."""
        travels, _, force, _ = self._followed
        return float(force[0] / travels[0])

    along = rate

    @cached_property
    def touches(self) -> float:
        """Travel at which bars, arms, middle and ring first meet, as printed, mm."""
        travels, moved, _, _ = self._followed
        bar, p = self.plan.winding, self.plan.p
        inner = slice(3, len(bar.nodes) - 3)
        turn = 2 * math.pi * np.arange(p.arms) / p.arms
        gaps = [self.gap - 2 * self.process.growth.mean]
        for travel, each in zip(travels[1:], moved[1:], strict=True):
            at = bar.nodes[inner] + each[:, inner, :2]
            middle = travel * np.column_stack([np.sin(turn), np.cos(turn)])
            off_middle = np.hypot(*(at - middle[:, None]).transpose(2, 0, 1)).min() - p.inner_radius - self.thickness / 2
            off_ring = self.plan.bore - np.hypot(*at.transpose(2, 0, 1)).max() - self.thickness / 2
            gaps.append(min(float(bar.least_gap(each).min()), float(off_middle), float(off_ring)))
        return first_touch(np.concatenate([[0.0], travels[1:]]), np.array(gaps))

    @cached_property
    def _bows(self) -> list[Bow]:
        travels, moved, _, _ = self._followed
        known = np.concatenate([[0.0], travels[1:]])
        return [Bow(self.plan.winding.nodes, np.concatenate([np.zeros((1, *moved.shape[2:])), moved[1:, arm]]), known)
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


@dataclass(frozen=True)
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
        if p.arm_form == LEAVES:
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
