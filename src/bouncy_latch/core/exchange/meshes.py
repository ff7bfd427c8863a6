"""Mesh files out (STL, 3MF) and in (STL, OBJ, PLY, 3MF). Millimetres throughout."""

from __future__ import annotations

import ctypes
import io
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

import manifold3d
import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.solids import mesh

FILE_TOLERANCE = 1e-4
"""Edges shorter than this are closed up before writing, so that single precision cannot open a seam, mm."""
MOST_TRIANGLES = 2_000_000
MOST_SIZE = 2000.0
LEAST_SIZE = 0.5
SUFFIXES = (".stl", ".obj", ".ply", ".3mf")

Arrays = tuple[npt.NDArray[np.float64], npt.NDArray[np.int64]]


def to_stl(manifold: Any, name: str) -> bytes:
    """Return a body as binary STL with its name in the header."""
    vertices, triangles = mesh.arrays(manifold.simplify(FILE_TOLERANCE))
    corners = vertices[triangles].astype("<f4")
    record = np.zeros(len(triangles), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normal, axis=1, keepdims=True)
    record["normal"] = normal / np.where(length > 0, length, 1)
    record["corners"] = corners
    header = f"Bouncy Latch {name}, millimetres".encode("ascii", "replace")[:80].ljust(80)
    return header + np.uint32(len(triangles)).tobytes() + record.tobytes()


@cache
def _lib3mf() -> Any:
    import lib3mf

    return lib3mf.get_wrapper()


def to_3mf(bodies: Mapping[str, Any], title: str) -> bytes:
    """Return all bodies as one 3MF in millimetres, one named object and build item a body."""
    import lib3mf

    wrapper = _lib3mf()
    model = wrapper.CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    model.GetMetaDataGroup().AddMetaData("", "Title", title, "xs:string", True)
    for name, manifold in bodies.items():
        vertices, triangles = mesh.arrays(manifold.simplify(FILE_TOLERANCE))
        item = model.AddMeshObject()
        item.SetName(name)
        positions = (lib3mf.Position * len(vertices))()
        np.ctypeslib.as_array(ctypes.cast(positions, ctypes.POINTER(ctypes.c_float)),
                              (len(vertices), 3))[:] = vertices
        indices = (lib3mf.Triangle * len(triangles))()
        np.ctypeslib.as_array(ctypes.cast(indices, ctypes.POINTER(ctypes.c_uint32)),
                              (len(triangles), 3))[:] = triangles
        item.SetGeometry(positions, indices)
        model.AddBuildItem(item, wrapper.GetIdentityTransform())
    writer = model.QueryWriter("3mf")
    return bytes(writer.WriteToBuffer())


def read(path: Path) -> dict[str, Any]:
    """Read closed bodies from a mesh file as manifolds, by name; separate shells are separate bodies.

    Raises:
        ReadError: one sentence for anything open, empty, huge, tiny or damaged.
    """
    if path.suffix.lower() not in SUFFIXES:
        raise ReadError(f"{path.name} is not a mesh file this reads ({', '.join(SUFFIXES)})", field=str(path))
    try:
        data = path.read_bytes()
    except OSError as error:
        raise ReadError(f"{path.name} cannot be opened: {(error.strerror or '').lower()}", field=str(path)) from None
    shells = _read_3mf(data, path.name) if path.suffix.lower() == ".3mf" else _read_trimesh(data, path)
    found: dict[str, Any] = {}
    for vertices, triangles in shells:
        manifold = _judged(vertices, triangles, path.name)
        parts = manifold.decompose()
        for part in parts:
            found[f"{path.stem}-{len(found) + 1}"] = part
    if not found:
        raise ReadError(f"{path.name} holds no body", field=str(path))
    return {path.stem: next(iter(found.values()))} if len(found) == 1 else found


def _judged(vertices: npt.NDArray[np.float64], triangles: npt.NDArray[np.int64], name: str) -> Any:
    if len(triangles) == 0:
        raise ReadError(f"{name} is empty")
    if len(triangles) > MOST_TRIANGLES:
        raise ReadError(f"{name} has {len(triangles)} triangles, more than the {MOST_TRIANGLES} this works with; "
                        "simplify it first")
    if not np.isfinite(vertices).all():
        raise ReadError(f"{name} has corners that are not numbers")
    size = float((vertices.max(axis=0) - vertices.min(axis=0)).max())
    if size > MOST_SIZE or size < LEAST_SIZE:
        raise ReadError(f"{name} is {size:.3g} mm across; is it in another unit? Millimetres are expected")
    manifold = manifold3d.Manifold(manifold3d.Mesh64(vertices, triangles.astype(np.uint64)))
    if manifold.status() != manifold3d.Error.NoError:
        raise ReadError(f"{name} is not a closed solid: some edges belong to one triangle only, or three")
    if manifold.volume() < 0:
        raise ReadError(f"{name} is inside out")
    return manifold


def _read_trimesh(data: bytes, path: Path) -> list[Arrays]:
    import trimesh

    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=path.suffix[1:].lower(), force="mesh", process=True)
        loaded.merge_vertices()
        return [(np.asarray(loaded.vertices, dtype=np.float64), np.asarray(loaded.faces, dtype=np.int64))]
    except Exception:  # the readers below raise anything at all on hostile bytes
        raise ReadError(f"{path.name} is damaged or no {path.suffix[1:].upper()} file", field=str(path)) from None


def _read_3mf(data: bytes, name: str) -> list[Arrays]:
    import lib3mf

    wrapper = _lib3mf()
    model = wrapper.CreateModel()
    try:
        reader = model.QueryReader("3mf")
        reader.ReadFromBuffer(data)
    except lib3mf.ELib3MFException:
        raise ReadError(f"{name} is damaged or no 3MF file") from None
    scale = {"MilliMeter": 1.0, "MicroMeter": 1e-3, "CentiMeter": 10.0, "Inch": 25.4, "Foot": 304.8, "Meter": 1000.0}
    factor = scale[lib3mf.ModelUnit(model.GetUnit()).name]
    shells = []
    items = model.GetMeshObjects()
    while items.MoveNext():
        item = items.GetCurrentMeshObject()
        vertices = np.array([list(v.Coordinates) for v in item.GetVertices()], dtype=np.float64).reshape(-1, 3)
        triangles = np.array([list(t.Indices) for t in item.GetTriangleIndices()], dtype=np.int64).reshape(-1, 3)
        shells.append((vertices * factor, triangles))
    return shells


def names_in_3mf(data: bytes) -> list[tuple[str, int]]:
    """Return (name, triangles) of every object of a 3MF."""
    model = _lib3mf().CreateModel()
    model.QueryReader("3mf").ReadFromBuffer(data)
    found = []
    items = model.GetMeshObjects()
    while items.MoveNext():
        item = items.GetCurrentMeshObject()
        found.append((str(item.GetName()), int(item.GetTriangleCount())))
    return found
