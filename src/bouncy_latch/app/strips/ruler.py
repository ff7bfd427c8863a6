"""The ruler: one number as a scale with soft zones, evidence ticks above, the print window with its bell, and a handle."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.marks import blend, draw_mark
from bouncy_latch.app.kit.theme import THEME, text_font
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.zones import Zones
from bouncy_latch.core.numbers import round_ticks
from bouncy_latch.core.outcomes import VERDICTS

BAR = 24.0
MARGIN = 22.0
PALE = 0.35
"""How much is seen of zones that are of an earlier design."""
BELL = 14.0
"""Height of the bell of prints, px."""
_SHORT = {"needs a tool": "tool", "frees by hand": "by hand", "will not go in": "too tight"}


@frozen
class WindowOnRuler:
    """The print window in values of a scale: where it ends, and one standard deviation of what the printer makes of a value."""

    ends: tuple[float, float]
    spread: float


def zone_stops(zones: Zones, low: float, high: float) -> list[tuple[float, QColor]]:
    """Return where (0 to 1) along low…high which blended colour stands."""
    t = THEME.tokens
    found = []
    for value, row in zip(zones.values, zones.chances, strict=True):
        place = (value - low) / (high - low)
        if 0 <= place <= 1:
            mixed = QColor(t.line) if np.isnan(row).any() else blend(
                tuple(t.zones[tone] for tone in zones.scale.tones), list(row))
            found.append((place, mixed))
    return found


def paint_zones(painter: QPainter, bar: QRectF, zones: Zones, low: float, high: float, labels: bool,
                stops: list[tuple[float, QColor]] | None = None) -> None:
    """Fill ``bar`` (for low…high) with the blended zone colours and name each zone where it is likeliest."""
    t = THEME.tokens
    gradient = QLinearGradient(bar.topLeft(), bar.topRight())
    for place, colour in stops or zone_stops(zones, low, high):
        gradient.setColorAt(place, colour)
    path = QPainterPath()
    path.addRoundedRect(bar, 4, 4)
    painter.fillPath(path, gradient)
    if not labels:
        return
    painter.setFont(text_font(8.5, QFont.Weight.Bold))
    likeliest = np.where(np.isnan(zones.chances).any(axis=1), -1, np.nan_to_num(zones.chances, nan=-1).argmax(axis=1))
    for index, name in enumerate(zones.scale.names):
        inside = zones.values[likeliest == index]
        if len(inside) < 2:
            continue
        x0, x1 = (bar.left() + (v - low) / (high - low) * bar.width() for v in (inside[0], inside[-1]))
        name = next((n for n in (name, _SHORT.get(name, "")) if n and x1 - x0 > painter.fontMetrics().horizontalAdvance(n)), "")
        if name:
            painter.setPen(QColor(t.on_zones[zones.scale.tones[index]]))
            painter.drawText(QRectF(x0, bar.top(), x1 - x0, bar.height()), Qt.AlignmentFlag.AlignCenter, name)


class Ruler(QWidget):
    """A draggable scale.

    Signals:
        dragged: the value while dragging. released: the drag ended.
    """

    dragged = Signal(float)
    released = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setMinimumHeight(72)
        self.setAccessibleName("ruler")
        self.low, self.high, self.step = 0.0, 0.8, 0.01
        self._value = 0.3
        self._unit = "mm"
        self._digits = 2
        self._zones: Zones | None = None
        self._stops: dict[bool, list[tuple[float, QColor]]] = {}
        self._evidence: list[tuple[float, str, str]] = []
        self._window: WindowOnRuler | None = None
        self._recommended: float | None = None
        self._stale = False
        self._dragging = False
        copyable(self, lambda: f"{self._value:.{self._digits}f} {self._unit}".strip())

    @property
    def value(self) -> float:
        return self._value

    def configure(self, low: float, high: float, step: float, unit: str, name: str) -> None:
        self.low, self.high, self.step, self._unit = low, high, step, unit
        self._digits = 2 if step < 0.1 else 1 if step < 1 else 0
        self.setAccessibleName(f"{name} ruler, {unit}")
        self.update()

    def show_value(self, value: float) -> None:
        self._value = value
        self.setAccessibleDescription(f"{value:.2f} {self._unit}")
        self.update()

    def show_zones(self, zones: Zones | None) -> None:
        if zones is not self._zones:
            self._zones, self._stops = zones, {}
            self.update()

    def show_stale(self, stale: bool) -> None:
        """Pale the zones while they are those of an earlier design."""
        if stale != self._stale:
            self._stale = stale
            self.update()

    def show_evidence(self, ticks: list[tuple[float, str, str]]) -> None:
        """Show prints as (value, outcome, what to say about it)."""
        self._evidence = ticks
        self.setToolTip("\n".join(f"{v:.2f}  {outcome}  {about}" for v, outcome, about in ticks))
        self.update()

    def show_window(self, window: WindowOnRuler | None) -> None:
        """Show the print window in values of this scale, and how prints spread in it."""
        self._window = window
        self.update()

    def show_recommended(self, value: float | None) -> None:
        """Show the recommended value as a small pointer under the bar."""
        self._recommended = value
        self.update()

    # -- geometry ----------------------------------------------------------------------------------------------------

    def _bar(self) -> QRectF:
        return QRectF(MARGIN, 21, self.width() - 2 * MARGIN, BAR)

    def x_of(self, value: float) -> float:
        """Return the pixel of a value."""
        bar = self._bar()
        return bar.left() + (min(max(value, self.low), self.high) - self.low) / (self.high - self.low) * bar.width()

    def _value_at(self, x: float) -> float:
        bar = self._bar()
        value = self.low + (x - bar.left()) / bar.width() * (self.high - self.low)
        return min(max(round(value / self.step) * self.step, self.low), self.high)

    # -- events ------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._dragging = True
            self._move(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._move(event.position().x())

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self.released.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageDown: -5, Qt.Key.Key_PageUp: 5}.get(
            Qt.Key(event.key()))
        if steps is None:
            super().keyPressEvent(event)
            return
        self.dragged.emit(min(max(self._value + steps * self.step, self.low), self.high))

    def _move(self, x: float) -> None:
        value = self._value_at(x)
        if abs(value - self._value) > self.step / 4:
            self.dragged.emit(value)

    # -- painting ----------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bar = self._bar()
        if self._zones is None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.sunken))
            painter.drawRoundedRect(bar, 4, 4)
        else:
            # Blending takes longer than all other painting, and a drag changes none of it.
            if THEME.dark not in self._stops:
                self._stops[THEME.dark] = zone_stops(self._zones, self.low, self.high)
            painter.setOpacity(PALE if self._stale else 1.0)
            paint_zones(painter, bar, self._zones, self.low, self.high, labels=True, stops=self._stops[THEME.dark])
            if self._zones.sides is not None:
                self._paint_sides(painter, bar, self._zones)
            painter.setOpacity(1.0)
        self._paint_scale(painter, bar)
        for value, outcome, _ in self._evidence:
            if self.low <= value <= self.high:
                draw_mark(painter, VERDICTS[outcome], QPointF(self.x_of(value), 12), 9)
        if self._window:
            self._paint_window(painter, bar, self._window)
        self._paint_handle(painter, bar)
        if self.hasFocus():
            axis.paint_focus(painter, bar.adjusted(-3, -3, 3, 3))

    def _paint_sides(self, painter: QPainter, bar: QRectF, zones: Zones) -> None:
        """Two lines over the zones, nothing at the bottom and certain at the top: free (whole), tight enough (dashed)."""
        assert zones.sides is not None
        inside = (zones.values >= self.low) & (zones.values <= self.high)
        x = bar.left() + (zones.values - self.low) / (self.high - self.low) * bar.width()
        y = bar.bottom() - 2 - (bar.height() - 4) * zones.sides
        for column, style in ((0, Qt.PenStyle.SolidLine), (1, Qt.PenStyle.DashLine)):
            known = inside & ~np.isnan(y[:, column])
            painter.setPen(QPen(QColor(THEME.tokens.on_zones[2]), 1.6, style))
            for run in np.split(np.flatnonzero(known), np.flatnonzero(np.diff(np.flatnonzero(known)) > 1) + 1):
                painter.drawPolyline([QPointF(a, b) for a, b in zip(x[run], y[run, column], strict=True)])

    def _paint_scale(self, painter: QPainter, bar: QRectF) -> None:
        t = THEME.tokens
        marks = round_ticks(self.low, self.high, 9)
        # The handle's own figure stands where it is.
        axis.paint_numbers(painter, [(x, "" if abs(x - self.x_of(self._value)) < 34 else f"{mark:g}")
                                     for mark in marks for x in (self.x_of(mark),)], bar.bottom() + 6, self.width(), tick=4)
        if self._recommended is not None:
            x = self.x_of(self._recommended)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent))
            painter.drawPolygon([QPointF(x, bar.bottom() + 1), QPointF(x - 5, bar.bottom() + 8),
                                 QPointF(x + 5, bar.bottom() + 8)])

    def _paint_window(self, painter: QPainter, bar: QRectF, window: WindowOnRuler) -> None:
        """A bracket just above the bar for what passes, and the bell of what comes out of the printer rising from it."""
        t = THEME.tokens
        low, high = sorted(window.ends)
        x0, x1, y = self.x_of(low), self.x_of(high), bar.top() - 3
        bell = QPainterPath(QPointF(self.x_of(self._value - 3.2 * window.spread), y))
        for turn in np.linspace(-3.2, 3.2, 41):
            bell.lineTo(self.x_of(self._value + turn * window.spread), y - BELL * float(np.exp(-turn * turn / 2)))
        bell.closeSubpath()
        painter.setPen(QPen(QColor(t.quiet), 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(bell)
        painter.save()
        painter.setClipRect(QRectF(x0, 0, x1 - x0, y))
        painter.fillPath(bell, QColor(t.accent))
        painter.restore()
        painter.setPen(QPen(QColor(t.ink), 1.6))
        painter.drawLine(QPointF(x0, y), QPointF(x1, y))
        for x in (x0, x1):
            painter.drawLine(QPointF(x, y), QPointF(x, y + 6))

    def _paint_handle(self, painter: QPainter, bar: QRectF) -> None:
        t = THEME.tokens
        x = self.x_of(self._value)
        painter.setPen(QPen(QColor(t.ink), 2.4))
        painter.drawLine(QPointF(x, bar.top() - 8), QPointF(x, bar.bottom() + 6))
        axis.paint_flag(painter, x, bar.bottom() + 5, self.width(), f"{self._value:.{self._digits}f}")
