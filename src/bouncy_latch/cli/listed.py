"""The answer of ``kinds``, kept beside the bytecode: what there is changes only with the source, and loading it all to say so
takes most of the time. Loads nothing but the standard library."""

from __future__ import annotations

import contextlib
import os
import sys
from hashlib import blake2b
from pathlib import Path

_PACKAGE = Path(__file__).parents[1]
_CORE, _FILE = _PACKAGE / "core", _PACKAGE / "__pycache__" / "kinds.json"


def kept(core: Path = _CORE, file: Path = _FILE) -> str | None:
    """Return the answer that was kept for the source as it stands; None where there is none, or it is damaged."""
    try:
        mark, text = file.read_text(encoding="utf-8").split("\n", 1)
    except (OSError, ValueError):
        return None
    return text if mark == _mark(core, text) else None


def keep(text: str, core: Path = _CORE, file: Path = _FILE) -> None:
    """Keep an answer for the next time; where nothing may be written it is worked out anew then."""
    beside = file.with_name(f"{file.name}.{os.getpid()}")
    with contextlib.suppress(OSError):
        file.parent.mkdir(exist_ok=True)
        beside.write_text(f"{_mark(core, text)}\n{text}", encoding="utf-8")
        beside.replace(file)


def _mark(core: Path, text: str) -> str:
    """Return what tells one state of the source (names, sizes and times of its files) and one answer from another."""
    seen = blake2b(f"{sys.version}\n{text}".encode(), digest_size=16)
    for folder, inner, names in os.walk(core):
        inner[:] = sorted(name for name in inner if name != "__pycache__")
        for name in sorted(names):
            about = os.stat(os.path.join(folder, name))
            seen.update(f"{folder}/{name} {about.st_size} {about.st_mtime_ns}\n".encode())
    return seen.hexdigest()
