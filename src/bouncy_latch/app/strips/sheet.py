"""The sheet: what you measured, what you decide, and everything worked out with its formula and source."""

from __future__ import annotations

import re

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import ChoiceField, NumberField, show_all
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.parts import Elided, button, clear, label
from bouncy_latch.app.kit.rowarea import RowArea
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.strips.faces import Faces
from bouncy_latch.app.strips.seats import Seats
from bouncy_latch.core.checks import ENDLESS
from bouncy_latch.core.fields import Facts
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.process.readings import Measured

# Two figures apart, or figures with an inch mark: readings of a caliper rather than one number with its unit.
_SEVERAL = re.compile(r'\d[\s;]+[-\d.,]|\d\s*("|in\b)')
_ROLES = (("given", "Given", "you measured"), ("chosen", "Chosen", "you decide"))


class Sheet(QFrame):
    """Shows and edits the selected mechanism's parameters.

    Signals:
        hardware_wanted: what it takes is to come from the user's own drawer.
    """

    hardware_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(objectName="panel")
        self._session = session
        self.editors: dict[str, NumberField | ChoiceField] = {}
        self.troubles: dict[str, QLabel] = {}
        self.derived: dict[str, QLabel] = {}
        self.seats: Seats | None = None
        self.faces: Faces | None = None
        self._built_for: tuple[object, ...] = ()
        self._body = QVBoxLayout()
        self._body.setSpacing(2)
        self._rows: list[QWidget] = []
        holder = QVBoxLayout()
        holder.setContentsMargins(9, 0, 0, 0)
        holder.addLayout(self._body)
        self.area = RowArea(holder, lambda: self._rows)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 1, 4)
        layout.addWidget(self.area)
        session.changed.connect(self._on_changed)
        session.refused.connect(self._on_refused)
        session.pointed.connect(lambda seat: self.faces is not None and self.faces.on_pointed(seat))
        self._on_changed()

    def _on_changed(self) -> None:
        mechanism = self._session.mechanism
        solution = self._session.solution
        params = mechanism.parsed() if mechanism else None
        shape: tuple[object, ...] = ()
        if params is not None:
            shape = (mechanism.id if registry.kind(mechanism.kind).is_part else mechanism.kind, *params.active(),
                     *((d.name for d in solution.derived) if solution else ()), Seats.shape(self._session, mechanism),
                     Faces.shape(self._session, mechanism))
        if shape != self._built_for:
            self._build(shape)
        if params is None:
            return
        show_all(self.editors, params, solution)
        for name, editor in self.editors.items():
            read = mechanism.measured.get(name) if mechanism else None
            if isinstance(editor, NumberField):
                editor.show_readings(Measured(read).told(editor.facts.unit) if read else "")
        if self.seats is not None:
            self.seats.show_values(mechanism)
        for derived in solution.derived if solution else ():
            self._show_derived(derived)

    def _build(self, shape: tuple[object, ...]) -> None:
        clear(self._body)
        seat = self.faces.chosen if self.faces is not None else None
        self.editors, self.troubles, self.derived, self._rows, self.seats = {}, {}, {}, [], None
        self.faces = None
        self._built_for = shape
        mechanism, solution = self._session.mechanism, self._session.solution
        if mechanism is None:
            text = label("Pick a mechanism on the shelf, or add one.", "quiet")
            text.setWordWrap(True)
            self._body.addWidget(text)
            return
        active = mechanism.parsed().active()
        for role, title, who in _ROLES:
            mine = [f for f in active.values() if f.role == role]
            if not mine:
                continue
            self._heading(title, who)
            self._editor_grid([f for f in mine if not f.part])
            if role == "given" and registry.kind(mechanism.kind).takes is not None:
                self._rows.append(button("from your hardware…", self.hardware_wanted.emit, "plain"))
                self._body.addWidget(self._rows[-1])
            for part in dict.fromkeys(f.part for f in mine if f.part):
                self._rows.append(label(f"of the {part} it is built into", "quiet", 8.5))
                self._body.addWidget(self._rows[-1])
                self._editor_grid([f for f in mine if f.part == part])
        if registry.kind(mechanism.kind).is_part and solution is not None:
            self.faces = Faces(self._session, mechanism, seat)
            self._heading("Build into it", "where, and what")
            self._body.addLayout(self.faces)
            self._rows += self.faces.rows
        elif Seats.shape(self._session, mechanism):
            self.seats = Seats(self._session, mechanism)
            self._heading(*(("Built into", "a part or a mechanism") if self.seats.hosts else ("Carries", "built into it")))
            self._body.addLayout(self.seats)
            self._rows += self.seats.rows
        if solution:
            self._heading("Worked out", "hover for the formula")
            self._derived_grid(solution.derived)

    def _heading(self, title: str, who: str) -> None:
        row = QHBoxLayout()
        row.setContentsMargins(0, 7 if self._body.count() else 0, 14, 2)
        self._rows.append(label(title, "head"))
        row.addWidget(self._rows[-1])
        row.addStretch()
        row.addWidget(label(who, "quiet", 8.5))
        self._body.addLayout(row)

    def _editor_grid(self, facts: list[Facts]) -> None:
        grid = FieldGrid(names=86, units=28, spacing=(5, 2))
        for field in facts:
            self.editors[field.name] = grid.editor(_named(field.label), field, self._enter, (88, 123))
            trouble = label("", "stop", 8.5)
            trouble.setWordWrap(True)
            trouble.hide()
            grid.under(trouble)
            self.troubles[field.name] = trouble
            self._rows += [self.editors[field.name], trouble]
        self._body.addLayout(grid)

    def _derived_grid(self, derived: tuple[Derived, ...]) -> None:
        grid = FieldGrid(names=86, units=28, spacing=(5, 2))
        for item in derived:
            name = _named(item.label)
            self.derived[item.name] = grid.figure(name, unit=item.unit)
            self._rows.append(self.derived[item.name])
            for widget in (name, self.derived[item.name]):
                widget.setToolTip(f"{item.label} = {item.formula}\nfrom {item.source}")
        self._body.addLayout(grid)

    def _show_derived(self, derived: Derived) -> None:
        shown = self.derived.get(derived.name)
        if shown is not None:
            endless = derived.value >= ENDLESS and derived.unit == "N"
            shown.setText("∞" if endless else f"{derived.value:.0f}" if derived.unit in {"N·mm", ""}
                          else f"{derived.value:.2f}")
            shown.setToolTip(f"{derived.label} = {derived.formula}\nfrom {derived.source}")

    def _enter(self, name: str, value: object, merge_key: str | None = None) -> None:
        facts = self.editors[name].facts
        several = isinstance(value, str) and facts.role == "given" and facts.unit == "mm" and _SEVERAL.search(value.strip())
        if several:
            self._session.set_measured(name, str(value))
        elif value != "" or self.editors[name].facts.auto:
            self._session.set_params(self.editors[name].facts.label, merge_key, **{name: value})
        self._on_changed()

    def _on_refused(self, name: str, sentence: str) -> None:
        for other, trouble in self.troubles.items():
            if (other == name or not sentence) and (sentence or trouble.text()):
                trouble.setVisible(bool(sentence) and other == name)
                trouble.setText(sentence)
                editor = self.editors[other]
                if isinstance(editor, NumberField):
                    editor.show_wrong(bool(sentence) and other == name)


def _named(words: str) -> Elided:
    """Return the name of a row."""
    made = Elided(words)
    made.setFont(text_font(9))
    return made
