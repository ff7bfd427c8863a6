"""The gap chart: situations down, gap across, zones with soft edges; this design's gaps and the evidence for them."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.marks import draw_mark
from bouncy_latch.app.kit.theme import THEME, text_font
from bouncy_latch.app.strips.ruler import paint_zones
from bouncy_latch.core.judge.zones import Zones
from bouncy_latch.core.learn.calibration.situations import (
    PURPOSES,
    SITUATIONS,
    SPAN,
    Situation,
    caution,
    chamfer_for,
    recommendation,
    situation_zones,
    spanning,
)
from bouncy_latch.core.outcomes import VERDICTS
from bouncy_latch.core.process.profile import Process

HIGH = 0.8
_SIDE = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01, Qt.Key.Key_PageDown: -0.05, Qt.Key.Key_PageUp: 0.05}
"""What keys do to the gap, mm."""
_ROWS = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
_BAR, _LABEL, _RIGHT, _TOP, _APART, _UNDER = 15, 232, 16, 14, 8, 38
_STACKED = 460
"""Width below which the name of a row stands over its bar, px."""


class GapChart(QWidget):
    """Situations down, gap across; this design's gap is a handle for mouse and keys, prints are ticks above.

    Signals:
        dragged: a gap while its handle moves, mm. released: the handle was let go.
    """

    dragged = Signal(float)
    released = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[tuple[str, bool, float, Zones]] = []
        self._mine: list[tuple[str, float]] = []
        self._evidence: list[tuple[float, str, str]] = []
        self._shown_for: Process | None = None
        self._span = SPAN
        self._grabbed = False
        self._row: int | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("gap chart of this process by situation")
        copyable(self, self.said)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def sizeHint(self) -> QSize:
        return QSize(500, self.heightForWidth(500))

    def heightForWidth(self, width: int) -> int:
        stacked = width < _STACKED
        return _TOP + _high(stacked) * len(SITUATIONS) + _UNDER + stacked * 20

    def minimumSizeHint(self) -> QSize:
        return QSize(300, self.heightForWidth(self.width()))

    @property
    def _left(self) -> float:
        """Where the bars begin, px."""
        return _RIGHT if self._stacked else _LABEL

    @property
    def _stacked(self) -> bool:
        return self.width() < _STACKED

    def show_process(self, process: Process, mine: list[tuple[str, float]],
                     evidence: list[tuple[float, str, str]] | None = None) -> None:
        """Show a process with this design's gaps and its evidence (gap, outcome, words); rows are
        made anew only for another process."""
        if process != self._shown_for:
            self._rows = [self._row_of(situation, process) for situation in SITUATIONS]
            self._shown_for = process
        self._mine, self._evidence = mine, evidence or []
        self.update()

    @property
    def span(self) -> float:
        """What the lid spans whose row is shown, mm."""
        return self._span

    def show_span(self, span: float) -> None:
        """Show the row of a lid for what it spans, mm; the other rows stay."""
        self._span = span
        if self._shown_for:
            self._rows = [self._row_of(situation, self._shown_for) if situation.span else row
                          for situation, row in zip(SITUATIONS, self._rows, strict=True)]
        self.update()

    def _row_of(self, situation: Situation, process: Process) -> tuple[str, bool, float, Zones]:
        label = f"lid over a flat, {self._span:g} mm span" if situation.span else situation.label
        zones = situation_zones(spanning(situation, self._span), process, np.linspace(0.0, HIGH, 65))
        return label, situation.moving, situation.habit, zones

    def _gap(self, x: float) -> float:
        return (x - self._left) / (self.width() - self._left - _RIGHT) * HIGH

    def _near_handle(self, x: float) -> bool:
        return any(abs(self._x(min(gap, HIGH)) - x) < 9 for _, gap in self._mine)

    def row_at(self, y: float) -> int | None:
        """Return the row under a height, if any."""
        return next((index for index in range(len(self._rows)) if self._top(index) <= y < self._top(index) + _BAR), None)

    def _top(self, row: int) -> float:
        """Return where a row begins; what moves stands apart from what does not."""
        changes = sum(a[1] != b[1] for a, b in pairwise(self._rows[:row + 1]))
        return _TOP + _high(self._stacked) * row + _APART * changes + self._stacked * (_high(True) - _high(False))

    def advice(self, row: int) -> str:
        """Return the recommended gaps of a row in words, with the chance that each works."""
        situation, process = spanning(SITUATIONS[row], self._span), self._shown_for
        if process is None:
            return ""
        said = []
        for aim in situation.aims:
            found = recommendation(situation, aim, process)
            said.append(f"{aim} ({PURPOSES[aim]}): {found.gap:.2f} mm per side, works in {100 * found.chance:.0f} % of prints")
        if told := caution(situation, process):
            said.append(told)
        elif situation.chamfer == 0 and (chamfer := chamfer_for(situation, process)):
            said.append(f"a {chamfer:g} chamfer on both bed edges makes the first layers harmless")
        share = "\nof anyone's printers" if "population" in process.source else ""
        return f"{self._rows[row][0]}\n" + "\n".join(said) + share

    def said(self) -> str:
        """Return this design's gap, and what is advised in the row that is looked at."""
        own = [f"{name} {gap:.2f} mm per side" for name, gap in self._mine]
        return "\n".join([*own, *([self.advice(self._row)] if self._row is not None else [])])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in _SIDE and self._mine:
            self.dragged.emit(min(max(self._mine[0][1] + _SIDE[key], 0.0), HIGH))
        elif key in _ROWS:
            self._look_at(0 if self._row is None else min(max(self._row + _ROWS[key], 0), len(self._rows) - 1))
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        super().keyReleaseEvent(event)
        if Qt.Key(event.key()) in _SIDE and not event.isAutoRepeat():
            self.released.emit()

    def _look_at(self, row: int) -> None:
        """Say what is advised in a row, beside it and to those who listen."""
        self._row = row
        self.setAccessibleDescription(self.advice(row))
        QToolTip.showText(self.mapToGlobal(QPoint(int(self._left), int(self._top(row)) + _high(False))), self.advice(row), self)
        self.update()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            row = self.row_at(event.y())
            QToolTip.showText(event.globalPos(), self.advice(row) if row is not None else "", self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._grabbed = self._near_handle(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grabbed:
            self.dragged.emit(min(max(self._gap(event.position().x()), 0.0), HIGH))
        else:
            over = self._near_handle(event.position().x())
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._grabbed:
            self._grabbed = False
            self.released.emit()

    def _x(self, gap: float) -> float:
        return self._left + gap / HIGH * (self.width() - self._left - _RIGHT)

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for gap, outcome, _ in self._evidence:
            draw_mark(painter, VERDICTS[outcome], QPointF(self._x(min(gap, HIGH)), 7), 8)
        for index, (name, _, habit, zones) in enumerate(self._rows):
            y = self._top(index)
            painter.setFont(text_font(9.5))
            painter.setPen(QColor(t.ink))
            side = Qt.AlignmentFlag.AlignLeft if self._stacked else Qt.AlignmentFlag.AlignRight
            beside = QRectF(self._left, y - _BAR, self.width(), _BAR) if self._stacked else QRectF(0, y, _LABEL - 12, _BAR)
            painter.drawText(beside, side | Qt.AlignmentFlag.AlignVCenter, name)
            bar = QRectF(self._left, y, self.width() - self._left - _RIGHT, _BAR)
            paint_zones(painter, bar, zones, 0.0, HIGH, labels=True)
            painter.setPen(QPen(QColor(t.ink), 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(self._x(habit), y - 2), QPointF(self._x(habit), y + _BAR + 2))
            if self.hasFocus() and index == self._row:
                axis.paint_focus(painter, QRectF(2, y - 2, self.width() - 4, _BAR + 4))
        y = self._top(len(self._rows) - 1) + _high(False)
        axis.paint_numbers(painter, [(self._x(i / 10), f"{i / 10:g}") for i in range(9)], y - 6, self.width())
        painter.setFont(text_font(8.5))
        unit, note = "gap per side, mm", "dotted: habit; marks: your prints; hover: advice"
        if self._stacked:
            painter.drawText(QRectF(_RIGHT, y + 26, self.width() - _RIGHT, 14), Qt.AlignmentFlag.AlignLeft, f"{unit}; {note}")
        else:
            painter.drawText(QRectF(0, y - 6, _LABEL - 12, 14), Qt.AlignmentFlag.AlignRight, unit)
            painter.drawText(QRectF(0, y + 8, _LABEL + 60, 14), Qt.AlignmentFlag.AlignLeft, note)
        self._paint_mine(painter, y)
        if self.hasFocus() and self._row is None:
            axis.paint_focus(painter, QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _paint_mine(self, painter: QPainter, bottom: float) -> None:
        t = THEME.tokens
        painter.setFont(text_font(8.5, QFont.Weight.Bold))
        for name, gap in self._mine:
            x = self._x(min(gap, HIGH))
            painter.setPen(QPen(QColor(t.ink), 2.2))
            spans = [(self._top(row) - 2, self._top(row) + _BAR + 2) for row in range(len(self._rows))]
            for top, end in spans if self._stacked else [(_TOP, bottom - 12)]:
                painter.drawLine(QPointF(x, top), QPointF(x, end))
            axis.paint_flag(painter, x, bottom + 7, self.width(), f"{name} {gap:.2f}")


def _high(stacked: bool) -> int:
    """Return the height of a row, px."""
    return 36 if stacked else 19
