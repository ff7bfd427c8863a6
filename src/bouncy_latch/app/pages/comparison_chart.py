"""Candidates by how much printer error each swallows and how hard it is to put together: two ways to a joint that works."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.theme import THEME, figure_font, text_font
from bouncy_latch.core.choosing.candidate import Candidate

LEFT, TOP, RIGHT, BOTTOM = 56.0, 30.0, 16.0, 42.0
"""Margins, px."""
WIDEST, LEAST, MOST = 0.6, 1.0, 200.0
"""Print window at the right edge, mm, and pushes at the lower and the upper edge, N; what lies beyond is drawn on the edge."""
SIZE, NEAR, INSET = 6.0, 14.0, 12.0
"""Radius of a mark, how far from it a press still takes it, and what keeps marks off the frame, px."""


class ComparisonChart(QWidget):
    """A mark for every candidate; a press takes it.

    Signals:
        picked: the candidate whose mark was pressed.
    """

    picked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._shown: tuple[Candidate, ...] = ()
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("push against print window")
        copyable(self, self.said)

    def sizeHint(self) -> QSize:
        return QSize(500, 210)

    def show_candidates(self, candidates: Sequence[Candidate]) -> None:
        """Show those whose print window is worked out."""
        self._shown = tuple(each for each in candidates if each.more is not None)
        self.setAccessibleDescription(self.said())
        self.update()

    def said(self) -> str:
        """Return the marks as text, a line each."""
        return "\n".join(f"{each.design.kind.title}: print window {_width(each):.2f} mm, "
                         f"{'no push' if math.isnan(each.effort) else f'push {each.effort:.0f} N'}" for each in self._shown)

    @property
    def area(self) -> QRectF:
        """The plot without its margins, px."""
        return QRectF(LEFT, TOP, max(self.width() - LEFT - RIGHT, 10), max(self.height() - TOP - BOTTOM, 10))

    def place(self, each: Candidate) -> QPointF:
        """Return where a candidate lies, px: without a push on the lower edge."""
        area, push = self._inside, LEAST if math.isnan(each.effort) else min(max(each.effort, LEAST), MOST)
        return QPointF(area.left() + min(_width(each) / WIDEST, 1.0) * area.width(),
                       area.bottom() - math.log(push / LEAST) / math.log(MOST / LEAST) * area.height())

    @property
    def _inside(self) -> QRectF:
        return self.area.adjusted(INSET, INSET, -INSET, -INSET)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        near = self._nearest(event.position())
        if near is not None:
            self.picked.emit(near)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        near = self._nearest(event.position())
        self.setCursor(Qt.CursorShape.PointingHandCursor if near else Qt.CursorShape.ArrowCursor)
        self.setToolTip(f"add this {near.design.kind.title.lower()}" if near else "")

    def _nearest(self, point: QPointF) -> Candidate | None:
        away = [(math.hypot(*(self.place(each) - point).toTuple()), number) for number, each in enumerate(self._shown)]
        return self._shown[min(away)[1]] if away and min(away)[0] <= NEAR else None

    def paintEvent(self, _event: object) -> None:
        t, area = THEME.tokens, self.area
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        axis.paint_frame(painter, area, t.panel)
        painter.setFont(text_font(9))
        painter.setPen(QColor(t.quiet))
        painter.drawText(QRectF(0, 6, area.right(), 18), int(Qt.AlignmentFlag.AlignRight),
                         "left: asks the printer to be right · right: gives way instead")
        painter.setFont(text_font(10.5, QFont.Weight.DemiBold))
        painter.setPen(QColor(t.ink))
        painter.drawText(QRectF(0, 4, self.width(), 20), int(Qt.AlignmentFlag.AlignLeft), "Push against print window")
        self._paint_scales(painter, area)
        taken = [QRectF(at.x() - SIZE, at.y() - SIZE, 2 * SIZE, 2 * SIZE) for at in map(self.place, self._shown)]
        for each in self._shown:
            self._paint_mark(painter, each, taken)

    def _paint_scales(self, painter: QPainter, area: QRectF) -> None:
        painter.setFont(figure_font(8))
        painter.setPen(QColor(THEME.tokens.quiet))
        inside = self._inside
        for push in (1, 10, 40, 100):
            y = inside.bottom() - math.log(push / LEAST) / math.log(MOST / LEAST) * inside.height()
            painter.drawText(QRectF(0, y - 8, LEFT - 6, 16), int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                             f"{push} N" if push > 1 else "none")
        marks = [(inside.left() + at / WIDEST * inside.width(), f"{at:g}") for at in (0, 0.1, 0.2, 0.3, 0.4, 0.5)]
        axis.paint_numbers(painter, marks, area.bottom() + 3, self.width(), 3)
        painter.setFont(text_font(8.5))
        painter.drawText(QRectF(area.left(), area.bottom() + 19, area.width(), 16), int(Qt.AlignmentFlag.AlignCenter),
                         "print window, mm of outline growth per side")

    def _paint_mark(self, painter: QPainter, each: Candidate, taken: list[QRectF]) -> None:
        t, at = THEME.tokens, self.place(each)
        painter.setPen(QPen(QColor(t.accent), 1.6))
        painter.setBrush(QColor(t.accent) if each.reached else QColor(t.panel))
        painter.drawEllipse(at, SIZE, SIZE)
        painter.setFont(text_font(9))
        painter.setPen(QColor(t.ink))
        wide = painter.fontMetrics().horizontalAdvance(each.design.kind.title) + 4
        places = [QRectF(at.x() + x if x > 0 else at.x() + x - wide, at.y() + y - 8, wide, 16)
                  for y in (0, -13, 13, -26, 26, 39, 52, 65) for x in (10, -10)]
        free = [words for words in places if self.area.contains(words) and not any(words.intersects(each) for each in taken)]
        if not free:
            return  # the table and the tooltip name it
        words = free[0]
        taken.append(words)
        painter.drawText(words, int(Qt.AlignmentFlag.AlignVCenter), each.design.kind.title)


def _width(each: Candidate) -> float:
    return each.more.window.width if each.more and each.more.window else 0.0
