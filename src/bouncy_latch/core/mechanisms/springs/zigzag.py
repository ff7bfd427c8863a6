"""The shape of a zig-zag spring and what it is as printed: bars side by side, their turns, what it is held by, its frame."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.flex.bars import Bar, bars
from bouncy_latch.core.flex.host import EDGE
from bouncy_latch.core.flex.winding import LINE, PINNED, Winding, stroke
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import PEEL_FRONT
from bouncy_latch.core.mechanisms.springs.framed import AROUND, COVERED, NOTHING, Cover, Frame
from bouncy_latch.core.mechanisms.springs.sizes import FORCE_HELP, SpringParams
from bouncy_latch.core.mechanisms.springs.spring import Wanted, fill_of
from bouncy_latch.core.mechanisms.springs.sprung import Sprung
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Edge, Outline, from_corners, rectangle

STRETCHED, PRESSED = "stretched", "pressed"
TAB, EYE, GROWN = "tab", "eye", "grown in"
ROUND, SQUARE = "round", "square"
SHARP = 0.2
"""Inner radius of a corner drawn square, mm: half a line, as a nozzle rounds it (common practice, no source)."""
LEAST_FILLET = 0.05
"""Radius of a fillet where there is no room for a larger one, mm (own choice)."""
ROUNDED = 0.5
"""Inner radius of a turn over the thickness at the least, and the fillet where a bar grows out of its tab: sharper ones break
there (common practice, no source)."""


class ZigzagSpringParams(SpringParams):
    """Sizes of a zig-zag spring."""

    action: str = choice(STRETCHED, (STRETCHED, PRESSED), label="loaded by", role="given", source="you",
                         help="Stretched from its drawn length, or pressed together.")
    travel: float = number(8, label="travel", unit="mm", role="given", low=0.1, high=200, step=0.5, source="you",
                           help="How far its ends move against each other.")
    force: float | None = number(None, label="force at travel", unit="N", role="given", low=0.05, high=1000, step=0.1,
                                 source="you", help=FORCE_HELP)
    room_length: float | None = number(None, label="room along it", unit="mm", role="given", low=2, high=1000, step=1,
                                       source="you", help="Length of the room the spring must fit in, at its travel too. Left "
                                                          "empty, there is enough.")
    room_width: float | None = number(None, label="room across it", unit="mm", role="given", low=2, high=1000, step=1,
                                      source="you", help="Width of the room the spring must fit in. Left empty, there is "
                                                         "enough.")
    rows: int = number(9, label="rows", unit="", role="chosen", low=1, high=60, step=1, whole=True,
                       help="Bars across; the two half ones at the ends count as one.")
    row_length: float = number(18, label="row length", unit="mm", role="chosen", low=2, high=200, step=0.5,
                               help="Length of a bar between its turns.")
    pitch: float = number(4, label="pitch", unit="mm", role="chosen", low=0.8, high=60, step=0.1,
                          help="From bar to bar, middle to middle: twice the radius of a turn.")
    turn_form: str = choice(ROUND, (ROUND, SQUARE), label="turns", role="chosen",
                            help="Round or square turns; square ones take less room and are strained far more inside their "
                                 "corners.")
    ends: str = choice(TAB, (TAB, EYE, GROWN), label="ends", role="chosen",
                       help="Tabs that are held, eyes on pins that let its ends turn, or its first end grown into a part.")
    tab: float = number(8, label="tab", unit="mm", role="chosen", low=2, high=60, step=0.5,
                        help="Length and width of the tabs.")
    eye: float = number(4, label="eye", unit="mm", role="chosen", low=1, high=40, step=0.5, when={"ends": (EYE,)},
                        help="Diameter of the eye.")
    around: str = choice(NOTHING, AROUND, label="housing", role="chosen",
                         help="A frame keeps it straight and stops it a tenth beyond its travel; floor and roof close it in.")
    backing: float = number(8, label="behind", unit="mm", role="given", low=3, high=200, step=1, source="you", part="block",
                            when={"ends": (GROWN,)}, help="Length of the part that it grows out of.")


@frozen
class Plan:
    """A zig-zag on a printer; it lies along y from its first tab, its first bar at y = 0."""

    p: ZigzagSpringParams
    process: Process

    @property
    def corner(self) -> float:
        """Radius of its turns' centre line, mm."""
        return self.p.pitch / 2 if self.p.turn_form == ROUND else min(self.p.thickness / 2 + SHARP, self.p.pitch / 2)

    @property
    def side(self) -> float:
        """Where its bars go over into their turns, mm from its middle."""
        return self.p.row_length / 2 + (self.p.pitch / 2 - self.corner)

    def _turn(self, y: float, side: float) -> list[Edge]:
        """Return the edges of a turn from the bar at ``y`` to the next, on one side (1, -1)."""
        x, r, top = side * self.side, self.corner, y + self.p.pitch
        if self.p.turn_form == ROUND:
            return [Edge(x, y, x, top, side)]
        quarter, out = side * math.tan(math.pi / 8), x + side * r
        # Where the bars lie close together the two corners are all there is of a turn.
        between = [Edge(out, y + r, out, top - r, 0.0)] if top - r - (y + r) > 1e-6 else []
        return [Edge(x, y, out, y + r, quarter), *between, Edge(out, top - r, x, top, quarter)]

    def bars(self) -> tuple[Edge, ...]:
        """The centre line from the side of the first tab to that of the last, mm."""
        p, half = self.p, self.side
        edges, y, side = [Edge(p.tab / 2, 0.0, half, 0.0, 0.0)], 0.0, 1.0
        for row in range(p.rows):
            edges += self._turn(y, side)
            y += p.pitch
            last = row == p.rows - 1
            edges.append(Edge(side * half, y, side * p.tab / 2 if last else -side * half, y, 0.0))
            side = -side
        return tuple(edges)

    def line(self) -> tuple[Edge, ...]:
        """What is followed: the bars, and from eye to bar the tabs that do not bend."""
        bars = self.bars()
        if not self.pinned:
            return bars
        (first, last), begin, end = self.eyes, bars[0], bars[-1]
        return (Edge(0.0, first, 0.0, begin.y0, 0.0), Edge(0.0, begin.y0, begin.x0, begin.y0, 0.0), *bars,
                Edge(end.x1, end.y1, 0.0, end.y1, 0.0), Edge(0.0, end.y1, 0.0, last, 0.0))

    @property
    def fillet(self) -> float:
        """Radius in the corner between a tab and the first bar, mm: half a thickness where there is room for it."""
        most = min(0.2 * (self.side - self.p.tab / 2), (self.p.tab - self.p.thickness / 2) / 2)
        return min(ROUNDED * self.p.thickness, max(most, LEAST_FILLET))

    @property
    def pinned(self) -> bool:
        """Whether its ends turn on pins."""
        return self.p.ends == EYE and self.p.around == NOTHING

    @property
    def eyes(self) -> tuple[float, float]:
        """Where the middles of its eyes are, mm along it."""
        far = self.frame.end if self.frame else self.top + self.p.tab
        return -self.p.tab / 2, far - self.p.tab / 2

    @property
    def top(self) -> float:
        """Where the last bar is, mm."""
        return self.p.rows * self.p.pitch

    @property
    def way(self) -> int:
        """1 where it is stretched, -1 where it is pressed."""
        return -1 if self.p.action == PRESSED else 1

    @cached_property
    def winding(self) -> Winding:
        """Its bar as printed."""
        p = self.p
        return Winding(self.line(), p.thickness + 2 * self.process.growth.mean, p.width, fill_of(self.process, p.loops),
                       self.process.modulus.mean, self.process.plastic.poisson, PINNED if self.pinned else LINE,
                       self.fillet, stiff=2 if self.pinned else 0, grown=EDGE)

    @cached_property
    def sprung(self) -> Zigzag:
        """It as printed."""
        p = self.p
        gap = p.pitch - p.thickness
        return Zigzag(self.process, p.travel, self.winding.thickness, gap, p.rows * gap, p.cycles,
                      Wanted(p.force, p.rate_asked, p.energy_asked), self.way < 0, self.winding, self.way, plan=self)

    @cached_property
    def frame(self) -> Frame | None:
        """What is round it: wide enough for its turns as they move aside."""
        p = self.p
        if p.around == NOTHING:
            return None
        bar = self.winding
        aside = np.abs(bar.nodes[:, 0] + self.sprung.states[1][:, :, 0]).max() + p.thickness / 2
        # A tear runs along the bar from the end that is worked: only a front of it holds at a time.
        arm = (p.row_length + p.pitch) / 2
        holds = bar.made.bending * self.process.plastic.strength / (p.thickness / 2) / arm
        cover = Cover(self.process, p.width, (PEEL_FRONT, p.thickness), holds) if p.around == COVERED else None
        return Frame(self.process, max(self.wide / 2, float(aside)), -p.tab,
                     self.top + p.thickness / 2 + p.pitch - p.thickness, p.tab, p.travel, self.way, p.tab, p.width, cover)

    @property
    def wide(self) -> float:
        """Across all its turns, mm."""
        return 2 * (self.side + self.corner) + self.p.thickness

    @property
    def reaches(self) -> tuple[float, float]:
        """From where to where it lies along y, all that is printed with it, mm."""
        p = self.p
        if self.frame:
            return -p.tab - 4.0, self.frame.end
        return -p.tab - (p.backing if p.ends == GROWN else 0.0), self.top + p.tab

    def sections(self) -> tuple[Bar, ...]:
        """Return sections of its bar."""
        bar, low = self.winding, self.frame.lifted if self.frame else 0.0
        return bars(bar.nodes, bar.areas, tree.moved_to(0.0, 0.0, low + self.p.width / 2))

    @cached_property
    def flat(self) -> tuple[Outline, ...]:
        """Its bar, its two tabs, and what rounds the corners between them; the bar begins inside its tabs."""
        p, half, over, frame = self.p, self.p.tab / 2, self.p.thickness / 2, self.frame
        line = self.bars()
        first, last = line[0], line[-1]
        inside = min(0.5, half)
        run = (Edge(first.x0 - inside, 0.0, first.x1, 0.0, 0.0), *line[1:-1],
               Edge(last.x0, last.y0, last.x1 - math.copysign(inside, last.x1), last.y1, 0.0))
        far = frame.head if frame else self.top + p.tab
        near = -p.tab - (0.5 if frame or p.ends == GROWN else 0.0)
        return (stroke(run, p.thickness), rectangle(-half, near, half, over), rectangle(-half, self.top - over, half, far),
                *self._fillets(math.copysign(1.0, last.x0)))

    def solid(self) -> tree.Solid:
        """The bar, its tabs and its frame, standing on the bed."""
        p, frame = self.p, self.frame
        lifted = frame.lifted if frame else 0.0
        whole = tree.union([tree.Extrude(each, p.width).move(z=lifted) if lifted else tree.Extrude(each, p.width)
                            for each in self.flat])
        if frame:
            whole = tree.union([whole, frame.moving(), frame.standing()])
        if p.ends == EYE:
            places = self.eyes[1:] if frame else self.eyes
            high = frame.top if frame else p.width
            whole = whole - tree.union([tree.cylinder(p.eye / 2, high + 2).move(y=y, z=-1) for y in places])
        return whole

    def _fillets(self, last: float) -> tuple[Outline, Outline]:
        """Return what fills the corners between the tabs and their bars; ``last``: the side of the last bar, 1 or -1."""
        f, half, over, inside = self.fillet, self.p.tab / 2, self.p.thickness / 2, 0.1
        bulge = -math.tan(math.pi / 8)
        low = from_corners([(half - inside, -over - f, 0.0), (half, -over - f, bulge), (half + f, -over, 0.0),
                            (half + f, inside - over, 0.0), (half - inside, inside - over, 0.0)])
        high = low.moved(0.0, self.top, math.pi) if last < 0 else low.mirrored_y().moved(0.0, self.top)
        return low, high


@frozen
class Zigzag(Sprung):
    """A zig-zag; ``plan``: with what is round it."""

    plan: Plan | None = None

    @property
    def beside(self) -> float:
        """Least drawn gap between it and its frame, mm."""
        return self.plan.frame.room if self.plan and self.plan.frame else math.inf

    @property
    def freed(self) -> float:
        """Chance that a hand frees it from floor and roof."""
        frame = self.plan.frame if self.plan else None
        return frame.cover.by_hand if frame and frame.cover else 1.0
