"""A row of widgets that goes on in the next one where it has no room."""

from __future__ import annotations

from PySide6.QtCore import QMargins, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget

SPACING = 6


class Flow(QLayout):
    """Lays widgets side by side in as many rows as they need; its least width is that of the widest one.

    A widget that expands takes what its row has to spare, as far as it may grow.

    Args:
        align: left or right, where the rows stand.
        spacing: between widgets and between rows, px.
    """

    def __init__(self, *widgets: QWidget, align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft, spacing: int = SPACING) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._align, self._tall = align, 0
        self.setSpacing(spacing)
        self.setContentsMargins(QMargins())
        for widget in widgets:
            self.addWidget(widget)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:  # type: ignore[override]
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:  # type: ignore[override]
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        rows = self._rows(width)
        return sum(map(_height, rows)) + self.spacing() * max(0, len(rows) - 1)

    def sizeHint(self) -> QSize:
        """The widgets in one row."""
        seen = self._seen()
        return QSize(self._wide(seen), _height(seen)) if seen else QSize(0, 0)

    def minimumSize(self) -> QSize:
        """The widest widget, and the height of as many rows as there are now."""
        seen = self._seen()
        return QSize(max((item.minimumSize().width() for item in seen), default=0), max(self._tall, self.sizeHint().height()))

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        tall = self.heightForWidth(rect.width())
        if tall != self._tall:
            self._tall = tall
            self.update()  # those around it have asked already how high it is
        top = rect.top()
        for row in self._rows(rect.width()):
            high = _height(row)
            spare = rect.width() - self._wide(row)
            left = rect.left() + (max(spare, 0) if self._align == Qt.AlignmentFlag.AlignRight else 0)
            for item in row:
                hint = item.sizeHint()
                wide = min(hint.width(), rect.width())
                if spare > 0 and item.expandingDirections() & Qt.Orientation.Horizontal:
                    more = min(spare, item.maximumSize().width() - wide)
                    wide, spare = wide + more, spare - more
                low = min(high, hint.height())
                item.setGeometry(QRect(left, top + (high - low) // 2, wide, low))
                left += wide + self.spacing()
            top += high + self.spacing()

    def _seen(self) -> list[QLayoutItem]:
        return [item for item in self._items if not item.isEmpty()]

    def _wide(self, row: list[QLayoutItem]) -> int:
        return sum(item.sizeHint().width() for item in row) + self.spacing() * max(0, len(row) - 1)

    def _rows(self, width: int) -> list[list[QLayoutItem]]:
        rows: list[list[QLayoutItem]] = []
        taken = 0
        for item in self._seen():
            wide = item.sizeHint().width()
            if rows and taken + self.spacing() + wide <= width:
                rows[-1].append(item)
                taken += self.spacing() + wide
            else:
                rows.append([item])
                taken = wide
        return rows


def _height(row: list[QLayoutItem]) -> int:
    return max(item.sizeHint().height() for item in row)
