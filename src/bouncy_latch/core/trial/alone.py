"""Bends one body through a motion of its own and looks whether it runs into itself."""

from __future__ import annotations

from typing import Any

import manifold3d
import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import Cancelled
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


def itself(points: mesh.Vertices, faces: mesh.Triangles) -> tuple[float, tuple[float, float, float]]:
    """Return how deep a bent mesh reaches into itself at a few heights (thickness of what is there twice, mm), and where.

    What a section covers twice is the area its outlines enclose less the area they cover.
    """
    low, high = float(points[:, 2].min()), float(points[:, 2].max())
    deepest, place = 0.0, (0.0, 0.0, 0.0)
    for level in range(LEVELS):
        height = low + (level + 0.5) / LEVELS * (high - low)
        rings = _rings(points, faces, height)
        if not rings:
            continue
        enclosed = sum(0.5 * float(np.sum(r[:, 0] * np.roll(r[:, 1], -1) - np.roll(r[:, 0], -1) * r[:, 1])) for r in rings)
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
                deepest, place = width, ((x0 + x1) / 2, (y0 + y1) / 2, height)
    return deepest, place


def _rings(points: mesh.Vertices, faces: mesh.Triangles, height: float) -> list[Array]:
    """Return the outlines (k, 2) of a mesh at a height, each as often as the body is there; the kernel's own join them.

    Followed from triangle to triangle by the edges they share.
    """
    above = points[:, 2] > height
    cut = faces[above[faces].any(axis=1) & ~above[faces].all(axis=1)]
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
    p, q = points[low].astype(np.float64), points[high].astype(np.float64)
    crossings = (p + ((height - p[:, 2]) / (q[:, 2] - p[:, 2]))[:, None] * (q - p))[:, :2]
    keys = low * len(points) + high
    order = np.argsort(keys)
    onward = order[np.searchsorted(keys, onward_low * len(points) + onward_high, sorter=order)].tolist()
    rings, followed = [], bytearray(len(cut))
    for start in range(len(cut)):
        ring, at = [], start
        while not followed[at]:
            followed[at] = 1
            ring.append(at)
            at = onward[at]
        if ring:
            rings.append(crossings[ring])
    return rings


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
    drawn = {name: mesh.arrays(mesh.refined(solution.together[name], edges.get(name, FINE))) for name in motion.flexing}
    for i, value in enumerate(np.linspace(motion.low, motion.high, STEPS)):
        if not progress(i / STEPS):
            raise Cancelled
        warps = motion.bends(float(value)) if motion.bends else {}
        pose = motion.pose(float(value))
        for name, (points, faces) in drawn.items():
            there = warps[name](points) if name in warps else points
            matrix = np.reshape(pose.get(name, tree.IDENTITY), (3, 4))
            depth, place = itself(there @ matrix[:, :3].T + matrix[:, 3], faces)
            if depth > worst:
                worst, where, at = depth, place, float(value)
    progress(1.0)
    why = (f"it runs into itself at {at:.1f} {motion.unit}" if worst > 0 else
           "bent by the computed curve, it keeps clear of itself")
    return Check(ID, f"{motion.label}: clear of itself", worst, ALLOWED, "mm", why, least=False, stop=0.3, place=where,
                 mend=motion.mend, topic="shape", basis="what rounding in the computed curve accounts for")
