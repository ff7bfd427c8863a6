"""One layer seen from above: the bodies as they will be laid, the gap coloured by what remains of it, trouble ringed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.figures import body_colour, paint_polygons, pale
from bouncy_latch.app.kit.theme import THEME, figure_font, text_font
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.predict import Prediction
from bouncy_latch.core.layers.remains import LEVELS, Polygons, bands

_ZONE_OF_LEVEL = (3, 2, 1, 0)
"""Colour of each level: free, by hand, needs a tool, welded."""
_NEARER = 1.15
_ZOOMS = {Qt.Key.Key_Plus: _NEARER, Qt.Key.Key_Equal: _NEARER, Qt.Key.Key_Minus: 1 / _NEARER}
_MOVES = {Qt.Key.Key_Left: (30, 0), Qt.Key.Key_Right: (-30, 0), Qt.Key.Key_Up: (0, 30), Qt.Key.Key_Down: (0, -30)}
_MOVED = 4.0
"""A press that moves less than this is a click, px."""


@frozen
class Ring:
    """Trouble to be ringed: where (mm), over which layers, its verdict, what it stands for; its radius by layer."""

    x: float
    y: float
    radius: float
    first: int
    last: int
    verdict: str
    subject: object
    by_layer: Mapping[int, float] = field(default_factory=dict)


class LayerPicture(QWidget):
    """Wheel or + and − to come nearer, drag or arrows to move, click a ring or Enter from one to the next to be told.

    Signals:
        ring_picked: a ring was clicked.
    """

    ring_picked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("layer picture")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self._prediction: Prediction | None = None
        self._rings: Sequence[Ring] = ()
        self._layer = 0
        self._bands: dict[int, list[tuple[float, Polygons]]] = {}
        self._bounds = QRectF(-50, -50, 100, 100)
        self._zoom, self._shift = 1.0, QPointF(0, 0)
        self._pressed: QPointF | None = None
        self._grabbed: QPointF | None = None
        self._turned = False
        self.chosen: object | None = None

    def show_prediction(self, prediction: Prediction | None, rings: Sequence[Ring] = ()) -> None:
        self._prediction, self._rings = prediction, rings
        self._bands = {}
        if prediction:
            middle = len(prediction.layers) // 2
            rows = [p for layer in (0, middle) for body in range(len(prediction.names))
                    for p in prediction.outlines(layer, body)]
            if rows:
                points = np.vstack(rows)
                # The longer side of the print lies across the picture.
                self._turned = bool(np.ptp(points[:, 1]) > np.ptp(points[:, 0]))
                points = self._laid(points)
                self._bounds = QRectF(QPointF(*points.min(axis=0)), QPointF(*points.max(axis=0)))
        self.update()

    def _laid(self, points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """Bed coordinates as they lie in the picture: a quarter turn where that fits better."""
        return np.c_[points[:, 1], -points[:, 0]] if self._turned else points

    def show_layer(self, layer: int) -> None:
        self._layer = layer
        self.update()

    def come_near(self, x: float, y: float, subject: object, radius: float = 0.0) -> None:
        """Come near one place of some ``radius``, mm."""
        self.chosen = subject
        self._zoom = max(1.0, self._scale_whole() ** -1 * min(self.width(), self.height()) / max(16.0, 2.5 * radius))
        self._shift = QPointF(*self._laid(np.array([[x, y]]))[0]) - self._bounds.center()
        self.update()

    def show_all(self) -> None:
        self._zoom, self._shift, self.chosen = 1.0, QPointF(0, 0), None
        self.update()

    # -- geometry ----------------------------------------------------------------------------------------------------

    def _scale_whole(self) -> float:
        return min((self.width() - 30) / max(self._bounds.width(), 1), (self.height() - 40) / max(self._bounds.height(), 1))

    def to_screen(self, points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """Return points (n, 2) of the bed, mm, in pixels."""
        scale = self._scale_whole() * self._zoom
        centre = self._bounds.center() + self._shift
        points = self._laid(points)
        return np.c_[self.width() / 2 + (points[:, 0] - centre.x()) * scale,
                     self.height() / 2 - 6 - (points[:, 1] - centre.y()) * scale]

    def shown_rings(self) -> list[tuple[Ring, QPointF, float]]:
        """Return the rings of the shown layer with middle and radius in pixels."""
        if self._prediction is None:
            return []
        index = self._prediction.layers[self._layer].index
        scale = self._scale_whole() * self._zoom
        found = []
        for ring in self._rings:
            if ring.first <= index <= ring.last + 1:
                x, y = self.to_screen(np.array([[ring.x, ring.y]]))[0]
                found.append((ring, QPointF(x, y), max(11.0, ring.by_layer.get(index, ring.radius) * scale)))
        return found

    def ring_at(self, place: QPointF) -> Ring | None:
        """Return the smallest ring round a place."""
        hit = [(radius, i, ring) for i, (ring, middle, radius) in enumerate(self.shown_rings())
               if (place - middle).manhattanLength() <= 1.3 * radius]
        return min(hit, key=lambda h: h[:2])[2] if hit else None

    # -- input -------------------------------------------------------------------------------------------------------

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._come_nearer(_NEARER if event.angleDelta().y() > 0 else 1 / _NEARER)

    def _come_nearer(self, factor: float) -> None:
        self._zoom = min(max(self._zoom * factor, 1.0), 60.0)
        if self._zoom == 1.0:
            self._shift = QPointF(0, 0)
        self.update()

    def _move(self, right: float, down: float) -> None:
        """Move what is seen by pixels."""
        scale = self._scale_whole() * self._zoom
        self._shift -= QPointF(right / scale, -down / scale)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        rings = [ring.subject for ring, _, _ in self.shown_rings()]
        if key in _ZOOMS:
            self._come_nearer(_ZOOMS[key])
        elif key in _MOVES:
            self._move(*_MOVES[key])
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and rings:
            last = next((i for i, subject in enumerate(rings) if subject is self.chosen), -1)
            self.ring_picked.emit(rings[(last + 1) % len(rings)])
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = self._grabbed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grabbed is None:
            over = self.ring_at(event.position())
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
            return
        moved = event.position() - self._grabbed
        self._grabbed = event.position()
        self._move(moved.x(), moved.y())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        clicked = self._pressed is not None and (event.position() - self._pressed).manhattanLength() < _MOVED
        self._pressed = self._grabbed = None
        ring = self.ring_at(event.position()) if clicked else None
        if ring is not None:
            self.ring_picked.emit(ring.subject)

    # -- painting ----------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        prediction = self._prediction
        if prediction is None:
            return
        for body in range(len(prediction.names)):
            polygons = prediction.outlines(self._layer, body)
            if polygons:
                paint_polygons(painter, polygons, pale(body_colour(body)), self.to_screen)
        for shelf in prediction.shelves:
            cut = shelf.section(prediction.layers[self._layer].index).region
            if not cut.is_empty():
                paint_polygons(painter, [np.asarray(p) for p in cut.to_polygons()], QColor(t.quiet), self.to_screen)
        if self._layer not in self._bands:
            self._bands[self._layer] = bands(prediction.sections[self._layer])
        for (_, polygons), zone in zip(self._bands[self._layer], _ZONE_OF_LEVEL, strict=False):
            if polygons:
                paint_polygons(painter, polygons, QColor(t.zones[zone]), self.to_screen, edge=False)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for ring, middle, radius in self.shown_rings():
            painter.setPen(QPen(THEME.verdict(ring.verdict), 3.2 if ring.subject is self.chosen else 2))
            painter.drawEllipse(middle, radius, radius)
        self._paint_foot(painter)
        if self.hasFocus():
            axis.paint_focus(painter, QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _paint_foot(self, painter: QPainter) -> None:
        """A length to judge by, and what the colours in the gap mean."""
        t = THEME.tokens
        scale = self._scale_whole() * self._zoom
        length = next((mm for mm in (0.5, 1, 2, 5, 10, 20, 50, 100) if mm * scale > 50), 100)
        x, y = 16.0, self.height() - 8.0
        painter.setPen(QPen(QColor(t.ink), 2))
        painter.drawLine(QPointF(x, y), QPointF(x + length * scale, y))
        painter.setFont(figure_font(8))
        painter.drawText(QPointF(x, y - 5), f"{length:g} mm")
        if self._prediction is None or len(self._prediction.names) < 2:
            return
        painter.setFont(text_font(8.5))
        painter.fillRect(QRectF(self.width() - 380, y - 15, 380, 22), QColor(t.panel))
        words = ["under 0.1", "0.1 to 0.2", "0.2 to 0.3", "0.3 to 0.5"]
        right = self.width() - 14.0
        for level, text in zip(range(len(LEVELS)), reversed(words), strict=True):
            width = painter.fontMetrics().horizontalAdvance(text)
            painter.setPen(QColor(t.quiet))
            painter.drawText(QPointF(right - width, y), text)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.zones[_ZONE_OF_LEVEL[level]]))
            painter.drawRoundedRect(QRectF(right - width - 15, y - 9, 10, 10), 2, 2)
            right -= width + 26
        painter.setPen(QColor(t.quiet))
        label = "gap left, mm"
        painter.drawText(QPointF(right - painter.fontMetrics().horizontalAdvance(label) - 2, y), label)
