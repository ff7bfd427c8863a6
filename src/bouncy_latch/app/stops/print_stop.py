"""The Print stop: the print strip (height runs left to right) and one layer as it will be laid, trouble ringed."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from bouncy_latch.app.figures import body_colours, paint_polygons
from bouncy_latch.app.parts import button, label, set_tone
from bouncy_latch.app.session import Session
from bouncy_latch.app.theme import THEME, figure_font, text_font
from bouncy_latch.core.advise.verdicts import LAYERS_ID, Proof
from bouncy_latch.core.layers.predict import Prediction, Spot


class PrintStrip(QWidget):
    """Height from the bed, left to right: section area as silhouette, welds as bars by severity, the chosen layer.

    Signals:
        picked: index of a layer.
    """

    picked = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("print strip, height from the bed")
        self._prediction: Prediction | None = None
        self._welds: dict[int, float] = {}
        self.layer = 0

    def sizeHint(self) -> QSize:
        return QSize(400, 96)

    def show_prediction(self, prediction: Prediction | None) -> None:
        self._prediction = prediction
        self._welds = {}
        for weld in prediction.welds if prediction else ():
            self._welds[weld.layer] = self._welds.get(weld.layer, 0.0) + weld.area
        count = len(prediction.layers) if prediction else 1
        self.layer = min(self.layer, count - 1)
        self.update()

    def pick(self, layer: int) -> None:
        """Choose a layer, kept inside the print."""
        if self._prediction:
            self.layer = min(max(layer, 0), len(self._prediction.layers) - 1)
            self.update()
            self.picked.emit(self.layer)

    def _area(self) -> QRectF:
        return QRectF(16, 18, self.width() - 32, self.height() - 38)

    def _x(self, layer: float) -> float:
        area = self._area()
        count = len(self._prediction.layers) if self._prediction else 1
        return area.left() + layer / count * area.width()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._take(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._take(event.position().x())

    def _take(self, x: float) -> None:
        if self._prediction:
            area = self._area()
            self.pick(int((x - area.left()) / area.width() * len(self._prediction.layers)))

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.pick(self.layer + (1 if event.angleDelta().y() > 0 else -1))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageDown: -10, Qt.Key.Key_PageUp: 10,
                Qt.Key.Key_Home: -10**6, Qt.Key.Key_End: 10**6}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self.pick(self.layer + step)

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self._area()
        painter.setPen(QPen(QColor(t.line), 1))
        painter.setBrush(QColor(t.sunken))
        painter.drawRoundedRect(area.adjusted(-4, -2, 4, 2), 4, 4)
        prediction = self._prediction
        if prediction is None:
            return
        painter.setFont(text_font(8.5))
        painter.setPen(QColor(t.quiet))
        painter.drawText(QRectF(area.left() - 4, 0, area.width(), 15), Qt.AlignmentFlag.AlignVCenter,
                         "height from the bed, mm: size of each part's section; bars where parts weld")
        self._paint_silhouette(painter, area, prediction)
        most = max(self._welds.values(), default=0.0)
        for layer, weld in self._welds.items():
            index = layer - prediction.layers[0].index
            height = max(5.0, weld / most * area.height() * 0.9)
            painter.fillRect(QRectF(self._x(index), area.bottom() - height, max(2.0, self._x(1) - self._x(0)), height),
                             QColor(t.stop))
        painter.setFont(figure_font(8))
        painter.setPen(QColor(t.quiet))
        top = prediction.layers[-1].middle + prediction.layers[-1].thickness / 2
        for i in range(7):
            layer = i / 6 * len(prediction.layers)
            painter.drawText(QRectF(self._x(layer) - 28, area.bottom() + 4, 56, 14), Qt.AlignmentFlag.AlignCenter,
                             f"{top * i / 6:.1f}")
        x = self._x(self.layer + 0.5)
        painter.setPen(QPen(QColor(t.ink), 2.2))
        painter.drawLine(QPointF(x, area.top() - 6), QPointF(x, area.bottom() + 4))
        if self.hasFocus():
            painter.setPen(QPen(QColor(t.accent), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(area.adjusted(-6, -4, 6, 4), 5, 5)

    def _paint_silhouette(self, painter: QPainter, area: QRectF, prediction: Prediction) -> None:
        """Side of a square as large as the section, one band a body, odd ones above the middle line."""
        areas = np.array([layer.areas for layer in prediction.layers])
        sides = np.sqrt(np.stack([areas[:, 0::2].sum(axis=1), areas[:, 1::2].sum(axis=1)]))
        scale = area.height() / 2 / max(float(sides.max()), 1e-9)
        middle = area.center().y()
        painter.setPen(Qt.PenStyle.NoPen)
        for sign, side, colour in zip((-1, 1), sides, body_colours(), strict=True):
            points = [QPointF(self._x(0), middle)]
            for i, value in enumerate(side):
                y = middle + sign * float(value) * scale
                points += [QPointF(self._x(i), y), QPointF(self._x(i + 1), y)]
            points.append(QPointF(self._x(len(side)), middle))
            painter.setBrush(QColor(colour))
            painter.drawPolygon(QPolygonF(points))


class LayerPicture(QWidget):
    """One layer seen from above: the bodies as they will be laid, welds ringed; wheel to come nearer, drag to move."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("layer picture")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._prediction: Prediction | None = None
        self._spots: list[Spot] = []
        self._layer = 0
        self._bounds = QRectF(-50, -50, 100, 100)
        self._zoom, self._shift = 1.0, QPointF(0, 0)
        self._grabbed: QPointF | None = None
        self._turned = False
        self.chosen: Spot | None = None

    def show_prediction(self, prediction: Prediction | None, spots: list[Spot]) -> None:
        self._prediction, self._spots = prediction, spots
        if prediction:
            rows = [p for body in range(len(prediction.names)) for p in prediction.outlines(0, body)]
            middle = len(prediction.layers) // 2
            rows += [p for body in range(len(prediction.names)) for p in prediction.outlines(middle, body)]
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

    def show_spot(self, spot: Spot) -> None:
        """Come near one spot."""
        self.chosen = spot
        self._zoom = max(1.0, self._scale_whole() ** -1 * min(self.width(), self.height()) / 16)
        self._shift = QPointF(*self._laid(np.array([[spot.x, spot.y]]))[0]) - self._bounds.center()
        self.update()

    def show_all(self) -> None:
        self._zoom, self._shift, self.chosen = 1.0, QPointF(0, 0), None
        self.update()

    def _scale_whole(self) -> float:
        return min((self.width() - 30) / max(self._bounds.width(), 1), (self.height() - 30) / max(self._bounds.height(), 1))

    def _to_screen(self, points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        scale = self._scale_whole() * self._zoom
        centre = self._bounds.center() + self._shift
        points = self._laid(points)
        return np.c_[self.width() / 2 + (points[:, 0] - centre.x()) * scale,
                     self.height() / 2 - (points[:, 1] - centre.y()) * scale]

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._zoom = min(max(self._zoom * (1.15 if event.angleDelta().y() > 0 else 1 / 1.15), 1.0), 60.0)
        if self._zoom == 1.0:
            self._shift = QPointF(0, 0)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._grabbed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grabbed is not None:
            moved = event.position() - self._grabbed
            self._grabbed = event.position()
            scale = self._scale_whole() * self._zoom
            self._shift -= QPointF(moved.x() / scale, -moved.y() / scale)
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._grabbed = None

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        prediction = self._prediction
        if prediction is None:
            return
        colours = body_colours()
        for body in range(len(prediction.names)):
            polygons = prediction.outlines(self._layer, body)
            if polygons:
                paint_polygons(painter, polygons, QColor(colours[body % 2]), self._to_screen)
        index = prediction.layers[self._layer].index
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for spot in self._spots:
            if spot.first_layer <= index <= spot.last_layer + 1:
                x, y = self._to_screen(np.array([[spot.x, spot.y]]))[0]
                radius = max(11.0, spot.radius * self._scale_whole() * self._zoom)
                painter.setPen(QPen(QColor(t.stop), 3 if spot is self.chosen else 2))
                painter.drawEllipse(QPointF(x, y), radius, radius)
        self._paint_scale(painter)

    def _paint_scale(self, painter: QPainter) -> None:
        """A length to judge by."""
        t = THEME.tokens
        scale = self._scale_whole() * self._zoom
        length = next((mm for mm in (0.5, 1, 2, 5, 10, 20, 50, 100) if mm * scale > 50), 100)
        x, y = 16.0, self.height() - 14.0
        painter.setPen(QPen(QColor(t.ink), 2))
        painter.drawLine(QPointF(x, y), QPointF(x + length * scale, y))
        painter.setFont(figure_font(8))
        painter.drawText(QPointF(x, y - 5), f"{length:g} mm")


class PrintStop(QWidget):
    """Strip above, layer below, the spots in words."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.strip, self.picture = PrintStrip(), LayerPicture()
        self._headline, self._about = label("", "title", 10.5), label("", "quiet")
        self._spot_row = QHBoxLayout()
        self._spot_row.setSpacing(6)
        self._spot_note: QLabel = label("", "quiet")
        head = QHBoxLayout()
        head.setContentsMargins(14, 8, 12, 0)
        head.addWidget(self._headline)
        head.addSpacing(10)
        head.addWidget(self._about, 1)
        head.addWidget(button("whole layer", self.picture.show_all, "plain"))
        spots = QHBoxLayout()
        spots.setContentsMargins(14, 0, 12, 8)
        spots.addWidget(self._spot_note)
        spots.addLayout(self._spot_row)
        spots.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addWidget(self.strip)
        layout.addWidget(self.picture, 1)
        layout.addLayout(spots)
        self.strip.picked.connect(self._on_picked)
        session.changed.connect(self._on_changed)
        session.proved.connect(self._on_proved)
        self._first = True
        self._on_changed()

    def _on_changed(self) -> None:
        if self._session.proof is None:
            waiting = self._session.solution is not None
            self._headline.setText("Slicing…" if waiting else "Nothing to slice yet")
            self._about.setText(self._session.trouble if not waiting else "growing every outline and looking for welds")
            self.strip.setEnabled(False)
            if not waiting:
                self.strip.show_prediction(None)
                self.picture.show_prediction(None, [])
        else:
            self._on_proved()

    def _on_proved(self) -> None:
        proof = self._session.proof
        if proof is None:
            return
        self.strip.setEnabled(True)
        self.strip.show_prediction(proof.prediction)
        self.picture.show_prediction(proof.prediction, proof.spots)
        solution = self._session.solution
        if self._first and solution is not None and solution.region:
            # Open on the layer through the mechanism itself, not on the bed.
            self._first = False
            height = (solution.region[2] + solution.region[5]) / 2
            middles = [abs(layer.middle - height) for layer in proof.prediction.layers]
            self.strip.layer = int(np.argmin(middles))
        self._show_spots(proof)
        self._on_picked(self.strip.layer)

    def _show_spots(self, proof: Proof) -> None:
        while (item := self._spot_row.takeAt(0)) is not None:
            item.widget().deleteLater()
        solution = self._session.solution
        if not proof.spots or solution is None:
            set_tone(self._spot_note, "quiet")
            self._spot_note.setText(f"No two parts touch in any of the {len(proof.prediction.layers)} layers at growth "
                                    f"{proof.prediction.growth:.2f}.")
            return
        laid = next(c for c in proof.checks if c.id == LAYERS_ID)
        set_tone(self._spot_note, "stop" if laid.verdict == "stop" else "look")
        self._spot_note.setText(f"{len(proof.spots)} weld{'s' if len(proof.spots) > 1 else ''}:")
        for spot in proof.spots[:4]:
            where = solution.motion.place_name((spot.x, spot.y, spot.z))
            self._spot_row.addWidget(button(f"{where}, {spot.area:.1f} mm²", lambda s=spot: self._go(s)))

    def _go(self, spot: Spot) -> None:
        proof = self._session.proof
        if proof:
            self.picture.show_spot(spot)
            self.strip.pick((spot.first_layer + spot.last_layer) // 2 - proof.prediction.layers[0].index)

    def _on_picked(self, index: int) -> None:
        proof = self._session.proof
        if proof is None:
            return
        layer = proof.prediction.layers[index]
        self.picture.show_layer(index)
        self._headline.setText(f"Layer {layer.index + 1} of {proof.prediction.layers[-1].index + 1}")
        bottom = layer.middle - layer.thickness / 2
        names = list(self._session.solution.body_labels.values()) if self._session.solution else []
        areas = ", ".join(f"{name} {area:.0f} mm²" for name, area in zip(names, layer.areas, strict=False))
        self._about.setText(f"{bottom:.2f} to {bottom + layer.thickness:.2f} mm; {areas}")


