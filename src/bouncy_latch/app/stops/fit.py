"""The Fit stop: what every gap does on this process, by situation, and the process itself, editable."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSignalBlocker, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from bouncy_latch.app.parts import label, scrolled
from bouncy_latch.app.ruler import paint_zones
from bouncy_latch.app.session import Session
from bouncy_latch.app.theme import THEME, figure_font, text_font
from bouncy_latch.core.advise.zones import SITUATIONS, Zones, situation_zones
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.process.population import effective
from bouncy_latch.core.process.profile import Process, Spread

HIGH = 0.8
_ROW, _BAR, _LABEL, _RIGHT = 27, 20, 232, 16
# (name, label, unit, what it is)
_NUMBERS = (
    ("nozzle", "nozzle", "mm"), ("layer_height", "layer height", "mm"), ("first_layer_height", "first layer", "mm"),
    ("line_width", "line width", "mm"), ("loops", "wall loops", ""), ("infill", "infill", "%"),
    ("edge_noise", "edge noise", "mm"), ("overhang_limit", "overhang limit", "°"),
)
_SPREADS = (
    ("growth", "growth", "mm/side"), ("hole_term", "hole shrink", "mm/side"),
    ("elephant_foot", "elephant foot", "mm/side"), ("shrinkage", "shrinkage", "%"), ("sag", "bridge sag", "mm"),
)


class GapChart(QWidget):
    """Situations down, gap across, zones with soft edges; this design's gaps as handles."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[tuple[str, bool, float, Zones]] = []
        self._mine: list[tuple[str, float]] = []
        self.setAccessibleName("gap chart of this process by situation")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(500, _ROW * len(SITUATIONS) + 50)

    def show_process(self, process: Process, mine: list[tuple[str, float]]) -> None:
        values = np.linspace(0.0, HIGH, 65)
        self._rows = [(s.label, s.moving, s.habit, situation_zones(s, process, values)) for s in SITUATIONS]
        self._mine = mine
        self.update()

    def _x(self, gap: float) -> float:
        return _LABEL + gap / HIGH * (self.width() - _LABEL - _RIGHT)

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = 4.0
        for index, (name, moving, habit, zones) in enumerate(self._rows):
            if index and moving != self._rows[index - 1][1]:
                y += 10
            painter.setFont(text_font(9.5))
            painter.setPen(QColor(t.ink))
            painter.drawText(QRectF(0, y, _LABEL - 12, _BAR), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                             name)
            bar = QRectF(_LABEL, y, self.width() - _LABEL - _RIGHT, _BAR)
            paint_zones(painter, bar, zones, 0.0, HIGH, labels=True)
            painter.setPen(QPen(QColor(t.ink), 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(self._x(habit), y - 2), QPointF(self._x(habit), y + _BAR + 2))
            y += _ROW
        painter.setFont(figure_font(8))
        painter.setPen(QColor(t.quiet))
        for i in range(9):
            painter.drawText(QRectF(self._x(i / 10) - 20, y - 6, 40, 14), Qt.AlignmentFlag.AlignCenter, f"{i / 10:g}")
        painter.setFont(text_font(8.5))
        painter.drawText(QRectF(0, y - 6, _LABEL - 12, 14), Qt.AlignmentFlag.AlignRight, "gap per side, mm")
        self._paint_mine(painter, y)

    def _paint_mine(self, painter: QPainter, bottom: float) -> None:
        t = THEME.tokens
        painter.setFont(text_font(8.5, QFont.Weight.Bold))
        for name, gap in self._mine:
            x = self._x(min(gap, HIGH))
            painter.setPen(QPen(QColor(t.ink), 2.2))
            painter.drawLine(QPointF(x, 0), QPointF(x, bottom - 12))
            text = f"{name} {gap:.2f}"
            width = painter.fontMetrics().horizontalAdvance(text) + 12
            flag = QRectF(min(x - width / 2, self.width() - width), bottom + 7, width, 17)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.ink))
            painter.drawRoundedRect(flag, 4, 4)
            painter.setPen(QColor(t.panel))
            painter.drawText(flag, Qt.AlignmentFlag.AlignCenter, text)


class FitStop(QWidget):
    """The gap chart over the process's own numbers."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.chart = GapChart()
        self._title, self._source = label("", "title", 10.5), label("", "quiet")
        self.fields: dict[str, QLineEdit] = {}
        self._trouble = label("", "stop")
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addSpacing(10)
        head.addWidget(self._source, 1)
        head.addWidget(label("dotted: the usual habit", "quiet", 8.5))
        column = QVBoxLayout()
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.chart)
        column.addWidget(label("This process", "head"))
        column.addLayout(self._process_grid())
        column.addWidget(self._trouble)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scrolled(column, (14, 8, 14, 4)))
        session.changed.connect(self._on_changed)
        self._on_changed()

    def _process_grid(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        for i, (name, text, unit) in enumerate(_NUMBERS):
            self._cell(grid, i % 5, 3 * (i // 5), name, text, unit)
        for i, (name, text, unit) in enumerate(_SPREADS):
            self._cell(grid, i, 6, name, text, unit, spread=True)
        grid.setColumnStretch(9, 1)
        for column in (2, 5):
            grid.setColumnMinimumWidth(column, 44)
        return grid

    def _cell(self, grid: QGridLayout, row: int, column: int, name: str, text: str, unit: str,
              spread: bool = False) -> None:
        field = QLineEdit()
        field.setFont(figure_font(9))
        field.setProperty("figure", "true")
        field.setFixedWidth(108 if spread else 62)
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.setAccessibleName(f"{text}{', mean ± spread' if spread else ''} {unit}")
        field.setToolTip("mean ± standard deviation" if spread else text)
        field.editingFinished.connect(lambda n=name: self._on_entered(n))
        self.fields[name] = field
        grid.addWidget(label(text, "", 9), row, column)
        grid.addWidget(field, row, column + 1)
        grid.addWidget(label(unit, "quiet", 8.5), row, column + 2)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_changed()

    def _on_changed(self) -> None:
        project = self._session.project
        process = project.process
        for name, field in self.fields.items():
            with QSignalBlocker(field):
                field.setText(_shown(getattr(process, name)))
        if not self.isVisible():
            return
        judged = effective(process, project.policy)
        self._title.setText(process.title if project.policy == "mine" else "anyone's printer")
        self._source.setText(judged.source)
        solution = self._session.solution
        mine = [(r.label, float(getattr(solution.params, r.param))) for r in solution.rulers] if solution else []
        self.chart.show_process(judged, [("gap", gap) for _, gap in mine])

    def _on_entered(self, name: str) -> None:
        process, text = self._session.project.process, self.fields[name].text()
        if text == _shown(getattr(process, name)):
            return
        try:
            changed = Process.model_validate({**process.model_dump(), name: _read(name, text), "source": "you"})
            self._trouble.setText("")
        except (ValueError, UserError):
            what = self.fields[name].accessibleName().split(",")[0]
            self._trouble.setText(f"{what} cannot be '{text}'; it stays as it was")
            self.fields[name].setText(_shown(getattr(process, name)))
            return
        self._session.set_process(changed)


def _shown(value: object) -> str:
    if isinstance(value, Spread):
        return f"{value.mean:g} ± {value.sd:g}"
    return f"{value:g}"


def _read(name: str, text: str) -> object:
    """Return what the user typed: a number, or mean ± spread (also with +/-)."""
    plain = text.replace(",", ".").replace("+/-", "±")
    if any(name == spread for spread, _, _ in _SPREADS):
        mean, _, sd = plain.partition("±")
        return {"mean": float(mean), "sd": float(sd) if sd.strip() else 0.0}
    return int(plain) if name == "loops" else float(plain)


