"""Autosave and recovery: what is not saved yet lies in the user's data folder after every pause in editing.

A recovery file is named by the file it belongs to and by its owner (:mod:`owner`); it is one file, so that no kill can part
a project from where it belongs.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import re
from dataclasses import replace
from pathlib import Path

from bouncy_latch.core import files, process_token
from bouncy_latch.core.errors import SaveError, UserError, reason_of
from bouncy_latch.core.files import Stamp
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.project import store
from bouncy_latch.core.project.store import Latch

_KEPT = re.compile(rf"^[0-9a-f]{{12}}-(?P<owner>{process_token.TOKEN})\.latch$")


@frozen
class Recovery:
    """Unsaved work found at start: the project, the file it belongs to (None if never saved) and where it lies."""

    latch: Latch
    path: Path | None
    kept: Path


class Autosave:
    """Keeps one recovery file per open project in ``folder``."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._kept: Path | None = None

    def keep(self, latch: Latch, path: Path | None) -> None:
        """Write the recovery file; the one before it goes only then. Raises SaveError."""
        files.folder(self._folder)
        identity = hashlib.sha256(str(path).encode("utf-8", "surrogateescape")).hexdigest()[:12]
        kept = self._folder / f"{identity}-{process_token.token()}.latch"
        seen = latch.stamp.digest if latch.stamp else None
        files.write(kept, store.to_bytes(latch, store.signature(path=str(path) if path else None, seen=seen)))
        if self._kept and self._kept != kept:
            self._remove(self._kept)
        self._kept = kept

    def clear(self) -> None:
        """Forget the recovery file: everything is saved."""
        if self._kept:
            self._remove(self._kept)
            self._kept = None

    def find(self) -> list[Recovery]:
        """Return unsaved work left by sessions that no longer run, newest first; what killed them left half is removed."""
        files.clean(self._folder)
        found = []
        for kept in self._left():
            about = self._about(kept)
            with contextlib.suppress(UserError):
                path = Path(str(about["path"])) if about.get("path") else None
                # What the file was when this work was kept; nothing known of it means that saving over it must ask.
                seen = Stamp(0, 0, 0, str(about.get("seen") or "")) if path else None
                found.append(Recovery(replace(store.load(kept), stamp=seen), path, kept))
        for recovery in found:
            if recovery.path is not None:
                files.clean(recovery.path.parent)
        return found

    def _left(self) -> list[Path]:
        left = []
        with contextlib.suppress(OSError):
            for kept in self._folder.glob("*.latch"):
                named = _KEPT.match(kept.name)
                token = named.group("owner") if named else ""
                if kept != self._kept and (process_token.is_mine(token) or not process_token.runs(token)):
                    with contextlib.suppress(OSError):
                        left.append((kept.stat().st_mtime, kept))
        return [kept for _, kept in sorted(left, reverse=True)]

    @staticmethod
    def _about(kept: Path) -> dict[str, object]:
        """Return what is known of a recovery file; sessions of old kept it in a file of its own."""
        about = store.signed(kept)
        if "path" not in about:
            with contextlib.suppress(OSError, ValueError):
                beside = json.loads(kept.with_suffix(".json").read_text(encoding="utf-8"))
                about = beside if isinstance(beside, dict) else about
        return about

    def discard(self, recovery: Recovery) -> None:
        """Delete one recovery file; raises SaveError where that is not allowed."""
        self._remove(recovery.kept)

    @staticmethod
    def _remove(kept: Path) -> None:
        try:
            for path in (kept, kept.with_suffix(".json")):
                path.unlink(missing_ok=True)
        except OSError as error:
            raise SaveError(f"{kept.name} in {kept.parent} cannot be removed: {reason_of(error)}", field=str(kept)) from None
