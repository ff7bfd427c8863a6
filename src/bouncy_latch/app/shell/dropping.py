"""Files that are dropped on the window: a project is opened, meshes are looked at as parts from files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QWidget

PROJECT, MESHES = ".latch", (".stl", ".3mf", ".obj", ".ply")


class Dropping(QObject):
    """Takes what is dropped on a window.

    Args:
        opened: told a project's path. looked_at: told those of meshes. said: told what cannot be taken, a sentence.
    """

    def __init__(self, window: QWidget, opened: Callable[[Path], None], looked_at: Callable[[list[Path]], None],
                 said: Callable[[str], None]) -> None:
        super().__init__(window)
        self._opened, self._looked_at, self._said = opened, looked_at, said
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, _window: QObject, event: QEvent) -> bool:
        if event.type() not in {QEvent.Type.DragEnter, QEvent.Type.Drop} or not isinstance(event, QDropEvent):
            return False
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if not paths:
            return False
        event.acceptProposedAction()
        if event.type() == QEvent.Type.Drop:
            self.take(paths)
        return True

    def take(self, paths: list[Path]) -> None:
        """Open or look at dropped files: one project, or meshes only."""
        endings = [path.suffix.lower() for path in paths]
        if endings == [PROJECT]:
            self._opened(paths[0])
        elif all(ending in MESHES for ending in endings):
            self._looked_at(paths)
        elif PROJECT in endings:
            self._said("Drop one project at a time, and parts from files apart from it.")
        else:
            other = next(path for path, ending in zip(paths, endings, strict=True) if ending not in MESHES)
            self._said(f"{other.name} is neither a project nor a mesh ({', '.join(MESHES)}).")
