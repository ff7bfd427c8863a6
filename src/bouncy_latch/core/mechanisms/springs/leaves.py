"""The shape of leaf springs and what they are as printed: one leaf, two side by side, or two pairs folded back."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex.bars import Bar, bars
from bouncy_latch.core.flex.pair import Carried, Pair
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
    def spacings(self) -> tuple[float, ...]:
        """How far apart the leaves of each pair are, those that carry first, mm; none of a single leaf."""
        return (*([self.p.spacing] if self.two else []), *([2 * self.outer] if self.folded else []))

    @property
    def reach(self) -> float:
        """How far its blocks reach either side, mm."""
        return max(self.middles) + self.p.thickness / 2 + self.p.fillet + 1.0

    @cached_property
    def sprung(self) -> Leaves:
        """It as printed."""
        p = self.p
        winding = Winding((Edge(0.0, 0.0, p.length / 2, 0.0, 0.0), Edge(p.length / 2, 0.0, p.length, 0.0, 0.0)),
                          p.thickness + 2 * self.process.growth.mean, p.width, fill_of(self.process, p.loops),
                          self.process.modulus.mean, self.process.plastic.poisson, LEVEL if self.two else FREE, p.fillet)
        return Leaves(self.process, p.travel, winding.thickness, self.gap, self.stops_at if self.is_stopped else 0.0, p.cycles,
                      Wanted(p.force, p.rate_asked, p.energy_asked), False, winding, bars=len(self.middles),
                      share=0.5 if self.folded else 1.0, spacings=self.spacings,
                      beside=self.room if self.folded or self.cover else math.inf,
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
        if not self.two:
            return abs(float(self.sprung.states[1][-1, -1, 2]))
        return float(sum(abs(pair.block[-1, 2]) for pair in self.sprung.followed))

    def leaf(self, y: float) -> Outline:
        """A leaf with the fillets at its roots, and a little of the blocks it is in."""
        p, bulge, inside = self.p, -math.tan(math.pi / 8), 0.5
        half, f = p.thickness / 2, p.fillet
        return from_corners([
            (-inside, y - half - f, 0.0), (0.0, y - half - f, bulge), (f, y - half, 0.0), (p.length - f, y - half, bulge),
            (p.length, y - half - f, 0.0), (p.length + inside, y - half - f, 0.0), (p.length + inside, y + half + f, 0.0),
            (p.length, y + half + f, bulge), (p.length - f, y + half, 0.0), (f, y + half, bulge), (0.0, y + half + f, 0.0),
            (-inside, y + half + f, 0.0)])

    def sections(self) -> tuple[Bar, ...]:
        """Return sections of its leaves: a leaf is followed from root to root, and looked at between their fillets."""
        leaf, high = self.sprung.winding, (self.cover.lifted if self.cover else 0.0) + self.p.width / 2
        nodes = np.array([[0.45 * self.p.length, 0.0], [0.55 * self.p.length, 0.0]])
        outer = (-self.outer, self.outer) if self.folded else ()
        return tuple(bar for y in (*self.middles, *outer)
                     for bar in bars(nodes, np.array([leaf.made.area]), tree.moved_to(0.0, y, high)))

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

    def _leaf_of(self, points: Array, middles: Array) -> npt.NDArray[np.int64]:
        """Return which of some leaves points (n, 2) belong to, (n,)."""
        return np.asarray(np.argmin(np.abs(points[:, 1:2] - middles), axis=1))

    def _followed(self, points: Array, middles: tuple[float, ...], value: float, pair: int) -> Array:
        """Return where points (n, 2) of the leaves of a pair are that is held at x = 0."""
        found, which = points.copy(), self._leaf_of(points, np.array(middles))
        for leaf, middle in enumerate(middles):
            own, aside = which == leaf, np.array([0.0, middle])
            found[own] = self.sprung.bow(pair, leaf).follow(points[own] - aside, value) + aside
        return found

    def _warp_straight(self, points: Array, value: float) -> Array:
        p, found = self.p, points.copy()
        # The stop's finger stays with the block that holds it; the block they carry goes with their ends.
        free = (points[:, 0] > 0) & (points[:, 1] <= self.reach + 1e-6) & (points[:, 1] >= -self.reach - 1e-6)
        if self.cover:
            free &= ~self.cover.hides(points[:, 2]) | (points[:, 0] > self.mouth + 1e-6)
        end = free & (points[:, 0] >= p.length) & self.two
        leaves = free & ~end
        found[leaves, :2] = self._followed(points[leaves, :2], self.middles, value, 0)
        if self.two:
            found[end, :2] = self.sprung.block(points[end, :2], value, 0)
        return found

    def _warp_folded(self, points: Array, value: float) -> Array:
        p, found = self.p, points.copy()
        x, aside = points[:, 0], np.abs(points[:, 1])
        carried = (x <= 0) & (x >= -p.carried - 1e-6) & (aside <= self.reach + 1e-6)
        stage = x >= p.length
        leaves = (x > 0) & ~stage
        out = leaves & (aside > (self.outer + p.spacing / 2) / 2)
        back = leaves & ~out
        found[stage, :2] = self.sprung.block(points[stage, :2], value, 1)
        found[out, :2] = self._followed(points[out, :2], (-self.outer, self.outer), value, 1)
        # The inner pair is bent the same way, seen from the bar that has moved.
        mirror, foot = np.array([-1.0, 1.0]), np.array([p.length, 0.0])
        for own, seen in ((back, self._followed(points[back, :2] * mirror + foot, self.middles, value, 0)),
                          (carried, self.sprung.block(points[carried, :2] * mirror + foot, value, 0))):
            found[own, :2] = self.sprung.block((seen - foot) * mirror, value, 1)
        return found

    def strain(self, points: Array, value: float) -> Array:
        """Return how strained points (n, 3) of it are, (n,), as a part of what it stands."""
        x, y = points[:, 0], points[:, 1]
        middles = np.array([*self.middles, *((-self.outer, self.outer) if self.folded else ())])
        ends = (x <= 0) | (x >= self.p.length) | ((np.abs(y) > self.reach + 1e-6) & (not self.folded))
        if self.cover:
            ends |= self.cover.hides(points[:, 2])
        which, found = self._leaf_of(points, middles), np.zeros(len(points))
        for place, middle in enumerate(middles):
            own = (which == place) & ~ends
            pair, leaf = divmod(place, 2)
            local = points[own, :2] - np.array([0.0, middle])
            if self.folded and pair == 0:
                local[:, 0] = self.p.length - local[:, 0]
            found[own] = (self.sprung.strained_beside(local, value, pair, leaf) if self.two
                          else self.sprung.strained(local, value))
        return found


@frozen
class Leaves(Sprung):
    """Leaves side by side, or pairs of them one after the other.

    ``beside``: least gap to what is round them, mm. ``freed``: chance that a hand frees them from floor and roof. ``spacings``:
    how far apart the leaves of each pair are, mm; none of a single leaf.
    """

    beside: float = math.inf
    freed: float = 1.0
    spacings: tuple[float, ...] = ()

    @cached_property
    def followed(self) -> tuple[Carried, ...]:
        """What the pairs do at some travels, the one that carries first, pushed where its leaves end: that is where the second
        pair, which leads back, has its roots."""
        length = float(self.winding.nodes[-1, 0])
        pairs = [Pair(self.winding, apart, -length * place) for place, apart in enumerate(self.spacings)]
        found = tuple(pair.pushed(self.share * self._travels) for pair in pairs)
        if len(pairs) == 1:
            return found
        # Both bear the same force: the stiffer pair takes less of the travel.
        stiff = [carried.force / carried.travel for carried in found]
        parts = [self._travels * other / (stiff[0] + stiff[1]) for other in (stiff[1], stiff[0])]
        return tuple(pair.pushed(self.share * self._travels * part / carried.travel)
                     for pair, part, carried in zip(pairs, parts, found, strict=True))

    @cached_property
    def _apart(self) -> tuple[Array, Array, Array, Array]:
        if not self.spacings:
            return super()._apart
        strain = np.max([pair.strain for pair in self.followed], axis=0)
        first = self.followed[0]
        return self._travels, first.leaves.mean(axis=1), first.force / self.bars, strain

    def strained_beside(self, points: Array, travel: float, pair: int, leaf: int) -> Array:
        """Return how strained points (n, 2) of a drawn leaf of a pair are at a travel, (n,), as a part of what it stands."""
        return self.strained_by(self.followed[pair].inner[1:, leaf], points, travel)

    def bow(self, pair: int, leaf: int) -> Bow:
        """Return how a leaf of a pair bends, at the travels of what is carried."""
        moved = self.followed[pair].leaves[1:, leaf] if self.spacings else self.states[1]
        return Bow(self.winding.nodes, np.concatenate([np.zeros((1, *moved.shape[1:])), moved]),
                   np.concatenate([[0.0], self.states[0]]))

    def block(self, points: Array, travel: float, pair: int) -> Array:
        """Return where points (n, 2) of the block of a pair are at a travel, mm."""
        x, y, turn = self.between(self.followed[pair].block[1:], travel)
        c, s = np.cos(turn), np.sin(turn)
        ends = np.array([float(self.winding.nodes[-1, 0]), 0.0])
        return np.asarray((points - ends) @ np.array([[c, s], [-s, c]]) + ends + np.array([x, y]))
