"""Where the bodies of a mechanism are at a value of one of its motions, and how near or deep two of them are."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import combinations
from typing import Any

import manifold3d
import numpy as np

from bouncy_latch.core.mechanisms.contract import Motion, Solution
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.solids import mesh, tree

FINE, BOWS = 1.2, 0.01
"""Longest edge that a mesh to be bent may always have, mm: a bar of 1 mm strained by 3 % bows 0.01 mm between its ends. And how
far, mm, what is to be bent may bow between the ends of longer ones."""
_LOOKED = (1.0, 0.8, 0.6, 0.4, 0.2)
_FEW = 100
"""Parts of a motion at which it is seen where what bends bows most, and by how many of its edges."""
_SAMPLE, _FEWEST, _FACING = 16, 4, 12
"""Corners of a body that tell roughly how near it is, first a few of them, and faces of the other one that each of them is held
against."""
_SAMPLED, _SPARE, _MUCH = 200, 0.5, 0.7
"""Corners of a body that tell how far it moves by bending; by how much more than twice that is looked around, mm; and the part
of a body's volume below which only what is near is bent."""
Vector = tuple[float, float, float]


def watched_pairs(solution: Solution, motion: Motion) -> tuple[tuple[str, str], ...]:
    """Return the pairs of bodies a motion is watched for: its own, or every two that it moves apart from each other."""
    if motion.pairs:
        return motion.pairs
    pose = motion.pose(motion.low + 0.382 * (motion.high - motion.low))
    other = motion.pose(motion.low + 0.691 * (motion.high - motion.low))

    def together(first: str, second: str) -> bool:
        return all(_same(at.get(first, tree.IDENTITY), at.get(second, tree.IDENTITY)) for at in (pose, other))

    return tuple(pair for pair in combinations(solution.together, 2) if not together(*pair))


def _same(first: tree.Matrix, second: tree.Matrix) -> bool:
    return all(abs(a - b) < 1e-9 for a, b in zip(first, second, strict=True))


def edges_for(solution: Solution, motion: Motion) -> dict[str, float]:
    """Return for every body that bends in a motion how long the edges of its mesh may be, mm: twice as long where they bow
    little even so, which is a third of the work of bending it."""
    return {name: 2 * FINE if _bows(part_of(solution, name, motion), name, motion) <= BOWS else FINE
            for name in motion.flexing if motion.bends}


def part_of(solution: Solution, name: str, motion: Motion) -> Any:
    """Return the manifold of what of a body is tried out in a motion."""
    body = mesh.evaluate(solution.together[name])
    return body ^ mesh.evaluate(motion.alike[name]) if name in motion.alike else body


def _bows(drawn: Any, name: str, motion: Motion) -> float:
    """Return how far the middle of an edge of up to 2 × :data:`FINE` comes to lie beside the middle of its ends where a body
    bends most, mm."""
    points, faces = mesh.arrays(drawn.refine_to_length(2 * FINE))
    a, b = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    ends = np.stack([points[a[a < b]], points[b[a < b]]])
    ends = ends[:, np.einsum("ij,ij->i", ends[1] - ends[0], ends[1] - ends[0]) > FINE**2]
    warps = [motion.bends(motion.low + part * (motion.high - motion.low)).get(name) for part in _LOOKED if motion.bends]
    few = ends[:, :: max(1, ends.shape[1] // _FEW)]
    most = max((warp for warp in warps if warp), key=lambda warp: _bow(warp, few), default=None)
    return _bow(most, ends) if most else 0.0


def _bow(warp: Callable[[mesh.Vertices], mesh.Vertices], ends: mesh.Vertices) -> float:
    """Return how far at most what a warp makes of the middle between two ends (2, n, 3) lies from the middle of both, mm."""
    if not ends.shape[1]:
        return 0.0
    start, end, middle = np.split(warp(np.concatenate([*ends, ends.mean(axis=0)])), 3)
    off = middle - (start + end) / 2
    return float(np.sqrt(np.einsum("ij,ij->i", off, off).max()))


def bent(solution: Solution, value: float, motion: Motion | None = None, edges: Mapping[str, float] | None = None,
         near: Mapping[str, Any] | None = None) -> dict[str, Any]:
    """Return manifolds of all bodies, bought ones too, with a motion (default: the main one) at ``value``: bent, moved.

    ``edges``: how long those of bodies that bend may be, see :func:`edges_for`, where they are bent more than once.
    ``near``: what stands for some of those bodies, see :func:`within_reach`.
    """
    motion = motion or solution.motion
    warps = motion.bends(value) if motion.bends else {}
    pose = motion.pose(value)
    found = {}
    for name, solid in solution.together.items():
        if name in warps:
            drawn = (near or {}).get(name)
            body = mesh.warped(mesh.refined(solid, (edges or {}).get(name, FINE)) if drawn is None else drawn, warps[name])
        else:
            body = mesh.evaluate(solid)
        found[name] = mesh.transformed(body, pose[name]) if name in pose else body
    return found


def within_reach(solution: Solution, motion: Motion, values: Sequence[float], pairs: Sequence[tuple[str, str]],
                 edges: Mapping[str, float]) -> dict[str, Any]:
    """Return what of every body that bends may meet the other one of its pairs at some values of a motion, refined.

    What lies farther from where the other one comes than it moves by bending, twice and :data:`_SPARE` over, is cut off: with
    it goes more than half of what would be bent and cut. Bodies of which little would be cut off are left out.
    """
    poses, moves = [motion.pose(value) for value in values], dict.fromkeys(motion.flexing, 0.0)
    corners_of = {name: mesh.arrays(part_of(solution, name, motion))[0] for name in motion.flexing}
    few = {name: points[:: max(1, len(points) // _SAMPLED)] for name, points in corners_of.items()}
    for value in values:
        for name, warp in (motion.bends(value) if motion.bends else {}).items():
            moves[name] = max(moves[name], float(np.abs(warp(few[name]) - few[name]).max()))
    found = {}
    for name, reach in moves.items():
        others = {other for pair in pairs if name in pair for other in pair if other != name}
        body, whole = part_of(solution, name, motion), mesh.evaluate(solution.together[name])
        corners = [_corners(mesh.evaluate(solution.together[other]).bounding_box(), 2 * moves.get(other, 0.0)) @ seen[:, :3].T
                   + seen[:, 3] for other in others for seen in (_seen_from(pose, name, other) for pose in poses)]
        if not corners:
            continue
        low, high = np.concatenate(corners).min(axis=0), np.concatenate(corners).max(axis=0)
        spare = 2 * reach + _SPARE
        part = body ^ manifold3d.Manifold.cube(tuple(high - low + 2 * spare)).translate(tuple(low - spare))
        if 0 < part.volume() < _MUCH * whole.volume():
            found[name] = part.refine_to_length(edges.get(name, FINE))
    return found


def _seen_from(pose: Mapping[str, tree.Matrix], first: str, second: str) -> Array:
    """Return the (3, 4) transform from the drawn second body to where it is seen from the drawn first one."""
    matrix = tree.compose(tree.invert(pose.get(first, tree.IDENTITY)), pose.get(second, tree.IDENTITY))
    return np.reshape(matrix, (3, 4))


def _corners(box: tuple[float, ...], wider: float) -> Array:
    """Return the corners (8, 3) of a box, mm, widened on all sides."""
    sides = [(box[i] - wider, box[i + 3] + wider) for i in range(3)]
    return np.array([(x, y, z) for x in sides[0] for y in sides[1] for z in sides[2]])


def overlap(first: Any, second: Any) -> tuple[float, Vector]:
    """Return how deep two manifolds reach into each other (thickness of what they share, mm), and where."""
    shared = first ^ second
    if shared.is_empty():
        return 0.0, (0.0, 0.0, 0.0)
    deepest, place = 0.0, (0.0, 0.0, 0.0)
    for piece in shared.decompose():
        area = piece.surface_area()
        # A thin flake has two faces; its thickness is its volume over one of them.
        depth = 2 * piece.volume() / area if area > 0 else 0.0
        if depth > deepest:
            deepest, place = depth, middle(piece)
    return deepest, place


def middle(body: Any) -> Vector:
    """Return the middle of the box round a manifold, mm."""
    box = body.bounding_box()
    return (box[0] + box[3]) / 2, (box[1] + box[4]) / 2, (box[2] + box[5]) / 2


def gap(first: Any, second: Any, search: float) -> float:
    """Return the least distance of two manifolds, mm, up to ``search``; 0 where they touch or overlap."""
    a, b = first.bounding_box(), second.bounding_box()
    if any(a[i] - b[i + 3] > search or b[i] - a[i + 3] > search for i in range(3)):
        return search
    return float(first.min_gap(second, search))


def gap_at_most(first: Any, second: Any, enough: float = 0.0) -> float:
    """Return a distance (mm) that two manifolds are certainly not farther apart than: from some corners of the second.

    Far less work than :func:`gap`, and near it where the corners lie close to what they face. ``enough``: what need not be
    known more closely when it is no more than that.
    """
    points, (corners, faces) = mesh.arrays(second)[0], mesh.arrays(first)
    points = _within(points, corners, 0.0)
    points = points[:: max(1, len(points) // _SAMPLE)]
    # A few of them tell enough where nothing is looked for; they lie as far apart as all of them.
    few = points[:: max(1, len(points) // _FEWEST)]
    found = _nearest_of(few, corners, faces)
    return found if found <= enough else _nearest_of(points, corners, faces)


def _nearest_of(points: mesh.Vertices, corners: mesh.Vertices, faces: mesh.Triangles) -> float:
    """Return the least distance from points (n, 3) to some triangles near them, mm."""
    # The triangles whose boxes lie nearest to each point: any of them gives a bound.
    boxes = np.zeros((len(points), len(faces)), dtype=np.float32)
    for own, others in zip(points.T.astype(np.float32), corners.T.astype(np.float32), strict=True):
        a, b, c = others[faces.T]
        outside = np.maximum(np.minimum(np.minimum(a, b), c) - own[:, None], own[:, None] - np.maximum(np.maximum(a, b), c))
        boxes += np.square(np.maximum(outside, 0.0, out=outside), out=outside)
    best = np.argpartition(boxes, _FACING - 1, axis=1)[:, :_FACING] if boxes.shape[1] > _FACING else np.indices(boxes.shape)[1]
    return float(_to_triangles(np.repeat(points, best.shape[1], axis=0), corners[faces[best.ravel()]]).min())


def _to_triangles(points: mesh.Vertices, triangles: mesh.Vertices) -> Array:
    """Return the distance of every point (n, 3) to its triangle (n, 3, 3), mm."""
    ends = np.roll(triangles, -1, axis=1)
    edges, from_start = ends - triangles, points[:, None] - triangles
    along = np.einsum("ijk,ijk->ij", edges, from_start) / np.maximum(np.einsum("ijk,ijk->ij", edges, edges), 1e-18)
    off = from_start - np.clip(along, 0.0, 1.0)[..., None] * edges
    to_edges = np.sqrt(np.einsum("ijk,ijk->ij", off, off).min(axis=1))
    normals = np.cross(edges[:, 0], edges[:, 1])
    length = np.maximum(np.sqrt(np.einsum("ij,ij->i", normals, normals)), 1e-12)
    inside = (np.einsum("ijk,ik->ij", np.cross(edges, from_start), normals) >= 0).all(axis=1)
    to_plane = np.abs(np.einsum("ij,ij->i", from_start[:, 0], normals)) / length
    return np.asarray(np.where(inside, to_plane, to_edges))


def nearest(first: Any, second: Any, distance: float) -> Vector:
    """Return where two manifolds ``distance`` mm apart meet or come nearest, by vertices."""
    if distance <= 0:
        shared = first ^ second
        if not shared.is_empty():
            return middle(shared)
    a, b = mesh.arrays(first)[0], mesh.arrays(second)[0]
    a, b = _within(a, b, distance + 2.0), _within(b, a, distance + 2.0)
    best, found = np.inf, (a[0] + b[0]) / 2
    for start in range(0, len(a), 256):
        block = a[start:start + 256]
        square = (block**2).sum(axis=1)[:, None] + (b**2).sum(axis=1) - 2 * block @ b.T
        i, j = divmod(int(square.argmin()), len(b))
        if square[i, j] < best:
            best, found = float(square[i, j]), (block[i] + b[j]) / 2
    return float(found[0]), float(found[1]), float(found[2])


def _within(points: mesh.Vertices, others: mesh.Vertices, reach: float) -> mesh.Vertices:
    """Return the points inside the box round others, widened; all of them where none is."""
    low, high = others.min(axis=0) - reach, others.max(axis=0) + reach
    inside = points[((points >= low) & (points <= high)).all(axis=1)]
    return inside if len(inside) else points
