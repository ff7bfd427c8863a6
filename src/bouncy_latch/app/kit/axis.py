"""What every scale is painted with: its frame, its numbers, the flag of a handle, and the ring of the focus."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from bouncy_latch.app.kit.theme import THEME, figure_font


def paint_frame(painter: QPainter, area: QRectF, ground: str) -> None:
    """Paint the ground of a scale with a thin line round it."""
    painter.setPen(QPen(QColor(THEME.tokens.line), 1))
    painter.setBrush(QColor(ground))
    painter.drawRoundedRect(area, 4, 4)


def paint_numbers(painter: QPainter, marks: Iterable[tuple[float, str]], top: float, width: float, tick: float = 0.0) -> None:
    """Paint numbers under a scale.

    Args:
        marks: where (px, kept inside ``width``) and what. top: upper edge of the numbers, px.
        tick: length of the line above each that reaches up to the scale, px; 0 for none.
    """
    painter.setFont(figure_font(8))
    painter.setPen(QPen(QColor(THEME.tokens.quiet), 1))
    for x, text in marks:
        if tick:
            painter.drawLine(QPointF(x, top - tick), QPointF(x, top))
        if text:
            wide = painter.fontMetrics().horizontalAdvance(text) + 2
            left = min(max(x - wide / 2, 0.0), width - wide)
            painter.drawText(QRectF(left, top, wide, 15), Qt.AlignmentFlag.AlignCenter, text)


def paint_flag(painter: QPainter, x: float, top: float, width: float, text: str) -> None:
    """Paint the figure at a handle, light on dark, kept inside ``width`` px."""
    t = THEME.tokens
    painter.setFont(figure_font(9.5, bold=True))
    wide = painter.fontMetrics().horizontalAdvance(text) + 12
    flag = QRectF(min(max(x - wide / 2, 0.0), width - wide), top, wide, 18)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(t.ink))
    painter.drawRoundedRect(flag, 4, 4)
    painter.setPen(QColor(t.panel))
    painter.drawText(flag, Qt.AlignmentFlag.AlignCenter, text)


def paint_focus(painter: QPainter, area: QRectF) -> None:
    """Paint the dotted ring round what the keyboard moves."""
    painter.setPen(QPen(QColor(THEME.tokens.accent), 1, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(area, 5, 5)
