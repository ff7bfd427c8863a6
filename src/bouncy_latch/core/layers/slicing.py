"""Layers as a slicing program makes them: cut at mid-height, heights snapped to whole layers, thin features lost.

A run of layers between which nothing but upright walls stands has one section; it is cut once.
"""

from __future__ import annotations

import hashlib
import itertools
from collections.abc import Hashable
from functools import cached_property
from typing import Any

import manifold3d
import numpy as np
import numpy.typing as npt

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.kept import BODIES
from bouncy_latch.core.numbers import Array, distinct, groups_of
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import mesh

UPRIGHT = 1e-9
"""Twice the area of a triangle seen from above that is less than this is rounding, mm²: it stands upright."""
SIMPLIFY = 1e-4
"""Points nearer than this to the line between their neighbours are dropped from a section, mm."""
STEP = 0.02
"""How far beyond a level the body is looked at, mm."""
LEAST_AREA = 0.05
"""Smaller lost features are not worth a word, mm²."""


def layer_middles(top: float, process: Process) -> list[tuple[float, float]]:
    """Return (middle, thickness) of every layer up to ``top`` mm; the last is kept when its middle is inside."""
    first, h = process.first_layer_height, process.layer_height
    found = [(first / 2, first)]
    bottom = first
    while bottom + h / 2 < top - 1e-9:
        found.append((bottom + h / 2, h))
        bottom += h
    return found


@frozen
class Section:
    """One drawn section: the region, and a key that is equal for equal regions, of one piece of work or of all; empty for an
    empty one."""

    region: Any
    key: Hashable


@frozen
class Lost:
    """A pad or a slot that no layer's middle meets: bottom and top (mm), area (mm²) and middle."""

    solid: bool
    bottom: float
    top: float
    area: float
    x: float
    y: float


@frozen
class Faces:
    """Triangles of a body as arrays: corners (n, 3, 3) in mm, unit normals (n, 3), areas (n,) in mm²."""

    corners: Array
    normals: Array
    areas: Array
    vertices: Array
    triangles: npt.NDArray[np.int64]

    @property
    def lows(self) -> Array:
        """Lowest z of every triangle."""
        return np.asarray(self.corners[:, :, 2].min(axis=1))

    @property
    def highs(self) -> Array:
        """Highest z of every triangle."""
        return np.asarray(self.corners[:, :, 2].max(axis=1))


def faces_of(body: Any) -> Faces:
    """Return the triangles of a manifold; those without area are left out."""
    vertices, triangles = mesh.arrays(body)
    corners = vertices[triangles]
    # The cross product by columns: the library's own takes five times as long.
    (ax, ay, az), (bx, by, bz) = (corners[:, 1] - corners[:, 0]).T, (corners[:, 2] - corners[:, 0]).T
    cross = np.stack([ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx], axis=1)
    length = np.sqrt(np.einsum("ij,ij->i", cross, cross))
    real = length > 1e-12
    if not real.all():
        corners, cross, length, triangles = corners[real], cross[real], length[real], triangles[real]
    return Faces(corners, cross / length[:, None], length / 2, vertices, triangles)


def connected(triangles: npt.NDArray[np.int64]) -> list[npt.NDArray[np.int64]]:
    """Return groups of the indices of triangles (n, 3) that share corners."""
    if not len(triangles):
        return []
    corners, index = np.unique(triangles, return_inverse=True)
    index = index.reshape(-1, 3)
    whole = groups_of(np.vstack([index[:, :2], index[:, 1:]]), len(corners))
    of_corner = np.empty(len(corners), dtype=np.int64)
    for number, group in enumerate(whole):
        of_corner[group] = number
    own = of_corner[index[:, 0]]
    order = np.argsort(own, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(own[order])) + 1)


_numbers = itertools.count(1)


def _key(region: Any) -> bytes:
    points = [np.asarray(p) for p in region.to_polygons()]
    if not points:
        return b""
    # The kernel gives equal regions in the same order. Adding zero turns -0.0 into 0.0, whose bytes differ.
    whole = np.rint(np.concatenate(points) * 1e5) + 0.0
    seen = hashlib.blake2b(whole.tobytes(), digest_size=16)
    seen.update(b"%d" % len(points))
    return seen.digest()


class Slices:
    """The drawn sections of one body at the middles of ``layers`` ((middle, thickness) pairs, mm).

    ``named``: whether equal regions have equal keys whatever work they are of; otherwise every one has its own.
    ``spare``: whether points that make no difference are taken out, which pays where sections are used more than once.
    """

    @classmethod
    def of(cls, body: Any, layers: list[tuple[float, float]], named: bool = True, spare: bool = True) -> Slices:
        """Return the slices of a manifold, named ones from before when it is the very same one and the layers are too."""
        if not named:
            return cls(body, layers, False, spare)
        # The slices hold on to the body, so its id is not given away while they are kept.
        found: Slices = BODIES.get((id(body), tuple(layers), spare), lambda: cls(body, layers, True, spare))
        return found

    def __init__(self, body: Any, layers: list[tuple[float, float]], named: bool = False, spare: bool = True) -> None:
        self._body, self._layers, self._named, self._spare = body, layers, named, spare
        self.middles = np.array([middle for middle, _ in layers])
        self.run = self._runs()
        self._found: dict[int, Section] = {}

    @cached_property
    def faces(self) -> Faces:
        """The triangles of the body."""
        return faces_of(self._body)

    def _runs(self) -> list[int]:
        """Return for every layer the first layer of its run of equal sections."""
        vertices, triangles = mesh.arrays(self._body)
        # Column by column: picking whole corners takes three times as long.
        x, y, z = np.ascontiguousarray(vertices.T)
        a, b, c = np.ascontiguousarray(triangles.T)
        from_x, from_y = x[a], y[a]
        sloped = np.abs((x[b] - from_x) * (y[c] - from_y) - (x[c] - from_x) * (y[b] - from_y)) > UPRIGHT
        first, second, third = z[a[sloped]], z[b[sloped]], z[c[sloped]]
        lows = np.sort(np.minimum(np.minimum(first, second), third))
        highs = np.sort(np.maximum(np.maximum(first, second), third))
        # Sloped triangles between two middles: those that begin below the upper less those that end below the lower.
        between = np.searchsorted(lows, self.middles[1:], "left") - np.searchsorted(highs, self.middles[:-1], "right")
        run = [0] if self._layers else []
        for i, count in enumerate(between):
            run.append(i + 1 if count else run[-1])
        return run

    def section(self, index: int) -> Section:
        """Return the drawn section of layer ``index``."""
        start = self.run[index]
        if start not in self._found:
            self._found[start] = self._cut(float(self.middles[start]))
        return self._found[start]

    def _cut(self, height: float) -> Section:
        region = self._body.slice(height)
        if self._spare:
            region = region.simplify(SIMPLIFY)
        return Section(region, _key(region) if self._named else b"" if region.is_empty() else b"%d" % next(_numbers))

    def lost(self) -> list[Lost]:
        """Return level features that lie between two middles and so are not printed at all."""
        normals = self.faces.normals[:, 2]
        levels = distinct(np.round(self.faces.lows[np.abs(normals) > 1 - 1e-9], 6))
        found: list[Lost] = []
        edges = np.concatenate([[-np.inf], self.middles, [np.inf]])
        for i in range(len(edges) - 1):
            inside = levels[(levels > edges[i]) & (levels < edges[i + 1])]
            for bottom, top in itertools.pairwise(inside):
                found += self._lost_between(i, float(bottom), float(top))
        return found

    def _lost_between(self, above: int, bottom: float, top: float) -> list[Lost]:
        """Return the pads and slots between two levels that both lie between the same two middles."""
        here = self._body.slice((bottom + top) / 2)
        under, over = self._body.slice(bottom - STEP), self._body.slice(top + STEP)
        empty = here - here
        below = self.section(above - 1).region if above > 0 else empty
        beyond = self.section(above).region if above < len(self._layers) else empty
        found = []
        for solid, region in ((True, here - (below ^ beyond)), (False, (below ^ beyond) - here)):
            for part in region.decompose():
                if part.area() < LEAST_AREA or (solid and not (_steps(part, under) and _steps(part, over))):
                    continue
                x, y = np.asarray(part.to_polygons()[0]).mean(axis=0)
                found.append(Lost(solid, bottom, top, float(part.area()), float(x), float(y)))
        return found


def _steps(part: Any, beyond: Any) -> bool:
    """Whether a part of a section ends at its level, rather than going on unchanged in the section ``beyond`` it."""
    ends = (part - beyond).area() > LEAST_AREA
    widens = (part.offset(STEP, manifold3d.JoinType.Miter, 2.0) ^ beyond).area() > part.area() + LEAST_AREA / 2
    return bool(ends or widens)
