"""A stack of pages that needs only the room of the one it shows."""

from __future__ import annotations

from PySide6.QtCore import QRect, QSize
from PySide6.QtWidgets import QStackedLayout, QWidget


class Pages(QStackedLayout):
    """Shows one page at a time; what the others would need does not count."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(*(() if parent is None else (parent,)))
        self._told = QSize()

    def hasHeightForWidth(self) -> bool:
        """The least height of the page counts, not the one it would like: it has what grows with the window."""
        return False

    def minimumSize(self) -> QSize:
        """What the page needs, as high as its words and rows of buttons are at the present width."""
        page = self.currentWidget()
        if page is None:
            return super().minimumSize()
        needed = page.minimumSizeHint().expandedTo(page.minimumSize())
        inside, width = page.layout(), page.width()
        if inside is not None and inside.hasHeightForWidth() and width:
            needed.setHeight(max(needed.height(), inside.minimumHeightForWidth(max(width, needed.width()))))
        self._told = needed
        return needed

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        told = self._told
        if self.minimumSize() != told:
            self.update()  # those around it have asked before it had this width

    def sizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.sizeHint() if page else super().sizeHint()
