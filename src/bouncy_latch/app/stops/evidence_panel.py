"""The evidence table: every print and reading of this process, its story, and whether it counts."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.editors import Combo
from bouncy_latch.app.marks import OUTCOME_VERDICT, Mark
from bouncy_latch.app.parts import Elided, button, clear, label, scrolled
from bouncy_latch.app.session import Session
from bouncy_latch.app.theme import figure_font, text_font
from bouncy_latch.core.advise import ladders
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.evidence import FEATURES, Reading, Result, reading
from bouncy_latch.core.process.outcomes import OUTCOMES
from bouncy_latch.core.process.readings import Measured


class EvidencePanel(QWidget):
    """Lists evidence newest first, takes readings, and lets single rows be left out."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.feature, self.nominal, self.values = Combo(), QLineEdit(), QLineEdit()
        for name, words in FEATURES.items():
            self.feature.addItem(words, name)
        self.feature.setFont(text_font(9.5))
        self.feature.setAccessibleName("what was measured")
        for field, width, hint, name in ((self.nominal, 70, "drawn", "drawn size, mm"),
                                         (self.values, 210, "readings: 9.98 10.01 9.97", "readings, mm")):
            field.setFont(figure_font(9))
            field.setFixedWidth(width)
            field.setPlaceholderText(hint)
            field.setAccessibleName(name)
        self.add_button = button("add readings", self._add)
        self.values.returnPressed.connect(self._add)
        form = QHBoxLayout()
        form.setSpacing(7)
        for widget in (label("Measured"), self.feature, self.nominal, self.values, self.add_button):
            form.addWidget(widget)
        form.addStretch()
        self.step, self.outcome = QLineEdit(), Combo()
        self.step.setFont(figure_font(9))
        self.step.setFixedWidth(120)
        self.step.setPlaceholderText("0.18 0.21")
        self.step.setAccessibleName("steps of the ladder, mm")
        self.outcome.setFont(text_font(9.5))
        self.outcome.setAccessibleName("what became of the step")
        self.outcome.addItems(list(OUTCOMES))
        self.outcome.setCurrentText("frees by hand")
        self.step.returnPressed.connect(self._add_step)
        steps = QHBoxLayout()
        steps.setSpacing(7)
        self._step_words = label("Ladder steps")
        for widget in (self._step_words, self.step, label("came out"), self.outcome,
                       button("add", self._add_step)):
            steps.addWidget(widget)
        steps.addStretch()
        self.trouble = label("", "stop", 9)
        self.trouble.setWordWrap(True)
        self.doubts = label("", "look", 9)
        self.doubts.setWordWrap(True)
        self._restore = button("go back to the last good copy", session.restore_evidence)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(3)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        layout.addLayout(steps)
        layout.addLayout(form)
        for widget in (self.trouble, self.doubts, self._restore):
            layout.addWidget(widget)
            widget.hide()
        layout.addWidget(scrolled(self.rows), 1)

    def _add(self) -> None:
        try:
            made = reading(process=self._session.project.process.id, feature=self.feature.currentData(),
                           nominal=self.nominal.text(), values=self.values.text())
        except UserError as error:
            self._say(error.sentence)
            return
        if self._session.add_evidence([made]):
            odd = Measured(made.values).outlier
            self._say("" if odd is None else f"{odd:g} lies far from the others; it is kept, leave it out if it was a slip")
            self.values.clear()

    def _add_step(self) -> None:
        """Write down what became of steps of a ladder, as its kind's piece is printed; several apart by spaces."""
        mechanism = self._session.mechanism
        kind = registry.with_ladder(mechanism.kind if mechanism else None)
        try:
            process, outcome = self._session.project.process, self.outcome.currentText()
            made = [ladders.step_result(kind, process, step, outcome) for step in self.step.text().split() or [""]]
        except UserError as error:
            self._say(error.sentence)
            return
        if self._session.add_evidence(made):
            self._say("")
            self.step.clear()

    def _say(self, sentence: str) -> None:
        self.trouble.setText(sentence)
        self.trouble.setVisible(bool(sentence))

    def show_evidence(self) -> None:
        """Show what is known now."""
        known = self._session.experience
        clear(self.rows)
        words = [doubt.sentence for doubt in known.learnt.doubts[:2]]
        self.doubts.setText("\n".join(w[0].upper() + w[1:] + "." for w in words))
        self.doubts.setVisible(bool(words))
        if known.trouble:
            self._say(known.trouble)
        self._restore.setVisible(bool(known.trouble) and "copy" in known.trouble)
        if not known.items:
            self.rows.addWidget(label("Nothing known yet. Print the ladder on the chart's page: it settles most.", "quiet"))
        for item in reversed(known.items):
            self.rows.addWidget(self._row(item, item.key in known.excluded))

    def _row(self, item: Result | Reading, left_out: bool) -> QWidget:
        row = QWidget()
        grid = QGridLayout(row)
        grid.setContentsMargins(0, 1, 0, 1)
        grid.setHorizontalSpacing(10)
        doubted = any(doubt.key == item.key for doubt in self._session.experience.learnt.doubts)
        if isinstance(item, Result):
            mark = Mark("none" if left_out else OUTCOME_VERDICT[item.outcome], 10)
            what, said = f"{item.param} {item.value:g}", item.outcome
        else:
            mark = Mark("none", 10)
            size = f" {item.nominal:g}" if item.nominal else ""
            what, said = f"{FEATURES[item.feature]}{size}", Measured(item.values).text
        name, told = label(what, "quiet" if left_out else "title", 9), label(said, "quiet" if left_out else "", 9)
        when = label(item.when.replace("T", " ")[:16], "quiet", 8.5)
        when.setFont(figure_font(8.5))
        note = "left out" if left_out else "the others contradict it" if doubted else item.note
        toggle = button("take in" if left_out else "leave out",
                        lambda: self._session.exclude_evidence(item.key, not left_out), "plain")
        for column, widget in enumerate((mark, name, told, when, Elided(note, "look" if doubted else "quiet", 8.5), toggle)):
            grid.addWidget(widget, 0, column)
        grid.setColumnMinimumWidth(1, 170)
        grid.setColumnMinimumWidth(2, 170)
        grid.setColumnStretch(4, 1)
        return row
