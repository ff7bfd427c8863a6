"""What is possible, as a plot: every design a mark by the two figures that pull against each other; a press takes one."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.theme import THEME, figure_font, text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.session.workers import Lane
from bouncy_latch.core.design import Design
from bouncy_latch.core.judge.search.feasible import Possible, Tried

LEFT, TOP, RIGHT, BOTTOM = 58.0, 54.0, 14.0, 44.0
"""Margins of the plot, px."""
TOPMOST = 200.0
"""Per cent of what the verdict allows at the upper edge; what lies beyond is drawn on it."""
NEAR = 12.0
"""How far from a mark a press still takes it, px."""
SIZE = 4.0


class PossiblePlot(QWidget):
    """Designs spread round the present one, worked out beside the interface when they are wanted."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.found: Possible | None = None
        self._of: Design | None = None
        self._chosen: int | None = None
        self.trouble = ""
        self.lane = Lane(self)
        self.lane.finished.connect(self._on_found)
        self.lane.failed.connect(self._on_failed)
        self._part = 0.0
        self.lane.progressed.connect(self._on_progressed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("what is possible")
        copyable(self, self.said)
        session.changed.connect(self._on_changed)

    def sizeHint(self) -> QSize:
        return QSize(320, 250)

    def minimumSizeHint(self) -> QSize:
        return QSize(220, 170)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_changed()

    def _on_changed(self) -> None:
        request = self._session.request
        if not self.isVisible() or request is None or not request.kind.tuning.trade_off or request == self._of:
            self.update()
            return
        # Taking one of the designs moves the present one among the others; they stay what they are.
        if self.found is not None and self._of is not None and self._is_among(request):
            self.update()
            return
        self._of, self.found, self._chosen, self.trouble = request, None, None, ""

        def work(report: Any) -> tuple[Design, Possible]:
            from bouncy_latch.core.judge.search import feasible

            return request, feasible.possible(request, frozenset(), report)

        self.lane.start(work)
        self.update()

    def _is_among(self, request: Design) -> bool:
        assert self.found is not None
        assert self._of is not None
        return any(request == self._of.changed(**item.changes) for item in self.found.tried)

    def _on_found(self, result: tuple[Design, Possible]) -> None:
        request, found = result
        if request == self._of:
            self.found = found
            holding = sum(item.holds for item in found.tried)
            self.setAccessibleDescription(f"{holding} of {len(found.tried)} designs can be made and last")
            self.update()

    def _on_failed(self, sentence: str) -> None:
        self.trouble = sentence
        self.update()

    def _on_progressed(self, part: float) -> None:
        self._part = part
        self.update()

    # -- where things are ----------------------------------------------------------------------------------------------

    @property
    def area(self) -> QRectF:
        """The plot without its margins, px."""
        return QRectF(LEFT, TOP, max(self.width() - LEFT - RIGHT, 10), max(self.height() - TOP - BOTTOM, 10))

    def _range(self) -> tuple[float, float]:
        """Least and greatest figure, a little beyond, as logarithms to ten."""
        assert self.found is not None
        known = [item.figure for item in (*self.found.tried, self.found.own) if item.figure > 0]
        known += [self.found.asked] if self.found.asked else []
        return math.log10(min(known)) - 0.05, math.log10(max(known)) + 0.05

    def place(self, figure: float, share: float) -> QPointF:
        """Return where a design lies, px."""
        (low, high), area = self._range(), self.area
        x = (math.log10(max(figure, 1e-9)) - low) / max(high - low, 1e-9)
        return QPointF(area.left() + min(max(x, 0.0), 1.0) * area.width(),
                       area.bottom() - min(share, TOPMOST) / TOPMOST * area.height())

    def nearest(self, point: QPointF) -> int | None:
        """Return the number of the design that can be made nearest to a place; None where none is near."""
        if self.found is None:
            return None
        away = [(math.hypot(*(self.place(item.figure, item.share) - point).toTuple()), i)
                for i, item in enumerate(self.found.tried)]
        return min(away)[1] if away and min(away)[0] <= NEAR else None

    def words_of(self, item: Tried) -> str:
        """Return what a design is and does."""
        request = self._session.request
        assert self.found is not None
        facts = request.params.facts() if request else {}
        sizes = ", ".join(f"{facts[name].label} {value:g}" for name, value in item.changes.items() if name in facts)
        short = f"; short of: {item.short[0].lower()}{item.short[1:]}" if item.short else ""
        return (f"{self.found.figure.label} {item.figure:.3g} {self.found.figure.unit}, {self.found.limited.lower()} "
                f"{item.share:.0f} % of what it may be{short}" + (f"\n{sizes}" if sizes else ""))

    def said(self) -> str:
        """Return the chosen design, or the present one, in words."""
        if self.found is None:
            return self.trouble or "trying designs…"
        return self.words_of(self.found.own if self._chosen is None else self.found.tried[self._chosen])

    # -- hands ---------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        near = self.nearest(event.position())
        if near is not None:
            self.take(near)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        near = self.nearest(event.position())
        self.setCursor(Qt.CursorShape.PointingHandCursor if near is not None else Qt.CursorShape.ArrowCursor)

    def event(self, event: object) -> bool:
        if isinstance(event, QHelpEvent):
            near = self.nearest(QPointF(event.pos()))
            if near is not None and self.found is not None:
                QToolTip.showText(event.globalPos(), self.words_of(self.found.tried[near]), self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)  # type: ignore[arg-type]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if self.found is not None and way is not None:
            good = sorted((item.figure, i) for i, item in enumerate(self.found.tried) if item.holds)
            if good:
                numbers = [i for _, i in good]
                if self._chosen in numbers:
                    at = min(max(numbers.index(self._chosen) + way, 0), len(numbers) - 1)
                else:
                    at = sum(figure < self.found.own.figure for figure, _ in good) - (way < 0)
                self._chosen = numbers[min(max(at, 0), len(numbers) - 1)]
                self.setAccessibleDescription(self.said())
                self.update()
        elif event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space} and self._chosen is not None:
            self.take(self._chosen)
        else:
            super().keyPressEvent(event)

    def take(self, number: int) -> None:
        """Take the sizes of a design."""
        if self.found is not None:
            self._chosen = number
            self._session.set_params("sizes out of what is possible", **self.found.tried[number].changes)

    # -- paint ---------------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: object) -> None:
        t, area = THEME.tokens, self.area
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        axis.paint_frame(painter, area, t.panel)
        painter.setFont(text_font(9))
        painter.setPen(QColor(t.quiet))
        if self.found is None:
            part = f"trying designs… {100 * self._part:.0f} %" if self.lane.busy else self.trouble
            painter.drawText(area, int(Qt.AlignmentFlag.AlignCenter) | int(Qt.TextFlag.TextWordWrap), part)
            return
        self._paint_scales(painter, area, self.found)
        for item in sorted(self.found.tried, key=lambda each: each.holds):
            self._paint_mark(painter, item)
        self._paint_own(painter)
        if self.hasFocus():
            axis.paint_focus(painter, area.adjusted(-3, -3, 3, 3))

    def _paint_scales(self, painter: QPainter, area: QRectF, found: Possible) -> None:
        t, limit = THEME.tokens, self.place(1.0, 100.0).y()
        beyond = QColor(t.stop)
        beyond.setAlpha(14)
        painter.fillRect(QRectF(area.left() + 1, area.top() + 1, area.width() - 2, limit - area.top() - 1), beyond)
        painter.setPen(QPen(QColor(t.stop), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(area.left(), limit), QPointF(area.right(), limit))
        painter.setFont(figure_font(8))
        painter.setPen(QColor(t.quiet))
        for share in (0, 50, 100, 150, 200):
            y = self.place(1.0, share).y()
            painter.drawText(QRectF(0, y - 8, LEFT - 6, 16), int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                             f"{share} %")
        low, high = self._range()
        marks = [(self.place(value, 0).x(), f"{value:g}") for value in _decades(low, high)]
        axis.paint_numbers(painter, marks, area.bottom() + 3, self.width(), 3)
        painter.setFont(text_font(8.5))
        painter.drawText(QRectF(area.left(), area.bottom() + 17, area.width(), 16), int(Qt.AlignmentFlag.AlignCenter),
                         f"{found.figure.label}, {found.figure.unit}")
        painter.setPen(QColor(t.ink))
        painter.setFont(text_font(10.5, QFont.Weight.DemiBold))
        painter.drawText(QRectF(16, 10, self.width() - 16, 18), int(Qt.AlignmentFlag.AlignLeft), "What is possible")
        painter.setFont(text_font(8.5))
        painter.setPen(QColor(t.quiet))
        painter.drawText(QRectF(16, 29, self.width() - 16, 18), int(Qt.AlignmentFlag.AlignLeft),
                         f"{found.limited.lower()} of what it may be, against {found.figure.label}; "
                         "press a ● to take it")
        if found.asked:
            x = self.place(found.asked, 0).x()
            painter.setPen(QPen(QColor(t.accent), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.drawText(QRectF(x - 60, area.top() + 1, 57, 14), int(Qt.AlignmentFlag.AlignRight), "asked")

    def _paint_mark(self, painter: QPainter, item: Tried) -> None:
        """A disc for what can be made and lasts, an open triangle for what cannot."""
        t, at = THEME.tokens, self.place(item.figure, item.share)
        if item.holds:
            painter.setPen(QPen(QColor(t.panel), 0.8))
            painter.setBrush(QColor(t.ok))
            painter.drawEllipse(at, SIZE, SIZE)
        else:
            painter.setPen(QPen(QColor(t.quiet), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            up, side = QPointF(0, -0.8 * SIZE), QPointF(0.8 * SIZE, 0.6 * SIZE)
            painter.drawPolygon(QPolygonF([at + up, at + side, at + QPointF(-side.x(), side.y())]))

    def _paint_own(self, painter: QPainter) -> None:
        """A cross on the present design, a ring round the chosen one."""
        t, solution, found = THEME.tokens, self._session.solution, self.found
        if found is None or solution is None or self._session.request is None:
            return
        if self._chosen is not None:
            item = found.tried[self._chosen]
            painter.setPen(QPen(QColor(t.accent), 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(self.place(item.figure, item.share), SIZE + 3, SIZE + 3)
        figure, verdict = self._session.request.kind.tuning.trade_off  # type: ignore[misc]
        check = solution.check(verdict)
        at = self.place(solution.value(figure), 100 * check.value / check.limit)
        painter.setPen(QPen(QColor(t.ink), 2))
        painter.drawLine(at + QPointF(-6, 0), at + QPointF(6, 0))
        painter.drawLine(at + QPointF(0, -6), at + QPointF(0, 6))


def _decades(low: float, high: float) -> list[float]:
    """Return round numbers between two logarithms to ten, a handful."""
    steps = (1, 2, 5) if high - low < 2.2 else (1,)
    return [part * 10.0**power for power in range(math.floor(low), math.ceil(high) + 1) for part in steps
            if low <= math.log10(part * 10.0**power) <= high]
