"""What files of the user's hold, kept by its content: a part's sizes only name it, so that a document stays small.

A name is ``parts/`` and a hash of the content; the same content is kept once, whatever file it came from. A body that came as
an exact (STEP) one is kept twice: as triangles, which everything is worked out on, and as the file that exact exports use.
"""

from __future__ import annotations

import hashlib
import threading

import numpy as np

from bouncy_latch.core.errors import ParamError, ReadError
from bouncy_latch.core.solids import tree

FOLDER = "parts"
MESH, STEP = "mesh", "step"
_HASH = 32
_kept: dict[str, tree.Given] = {}
_lock = threading.Lock()


def name_of(given: tree.Given) -> str:
    """Return the name a body is kept under: ``parts/HASH.mesh``."""
    return f"{FOLDER}/{hashlib.sha256(given.data).hexdigest()[:_HASH]}.{MESH}"


def keep(given: tree.Given, exact: bytes = b"") -> str:
    """Keep a body of triangles, and the STEP file it came from if there is one; return its name."""
    name = name_of(given)
    with _lock:
        _kept.setdefault(name, given)
        if exact:
            _kept.setdefault(_exact(name), tree.Given(STEP, exact, given.label))
    return name


def body(name: str) -> tree.Given:
    """Return a kept body; raises ParamError where nothing of that name is kept."""
    found = _kept.get(name)
    if found is None:
        raise ParamError("the file of this part is not in the project: replace it by the file it was made from", field="file",
                         value=name)
    return found


def exact_of(given: tree.Given) -> tree.Given | None:
    """Return the STEP body that triangles were made of; None where they came as triangles."""
    return _kept.get(_exact(name_of(given)))


def files_of(name: str) -> dict[str, bytes]:
    """Return what travels in a project for a kept body, by file name."""
    return {each: _kept[each].data for each in (name, _exact(name)) if each in _kept}


def take(name: str, data: bytes) -> None:
    """Keep what a project file holds under a name.

    Raises:
        ReadError: for data that is not what its name says, or describes no triangles.
    """
    stem, _, form = name.removeprefix(f"{FOLDER}/").partition(".")
    if form == STEP:
        with _lock:
            _kept.setdefault(name, tree.Given(STEP, data, stem[:8]))
        return
    if form != MESH or hashlib.sha256(data).hexdigest()[:_HASH] != stem or not _sound(data):
        raise ReadError(f"it holds a damaged part: {name[:60]}")
    with _lock:
        _kept.setdefault(name, tree.Given(MESH, data, stem[:8]))


def _sound(data: bytes) -> bool:
    count = int.from_bytes(data[:8], "little")
    rest = len(data) - 8 - 24 * count
    if not 0 < count <= 2_000_000 or rest <= 0 or rest % 12:
        return False
    points, faces = tree.triangles_of(data)
    return bool(np.isfinite(points).all() and np.abs(points).max() < 1e5 and faces.max() < count)


def _exact(name: str) -> str:
    return name.removesuffix(MESH) + STEP
