"""The job line: five stops from brief to proof, each saying how it stands for the selected mechanism."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from bouncy_latch.app.kit.marks import draw_mark
from bouncy_latch.app.kit.parts import fitting
from bouncy_latch.app.kit.theme import THEME, text_font
from bouncy_latch.app.session.bed import Bed
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.checks import FIT, OK, PRINT, SHAPE, worst
from bouncy_latch.core.judge.verdicts import SWEEP_ID

STOPS = ("Brief", "Fit", "Shape", "Print", "Prove")
TIGHT = 84
"""Width of a stop below which its mark and words stand closer, px."""


def standing(session: Session) -> list[tuple[str, str]]:
    """Return (verdict or 'none', words) for each stop."""
    mechanism, checks = session.mechanism, session.checks
    if mechanism is None:
        return [("none", "nothing chosen")] * len(STOPS)
    if session.solution is None:
        return [("stop", "look here")] + [("none", "waiting")] * 4
    prints = mechanism.prints
    here = [p for p in prints if p.params == mechanism.params]

    def judged(topic: str, fine: str) -> tuple[str, str]:
        chosen = [c for c in checks if c.topic == topic]
        bad = sum(c.verdict != OK for c in chosen)
        words = fine if not bad else "one thing to look at" if bad == 1 else f"{bad} things to look at"
        return worst(chosen), words

    evidence = f"{len(prints)} print{'s' if len(prints) != 1 else ''} of evidence" if prints else "settled"
    solution = session.solution
    parts_in_place = bool(solution.joints)
    laid = judged(PRINT, "joint comes free" if parts_in_place else "prints without risk") if session.proof else ("none",
                                                                                                                 "slicing")
    turned = judged(SHAPE, f"{solution.motion.label.lower()}s clear" if any(c.id == SWEEP_ID for c in checks) else "settled")
    proved = ("ok", f"printed: {here[-1].outcome}") if here else \
        ("none", "changed since" if prints else "no print yet")
    return [("ok", "settled"), judged(FIT, evidence), turned, laid, proved]


def standing_of_loose(bed: Bed) -> list[tuple[str, str]]:
    """Return (verdict or 'none', words) for each stop while loose parts lie on the bed."""
    bad = sum(check.verdict != OK for check in bed.checks)
    words = "slicing" if bed.printed is None else "comes off free" if not bad else \
        "one thing to look at" if bad == 1 else f"{bad} things to look at"
    laid = ("none" if bed.printed is None else worst(bed.checks), words)
    files = ("none", "parts from files")
    return [files, files, ("none", "as they stand"), laid, files]


def shorter(words: str) -> tuple[str, ...]:
    """Return how a standing is said in less and less room; at last the mark says it alone."""
    few = words.replace("one thing", "1").replace(" things", "").replace(" of evidence", "").removeprefix("printed: ")
    return words, few, few.removesuffix(" to look at").removesuffix(" since"), ""


class JobLine(QWidget):
    """Five stops in a row.

    Signals:
        went: the index of the stop the user chose.
    """

    went = Signal(int)

    def __init__(self, session: Session, bed: Bed) -> None:
        super().__init__()
        self._session, self._bed = session, bed
        self.current = 2
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("job line")
        for signal in (session.viewed, bed.changed):
            signal.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, 42)

    def go(self, index: int) -> None:
        """Go to a stop."""
        self.current = index
        self.setAccessibleDescription(STOPS[index])
        self.update()
        self.went.emit(index)

    def _cell(self, index: int) -> QRectF:
        width = self.width() / len(STOPS)
        return QRectF(index * width, 2, width - 8, self.height() - 4)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for index in range(len(STOPS)):
            if self._cell(index).contains(event.position()):
                self.go(index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        elif 0 <= self.current + step < len(STOPS):
            self.go(self.current + step)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            stands = self._stands()
            place = next((i for i in range(len(STOPS)) if self._cell(i).contains(event.pos())), None)
            QToolTip.showText(event.globalPos(), "" if place is None else f"{STOPS[place]}: {stands[place][1]}", self)
            return True
        return super().event(event)

    def _stands(self) -> list[tuple[str, str]]:
        return standing_of_loose(self._bed) if self._bed.shows_loose else standing(self._session)

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for index, (name, (verdict, words)) in enumerate(zip(STOPS, self._stands(), strict=True)):
            cell = self._cell(index)
            if index:
                painter.setPen(QPen(QColor(t.line), 1.5))
                painter.drawLine(QPointF(cell.left() - 7, cell.center().y()), QPointF(cell.left() - 1, cell.center().y()))
            chosen = index == self.current
            if chosen:
                painter.setPen(QPen(QColor(t.accent), 1.6 if self.hasFocus() else 1.2))
                painter.setBrush(QColor(t.panel))
                painter.drawRoundedRect(cell, 6, 6)
            at, beside = (16, 30) if cell.width() > TIGHT else (10, 19)
            draw_mark(painter, verdict, QPointF(cell.left() + at, cell.center().y()), 11)
            half = cell.height() / 2
            left, width = cell.left() + beside, cell.width() - beside - 3
            painter.setPen(QColor(t.ink))
            painter.setFont(text_font(10.5, QFont.Weight.Bold if chosen else QFont.Weight.DemiBold))
            painter.drawText(QRectF(left, cell.top() + 3, width, half), Qt.AlignmentFlag.AlignVCenter, name)
            painter.setPen(QColor(t.quiet))
            painter.setFont(text_font(8.5))
            words = fitting(shorter(words), painter.fontMetrics(), width)
            painter.drawText(QRectF(left, cell.top() + half - 3, width, half), Qt.AlignmentFlag.AlignVCenter, words)
