"""The scrubber: plays the mechanism, with the gap or the force along its way as a plot that it moves along."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QByteArray, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QSizePolicy, QWidget

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.theme import TEXT_FAMILY, THEME
from bouncy_latch.core.course import Asked, Course
from bouncy_latch.core.formats import courses
from bouncy_latch.core.numbers import round_ticks
from bouncy_latch.core.trial.clear import Trace as Gaps

_FRAME_MS = 40
HEIGHT, SLIM = 138, 40
"""Of the plot, and of the bare scrubber that is left where there is no room for one, px."""


OVER = 0.9
"""How much of the picture below the plot covers."""


class Trace(QWidget):
    """A plot over the motion's range with a handle.

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
        copyable(self, self.said)
        self.low, self.high, self.value, self.unit = 0.0, 180.0, 180.0, "°"
        self.course: Course | None = None
        self._own = False
        self._plot: QPixmap | None = None
        self._dragging = False
        self._direction = -1.0
        self._play = QTimer(self, interval=_FRAME_MS)
        self._play.timeout.connect(self._step)
        self._label = ""

    def sizeHint(self) -> QSize:
        return QSize(300, HEIGHT)

    def make_slim(self, slim: bool) -> None:
        """Leave the plot out, or show it."""
        self.setFixedHeight(SLIM if slim else HEIGHT)

    @property
    def playing(self) -> bool:
        return self._play.isActive()

    def configure(self, low: float, high: float, unit: str, label: str) -> None:
        """Take the range of a motion and what it is called."""
        self.low, self.high, self.unit, self._label = low, high, unit, label
        self.setAccessibleName(f"{label.lower()} scrubber")
        self.value = min(max(self.value, low), high)
        self.renew()

    def show_course(self, course: Course | None) -> None:
        """Show what the motion costs along its way, instead of a gap; None for a mechanism that says nothing of it."""
        self._own, self.course = course is not None, course
        self.renew()

    def show_sweep(self, sweep: Gaps | None, floor: float) -> None:
        """Show the gap trace, unless the motion has figures of its own; ``floor`` is the gap that growth takes."""
        if not self._own:
            self.course = None if sweep is None else Course(
                "smallest gap on the way", "mm", tuple(float(v) for v in sweep.values),
                {"gap": tuple(float(g) for g in sweep.gaps)},
                f"{sweep.worst_gap:.2f} at {sweep.worst_value:.0f}{self.unit}, {sweep.place}",
                asked=(Asked(f"growth takes {floor:.2f}", floor),), along=self.unit)
            self.renew()

    def renew(self) -> None:
        """Draw the plot anew."""
        self._plot = None
        self.update()

    def set_value(self, value: float) -> None:
        self.value = min(max(value, self.low), self.high)
        self.setAccessibleDescription(f"{self.value:.0f} {self.unit}")
        self.update()
        self.moved.emit(self.value)

    def said(self) -> str:
        """Return where the motion is, and what the plot says there."""
        place = f"{self._label} {self.value:.0f}°" if self.unit == "°" else f"{self._label} {self.value:.2f} {self.unit}"
        return f"{place}: {self.course.at(self.value)}" if self.course else place

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

    def frame(self) -> courses.Frame:
        """Return where the curves lie in this widget."""
        blank = Course("", "", (self.low, self.high), {}, "")
        found = courses.frame(self.course or blank, self.width(), max(self.height(), HEIGHT), self.low, self.high)
        return found if self.height() >= HEIGHT else replace(found, top=4.0, bottom=14.0)

    def x_of(self, value: float) -> float:
        return self.frame().x(value)

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
        end = {Qt.Key.Key_Home: self.low, Qt.Key.Key_End: self.high}.get(Qt.Key(event.key()))
        if end is not None:
            self.set_value(end)
        elif event.key() == Qt.Key.Key_Space:
            self.toggle_play()
        elif step is not None:
            self.set_value(self.value + step * (self.high - self.low) / 180)
        else:
            super().keyPressEvent(event)

    def _take(self, event: QMouseEvent) -> None:
        self.set_value(self.frame().value(event.position().x()))

    def resizeEvent(self, event: object) -> None:
        self._plot = None
        super().resizeEvent(event)  # type: ignore[arg-type]

    def paintEvent(self, _event: object) -> None:
        t, at = THEME.tokens, self.frame()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._plot is None:
            self._plot = self._drawn()
        if self.height() >= HEIGHT:
            ground = QColor(t.panel)
            ground.setAlphaF(OVER)
            painter.fillRect(self.rect(), ground)
        painter.drawPixmap(0, 0, self._plot)
        x = at.x(self.value)
        painter.setPen(QPen(QColor(t.accent), 2.2))
        painter.drawLine(QPointF(x, at.top), QPointF(x, at.bottom))
        painter.setPen(QPen(QColor(t.panel), 1.5))
        painter.setBrush(QColor(t.accent))
        painter.drawEllipse(QPointF(x, at.bottom), 6.5, 6.5)
        if self.hasFocus():
            axis.paint_focus(painter, QRectF(at.left - 2, at.top - 2, at.right - at.left + 4, at.bottom - at.top + 4))

    def _drawn(self) -> QPixmap:
        """Return the plot as a picture of this widget's size."""
        waiting = Course("smallest gap on the way", "mm", (self.low, self.high), {}, "moving it…", along=self.unit)
        ratio = self.devicePixelRatioF()
        found = QPixmap(self.size() * ratio)
        found.setDevicePixelRatio(ratio)
        found.fill(Qt.GlobalColor.transparent)
        painter = QPainter(found)
        if self.height() < HEIGHT:
            at = self.frame()
            painter.fillRect(QRectF(at.left, at.bottom - 2, at.right - at.left, 4), QColor(THEME.tokens.line))
            sign = self.unit if self.unit == "°" else ""
            ticks = [(at.x(tick), f"{tick:g}{sign}") for tick in round_ticks(self.low, self.high, 6)]
            axis.paint_numbers(painter, ticks, at.bottom + 6, self.width())
            return found
        picture = courses.to_svg(self.course or waiting, self.width(), self.height(), style(), low=self.low, high=self.high)
        QSvgRenderer(QByteArray(picture.encode())).render(painter, QRectF(0, 0, self.width(), self.height()))
        painter.end()
        return found


def style() -> courses.Style:
    """Return the plot's colours and letters as the theme in force has them."""
    t = THEME.tokens
    return courses.Style(t.ink, t.quiet, t.line, t.accent, t.look, t.panel, TEXT_FAMILY)
