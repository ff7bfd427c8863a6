"""The colours of strain on what bends, and what they mean."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPen

from bouncy_latch.app.kit.figures import body_colour, rgb
from bouncy_latch.app.kit.theme import THEME, text_font

STOPS = (0.0, 0.5, 1.0, 1.5)
"""Where the colours are pure, as parts of what the material stands."""
WIDE, HIGH = 150.0, 7.0
"""Of the scale, px."""


def colours(parts: npt.NDArray[np.float64]) -> npt.NDArray[np.uint8]:
    """Return colours (n, 3) of strains (n,) as parts of what the material stands: its own for none, red beyond it."""
    t = THEME.tokens
    pure = np.array([rgb(QColor(colour)) for colour in (body_colour(0), t.zones[3], t.zones[1], t.zones[0])])
    return np.column_stack([np.interp(parts, STOPS, pure[:, channel]) for channel in range(3)]).astype(np.uint8)


def paint(painter: QPainter, area: QRectF, stands: float) -> None:
    """Paint the scale in the lower right corner of ``area``, what the material stands (per cent) marked on it."""
    t = THEME.tokens
    bar = QRectF(area.right() - WIDE - 8, area.bottom() - 24, WIDE, HIGH)
    gradient = QLinearGradient(bar.topLeft(), bar.topRight())
    for stop, colour in zip(STOPS, colours(np.array(STOPS)), strict=True):
        gradient.setColorAt(stop / STOPS[-1], QColor(*map(int, colour)))
    painter.fillRect(bar, gradient)
    at = bar.left() + bar.width() / STOPS[-1]
    painter.setPen(QPen(QColor(t.ink), 1.6))
    painter.drawLine(QPointF(at, bar.top() - 3), QPointF(at, bar.bottom() + 3))
    painter.setFont(text_font(8.5))
    painter.setPen(QColor(t.quiet))
    under = bar.bottom() + 3
    painter.drawText(QRectF(bar.left(), under, 60, 14), Qt.AlignmentFlag.AlignLeft, "strain 0")
    painter.drawText(QRectF(at - 60, under, 120, 14), Qt.AlignmentFlag.AlignHCenter, f"limit {stands:.2g} %")
