"""Exact bodies from STEP files: taken apart in the reader process first, and read here only where that went well."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from bouncy_latch.core import files
from bouncy_latch.core.errors import ReadError, SolveError
from bouncy_latch.core.formats import reader_process
from bouncy_latch.core.formats.foreign import LEAST_SIZE, MOST_SIZE, MOST_TRIANGLES
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import tree

SUFFIXES = (".step", ".stp")
MOST_BYTES = 60 * 2**20
MOST_BODIES = 60
FINE = 0.02
"""How far facets may lie off the true surface, mm."""


@frozen
class Exact:
    """One solid of a STEP file: its triangles, and the solid itself as a STEP file of its own."""

    given: tree.Given
    step: bytes


def read(path: Path, progress: Progress = unwatched) -> tuple[Exact, ...]:
    """Return the solids of a STEP file, where its assemblies put them, in mm.

    Raises:
        ReadError: one sentence for what is no regular file, huge, damaged, holds surfaces only, or takes more time or memory
            than any sound file. Cancelled: when ``progress`` returned False.
    """
    files.open_regular(path, MOST_BYTES, "simplify it first").close()
    arrays = reader_process.run(taken_apart, path, name=path.name, progress=progress, large=True)
    # What the reader stood within its limits on time and memory is read once more, as its solids are wanted themselves.
    from bouncy_latch.core.formats.step import shapes_to_step

    found = []
    for number, (shape, (points, triangles)) in enumerate(zip(_solids(path), arrays, strict=True)):
        label = path.stem if len(arrays) == 1 else f"{path.stem}-{number + 1}"
        found.append(Exact(tree.given_mesh(points, triangles, label), shapes_to_step({label: shape}, label)))
    return tuple(found)


def taken_apart(path: Path) -> list[tuple[Any, Any]]:
    """Return vertices (n, 3), mm, and triangles (m, 3) of every solid of a STEP file; runs in the reader process.

    Raises:
        ReadError: for a file that holds no solid, or an open one.
    """
    import manifold3d
    import numpy as np

    from bouncy_latch.core.solids import brep

    found = []
    for shape in _solids(path):
        points, triangles = brep.triangles(shape, FINE)
        made = manifold3d.Manifold(manifold3d.Mesh64(points, triangles.astype(np.uint64)))
        if made.status() != manifold3d.Error.NoError or made.is_empty():
            raise ReadError(f"{path.name} holds a solid that is not closed; mend it in the program that drew it",
                            field=str(path))
        size = float(np.ptp(points, axis=0).max())
        if not LEAST_SIZE <= size <= MOST_SIZE:
            raise ReadError(f"{path.name} holds a solid {size:.3g} mm across; parts from {LEAST_SIZE:g} to {MOST_SIZE:g} mm "
                            "are worked with", field=str(path))
        if len(triangles) > MOST_TRIANGLES:
            raise ReadError(f"{path.name} holds a solid of {len(triangles)} facets, more than the {MOST_TRIANGLES} this works "
                            "with; simplify it first", field=str(path))
        found.append((np.ascontiguousarray(points), np.ascontiguousarray(triangles).astype(np.uint64)))
    return found


def _solids(path: Path) -> list[Any]:
    from OCP.TopAbs import TopAbs_ShapeEnum
    from OCP.TopExp import TopExp_Explorer

    from bouncy_latch.core.solids import brep

    name = path.name
    with path.open("rb") as opened:
        begins = opened.read(2000)
    if b"ISO-10303-21" not in begins:
        raise ReadError(f"{name} is damaged or no STEP file", field=name)
    try:
        whole = brep.read_step_file(str(path), name)
    except SolveError as error:
        raise ReadError(error.sentence, field=name) from None
    solids, walk = [], TopExp_Explorer(whole, TopAbs_ShapeEnum.TopAbs_SOLID)
    while walk.More():
        solids.append(walk.Current())
        walk.Next()
    if not solids:
        raise ReadError(f"{name} holds surfaces but no solid: sew them to a solid in the program that drew them", field=name)
    if len(solids) > MOST_BODIES:
        raise ReadError(f"{name} holds {len(solids)} solids; at most {MOST_BODIES} are worked with at once", field=name)
    return solids
