"""3MF in: what is built is what counts, every object at its places with all transforms on the way (3MF core, 1.3, section 3.4).

The archive is counted before the library reads it: unpacked size, triangles, and how often components multiply them.
"""

from __future__ import annotations

import ctypes
import io
import re
import zipfile
import zlib
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import ReadError, shortly
from bouncy_latch.core.formats.meshes import lib3mf_wrapper
from bouncy_latch.core.numbers import Array

Arrays = tuple[Array, npt.NDArray[np.int64]]

MOST_UNPACKED = 300 * 2**20
MOST_PLACES = 500
"""Places at which the objects of a file may stand, all told."""
MOST_DEPTH = 16
_UNITS = {b"millimeter": 1.0, b"micron": 1e-3, b"centimeter": 10.0, b"inch": 25.4, b"foot": 304.8, b"meter": 1000.0}
_THING = re.compile(rb"<(?:\w+:)?(object|component)\b[^>]*?\b(?:id|objectid)\s*=\s*[\"'](\d+)[\"']")
_MOST_TOLD = 64 * 2**20
"""Of a model part whose components are counted beforehand; a larger one is full of triangles, not of components."""
_UNIT = re.compile(rb"<(?:\w+:)?model\b[^>]*?\bunit\s*=\s*[\"']([^\"']*)[\"']")


def shells(data: bytes, name: str, most: int, notes: list[str]) -> list[Arrays]:
    """Return vertices (n, 3) in mm and triangles (m, 3) of every object at every place it is built.

    Args:
        most: triangles that may be there at once.
        notes: gains a sentence for what had to be guessed.

    Raises:
        ReadError: for what is damaged, too large, turns in circles, or has a unit nobody knows.
    """
    import lib3mf

    factor = _counted(data, name, most)
    model = lib3mf_wrapper().CreateModel()
    try:
        model.QueryReader("3mf").ReadFromBuffer(data)
        placed = _placed(model, name, most, notes)
    except lib3mf.ELib3MFException:
        raise ReadError(f"{name} is damaged or no 3MF file") from None
    return [(_moved(vertices, place) * factor, triangles if np.linalg.det(place[:3]) > 0 else triangles[:, ::-1])
            for vertices, triangles, place in placed]


def _counted(data: bytes, name: str, most: int) -> float:
    """Judge the archive without unpacking it at once; return what its unit is in mm."""
    factor = 1.0
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = archive.infolist()
            unpacked = sum(entry.file_size for entry in entries)
            if unpacked > MOST_UNPACKED or len(entries) > 2000:
                raise ReadError(f"{name} unpacks to {unpacked // 2**20} MB, more than any part needs")
            triangles = 0
            for entry in entries:
                if not entry.filename.lower().endswith(".model"):
                    continue
                if entry.file_size <= _MOST_TOLD:
                    with archive.open(entry) as stream:
                        _refuse_multiplied(stream.read(_MOST_TOLD), name)
                with archive.open(entry) as stream:
                    text, room = b"", MOST_UNPACKED
                    while piece := stream.read(1 << 20):
                        room -= len(piece)
                        if room < 0:
                            raise ReadError(f"{name} unpacks to more than any part needs")
                        if b"<!DOCTYPE" in piece or b"<!ENTITY" in piece:
                            raise ReadError(f"{name} is no plain 3MF: its model declares entities")
                        if not text and (unit := _UNIT.search(piece)):
                            if unit.group(1) not in _UNITS:
                                told = shortly(unit.group(1).decode("latin-1"))
                                raise ReadError(f"{name} is drawn in the unknown unit '{told}'; 3MF knows "
                                                f"{', '.join(u.decode() for u in _UNITS)}")
                            factor = _UNITS[unit.group(1)]
                        text = piece
                        triangles += piece.count(b"triangle ")
            if triangles > most:
                raise ReadError(f"{name} has {triangles} triangles, more than the {most} this works with; simplify it first")
    except (zipfile.BadZipFile, zlib.error, OSError, ValueError, NotImplementedError, RuntimeError):
        raise ReadError(f"{name} is damaged or no 3MF file") from None
    return factor


def _refuse_multiplied(text: bytes, name: str) -> None:
    """Raise ReadError when components hold themselves or stand for more places than are read; the library would go through
    them all."""
    children: dict[bytes, list[bytes]] = {}
    current: list[bytes] = []
    for thing in _THING.finditer(text):
        if thing.group(1) == b"object":
            current = children.setdefault(thing.group(2), [])
        else:
            current.append(thing.group(2))
    places: dict[bytes, int] = {}

    def count(number: bytes, above: tuple[bytes, ...]) -> int:
        if number in above or len(above) > MOST_DEPTH:
            raise ReadError(f"{name} is made of components that contain themselves")
        if number not in places:
            own = children.get(number, [])
            places[number] = sum(count(child, (*above, number)) for child in own) if own else 1
        if places[number] > MOST_PLACES:
            raise ReadError(f"{name} repeats its components more than {MOST_PLACES} times; at most that many are read")
        return places[number]

    for number in children:
        count(number, ())


def _placed(model: Any, name: str, most: int, notes: list[str]) -> list[tuple[Array, npt.NDArray[np.int64], Array]]:
    """Return every mesh at every place it is built: vertices, triangles, place (4, 3) as rows that multiply (x, y, z, 1)."""
    built: list[tuple[Any, Array]] = []
    items = model.GetBuildItems()
    while items.MoveNext():
        item = items.GetCurrent()
        built.append((item.GetObjectResource(), _matrix(item.GetObjectTransform() if item.HasObjectTransform() else None)))
    if not built:
        meshes = model.GetMeshObjects()
        while meshes.MoveNext():
            built.append((meshes.GetCurrentMeshObject(), _matrix(None)))
        if built:
            notes.append(f"{name} builds nothing; all its objects are taken as they are")
    kept: dict[int, tuple[Array, npt.NDArray[np.int64]]] = {}
    found: list[tuple[Array, npt.NDArray[np.int64], Array]] = []
    total = steps = 0
    waiting = [(thing, place, 0) for thing, place in reversed(built)]
    while waiting:
        thing, place, depth = waiting.pop()
        steps += 1
        if depth > MOST_DEPTH:
            raise ReadError(f"{name} is made of components that contain themselves")
        if steps > 4 * MOST_PLACES or len(found) >= MOST_PLACES:
            raise ReadError(f"{name} repeats its components more than {MOST_PLACES} times; at most that many are read")
        if thing.IsComponentsObject():
            whole = model.GetComponentsObjectByID(thing.GetUniqueResourceID())
            count = min(whole.GetComponentCount(), 4 * MOST_PLACES + 1)
            for index in reversed(range(count)):
                component = whole.GetComponent(index)
                own = _matrix(component.GetTransform() if component.HasTransform() else None)
                waiting.append((component.GetObjectResource(), _after(own, place), depth + 1))
        elif thing.IsMeshObject():
            number = thing.GetUniqueResourceID()
            if number not in kept:
                kept[number] = _arrays(model.GetMeshObjectByID(number))
            vertices, triangles = kept[number]
            total += len(triangles)
            if total > most:
                raise ReadError(f"{name} has more than the {most} triangles this works with; simplify it first")
            found.append((vertices, triangles, place))
    return found


def _matrix(transform: Any) -> Array:
    """Return a transform as (4, 3), a point being a row (x, y, z, 1) in front of it."""
    if transform is None:
        return np.vstack([np.eye(3), np.zeros(3)])
    return np.array([[transform.Fields[row][column] for column in range(3)] for row in range(4)], dtype=np.float64)


def _after(first: Array, second: Array) -> Array:
    """Return the transform that applies ``first``, then ``second``."""
    return np.vstack([first[:3] @ second[:3], first[3] @ second[:3] + second[3]])


def _moved(vertices: Array, place: Array) -> Array:
    return np.asarray(vertices @ place[:3] + place[3])


def _arrays(item: Any) -> Arrays:
    """Return vertices and triangles of a mesh object, straight from the library's buffer: its lists cost seconds."""
    library = lib3mf_wrapper()
    import lib3mf

    def filled(ask: Any, kind: Any, count: int) -> Any:
        buffer = (kind * count)()
        library.checkError(item, ask(item._handle, ctypes.c_uint64(count), ctypes.c_uint64(0), buffer))
        return buffer

    positions = filled(library.lib.lib3mf_meshobject_getvertices, lib3mf.Position, item.GetVertexCount())
    corners = filled(library.lib.lib3mf_meshobject_gettriangleindices, lib3mf.Triangle, item.GetTriangleCount())
    vertices = np.frombuffer(positions, dtype=np.float32).reshape(-1, 3).astype(np.float64)
    triangles = np.frombuffer(corners, dtype=np.uint32).reshape(-1, 3).astype(np.int64)
    return vertices, triangles
