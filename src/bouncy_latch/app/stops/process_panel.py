"""The numbers of the process: what the user states, and beside it what evidence has made of it."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.parts import label
from bouncy_latch.app.session import Session
from bouncy_latch.app.theme import figure_font
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.process.profile import Process, Spread

# (name, label, unit)
_NUMBERS = (
    ("nozzle", "nozzle", "mm"), ("layer_height", "layer height", "mm"), ("first_layer_height", "first layer", "mm"),
    ("line_width", "line width", "mm"), ("loops", "wall loops", ""), ("infill", "infill", "%"),
    ("edge_noise", "edge noise", "mm"), ("overhang_limit", "overhang limit", "°"),
)
_SPREADS = (
    ("growth", "growth", "mm/side"), ("hole_term", "hole shrink", "mm/side"), ("elephant_foot", "elephant foot", "mm/side"),
    ("shrinkage", "shrinkage", "%"), ("sag", "bridge sag", "mm"), ("modulus", "modulus", "MPa"),
)


class ProcessPanel(QWidget):
    """Edits the chosen process."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.fields: dict[str, QLineEdit] = {}
        self.learnt: dict[str, QLabel] = {}
        self.trouble = label("", "stop")
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        for column, text in ((0, "settings"), (4, "what the printer does"), (5, "you say"), (7, "evidence says")):
            grid.addWidget(label(text, "quiet", 8.5), 0, column)
        for row, (name, text, unit) in enumerate(_NUMBERS, 1):
            self._cell(grid, row, 0, name, text, unit)
        for row, (name, text, unit) in enumerate(_SPREADS, 1):
            self._cell(grid, row, 4, name, text, unit, spread=True)
            said = label("", "", 9)
            said.setFont(figure_font(9))
            self.learnt[name] = said
            grid.addWidget(said, row, 7)
        grid.setColumnMinimumWidth(3, 26)
        grid.setColumnStretch(8, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(grid)
        layout.addWidget(self.trouble)
        layout.addStretch()

    def _cell(self, grid: QGridLayout, row: int, column: int, name: str, text: str, unit: str, spread: bool = False) -> None:
        field = QLineEdit()
        field.setFont(figure_font(9))
        field.setProperty("figure", "true")
        field.setFixedWidth(112 if spread else 62)
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.setAccessibleName(f"{text}{', mean ± spread' if spread else ''} {unit}")
        field.setToolTip("mean ± standard deviation" if spread else text)
        field.editingFinished.connect(lambda n=name: self._on_entered(n))
        self.fields[name] = field
        grid.addWidget(label(text, "", 9), row, column)
        grid.addWidget(field, row, column + 1)
        grid.addWidget(label(unit, "quiet", 8.5), row, column + 2)

    def show_process(self) -> None:
        """Show the chosen process as stated and as believed."""
        stated, known = self._session.project.process, self._session.experience
        for name, field in self.fields.items():
            with QSignalBlocker(field):
                field.setText(_shown(getattr(stated, name)))
        for name, said in self.learnt.items():
            believed: Spread = getattr(known.believed, name)
            same = believed == getattr(stated, name)
            digits = 0 if name == "modulus" else 3
            said.setText("as you say" if same else f"{believed.mean:.{digits}f} ± {believed.sd:.{digits}f}")

    def _on_entered(self, name: str) -> None:
        process, text = self._session.project.process, self.fields[name].text()
        if text == _shown(getattr(process, name)):
            return
        try:
            changed = Process.model_validate({**process.model_dump(), name: _read(name, text), "source": "you"})
            self.trouble.setText("")
        except (ValueError, UserError):
            what = self.fields[name].accessibleName().split(",")[0]
            self.trouble.setText(f"{what} cannot be '{text}'; it stays as it was")
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
