"""Mesh files out (STL, 3MF), in millimetres; :mod:`foreign` reads them."""

from __future__ import annotations

import ctypes
from collections.abc import Mapping, Sequence
from functools import cache
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.solids import mesh

FILE_TOLERANCE = 1e-4
"""Edges shorter than this are closed up before writing, so that single precision cannot open a seam, mm."""


def as_written(manifold: Any) -> tuple[npt.NDArray[np.float32], mesh.Triangles]:
    """Return vertices (n, 3) in single precision and triangles (m, 3) of a body as files hold it.

    Corners that single precision makes equal are one, and triangles that it makes lines are gone, so that every edge belongs
    to two triangles in the file too.
    """
    vertices, triangles = mesh.arrays(manifold.simplify(FILE_TOLERANCE))
    unique, same = np.unique(vertices.astype(np.float32), axis=0, return_inverse=True)
    faces = same.ravel()[triangles]
    real = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    return unique, faces[real]


def to_stl(manifold: Any, name: str) -> bytes:
    """Return a body as binary STL with its name in the header."""
    vertices, triangles = as_written(manifold)
    corners = vertices[triangles].astype("<f4")
    record = np.zeros(len(triangles), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normal, axis=1, keepdims=True)
    record["normal"] = normal / np.where(length > 0, length, 1)
    record["corners"] = corners
    header = f"Bouncy Latch {name}, millimetres".encode("ascii", "replace")[:80].ljust(80)
    return header + np.uint32(len(triangles)).tobytes() + record.tobytes()


@cache
def lib3mf_wrapper() -> Any:
    """Return the 3MF library, loaded when it is first needed."""
    import lib3mf

    return lib3mf.get_wrapper()


def to_3mf(bodies: Mapping[str, Any], title: str, notes: Sequence[tuple[str, str]] = (),
           regions: Mapping[str, Any] = {}) -> bytes:
    """Return all bodies as one 3MF in millimetres, one named object and build item a body.

    ``notes``: what the print needs, by name; they travel as the file's description. ``regions``: bodies that are not printed
    but say where a setting holds; objects of the type "other" that are not built.
    """
    import lib3mf

    wrapper = lib3mf_wrapper()
    model = wrapper.CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    about = model.GetMetaDataGroup()
    about.AddMetaData("", "Title", title, "xs:string", True)
    if notes:
        about.AddMetaData("", "Description", "; ".join(f"{name}: {value}" for name, value in notes), "xs:string", True)
    for name, manifold in [*bodies.items(), *regions.items()]:
        vertices, triangles = as_written(manifold)
        item = model.AddMeshObject()
        item.SetName(name)
        positions = (lib3mf.Position * len(vertices))()
        np.ctypeslib.as_array(ctypes.cast(positions, ctypes.POINTER(ctypes.c_float)),
                              (len(vertices), 3))[:] = vertices
        indices = (lib3mf.Triangle * len(triangles))()
        np.ctypeslib.as_array(ctypes.cast(indices, ctypes.POINTER(ctypes.c_uint32)),
                              (len(triangles), 3))[:] = triangles
        item.SetGeometry(positions, indices)
        if name in regions:
            item.SetType(lib3mf.ObjectType.Other)
        else:
            model.AddBuildItem(item, wrapper.GetIdentityTransform())
    writer = model.QueryWriter("3mf")
    return bytes(writer.WriteToBuffer())


def names_in_3mf(data: bytes) -> list[tuple[str, int]]:
    """Return (name, triangles) of every object of a 3MF."""
    model = lib3mf_wrapper().CreateModel()
    model.QueryReader("3mf").ReadFromBuffer(data)
    found = []
    items = model.GetMeshObjects()
    while items.MoveNext():
        item = items.GetCurrentMeshObject()
        found.append((str(item.GetName()), int(item.GetTriangleCount())))
    return found
