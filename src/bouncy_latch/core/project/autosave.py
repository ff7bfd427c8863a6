"""Autosave and recovery: what is not saved yet lies in the user's data folder after every pause in editing."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
from dataclasses import dataclass
from pathlib import Path

from bouncy_latch.core import files
from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.project import store
from bouncy_latch.core.project.store import Latch


@dataclass(frozen=True)
class Recovery:
    """Unsaved work found at start: the project, the file it belongs to (None if never saved) and where it lies."""

    latch: Latch
    path: Path | None
    kept: Path


class Autosave:
    """Keeps one recovery file per open project in ``folder``; its name carries the process id of its owner."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._kept: Path | None = None

    def keep(self, latch: Latch, path: Path | None) -> None:
        """Write the recovery file; raises SaveError."""
        self._folder.mkdir(parents=True, exist_ok=True)
        identity = hashlib.sha256(str(path).encode()).hexdigest()[:12]
        kept = self._folder / f"{identity}-{os.getpid()}.latch"
        files.write_all({kept: store.to_bytes(latch),
                         kept.with_suffix(".json"): json.dumps({"path": str(path) if path else None}).encode()})
        if self._kept and self._kept != kept:
            self._remove(self._kept)
        self._kept = kept

    def clear(self) -> None:
        """Forget the recovery file: everything is saved."""
        if self._kept:
            self._remove(self._kept)
            self._kept = None

    def find(self) -> list[Recovery]:
        """Return unsaved work left by sessions that are no longer running, newest first; damaged ones are skipped."""
        found = []
        for kept in sorted(self._folder.glob("*.latch"), key=lambda p: p.stat().st_mtime, reverse=True):
            owner = kept.stem.rsplit("-", 1)[-1]
            if owner.isdigit() and int(owner) != os.getpid() and _runs(int(owner)):
                continue
            with contextlib.suppress(ReadError, OSError, ValueError, KeyError):
                about = json.loads(kept.with_suffix(".json").read_text())
                found.append(Recovery(store.load(kept), Path(about["path"]) if about["path"] else None, kept))
        return found

    def discard(self, recovery: Recovery) -> None:
        """Delete one recovery file."""
        self._remove(recovery.kept)

    @staticmethod
    def _remove(kept: Path) -> None:
        for path in (kept, kept.with_suffix(".json")):
            path.unlink(missing_ok=True)


def _runs(process_id: int) -> bool:
    try:
        os.kill(process_id, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
