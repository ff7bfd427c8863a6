"""The Prove stop: record what became of a print, kept with the exact sizes it was printed with."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QFrame,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.parts import button, label
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.strips.records import PICTURE_HEIGHT, Record, RecordTable
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.fields import Params
from bouncy_latch.core.learn.posterior.weighed import weighed
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.outcomes import EVERY, TOLD, VERDICTS
from bouncy_latch.core.project.document import Mechanism, PrintRecord


def differences(old: dict[str, object], new: dict[str, object], model: type[Params]) -> str:
    """Return in words what ``new`` has otherwise than ``old``."""
    facts = model.facts()
    found = []
    for name, value in new.items():
        if name in facts and old.get(name) != value:
            found.append(f"{facts[name].label} {value if value is not None else 'auto'}")
    return ", ".join(found) or "the same sizes"


def _foretold(solution: Solution) -> str:
    """Return what was predicted of a design, in words."""
    if solution.freeing is not None:
        return f"{solution.freeing.outcome}, {100 * solution.freeing.by_hand:.0f} % by hand"
    return f"{solution.aim.words}, {100 * solution.aim.chance:.0f} %"


class ProveStop(QWidget):
    """A form for the newest print, and all prints of this mechanism."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._photo: Path | None = None
        form = QFrame(objectName="form")
        self._outcomes = QButtonGroup(self)
        self.outcome_buttons: dict[str, QPushButton] = {}
        for name in EVERY:
            choice = QPushButton(TOLD[name])
            choice.setCheckable(True)
            choice.setFont(text_font(9.5))
            self._outcomes.addButton(choice)
            self.outcome_buttons[name] = choice
        self.note_field = QLineEdit()
        self.note_field.setAccessibleName("note")
        self.note_field.setPlaceholderText("what you saw, what you will change")
        self.photo_button = button("add a photo…", self._choose_photo)
        self.record_button = button("record this print", self._record, "strong")
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(7)
        grid.addWidget(label("It came out"), 0, 0)
        grid.addLayout(Flow(*self.outcome_buttons.values()), 0, 1, 1, 4)
        grid.addWidget(label("Note"), 1, 0)
        grid.addLayout(Flow(self.note_field, self.photo_button, self.record_button, spacing=8), 1, 1, 1, 4)
        grid.setColumnStretch(1, 1)
        form.setLayout(grid)
        self._grams, self._moved = QLineEdit("100"), QLineEdit()
        for field, name in ((self._grams, "weight, g"), (self._moved, "moved, mm")):
            field.setAccessibleName(name)
            field.setFixedWidth(60)
        self._weighing = QWidget()
        self._weighing.setLayout(Flow(label("A weight of"), self._grams, label("g moves it by"), self._moved, label("mm"),
                                      button("learn its stiffness", self._weigh)))
        self._moved.returnPressed.connect(self._weigh)
        self._as_it_stands = label("", "quiet")
        self._as_it_stands.setWordWrap(True)
        self._trouble = label("", "stop")
        self._trouble.hide()
        self._empty = label("No print recorded yet. Print the test piece first: it takes minutes and tells the most.", "quiet")
        self._empty.setWordWrap(True)
        self.table = RecordTable({"outcome": 108, "when": 142, "process": 176, "story": 0}, "prints of this mechanism")
        self.table.acted.connect(session.restore_print)
        self._pictures: dict[tuple[str, int], QPixmap] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 12, 10)
        layout.setSpacing(8)
        layout.addWidget(label("You printed it: what happened?", "head", 10.5))
        layout.addWidget(self._as_it_stands)
        layout.addWidget(form)
        layout.addWidget(self._weighing)
        layout.addWidget(self._trouble)
        layout.addWidget(label("Prints of this mechanism", "head"))
        layout.addWidget(self._empty)
        layout.addWidget(self.table, 1)
        session.changed.connect(self._on_changed)
        session.refused.connect(self._on_refused)
        self._on_changed()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_changed()

    def _on_changed(self) -> None:
        if not self.isVisible():
            return
        mechanism = self._session.mechanism
        self.record_button.setEnabled(mechanism is not None)
        if mechanism is None:
            self._as_it_stands.setText("Choose a mechanism first.")
            return
        process, solution = self._session.project.process, self._session.solution
        self._weighing.setVisible(bool(registry.kind(mechanism.kind).weighs))
        for name, choice in self.outcome_buttons.items():
            choice.setVisible(name in registry.kind(mechanism.kind).outcomes.names)
        if solution:
            sizes = ", ".join(f"{ruler.param} {getattr(solution.params, ruler.param):.2f}" for ruler in solution.rulers[:1])
            self._as_it_stands.setText(
                f"Kept with it: all sizes as they stand now{f' ({sizes})' if sizes else ''}, and {process.title}. "
                f"The prediction was: {_foretold(solution)}.")
        self._empty.setVisible(not mechanism.prints)
        self.table.show_records([self._record_of(mechanism, index) for index in reversed(range(len(mechanism.prints)))])

    def _record_of(self, mechanism: Mechanism, index: int) -> Record:
        """Return a print as a row."""
        record = mechanism.prints[index]
        play = f", play ± {record.play:.2f} mm" if record.play is not None else ""
        return Record(record.id, VERDICTS[record.outcome],
                      (TOLD[record.outcome], record.when.replace("T", " "), f"{record.process.title}{play}",
                       self._story(mechanism, index, record)), "take these sizes", picture=self._picture(record.photo))

    def _picture(self, name: str | None) -> QPixmap | None:
        """Return a photo, small; each is decoded once."""
        data = self._session.files.get(name) if name else None
        if name is None or data is None:
            return None
        key = (name, hash(data))
        if key not in self._pictures:
            picture = QPixmap()
            picture.loadFromData(data)
            self._pictures[key] = picture.scaledToHeight(PICTURE_HEIGHT, Qt.TransformationMode.SmoothTransformation)
        return self._pictures[key]

    @staticmethod
    def _story(mechanism: Mechanism, index: int, record: PrintRecord) -> str:
        """What was changed since the print before, and the note."""
        kind = registry.kind(mechanism.kind)
        model = kind.params
        if index == 0:
            value = record.params.get(kind.recommend)
            words = f", {model.facts()[kind.recommend].label} {value:.2f}" if isinstance(value, float) else ""
            start = f"first print{words}"
        else:
            start = "changed: " + differences(mechanism.prints[index - 1].params, record.params, model)
        return f"{start}. {record.note}" if record.note else start

    def _choose_photo(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Photo", str(Path.home()), "Pictures (*.png *.jpg *.jpeg *.webp)")
        self.set_photo(Path(path) if path else None)

    def set_photo(self, path: Path | None) -> None:
        """Take a photo for the next record."""
        self._photo = path
        self.photo_button.setText(path.name if path else "add a photo…")

    def _record(self) -> None:
        outcome = next((name for name, choice in self.outcome_buttons.items() if choice.isChecked()), None)
        if outcome is None:
            self._say("Say how it came out first.")
            return
        self._say("")
        if self._session.record_print(outcome, self.note_field.text().strip()[:4000], self._photo):
            self.note_field.clear()
            self.set_photo(None)
            self._outcomes.setExclusive(False)
            self.outcome_buttons[outcome].setChecked(False)
            self._outcomes.setExclusive(True)

    def weigh(self, grams: str, moved: str) -> None:
        """Learn how stiff the plastic prints from how far a weight moved what was printed as it stands."""
        mechanism = self._session.mechanism
        if mechanism is None:
            return
        try:
            numbers = [float(text.replace(",", ".")) for text in (grams, moved)]
        except ValueError:
            self._say("Type the weight in grams and how far it moved in mm.")
            return
        try:
            made = weighed(registry.kind(mechanism.kind), mechanism.parsed(), self._session.project.process, *numbers)
        except UserError as error:
            self._say(error.sentence)
            return
        if self._session.add_evidence([made]):
            self._say("")
            self._moved.clear()
            modulus = self._session.experience.believed.modulus
            self._session.said.emit(f"Learnt: it prints {modulus.mean:.0f} ± {modulus.sd:.0f} MPa stiff.")

    def _weigh(self) -> None:
        self.weigh(self._grams.text(), self._moved.text())

    def _on_refused(self, field: str, sentence: str) -> None:
        if field == "photo":
            self._say(sentence)

    def _say(self, sentence: str) -> None:
        self._trouble.setText(sentence)
        self._trouble.setVisible(bool(sentence))
