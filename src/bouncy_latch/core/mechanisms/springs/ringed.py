"""The shape of a middle carried in a ring by arms all round: zig-zags or leaves, what stops it, floor and roof over it."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex.bars import Bar, bars
from bouncy_latch.core.flex.winding import Winding, stroke
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import PEEL_FRONT
from bouncy_latch.core.mechanisms.springs.carried import CHORDS, Button, Cushion
from bouncy_latch.core.mechanisms.springs.framed import NOTHING, Cover
from bouncy_latch.core.mechanisms.springs.sizes import FORCE_HELP, SpringParams
from bouncy_latch.core.mechanisms.springs.spring import BEYOND, Wanted, fill_of, room_for
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Edge, rectangle

CUSHION, BUTTON = "cushion", "button"
ZIGZAGS, LEAVES = "zig-zags", "leaves"
NO, YES = "no", "yes"
ROOFED = "floor and roof"
LUG = 4.0
"""Breadth of the lugs that stop a cushion, mm (common practice, no source)."""
FINE = 8
"""Points on every edge of an arm by which it is kept off its neighbours."""
Mask = npt.NDArray[np.bool_]


class RingSpringParams(SpringParams):
    """Sizes of a ring spring."""

    action: str = choice(CUSHION, (CUSHION, BUTTON), label="used as", role="given", source="you",
                         help="A cushion, whose middle is shifted in its plane; or a button, pushed out of it.")
    travel: float = number(1.5, label="travel", unit="mm", role="given", low=0.1, high=60, step=0.1, source="you",
                           help="How far the middle of the spring moves.")
    force: float | None = number(None, label="force at travel", unit="N", role="given", low=0.05, high=1000, step=0.1,
                                 source="you", help=FORCE_HELP)
    arm_form: str = choice(ZIGZAGS, (ZIGZAGS, LEAVES), label="arm form", role="chosen",
                           help="Zig-zags from the ring to the middle, or leaves that run round it.")
    arms: int = number(4, label="arms", unit="", role="chosen", low=2, high=16, step=1, whole=True,
                       help="How many there are, evenly round.")
    outer_radius: float = number(36, label="outer radius", unit="mm", role="chosen", low=4, high=300, step=0.5,
                                 help="Outside of the ring.")
    inner_radius: float = number(9, label="middle radius", unit="mm", role="chosen", low=1, high=200, step=0.5,
                                 help="Radius of the disc that the arms carry.")
    wall: float = number(4, label="ring", unit="mm", role="chosen", low=1, high=60, step=0.5, help="Thickness of the ring.")
    rows: int = number(6, label="rows", unit="", role="chosen", low=2, high=30, step=1, whole=True,
                       when={"arm_form": (ZIGZAGS,)}, help="How many bars a zig-zag has.")
    row_length: float = number(12, label="row length", unit="mm", role="chosen", low=2, high=200, step=0.5,
                               when={"arm_form": (ZIGZAGS,)}, help="Length of the bars between their turns.")
    stopped: str = choice(YES, (NO, YES), label="stop", role="chosen",
                          help="A tenth beyond its travel: lugs on the middle of a cushion, between zig-zags (leaves leave "
                               "no room for lugs: a leaf itself is the stop); a higher rim round a button that is laid face "
                               "down on what stops it.")
    around: str = choice(NOTHING, (NOTHING, ROOFED), label="housing", role="chosen", when={"action": (CUSHION,)},
                         help="A floor and a roof over its arms, carried by the ring and open where its middle moves.")

    @property
    def zigzags(self) -> bool:
        """Whether its arms are zig-zags."""
        return self.arm_form == ZIGZAGS


@frozen
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
    def stops(self) -> bool:
        """Whether something stops it: leaves run all round between ring and middle and leave lugs no way through, so that a
        cushion of leaves goes on until a leaf lies between both."""
        return self.p.stopped == YES and (self.p.action == BUTTON or self.p.zigzags)

    @property
    def stops_at(self) -> float:
        """Travel at which it is stopped, mm."""
        return (1 + BEYOND) * self.p.travel

    @property
    def solid_at(self) -> float:
        """Travel at which it goes no further, mm; infinite for a button that nothing stops."""
        p = self.p
        if self.stops:
            return self.stops_at
        bars = p.rows if p.arm_form == ZIGZAGS else 1
        return self.bore - p.inner_radius - bars * p.thickness if p.action == CUSHION else math.inf

    @cached_property
    def cover(self) -> Cover | None:
        """Floor and roof over its arms, where it has them."""
        p = self.p
        if p.around == NOTHING or p.action == BUTTON:
            return None
        # It is peeled off from its middle on, bent over the front of the tear.
        holds = p.width * p.thickness**2 / 6 * self.process.plastic.strength / PEEL_FRONT
        return Cover(self.process, p.width, (PEEL_FRONT, p.thickness), holds)

    @property
    def low(self) -> float:
        """Height at which its arms begin, mm."""
        return self.cover.lifted if self.cover else 0.0

    @property
    def mouth(self) -> float:
        """Radius of the hole in floor and roof, in which its middle moves, mm."""
        return self.p.inner_radius + self.stops_at + room_for(self.process)

    def housed(self) -> tree.Solid:
        """Arms and middle, with floor and roof where it has them; its middle stands on the bed and up to the roof then."""
        if self.cover is None:
            return self.solid()
        slabs = self.cover.slabs(lambda thick: blocks.tube(self.mouth, self.bore + 0.5, thick))
        middle = tree.cylinder(self.p.inner_radius, self.cover.top)
        return tree.union([self.solid().move(z=self.cover.lifted), middle, *slabs])

    @property
    def rim(self) -> float:
        """Height of the ring, mm: of a stopped button it stands out."""
        if self.cover:
            return self.cover.top
        return self.p.width + (self.stops_at if self.p.action == BUTTON and self.stops else 0.0)

    @cached_property
    def lugs(self) -> tuple[tuple[float, float, float], ...]:
        """Of every lug its angle, rad, and from where to where it reaches, mm."""
        p = self.p
        if p.action == BUTTON or not self.stops:
            return ()
        return tuple((math.pi / 2 + math.pi * (2 * arm + 1) / p.arms, p.inner_radius - 0.5, self.bore - self.stops_at)
                     for arm in range(p.arms))

    @cached_property
    def lug_room(self) -> float:
        """Between a lug and the arms beside it when it is stopped, mm: what goes along with the middle comes no nearer."""
        angle = math.pi / 2 + math.pi / self.p.arms
        aside = np.array([-math.sin(angle), math.cos(angle)])
        share = (np.hypot(*self._points.T) - self.p.inner_radius) / (self.bore - self.p.inner_radius)
        # The arm before the lug and the one after it: zig-zags are no mirror images.
        off = np.minimum(-(self._points @ aside), self.turned(self._points, 1) @ aside)
        return float((off - share * self.stops_at).min() - LUG / 2 - self.p.thickness / 2)

    def sections(self) -> tuple[Bar, ...]:
        """Return sections of every arm."""
        bar, at = self.winding, tree.moved_to(0.0, 0.0, self.low + self.p.width / 2)
        return tuple(each for arm in range(self.p.arms)
                     for each in bars(self.turned(bar.nodes, arm), bar.areas, at))

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
        if self.cover:
            hidden = self.cover.hides(points[:, 2]) & (away > p.inner_radius + 1e-3)
            still, middle = still | hidden, middle & ~hidden
        return np.mod(arm, p.arms).astype(int), middle, still


def _turned_by(angle: float) -> tree.Matrix:
    return tree.turn_about((0.0, 0.0, 1.0), (0.0, 0.0, 0.0), angle)
