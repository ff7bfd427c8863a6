"""The page of the user's own printers: what they are, how they print, their spools; kept for all projects."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.editors import Combo
from bouncy_latch.app.fieldgrid import FieldGrid
from bouncy_latch.app.parts import button, clear, label, scrolled
from bouncy_latch.app.session import Session
from bouncy_latch.app.theme import figure_font, text_font
from bouncy_latch.core.errors import ParamError, UserError
from bouncy_latch.core.process import materials, printers
from bouncy_latch.core.process.printers import Printer, Printers, Settings, Spool
from bouncy_latch.core.project import own_printers
from bouncy_latch.core.project.folders import data_folder

# (name, label, unit); bed is three numbers in one field.
_OWN = (("name", "name", ""), ("nozzle", "nozzle", "mm"), ("bed", "bed, width x depth x height", "mm"))
_SETTINGS = (("layer_height", "layer height", "mm"), ("first_layer_height", "first layer", "mm"),
             ("line_width", "line width", "mm"), ("loops", "wall lines", ""), ("infill", "infill", "%"))
_FILES = "Printers (*.json)"


class PrintersPage(QWidget):
    """A list of printers, and the chosen one to be edited.

    Signals:
        left: the user is done here.
    """

    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.kept, self.chosen = Printers(), ""
        self._built_for: tuple[object, ...] = ()
        self.trouble = label("", "stop")
        self.trouble.setWordWrap(True)
        self._list = QVBoxLayout()
        self._list.setSpacing(4)
        self.fields: dict[str, QLineEdit] = {}
        self._form = QVBoxLayout()
        self._form.setSpacing(8)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(label("Your printers", "head", 12))
        self.add_button = button("+ add a printer", self.add, "strong")
        side.addWidget(self.add_button)
        side.addWidget(scrolled(self._list, (0, 0, 4, 0)), 1)
        row = QHBoxLayout()
        row.addWidget(button("import…", self._import, "plain", "Add the printers of a file"))
        row.addWidget(button("export…", self._export, "plain", "Write all printers to a file"))
        side.addLayout(row)
        right = QVBoxLayout()
        right.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self.trouble, 1)
        head.addWidget(button("done", self.left.emit, "plain", "Back to the bench"))
        right.addLayout(head)
        right.addWidget(scrolled(self._form), 1)
        session.changed.connect(lambda: self.isVisible() and self._show())
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 10, 10, 10)
        layout.setSpacing(16)
        layout.addLayout(side, 3)
        layout.addLayout(right, 7)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.reread()

    def reread(self) -> None:
        """Read the printers anew and show them."""
        if self._done(lambda: own_printers.known(data_folder())) is not None:
            self._show()

    @property
    def printer(self) -> Printer | None:
        """The one that is edited."""
        return self.kept.named(self.chosen) if self.kept.has(self.chosen) else None

    # -- what is asked for -------------------------------------------------------------------------------------------

    def add(self) -> None:
        """Add a printer with usual sizes, to be changed."""
        number = 1
        while self.kept.has(f"Printer {number}"):
            number += 1
        made = printers.made(name=f"Printer {number}", bed=(220, 220, 250))
        self._change(lambda: self.kept.added(made), made.name)

    def duplicate(self) -> None:
        """Add a copy of the chosen one."""
        changed, copy = self.kept.duplicated(self.chosen)
        self._change(lambda: changed, copy.name)

    def remove(self) -> None:
        """Remove the chosen one; what projects use is their own copy."""
        name = self.chosen
        if self._change(lambda: self.kept.removed(name), ""):
            self._session.said.emit(f"{name} removed; projects that print on it keep their copy, and what was learnt stays.")

    def enter(self, name: str, text: str) -> None:
        """Change one of the chosen printer's values as typed; refused in one sentence."""
        before = self.printer
        if before is None or text == _shown(before, name):
            return

        def changed() -> Printers:
            whole = before.model_dump()
            if name in Settings.model_fields:
                whole["settings"][name] = _number(text)
            else:
                whole[name] = text.strip() if name in {"name", "stop"} else (
                    printers.bed_of(text) if name == "bed" else _number(text))
            return self.kept.changed(before.name, printers.made(**whole))

        self._change(changed, text.strip() if name == "name" else before.name)

    def add_spool(self, material: str, colour: str, note: str) -> None:
        """Add a spool to the chosen printer."""
        before = self.printer
        if before is not None:
            self._change(lambda: self.kept.changed(before.name, printers.with_spool(
                before, material=material, colour=colour.strip() or "natural", note=note.strip())), before.name)

    def remove_spool(self, spool: Spool) -> None:
        """Take a spool away."""
        before = self.printer
        if before is not None:
            rest = tuple(each for each in before.spools if each != spool)
            self._change(lambda: self.kept.changed(before.name, before.model_copy(update={"spools": rest})), before.name)

    def use(self, spool: Spool) -> None:
        """Print this project on the chosen printer with a spool."""
        before = self.printer
        if before is not None:
            process = before.process(spool)
            known = next((each for each in self._session.project.processes if each.id == process.id), process)
            self._session.set_process(known)
            self._session.said.emit(f"{self._session.project.name} prints on {process.title} now.")

    def import_from(self, path: Path) -> None:
        """Add the printers of a file: all, or none."""
        self._change(lambda: self.kept.joined(own_printers.read(path)), self.chosen)

    def _import(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Import printers", str(Path.home()), _FILES)
        if path:
            self.import_from(Path(path))

    def _export(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Export printers", str(Path.home() / "printers.json"), _FILES)
        if path:
            self._done(lambda: own_printers.write(Path(path), self.kept))

    # -- how -----------------------------------------------------------------------------------------------------

    def _done(self, run: Callable[[], Printers | None]) -> Printers | None:
        """Run something that may be refused, and say why; what comes of it is kept here."""
        try:
            found = run()
        except UserError as error:
            self.trouble.setText(error.sentence)
            return None
        self.trouble.setText("")
        if found is not None:
            self.kept = found
        return found

    def _change(self, run: Callable[[], Printers], chosen: str) -> bool:
        def kept() -> Printers:
            changed = run()
            own_printers.keep(data_folder(), changed)
            return changed

        done = self._done(kept) is not None
        if done:
            self.chosen = chosen
        # Only now is what was typed no longer needed.
        self._show()
        return done

    def _show(self) -> None:
        if self.printer is None:
            self.chosen = self.kept.printers[0].name if self.kept.printers else ""
        clear(self._list)
        group = QButtonGroup(self)
        for each in self.kept.printers:
            made = button(each.name, partial(self._choose, each.name))
            made.setCheckable(True)
            made.setChecked(each.name == self.printer.name if self.printer else False)
            group.addButton(made)
            self._list.addWidget(made)
        # While the same is edited its fields stay, and the cursor in them.
        printer = self.printer
        place = self.kept.printers.index(printer) if printer else -1
        built_for = (place, len(self.kept.printers), printer.spools if printer else (), self._session.project.process_id)
        if built_for == self._built_for and printer is not None:
            for name, field in self.fields.items():
                field.setText(_shown(printer, name))
            return
        self._built_for = built_for
        clear(self._form)
        self.fields = {}
        if printer is None:
            self._form.addWidget(_wrapped("None yet. A printer added here can be chosen in every project; what is learnt from "
                                          "its prints stays with printer, spool and settings."))
        else:
            self._build(printer)

    def _choose(self, name: str) -> None:
        self.chosen = name
        self.trouble.setText("")
        self._show()

    def _build(self, printer: Printer) -> None:
        own = FieldGrid(1, 190, 40, (8, 4))
        for name, words, unit in _OWN:
            own.put(label(words, "", 9.5), self._field(printer, name, words, 190), unit)
        stop = Combo()
        stop.addItems(printers.STOPS)
        stop.setAccessibleName("stop command")
        stop.setCurrentText(printer.stop)
        stop.textActivated.connect(lambda text: self.enter("stop", text))
        own.put(label("command that stops it for the hand", "", 9.5), stop)
        settings = FieldGrid(2, 90, 34, (8, 4))
        for name, words, unit in _SETTINGS:
            settings.put(label(words, "", 9.5), self._field(printer, name, words, 70), unit)
        actions = QHBoxLayout()
        actions.addWidget(button("duplicate", self.duplicate, "plain"))
        actions.addWidget(button("remove", self.remove, "plain"))
        actions.addStretch()
        stop.setFixedWidth(190)
        beside = QHBoxLayout()
        beside.addLayout(own)
        beside.addStretch()
        for part in (beside, label("how it prints", "head", 10.5), settings, label("spools", "head", 10.5),
                     self._spools(printer), actions):
            self._form.addWidget(part) if isinstance(part, QWidget) else self._form.addLayout(part)

    def _field(self, printer: Printer, name: str, words: str, width: int) -> QLineEdit:
        field = QLineEdit(_shown(printer, name))
        field.setFont(text_font(10) if name == "name" else figure_font(9.5))
        field.setFixedWidth(width)
        field.setAccessibleName(words)
        if name != "name":
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.editingFinished.connect(lambda: self.enter(name, field.text()))
        self.fields[name] = field
        return field

    def _spools(self, printer: Printer) -> QVBoxLayout:
        rows = QVBoxLayout()
        rows.setSpacing(4)
        now = self._session.project.process_id
        for spool in printer.spools:
            row = QHBoxLayout()
            row.addWidget(label(spool.title, "title", 10))
            row.addWidget(label(spool.note, "quiet", 9), 1)
            used = printer.process(spool).id == now
            if used:
                row.addWidget(label("this project prints on it", "ok", 9))
            else:
                row.addWidget(button("print on this", partial(self.use, spool), "mend"))
            row.addWidget(button("remove", partial(self.remove_spool, spool), "plain"))
            rows.addLayout(row)
        if not printer.spools:
            rows.addWidget(label("No spool yet: what is printed depends on it.", "quiet", 9.5))
        material, colour, note = Combo(), QLineEdit(placeholderText="colour"), QLineEdit(placeholderText="note")
        material.addItems([made.name for made in materials.table().values()])
        material.setAccessibleName("material of the new spool")
        for field, words in ((colour, "colour"), (note, "note")):
            field.setAccessibleName(f"{words} of the new spool")
            field.setFont(text_font(9.5))
        row = QHBoxLayout()
        row.addWidget(material)
        row.addWidget(colour, 1)
        row.addWidget(note, 2)
        row.addWidget(button("add this spool", lambda: self.add_spool(material.currentText(), colour.text(), note.text())))
        rows.addLayout(row)
        return rows


def _wrapped(text: str) -> QWidget:
    made = label(text, "quiet", 10)
    made.setWordWrap(True)
    return made


def _shown(printer: Printer, name: str) -> str:
    if name == "bed":
        return " x ".join(f"{side:g}" for side in printer.bed)
    value = getattr(printer.settings if name in Settings.model_fields else printer, name)
    return value if isinstance(value, str) else f"{value:g}"


def _number(text: str) -> float:
    try:
        return float(text.strip().replace(",", "."))
    except ValueError:
        raise ParamError(f"'{text.strip()}' is no number; it stays as it was", field="printer", value=text) from None
