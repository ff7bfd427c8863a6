"""The one way files are written: to a temporary file beside the target, flushed to disk, then renamed over it."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Mapping
from pathlib import Path

from bouncy_latch.core.errors import SaveError

_REASONS = {13: "you may not write there", 28: "the disk is full", 30: "the disk is read-only", 2: "there is no such folder",
            122: "your disk quota is used up"}


def write(path: Path, data: bytes, *, keep_last: bool = False) -> None:
    """Write ``data`` to ``path`` whole or not at all; with ``keep_last`` the file before it stays as ``NAME.last``.

    Raises:
        SaveError: in one sentence, with the old file untouched.
    """
    write_all({path: data}, keep_last=keep_last)


def write_all(files: Mapping[Path, bytes], *, keep_last: bool = False) -> None:
    """Write several files; none is replaced unless all could be written.

    Raises:
        SaveError: in one sentence, with all old files untouched.
    """
    staged: list[tuple[Path, Path]] = []
    try:
        for path, data in files.items():
            descriptor, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
            staged.append((Path(name), path))
            with os.fdopen(descriptor, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
            os.chmod(name, mode)
        for temporary, path in staged:
            if keep_last and path.exists():
                last = path.with_name(path.name + ".last")
                last.unlink(missing_ok=True)
                os.link(path, last)
            os.replace(temporary, path)
        for folder in {path.parent for path in files}:
            _flush_folder(folder)
    except OSError as error:
        first = next(iter(files))
        reason = _REASONS.get(error.errno or 0, error.strerror or "the system refused")
        raise SaveError(f"could not write {first.name} in {first.parent}: {reason}; nothing was changed",
                        field=str(first)) from error
    finally:
        for temporary, _ in staged:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)


def folder(path: Path) -> None:
    """Make a folder and those above it; raises SaveError in one sentence."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        reason = _REASONS.get(error.errno or 0, (error.strerror or "the system refused").lower())
        raise SaveError(f"the folder {path} cannot be made: {reason}; nothing was written", field=str(path)) from None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _flush_folder(folder: Path) -> None:
    """Make the rename itself survive a power cut, where the system can."""
    with contextlib.suppress(OSError):
        descriptor = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)
