"""What could meet a need, side by side in figures: the need on the left, a chart and a table of candidates on the right."""

from __future__ import annotations

import math

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import ChoiceField, NumberField, show_all
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.parts import button, clear, label, scrolled
from bouncy_latch.app.kit.theme import figure_font, text_font
from bouncy_latch.app.pages.comparison_chart import ComparisonChart
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.session.workers import Lane, Report
from bouncy_latch.core import fields
from bouncy_latch.core.choosing.candidate import Candidate
from bouncy_latch.core.choosing.choose import Choice, choose
from bouncy_latch.core.choosing.need import Need
from bouncy_latch.core.choosing.ranking import CRITERIA, WEIGHTS, ranked, score
from bouncy_latch.core.errors import UserError

ASKED = (("What must it do?", ("task", "size", "opened", "visible", "printer")),
         ("Which loads?", ("load", "direction", "effort", "click", "play")),
         ("What should a spring give?", ("force", "travel", "torque")),
         ("How much room is there?", ("room_length", "room_width", "room_height")))
"""The questions and the fields of a need that answer them."""
COLUMNS = (("", ""), ("works", "Chance that a print works on the chosen printer"),
           ("anyone", "Chance that a print works on a printer nobody measured"),
           ("window", "Span of outline growth in which every verdict that depends on the printer holds, mm"),
           ("push", "Push that puts it together"), ("holds", "What it holds"),
           ("±0.1", "Verdicts that fail on a printer 0.1 mm off"),
           ("layer 1", "Outline² over area of the first layer: 13 for a disc, 16 for a square; plainer is smaller"),
           ("plastic", "Of its test piece"), ("score", "Weighted mean of what counts"))
LEFT, EDITORS, WAITS_MS = 330, (74, 112), 250
"""Width of the need, of its editors, px; and how long after the last change the comparison begins, ms."""


class Comparison(QWidget):
    """Compares the kinds that could meet a need, and adds the one that is taken.

    Signals:
        taken: a candidate was added to the project.
    """

    taken = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.need, self.weights = Need(), dict(WEIGHTS)
        self.choice: Choice | None = None
        self._worked_for: object = None
        self.buttons: list[QWidget] = []
        self.lane = Lane(self)
        self.lane.early.connect(self._on_choice)
        self.lane.finished.connect(self._on_choice)
        self.lane.failed.connect(self._on_failed)
        self.lane.progressed.connect(self._on_progressed)
        self._wait = QTimer(self, singleShot=True, interval=WAITS_MS)
        self._wait.timeout.connect(self.compare)
        self.editors: dict[str, NumberField | ChoiceField] = {}
        self.sliders: dict[str, QSlider] = {}
        asked = QVBoxLayout()
        asked.setSpacing(8)
        facts = Need.facts()
        for text, names in ASKED:
            grid = FieldGrid(1, 104, 36)
            grid.head((0, label(text, "title")))
            for name in names:
                words = label(facts[name].label, "quiet", 9)
                words.setToolTip(facts[name].help)
                self.editors[name] = grid.editor(words, facts[name], self._enter, EDITORS)
            asked.addLayout(grid)
        asked.addWidget(label("What counts", "title"))
        asked.addLayout(self._weighing())
        asked.addStretch()
        self._said = label("", "quiet", 9)
        self._said.setWordWrap(True)
        self.stop_button = button("stop", self.lane.cancel, "plain", "Keep what is worked out so far")
        self.chart = ComparisonChart()
        self.chart.picked.connect(self.take)
        self._table = QGridLayout()
        self._table.setHorizontalSpacing(12)
        self._table.setVerticalSpacing(3)
        self._gone = QVBoxLayout()
        self._gone.setSpacing(2)
        rows = QVBoxLayout()
        rows.setSpacing(10)
        rows.addLayout(self._table)
        rows.addLayout(self._gone)
        rows.addStretch()
        head = QHBoxLayout()
        head.addWidget(self._said, 1)
        head.addWidget(self.stop_button)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addLayout(head)
        right.addWidget(self.chart)
        right.addWidget(scrolled(rows, (0, 0, 8, 0)), 1)
        left = scrolled(asked, (0, 0, 8, 0))
        left.setFixedWidth(LEFT)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(14)
        whole.addWidget(left)
        whole.addLayout(right, 1)
        show_all(self.editors, self.need, None)
        session.changed.connect(self._on_session)

    def _weighing(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        for row, each in enumerate(CRITERIA):
            slider = QSlider(Qt.Orientation.Horizontal, minimum=0, maximum=100, value=round(100 * each.weight))
            slider.setAccessibleName(f"weight of: {each.label}")
            slider.setToolTip(each.help)
            slider.valueChanged.connect(lambda value, name=each.name: self._weigh(name, value / 100))
            self.sliders[each.name] = slider
            grid.addWidget(label(each.label, "quiet", 9), row, 0)
            grid.addWidget(slider, row, 1)
        return grid

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_session()

    def _on_session(self) -> None:
        """Compare anew where another printer is chosen, or more is known of it."""
        if self.isVisible() and self._worked_for != self._session.process:
            self.compare()

    def ask(self, task: str) -> None:
        """Compare for a task."""
        self._enter("task", task, None)

    def _enter(self, name: str, value: object, _merge_key: str | None) -> None:
        values = {key: held for key, held in self.need.model_dump().items() if held is not None}
        try:
            self.need = fields.parse(Need, {**values, name: value})
        except UserError as error:
            self._said.setText(error.sentence)
            return
        show_all(self.editors, self.need, None)
        self._wait.start()

    def _weigh(self, name: str, weight: float) -> None:
        self.weights[name] = weight
        if self.choice is not None:
            self._show(self.choice)

    def compare(self) -> None:
        """Work every candidate out for the present need and printer."""
        need, weights, process = self.need, dict(self.weights), self._session.process

        def work(report: Report) -> Choice:
            return choose(need, process, weights, report, report.show)

        self._worked_for = process
        # No figure of an earlier need or printer stays beside the new one.
        self.choice = None
        self._show(Choice(need, (), ()))
        self._said.setText("working out every mechanism for this printer…")
        self.stop_button.show()
        self.lane.start(work)

    def _on_progressed(self, part: float) -> None:
        self._said.setText(f"working out every mechanism for this printer… {100 * part:.0f} %")

    def _on_failed(self, sentence: str) -> None:
        self.stop_button.hide()
        self._said.setText(sentence or "stopped; what is shown is not all worked out")

    def _on_choice(self, choice: Choice) -> None:
        self.choice = choice
        if choice.whole:
            self.stop_button.hide()
            held = sum(each.reached for each in choice.candidates)
            words = f"{held} of {len(choice.candidates)} mechanisms do all that is wanted"
            self._said.setText(f"{words}, worked out for {self._session.process.title}. {_sentence(choice.give_up)}".strip())
        self._show(choice)

    def _show(self, choice: Choice) -> None:
        order = ranked(choice.candidates, self.weights)
        self.chart.show_candidates(order)
        clear(self._table)
        clear(self._gone)
        self.buttons = []
        for column, (name, tip) in enumerate(COLUMNS):
            head = label(name, "quiet", 8.5)
            head.setToolTip(tip)
            self._table.addWidget(head, 0, column, _side(column))
        self._table.setColumnStretch(0, 1)
        for row, each in enumerate(order):
            self._put(2 * row + 1, each)
        if choice.dismissed:
            self._gone.addWidget(label("Not these, and why", "title"))
        for gone in choice.dismissed:
            why = label(_sentence(gone.reason), "quiet", 9)
            why.setWordWrap(True)
            self._gone.addWidget(why)

    def _put(self, row: int, each: Candidate) -> None:
        more = each.more
        cells = (f"{100 * each.chance:.0f} %", f"{100 * more.anyone:.0f} %" if more else "…",
                 ("none" if more.window is None else f"{more.window.width:.2f} mm") if more else "…", _newtons(each.effort),
                 _newtons(each.holds), str(more.tender) if more else "…", f"{more.plain.outline:.0f}" if more else "…",
                 f"{more.grams:.1f} g" if more else "…", f"{score(each, self.weights):.0f}")
        title = each.design.kind.title
        name = label(title)
        name.setFont(text_font(10))
        self._table.addWidget(name, row, 0)
        for column, text in enumerate(cells, 1):
            cell = label(text)
            cell.setFont(figure_font(9))
            self._table.addWidget(cell, row, column, _side(column))
        made = button("add", lambda taken=each: self.take(taken), "mend", f"Add this {title.lower()} with these sizes")
        made.setAccessibleName(f"add this {title.lower()}")
        self.buttons.append(made)
        self._table.addWidget(made, row, len(COLUMNS))
        short = label(f"misses: {each.short[0]}" if each.short else each.design.kind.summary,
                      "look" if each.short else "quiet", 8.5)
        short.setWordWrap(True)
        self._table.addWidget(short, row + 1, 0, 1, len(COLUMNS) + 1)

    def take(self, each: Candidate) -> None:
        """Add a candidate's mechanism to the project, with its sizes."""
        self.lane.cancel()
        default = each.design.kind.params().model_dump()
        changed = {name: value for name, value in each.design.params.model_dump().items() if value != default[name]}
        self._session.add(each.design.kind.id, **changed)
        self.taken.emit()


_SIDES: dict[bool, Qt.AlignmentFlag] = {True: Qt.AlignmentFlag.AlignLeft, False: Qt.AlignmentFlag.AlignRight}


def _side(column: int) -> Qt.AlignmentFlag:
    return _SIDES[column == 0]


def _newtons(value: float) -> str:
    return "–" if math.isnan(value) else f"{value:.0f} N"


def _sentence(text: str) -> str:
    return f"{text[0].upper()}{text[1:]}." if text else ""
