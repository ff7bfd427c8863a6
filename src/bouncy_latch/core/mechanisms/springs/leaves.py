"""The shape of leaf springs and what they are as printed: one leaf, two side by side, or two pairs folded back."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex.warp import Bow
from bouncy_latch.core.flex.winding import FREE, LEVEL, Winding
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import PEEL_FRONT
from bouncy_latch.core.mechanisms.springs.framed import NOTHING, Cover
from bouncy_latch.core.mechanisms.springs.sizes import FORCE_HELP, SpringParams
from bouncy_latch.core.mechanisms.springs.spring import BEYOND, Wanted, fill_of, room_for
from bouncy_latch.core.mechanisms.springs.sprung import Sprung
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Edge, Outline, from_corners, rectangle

ROOFED = "rails, floor and roof"
SINGLE, PARALLEL, FOLDED = "single", "two parallel", "folded"
NO, YES = "no", "yes"
FINGER = 3.0
"""How thick the finger of a stop is, mm (common practice, no source)."""
STAGE = 6.0
"""Breadth of the bar between two pairs of folded leaves, mm (common practice, no source)."""
FURTHEST = 0.35
"""Of its length that a leaf is bent at the most: further it would turn into its block."""


class LeafSpringParams(SpringParams):
    """Sizes of a leaf spring."""

    form: str = choice(PARALLEL, (SINGLE, PARALLEL, FOLDED), label="leaves", role="given", source="you",
                       help="One leaf, whose end turns; two, which keep what they carry level; or two pairs folded back, which "
                            "also keep it from coming nearer.")
    travel: float = number(4, label="travel", unit="mm", role="given", low=0.1, high=100, step=0.5, source="you",
                           help="How far its end moves beside its length.")
    force: float | None = number(None, label="force at travel", unit="N", role="given", low=0.05, high=1000, step=0.1,
                                 source="you", help=FORCE_HELP)
    length: float = number(50, label="free length", unit="mm", role="chosen", low=4, high=300, step=0.5,
                           help="Free length of a leaf between the blocks it grows from.")
    spacing: float = number(16, label="leaves apart", unit="mm", role="chosen", low=2, high=200, step=0.5,
                            when={"form": (PARALLEL, FOLDED)}, help="Distance between the middles of the leaves; folded: of "
                                                                    "the inner pair.")
    fillet: float = number(1, label="root fillet", unit="mm", role="chosen", low=0.2, high=10, step=0.1,
                           help="Radius where a leaf grows out of its blocks, where leaves tear.")
    carried: float = number(10, label="end block", unit="mm", role="chosen", low=3, high=100, step=0.5,
                            help="Length of the block that moves.")
    stopped: str = choice(NO, (NO, YES), label="stop", role="chosen",
                       when={"form": (SINGLE, PARALLEL)},
                       help="A finger beside the end block that ends its way a tenth beyond its travel.")
    around: str = choice(NOTHING, (NOTHING, ROOFED), label="housing", role="chosen", when={"form": (SINGLE, PARALLEL)},
                         help="Rails that stop it on both sides, with a floor and a roof; half of its end block stands out.")
    backing: float = blocks.backing(12, label="block behind", low=3, high=200, part="block", help="Length of the block that "
                                                                                                  "holds the spring.")


@frozen
class Plan:
    """A leaf spring on a printer: leaves along x from the block at x = 0, its end is moved along y."""

    p: LeafSpringParams
    process: Process

    @property
    def two(self) -> bool:
        """Whether two leaves keep its end level."""
        return self.p.form != SINGLE

    @property
    def folded(self) -> bool:
        """Whether a second pair leads back to where the first begins."""
        return self.p.form == FOLDED

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
        return Leaves(self.process, p.travel, winding.thickness, self.gap, self.stops_at if self.is_stopped else 0.0, p.cycles,
                      Wanted(p.force, p.rate_asked, p.energy_asked), False, winding, bars=len(self.middles),
                      share=0.5 if self.folded else 1.0, beside=self.room if self.folded or self.cover else math.inf,
                      freed=self.cover.by_hand if self.cover else 1.0)

    @cached_property
    def cover(self) -> Cover | None:
        """Floor and roof, where it has them."""
        p = self.p
        if p.around == NOTHING or self.folded:
            return None
        # It is peeled off from its end block on, bent over the front of the tear.
        holds = p.width * p.thickness**2 / 6 * self.process.plastic.strength / PEEL_FRONT
        return Cover(self.process, p.width, (PEEL_FRONT, p.thickness), holds)

    @property
    def sides(self) -> tuple[float, float]:
        """Where the rails stand under and over the leaves, y, mm: the way it goes they stop it."""
        turned = 0.0 if self.two else (self.p.carried + self.reach) * math.sin(self.tilt)
        return -self.reach - self.room - turned, self.reach + self.stops_at + turned

    @property
    def mouth(self) -> float:
        """Where floor and roof end, so that the end block stands out, mm."""
        return self.p.length + self.p.carried / 2

    @property
    def top(self) -> float:
        """Height of all of it, mm."""
        return self.cover.top if self.cover else self.p.width

    def _roofed(self, moving: list[tree.Solid], cover: Cover) -> tree.Solid:
        """Leaves and end block between rails, floor and roof; what stands out of them stands on the bed."""
        (below, above), begin, reach = self.sides, -0.5, self.reach
        over = rectangle(begin, below - FINGER, self.mouth, above + FINGER)
        rails = [rectangle(begin, below - FINGER, self.mouth, below), rectangle(begin, above, self.mouth, above + FINGER)]
        out = rectangle(self.mouth + self.room, -reach, self.p.length + self.p.carried, reach)
        return tree.union([tree.union(moving).move(z=cover.lifted), tree.Extrude(out, cover.lifted + self.p.width),
                           *(tree.Extrude(each, cover.top) for each in rails),
                           *cover.slabs(lambda thick: tree.Extrude(over, thick))])

    @property
    def gap(self) -> float:
        """Between two leaves, mm; infinite beside one."""
        between = self.p.spacing - self.p.thickness if self.two else math.inf
        return min(between, self.outer - self.p.spacing / 2 - self.p.thickness) if self.folded else between

    @cached_property
    def room(self) -> float:
        """Behind the block that folded leaves carry, mm."""
        return room_for(self.process)

    @property
    def outer(self) -> float:
        """Where the middles of the outer leaves of folded ones are, mm."""
        return self.reach + self.stops_at + 1.0 + self.p.fillet + self.p.thickness / 2

    @property
    def widest(self) -> float:
        """How far all of it reaches either side, mm."""
        if self.cover:
            return self.sides[1] + FINGER
        return self.outer + self.p.thickness / 2 + self.p.fillet + 1.0 if self.folded else self.reach

    @property
    def behind(self) -> float:
        """From where on everything is held, mm before the leaves' roots."""
        return self.p.carried + self.room if self.folded else 0.0

    @cached_property
    def shift(self) -> float:
        """How far what it carries comes nearer to its block at its travel, mm: not at all where a second pair undoes it."""
        return 0.0 if self.folded else self.shortened

    @cached_property
    def shortened(self) -> float:
        """How far the ends of a leaf come nearer to each other at its travel, mm."""
        return float(-self.sprung.states[1][-1, -1, 0])

    @cached_property
    def tilt(self) -> float:
        """How far its end turns at its travel, rad: of two leaves as one is stretched and the other pressed together."""
        s = self.sprung
        if not self.two:
            return abs(float(s.states[1][-1, -1, 2]))
        axial = s.winding.modulus * s.winding.made.area
        pairs = [self.p.spacing, *([2 * self.outer] if self.folded else [])]
        return s.at_travel * self.p.length**2 / axial * sum(1 / apart**2 for apart in pairs)

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
        if self.folded:
            return self._folded()
        end = tree.Extrude(rectangle(p.length, -reach, p.length + p.carried, reach), p.width)
        moving: list[tree.Solid] = [*(tree.Extrude(self.leaf(y), p.width) for y in self.middles), end]
        return self._roofed(moving, self.cover) if self.cover else tree.union([*moving, *self.finger()])

    def _folded(self) -> tree.Solid:
        """The pair that is held, the bar it carries, the pair that leads back from that, and the block between the posts."""
        p, reach, wide, end = self.p, self.reach, self.widest, self.p.length
        flat = [self.leaf(y) for y in (*self.middles, -self.outer, self.outer)]
        flat += [rectangle(end, -wide, end + STAGE, wide), rectangle(-p.carried, -reach, 0.0, reach)]
        flat += [rectangle(-self.behind - 0.5, side * wide if side < 0 else reach + self.stops_at, 0.0,
                           -(reach + self.stops_at) if side < 0 else wide) for side in (-1, 1)]
        return tree.union([tree.Extrude(each, p.width) for each in flat])

    @property
    def is_stopped(self) -> bool:
        """Whether anything ends its way."""
        return self.p.stopped == YES or self.folded or self.cover is not None

    @property
    def stops_at(self) -> float:
        """How far its end goes until the finger stops it, mm."""
        return (1 + BEYOND) * self.p.travel

    def finger(self) -> list[tree.Solid]:
        """What stops its end: from the block that holds it, beside the leaves, to beside the end block."""
        p, near = self.p, self.reach + self.stops_at
        if p.stopped == NO or self.folded or self.cover:
            return []
        foot = rectangle(-min(p.backing, 2 * FINGER), self.reach - 0.5, 0.0, near + FINGER)
        return [tree.Extrude(each, p.width) for each in (foot, rectangle(-0.5, near, p.length + p.carried, near + FINGER))]


    def warp(self, points: Array, value: float) -> Array:
        """Return where points (n, 3) of it are when its end is ``value`` mm aside."""
        return self._warp_folded(points, value) if self.folded else self._warp_straight(points, value)

    @cached_property
    def _bow(self) -> Bow:
        """How a leaf bends, at the travels of its end."""
        travels, moved, _, _ = self.sprung.states
        moved = np.concatenate([np.zeros((1, *moved.shape[1:])), moved])
        return Bow(self.sprung.winding.nodes, moved, np.concatenate([[0.0], travels]))

    def _local(self, points: Array, middles: Array) -> tuple[Array, Array]:
        """Return points (n, 2) from the root of the leaf each is nearest to, and where that one's middle is, (n,)."""
        middle = middles[np.argmin(np.abs(points[:, 1:2] - middles), axis=1)]
        return np.column_stack([points[:, 0], points[:, 1] - middle]), middle

    def _warp_straight(self, points: Array, value: float) -> Array:
        p, found = self.p, points.copy()
        # The stop's finger stays with the block that holds it; the block they carry goes with their ends.
        free = (points[:, 0] > 0) & (points[:, 1] <= self.reach + 1e-6) & (points[:, 1] >= -self.reach - 1e-6)
        if self.cover:
            free &= ~self.cover.hides(points[:, 2]) | (points[:, 0] > self.mouth + 1e-6)
        local, middle = self._local(points, np.array(self.middles))
        end = points[:, 0] >= p.length
        local[end, 1], middle = points[end, 1], np.where(end, 0.0, middle)
        followed = self._bow.follow(local[free], value)
        found[free, 0], found[free, 1] = followed[:, 0], followed[:, 1] + middle[free]
        return found

    def _warp_folded(self, points: Array, value: float) -> Array:
        p, found = self.p, points.copy()
        x, aside = points[:, 0], np.abs(points[:, 1])
        nearer = float(-self._bow.at(value)[-1, 0])
        carried = (x <= 0) & (x >= -p.carried - 1e-6) & (aside <= self.reach + 1e-6)
        found[carried, 1] += value
        stage = x >= p.length
        found[stage, 0] -= nearer
        found[stage, 1] += value / 2
        leaves = (x > 0) & ~stage
        out = leaves & (aside > (self.outer + self.p.spacing / 2) / 2)
        local, middle = self._local(points[out], np.array([-self.outer, self.outer]))
        followed = self._bow.follow(local, value)
        found[out, 0], found[out, 1] = followed[:, 0], followed[:, 1] + middle
        # The inner pair is bent the same way, seen from the bar that has moved.
        back = leaves & ~out
        local, middle = self._local(points[back], np.array(self.middles))
        followed = self._bow.follow(np.column_stack([p.length - local[:, 0], local[:, 1]]), value)
        found[back, 0], found[back, 1] = p.length - nearer - followed[:, 0], followed[:, 1] + middle + value / 2
        return found

    def strain(self, points: Array, value: float) -> Array:
        """Return how strained points (n, 3) of it are, (n,), as a part of what it stands."""
        x, y = points[:, 0], points[:, 1]
        middles = np.array([*self.middles, *((-self.outer, self.outer) if self.folded else ())])
        local, _ = self._local(points, middles)
        ends = (x <= 0) | (x >= self.p.length) | ((np.abs(y) > self.reach + 1e-6) & (not self.folded))
        if self.cover:
            ends |= self.cover.hides(points[:, 2])
        return np.where(ends, 0.0, self.sprung.strained(local, value))


@frozen
class Leaves(Sprung):
    """Leaves side by side, or pairs of them one after the other.

    ``beside``: least gap to what is round them, mm. ``freed``: chance that a hand frees them from floor and roof.
    """

    beside: float = math.inf
    freed: float = 1.0
