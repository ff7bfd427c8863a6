"""Mesh files out (STL, 3MF) and in (STL, OBJ, PLY, 3MF). Millimetres throughout."""

from __future__ import annotations

import ctypes
import io
import re
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import Cancelled, ReadError
from bouncy_latch.core.exchange import mend
from bouncy_latch.core.solids import mesh

FILE_TOLERANCE = 1e-4
"""Edges shorter than this are closed up before writing, so that single precision cannot open a seam, mm."""
MOST_TRIANGLES = 2_000_000
MOST_SIZE = 2000.0
LEAST_SIZE = 0.5
SMALL = 4.0
"""Parts smaller than this are likelier drawn in inches, mm."""
LIKELY = (5.0, 500.0)
MOST_BYTES = 400 * 2**20
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4}
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


def to_3mf(bodies: Mapping[str, Any], title: str, notes: Sequence[tuple[str, str]] = ()) -> bytes:
    """Return all bodies as one 3MF in millimetres, one named object and build item a body.

    ``notes``: what the print needs, by name; they travel as the file's description.
    """
    import lib3mf

    wrapper = _lib3mf()
    model = wrapper.CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    about = model.GetMetaDataGroup()
    about.AddMetaData("", "Title", title, "xs:string", True)
    if notes:
        about.AddMetaData("", "Description", "; ".join(f"{name}: {value}" for name, value in notes), "xs:string", True)
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


@dataclass(frozen=True)
class Parts:
    """What a mesh file holds: closed bodies (manifolds, mm) by name, and what was mended, a sentence each."""

    bodies: dict[str, Any]
    notes: tuple[str, ...]


def read(path: Path, unit: str = "mm") -> Parts:
    """Read the bodies of a mesh file; separate shells are separate bodies.

    Raises:
        ReadError: one sentence for anything that is empty, huge, tiny, damaged, or open beyond safe mending.
    """
    if path.suffix.lower() not in SUFFIXES:
        raise ReadError(f"{path.name} is not a mesh file this reads ({', '.join(SUFFIXES)})", field=str(path))
    if unit not in UNITS:
        raise ReadError(f"there is no unit '{unit}'; known are {', '.join(UNITS)}", field="unit")
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ReadError(f"{path.name} is larger than {MOST_BYTES // 2**20} MB; simplify it first", field=str(path))
        data = path.read_bytes()
    except OSError as error:
        raise ReadError(f"{path.name} cannot be opened: {(error.strerror or '').lower()}", field=str(path)) from None
    _refuse_too_many(_count(data, path), path.name)
    if path.suffix.lower() == ".3mf":
        _refuse_bomb(data, path.name)
    shells = _read_3mf(data, path.name) if path.suffix.lower() == ".3mf" else _read_trimesh(data, path)
    bodies: list[Any] = []
    notes: list[str] = []
    for vertices, triangles in shells:
        _judge(vertices * UNITS[unit], triangles, path.name, notes)
        mended = mend.bodies_of(vertices * UNITS[unit], triangles, path.name)
        bodies += mended.bodies
        notes += mended.notes
    if not bodies:
        raise ReadError(f"{path.name} holds no body", field=str(path))
    names = [path.stem] if len(bodies) == 1 else [f"{path.stem}-{i + 1}" for i in range(len(bodies))]
    return Parts(dict(zip(names, bodies, strict=True)), tuple(dict.fromkeys(notes)))


def read_all(paths: Sequence[Path], unit: str = "mm", progress: Callable[[float], bool] = lambda _: True) -> Parts:
    """Read several mesh files; two of one name get different ones.

    Raises:
        ReadError: as :func:`read`. Cancelled: when ``progress`` returned False.
    """
    bodies: dict[str, Any] = {}
    notes: list[str] = []
    for number, path in enumerate(paths):
        if not progress(number / len(paths)):
            raise Cancelled
        found = read(path, unit)
        notes += found.notes
        for name, body in found.bodies.items():
            free = name
            while free in bodies:
                free += "~"
            bodies[free] = body
    return Parts(bodies, tuple(notes))


def _count(data: bytes, path: Path) -> int:
    """Return how many triangles a file says it has, before any is read; 0 where it does not say."""
    if path.suffix.lower() == ".stl" and len(data) > 84:
        count = int.from_bytes(data[80:84], "little")
        return count if len(data) == 84 + 50 * count else data.count(b"endfacet")
    if path.suffix.lower() == ".obj":
        return data.count(b"\nf ")
    if path.suffix.lower() == ".ply":
        found = re.search(rb"element face (\d{1,12})", data[:4096])
        return int(found.group(1)) if found else 0
    return 0


def _refuse_bomb(data: bytes, name: str) -> None:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            size = sum(entry.file_size for entry in archive.infolist())
    except (zipfile.BadZipFile, OSError, ValueError):
        raise ReadError(f"{name} is damaged or no 3MF file") from None
    if size > 3 * MOST_BYTES:
        raise ReadError(f"{name} unpacks to {size // 2**20} MB, more than any part needs")


def _refuse_too_many(count: int, name: str) -> None:
    if count > MOST_TRIANGLES:
        raise ReadError(f"{name} has {count} triangles, more than the {MOST_TRIANGLES} this works with; simplify it first")


def _judge(vertices: npt.NDArray[np.float64], triangles: npt.NDArray[np.int64], name: str, notes: list[str]) -> None:
    if len(triangles) == 0:
        raise ReadError(f"{name} is empty")
    _refuse_too_many(len(triangles), name)
    if vertices.ndim != 2 or vertices.shape[1] != 3 or triangles.ndim != 2 or triangles.shape[1] != 3:
        raise ReadError(f"{name} is damaged: its corners are not points in space")
    if triangles.min() < 0 or triangles.max() >= len(vertices):
        raise ReadError(f"{name} is damaged: triangles name corners that are not there")
    if not np.isfinite(vertices).all():
        raise ReadError(f"{name} has corners that are not numbers")
    size = float((vertices.max(axis=0) - vertices.min(axis=0)).max())
    if size > MOST_SIZE or size < LEAST_SIZE:
        guess = next((unit for unit in ("inch", "m", "cm") if LIKELY[0] <= size * UNITS[unit] <= LIKELY[1]), None)
        hint = f"; as {guess} it would be {size * UNITS[guess]:.3g} mm" if guess else ""
        raise ReadError(f"{name} is {size:.3g} mm across; is it in another unit? Millimetres are expected{hint}")
    if size < SMALL:
        notes.append(f"{name} is only {size:.2g} mm across; if it was drawn in inches, say so")


def _read_trimesh(data: bytes, path: Path) -> list[Arrays]:
    import trimesh

    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=path.suffix[1:].lower(), force="mesh", process=False)
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
