"""One editor per kind of parameter: a number field with arrow steps, or a list of words. They read the field's facts."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from PySide6.QtCore import QPointF, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QColor, QContextMenuEvent, QKeyEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QWidget

from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.theme import THEME, figure_font, text_font
from bouncy_latch.core.fields import Facts, Params
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.parts import outlines

_FROM_FILE = "from a file…"


def shown(value: object, facts: Facts) -> str:
    """Return a parameter value as the sheet shows it."""
    if value is None:
        return "auto"
    if isinstance(value, (int, float)) and not isinstance(value, bool):
        decimals = 0 if facts.whole else max(0, 2 if facts.step < 0.1 else 1 if facts.step < 1 else 0)
        text = f"{value:.{decimals}f}"
        return text if abs(float(text) - value) < 1e-9 else f"{value:g}"
    return outlines.title(str(value))


class NumberField(QLineEdit):
    """A number: typed, or stepped with the arrow keys.

    Signals:
        entered: the text, when the user is done with it. stepped: a new value by arrow key.
    """

    entered = Signal(str)
    stepped = Signal(float)

    def __init__(self, facts: Facts, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.facts = facts
        self._shown = ""
        self._wrong = False
        self._value: float | None = None
        self.setFont(figure_font())
        self.setProperty("figure", "true")
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setAccessibleName(f"{facts.label} {facts.unit}".strip())
        span = f"{facts.low:g} to {facts.high:g} {facts.unit}".strip()
        # What the user asks and leaves empty is not asked; all else is worked out.
        self._empty = "any" if facts.auto and facts.source == "you" else "auto"
        meaning = {"any": "any will do", "auto": "worked out for you"}[self._empty]
        auto = f"\nEmpty: {meaning}." if facts.auto else ""
        caliper = "\nSeveral caliper readings may be typed: 9.98 10.01 9.97. Across faces, not corners." \
            if facts.role == "given" and facts.unit == "mm" else ""
        self._about = f"{facts.help}\n{span}. Source of the default: {facts.source}.{auto}{caliper}"
        self.setToolTip(self._about)
        self.editingFinished.connect(self._on_finished)
        self._copy = copyable(self, self.figure, "Ctrl+Shift+C", menu=False)

    def figure(self) -> str:
        """Return the number shown, or worked out, with its unit."""
        return f"{self._shown or self.placeholderText().removeprefix('auto ')} {self.facts.unit}".strip()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = self.createStandardContextMenu()
        menu.addAction(self._copy)
        menu.exec(event.globalPos())

    @property
    def value(self) -> float | None:
        """The number shown or worked out."""
        return self._value

    def show_value(self, value: object, worked_out: float | None = None) -> None:
        """Show a value; None as what was worked out instead."""
        self._value = worked_out if value is None else float(value)  # type: ignore[arg-type]
        self._shown = "" if value is None else shown(value, self.facts)
        digits = 2 if self.facts.step < 0.5 else 0
        self.setPlaceholderText(self._empty if worked_out is None else f"auto {worked_out:.{digits}f}")
        if not (self.hasFocus() and self.isModified()):
            self.setText(self._shown)
            self.setModified(False)

    def show_readings(self, words: str) -> None:
        """Say what was measured, if anything was."""
        self.setToolTip(f"measured {words}\n{self._about}" if words else self._about)

    def show_wrong(self, wrong: bool) -> None:
        self._wrong = wrong
        self.setProperty("wrong", "true" if wrong else "false")
        self.style().unpolish(self)
        self.style().polish(self)

    def _on_finished(self) -> None:
        if self.text() != self._shown or self._wrong:
            self.setModified(False)
            self.entered.emit(self.text())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        if steps is not None and self._value is not None:
            value = round(self._value / self.facts.step) * self.facts.step + steps * self.facts.step
            self.stepped.emit(round(min(max(value, self.facts.low), self.facts.high), 6))
        elif event.key() == Qt.Key.Key_Escape and (self.text() != self._shown or self._wrong):
            self.setText(self._shown)
            self.show_wrong(False)
        else:
            super().keyPressEvent(event)


class Combo(QComboBox):
    """A combo box in our look: the style sheet takes its arrow away, so it is drawn here."""

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(THEME.tokens.quiet), 1.6))
        x, y = self.width() - 13, self.height() / 2
        painter.drawPolyline([QPointF(x - 4, y - 2), QPointF(x, y + 2), QPointF(x + 4, y - 2)])

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()  # the sheet scrolls; a wheel must not change a value


class ChoiceField(Combo):
    """One of several words, or a file where the parameter allows it.

    Signals:
        chosen: the word or path.
    """

    chosen = Signal(str)

    def __init__(self, facts: Facts, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.facts = facts
        self.setFont(text_font(9.5))
        self.setAccessibleName(facts.label)
        self.setToolTip(facts.help)
        self._names = list(facts.choices)
        self.addItems([name.replace("-", " ") for name in self._names])
        if facts.open_choice:
            self.addItem(_FROM_FILE)
        self.activated.connect(self._on_activated)

    def show_value(self, value: object) -> None:
        text = str(value)
        extra = self.count() - len(self._names) - (1 if self.facts.open_choice else 0)
        if text in self._names:
            self.setCurrentIndex(self._names.index(text))
            return
        if extra == 0:
            self.insertItem(len(self._names), outlines.title(text))
        else:
            self.setItemText(len(self._names), outlines.title(text))
        self.setCurrentIndex(len(self._names))

    def _on_activated(self, index: int) -> None:
        if index < len(self._names):
            self.chosen.emit(self._names[index])
        elif self.itemText(index) == _FROM_FILE:
            path, _ = QFileDialog.getOpenFileName(self, "Outline", str(Path.home()), "Outlines (*.svg *.dxf)")
            self.chosen.emit(path)


def show_all(editors: Mapping[str, NumberField | ChoiceField], params: Params, solution: Solution | None) -> None:
    """Show every editor its parameter, and where the application chooses, what it worked out; no signal goes out."""
    worked = {d.name: d.value for d in solution.derived} if solution else {}
    for name, editor in editors.items():
        with QSignalBlocker(editor):
            if isinstance(editor, NumberField):
                editor.show_value(getattr(params, name), worked.get(name))
            else:
                editor.show_value(getattr(params, name))
