"""Where the user's printers are kept: one JSON file in the data folder, replaced whole."""

from __future__ import annotations

import json
from pathlib import Path

from bouncy_latch.core import files, plainjson
from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.process import printers
from bouncy_latch.core.process.printers import Printers

NAME = "printers.json"
MOST_BYTES = 5 * 2**20


def read(path: Path) -> Printers:
    """Return the printers of a file; raises ReadError."""
    try:
        raw = plainjson.loads(files.read(path, MOST_BYTES), path.name)
    except (TypeError, ValueError, ArithmeticError):
        raise ReadError(f"{path.name} is damaged or holds no printers", field="printers", value=str(path)) from None
    return printers.from_json(raw, path.name)


def write(path: Path, kept: Printers) -> None:
    """Write printers to a file; raises SaveError."""
    files.write(path, (json.dumps(printers.to_json(kept), indent=1, ensure_ascii=False) + "\n").encode())


def known(folder: Path) -> Printers:
    """Return the user's printers, none where none were kept; raises ReadError."""
    path = folder / NAME
    return read(path) if path.exists() else Printers()


def keep(folder: Path, kept: Printers) -> None:
    """Keep the user's printers; raises SaveError."""
    files.folder(folder)
    write(folder / NAME, kept)
