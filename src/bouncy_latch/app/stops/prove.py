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
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bouncy_latch.app.marks import OUTCOME_VERDICT, Mark
from bouncy_latch.app.parts import Elided, button, clear, label, scrolled
from bouncy_latch.app.session import Session
from bouncy_latch.app.theme import figure_font, text_font
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.mechanisms.fields import Params
from bouncy_latch.core.process.outcomes import EVERY
from bouncy_latch.core.project.document import Mechanism, PrintRecord

_ASKED = {"welded": "welded", "needs a tool": "needed a tool", "frees by hand": "freed by hand", "free": "free",
          "rattles": "rattles", "will not go in": "would not go in", "goes in hard": "went in hard", "snaps in": "snaps in",
          "falls out": "falls out", "breaks": "broke"}


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
        row = QHBoxLayout()
        row.setSpacing(6)
        self.outcome_buttons: dict[str, QPushButton] = {}
        for name in EVERY:
            choice = QPushButton(_ASKED[name])
            choice.setCheckable(True)
            choice.setFont(text_font(9.5))
            self._outcomes.addButton(choice)
            self.outcome_buttons[name] = choice
            row.addWidget(choice)
        row.addStretch()
        self.note_field = QLineEdit()
        self.note_field.setAccessibleName("note")
        self.note_field.setPlaceholderText("what you saw, what you will change")
        self.photo_button = button("add a photo…", self._choose_photo)
        self.record_button = button("record this print", self._record, "strong")
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(7)
        grid.addWidget(label("It came out"), 0, 0)
        grid.addLayout(row, 0, 1, 1, 4)
        grid.addWidget(label("Note"), 1, 0)
        second = QHBoxLayout()
        second.setSpacing(8)
        second.addWidget(self.note_field, 1)
        second.addWidget(self.photo_button)
        second.addWidget(self.record_button)
        grid.addLayout(second, 1, 1, 1, 4)
        grid.setColumnStretch(1, 1)
        form.setLayout(grid)
        self._as_it_stands = label("", "quiet")
        self._as_it_stands.setWordWrap(True)
        self._trouble = label("", "stop")
        self._trouble.hide()
        self._prints = QVBoxLayout()
        self._prints.setSpacing(4)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 12, 10)
        layout.setSpacing(8)
        layout.addWidget(label("You printed it: what happened?", "head", 10.5))
        layout.addWidget(self._as_it_stands)
        layout.addWidget(form)
        layout.addWidget(self._trouble)
        layout.addWidget(label("Prints of this mechanism", "head"))
        layout.addWidget(scrolled(self._prints), 1)
        session.changed.connect(self._on_changed)
        session.refused.connect(self._on_refused)
        self._on_changed()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_changed()

    def _on_changed(self) -> None:
        if not self.isVisible():
            return
        clear(self._prints)
        mechanism = self._session.mechanism
        self.record_button.setEnabled(mechanism is not None)
        if mechanism is None:
            self._as_it_stands.setText("Choose a mechanism first.")
            return
        process, solution = self._session.project.process, self._session.solution
        for name, choice in self.outcome_buttons.items():
            choice.setVisible(name in registry.kind(mechanism.kind).outcomes)
        if solution:
            ruler = solution.rulers[0]
            self._as_it_stands.setText(
                f"Kept with it: all sizes as they stand now ({ruler.param} {getattr(solution.params, ruler.param):.2f}), "
                f"and {process.title}. The prediction was: {_foretold(solution)}.")
        if not mechanism.prints:
            empty = label("No print recorded yet. Print the test piece first: it takes minutes and tells the most.", "quiet")
            self._prints.addWidget(empty)
        for index in reversed(range(len(mechanism.prints))):
            self._prints.addWidget(self._row(mechanism, index))

    def _row(self, mechanism: Mechanism, index: int) -> QWidget:
        record = mechanism.prints[index]
        widget = QWidget()
        grid = QGridLayout(widget)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setHorizontalSpacing(10)
        mark = Mark(OUTCOME_VERDICT[record.outcome], 11)
        mark.setAccessibleName(record.outcome)
        grid.addWidget(mark, 0, 0)
        grid.addWidget(label(_ASKED[record.outcome], "title"), 0, 1)
        when = label(record.when.replace("T", " "), "quiet", 8.5)
        when.setFont(figure_font(8.5))
        grid.addWidget(when, 0, 2)
        play = f", play ± {record.play:.2f}" if record.play is not None else ""
        grid.addWidget(Elided(f"{record.process.title}{play}", "quiet", 9), 0, 3)
        grid.addWidget(button("take these sizes", lambda: self._session.restore_print(record.id), "plain"), 0, 4)
        grid.addWidget(Elided(self._story(mechanism, index, record), "", 9), 1, 1, 1, 3)
        if record.photo and record.photo in self._session.files:
            picture = QPixmap()
            if picture.loadFromData(self._session.files[record.photo]):
                photo = label("")
                photo.setPixmap(picture.scaledToHeight(40, Qt.TransformationMode.SmoothTransformation))
                photo.setAccessibleName("photo of the print")
                grid.addWidget(photo, 0, 5, 2, 1)
        grid.setColumnMinimumWidth(1, 108)
        grid.setColumnStretch(3, 1)
        return widget

    @staticmethod
    def _story(mechanism: Mechanism, index: int, record: PrintRecord) -> str:
        """What was changed since the print before, and the note."""
        model = registry.kind(mechanism.kind).params
        if index == 0:
            start = f"first print, gap {record.params.get('gap'):.2f}" if isinstance(
                record.params.get("gap"), float) else "first print"
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

    def _on_refused(self, field: str, sentence: str) -> None:
        if field == "photo":
            self._say(sentence)

    def _say(self, sentence: str) -> None:
        self._trouble.setText(sentence)
        self._trouble.setVisible(bool(sentence))
