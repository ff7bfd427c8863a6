"""Closed plane outlines of straight lines and circular arcs.

A corner is ``(x, y, bulge)`` where the bulge belongs to the edge that leaves the corner: 0 is a straight line, otherwise
the tangent of a quarter of the arc's sweep (positive turns left). Outlines run counter-clockwise. Lengths are mm.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen

if TYPE_CHECKING:
    import shapely

Corner = tuple[float, float, float]
Points = npt.NDArray[np.float64]

CHORD_TOLERANCE = 0.01
"""Greatest distance between an arc and its chords, mm: a fifth of what a tuned printer repeats."""
LEAST_SEGMENTS = 48
"""Segments of a full circle at least, so that a prism's volume is within 0.3 % of the cylinder's."""
SKETCH_TOLERANCE = 0.08
"""Chord tolerance while something is being dragged, mm."""
SKETCH_SEGMENTS = 16


MOST_CORNERS = 1500
"""Of an outline from outside; more are no drawing but a trace, and every step of a drag would pay for them."""
FARTHEST = 1e5
"""Greatest coordinate and arc radius that make sense, mm."""


def segments_of_circle(radius: float, tolerance: float = CHORD_TOLERANCE) -> int:
    """Return how many chords (a multiple of 4) keep a circle of ``radius`` mm within ``tolerance`` mm."""
    least = LEAST_SEGMENTS if tolerance < SKETCH_TOLERANCE else SKETCH_SEGMENTS
    if radius <= tolerance:
        return least
    # Beyond the farthest radius an arc is a line, and the arccosine would lose all its digits.
    count = math.ceil(math.pi / math.acos(1.0 - tolerance / min(radius, FARTHEST)))
    return max(least, 4 * math.ceil(count / 4))


@frozen
class Edge:
    """One edge of an outline: start, end (each shape (2,)) and bulge."""

    x0: float
    y0: float
    x1: float
    y1: float
    bulge: float

    @property
    def chord(self) -> float:
        """Straight distance between the ends, mm."""
        return math.hypot(self.x1 - self.x0, self.y1 - self.y0)

    @property
    def sweep(self) -> float:
        """Signed arc angle, rad; 0 for a line."""
        return 4.0 * math.atan(self.bulge)

    @property
    def radius(self) -> float:
        """Arc radius, mm; infinite for a line."""
        return math.inf if self.bulge == 0 else self.chord / (2.0 * math.sin(abs(self.sweep) / 2.0))

    @property
    def centre(self) -> tuple[float, float]:
        """Arc centre; only arcs have one."""
        middle_x, middle_y = (self.x0 + self.x1) / 2, (self.y0 + self.y1) / 2
        rise = (1.0 - self.bulge**2) / (4.0 * self.bulge)
        return middle_x - rise * (self.y1 - self.y0), middle_y + rise * (self.x1 - self.x0)

    def tangent(self, at_end: bool) -> tuple[float, float]:
        """Unit direction of travel at the start or the end."""
        turn = (1 if at_end else -1) * self.sweep / 2.0
        dx, dy = (self.x1 - self.x0) / self.chord, (self.y1 - self.y0) / self.chord
        return dx * math.cos(turn) - dy * math.sin(turn), dx * math.sin(turn) + dy * math.cos(turn)

    def middle(self) -> tuple[float, float]:
        """Point half way along the edge."""
        if self.bulge == 0:
            return (self.x0 + self.x1) / 2, (self.y0 + self.y1) / 2
        dx, dy = self.x1 - self.x0, self.y1 - self.y0
        return (self.x0 + self.x1) / 2 + self.bulge * dy / 2, (self.y0 + self.y1) / 2 - self.bulge * dx / 2

    def chords(self, tolerance: float, least: int = 1) -> list[tuple[float, float]]:
        """Points along the edge, the start included and the end left out."""
        if self.bulge == 0:
            return [(self.x0, self.y0)]
        (cx, cy), radius, sweep = self.centre, self.radius, self.sweep
        count = max(least, math.ceil(segments_of_circle(radius, tolerance) * abs(sweep) / (2 * math.pi)))
        start = math.atan2(self.y0 - cy, self.x0 - cx)
        turns = [start + sweep * i / count for i in range(count)]
        return [(cx + radius * math.cos(turn), cy + radius * math.sin(turn)) for turn in turns]


@frozen
class Outline:
    """A simple closed outline, counter-clockwise."""

    corners: tuple[Corner, ...]

    def __repr__(self) -> str:
        x0, y0, x1, y1 = self.bounds
        arcs = sum(1 for corner in self.corners if corner[2] != 0)
        return f"outline {x1 - x0:.2f}×{y1 - y0:.2f}, {len(self.corners)} edges, {arcs} arcs"

    @cached_property
    def edges(self) -> tuple[Edge, ...]:
        """The edges in order; edge i leaves corner i."""
        following = self.corners[1:] + self.corners[:1]
        return tuple(Edge(a[0], a[1], b[0], b[1], a[2]) for a, b in zip(self.corners, following, strict=True))

    def points(self, tolerance: float = CHORD_TOLERANCE) -> Points:
        """Return the outline as a polygon, shape (n, 2)."""
        return np.array([p for edge in self.edges for p in edge.chords(tolerance)], dtype=np.float64)

    @cached_property
    def polygon(self) -> shapely.Polygon:
        """The flattened outline as a shapely polygon."""
        import shapely

        return shapely.Polygon(self.points())

    @cached_property
    def bounds(self) -> tuple[float, float, float, float]:
        """Least x, least y, greatest x, greatest y."""
        points = self.points()
        low, high = points.min(axis=0), points.max(axis=0)
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])

    @cached_property
    def area(self) -> float:
        """Enclosed area, mm², exact for arcs."""
        total = 0.0
        for edge in self.edges:
            total += (edge.x0 * edge.y1 - edge.x1 * edge.y0) / 2
            if edge.bulge:
                total += edge.radius**2 * (edge.sweep - math.sin(edge.sweep)) / 2
        return total

    def least_convex_radius(self) -> float:
        """Smallest radius of an outward arc, mm; infinite when there is none."""
        return min((edge.radius for edge in self.edges if edge.bulge > 0), default=math.inf)

    def moved(self, x: float, y: float, turn: float = 0.0) -> Outline:
        """Return the outline turned by ``turn`` rad about the origin, then moved."""
        c, s = math.cos(turn), math.sin(turn)
        return Outline(tuple((c * a - s * b + x, s * a + c * b + y, bulge) for a, b, bulge in self.corners))

    def mirrored_y(self) -> Outline:
        """Return the outline reflected in the x axis, still counter-clockwise."""
        reversed_edges = [Edge(e.x1, -e.y1, e.x0, -e.y0, e.bulge) for e in reversed(self.edges)]
        return Outline(tuple((e.x0, e.y0, e.bulge) for e in reversed_edges))

    def inset(self, distance: float) -> Outline:
        """Return the outline moved inward by ``distance`` mm (outward when negative), lines and arcs kept exact.

        Raises:
            SolveError: when an edge or arc would vanish or the result would cross itself.
        """
        result = _inset(self, distance)
        if result is None:
            message = f"an inset of {distance:.2f} mm is too much for this outline: an edge or corner arc vanishes"
            raise SolveError(message, value=distance)
        return result

    def inset_freely(self, distance: float) -> Outline:
        """Return :meth:`inset`, or where edges vanish the same curve as short straight edges.

        Raises:
            SolveError: when nothing is left or the outline falls apart.
        """
        return _inset(self, distance) or _inset_by_buffer(self, distance)


@lru_cache(maxsize=512)
def _inset(old: Outline, distance: float) -> Outline | None:
    if distance == 0:
        return old
    edges = old.edges
    corners: list[Corner] = []
    for index, edge in enumerate(edges):
        x, y = _offset_corner(edges[index - 1], edge, distance)
        corners.append((x, y, edge.bulge))
    result = Outline(tuple(corners))
    if not _same_course(old, result):
        return None
    # Of a convex outline whose arcs run into their neighbours the moved edges are the offset while each keeps its course.
    plain = _is_plain(old) and _is_plain(result)
    return result if plain or _is_offset(old, result, distance) else None


@lru_cache(maxsize=512)
def _inset_by_buffer(old: Outline, distance: float) -> Outline:
    import shapely

    rest = old.polygon.buffer(-distance, quad_segs=16)
    if rest.is_empty or not isinstance(rest, shapely.Polygon) or rest.interiors:
        message = f"a wall of {abs(distance):.2f} mm leaves no room inside this outline"
        raise SolveError(message, value=distance)
    rest = shapely.remove_repeated_points(rest.simplify(0.002), 0.01)
    return polygon(np.asarray(rest.exterior.coords)[:-1])


def _offset_corner(before: Edge, after: Edge, distance: float) -> tuple[float, float]:
    """Return the corner between two edges once both have moved left by ``distance``."""
    ta, tb = before.tangent(at_end=True), after.tangent(at_end=False)
    na, nb = (-ta[1], ta[0]), (-tb[1], tb[0])
    cosine = na[0] * nb[0] + na[1] * nb[1]
    if cosine > 1 - 1e-9:
        return after.x0 + distance * na[0], after.y0 + distance * na[1]
    # Mitre along the bisector: exact between lines, and first-order between a line and an arc that is not tangent to it,
    # where the arc is then redrawn through the new ends; `_is_offset` refuses it if that is not close enough.
    scale = distance / (1 + cosine) if cosine > -0.999 else math.inf
    return after.x0 + scale * (na[0] + nb[0]), after.y0 + scale * (na[1] + nb[1])


def _same_course(old: Outline, new: Outline) -> bool:
    """Whether every edge still runs the way it did."""
    for a, b in zip(old.edges, new.edges, strict=True):
        if not math.isfinite(b.x0 + b.y0) or b.chord < 1e-6:
            return False
        if (a.x1 - a.x0) * (b.x1 - b.x0) + (a.y1 - a.y0) * (b.y1 - b.y0) <= 0:
            return False
    return True


def _is_plain(outline: Outline) -> bool:
    """Whether an outline is convex and runs round once, and no arc of it meets a neighbour at an angle."""
    edges, turned = outline.edges, 0.0
    for before, after in pairwise((edges[-1], *edges)):
        (ax, ay), (bx, by) = before.tangent(at_end=True), after.tangent(at_end=False)
        turn = math.atan2(ax * by - ay * bx, ax * bx + ay * by)
        if turn < -1e-9 or after.bulge < 0 or (turn > 1e-9 and (before.bulge or after.bulge)):
            return False
        turned += turn + after.sweep
    return abs(turned - 2 * math.pi) < 1e-6


def _is_offset(old: Outline, new: Outline, distance: float) -> bool:
    """Whether ``new`` encloses what shapely's own offset of ``old`` encloses."""
    reference = old.polygon.buffer(-distance, join_style="mitre", mitre_limit=10)
    made = new.polygon
    if not made.is_valid or reference.is_empty:
        return False
    return bool(reference.symmetric_difference(made).area <= 0.004 * old.polygon.length + 1e-3 * reference.area)


def polygon(points: Iterable[Sequence[float]] | Points) -> Outline:
    """Return the outline through ``points`` (n, 2) in mm, turned counter-clockwise if need be.

    Raises:
        SolveError: when there are fewer than three corners, a coordinate is not finite, or the outline crosses itself.
    """
    return from_corners([(float(p[0]), float(p[1]), 0.0) for p in points])


def from_corners(corners: Iterable[Corner]) -> Outline:
    """Return a checked outline from ``(x, y, bulge)`` corners; see :func:`polygon` for the errors."""
    clean: list[Corner] = []
    for corner in corners:
        if not all(math.isfinite(value) for value in corner):
            raise SolveError("the outline has a coordinate that is not a number")
        if max(map(abs, corner)) > FARTHEST:
            raise SolveError("the outline reaches farther than any part")
        if not clean or math.dist(corner[:2], clean[-1][:2]) > 1e-6:
            clean.append(corner)
    if len(clean) > 1 and math.dist(clean[0][:2], clean[-1][:2]) <= 1e-6:
        clean.pop()
    if any(bulge and 0 < abs(bulge) < 1e-7 for _, _, bulge in clean):
        clean = [(x, y, bulge if abs(bulge) >= 1e-7 else 0.0) for x, y, bulge in clean]
    outline = Outline(tuple(clean))
    if len(clean) < 2 or (len(clean) == 2 and not any(c[2] for c in clean)) or len(outline.points()) < 3:
        raise SolveError("the outline needs at least three corners")
    # What is convex and runs round once crosses itself nowhere, and needs no library to say so.
    if not (_is_plain(outline) and outline.area > 0) and not outline.polygon.is_valid:
        raise SolveError("the outline crosses itself")
    if outline.area < 0:
        turned = [Edge(e.x1, e.y1, e.x0, e.y0, -e.bulge) for e in reversed(outline.edges)]
        outline = Outline(tuple((e.x0, e.y0, e.bulge) for e in turned))
    return outline


def rectangle(x0: float, y0: float, x1: float, y1: float) -> Outline:
    """Return an axis-parallel rectangle."""
    return Outline(((x0, y0, 0.0), (x1, y0, 0.0), (x1, y1, 0.0), (x0, y1, 0.0)))


QUARTER = math.tan(math.pi / 8)
"""Bulge of a quarter circle."""


def rounded_rectangle(width: float, depth: float, radius: float) -> Outline:
    """Return a rectangle centred on the origin with corner arcs of ``radius`` mm (0 for sharp corners)."""
    if radius <= 0:
        return rectangle(-width / 2, -depth / 2, width / 2, depth / 2)
    if 2 * radius >= min(width, depth):
        message = f"a corner radius of {radius:g} mm needs sides longer than {2 * radius:g} mm"
        raise SolveError(message, field="radius", value=radius, limit=min(width, depth) / 2)
    x, y, r = width / 2, depth / 2, radius
    return Outline((
        (-x + r, -y, 0.0), (x - r, -y, QUARTER), (x, -y + r, 0.0), (x, y - r, QUARTER),
        (x - r, y, 0.0), (-x + r, y, QUARTER), (-x, y - r, 0.0), (-x, -y + r, QUARTER),
    ))


def circle(radius: float) -> Outline:
    """Return a circle about the origin as two half-circle arcs."""
    return Outline(((radius, 0.0, 1.0), (-radius, 0.0, 1.0)))


def rounded(corners: Sequence[tuple[float, float]], radius: float) -> Outline:
    """Return the polygon with every convex corner replaced by an arc of ``radius`` mm."""
    sharp = polygon(corners)
    if radius <= 0:
        return sharp
    result: list[Corner] = []
    edges = sharp.edges
    for index, after in enumerate(edges):
        before = edges[index - 1]
        ta, tb = before.tangent(at_end=True), after.tangent(at_end=False)
        turn = math.atan2(ta[0] * tb[1] - ta[1] * tb[0], ta[0] * tb[0] + ta[1] * tb[1])
        if turn <= 0:
            result.append((after.x0, after.y0, 0.0))
            continue
        setback = radius * math.tan(turn / 2)
        if setback > 0.499 * min(before.chord, after.chord):
            raise SolveError(f"a corner radius of {radius:g} mm is too large for this outline", field="radius")
        result.append((after.x0 - setback * ta[0], after.y0 - setback * ta[1], math.tan(turn / 4)))
        result.append((after.x0 + setback * tb[0], after.y0 + setback * tb[1], 0.0))
    return Outline(tuple(result))
