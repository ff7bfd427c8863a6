"""Part of the sheet of a part: where a mechanism is to be added (pointed at in the view, or told), and what it carries."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import Combo, NumberField
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.parts import Elided, button, label
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.project import on_faces, splitting
from bouncy_latch.core.project.document import Mechanism, OnFace, Seated
from bouncy_latch.core.solids import contents

FILES = "Parts (*.stl *.3mf *.obj *.ply *.step *.stp)"
_WIDE, _FIGURE = 136, 86


def seat_fields(seat: Seated) -> OnFace:
    """Return a seat's place as numbers to edit; a seat without any is at its middle."""
    u, v = seat.at or (0.0, 0.0)
    return OnFace(u=min(max(u, -500), 500), v=min(max(v, -500), 500), turn=seat.turn)


class Faces(QVBoxLayout):
    """Rows of one part.

    Attributes:
        rows: the widgets in order. seat: the choice of seats. kind: what is added. editors: the place on the face, by name.
        add_button: adds it.
    """

    def __init__(self, session: Session, part: Mechanism, seat: tuple[str, Seated] | None = None) -> None:
        super().__init__()
        self.setSpacing(2)
        self._session, self._part = session, part
        self.rows: list[QWidget] = []
        self.editors: dict[str, NumberField] = {}
        body = session.bench.part_body(part.id)
        self.seat, self.kind = self._combo("the face, hole or edge it sits on"), self._combo("what is added there")
        for name, words in (on_faces.offered(body) if body is not None else {}).items():
            self.seat.addItem(words, name)
        hint = label("Click on the part, or choose a face:", "quiet", 8.5)
        hint.setWordWrap(True)
        self._add(hint)
        grid = FieldGrid(names=86, units=28)
        grid.put(Elided("on"), self.seat)
        for facts in OnFace.facts().values():
            editor = grid.editor(Elided(facts.label), facts, self._enter, (_FIGURE, _WIDE))
            assert isinstance(editor, NumberField)
            self.editors[facts.name] = editor
        grid.put(Elided("add a"), self.kind)
        self.addLayout(grid)
        self.trouble = label("", "quiet", 8.5)
        self.trouble.setWordWrap(True)
        self.add_button = button("add it there", self._on_add, "mend")
        self._add(self.trouble)
        self.addWidget(self.add_button, 0, Qt.AlignmentFlag.AlignLeft)
        self.rows += [self.seat, *self.editors.values(), self.kind, self.add_button]
        self.plane = QLineEdit()
        self.plane.setPlaceholderText("z=7")
        self.plane.setFixedWidth(_FIGURE)
        self.plane.setAccessibleName("plane to split the part at")
        self.plane.setToolTip("Across an axis of the part as it was drawn: x=20, y=5 or z=7. Enter tells the section.")
        self.plane.editingFinished.connect(self._on_plane)
        self.joint = self._combo("what joins the halves")
        self.joint.addItem("nothing", "")
        for kind_id in splitting.joining():
            self.joint.addItem(registry.kind(kind_id).title.lower(), kind_id)
        self.split_button = button("split it", self._on_split, "plain", "Makes two parts of it, joined by what is chosen.")
        self.section = label("", "quiet", 8.5)
        self.section.setWordWrap(True)
        cut = FieldGrid(names=86, units=28)
        cut.put(Elided("split at"), self.plane)
        cut.put(Elided("joined by"), self.joint)
        self._add(label("Split it in two", "head"))
        self.addLayout(cut)
        self._add(self.section)
        self.addWidget(self.split_button, 0, Qt.AlignmentFlag.AlignLeft)
        self.rows += [self.plane, self.joint, self.split_button]
        if part.params.get("file", "").startswith(contents.FOLDER):
            self.replace_button = button("replace the file…", self._on_replace, "plain",
                                         "Reads another file in its place; what sits on it follows the faces.")
            self.rows.append(self.replace_button)
            self.addWidget(self.replace_button, 0, Qt.AlignmentFlag.AlignLeft)
        carried = {item.id: item.name for item in session.project.mechanisms for each in item.sits if each.on == part.id}
        if carried:
            self._add(label("carries", "quiet", 8.5))
            for mechanism_id, name in carried.items():
                made = button(name, lambda m=mechanism_id: session.select(m), "plain", "Shows its sizes, verdicts and place.")
                self.rows.append(made)
                self.addWidget(made, 0, Qt.AlignmentFlag.AlignLeft)
        # What was pointed at last stays, where it is still there.
        kept = seat[1] if seat is not None and seat[0] == part.id and self.seat.findData(seat[1].seat) >= 0 else None
        self._seat = kept or Seated(seat=self.seat.itemData(0) or "face:top")
        self.seat.activated.connect(lambda _: self.show_seat(Seated(seat=self.seat.currentData())))
        self.show_seat(self._seat)

    @staticmethod
    def shape(session: Session, part: Mechanism) -> object:
        """Return what the rows of a part depend on; None of a mechanism."""
        if not registry.kind(part.kind).is_part:
            return None
        return (session.bench.part_body(part.id),
                tuple((item.id, item.name) for item in session.project.mechanisms for each in item.sits if each.on == part.id))

    def _combo(self, name: str) -> Combo:
        made = Combo()
        made.setFont(text_font(9.5))
        made.setFixedWidth(_WIDE)
        made.setAccessibleName(name)
        made.setToolTip(name.capitalize() + ".")
        return made

    def _add(self, widget: QWidget) -> None:
        self.rows.append(widget)
        self.addWidget(widget)

    @property
    def chosen(self) -> tuple[str, Seated]:
        """The part and the seat that is chosen on it."""
        return self._part.id, self._seat

    def on_pointed(self, seat: Seated | None) -> None:
        """Show the seat that was pointed at in the view, if there is one."""
        if seat is None:
            self.trouble.setText("No flat face is there that a mechanism could sit on.")
        else:
            self.show_seat(seat)

    def show_seat(self, seat: Seated) -> None:
        """Show a seat: where it is, how thick the part is there, and what can be added."""
        self._seat = seat
        self.seat.setCurrentIndex(max(0, self.seat.findData(seat.seat)))
        body = self._session.bench.part_body(self._part.id)
        if body is None:
            return
        try:
            there = on_faces.found(body, seat)
        except UserError as error:
            self.trouble.setText(error.sentence)
            self.add_button.setEnabled(False)
            return
        if seat.at is None:
            u, v = there.face.at(there.point)
            shown = OnFace(u=round(u, 2), v=round(v, 2), turn=seat.turn)
        else:
            shown = seat_fields(seat)
        for name, editor in self.editors.items():
            editor.show_value(getattr(shown, name))
        chosen = self.kind.currentData()
        self.kind.clear()
        for kind_id in on_faces.suitable(body, seat):
            self.kind.addItem(registry.kind(kind_id).title.lower(), kind_id)
        self.kind.setCurrentIndex(max(0, self.kind.findData(chosen)))
        able = self.kind.count() > 0
        self.add_button.setEnabled(able)
        self.trouble.setText(f"{there.thickness:.1f} mm of plastic behind it" if able else
                             "Nothing can sit here as the part lies on the bed; let it lie on another side.")

    def _enter(self, name: str, value: object, _merge_key: str | None = None) -> None:
        try:
            now = OnFace(**{each: editor.value for each, editor in self.editors.items()}).changed(**{name: value})
        except UserError as error:
            self.trouble.setText(error.sentence)
            return
        self.show_seat(Seated(seat=self._seat.seat, at=(now.u, now.v), turn=now.turn))

    def _on_plane(self) -> None:
        """Say how large the section is, and what would fit the bed."""
        body, text = self._session.bench.part_body(self._part.id), self.plane.text().strip()
        if body is None or not text:
            self.section.setText("")
            return
        try:
            area = splitting.section(body, *splitting.plane(text))
        except UserError as error:
            self.section.setText(error.sentence)
            return
        cuts = splitting.least_cuts(body, self._session.process.bed)
        larger = f"; larger than the bed: split it at {', '.join(cuts)}" if cuts else ""
        self.section.setText(f"section {area:.0f} mm²{larger}")

    def _on_split(self) -> None:
        refused = self._session.split(self.plane.text(), self.joint.currentData())
        if refused:
            self.section.setText(refused)

    def _on_replace(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.seat, "Another file in its place", str(Path.home()), FILES)
        if name:
            self._session.replace_part_file(Path(name))

    def _on_add(self) -> None:
        refused = self._session.add_on(self.kind.currentData(), self._seat)
        if refused:
            self.trouble.setText(refused)
