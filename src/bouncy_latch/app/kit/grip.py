"""The edge of a panel: dragged, or moved by the arrow keys, it makes the panel wider or narrower; a click folds it."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QPushButton, QWidget

_BEGINS, _STEP = 4, 12
"""How far the pointer goes before a press is a drag, and how far a key goes, px."""


class Grip(QPushButton):
    """A strip between two panels.

    Signals:
        dragged: how far to the right since the last time, px. let_go: the drag ended.
    """

    dragged, let_go = Signal(int), Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("tone", "handle")
        self.setCursor(Qt.CursorShape.SplitHCursor)
        self._from: QPoint | None = None
        self._moves = False

    def minimumSizeHint(self) -> QSize:
        """As narrow as what holds it likes."""
        return QSize(0, 0)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        self._from, self._moves = event.globalPosition().toPoint(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.globalPosition().toPoint()
        if self._from is None or (not self._moves and abs(at.x() - self._from.x()) < _BEGINS):
            return
        self._moves = True
        self.dragged.emit(at.x() - self._from.x())
        self._from = at

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None
        if self._moves:
            self._moves = False
            self.setDown(False)
            self.let_go.emit()
        else:
            super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -_STEP, Qt.Key.Key_Right: _STEP}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self.dragged.emit(step)
            self.let_go.emit()
