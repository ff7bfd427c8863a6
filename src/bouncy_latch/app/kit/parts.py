"""Small widgets used all over the window."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, QSize, Qt, Signal
from PySide6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QFrame, QLayout, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from bouncy_latch.app.kit.copying import Push, Words
from bouncy_latch.app.kit.theme import text_font

GROWS_MS = 60
"""How long after the start what is not seen yet is made, ms."""
_AROUND_WORDS = 26
"""What padding and border of a button take beside its words, pixels."""


def label(text: str, tone: str = "", size: float = 9.5) -> Words:
    """Return a label in a tone of the style sheet."""
    made = Words(text)
    made.setFont(text_font(size))
    if tone:
        made.setProperty("tone", tone)
    return made


def set_tone(widget: QWidget, name: str) -> None:
    """Change the tone of a widget."""
    if widget.property("tone") != name:
        widget.setProperty("tone", name)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


def counted(count: int, one: str, many: str = "") -> str:
    """Return a number with its noun: "1 check", "3 checks"."""
    return f"{count} {one if count == 1 else many or one + 's'}"


def button(text: str, slot: Callable[[], object], tone: str = "", tip: str = "") -> QPushButton:
    """Return a button that calls ``slot``."""
    made = Push(text)
    made.setFont(text_font(9.5))
    if tone:
        made.setProperty("tone", tone)
    if tip:
        made.setToolTip(tip)
    made.clicked.connect(lambda _checked=False: slot())
    return made


class Pickable(QFrame):
    """A card that is picked by a click, or by Enter or Space.

    Signals:
        picked: it was.
    """

    picked = Signal()

    def __init__(self, name: str, style: str = "") -> None:
        super().__init__(objectName=style)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(name)

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self.picked.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space}:
            self.picked.emit()
        else:
            super().keyPressEvent(event)


def fitting(texts: Sequence[str], metrics: QFontMetrics, width: float) -> str:
    """Return the first of some texts that ``width`` px have room for, or as much of the last as they have."""
    found = next((text for text in texts if metrics.horizontalAdvance(text) <= width), None)
    return metrics.elidedText(texts[-1], Qt.TextElideMode.ElideRight, int(width)) if found is None else found


def clauses(text: str) -> tuple[str, ...]:
    """Return a text, and what is left of it as clause after clause goes from its end: nothing is cut in the middle."""
    ends = [found.start() for found in re.finditer(r"[,;:.] | · ", text)]
    return (text, *(text[:end] for end in reversed(ends)))


class ElidedButton(Push):
    """A button that says less where it has no room, at last less of its words; the whole text is its accessible name."""

    def __init__(self, slot: Callable[[], object], tip: str) -> None:
        super().__init__()
        self.setFont(text_font(9.5))
        self.setToolTip(tip)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self.clicked.connect(lambda _checked=False: slot())
        self._whole = ""
        self._shorter: tuple[str, ...] = ("",)

    def show_text(self, text: str, *shorter: str) -> None:
        """Show a text, or the first of ``shorter`` ones that there is room for, or as much of the last as there is."""
        self._whole, self._shorter = text, (text, *shorter)
        self.setAccessibleName(text)
        self._fit()
        self.updateGeometry()

    def whole(self) -> str:
        """Return the text without the ellipsis."""
        return self._whole

    said = whole

    def _fit(self) -> None:
        self.setText(fitting(self._shorter, QFontMetrics(self.font()), max(0, self.width() - _AROUND_WORDS)))

    def sizeHint(self) -> QSize:
        return QSize(QFontMetrics(self.font()).horizontalAdvance(self._whole) + _AROUND_WORDS + 2, super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        return QSize(80, super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()


class Elided(Words):
    """A one-line label that leaves clauses out where it has no room, at last words; the whole text is its tooltip."""

    def __init__(self, text: str = "", tone: str = "", size: float = 9.5) -> None:
        super().__init__()
        self.setFont(text_font(size))
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        if tone:
            self.setProperty("tone", tone)
        self._whole = ""
        self.show_text(text)

    def show_text(self, text: str) -> None:
        if text == self._whole:
            return
        self._whole = text
        self.setToolTip(text)
        self.setAccessibleName(text)
        self._fit()

    def whole(self) -> str:
        """Return the text without the ellipsis."""
        return self._whole

    said = whole

    def _fit(self) -> None:
        self.setText(fitting(clauses(self._whole), QFontMetrics(self.font()), max(0, self.width() - 2)))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def minimumSizeHint(self) -> QSize:
        return QSize(20, super().minimumSizeHint().height())


class Later(QWidget):
    """A page that is made when it is first looked at: what nobody sees would cost every start."""

    def __init__(self, make: Callable[[], QWidget]) -> None:
        super().__init__()
        self._make: Callable[[], QWidget] | None = make
        self._holder = QVBoxLayout(self)
        self._holder.setContentsMargins(0, 0, 0, 0)

    def make(self) -> QWidget:
        """Return it, made now unless it is there."""
        if self._make is not None:
            make, self._make = self._make, None
            self._made = make()
            self._holder.addWidget(self._made)
            self._made.show()  # a layout would show it only when the event loop comes round
        return self._made

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.make()


class _Scrolled(QScrollArea):
    """Scrolls up and down, and needs the width of what it holds."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() is QEvent.Type.LayoutRequest:  # what it holds needs another width
            self.updateGeometry()
        return super().eventFilter(watched, event)

    def minimumSizeHint(self) -> QSize:
        inside = self.widget()
        wide = inside.minimumSizeHint().width() + self.verticalScrollBar().sizeHint().width() if inside else 0
        return QSize(max(wide, 40), super().minimumSizeHint().height())


def scrolled(content: QLayout, margins: tuple[int, int, int, int] = (0, 0, 6, 0), spacing: int = 6) -> QScrollArea:
    """Return an area that scrolls ``content`` up and down only; spare room stays at the bottom."""
    inside = QWidget()
    holder = QVBoxLayout(inside)
    holder.setContentsMargins(*margins)
    holder.setSpacing(spacing)
    holder.addLayout(content)
    holder.addStretch()
    area = _Scrolled(widgetResizable=True)
    area.setWidget(inside)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area


def around(inside: QWidget) -> QScrollArea:
    """Return an area that gives ``inside`` all its room, and scrolls where that is less than it needs."""
    area = QScrollArea(widgetResizable=True)
    area.setWidget(inside)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setMinimumSize(120, 60)
    return area


def clear(layout: QLayout) -> None:
    """Remove and delete everything in a layout."""
    while (item := layout.takeAt(0)) is not None:
        if item.widget():
            item.widget().hide()
            item.widget().deleteLater()
        elif (inner := item.layout()) is not None:
            clear(inner)
