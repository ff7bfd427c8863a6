"""A stack of pages that needs only the room of the one it shows."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QStackedLayout


class Pages(QStackedLayout):
    """Shows one page at a time; what the others would need does not count."""

    def minimumSize(self) -> QSize:
        page = self.currentWidget()
        return page.minimumSizeHint().expandedTo(page.minimumSize()) if page else super().minimumSize()

    def sizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.sizeHint() if page else super().sizeHint()
