"""Verdict marks: told apart by shape as well as colour (dot, triangle, square), and small painting helpers."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from bouncy_latch.app.kit.theme import THEME


def draw_mark(painter: QPainter, verdict: str, centre: QPointF, size: float = 10) -> None:
    """Paint ● fine, ▲ look, ■ stop, ○ for anything unknown."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    colour = THEME.verdict(verdict)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    half = size / 2
    if verdict == "look":
        painter.drawPolygon(QPolygonF([centre + QPointF(0, -half), centre + QPointF(half * 1.1, half * 0.85),
                                       centre + QPointF(-half * 1.1, half * 0.85)]))
    elif verdict == "stop":
        painter.drawRect(QRectF(centre.x() - half * 0.9, centre.y() - half * 0.9, size * 0.9, size * 0.9))
    elif verdict == "ok":
        painter.drawEllipse(centre, half * 0.9, half * 0.9)
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.6))
        painter.drawEllipse(centre, half * 0.75, half * 0.75)
    painter.restore()


class Mark(QWidget):
    """A verdict mark as a widget."""

    def __init__(self, verdict: str = "none", size: int = 12) -> None:
        super().__init__()
        self._verdict = verdict
        self.setFixedSize(size + 4, size + 4)

    def set_verdict(self, verdict: str) -> None:
        self._verdict = verdict
        self.setAccessibleName(verdict)
        self.update()

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self)
        draw_mark(painter, self._verdict, QPointF(self.width() / 2, self.height() / 2), self.width() - 5)


def blend(colours: tuple[str, ...], weights: list[float]) -> QColor:
    """Return the weighted mean of colours."""
    total = sum(weights) or 1.0
    mixed = [0.0, 0.0, 0.0]
    for name, weight in zip(colours, weights, strict=True):
        colour = QColor(name)
        for i, part in enumerate((colour.redF(), colour.greenF(), colour.blueF())):
            mixed[i] += part * weight / total
    return QColor.fromRgbF(*(min(1.0, part) for part in mixed))
