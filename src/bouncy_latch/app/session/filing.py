"""The open project and its file: opened, saved, recovered, closed; whatever cannot be done is said."""

from __future__ import annotations

from pathlib import Path

from bouncy_latch.app.session.working import Working
from bouncy_latch.core.errors import SaveError
from bouncy_latch.core.files import ChangedError
from bouncy_latch.core.project import store
from bouncy_latch.core.project.store import Latch


class Filing(Working):
    """A bench that is kept in a file."""

    def open(self, path: Path) -> bool:
        """Open a project file in place of this one; on failure nothing changes."""
        latch = self._done(lambda: store.load(path))
        if latch is not None:
            self._replace(latch, path)
            self.said.emit(f"{path.name} opened")
        return latch is not None

    def adopt(self, latch: Latch, path: Path | None, unsaved: bool = True) -> bool:
        """Show recovered work, or with ``unsaved`` False a fresh project that nobody would miss.

        Whether recovered work is kept again: only then may what it was recovered from go.
        """
        self._replace(latch, path, unsaved)
        return self.keep_unsaved()

    def _replace(self, latch: Latch, path: Path | None, unsaved: bool = False) -> None:
        self._told(lambda: self.keeping.opened(latch, path, unsaved))
        self.bench.put(latch)
        self.view = self._viewed_request = None
        self._show()

    def save(self, path: Path | None = None, over: bool = False) -> bool:
        """Save to ``path`` or where it was opened from; says why when it cannot.

        ``over``: even where the file was changed by somebody else since it was opened.
        """
        target = path or self.path
        if target is None:
            return False
        try:
            self.bench.save(target, over)
        except ChangedError as error:
            self.clashed.emit(error.sentence)
            return False
        except SaveError as error:
            self.said.emit(error.sentence)
            return False
        self._keep.stop()
        self._told(self.bench.share)
        self._told(self.keeping.forget)
        self.said.emit(f"saved {target.name}")
        self.saved_changed.emit()
        return True

    def save_beside(self) -> bool:
        """Save under a name of its own beside the file that somebody else changed, and go on with that."""
        target = self.keeping.beside()
        return target is not None and self.save(target)

    def close(self, keep: bool = True) -> bool:
        """Begin to stop; unsaved work stays in the recovery file when ``keep``, before anything else. Whether it could."""
        if keep and not self.keep_unsaved():
            return False
        self._pause.stop()
        self._keep.stop()
        for lane in (self.look_lane, self.proof_lane, self.file_lane):
            lane.cancel()
        return keep or self._told(self.keeping.forget)
