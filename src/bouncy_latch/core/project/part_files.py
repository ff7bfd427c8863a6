"""Parts from files: what a mesh or STEP file holds becomes parts of a project, one a body."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.formats import foreign, stepfile
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.project import document
from bouncy_latch.core.project.document import Mechanism
from bouncy_latch.core.solids import contents, mesh, tree

SUFFIXES = (*foreign.SUFFIXES, *stepfile.SUFFIXES)
LONGEST = 100
"""Of a name that a file gives, characters."""
OF_FILE = "file"
"""The shape of a part that was read from a file."""


@frozen
class Read:
    """Bodies of a file by name, each kept by its content, and what was mended, a sentence each."""

    bodies: dict[str, str]
    notes: tuple[str, ...]


def read(path: Path, unit: str = "mm", progress: Progress = unwatched) -> Read:
    """Read a file's bodies and keep them by their content.

    Raises:
        ReadError: one sentence for what is no sound mesh or STEP file. ParamError: for a unit a STEP file has not.
        Cancelled: when ``progress`` returned False.
    """
    if path.suffix.lower() in stepfile.SUFFIXES:
        if unit != "mm":
            raise ParamError(f"{path.name} says its unit itself; leave --unit away", field="unit", value=unit)
        exact = stepfile.read(path, progress)
        return Read({each.given.label: contents.keep(each.given, each.step) for each in exact}, ())
    found = foreign.read(path, unit, progress)
    return Read({name: contents.keep(tree.given_mesh(*mesh.arrays(body), name)) for name, body in found.bodies.items()},
                found.notes)


def made(found: Read, name: str, names: Collection[str], ids: Collection[str]) -> tuple[Mechanism, ...]:
    """Return parts for the bodies of a file; ``name``: what the only one is called, or the first word of all of them.

    ``names``, ``ids``: those that are taken.
    """
    kind_id = registry.part_ids()[0]
    taken_names, taken_ids, parts = set(names), set(ids), []
    for number, (label, file) in enumerate(found.bodies.items()):
        wanted = (name if len(found.bodies) == 1 else f"{name} {number + 1}") if name else label
        free = document.free_name(wanted[:LONGEST].strip() or "Part", taken_names)
        part = document.new_mechanism(kind_id, free, taken_ids, shape=OF_FILE, file=file)
        taken_names.add(part.name)
        taken_ids.add(part.id)
        parts.append(part)
    return tuple(parts)
