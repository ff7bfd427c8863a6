"""A bar that winds in the layers: its centre line of straights and arcs as a frame, its strain, and where it meets itself.

Curved pieces are strained as curved bars: at the inside of a turn by Winkler–Bach's factor. Travel is along y, of the last
node against the first, which is held; the bar is as stiff as its printed section.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property
from itertools import pairwise

import numpy as np

from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.arm import FOOT, SPREAD
from bouncy_latch.core.flex.frame import Frame, natural_stiffness
from bouncy_latch.core.flex.grid import Grid, lying, torsion_of, warping_of
from bouncy_latch.core.flex.host import PEAK, WALL, Grown
from bouncy_latch.core.flex.section import Fill, Section, section
from bouncy_latch.core.flex.strip import AT, WEIGHTS
from bouncy_latch.core.flex.touching import Touching
from bouncy_latch.core.flex.warp import beside
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array, distinct
from bouncy_latch.core.solids.outline import Corner, Edge, Outline, from_corners

FREE, LINE, LEVEL, PINNED = "free", "line", "level", "pinned"
"""How the moved end is held: it may turn and leave its line; it does neither; it does not turn, but leaves its line; both ends
may turn, and keep to the line."""
RIGID = 1e3
"""How much stiffer than its bar what it is held by is taken to be: a tab is as good as rigid beside it."""
CRUSHED = 2.0
"""Length of a bar over its thickness that is flattened where two of them meet (common practice, no source)."""
STRAIGHT, TURN, BEND = 2, math.pi / 4, math.pi / 12
"""Elements of a straight, and the greatest angle of an element of a turn and of a wide arc, rad."""
FINER = 3
"""Elements of the same bar out of its plane for one in it: torsion changes within a thickness or so."""
WIDE = 4.0
"""Radius over thickness from which an arc is no turn any more: what its chords cut off counts."""
APART = 1.6
"""Two places of a bar count as facing each other when the way along it is so many half turns round the way across, or more."""


@frozen
class Winding:
    """A bar along a centre line.

    Attributes:
        edges: of the centre line, from the held end. thickness, width: as printed, mm. fill, modulus (MPa), poisson.
        hold: how the moved end is held. fillet: radius where it grows out of blocks at its ends, whose give counts then, mm;
        0 where it grows out of nothing wide. stiff: how many edges at either end do not bend, as tabs. grown: out of what it
        grows at its ends.
        nub: radius of the corner where the moved end meets a nub on the bar, mm; None where it is a block as the held one.
    """

    edges: tuple[Edge, ...]
    thickness: float
    width: float
    fill: Fill
    modulus: float
    poisson: float = 0.35
    hold: str = LINE
    fillet: float = 0.0
    stiff: int = 0
    nub: float | None = None
    grown: Grown = WALL

    @cached_property
    def made(self) -> Section:
        """The printed section."""
        return section(self.thickness, self.width, self.fill, self.poisson)

    @cached_property
    def _pieces(self) -> tuple[Array, Array, Array, Array]:
        """Nodes (n, 2), and of every element its length along the line, its radius (straight: infinite) and if it bends."""
        return self._laid(1)

    def _laid(self, finer: int) -> tuple[Array, Array, Array, Array]:
        nodes, lengths, radii, bending = [(self.edges[0].x0, self.edges[0].y0)], [], [], []
        for number, edge in enumerate(self.edges):
            bends = self.stiff <= number < len(self.edges) - self.stiff
            if edge.bulge == 0:
                count = finer * STRAIGHT if bends else 1
                whole = edge.chord
                places = [(edge.x0 + (edge.x1 - edge.x0) * i / count, edge.y0 + (edge.y1 - edge.y0) * i / count)
                          for i in range(1, count + 1)]
            else:
                most = TURN if edge.radius < WIDE * self.thickness else BEND
                count = finer * max(2, math.ceil(abs(edge.sweep) / most - 1e-9))
                whole = edge.radius * abs(edge.sweep)
                (cx, cy), radius = edge.centre, edge.radius
                begin = math.atan2(edge.y0 - cy, edge.x0 - cx)
                places = [(cx + radius * math.cos(begin + edge.sweep * i / count),
                           cy + radius * math.sin(begin + edge.sweep * i / count)) for i in range(1, count + 1)]
            nodes += places
            lengths += [whole / count] * count
            radii += [edge.radius] * count
            bending += [float(bends)] * count
        return np.array(nodes), np.array(lengths), np.array(radii), np.array(bending)

    @property
    def nodes(self) -> Array:
        """The centre line's nodes, (n, 2) mm."""
        return self._pieces[0]

    @property
    def areas(self) -> Array:
        """Area of the printed section in the middle of every element, mm², (m,); NaN at its ends and where it is stiff."""
        bends = self._pieces[3]
        ends = np.isin(np.arange(len(bends)), [self._first, self._last])
        return np.where((bends > 0) & ~ends, self.made.area, math.nan)

    @property
    def length(self) -> float:
        """Along the centre line, of what bends, mm."""
        return float(self._pieces[1] @ self._pieces[3])

    @cached_property
    def frame(self) -> Frame:
        """It as a frame: the first node held, the last one moved along y."""
        nodes, lengths, _, bends = self._pieces
        made = self.made
        softness = made.softness(float(self.length), self.poisson) / self.modulus
        axial, bending, shear = (np.full(len(AT), value) for value in (self.modulus * made.area, self.modulus * made.bending,
                                                                       softness))
        # Of a spring's many elements most are alike.
        kinds, which = np.unique(np.round(lengths, 9), return_inverse=True)
        stiffness = np.array([natural_stiffness(float(length), axial, bending, shear, AT, WEIGHTS) for length in kinds])[which]
        fixed = np.zeros((len(nodes), 3), dtype=bool)
        fixed[0] = True
        stiffness = stiffness * np.where(bends > 0, 1.0, RIGID)[:, None, None]
        if self.fillet > 0:
            # A nub is thicker than what it sits on.
            for end, way in ((self._first, 1), (self._last, -1)) if self.nub is None else ((self._first, 1),):
                stiffness[end] = self._rooted(stiffness[end], float(lengths[end]), softness, way)
        fixed[0, 2] = self.hold != PINNED
        fixed[-1, 0], fixed[-1, 2] = self.hold in {LINE, PINNED}, self.hold in {LINE, LEVEL}
        springs = np.zeros((len(nodes), 3))
        ends = np.column_stack([np.arange(len(nodes) - 1), np.arange(1, len(nodes))])
        return Frame(nodes, ends, stiffness, fixed, springs)

    @property
    def _first(self) -> int:
        """The first element that bends."""
        return int(np.argmax(self._pieces[3] > 0))

    @property
    def _last(self) -> int:
        """The last element that bends."""
        bends = self._pieces[3]
        return len(bends) - 1 - int(np.argmax(bends[::-1] > 0))

    @property
    def rounded(self) -> bool:
        """Whether straights end in fillets that count: those of curved bars are as small as a line."""
        lengths, radii, ends = self._pieces[1], self._pieces[2], [self._first, self._last]
        return bool(np.isinf(radii[ends]).all()) and 0 < self.fillet < float(lengths[ends].min())

    def _rooted(self, plain: Array, length: float, softness: float, way: int) -> Array:
        """Return the (3, 3) stiffness of an element that grows out of a block at its first (1) or last (-1) end: rounded there,
        and what the block gives."""
        found = self._filleted(length, softness, way) if self.rounded else plain.copy()
        hollow = self.grown.softer(self.fill, self.thickness, self.width)
        foot = self.thickness + (self.grown.sides * FOOT * self.fillet if self.rounded else 0.0)
        turns = beams.root_rotation(foot, self.width, self.modulus) * self.grown.turns * hollow
        flex, at = np.linalg.inv(found[1:, 1:]), 0 if way > 0 else 1
        flex[at, at] += turns
        flex += self.grown.shifts * hollow / (self.modulus * self.width) / length**2
        found[1:, 1:] = np.linalg.inv(flex)
        return found

    def _filleted(self, length: float, softness: float, way: int) -> Array:
        """Return the (3, 3) stiffness of an element with a fillet on both sides at its first (1) or last (-1) end, rounded as
        :class:`bouncy_latch.core.flex.arm.Arm`'s is."""
        part = self.fillet / length
        at = np.concatenate([part * AT, part + (1 - part) * AT])
        weights = np.concatenate([part * WEIGHTS, (1 - part) * WEIGHTS])
        into = np.maximum(self.fillet - at * length, 0.0)
        bulge = np.where(into > 0, self.fillet - np.sqrt(np.maximum(self.fillet**2 - into**2, 0.0)), 0.0)
        deep = 1 + self.grown.sides * SPREAD * bulge / self.thickness
        made, shear = self.made, np.full(len(at), softness)
        found = natural_stiffness(length, self.modulus * made.area * deep, self.modulus * made.bending * deep**3, shear,
                                  at if way > 0 else 1 - at, weights)
        return np.asarray(found)

    @cached_property
    def _meeting(self) -> Frame:
        """It as a frame whose straights meet."""
        return replace(self.frame, touching=self._touching)

    @cached_property
    def _touching(self) -> Touching:
        """Where its straights meet: nodes of neighbours above each other, and a tab with the next bar."""
        nodes, _, radii, bends = self._pieces
        flat = np.flatnonzero((bends > 0) & np.isinf(radii) & (np.abs(np.diff(nodes[:, 1])) < 1e-9))
        rows: dict[float, list[int]] = {}
        for node in distinct(np.concatenate([flat, flat + 1])):
            rows.setdefault(round(float(nodes[node, 1]), 6), []).append(int(node))
        pairs = []
        for below, above in pairwise(rows[y] for y in sorted(rows)):
            pairs += [(low, high) for low in below for high in above if abs(nodes[low, 0] - nodes[high, 0]) < 1e-6]
        bars = [rows[y] for y in sorted(rows)]
        if len(bars) > 2:
            ends = int(np.argmax(bends > 0)), len(nodes) - 1 - int(np.argmax(bends[::-1] > 0))
            pairs += [(ends[0], min(bars[1], key=lambda i: abs(nodes[i, 0]))), (min(bars[-2], key=lambda i: abs(nodes[i, 0])),
                                                                               ends[1])]
        return Touching(np.array(pairs), self.thickness, CRUSHED * self.modulus * self.width)

    @cached_property
    def grid(self) -> Grid:
        """It as it bends out of its layers, in finer elements."""
        nodes, lengths, _, bends = self._laid(FINER)
        upright = lying(self.thickness, self.width, self.fill, self.poisson)
        along = np.diff(nodes, axis=0)
        # Arcs are as soft as they are long, not as their chords are.
        part = np.hypot(along[:, 0], along[:, 1]) / lengths * np.where(bends > 0, 1.0, RIGID)
        twist = self.modulus / (2 * (1 + self.poisson)) * torsion_of(self.width, self.thickness)
        warping = self.modulus * warping_of(self.width, self.thickness)
        return Grid(nodes, self.modulus * upright.bending * part, twist * upright.fullness * part,
                    warping * upright.fullness * part)

    def hanging(self, heavy: float, end: float) -> Array:
        """Return how far it hangs down of its own weight where its first end is held level, mm along the nodes of its grid.

        ``heavy``: N/mm³. end: volume of what hangs at its last end besides, mm³.
        """
        _, lengths, _, _ = self._laid(FINER)
        each = lengths * self.thickness * self.width / 2
        volumes = np.concatenate([each, [end]]) + np.concatenate([[0.0], each])
        return np.asarray(-self.grid.hanging(heavy * volumes)[:, 0])

    def buckles(self, moved: Array) -> float:
        """Return how many times as far as displacements (n, 3) of a pressed bar it goes before it turns aside, where the
        least of its stiffness would be gone, falling as it does up to there; infinite where it does not fall."""
        from scipy.linalg import eig_banded

        first, now = (float(eig_banded(self.frame.bands_of(at, 3 * (len(self.nodes) - 1) + 1), select="i", select_range=(0, 0),
                                       eigvals_only=True, check_finite=False)[0]) for at in (np.zeros_like(moved), moved))
        return float(first / (first - now)) if now < first else math.inf

    def pulled(self, travels: Array, *, meeting: bool = False) -> tuple[Array, Array, Array]:
        """Return displacements (B, n, 3), forces (B,) N and greatest strains (B,) at travels (B,) of the end along y, mm.

        ``meeting``: whether its straights may meet on the way; otherwise they go through each other.

        Raises:
            SolveError: when it cannot be followed so far.
        """
        directions, arms = np.tile([0.0, 1.0], (len(travels), 1)), np.zeros((len(travels), 2))
        frame = self._meeting if meeting else self.frame
        moved, force = frame.pushed(len(self.nodes) - 1, -travels, directions, arms)
        return moved, force, self.strains(moved)

    def strains(self, moved: Array) -> Array:
        """Return the greatest surface strain of each case of displacements (B, n, 3), (B,)."""
        return self.strained_by(self.frame.forces(moved))

    def strained_by(self, inner: Array) -> Array:
        """Return the greatest surface strain of each case, (B,), of forces within its elements (B, m, 3)."""
        by_moment = self.thickness / 2 / (self.modulus * self.made.bending) * self._factors
        by_pull = 1 / (self.modulus * self.made.area)
        moments = np.abs(inner[:, :, 1:])
        if self.fillet > 0:
            first, last = self._first, self._last
            peaks = self.grown.peak * self.grown.softer(self.fill, self.thickness, self.width) ** PEAK
            rounding = beams.fillet_factor(self.fillet, self.thickness) * peaks
            moments[:, first, 0] = self._at_fillet(inner, first, 1) * rounding
            if self.nub is None:
                moments[:, last, 1] = self._at_fillet(inner, last, -1) * rounding
            else:
                moments[:, -1, 1] *= beams.fillet_factor(self.nub, self.thickness)
        moment = moments.max(axis=2)
        return np.asarray(((by_moment * moment + by_pull * np.abs(inner[:, :, 0])) * self._pieces[3]).max(axis=1))

    def _at_fillet(self, inner: Array, element: int, way: int) -> Array:
        """Return the moment (B,) where the fillet at the first (1) or last (-1) end of an element begins, which peaks there."""
        part = self.fillet / float(self._pieces[1][element]) if self.rounded else 0.0
        near, far = (inner[:, element, 1], inner[:, element, 2])[::way]
        return np.asarray(np.abs(near - part * (near + far)))

    def strained(self, points: Array, inner: Array) -> Array:
        """Return how strained the bar is at points (n, 2) of the drawn plane, (n,), under forces ``inner`` (m, 3) of its
        elements: axial, and moments at their ends."""
        i, t, aside = beside(self.nodes, points)
        moment = inner[i, 1] * (t - 1) + inner[i, 2] * t
        by_moment = moment * np.clip(aside, -self.thickness / 2, self.thickness / 2) / (self.modulus * self.made.bending)
        return np.asarray(np.abs(by_moment * self._factors[i]) + np.abs(inner[i, 0]) / (self.modulus * self.made.area))

    @cached_property
    def _factors(self) -> Array:
        """By how much more the inside of every element is strained because it is curved, (m,)."""
        inside = self._pieces[2] - self.thickness / 2
        return np.array([beams.curved_factor(radius, self.thickness) if math.isfinite(radius) else 1.0 for radius in inside])

    def least_gap(self, moved: Array) -> Array:
        """Return what is left between parts of the bar that face each other in each case, (B,) mm; negative where they meet."""
        nodes, lengths, _, _ = self._pieces
        way = np.concatenate([[0.0], np.cumsum(lengths)])
        at = nodes + moved[:, :, :2]
        start, along = at[:, :-1], np.diff(at, axis=1)
        out = at[:, :, None, :] - start[:, None, :, :]
        t = np.clip((out * along[:, None]).sum(axis=3) / np.maximum((along**2).sum(axis=2)[:, None], 1e-12), 0.0, 1.0)
        across = np.sqrt(((out - t[..., None] * along[:, None]) ** 2).sum(axis=3))
        between = np.abs(way[:, None] - (way[None, None, :-1] + t * lengths))
        facing = between > APART * math.pi / 2 * np.maximum(across, self.thickness)
        return np.asarray(np.where(facing, across, np.inf).min(axis=(1, 2)) - self.thickness)


def stroke(edges: tuple[Edge, ...], thickness: float) -> Outline:
    """Return the outline of a bar of even thickness along a centre line whose pieces run into each other, mm.

    Raises:
        SolveError: when it would cross itself.
    """
    corners: list[Corner] = []
    for side, course in ((1.0, edges), (-1.0, edges[::-1])):
        for number, edge in enumerate(course):
            first, last = (False, True) if side > 0 else (True, False)
            x, y = (edge.x0, edge.y0) if side > 0 else (edge.x1, edge.y1)
            tx, ty = edge.tangent(at_end=first)
            corners.append((x + side * thickness / 2 * ty, y - side * thickness / 2 * tx, side * edge.bulge))
            if number == len(course) - 1:
                x, y = (edge.x1, edge.y1) if side > 0 else (edge.x0, edge.y0)
                tx, ty = edge.tangent(at_end=last)
                corners.append((x + side * thickness / 2 * ty, y - side * thickness / 2 * tx, 0.0))
    return from_corners(corners)
