"""An area that scrolls rows and never shows half of one: it stops at rows, and ends where a row ends."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, Signal
from PySide6.QtWidgets import QFrame, QLayout, QScrollArea, QVBoxLayout, QWidget

SPARE = 40
"""Room after the last row, so that any row can be the first one shown, px."""


class RowArea(QScrollArea):
    """Scrolls ``content`` by rows.

    ``rows``: the widgets that must not be cut, in order; hidden ones do not count.

    Signals:
        fitted: rows came, went or changed their heights.
    """

    fitted = Signal()

    def __init__(self, content: QLayout, rows: Callable[[], Iterable[QWidget]]) -> None:
        super().__init__(widgetResizable=True)
        self._rows = rows
        self._fitting = False
        inside = QWidget()
        holder = QVBoxLayout(inside)
        holder.setContentsMargins(0, 0, 6, 0)
        holder.setSpacing(0)
        holder.addLayout(content)
        holder.addSpacing(SPARE)
        holder.addStretch()
        self.setWidget(inside)
        inside.installEventFilter(self)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.verticalScrollBar().valueChanged.connect(lambda _: self.fit())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize):
            self.fit()
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self.fit()

    def spans(self) -> list[tuple[int, int]]:
        """Return top and bottom of every row that is there, px in the content."""
        inside, found = self.widget(), []
        for row in self._rows():
            if inside is not None and row.isVisibleTo(inside):
                top = row.mapTo(inside, QPoint(0, 0)).y()
                found.append((top, top + row.height()))
        return found

    def fit(self) -> None:
        """Begin at the top of a row and end at the bottom of one."""
        if self._fitting:
            return
        self._fitting = True
        spans, bar, high = self.spans(), self.verticalScrollBar(), self.height()
        if not spans or spans[-1][1] <= high:
            self.setViewportMargins(0, 0, 0, 0)
            bar.setValue(0)
            self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        else:
            self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
            last = next((top for top, _ in spans if spans[-1][1] - top <= high), spans[-1][0])
            top = min(min((each for each, _ in spans), key=lambda each: abs(each - bar.value())), last)
            bottom = max((end for _, end in spans if end - top <= high), default=top + high)
            self.setViewportMargins(0, 0, 0, max(0, high - (bottom - top)))
            bar.setSingleStep(max(8, spans[-1][1] - spans[-1][0]))
            bar.setValue(top)
        self._fitting = False
        self.fitted.emit()
