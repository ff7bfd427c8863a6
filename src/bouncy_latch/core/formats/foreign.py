"""Bodies from mesh files (STL, OBJ, PLY, 3MF): read in a process of their own, judged, mended where that is safe.

Millimetres throughout. What a file *says* it holds is judged before it is read, what it does hold while it is.
"""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import manifold3d
import numpy as np
import numpy.typing as npt

from bouncy_latch.core import files
from bouncy_latch.core.errors import Cancelled, ReadError
from bouncy_latch.core.formats import mend, reader_process, threemf
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh

MOST_TRIANGLES = 500_000
"""What is read in the time and memory a file may take."""
MOST_BYTES = 200 * 2**20
MOST_SIZE = 2000.0
LEAST_SIZE = 0.5
SMALL = 4.0
"""Parts smaller than this are likelier drawn in inches, mm."""
LIKELY = (5.0, 500.0)
UNIT = "unit"
"""The field of a refusal that another unit would mend."""
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4}
SUFFIXES = (".stl", ".obj", ".ply", ".3mf")
_STL_HEAD, _STL_ROW = 84, 50

Arrays = tuple[npt.NDArray[np.float64], npt.NDArray[np.int64]]


@frozen
class Parts:
    """What a mesh file holds: closed bodies (manifolds, mm) by name, and what was mended, a sentence each."""

    bodies: dict[str, Any]
    notes: tuple[str, ...]


def read(path: Path, unit: str = "mm", progress: Progress = unwatched) -> Parts:
    """Read the bodies of a mesh file; separate shells are separate bodies.

    Raises:
        ReadError: one sentence for anything that is no regular file, empty, huge, tiny, damaged, open beyond safe mending,
            or takes more time or memory than any sound file.
        Cancelled: when ``progress`` returned False.
    """
    if path.suffix.lower() not in SUFFIXES:
        raise ReadError(f"{path.name} is not a mesh file this reads ({', '.join(SUFFIXES)})", field=str(path))
    if unit not in UNITS:
        raise ReadError(f"there is no unit '{unit}'; known are {', '.join(UNITS)}", field="unit")
    files.open_regular(path, MOST_BYTES, "simplify it first").close()
    arrays, notes = reader_process.run(taken_apart, path, unit, name=path.name, progress=progress)
    bodies = [manifold3d.Manifold(manifold3d.Mesh64(vertices, triangles)) for vertices, triangles in arrays]
    names = [path.stem] if len(bodies) == 1 else [f"{path.stem}-{i + 1}" for i in range(len(bodies))]
    return Parts(dict(zip(names, bodies, strict=True)), notes)


def read_all(paths: Sequence[Path], unit: str = "mm", progress: Progress = unwatched) -> Parts:
    """Read several mesh files; two of one name get different ones.

    Raises:
        ReadError: as :func:`read`. Cancelled: when ``progress`` returned False.
    """
    bodies: dict[str, Any] = {}
    notes: list[str] = []
    for number, path in enumerate(paths):

        def told(part: float, number: int = number) -> bool:
            return progress((number + part) / len(paths))

        if not told(0.0):
            raise Cancelled
        found = read(path, unit, told)
        notes += found.notes
        for name, body in found.bodies.items():
            free = name
            while free in bodies:
                free += "~"
            bodies[free] = body
    return Parts(bodies, tuple(notes))


def taken_apart(path: Path, unit: str) -> tuple[list[tuple[Any, Any]], tuple[str, ...]]:
    """Return vertices (n, 3) in mm and triangles (m, 3) of every closed body of a file, and what was mended.

    Runs in the reader process; raises ReadError.
    """
    data, name = files.read(path, MOST_BYTES), path.name
    kind = path.suffix.lower()
    notes: list[str] = []
    if kind == ".3mf":
        shells = threemf.shells(data, name, MOST_TRIANGLES, notes)
    else:
        _refuse_too_many(_count(data, kind, name), name)
        binary = kind == ".stl" and len(data) > _STL_HEAD and not _is_ascii_stl(data)
        shells = [_binary_stl(data)] if binary else [_by_trimesh(data, kind, name)]
    del data
    bodies: list[Any] = []
    _refuse_too_many(sum(len(triangles) for _, triangles in shells), name)
    while shells:
        vertices, triangles = shells.pop(0)
        _judge(vertices * UNITS[unit], triangles, name, notes)
        mended = mend.bodies_of(vertices * UNITS[unit], triangles, name)
        del vertices, triangles
        bodies += mended.bodies
        notes += mended.notes
    if not bodies:
        raise ReadError(f"{name} holds no body", field=str(path))
    if len(bodies) > mend.MOST_BODIES:
        raise ReadError(f"{name} holds {len(bodies)} bodies; at most {mend.MOST_BODIES} are worked with at once")
    arrays = []
    while bodies:
        vertices, corners = mesh.arrays(bodies.pop(0))
        arrays.append((vertices, corners.view(np.uint64)))
    return arrays, tuple(dict.fromkeys(notes))


def _count(data: bytes, kind: str, name: str) -> int:
    """Return how many triangles a file says it has, before any is read; 0 where it does not say.

    Raises:
        ReadError: for a binary STL whose header and length contradict each other.
    """
    if kind == ".stl" and len(data) > _STL_HEAD and not _is_ascii_stl(data):
        says = int.from_bytes(data[_STL_HEAD - 4:_STL_HEAD], "little")
        holds = (len(data) - _STL_HEAD) // _STL_ROW
        if says > MOST_TRIANGLES or holds > MOST_TRIANGLES:
            return max(says, holds)
        if says > holds or len(data) - _STL_HEAD - _STL_ROW * says > 10 * _STL_ROW:
            raise ReadError(f"{name} is damaged: its header says {says} triangles, there is room for {holds}")
        return says
    if kind == ".stl":
        return data.count(b"endfacet")
    if kind == ".obj":
        return data.count(b"\nf ")
    found = re.search(rb"element face (\d{1,12})", data[:4096])
    return int(found.group(1)) if found else 0


def _is_ascii_stl(data: bytes) -> bool:
    return data.lstrip()[:5].lower() == b"solid" and b"facet" in data[:2048].lower()


def _refuse_too_many(count: int, name: str) -> None:
    if count > MOST_TRIANGLES:
        raise ReadError(f"{name} has {count} triangles, more than the {MOST_TRIANGLES} this works with; simplify it first")


def _judge(vertices: npt.NDArray[np.float64], triangles: npt.NDArray[np.int64], name: str, notes: list[str]) -> None:
    if len(triangles) == 0:
        raise ReadError(f"{name} is empty")
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
        raise ReadError(f"{name} is {size:.3g} mm across; is it in another unit? Millimetres are expected{hint}",
                        field=UNIT)
    if size < SMALL:
        notes.append(f"{name} is only {size:.2g} mm across; if it was drawn in inches, say so")


def _binary_stl(data: bytes) -> Arrays:
    count = min(int.from_bytes(data[_STL_HEAD - 4:_STL_HEAD], "little"), (len(data) - _STL_HEAD) // _STL_ROW)
    rows = np.frombuffer(data, dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")], count=count,
                         offset=_STL_HEAD)
    return rows["corners"].reshape(-1, 3).astype(np.float64), np.arange(3 * count, dtype=np.int64).reshape(-1, 3)


def _by_trimesh(data: bytes, kind: str, name: str) -> Arrays:
    import trimesh

    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=kind[1:], force="mesh", process=False)
        return np.asarray(loaded.vertices, dtype=np.float64), np.asarray(loaded.faces, dtype=np.int64)
    except MemoryError:
        raise
    except Exception:  # the readers below raise anything at all on hostile bytes
        raise ReadError(f"{name} is damaged or no {kind[1:].upper()} file") from None
