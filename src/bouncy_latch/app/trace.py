"""The scrubber: plays the mechanism, with the gap or the force along its way as the trace underneath."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from bouncy_latch.app import axis
from bouncy_latch.app.theme import THEME, text_font
from bouncy_latch.core.mechanisms.contract import Course
from bouncy_latch.core.trial.clear import Trace as Gaps

_FRAME_MS = 40


class Trace(QWidget):
    """A scale over the motion's range with a handle and the gap trace.

    Signals:
        moved: the value of the motion.
    """

    moved = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setAccessibleName("scrubber")
        self.low, self.high, self.value, self.unit = 0.0, 180.0, 180.0, "°"
        self._sweep: Gaps | None = None
        self._course: Course | None = None
        self._floor = 0.0
        self._dragging = False
        self._direction = -1.0
        self._play = QTimer(self, interval=_FRAME_MS)
        self._play.timeout.connect(self._step)

    def sizeHint(self) -> QSize:
        return QSize(300, 78)

    @property
    def playing(self) -> bool:
        return self._play.isActive()

    def configure(self, low: float, high: float, unit: str, label: str) -> None:
        """Take the range of a motion and what it is called."""
        self.low, self.high, self.unit = low, high, unit
        self.setAccessibleName(f"{label.lower()} scrubber")
        self.value = min(max(self.value, low), high)
        self.update()

    def show_course(self, course: Course | None) -> None:
        """Show what the motion costs along its way, instead of a gap; None for a mechanism that says nothing of it."""
        self._course = course
        self.update()

    def show_sweep(self, sweep: Gaps | None, floor: float) -> None:
        """Show the gap trace; ``floor`` is the gap that growth takes."""
        self._sweep, self._floor = sweep, floor
        self.update()

    def set_value(self, value: float) -> None:
        self.value = min(max(value, self.low), self.high)
        self.setAccessibleDescription(f"{self.value:.0f} {self.unit}")
        self.update()
        self.moved.emit(self.value)

    def toggle_play(self) -> None:
        """Swing to and fro, or stop."""
        if self._play.isActive():
            self._play.stop()
        else:
            self._play.start()

    def stop(self) -> None:
        self._play.stop()

    def _step(self) -> None:
        value = self.value + self._direction * (self.high - self.low) / 70
        if not self.low < value < self.high:
            self._direction = -self._direction
        self.set_value(value)

    def _area(self) -> QRectF:
        return QRectF(14, 18, self.width() - 28, self.height() - 40)

    def x_of(self, value: float) -> float:
        area = self._area()
        return area.left() + (value - self.low) / (self.high - self.low) * area.width()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.stop()
        self._dragging = True
        self._take(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._take(event)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._dragging = False

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageDown: -10, Qt.Key.Key_PageUp: 10}.get(
            Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Space:
            self.toggle_play()
        elif step is not None:
            self.set_value(self.value + step * (self.high - self.low) / 180)
        else:
            super().keyPressEvent(event)

    def _take(self, event: QMouseEvent) -> None:
        area = self._area()
        self.set_value(self.low + (event.position().x() - area.left()) / area.width() * (self.high - self.low))

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self._area()
        axis.paint_frame(painter, area.adjusted(-6, 0, 6, 0), t.panel)
        painter.setFont(text_font(8.5))
        painter.setPen(QColor(t.quiet))
        top = QRectF(area.left() - 4, 0, area.width() + 8, 17)
        about = self._course.label if self._course else "smallest gap on the way, mm"
        painter.drawText(top, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, about)
        if self._course:
            self._paint_course(painter, area, top, self._course)
        else:
            self._paint_sweep(painter, area, top)
        values = [self.low + i / 6 * (self.high - self.low) for i in range(7)]
        axis.paint_numbers(painter, [(self.x_of(value), f"{value:.0f}{self.unit}" if self.unit == "°" else
                                      f"{value:.1f} {self.unit}") for value in values], area.bottom() + 5, self.width())
        x = self.x_of(self.value)
        painter.setPen(QPen(QColor(t.accent), 2.2))
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        painter.setPen(QPen(QColor(t.panel), 1.5))
        painter.setBrush(QColor(t.accent))
        painter.drawEllipse(QPointF(x, area.bottom()), 6.5, 6.5)
        if self.hasFocus():
            axis.paint_focus(painter, area.adjusted(-8, -2, 8, 2))

    def _paint_course(self, painter: QPainter, area: QRectF, top: QRectF, course: Course) -> None:
        t = THEME.tokens
        curves = {name: np.array(values) for name, values in course.curves.items()}
        # A curve that locks goes off the top; what it locks against is not a force.
        high = 1.15 * max(1e-6, *(float(np.max(c[np.isfinite(c)], initial=0.0)) for c in curves.values()))
        low = min(0.0, *(float(np.min(c[np.isfinite(c)], initial=0.0)) for c in curves.values()))
        span = high - low

        def y_of(force: float) -> float:
            part = (min(force, high) - low) / span
            return area.bottom() - 3 - part * (area.height() - 6)

        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawLine(QPointF(area.left(), y_of(0)), QPointF(area.right(), y_of(0)))
        styles = ((t.ink, Qt.PenStyle.SolidLine), (t.accent, Qt.PenStyle.DashLine))
        for (name, curve), (colour, style) in zip(curves.items(), styles, strict=False):
            painter.setPen(QPen(QColor(colour), 1.8, style))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF([QPointF(self.x_of(v), y_of(float(f)))
                                            for v, f in zip(course.values, curve, strict=True)]))
            last = next(i for i in range(len(curve)) if curve[i] >= np.max(curve))
            painter.setFont(text_font(8.5))
            # Before its peak a curve leaves room above it.
            wide = painter.fontMetrics().horizontalAdvance(name) + 8
            place = QPointF(max(self.x_of(course.values[last]) - wide, area.left()), y_of(float(curve[last])) + 6)
            painter.drawText(place, name)
        painter.setPen(QColor(t.quiet))
        painter.setFont(text_font(8.5))
        painter.drawText(top, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, course.about)

    def _paint_sweep(self, painter: QPainter, area: QRectF, top: QRectF) -> None:
        t = THEME.tokens
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if self._sweep is None:
            painter.drawText(top, right, "moving it…")
            return
        most = max(0.4, float(np.max(self._sweep.gaps))) * 1.15

        def y_of(gap: float) -> float:
            return area.bottom() - 3 - gap / most * (area.height() - 6)

        painter.setPen(QPen(QColor(t.stop), 1.2, Qt.PenStyle.DashLine))
        floor = y_of(self._floor)
        painter.drawLine(QPointF(area.left(), floor), QPointF(area.right(), floor))
        painter.setPen(QPen(QColor(t.ink), 1.8))
        painter.drawPolyline(QPolygonF([QPointF(self.x_of(float(v)), y_of(float(g)))
                                        for v, g in zip(self._sweep.values, self._sweep.gaps, strict=True)]))
        place = QPointF(self.x_of(self._sweep.worst_value), y_of(self._sweep.worst_gap))
        painter.setBrush(QColor(t.ink))
        painter.drawEllipse(place, 3, 3)
        painter.setPen(QColor(t.quiet))
        painter.setFont(text_font(8.5))
        painter.drawText(top, right, f"{self._sweep.worst_gap:.2f} at {self._sweep.worst_value:.0f}{self.unit}, "
                                     f"{self._sweep.place}; dashed: what growth takes")
