"""The evidence table: every print and reading of this process, its story, and whether it counts."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import Combo
from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.parts import button, label
from bouncy_latch.app.kit.theme import figure_font, text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.strips.records import Record, RecordTable
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.learn.calibration import ladders, written
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.outcomes import FELT, VERDICTS
from bouncy_latch.core.process.evidence import BY_HAND, FEATURES, UNITS, Reading, Result, reading
from bouncy_latch.core.process.readings import Measured
from bouncy_latch.core.project.folders import data_folder

SHORTEST, WIDEST = 14, 260
"""Letters of what was measured that are always seen, and its greatest width, px."""


class EvidencePanel(QWidget):
    """Lists evidence newest first, takes readings, and lets single rows be left out."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.feature, self.nominal, self.values = Combo(), QLineEdit(), QLineEdit()
        for name in BY_HAND:
            self.feature.addItem(FEATURES[name], name)
        self.feature.setFont(text_font(9.5))
        self.feature.setAccessibleName("what was measured")
        self.feature.setMinimumContentsLength(SHORTEST)
        self.feature.setSizeAdjustPolicy(Combo.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.feature.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.feature.setMaximumWidth(WIDEST)
        for field, width, hint, name in ((self.nominal, 70, "drawn", "drawn size, mm"),
                                         (self.values, 210, "readings: 9.98 10.01 9.97", "readings, mm")):
            field.setFont(figure_font(9))
            field.setMinimumWidth(width // 3 + 40)
            field.setMaximumWidth(width)
            field.setPlaceholderText(hint)
            field.setAccessibleName(name)
        self.add_button = button("add readings", self._add)
        self.values.returnPressed.connect(self._add)
        form = Flow(label("Measured"), self.feature, self.nominal, self.values, self.add_button)
        self.step, self.outcome = QLineEdit(), Combo()
        self.step.setFont(figure_font(9))
        self.step.setFixedWidth(120)
        self.step.setPlaceholderText("0.18 0.21")
        self.step.setAccessibleName("steps of the ladder, mm")
        self.ladder = Combo()
        for words, fits in (("Ladder steps", False), ("Peg in holes", True)):
            self.ladder.addItem(words, fits)
        self.ladder.setAccessibleName("which ladder was printed")
        self.ladder.currentIndexChanged.connect(self._on_ladder)
        for box in (self.ladder, self.outcome):
            box.setFont(text_font(9.5))
        self.outcome.setAccessibleName("what became of the step")
        self._on_ladder()
        self.step.returnPressed.connect(self._add_step)
        steps = Flow(self.ladder, self.step, label("came out"), self.outcome, button("add", self._add_step))
        self.trouble = label("", "stop", 9)
        self.trouble.setWordWrap(True)
        self.doubts = label("", "look", 9)
        self.doubts.setWordWrap(True)
        self._restore = button("go back to the last good copy", session.restore_evidence)
        self._empty = label("Nothing known yet. Print the ladder on the chart's page: it settles most.", "quiet")
        self._empty.setWordWrap(True)
        self.table = RecordTable({"what": 150, "said": 150, "when": 142, "note": 0}, "evidence")
        self.table.acted.connect(self._on_acted)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        layout.addLayout(steps)
        layout.addLayout(form)
        for widget in (self.trouble, self.doubts, self._restore):
            layout.addWidget(widget)
            widget.hide()
        layout.addWidget(self._empty)
        layout.addWidget(self.table, 1)

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

    def _on_ladder(self) -> None:
        """Offer the outcomes of the ladder that is chosen."""
        names = FELT.names if self.ladder.currentData() else self._kind.outcomes.names
        if [self.outcome.itemText(i) for i in range(self.outcome.count())] != list(names):
            self.outcome.clear()
            self.outcome.addItems(list(names))
            self.outcome.setCurrentText(names[2])

    @property
    def _kind(self) -> Kind:
        """The kind whose ladder's steps are written down: the selected one's, where it has a ladder."""
        mechanism = self._session.mechanism
        return registry.with_ladder(mechanism.kind if mechanism else None)

    def _add_step(self) -> None:
        """Write down what became of steps of a ladder, as its kind's piece is printed; several apart by spaces."""
        kind = self._kind
        try:
            process, outcome = self._session.project.process, self.outcome.currentText()
            made = [ladders.fit_result(process, step, outcome) if self.ladder.currentData()
                    else written.step_result(data_folder(), kind, process, step, outcome)
                    for step in self.step.text().split() or [""]]
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
        self._on_ladder()
        known = self._session.experience
        words = [doubt.sentence for doubt in known.learnt.doubts[:2]]
        self.doubts.setText("\n".join(w[0].upper() + w[1:] + "." for w in words))
        self.doubts.setVisible(bool(words))
        if known.trouble:
            self._say(known.trouble)
        self._restore.setVisible(bool(known.trouble) and "copy" in known.trouble)
        self._empty.setVisible(not known.items)
        doubted = {doubt.key for doubt in known.learnt.doubts}
        self.table.show_records([_record(item, item.key in known.excluded, item.key in doubted)
                                 for item in reversed(known.items)])

    def _on_acted(self, key: str) -> None:
        self._session.exclude_evidence(key, key not in self._session.experience.excluded)


def _record(item: Result | Reading, left_out: bool, doubted: bool) -> Record:
    """Return a result or reading as a row."""
    if isinstance(item, Result):
        verdict, what, said = VERDICTS[item.outcome], f"{item.param} {item.value:g} {_unit(item)}".rstrip(), item.outcome
    else:
        size = f" {item.nominal:g} mm" if item.nominal else ""
        said = Measured(item.values).told(UNITS.get(item.feature, "mm"))
        verdict, what = "none", f"{FEATURES[item.feature]}{size}"
    note = "left out" if left_out else "the others contradict it" if doubted else item.note
    return Record(item.key, "none" if left_out else verdict, (what, said, item.when.replace("T", " ")[:16], note),
                  "take in" if left_out else "leave out", "quiet" if left_out else "look" if doubted else "")


def _unit(item: Result) -> str:
    """Return the unit of the size a result is about; nothing where its kind is not one of ours."""
    facts = registry.kind(item.kind).params.facts() if item.kind in registry.ids() else {}
    return facts[item.param].unit if item.param in facts else ""
