"""What a part offers to sit on, found on its triangles: flat faces, straight edges between them, and round holes, by name.

A face is named by where it looks in the part's own coordinates (top, bottom, left, right, front, back), the outermost first
(top, top-2, …), or slope-1, slope-2 … where it looks elsewhere. Two parts of one drawing have the same names, so that joints
stay where they are when its file is replaced.
"""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Sequence
from functools import cached_property
from typing import Any, TypeVar

import numpy as np

from bouncy_latch.core.errors import ParamError, shortly
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.solids import mesh, tree

SIDES = {"top": (0, 0, 1), "bottom": (0, 0, -1), "left": (-1, 0, 0), "right": (1, 0, 0), "front": (0, -1, 0), "back": (0, 1, 0)}
"""Where named faces look."""
ALIKE = math.cos(math.radians(0.5))
"""Two triangles whose normals differ by less may lie in one plane, and a face looks to a named side."""
FLAT = 0.01
"""How far a face's corners may lie off its plane, mm."""
LEAST_AREA, LEAST_EDGE = 4.0, 2.0
"""Smaller faces, mm², and shorter edges, mm, carry nothing."""
MOST = 60
"""Faces that are named, largest first; likewise edges and holes."""
ROUND = 0.02
"""How far a hole's corners may lie off its circle, as a part of its radius."""
Point = tuple[float, float, float]


@frozen
class Face:
    """A flat face, in the part's own coordinates, mm.

    Attributes:
        name: what it is called. normal: out of the part. corner: the lower left corner of the rectangle round it, seen from
            outside. across, up: unit vectors along that rectangle. width, height: of it. area: mm². centre: of the area.
    """

    name: str
    normal: Point
    corner: Point
    across: Point
    up: Point
    width: float
    height: float
    area: float
    centre: Point

    def point(self, at: tuple[float, float] | None = None) -> Point:
        """Return a point by its distances from the left and the lower edge, mm; without any, the middle of the area."""
        if at is None:
            return self.centre
        found = np.array(self.corner) + at[0] * np.array(self.across) + at[1] * np.array(self.up)
        return _point(found)

    def at(self, point: Point) -> tuple[float, float]:
        """Return the distances of a point from the left and the lower edge, mm."""
        off = np.array(point) - np.array(self.corner)
        return round(float(off @ np.array(self.across)), 6), round(float(off @ np.array(self.up)), 6)


@frozen
class Edge:
    """A straight edge between two faces: their names, and its ends, mm."""

    name: str
    faces: tuple[str, str]
    start: Point
    end: Point

    @property
    def length(self) -> float:
        """Length, mm."""
        return math.dist(self.start, self.end)

    @property
    def middle(self) -> Point:
        """Its middle, mm."""
        return _point((np.array(self.start) + np.array(self.end)) / 2)


@frozen
class Hole:
    """A round hole in a face: the middle of its mouth, its axis out of the part, its diameter, mm."""

    name: str
    face: str
    centre: Point
    axis: Point
    diameter: float


@frozen
class Surface:
    """What was found on a part."""

    faces: tuple[Face, ...]
    edges: tuple[Edge, ...]
    holes: tuple[Hole, ...]

    def face(self, name: str) -> Face:
        """Return a face by name; raises ParamError, naming those there are."""
        return _named(self.faces, name, "face")

    def edge(self, name: str) -> Edge:
        """Return an edge by name, its faces in either order; raises ParamError."""
        swapped = "-".join(reversed(name.split("-"))) if name.count("-") == 1 else name
        return _named(self.edges, swapped if any(each.name == swapped for each in self.edges) else name, "edge")

    def hole(self, name: str) -> Hole:
        """Return a hole by name; raises ParamError."""
        return _named(self.holes, name, "hole")


T = TypeVar("T", Face, Edge, Hole)


def _named(found: Sequence[T], name: str, what: str) -> T:
    for each in found:
        if each.name == name:
            return each
    known = ", ".join(each.name for each in found) or "none"
    raise ParamError(f"the part has no {what} '{shortly(name)}'; it has {known}", field="seat", value=name)


_found: OrderedDict[tree.Solid, Surface] = OrderedDict()


def surface_of(solid: tree.Solid) -> Surface:
    """Return the faces, edges and holes of a solid; the last ones asked for are kept."""
    if solid not in _found:
        _found[solid] = _Finding(*mesh.arrays(mesh.evaluate(solid))).surface()
        if len(_found) > 8:
            _found.popitem(last=False)
    return _found[solid]


def _point(values: Array) -> Point:
    x, y, z = (round(float(v), 9) + 0.0 for v in values)
    return x, y, z


class _Finding:
    """The work on one mesh: corners (n, 3), triangles (m, 3)."""

    def __init__(self, corners: Any, triangles: Any) -> None:
        self.corners = np.asarray(corners, dtype=np.float64)
        self.triangles = np.asarray(triangles, dtype=np.int64)

    @cached_property
    def normals(self) -> Array:
        """Unit normals (m, 3)."""
        a, b, c = (self.corners[self.triangles[:, i]] for i in range(3))
        cross = np.cross(b - a, c - a)
        return np.asarray(cross / np.maximum(np.linalg.norm(cross, axis=1), 1e-300)[:, None])

    @cached_property
    def areas(self) -> Array:
        """Areas (m,), mm²."""
        a, b, c = (self.corners[self.triangles[:, i]] for i in range(3))
        return np.asarray(np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2)

    @cached_property
    def shared(self) -> tuple[Any, Any, Any]:
        """Edges between two triangles: the triangles (k, 2) and the corners from one end to the other in the first (k,)."""
        first = self.triangles.ravel()
        second = np.roll(self.triangles, -1, axis=1).ravel()
        owner = np.repeat(np.arange(len(self.triangles)), 3)
        order = np.lexsort((first > second, np.maximum(first, second), np.minimum(first, second)))
        # In a closed body every edge lies twice, once either way.
        one, two = order[0::2], order[1::2]
        return np.stack([owner[one], owner[two]], axis=1), first[one], second[one]

    @cached_property
    def groups(self) -> Any:
        """The flat piece that every triangle belongs to, (m,)."""
        from scipy.sparse import coo_matrix
        from scipy.sparse.csgraph import connected_components

        pairs, _, _ = self.shared
        flat = (self.normals[pairs[:, 0]] * self.normals[pairs[:, 1]]).sum(axis=1) > ALIKE
        pairs = pairs[flat]
        count = len(self.triangles)
        graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
        return connected_components(graph, directed=False)[1]

    def surface(self) -> Surface:
        """Return what is there, named."""
        sums = np.bincount(self.groups, self.areas)
        faces: list[tuple[int, Face]] = []
        order = np.argsort(self.groups, kind="stable")
        starts = np.searchsorted(self.groups[order], np.arange(len(sums) + 1))
        for group in np.argsort(-sums)[:MOST]:
            if sums[group] < LEAST_AREA:
                break
            found = self._face(order[starts[group]:starts[group + 1]])
            if found is not None:
                faces.append((int(group), found))
        named = _called(faces)
        return Surface(tuple(face for _, face in named), self._edges(named), self._holes(named))

    def _face(self, own: Any) -> Face | None:
        weights = self.areas[own]
        normal = weights @ self.normals[own]
        normal /= np.linalg.norm(normal)
        for side in SIDES.values():
            if normal @ np.array(side) > ALIKE and np.abs(self.normals[own] @ np.array(side)).min() > ALIKE:
                normal = np.array(side, dtype=np.float64) if normal @ np.array(side) > 1 - 1e-9 else normal
        points = self.corners[np.unique(self.triangles[own])]
        heights = points @ normal
        if np.ptp(heights) > 2 * FLAT:
            return None
        across = np.cross((0.0, 0.0, 1.0), normal)
        across = np.array((1.0, 0.0, 0.0)) if np.linalg.norm(across) < 1e-6 else across / np.linalg.norm(across)
        up = np.cross(normal, across)
        u, v = points @ across, points @ up
        centre = weights @ self.corners[self.triangles[own]].mean(axis=1) / weights.sum()
        corner = u.min() * across + v.min() * up + heights.mean() * normal
        return Face("", _point(normal), _point(corner), _point(across), _point(up), round(float(np.ptp(u)), 6),
                    round(float(np.ptp(v)), 6), round(float(weights.sum()), 4), _point(centre))

    def _edges(self, named: list[tuple[int, Face]]) -> tuple[Edge, ...]:
        faces = dict(named)
        pairs, one, two = self.shared
        groups = self.groups[pairs]
        wanted = np.isin(groups, list(faces)).all(axis=1) & (groups[:, 0] != groups[:, 1])
        between: dict[tuple[int, int], list[tuple[int, int]]] = {}
        for (a, b), start, end in zip(groups[wanted].tolist(), one[wanted].tolist(), two[wanted].tolist(), strict=True):
            between.setdefault((min(a, b), max(a, b)), []).append((start, end))
        order = [group for group, _ in named]
        found: list[Edge] = []
        for (a, b), segments in between.items():
            first, second = sorted((a, b), key=order.index)
            along = np.cross(faces[first].normal, faces[second].normal)
            along /= np.linalg.norm(along)
            ends = self.corners[np.array(segments)]
            lines: dict[tuple[float, ...], list[Array]] = {}
            for segment in ends:
                off = segment[0] - (segment[0] @ along) * along
                lines.setdefault(tuple(np.round(off, 2).tolist()), []).append(segment @ along)
            spans = sorted(((min(map(np.min, each)), max(map(np.max, each)), np.array(off)) for off, each in lines.items()),
                           key=lambda span: span[0] - span[1])
            called = f"{faces[first].name}-{faces[second].name}"
            for number, (low, high, off) in enumerate(spans):
                if high - low >= LEAST_EDGE:
                    found.append(Edge(called if not number else f"{called}-{number + 1}",
                                      (faces[first].name, faces[second].name), _point(off + low * along),
                                      _point(off + high * along)))
        return tuple(sorted(found, key=lambda edge: -edge.length)[:MOST])

    def _holes(self, named: list[tuple[int, Face]]) -> tuple[Hole, ...]:
        pairs, one, two = self.shared
        groups = self.groups[pairs]
        # Of a fine round surface nearly every edge is one between two pieces; those of no named face are none of a rim.
        rims = (groups[:, 0] != groups[:, 1]) & np.isin(groups, [group for group, _ in named]).any(axis=1)
        groups, one, two = groups[rims], one[rims], two[rims]
        found: list[tuple[Point, Face, float]] = []
        for group, face in named:
            rim = (groups[:, 0] == group) != (groups[:, 1] == group)
            # Round the face with its inside on the left.
            turned = groups[rim][:, 1] == group
            start, end = np.where(turned, two[rim], one[rim]), np.where(turned, one[rim], two[rim])
            for ring in _rings(start.tolist(), end.tolist()):
                points = self.corners[ring]
                u, v = points @ np.array(face.across), points @ np.array(face.up)
                inner = float((u * np.roll(v, -1) - np.roll(u, -1) * v).sum()) < 0
                circle = _circle(u, v) if inner and len(ring) >= 8 else None
                if circle is not None:
                    x, y, radius = circle
                    plane = np.array(face.corner) @ np.array(face.normal)
                    middle = x * np.array(face.across) + y * np.array(face.up) + plane * np.array(face.normal)
                    found.append((_point(middle), face, 2 * radius))
        found.sort(key=lambda each: -round(each[2], 2))
        return tuple(Hole(f"hole-{number + 1}", face.name, middle, face.normal, round(wide, 4))
                     for number, (middle, face, wide) in enumerate(found[:MOST]))


def _called(faces: list[tuple[int, Face]]) -> list[tuple[int, Face]]:
    """Return faces with their names, the outermost of every side first, the largest of those that lie alike."""
    by: dict[str, list[tuple[int, Face]]] = {}
    for group, face in faces:
        side = next((name for name, way in SIDES.items() if np.array(face.normal) @ np.array(way) > ALIKE), "slope")
        by.setdefault(side, []).append((group, face))
    named = []
    for side in (*SIDES, "slope"):
        own = by.get(side, [])
        own.sort(key=lambda each: (-round(float(np.array(each[1].corner) @ np.array(SIDES[side])), 3), -each[1].area)
                 if side in SIDES else (0.0, -each[1].area))
        for number, (group, face) in enumerate(own):
            name = side if not number and side in SIDES else f"{side}-{number + 1}"
            named.append((group, Face(name, face.normal, face.corner, face.across, face.up, face.width, face.height, face.area,
                                      face.centre)))
    return named


def _rings(start: list[int], end: list[int]) -> list[list[int]]:
    """Return closed rings of corners from the edges round a face; where two rings touch, neither is followed further."""
    after: dict[int, int] = {}
    for a, b in zip(start, end, strict=True):
        after[a] = -1 if a in after else b
    rings = []
    while after:
        first, at = after.popitem()
        ring = [first]
        while at in after:
            ring.append(at)
            at = after.pop(at)
        if at == first:
            rings.append(ring)
    return rings


def _circle(u: Array, v: Array) -> tuple[float, float, float] | None:
    """Return middle and radius of the circle that corners lie on, by least squares; None where they lie on none."""
    rows = np.stack([2 * u, 2 * v, np.ones(len(u))], axis=1)
    x, y, rest = np.linalg.lstsq(rows, u**2 + v**2, rcond=None)[0]
    radius = math.sqrt(max(float(rest + x**2 + y**2), 0.0))
    if radius <= 0 or np.abs(np.hypot(u - x, v - y) - radius).max() > ROUND * radius + 0.005:
        return None
    return float(x), float(y), radius
