"""Where a project is kept: its file, what that was when it was last seen, and the recovery file of what is not saved."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from bouncy_latch.core.files import Stamp
from bouncy_latch.core.project import store
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.document import Project
from bouncy_latch.core.project.store import Latch


class Keeping:
    """The file of one open project.

    Attributes:
        path: where it was opened from or saved to; None when it never was.
        saved: the document as it is on the disk, or as nobody would miss it; None for recovered work.
    """

    def __init__(self, autosave: Autosave, latch: Latch, path: Path | None) -> None:
        self._autosave = autosave
        self.path = path
        self.saved: Project | None = latch.project
        self._stamp: Stamp | None = latch.stamp

    def opened(self, latch: Latch, path: Path | None, unsaved: bool = False) -> None:
        """Another project took the place of this one; raises SaveError where its recovery file cannot be removed."""
        self.path, self.saved, self._stamp = path, None if unsaved else latch.project, latch.stamp
        self._autosave.clear()

    def differs(self, project: Project) -> bool:
        """Whether a document is not what is saved."""
        return self.saved is not project and self.saved != project

    def save(self, latch: Latch, target: Path, over: bool = False) -> None:
        """Write to ``target`` and go on with that; ``over``: even where somebody else changed it since it was opened.

        Raises:
            ChangedError, SaveError: in one sentence; then everything is as it was.
        """
        seen = self._stamp if target == self.path and not over else None
        made = store.save(target, latch, seen)
        self.path, self.saved, self._stamp = target, latch.project, made

    def beside(self) -> Path | None:
        """Return a free name beside the file; None when there is no file."""
        if self.path is None:
            return None
        number = 2
        while (target := self.path.with_name(f"{self.path.stem}-{number}{store.SUFFIX}")).exists():
            number += 1
        return target

    def keep(self, project: Project, files: Mapping[str, bytes]) -> None:
        """Put what is unsaved into the recovery file; raises SaveError."""
        if self.differs(project):
            self._autosave.keep(replace(Latch(project, files), stamp=self._stamp), self.path)

    def forget(self) -> None:
        """Remove the recovery file: everything is saved, or nobody will miss it. Raises SaveError."""
        self._autosave.clear()
