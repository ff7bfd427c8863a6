"""What became of a ladder, in one place: a row a step and one click each, calipers beside it, and the belief moving."""

from __future__ import annotations

from functools import partial
from typing import Any, NamedTuple

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from bouncy_latch.app.kit import axis
from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.editors import Combo
from bouncy_latch.app.kit.marks import Mark
from bouncy_latch.app.kit.parts import button, clear, label, scrolled
from bouncy_latch.app.kit.theme import THEME, figure_font, text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.session.workers import Lane
from bouncy_latch.core.checks import OK
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.learn.calibration import written
from bouncy_latch.core.learn.calibration.ladders import meets_bed
from bouncy_latch.core.learn.calibration.written import Written
from bouncy_latch.core.learn.posterior.belief import FIT_PEG, learn, scale_of
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.numbers import round_ticks
from bouncy_latch.core.process import readings
from bouncy_latch.core.process.evidence import FEATURES, Reading, Result, reading, result
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.project.folders import data_folder

SLIM = 660
"""Width below which the columns stand under each other, px."""
LEFT, RIGHT = -0.15, 0.35
"""Growth shown by the bells, mm per side."""


class Bells(QWidget):
    """What was believed of the printer's growth, and what is believed now, as two bells over one scale."""

    def __init__(self) -> None:
        super().__init__()
        self.before: Spread | None = None
        self.now: Spread | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("outline growth believed before and now")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        copyable(self, self.accessibleDescription)

    def sizeHint(self) -> QSize:
        return QSize(240, 66)

    def show_spreads(self, before: Spread, now: Spread) -> None:
        """Show both, mm per side."""
        self.before, self.now = before, now
        then, since = (f"{spread.mean:+.2f} ± {spread.sd:.2f}" for spread in (before, now))
        self.setAccessibleDescription(f"before {then}, now {since} mm per side")
        self.update()

    def paintEvent(self, _event: object) -> None:
        if self.before is None or self.now is None:
            return
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(8, 4, self.width() - 16, self.height() - 26)
        highest = max(1 / max(spread.sd, 0.004) for spread in (self.before, self.now))
        for spread, fill in ((self.before, False), (self.now, True)):
            path = QPainterPath(area.bottomLeft())
            for growth in np.linspace(LEFT, RIGHT, 160):
                sd = max(spread.sd, 0.004)
                high = np.exp(-0.5 * ((growth - spread.mean) / sd) ** 2) / sd / highest
                path.lineTo(self._x(area, float(growth)), area.bottom() - float(high) * area.height())
            path.lineTo(area.bottomRight())
            style = Qt.PenStyle.SolidLine if fill else Qt.PenStyle.DashLine
            painter.setPen(QPen(QColor(t.accent if fill else t.quiet), 1.6, style))
            painter.setBrush(QColor(t.accent_soft) if fill else Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        ticks = [(self._x(area, tick), f"{tick:g}") for tick in round_ticks(LEFT, RIGHT, 6)]
        axis.paint_numbers(painter, ticks, area.bottom() + 4, self.width())

    @staticmethod
    def _x(area: QRectF, growth: float) -> float:
        return area.left() + (growth - LEFT) / (RIGHT - LEFT) * area.width()


class _Asked(NamedTuple):
    """One thing that is asked of a ladder: what became of a step, or of its peg in a hole."""

    kind: str
    param: str
    value: float
    params: str = ""


def _asked(chosen: Written) -> list[_Asked]:
    return [*(_Asked(chosen.kind, chosen.param, value, sizes) for value, sizes in chosen.steps),
            *(_Asked(FIT_PEG, "gap", value) for value in chosen.fits),
            *(_Asked(kind, registry.kind(kind).recommend, value, sizes) for kind, value, sizes in chosen.others)]


class LadderPage(QWidget):
    """Takes what became of a ladder that was written for the chosen printer.

    Signals:
        plan_wanted: there is none; the page that plans one is asked for.
    """

    plan_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._built_for: Written | None = None
        self._chance_before: float | None = None
        self.outcome_buttons: dict[tuple[str, float, str], QPushButton] = {}
        self.fields: dict[tuple[str, float], QLineEdit] = {}
        self._marks: dict[tuple[str, float], Mark] = {}
        self._lane = Lane(self)
        self._lane.finished.connect(self._on_before)
        self.which = Combo()
        self.which.setAccessibleName("which ladder")
        self.which.currentIndexChanged.connect(lambda _: self._show())
        self._title = label("", "quiet")
        self._title.setWordWrap(True)
        head = QHBoxLayout()
        head.addWidget(self.which)
        head.addWidget(self._title, 1)
        self._none = label("No ladder was written for this printer yet. Export one, print it, "
                           "and say here what became of it.", "quiet")
        self._none.setWordWrap(True)
        self._plan = button("plan a ladder", self.plan_wanted.emit, "strong")
        self._steps, self._holes, self._beside, self._places = (QGridLayout() for _ in range(4))
        for grid in (self._steps, self._holes, self._beside, self._places):
            grid.setHorizontalSpacing(6)
            grid.setVerticalSpacing(3)
        self.trouble = label("", "stop", 9)
        self.trouble.setWordWrap(True)
        self._moved, self._judged = label(""), label("", "title")
        for told in (self._moved, self._judged):
            told.setWordWrap(True)
        self.bells = Bells()
        left, right = QVBoxLayout(), QVBoxLayout()
        self._square = label("", "quiet")
        self._square.setToolTip("Without a chamfer there, it shows what the elephant foot does")
        step_head = QHBoxLayout()
        step_head.addWidget(label("One click a step", "head"))
        step_head.addWidget(self._square, 1)
        left.addLayout(step_head)
        left.addLayout(self._steps)
        self._holes_head = label("The peg in its holes, by feel", "head")
        left.addWidget(self._holes_head)
        left.addLayout(self._holes)
        self._beside_head = label("Bolt and nut pockets, at the first try", "head")
        left.addStretch()
        right.addWidget(label("Calipers, where you have them", "head"))
        right.addLayout(self._places)
        right.addSpacing(4)
        right.addWidget(label("Outline growth, mm a side", "head"))
        right.addWidget(self.bells)
        right.addWidget(self._moved)
        right.addStretch()
        for column in (left, right):
            column.setSpacing(4)
        self._both = both = QHBoxLayout()
        both.setSpacing(18)
        both.addLayout(left, 11)
        both.addLayout(right, 9)
        self._form = QWidget()
        self._form.setLayout(both)
        both.setContentsMargins(0, 4, 0, 0)
        inside = QVBoxLayout()
        inside.setSpacing(4)
        for item in (head, self._none, self._plan, self.trouble, self._form, self._beside_head, self._beside, self._judged):
            inside.addWidget(item) if isinstance(item, QWidget) else inside.addLayout(item)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scrolled(inside, (14, 8, 14, 6)))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow the calipers stand under the steps."""
        super().resizeEvent(event)
        slim = event.size().width() < SLIM
        self._both.setDirection(QBoxLayout.Direction.TopToBottom if slim else QBoxLayout.Direction.LeftToRight)

    def minimumSizeHint(self) -> QSize:
        """The steps with their buttons; what stands beside them goes under them in less."""
        return QSize(max(grid.minimumSize().width() for grid in (self._steps, self._holes, self._beside)) + 46, 120)

    # -- what there is -----------------------------------------------------------------------------------------------

    def ladders(self) -> list[Written]:
        """Return the ladders written for the chosen printer, newest first; none, and why, where they cannot be read."""
        try:
            kept = written.recalled(data_folder())
        except UserError as error:
            self._session.said.emit(error.sentence)
            return []
        return [each for each in kept if each.process == self._session.project.process.id]

    def show_ladders(self) -> None:
        """Show the newest ladder, or the one that is chosen."""
        found = self.ladders()
        words = [f"{each.what.replace('-', ' ')} ladder, {each.when[:10]}" for each in found]
        if words != [self.which.itemText(i) for i in range(self.which.count())]:
            self.which.blockSignals(True)
            self.which.clear()
            self.which.addItems(words)
            self.which.blockSignals(False)
        self._show()

    def _chosen(self) -> Written | None:
        found = self.ladders()
        return found[max(self.which.currentIndex(), 0)] if found else None

    def _show(self) -> None:
        chosen = self._chosen()
        self._beside_head.setVisible(chosen is not None and bool(chosen.others))
        for widget, shown in ((self._none, chosen is None), (self._plan, chosen is None), (self._form, chosen is not None),
                              (self._judged, chosen is not None),
                              (self.which, chosen is not None)):
            widget.setVisible(shown)
        if chosen is None:
            self._title.setText("")
            return
        self._title.setText(f"for {self._session.project.process.title}")
        if chosen != self._built_for:
            self._build(chosen)
        answered = 0
        asked = {(each.kind, each.value): each for each in _asked(chosen)}
        for (kind, value, _), made in self.outcome_buttons.items():
            with_it = self._result_of(chosen, asked[kind, value])
            made.setChecked(with_it is not None and made.property("outcome") == with_it.outcome)
            answered += made.isChecked()
        for (feature, nominal), field in self.fields.items():
            read = self._reading_of(chosen, feature, nominal)
            measured = readings.Measured(read.values) if read else None
            field.setPlaceholderText("9.98 10.01 9.97" if measured is None else f"{measured.mean:.2f} ± {measured.sd:.2f}")
            field.setToolTip("" if measured is None else f"{measured.text}; type again to replace it")
            self._marks[feature, nominal].set_verdict("none" if measured is None else OK)
            answered += read is not None
        if self._chance_before is None or not answered:
            self._chance_before = self._chance()
        self._tell(answered)

    def _build(self, chosen: Written) -> None:
        self._built_for, self._chance_before = chosen, None
        for grid in (self._steps, self._holes, self._beside, self._places):
            clear(grid)
        self.outcome_buttons, self.fields, self._marks = {}, {}, {}
        self._holes_head.setVisible(bool(chosen.fits))
        square = [f"{value:.2f}" for value, sizes in chosen.steps if meets_bed(chosen.kind, sizes)]
        self._square.setText(f"{', '.join(square)} stands on the bed with square edges" if square else "")
        for row, each in enumerate(_asked(chosen)):
            beside = len(chosen.steps) + len(chosen.fits)
            grid = self._steps if row < len(chosen.steps) else self._holes if row < beside else self._beside
            self._add_step(grid, row, each, registry.kind(each.kind).title.lower() if row >= beside else "")
        for row, (feature, nominal) in enumerate(dict.fromkeys(chosen.places)):
            field = QLineEdit()
            field.setFont(figure_font(9))
            field.setMinimumWidth(96)
            field.setAccessibleName(f"readings {FEATURES[feature]} {nominal:g}, mm")
            field.editingFinished.connect(partial(self._on_readings, feature, nominal))
            self.fields[feature, nominal] = field
            self._marks[feature, nominal] = Mark("none", 9)
            for column, widget in enumerate((self._marks[feature, nominal], label(f"{FEATURES[feature]} {nominal:g}"), field)):
                self._places.addWidget(widget, row, column)
        self._places.setColumnStretch(2, 1)

    def _add_step(self, grid: QGridLayout, row: int, asked: _Asked, what: str = "") -> None:
        name = label(f"{what} {asked.value:.2f}".strip())
        name.setFont(figure_font(10))
        name.unit = "mm"
        grid.addWidget(name, row, 0)
        group, scale = QButtonGroup(self), scale_of(asked.kind)
        for column, (outcome, words) in enumerate(zip(scale.names, scale.told, strict=True), 1):
            made = QPushButton(words)
            made.setCheckable(True)
            made.setFont(text_font(8.5))
            made.setProperty("outcome", outcome)
            made.setAccessibleName(f"{what} {asked.value:.2f} mm {words}".strip())
            made.clicked.connect(partial(self._on_outcome, asked, outcome))
            group.addButton(made)
            grid.addWidget(made, row, column)
            self.outcome_buttons[asked.kind, asked.value, outcome] = made
        grid.setColumnStretch(len(scale.names) + 1, 1)

    # -- what was said of it -----------------------------------------------------------------------------------------

    def _counted(self) -> list[Result | Reading]:
        known = self._session.experience
        return [item for item in known.items if item.key not in known.excluded]

    def _result_of(self, chosen: Written, asked: _Asked) -> Result | None:
        return next((item for item in reversed(self._counted()) if isinstance(item, Result)
                     and (item.kind, item.param, item.params) == (asked.kind, asked.param, asked.params)
                     and abs(item.value - asked.value) < 1e-6 and item.when[:10] >= chosen.when[:10]), None)

    def _reading_of(self, chosen: Written, feature: str, nominal: float) -> Reading | None:
        return next((item for item in reversed(self._counted()) if isinstance(item, Reading)
                     and (item.feature, item.nominal) == (feature, nominal) and item.when[:10] >= chosen.when[:10]), None)

    def _on_outcome(self, asked: _Asked, outcome: str) -> None:
        chosen = self._chosen()
        if chosen is None:
            return
        before = self._result_of(chosen, asked)
        if before is None or before.outcome != outcome:
            made = result(process=chosen.process, kind=asked.kind, param=asked.param, value=asked.value, outcome=outcome,
                          params=asked.params)
            # Another click is another word for the same print: the first one no longer counts.
            if self._session.add_evidence([made]) and before is not None:
                self._session.exclude_evidence(before.key, True)
        self._show()

    def _on_readings(self, feature: str, nominal: float) -> None:
        chosen, field = self._chosen(), self.fields[feature, nominal]
        if chosen is None or not field.text().strip():
            return
        try:
            read = readings.read(field.text(), nominal)
            made = reading(process=chosen.process, feature=feature, nominal=nominal, values=field.text())
        except UserError as error:
            self._say(error.sentence)
            return
        self._say("" if read.outlier is None else f"{read.outlier:g} lies far from the others; measure again if it was a slip")
        before = self._reading_of(chosen, feature, nominal)
        field.clear()
        if self._session.add_evidence([made]) and before is not None:
            self._session.exclude_evidence(before.key, True)
        self._show()

    def _say(self, sentence: str) -> None:
        self.trouble.setText(sentence)
        self.trouble.setVisible(bool(sentence))

    # -- what it taught ----------------------------------------------------------------------------------------------

    def _chance(self) -> float | None:
        solution = self._session.solution
        return solution.aim.chance if solution is not None else None

    def _tell(self, answered: int) -> None:
        chosen, known = self._chosen(), self._session.experience
        assert chosen is not None
        own = {item.key for item in (*(self._result_of(chosen, each) for each in _asked(chosen)),
                                     *(self._reading_of(chosen, *place) for place in chosen.places)) if item is not None}
        others = [item for item in self._counted() if item.key not in own]

        def work(_report: Any) -> tuple[Spread, int]:
            return (learn(known.begin, others).belief.process(known.begin).growth if others else known.begin.growth), answered

        self._lane.start(work)

    def _on_before(self, result: tuple[Spread, int]) -> None:
        before, answered = result
        now = self._session.experience.believed.growth
        self.bells.show_spreads(before, now if answered else before)
        if not answered:
            self._moved.setText(f"Believed now: {before.mean:+.2f} ± {before.sd:.2f}. Every step you click narrows it.")
            self._judged.setText("")
            return
        self._moved.setText(f"{before.mean:+.2f} ± {before.sd:.2f} before (dashes), {now.mean:+.2f} ± {now.sd:.2f} now.")
        solution, mechanism = self._session.solution, self._session.mechanism
        if solution is not None and mechanism is not None:
            was = "" if self._chance_before is None else f", was {100 * self._chance_before:.0f} %"
            self._judged.setText(f"{mechanism.name}: {100 * solution.aim.chance:.0f} % {solution.aim.words}{was}.")
