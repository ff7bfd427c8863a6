"""Columns side by side that stand under each other where they have no room."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QLayout, QSizePolicy, QVBoxLayout, QWidget


class Columns(QWidget):
    """Holds columns; ``even`` ones share the width, others are as wide as they need. ``spacing`` between them, px."""

    def __init__(self, *columns: QLayout, spacing: int = 14, even: bool = False) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(spacing)
        for column in columns:
            holder = QVBoxLayout()
            holder.addLayout(column)
            holder.addStretch()
            self._row.addLayout(holder, int(even))
        self._count = len(columns)
        if not even:
            self._row.addStretch()

    def _widths(self) -> list[int]:
        return [self._row.itemAt(at).minimumSize().width() for at in range(self._count)]

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        wide = sum(self._widths()) + self._row.spacing() * self._count <= event.size().width()
        direction = QBoxLayout.Direction.LeftToRight if wide else QBoxLayout.Direction.TopToBottom
        if direction != self._row.direction():
            self._row.setDirection(direction)
            self.updateGeometry()

    def minimumSizeHint(self) -> QSize:
        """What the widest column needs."""
        return QSize(max(self._widths(), default=0), self._row.minimumSize().height())
