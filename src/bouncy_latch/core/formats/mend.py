"""From the triangles of a foreign file to closed bodies: mended where that is safe, and said; refused otherwise.

Safe are: doubled triangles and bodies (dropped), holes of a triangle or two (closed), a body inside out (turned), shells that
overlap (taken as one body), a shell that overlaps itself (counted once, as the layers do anyway).
"""

from __future__ import annotations

from typing import Any

import manifold3d
import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.slicing import faces_of

Vertices = npt.NDArray[np.float64]
Triangles = npt.NDArray[np.int64]

LEAST_VOLUME = 1e-3
"""Smaller shells are crumbs of an export, mm³."""
MOST_BODIES = 60
_LEVELS = 24


@frozen
class Mended:
    """Closed bodies (manifolds, mm) and what had to be done to get them, a sentence each."""

    bodies: tuple[Any, ...]
    notes: tuple[str, ...]


def bodies_of(vertices: Vertices, triangles: Triangles, name: str) -> Mended:
    """Return the bodies that triangles (m, 3) over vertices (n, 3) in mm make; ``name`` is used in sentences.

    Raises:
        ReadError: where no safe mending leads to closed bodies.
    """
    notes: list[str] = []
    vertices, triangles = _welded(vertices, triangles)
    sound = manifold3d.Manifold(manifold3d.Mesh64(vertices, triangles.astype(np.uint64)))
    if sound.status() == manifold3d.Error.NoError and not sound.is_empty():
        # Most files are sound: they need none of what follows, nor the memory it takes.
        shells = [part for part in sound.decompose() if abs(part.volume()) > LEAST_VOLUME]
    else:
        shells = _repaired(vertices, triangles, name, notes)
    if not shells:
        raise ReadError(f"{name} holds no body")
    whole = _turned(shells, name, notes)
    single = _without_doubles(whole, name, notes)
    merged = _joined(single, name, notes)
    if len(merged) > MOST_BODIES:
        raise ReadError(f"{name} holds {len(merged)} bodies; at most {MOST_BODIES} are worked with at once")
    for body in merged:
        _check_overlap(body, name, notes)
    return Mended(tuple(merged), tuple(dict.fromkeys(notes)))


def _welded(vertices: Vertices, triangles: Triangles) -> tuple[Vertices, Triangles]:
    """Return the mesh with corners within a millionth of a millimetre made one, in the order they first appear."""
    scaled = np.round(vertices * 1e6)
    order = np.lexsort(scaled.T)
    new = np.empty(len(order), dtype=bool)
    new[:1] = True
    new[1:] = (scaled[order[1:]] != scaled[order[:-1]]).any(axis=1)
    # Of equal corners the first in the file stands for all, and the file's order is kept.
    group = np.cumsum(new) - 1
    first = np.minimum.reduceat(order, np.flatnonzero(new))
    rank = np.empty(len(first), dtype=np.int64)
    rank[np.argsort(first, kind="stable")] = np.arange(len(first))
    inverse = np.empty(len(order), dtype=np.int64)
    inverse[order] = rank[group]
    return vertices[np.sort(first)], inverse[triangles]


def _repaired(vertices: Vertices, triangles: Triangles, name: str, notes: list[str]) -> list[Any]:
    """Return the closed shells of a mesh that is none as it stands; raises ReadError where no safe mending leads to any."""
    import trimesh

    loaded = trimesh.Trimesh(vertices, triangles, process=False)
    before = len(loaded.faces)
    loaded.update_faces(loaded.nondegenerate_faces(height=1e-12))
    real = len(loaded.faces)
    loaded.update_faces(loaded.unique_faces())
    if len(loaded.faces) < real:
        notes.append(f"{name}: {real - len(loaded.faces)} doubled triangles dropped")
    if not len(loaded.faces):
        raise ReadError(f"{name} holds no body" if before else f"{name} is empty")
    return [shell for part in _parts(loaded) if (shell := _closed(part, name, notes)) is not None]


def _parts(loaded: Any) -> list[Any]:
    """Return pieces that share no edge, so that bodies which only touch stay apart."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    adjacent = loaded.face_adjacency
    count = len(loaded.faces)
    graph = coo_matrix((np.ones(len(adjacent)), (adjacent[:, 0], adjacent[:, 1])), shape=(count, count))
    number, labels = connected_components(graph, directed=False)
    if number == 1:
        return [loaded]
    order = np.argsort(labels, kind="stable")
    groups = np.split(order, np.cumsum(np.bincount(labels, minlength=number))[:-1])
    return loaded.submesh(groups, append=False, repair=False) if number <= 5000 else [loaded]


def _closed(part: Any, name: str, notes: list[str]) -> Any | None:
    """Return a piece as a closed manifold, small holes closed; None for a crumb."""
    import trimesh

    made = _manifold(part)
    if made is None and not part.is_winding_consistent:
        trimesh.repair.fix_winding(part)
        made = _manifold(part)
        if made is not None:
            notes.append(f"{name}: triangles that faced the wrong way turned")
    if made is None:
        open_edges = _open_edges(part)
        if 0 < open_edges <= 24:
            trimesh.repair.fill_holes(part)
            made = _manifold(part)
            if made is not None:
                notes.append(f"{name}: small holes closed ({open_edges} open edges)")
        if made is None:
            if len(part.faces) < 4:
                notes.append(f"{name}: {len(part.faces)} stray triangles dropped")
                return None
            raise ReadError(f"{name} is not a closed solid: {open_edges} edges belong to one triangle only" if open_edges
                            else f"{name} is not a closed solid: some edges belong to three triangles or more")
    return made if abs(made.volume()) > LEAST_VOLUME else None


def _manifold(part: Any) -> Any | None:
    made = manifold3d.Manifold(manifold3d.Mesh64(np.asarray(part.vertices, dtype=np.float64),
                                                 np.asarray(part.faces).astype(np.uint64)))
    return made if made.status() == manifold3d.Error.NoError and not made.is_empty() else None


def _open_edges(part: Any) -> int:
    _, counts = np.unique(part.edges_sorted, axis=0, return_counts=True)
    return int((counts == 1).sum())


def _flipped(body: Any) -> Any:
    """Return a manifold with its triangles turned round."""
    mesh = body.to_mesh64()
    vertices = np.array(np.asarray(mesh.vert_properties)[:, :3], dtype=np.float64, order="C")
    faces = np.array(np.asarray(mesh.tri_verts)[:, ::-1], dtype=np.uint64, order="C")
    return manifold3d.Manifold(manifold3d.Mesh64(vertices, faces))


def _turned(shells: list[Any], name: str, notes: list[str]) -> list[Any]:
    """Return bodies of positive volume: voids cut out of what contains them, bodies inside out turned."""
    solid = [shell for shell in shells if shell.volume() > 0]
    for shell in (s for s in shells if s.volume() <= 0):
        positive = _flipped(shell)
        home = next((i for i, body in enumerate(solid) if _inside(positive, body)), None)
        if home is None:
            solid.append(positive)
            notes.append(f"{name} was inside out; it is turned")
        else:
            solid[home] = solid[home] - positive
    return solid


def _inside(inner: Any, outer: Any) -> bool:
    a, b = inner.bounding_box(), outer.bounding_box()
    if not all(b[i] <= a[i] and a[i + 3] <= b[i + 3] for i in range(3)):
        return False
    return bool((inner - outer).volume() < 1e-6 * inner.volume())


def _without_doubles(bodies: list[Any], name: str, notes: list[str]) -> list[Any]:
    found: list[Any] = []
    for body in bodies:
        box = np.array(body.bounding_box())
        same = any(np.allclose(box, other.bounding_box(), atol=1e-4) and np.isclose(body.volume(), other.volume(), rtol=1e-6)
                   for other in found)
        if same:
            notes.append(f"{name} holds the same body twice; one is used")
        else:
            found.append(body)
    return found


def _joined(bodies: list[Any], name: str, notes: list[str]) -> list[Any]:
    """Return bodies with overlapping ones made one."""
    result: list[Any] = []
    for body in bodies:
        overlapping = [other for other in result if _overlap(body, other)]
        if overlapping:
            notes.append(f"{name}: shells that overlap are taken as one body")
            body = manifold3d.Manifold.batch_boolean([body, *overlapping], manifold3d.OpType.Add)
            result = [other for other in result if all(other is not gone for gone in overlapping)]
        result.append(body)
    return result


def _overlap(first: Any, second: Any) -> bool:
    a, b = first.bounding_box(), second.bounding_box()
    if any(a[i] >= b[i + 3] or b[i] >= a[i + 3] for i in range(3)):
        return False
    return bool((first ^ second).volume() > LEAST_VOLUME)


def _check_overlap(body: Any, name: str, notes: list[str]) -> None:
    """Compare sections counted with their winding and counted once: a shell that overlaps itself counts twice there."""
    faces = faces_of(body)
    low, high = float(faces.corners[:, :, 2].min()), float(faces.corners[:, :, 2].max())
    for i in range(_LEVELS):
        height = low + (i + 0.4137) / _LEVELS * (high - low)
        wound, once = _wound_area(faces.corners, height), float(body.slice(height).area())
        if wound > once * 1.002 + 0.01:
            notes.append(f"{name} overlaps itself; the overlap counts once")
            return
        if wound < once * 0.998 - 0.01:
            raise ReadError(f"{name} crosses itself so that part of it is inside out")


def _wound_area(corners: npt.NDArray[np.float64], height: float) -> float:
    """Return the area of a section, overlaps counted as often as they are covered, mm²."""
    over = corners[:, :, 2] > height
    cut = corners[(over.sum(axis=1) % 3) > 0]
    over = cut[:, :, 2] > height
    # The corner that is alone on its side comes first, in the triangle's own sense of turning.
    lone = np.where(over.sum(axis=1) == 1, over.argmax(axis=1), (~over).argmax(axis=1))
    rows = np.arange(len(cut))
    a, b, c = (cut[rows, (lone + k) % 3] for k in range(3))
    ab = a + ((height - a[:, 2]) / (b[:, 2] - a[:, 2]))[:, None] * (b - a)
    ac = a + ((height - a[:, 2]) / (c[:, 2] - a[:, 2]))[:, None] * (c - a)
    sign = np.where(a[:, 2] > height, 1.0, -1.0)
    return float((sign * (ab[:, 0] * ac[:, 1] - ab[:, 1] * ac[:, 0])).sum() / 2)
