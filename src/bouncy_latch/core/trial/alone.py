"""Bends one body through a motion of its own and looks whether it runs into itself."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import manifold3d
import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.flex.warp import Warp
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Motion, Solution
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.trial.posed import FINE, edges_for

Indices = npt.NDArray[np.int64]
ID = "bends-alone"
STEPS = 13
LEVELS = (1 / 2, 1 / 6, 5 / 6)
"""Where a body is cut, of its height: where all are alike it is the first that is told of."""
LEAST = 1e-4
"""Area covered twice that is more than rounding of the sections, mm²."""
_LEVEL = 1e-9
"""What moves up or down by less stays in its layer, mm."""
_STRAIGHT = 1e-6
"""A corner that lies off the line through its neighbours by less is none, mm."""
ALLOWED = 0.05
"""Depth a body may reach into itself for rounding in its computed curve, mm."""


def itself(points: mesh.Vertices, levels: Sequence[Level]) -> tuple[float, tuple[float, float, float]]:
    """Return how deep a bent mesh reaches into itself at a few heights (thickness of what is there twice, mm), and where.

    What a section covers twice is the area its outlines enclose less the area they cover.
    """
    deepest, place = 0.0, (0.0, 0.0, 0.0)
    seen: list[list[Array]] = []
    for level in levels:
        rings = level.outlines(points)
        if not rings or any(_same(rings, other) for other in seen):
            continue
        seen.append(rings)
        enclosed = sum(0.5 * float(r[:-1, 0] @ r[1:, 1] - r[1:, 0] @ r[:-1, 1] + r[-1, 0] * r[0, 1] - r[0, 0] * r[-1, 1])
                       for r in rings)
        if enclosed < 0:
            rings, enclosed = [ring[::-1] for ring in rings], -enclosed
        once = manifold3d.CrossSection(rings, manifold3d.FillRule.Positive)
        twice = enclosed - float(once.area())
        if twice > LEAST:
            double = manifold3d.CrossSection(rings, manifold3d.FillRule.EvenOdd)
            flaw = once - double
            width = 2 * twice / max(_way_round(flaw), 1e-9)
            if width > deepest:
                x0, y0, x1, y1 = flaw.bounds()
                deepest, place = width, ((x0 + x1) / 2, (y0 + y1) / 2, level.height)
    return deepest, place


def _same(first: Sequence[Array], second: Sequence[Array]) -> bool:
    return len(first) == len(second) and all(
        a.shape == b.shape and float(np.abs(a - b).max(initial=0.0)) < _LEVEL for a, b in zip(first, second, strict=True))


@frozen
class Level:
    """Where a mesh is cut at a height, whatever its corners do within the plane.

    Attributes:
        low, high: corners of every edge that is cut (k,). part: how far along it. rings: edges one after the other.
    """

    height: float
    low: Indices
    high: Indices
    part: Array
    rings: tuple[Indices, ...]

    def outlines(self, points: mesh.Vertices) -> list[Array]:
        """Return the outlines (k, 2) of the mesh with its corners at ``points``, each as often as the body is there; the
        kernel's own join them."""
        low, high = points[self.low, :2], points[self.high, :2]
        crossings = low + self.part[:, None] * (high - low)
        return [crossings[ring] for ring in self.rings]


def levels_of(heights: Array, faces: mesh.Triangles) -> tuple[Level, ...]:
    """Return a few levels of a mesh whose corners lie at ``heights``, (n,) mm."""
    low, high = float(heights.min()), float(heights.max())
    return tuple(_level(heights, faces, low + part * (high - low)) for part in LEVELS)


def _level(heights: Array, faces: mesh.Triangles, height: float) -> Level:
    """Return where a mesh is cut, followed from triangle to triangle by the edges they share."""
    above = heights > height
    count = above[faces].sum(axis=1)
    cut = faces[(count > 0) & (count < 3)]
    begin, end = cut, np.roll(cut, -1, axis=1)
    row = np.arange(len(cut))
    # Of a triangle that is cut one edge leads up through the height and one down; a neighbour has the same edge the other way.
    goes_up, goes_down = ~above[begin] & above[end], above[begin] & ~above[end]
    sides = []
    for way in (goes_down, goes_up):
        at = way.argmax(axis=1)
        pair = np.stack([begin[row, at], end[row, at]], axis=1).astype(np.int64)
        sides.append((pair.min(axis=1), pair.max(axis=1)))
    (low, high), (onward_low, onward_high) = sides
    keys = low * len(heights) + high
    order = np.argsort(keys)
    onward = order[np.searchsorted(keys, onward_low * len(heights) + onward_high, sorter=order)].tolist()
    rings, followed = [], bytearray(len(cut))
    for start in range(len(cut)):
        ring, at = [], start
        while not followed[at]:
            followed[at] = 1
            ring.append(at)
            at = onward[at]
        if ring:
            rings.append(np.array(ring))
    return Level(height, low, high, (height - heights[low]) / (heights[high] - heights[low]), tuple(rings))


def _way_round(region: Any) -> float:
    total = 0.0
    for ring in region.to_polygons():
        closed = np.vstack([ring, ring[:1]])
        total += float(np.hypot(*np.diff(closed, axis=0).T).sum())
    return total


def outlined(body: Any) -> tuple[mesh.Vertices, tuple[Level, ...]]:
    """Return points of a manifold's outlines at a few heights, no farther apart than meshes are cut, and where they are cut:
    all that there is to what bends within its layers."""
    low, high = body.bounding_box()[2], body.bounding_box()[5]
    points, levels, count = [np.zeros((0, 3))], [], 0
    for part in LEVELS:
        height, rings = low + part * (high - low), []
        # Begun at the same corner and without those on straight edges, outlines that are the same look the same.
        for ring in body.slice(height).simplify(_STRAIGHT).to_polygons():
            fine = _finer(np.roll(ring, -int(np.lexsort(np.transpose(ring))[0]), axis=0))
            points.append(np.column_stack([fine, np.full(len(fine), height)]))
            rings.append(np.arange(count, count + len(fine)))
            count += len(fine)
        own = np.concatenate(rings) if rings else np.zeros(0, dtype=np.int64)
        first = int(own[0]) if rings else 0
        levels.append(Level(height, own, own, np.zeros(len(own)), tuple(ring - first for ring in rings)))
    return np.concatenate(points), tuple(levels)


def _finer(ring: Array) -> Array:
    """Return a closed ring (n, 2) with its edges cut to at most :data:`FINE`."""
    edges = np.roll(ring, -1, axis=0) - ring
    parts = np.maximum(np.ceil(np.hypot(*edges.T) / FINE).astype(np.int64), 1)
    starts = np.repeat(np.arange(len(ring)), parts)
    along = (np.arange(len(starts)) - np.repeat(np.cumsum(parts) - parts, parts)) / parts[starts]
    return np.asarray(ring[starts] + along[:, None] * edges[starts])


def _told_apart(points: mesh.Vertices, levels: tuple[Level, ...], name: str, motion: Motion
                ) -> tuple[mesh.Vertices, tuple[Level, ...]]:
    """Return points and levels of a body's outlines, the first ones alone where bent most all are alike."""
    there = _moved(points, motion.bends(motion.high).get(name) if motion.bends else None, tree.IDENTITY)
    first, *others = (level.outlines(there) for level in levels)
    return (points[: len(levels[0].low)], levels[:1]) if all(_same(first, each) for each in others) else (points, levels)


def _moved(points: mesh.Vertices, warp: Warp | None, matrix: tree.Matrix) -> mesh.Vertices:
    there, seen = warp(points) if warp else points, np.reshape(matrix, (3, 4))
    return np.asarray(there @ seen[:, :3].T + seen[:, 3])


class _Whole:
    """A body that does not bend within its layers: its whole mesh is bent, and cut where it lies then."""

    def __init__(self, solution: Solution, motion: Motion, name: str) -> None:
        edges = edges_for(solution, motion)
        self._points, self._faces = mesh.arrays(mesh.refined(solution.together[name], edges.get(name, FINE)))

    def cut(self, warp: Warp | None, matrix: tree.Matrix) -> tuple[mesh.Vertices, tuple[Level, ...]]:
        """Return its corners where they are, and where it is cut."""
        there = _moved(self._points, warp, matrix)
        return there, levels_of(there[:, 2], self._faces)


def check(solution: Solution, progress: Progress = unwatched, motion: Motion | None = None) -> Check:
    """Return the verdict on a motion in which one body bends.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    motion = motion or solution.motion
    worst, where, at = 0.0, None, motion.low
    flat = {name: _told_apart(*outlined(mesh.evaluate(solution.together[name])), name, motion) for name in motion.flexing}
    whole: dict[str, _Whole] = {}
    for i, value in enumerate(np.linspace(motion.low, motion.high, STEPS)):
        if not progress(i / STEPS):
            raise Cancelled
        warps = motion.bends(float(value)) if motion.bends else {}
        pose = motion.pose(float(value))
        for name, (points, levels) in flat.items():
            there = _moved(points, warps.get(name), pose.get(name, tree.IDENTITY))
            if name in whole or np.abs(there[:, 2] - points[:, 2]).max(initial=0.0) > _LEVEL:
                whole.setdefault(name, _Whole(solution, motion, name))
                there, levels = whole[name].cut(warps.get(name), pose.get(name, tree.IDENTITY))
            depth, place = itself(there, levels)
            if depth > worst:
                worst, where, at = depth, place, float(value)
    progress(1.0)
    why = (f"the bent part touches itself at {at:.1f} {motion.unit}" if worst > 0 else
           "bent along its computed curve, the part touches itself nowhere")
    return Check(ID, f"Self-contact: {motion.label.lower()}", worst, ALLOWED, "mm", why, least=False, stop=0.3, place=where,
                 mend=motion.mend, topic="shape", basis="what rounding in the computed curve accounts for")
