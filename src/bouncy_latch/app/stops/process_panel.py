"""The numbers of the process: what the user states, and beside it what evidence has made of it."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QLabel, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.kit.columns import Columns
from bouncy_latch.app.kit.editors import Combo
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.parts import Elided, label
from bouncy_latch.app.kit.theme import figure_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.process import materials
from bouncy_latch.core.process.profile import Process, Spread

# (name, label, unit)
_NUMBERS = (
    ("nozzle", "nozzle", "mm"), ("layer_height", "layer height", "mm"), ("first_layer_height", "first layer", "mm"),
    ("line_width", "line width", "mm"), ("loops", "wall lines", ""), ("infill", "infill", "%"),
    ("solid_layers", "solid layers", ""), ("edge_noise", "edge noise", "mm"), ("overhang_limit", "overhang limit", "°"),
)
_SPREADS = (
    ("growth", "growth", "mm/side"), ("hole_term", "hole shrink", "mm/side"), ("elephant_foot", "elephant foot", "mm/side"),
    ("shrinkage", "shrinkage", "%"), ("sag", "bridge sag", "mm"), ("ridge", "ridges", "mm/side"),
    ("flank", "thread flanks", "mm/side"), ("modulus", "modulus", "MPa"),
)
_PLASTIC = (
    ("strength", "strength along layers", "MPa"), ("across", "strength across", "MPa"), ("friction", "friction on itself", ""),
    ("creep", "force left after a year", ""), ("strain_once", "strain, once", "%"), ("strain_repeated", "strain, often", "%"),
    ("strain_break", "strain at tearing", "%"), ("poisson", "Poisson's ratio", ""),
)


class ProcessPanel(QWidget):
    """Edits the chosen process."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.fields: dict[str, QLineEdit] = {}
        self.learnt: dict[str, QLabel] = {}
        self.trouble = label("", "stop")
        self.material = Combo()
        self.material.addItems([made.name for made in materials.table().values()])
        self.material.setAccessibleName("material")
        self.material.textActivated.connect(self._on_material)
        settings, printer = (FieldGrid(2, 0, 0, (7, 3)) for _ in range(2))
        settings.head((0, label("settings", "quiet", 8.5)))
        printer.head(*((column, label(text, "quiet", 8.5)) for column, text in (
            (0, "what the printer does"), (1, "you say"), (3, "evidence says"))))
        for row, (name, text, unit) in enumerate(_NUMBERS, 1):
            settings.put(label(text, "", 9), self._field(name, text, unit), unit, at=2 * row)
        for row, (name, text, unit) in enumerate(_SPREADS, 1):
            self.learnt[name] = label("", "", 9)
            self.learnt[name].setFont(figure_font(9))
            printer.put(label(text, "", 9), self._field(name, text, unit, spread=True), unit, at=2 * row,
                        beside=self.learnt[name])
        self._plastic_source = Elided("", "quiet", 8.5)
        bears = Flow(label("what the material bears", "quiet", 8.5), self.material)
        halves = tuple(FieldGrid(1, 150, 0, (7, 3)) for _ in range(2))
        half = (len(_PLASTIC) + 1) // 2
        for number, (name, text, unit) in enumerate(_PLASTIC):
            halves[number // half].put(label(text, "", 9), self._field(name, text, unit), unit)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(Columns(settings, printer))
        layout.addLayout(bears)
        layout.addWidget(self._plastic_source)
        layout.addWidget(Columns(*halves))
        layout.addWidget(self.trouble)
        layout.addStretch()

    def _field(self, name: str, text: str, unit: str, spread: bool = False) -> QLineEdit:
        field = QLineEdit()
        field.setFont(figure_font(9))
        field.setProperty("figure", "true")
        field.setFixedWidth(100 if spread else 56)
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.setAccessibleName(f"{text}{', mean ± spread' if spread else ''} {unit}")
        field.setToolTip("mean ± standard deviation" if spread else text)
        field.editingFinished.connect(lambda: self._on_entered(name))
        self.fields[name] = field
        return field

    def show_process(self) -> None:
        """Show the chosen process as stated and as believed."""
        stated, known = self._session.project.process, self._session.experience
        plastic = stated.plastic if materials.is_known(stated.material) else None
        for name, field in self.fields.items():
            with QSignalBlocker(field):
                value = getattr(stated, name) if name in Process.model_fields else getattr(plastic, name, None)
                field.setText("" if value is None else _shown(value))
        with QSignalBlocker(self.material):
            listed = [self.material.itemText(i).lower() for i in range(self.material.count())]
            self.material.setCurrentIndex(listed.index(stated.material.lower()) if stated.material.lower() in listed else -1)
        self._plastic_source.show_text(plastic.source if plastic else f"{stated.material} is not in the table")
        for name, said in self.learnt.items():
            believed: Spread = getattr(known.believed, name)
            same = believed == getattr(stated, name)
            digits = 0 if name == "modulus" else 3
            said.setText("as you say" if same else f"{believed.mean:.{digits}f} ± {believed.sd:.{digits}f}")

    def _on_entered(self, name: str) -> None:
        process, text = self._session.project.process, self.fields[name].text()
        plastic = name not in Process.model_fields
        before = getattr(process.plastic if plastic else process, name)
        if text == _shown(before):
            return
        try:
            if plastic:
                values = {**dict(process.material_values), name: float(text.replace(",", "."))}
                changed = Process.model_validate({**process.model_dump(), "material_values": values})
                self.trouble.setText("")
                self._session.change_process(changed)
                return
            changed = Process.model_validate({**process.model_dump(), name: _read(name, text), "source": "you"})
            self.trouble.setText("")
        except (ValueError, UserError):
            what = self.fields[name].accessibleName().split(",")[0]
            self.trouble.setText(f"{what} cannot be '{text}'; it stays as it was")
            self.fields[name].setText(_shown(before))
            return
        self._session.change_process(changed)

    def _on_material(self, name: str) -> None:
        """Choose a material: its own values take the place of what was said of another."""
        process = self._session.project.process
        if name.lower() != process.material.lower():
            self._session.change_process(process.of_material(name).model_copy(update={"source": "you"}))


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
    return int(plain) if name in {"loops", "solid_layers"} else float(plain)
