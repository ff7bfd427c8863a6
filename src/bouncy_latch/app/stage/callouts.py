"""Dimension call-outs over the 3-D picture: each where it belongs, kept in view and off the others."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen

from bouncy_latch.app.kit.theme import THEME, text_font
from bouncy_latch.core.mechanisms.contract import Callout

PAD = 6.0
POINT = 2.5

Project = Callable[[npt.NDArray[np.float64]], list[QPointF]]


def paint(painter: QPainter, callouts: Sequence[Callout], project: Project, area: QRectF) -> None:
    """Paint call-outs inside ``area``; ``project`` takes points of the scene (n, 3) to the widget's."""
    t = THEME.tokens
    painter.setFont(text_font(9.5, QFont.Weight.DemiBold))
    metrics = painter.fontMetrics()
    sizes = [(metrics.horizontalAdvance(callout.label) + 2 * PAD, metrics.height() + 2.0) for callout in callouts]
    places = [project(np.array([callout.start, callout.end, _beyond(callout)])) for callout in callouts]
    boxes = apart([place[2] for place in places], sizes, area)
    painter.setPen(QPen(QColor(t.ink), 1.6))
    for (start, end, _), box in zip(places, boxes, strict=True):
        if box is None:
            continue
        painter.drawLine(start, end)
        painter.drawLine(end, QPointF(box.center().x(), box.bottom() if box.bottom() < end.y() else box.top()))
        painter.setBrush(QColor(t.ink))
        for point in (start, end):
            painter.drawEllipse(point, POINT, POINT)
    for callout, box in zip(callouts, boxes, strict=True):
        if box is None:
            continue
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.panel))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor(t.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, callout.label)


def apart(wanted: Sequence[QPointF], sizes: Sequence[tuple[float, float]], area: QRectF) -> list[QRectF | None]:
    """Return boxes with their lower middles where they are wanted, moved into ``area`` and off each other.

    Of the free places beside, above and below others the nearest is taken; None where ``area`` has no room left for one.
    """
    found: list[QRectF | None] = []
    for place, (wide, high) in zip(wanted, sizes, strict=True):
        x = min(max(place.x() - wide / 2, area.left()), max(area.right() - wide, area.left()))
        y = min(max(place.y() - high, area.top()), max(area.bottom() - high, area.top()))
        others = [box for box in found if box is not None]
        across = [x, *(edge for box in others for edge in (box.left() - wide - 2, box.right() + 2))]
        upward = [y, *(edge for box in others for edge in (box.top() - high - 2, box.bottom() + 2))]
        boxes = [QRectF(a, b, wide, high) for a in across for b in upward]
        free = [box for box in boxes if area.contains(box) and not any(box.intersects(other) for other in others)]
        found.append(min(free, key=lambda box: abs(box.left() - x) + abs(box.top() - y), default=None))
    return found


def _beyond(callout: Callout) -> npt.NDArray[np.float64]:
    """A little beyond the end of a call-out, so that the text does not cover what it names."""
    a, b = np.array(callout.start), np.array(callout.end)
    length = float(np.linalg.norm(b - a))
    if length < 2.0:
        return b + np.array([0.0, 0.0, 14.0])
    return b + (b - a) / length * (2.0 if length > 8 else 6.0)
