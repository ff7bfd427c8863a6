"""Bends one body through a motion of its own and looks whether it runs into itself."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import manifold3d
import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Motion, Solution
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.trial.posed import FINE, edges_for

ID = "bends-alone"
STEPS, LEVELS = 13, 3
LEAST = 1e-4
"""Area covered twice that is more than rounding of the sections, mm²."""
ALLOWED = 0.05
"""Depth a body may reach into itself for rounding in its computed curve, mm."""


def itself(points: mesh.Vertices, levels: Sequence[Level]) -> tuple[float, tuple[float, float, float]]:
    """Return how deep a bent mesh reaches into itself at a few heights (thickness of what is there twice, mm), and where.

    What a section covers twice is the area its outlines enclose less the area they cover.
    """
    deepest, place = 0.0, (0.0, 0.0, 0.0)
    for level in levels:
        rings = level.outlines(points)
        if not rings:
            continue
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


@frozen
class Level:
    """Where a mesh is cut at a height, whatever its corners do within the plane.

    Attributes:
        low, high: corners of every edge that is cut (k,). part: how far along it. rings: edges one after the other.
    """

    height: float
    low: Array
    high: Array
    part: Array
    rings: tuple[Array, ...]

    def outlines(self, points: mesh.Vertices) -> list[Array]:
        """Return the outlines (k, 2) of the mesh with its corners at ``points``, each as often as the body is there; the
        kernel's own join them."""
        low, high = points[self.low, :2], points[self.high, :2]
        crossings = low + self.part[:, None] * (high - low)
        return [crossings[ring] for ring in self.rings]


def levels_of(heights: Array, faces: mesh.Triangles) -> tuple[Level, ...]:
    """Return a few levels of a mesh whose corners lie at ``heights``, (n,) mm."""
    low, high = float(heights.min()), float(heights.max())
    return tuple(_level(heights, faces, low + (number + 0.5) / LEVELS * (high - low)) for number in range(LEVELS))


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


def check(solution: Solution, progress: Progress = unwatched, motion: Motion | None = None) -> Check:
    """Return the verdict on a motion in which one body bends.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    motion = motion or solution.motion
    worst, where, at = 0.0, None, motion.low
    # Sections of a mesh are all that is asked for, so that no bent manifold need be made.
    edges = edges_for(solution, motion)
    cuts: dict[str, tuple[Array, tuple[Level, ...]]] = {}
    drawn = {name: mesh.arrays(mesh.refined(solution.together[name], edges.get(name, FINE))) for name in motion.flexing}
    for i, value in enumerate(np.linspace(motion.low, motion.high, STEPS)):
        if not progress(i / STEPS):
            raise Cancelled
        warps = motion.bends(float(value)) if motion.bends else {}
        pose = motion.pose(float(value))
        for name, (points, faces) in drawn.items():
            there = warps[name](points) if name in warps else points
            matrix = np.reshape(pose.get(name, tree.IDENTITY), (3, 4))
            there = there @ matrix[:, :3].T + matrix[:, 3]
            # What bends within its layers is cut where it was cut before.
            before, levels = cuts.get(name, (None, ()))
            if before is None or not np.array_equal(before, there[:, 2]):
                levels = levels_of(there[:, 2], faces)
                cuts[name] = there[:, 2].copy(), levels
            depth, place = itself(there, levels)
            if depth > worst:
                worst, where, at = depth, place, float(value)
    progress(1.0)
    why = (f"it runs into itself at {at:.1f} {motion.unit}" if worst > 0 else
           "bent by the computed curve, it keeps clear of itself")
    return Check(ID, f"{motion.label}: clear of itself", worst, ALLOWED, "mm", why, least=False, stop=0.3, place=where,
                 mend=motion.mend, topic="shape", basis="what rounding in the computed curve accounts for")
