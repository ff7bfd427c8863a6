"""The fast evaluator: a solid tree as a watertight triangle mesh (manifold3d).

Every sub-tree is evaluated once and kept in a bounded cache, so a drag that changes one number re-evaluates only the
nodes above that number.
"""

from __future__ import annotations

import atexit
import math
import os
import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

import manifold3d
import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.progress import checkpoint
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import CHORD_TOLERANCE, Outline, Points, segments_of_circle

Manifold = manifold3d.Manifold
Vertices = npt.NDArray[np.float64]
Triangles = npt.NDArray[np.int64]

MOST_KEPT, MOST_TRIANGLES_KEPT = 3000, 500_000
"""Of the solids kept: how many, and how many triangles they have together (about 200 bytes each)."""


class _Kept:
    """Evaluated solids, the least used forgotten first; several threads may ask at once."""

    def __init__(self) -> None:
        self._known: OrderedDict[tuple[tree.Solid, float], Manifold] = OrderedDict()
        self._sizes: dict[tuple[tree.Solid, float], int] = {}
        self._triangles = 0
        self._lock = threading.Lock()

    def get(self, key: tuple[tree.Solid, float]) -> Manifold | None:
        with self._lock:
            found = self._known.get(key)
            if found is not None:
                self._known.move_to_end(key)
            return found

    def put(self, key: tuple[tree.Solid, float], made: Manifold, triangles: int) -> None:
        with self._lock:
            if key in self._known:
                return
            self._known[key] = made
            self._sizes[key] = triangles
            self._triangles += self._sizes[key]
            while len(self._known) > MOST_KEPT or (self._triangles > MOST_TRIANGLES_KEPT and len(self._known) > 1):
                oldest, _ = self._known.popitem(last=False)
                self._triangles -= self._sizes.pop(oldest)

    def clear(self) -> None:
        with self._lock:
            self._known.clear()
            self._sizes.clear()
            self._triangles = 0


def on_one_thread() -> None:
    """Keep the library to whatever thread calls it, from its first work on; for processes of one command or one of many.

    How many threads it works with it asks once, when it first works, of the cores that the process may run on. Waiting for
    each other, they cost a small body a third more processor time than it takes, and on a busy machine more time as well.
    """
    try:
        cores = os.sched_getaffinity(0)
        os.sched_setaffinity(0, {min(cores)})
    except (AttributeError, OSError):
        return  # Not every system lets a process choose its cores.
    try:
        (Manifold.cube((1.0, 1.0, 1.0)) ^ Manifold.sphere(1.0, 16)).num_tri()
    finally:
        os.sched_setaffinity(0, cores)


_kept = _Kept()
# The binding counts what is left at the end, and complains.
atexit.register(_kept.clear)


def evaluate(solid: tree.Solid, tolerance: float = CHORD_TOLERANCE) -> Manifold:
    """Return the manifold of a solid tree (mm), arcs kept within ``tolerance`` mm of their chords.

    A sub-tree met before at the same tolerance comes from the cache.

    Raises:
        Cancelled: when the work under way should stop.
    """
    key = (solid, tolerance)
    found = _kept.get(key)
    if found is None:
        checkpoint()
        found = _BUILDERS[type(solid)](solid, tolerance)
        _kept.put(key, found, int(found.num_tri()))
    return found


def refined(solid: tree.Solid, longest: float) -> Manifold:
    """Return the manifold of a solid tree with its edges cut to at most ``longest`` mm, which comes from the cache as well."""
    # The tolerance of a chord is never negative, so that the two do not meet in the cache.
    key = (solid, -longest)
    found = _kept.get(key)
    if found is None:
        found = evaluate(solid).refine_to_length(longest)
        _kept.put(key, found, int(found.num_tri()))
    return found


def arrays(manifold: Manifold) -> tuple[Vertices, Triangles]:
    """Return vertices (n, 3) in mm and triangles (m, 3) of a manifold."""
    mesh = manifold.to_mesh64()
    return np.asarray(mesh.vert_properties)[:, :3].astype(np.float64), np.asarray(mesh.tri_verts).astype(np.int64)


def transformed(manifold: Manifold, matrix: tree.Matrix) -> Manifold:
    """Return the manifold under a rigid 3×4 transform."""
    return manifold.transform(np.array(matrix, dtype=np.float64).reshape(3, 4))


def warped(manifold: Manifold, warp: Callable[[Vertices], Vertices]) -> Manifold:
    """Return the manifold with every vertex moved by ``warp``; edges stay straight, so refine it first."""
    return manifold.warp_batch(lambda points: warp(np.asarray(points, dtype=np.float64)))


def section(outline: Outline, tolerance: float = CHORD_TOLERANCE) -> manifold3d.CrossSection:
    """Return an outline as a manifold cross section."""
    return manifold3d.CrossSection([outline.points(tolerance)])


def _extrude(solid: tree.Extrude, tolerance: float) -> Manifold:
    if solid.twist == 0:
        ring = solid.outline.points(tolerance)
        return _stacked([ring, solid.taper * ring], [0.0, solid.height])
    return manifold3d.Manifold.extrude(
        section(solid.outline, tolerance), solid.height, solid.steps - 1, math.degrees(solid.twist), (solid.taper, solid.taper))


def _loft(solid: tree.Loft, tolerance: float) -> Manifold:
    rings: list[list[tuple[float, float]]] = [[] for _ in solid.sections]
    for edges in zip(*(outline.edges for outline, _ in solid.sections), strict=True):
        count = max(len(edge.chords(tolerance)) for edge in edges)
        for ring, edge in zip(rings, edges, strict=True):
            ring.extend(edge.chords(tolerance, count))
    return _stacked([np.array(ring) for ring in rings], [z for _, z in solid.sections])


def _stacked(rings: list[Points], heights: list[float]) -> Manifold:
    """Return straight walls through rings of equally many points, shape (n, 2) each, closed at both ends.

    Built by hand because a cross section rounds its points to 1e-8 mm, and faces that should coincide then do not.
    """
    size = len(rings[0])
    levels = [np.c_[ring, np.full(size, z)] for ring, z in zip(rings, heights, strict=True)]
    i = np.arange(size)
    j = (i + 1) % size
    walls = [np.vstack([np.c_[i, j, j + size], np.c_[i, j + size, i + size]]) + level * size
             for level in range(len(rings) - 1)]
    floor = manifold3d.triangulate([rings[0]])[:, ::-1]
    roof = manifold3d.triangulate([rings[-1]]) + (len(rings) - 1) * size
    faces = np.vstack([*walls, floor, roof])
    return manifold3d.Manifold(manifold3d.Mesh64(np.vstack(levels), faces.astype(np.uint64)))


def _revolve(solid: tree.Revolve, tolerance: float) -> Manifold:
    _, _, radius, _ = solid.outline.bounds
    segments = segments_of_circle(solid.as_round or radius, tolerance)
    return manifold3d.Manifold.revolve(section(solid.outline, tolerance), segments, math.degrees(solid.angle))


def _helix(solid: tree.Helix, tolerance: float) -> Manifold:
    ring = solid.outline.points(tolerance)
    _, _, radius, _ = solid.outline.bounds
    steps = max(3, math.ceil(segments_of_circle(radius, tolerance) * solid.turns))
    turn = 2 * math.pi * solid.turns * np.arange(steps + 1) / steps
    way = -turn if solid.left else turn
    size = len(ring)
    points = np.stack([np.outer(np.cos(way), ring[:, 0]), np.outer(np.sin(way), ring[:, 0]),
                       ring[:, 1] + (solid.pitch * turn / (2 * math.pi))[:, None]], axis=-1).reshape(-1, 3)
    i = np.arange(size)
    j = (i + 1) % size
    walls = [np.vstack([np.c_[i, j, j + size], np.c_[i, j + size, i + size]]) + step * size for step in range(steps)]
    first = manifold3d.triangulate([ring])[:, ::-1]
    faces = np.vstack([*walls, first, first[:, ::-1] + steps * size])
    # The half plane's own normal looks against a turn to the left seen from above.
    faces = faces if solid.left else faces[:, ::-1]
    return manifold3d.Manifold(manifold3d.Mesh64(points, np.ascontiguousarray(faces).astype(np.uint64)))


def _threaded(solid: tree.Threaded, tolerance: float) -> Manifold:
    """A net of helices and profiles, each turn going on from the one below, closed by a fan at either end; then trimmed."""
    corners, size = np.array(solid.profile[:-1]), len(solid.profile) - 1
    first, turns = solid.turns
    steps = segments_of_circle(solid.widest, tolerance)
    way = 2 * math.pi * np.arange(steps) / steps
    # Along the seam the profile of the first step goes on by a turn: there the last step finds its neighbours.
    radius = np.append(np.tile(corners[:, 1], turns + 1), corners[0, 1])
    height = np.append(corners[:, 0] + solid.lead * np.arange(first, first + turns + 1)[:, None],
                       solid.lead * (first + turns + 1)) + solid.phase
    rows = turns * size + 1
    seam = np.stack([radius, np.zeros(len(radius)), height], axis=-1)
    turned = (-way if solid.left else way)[1:]
    net = np.stack([np.outer(np.cos(turned), radius[:rows]), np.outer(np.sin(turned), radius[:rows]),
                    height[:rows] + (solid.lead * way[1:] / (2 * math.pi))[:, None]], axis=-1)
    begin, rest = np.arange(len(seam)), len(seam) + np.arange((steps - 1) * rows).reshape(-1, rows)
    here, there = np.vstack([begin[:rows], rest]), np.vstack([rest, begin[size:]])
    a, b, c, d = here[:, :-1], there[:, :-1], there[:, 1:], here[:, 1:]
    walls = [np.stack(corner, axis=-1).reshape(-1, 3) for corner in ((a, b, c), (a, c, d))]
    low, high = len(seam) + rest.size, len(seam) + rest.size + 1
    tips = [[0.0, 0.0, height[0] - 1.0], [0.0, 0.0, height[-1] + solid.lead + 1.0]]
    under = np.concatenate([here[:, 0], begin[size:0:-1]])
    over = np.concatenate([here[:, -1], begin[rows - 1 + size:rows - 1:-1]])
    floor = np.stack([np.full(len(under), low), np.roll(under, -1), under], axis=-1)
    roof = np.stack([np.full(len(over), high), over, np.roll(over, -1)], axis=-1)
    faces = np.concatenate([*walls, floor, roof])
    faces = faces[:, ::-1] if solid.left else faces
    rod = manifold3d.Manifold(manifold3d.Mesh64(np.concatenate([seam, net.reshape(-1, 3), tips]),
                                                np.ascontiguousarray(faces).astype(np.uint64)))
    if any(solid.ends):
        return rod ^ manifold3d.Manifold.revolve(section(solid.trimmed_by(), tolerance), steps, 360.0)
    return rod.trim_by_plane((0.0, 0.0, 1.0), 0.0).trim_by_plane((0.0, 0.0, -1.0), -solid.height)


def _given(solid: tree.Given, tolerance: float) -> Manifold:
    if solid.form == "step":
        from bouncy_latch.core.solids import brep

        points, faces = brep.triangles(brep.evaluate(solid), tolerance)
    else:
        points, faces = tree.triangles_of(solid.data)
    made = manifold3d.Manifold(manifold3d.Mesh64(points, faces.astype(np.uint64)))
    if made.is_empty():
        raise SolveError(f"{solid.label or 'the body'} is not closed: it has no inside", field="body")
    return made


def _box(solid: tree.Box, _tolerance: float) -> Manifold:
    size = (solid.x1 - solid.x0, solid.y1 - solid.y0, solid.z1 - solid.z0)
    return manifold3d.Manifold.cube(size).translate((solid.x0, solid.y0, solid.z0))


def _cone(solid: tree.Cone, tolerance: float) -> Manifold:
    segments = segments_of_circle(max(solid.bottom, solid.top), tolerance)
    if solid.bottom == 0:
        return manifold3d.Manifold.cylinder(solid.height, solid.top, 0, segments).mirror((0, 0, 1)).translate(
            (0, 0, solid.height))
    return manifold3d.Manifold.cylinder(solid.height, solid.bottom, solid.top, segments)


def _sphere(solid: tree.Sphere, tolerance: float) -> Manifold:
    # Facets lie inside the sphere in two directions, so a ball needs more of them than a cylinder.
    least = int(1.5 * segments_of_circle(0, tolerance))
    return manifold3d.Manifold.sphere(solid.radius, max(least, segments_of_circle(solid.radius, tolerance)))


def _mirrored(solid: tree.Mirrored, tolerance: float) -> Manifold:
    normal = {"x": (1, 0, 0), "y": (0, 1, 0), "z": (0, 0, 1)}[solid.axis]
    return evaluate(solid.solid, tolerance).mirror(normal)


def _batch(solids: tuple[tree.Solid, ...], operation: manifold3d.OpType, tolerance: float) -> Manifold:
    return manifold3d.Manifold.batch_boolean([evaluate(s, tolerance) for s in solids], operation)


def _difference(solid: tree.Difference, tolerance: float) -> Manifold:
    return _batch((solid.solid, *solid.tools), manifold3d.OpType.Subtract, tolerance)


_BUILDERS: dict[type[tree.Solid], Callable[[Any, float], Manifold]] = {
    tree.Extrude: _extrude,
    tree.Loft: _loft,
    tree.Revolve: _revolve,
    tree.Helix: _helix,
    tree.Threaded: _threaded,
    tree.Given: _given,
    tree.Box: _box,
    tree.Cone: _cone,
    tree.Sphere: _sphere,
    tree.Placed: lambda solid, tolerance: transformed(evaluate(solid.solid, tolerance), solid.matrix),
    tree.Mirrored: _mirrored,
    tree.Union: lambda solid, tolerance: _batch(solid.solids, manifold3d.OpType.Add, tolerance),
    tree.Difference: _difference,
    tree.Intersection: lambda solid, tolerance: _batch(solid.solids, manifold3d.OpType.Intersect, tolerance),
}
