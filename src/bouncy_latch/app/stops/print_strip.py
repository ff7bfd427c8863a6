"""The print strip: height from the bed runs left to right, with each part's section, its welds and what happens where."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.figures import body_colour
from bouncy_latch.app.kit.marks import draw_mark
from bouncy_latch.app.kit.theme import THEME, text_font
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.predict import SAG, Prediction
from bouncy_latch.core.numbers import round_ticks

_STEPS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageDown: -10, Qt.Key.Key_PageUp: 10,
          Qt.Key.Key_Home: -10**6, Qt.Key.Key_End: 10**6}
_MARK = 10.0


@frozen
class Event:
    """Something that happens at a height: layers, verdict and words; ``subject`` is what it stands for."""

    first: int
    last: int
    verdict: str
    words: str
    subject: object

CAPTIONS = ("height from the bed, mm: each part's section; bars where parts weld; marks where it is at risk",
            "height from the bed, mm: sections; bars: welds; marks: at risk", "height from the bed, mm")
"""What the strip says of itself, the first that fits."""


class PrintStrip(QWidget):
    """Scrubs through the layers by wheel, keys and drag.

    Signals:
        picked: position of a layer. event_picked: an event was clicked.
    """

    picked = Signal(int)
    event_picked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("print strip, height from the bed")
        copyable(self, self.said)
        self._prediction: Prediction | None = None
        self._welds: dict[int, tuple[float, bool]] = {}
        self._severity = "stop"
        self._events: Sequence[Event] = ()
        self._wheel = 0
        self._outlined: tuple[object, list[QPolygonF]] = (None, [])
        self.layer = 0

    def sizeHint(self) -> QSize:
        return QSize(400, 112)

    def show_prediction(self, prediction: Prediction | None, severity: str = "stop", events: Sequence[Event] = ()) -> None:
        """Show a prediction; ``severity`` is the verdict on its welds."""
        self._prediction, self._severity, self._events = prediction, severity, events
        self._welds = {}
        for weld in prediction.welds if prediction else ():
            area, hung = self._welds.get(weld.layer, (0.0, True))
            self._welds[weld.layer] = (area + weld.area, hung and weld.kind == SAG)
        count = len(prediction.layers) if prediction else 1
        self.layer = min(self.layer, count - 1)
        self.update()

    def pick(self, layer: int) -> None:
        """Choose a layer, kept inside the print."""
        if self._prediction:
            self.layer = min(max(layer, 0), len(self._prediction.layers) - 1)
            self.update()
            self.picked.emit(self.layer)

    def said(self) -> str:
        """Return the chosen layer with its height, each part's section, what welds there and what happens."""
        if self._prediction is None:
            return ""
        layer = self._prediction.layers[self.layer]
        weld, _ = self._welds.get(layer.index, (0.0, False))
        happens = [event.words for event in self._events if event.first <= layer.index <= event.last]
        sections = [f"{name} {area:.1f} mm²" for name, area in zip(self._prediction.names, layer.areas, strict=True)]
        welds = [f"weld {weld:.2f} mm²"] if weld else []
        return "; ".join([f"layer {layer.index + 1} at {layer.middle:.2f} mm", *sections, *welds, *happens])

    # -- geometry ----------------------------------------------------------------------------------------------------

    def _area(self) -> QRectF:
        return QRectF(16, 34, self.width() - 32, self.height() - 54)

    def _x(self, layer: float) -> float:
        area = self._area()
        count = len(self._prediction.layers) if self._prediction else 1
        return area.left() + layer / count * area.width()

    def _event_x(self, event: Event) -> float:
        first = self._prediction.layers[0].index if self._prediction else 0
        return self._x((event.first + event.last + 1) / 2 - first)

    def event_at(self, x: float, y: float) -> Event | None:
        """Return the event whose mark is under a point."""
        if not 15 <= y <= 33:
            return None
        near = [(abs(self._event_x(event) - x), i) for i, event in enumerate(self._events)]
        return self._events[min(near)[1]] if near and min(near)[0] < _MARK else None

    # -- input -------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self.event_at(event.position().x(), event.position().y())
        if found is not None:
            self.event_picked.emit(found)
        else:
            self._take(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._take(event.position().x())

    def _take(self, x: float) -> None:
        if self._prediction:
            area = self._area()
            self.pick(int((x - area.left()) / area.width() * len(self._prediction.layers)))

    def wheelEvent(self, event: QWheelEvent) -> None:
        # Fine wheels send parts of a notch.
        self._wheel += event.angleDelta().y()
        notches = int(self._wheel / 120)
        self._wheel -= 120 * notches
        if notches:
            self.pick(self.layer + notches)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = _STEPS.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self.pick(self.layer + step)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            found = self.event_at(event.x(), event.y())
            QToolTip.showText(event.globalPos(), found.words if found else "", self)
            return True
        return super().event(event)

    # -- painting ----------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self._area()
        axis.paint_frame(painter, area.adjusted(-4, -2, 4, 2), t.sunken)
        prediction = self._prediction
        if prediction is None:
            return
        painter.setFont(text_font(8.5))
        painter.setPen(QColor(t.quiet))
        words = next((text for text in CAPTIONS if painter.fontMetrics().horizontalAdvance(text) <= area.width()), CAPTIONS[-1])
        painter.drawText(QRectF(area.left() - 4, 0, area.width(), 15), Qt.AlignmentFlag.AlignVCenter, words)
        self._paint_silhouette(painter, area, prediction)
        self._paint_welds(painter, area, prediction)
        for event in self._events:
            draw_mark(painter, event.verdict, QPointF(self._event_x(event), 24), _MARK)
        layers = len(prediction.layers) / prediction.height
        axis.paint_numbers(painter, [(self._x(tick * layers), f"{tick:g}") for tick in round_ticks(0.0, prediction.height, 8)],
                           area.bottom() + 4, self.width())
        x = self._x(self.layer + 0.5)
        painter.setPen(QPen(QColor(t.ink), 2.2))
        painter.drawLine(QPointF(x, area.top() - 4), QPointF(x, area.bottom() + 4))
        if self.hasFocus():
            axis.paint_focus(painter, area.adjusted(-6, -4, 6, 4))

    def _paint_welds(self, painter: QPainter, area: QRectF, prediction: Prediction) -> None:
        """Bars by how much welds in a layer, in the colour of the verdict; what only hangs down is drawn hollow."""
        most = max((weld for weld, _ in self._welds.values()), default=0.0)
        colour = THEME.verdict(self._severity)
        width = max(2.0, self._x(1) - self._x(0))
        for layer, (weld, hung) in self._welds.items():
            height = max(5.0, weld / most * area.height() * 0.9)
            bar = QRectF(self._x(layer - prediction.layers[0].index), area.bottom() - height, width, height)
            if hung:
                painter.setPen(QPen(colour, 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(bar.adjusted(0.5, 0.5, -0.5, -0.5))
            else:
                painter.fillRect(bar, colour)

    def _paint_silhouette(self, painter: QPainter, area: QRectF, prediction: Prediction) -> None:
        """Side of a square as large as the section, one band a body, odd ones above the middle line."""
        key = (id(prediction), area.width(), area.height())
        if key != self._outlined[0]:
            self._outlined = (key, _silhouettes(prediction, area))
        painter.setPen(Qt.PenStyle.NoPen)
        for body, polygon in enumerate(self._outlined[1]):
            painter.setBrush(QColor(body_colour(body)))
            painter.drawPolygon(polygon)


def _silhouettes(prediction: Prediction, area: QRectF) -> list[QPolygonF]:
    """Return a band for every body: the even ones above the middle line, one on the other, the odd ones below it."""
    areas = np.array([layer.areas for layer in prediction.layers])
    outer = np.empty_like(areas)
    for side in (0, 1):
        outer[:, side::2] = np.sqrt(np.cumsum(areas[:, side::2], axis=1))
    scale = area.height() / 2 / max(float(outer.max()), 1e-9)
    middle, count = area.center().y(), len(areas)
    x = area.left() + np.repeat(np.arange(count + 1), 2)[1:-1] / count * area.width()
    found = []
    for body in range(areas.shape[1]):
        sign = 1 if body % 2 else -1
        inner = outer[:, body - 2] if body > 1 else np.zeros(count)
        edges = [middle + sign * np.repeat(edge, 2) * scale for edge in (outer[:, body], inner)]
        points = [QPointF(a, b) for a, b in zip(x, edges[0], strict=True)]
        found.append(QPolygonF([*points, *(QPointF(a, b) for a, b in zip(x[::-1], edges[1][::-1], strict=True))]))
    return found
