"""The head of a page: what is shown in words, what can be done in buttons; where it is narrow each takes a row."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QWidget

from bouncy_latch.app.kit.flow import Flow

MARGINS = (14, 8, 10, 4)


class Head(QWidget):
    """Words and buttons over a page; the last of the words takes what room is left."""

    def __init__(self, words: Sequence[QWidget], tools: Sequence[QWidget], needed: int) -> None:
        """``needed``: width the words need beside the buttons, px."""
        super().__init__()
        self._needed = needed
        self._rows = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._rows.setContentsMargins(*MARGINS)
        self._rows.setSpacing(4)
        titles, self._tools = QHBoxLayout(), Flow(*tools, align=Qt.AlignmentFlag.AlignRight, spacing=4)
        for number, widget in enumerate(words):
            titles.addWidget(widget, int(number == len(words) - 1))
        titles.setSpacing(10)
        self._rows.addLayout(titles, 1)
        self._rows.addLayout(self._tools)

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.LayoutRequest:  # a button came or went
            self._share()
        return super().event(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share()

    def minimumSizeHint(self) -> QSize:
        """The widest button's width: the words give way, or go above them, and the buttons take several rows."""
        return QSize(self._tools.minimumSize().width() + MARGINS[0] + MARGINS[2], self._rows.minimumSize().height())

    def _share(self) -> None:
        narrow = self._tools.sizeHint().width() + self._needed > self.width()
        direction = QBoxLayout.Direction.TopToBottom if narrow else QBoxLayout.Direction.LeftToRight
        if direction != self._rows.direction():
            self._rows.setDirection(direction)
            self.updateGeometry()
