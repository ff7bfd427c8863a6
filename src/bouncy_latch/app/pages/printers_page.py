"""The page of the user's own printers: what they are, how they print, their spools; kept for all projects."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout

from bouncy_latch.app.kit.columns import Columns
from bouncy_latch.app.kit.editors import Combo
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.parts import button, label
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.pages.own_page import OwnPage, free_name, number, wrapped
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.process import materials, printers
from bouncy_latch.core.process.printers import Printer, Printers, Settings, Spool
from bouncy_latch.core.project import own_printers

# (name, label, unit); bed is three numbers in one field.
_OWN = (("name", "name", ""), ("nozzle", "nozzle", "mm"), ("bed", "bed, w x d x h", "mm"))
_SETTINGS = (("layer_height", "layer height", "mm"), ("first_layer_height", "first layer", "mm"),
             ("line_width", "line width", "mm"), ("loops", "wall lines", ""), ("infill", "infill", "%"))


class PrintersPage(OwnPage[Printers]):
    """A list of printers, and the chosen one to be edited."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, own_printers.FILE, "Your printers", "+ add a printer")

    def names(self) -> list[str]:
        return [each.name for each in self.kept.printers]

    @property
    def printer(self) -> Printer | None:
        """The one that is edited."""
        return self.kept.named(self.chosen) if self.kept.has(self.chosen) else None

    # -- what is asked for -------------------------------------------------------------------------------------------

    def add(self) -> None:
        """Add a printer with usual sizes, to be changed."""
        made = printers.made(name=free_name("Printer", self.kept.has), bed=(220, 220, 250))
        self._change(lambda kept: kept.added(made), made.name)

    def duplicate(self) -> None:
        """Add a copy of the chosen one."""
        name = self.chosen
        _, copy = self.kept.duplicated(name)
        self._change(lambda kept: kept.duplicated(name)[0], copy.name)

    def remove(self) -> None:
        """Remove the chosen one; what projects use is their own copy."""
        name = self.chosen
        if self._change(lambda kept: kept.removed(name), ""):
            self._session.said.emit(f"{name} removed; projects that print on it keep their copy, and what was learnt stays.")

    def enter(self, name: str, text: str) -> None:
        """Change one of the chosen printer's values as typed; refused in one sentence."""
        before = self.printer
        if before is None or text == _shown(before, name):
            return

        def changed(kept: Printers) -> Printers:
            whole = kept.named(before.name).model_dump()
            if name in Settings.model_fields:
                whole["settings"][name] = number(text)
            else:
                whole[name] = text.strip() if name in {"name", "stop"} else (
                    printers.bed_of(text) if name == "bed" else number(text))
            return kept.changed(before.name, printers.made(**whole))

        self._change(changed, text.strip() if name == "name" else before.name)

    def shown(self, name: str) -> str:
        return _shown(self.printer, name) if self.printer else ""

    def add_spool(self, material: str, colour: str, note: str) -> None:
        """Add a spool to the chosen printer."""
        before = self.printer
        if before is not None:
            self._change(lambda kept: kept.changed(before.name, printers.with_spool(
                kept.named(before.name), material=material, colour=colour.strip() or "natural", note=note.strip())),
                before.name)

    def remove_spool(self, spool: Spool) -> None:
        """Take a spool away."""
        before = self.printer
        if before is not None:
            def changed(kept: Printers) -> Printers:
                now = kept.named(before.name)
                rest = tuple(each for each in now.spools if each != spool)
                return kept.changed(before.name, now.model_copy(update={"spools": rest}))

            self._change(changed, before.name)

    def use(self, spool: Spool) -> None:
        """Print this project on the chosen printer with a spool."""
        before = self.printer
        if before is not None:
            process = before.process(spool)
            known = next((each for each in self._session.project.processes if each.id == process.id), process)
            self._session.set_process(known)
            self._session.said.emit(f"{self._session.project.name} prints on {process.title} now.")

    def joined(self, kept: Printers, others: Printers) -> Printers:
        return kept.joined(others)

    # -- how ---------------------------------------------------------------------------------------------------------

    def built_for(self) -> tuple[object, ...]:
        return (self.printer.spools if self.printer else (), self._session.project.process_id)

    def build(self) -> None:
        if self.printer is None:
            self.lay(wrapped("None yet. A printer added here can be chosen in every project; what is learnt from its prints "
                             "stays with printer, spool and settings."))
        else:
            self._build(self.printer)

    def _build(self, printer: Printer) -> None:
        own = FieldGrid(1, 130, 40, (8, 4))
        for name, words, unit in _OWN:
            own.put(label(words, "", 9.5), self.field(name, words, 160), unit)
        stop = Combo()
        stop.addItems(printers.STOPS)
        stop.setAccessibleName("stop command")
        stop.setCurrentText(printer.stop)
        stop.textActivated.connect(lambda text: self.enter("stop", text))
        stop.setToolTip("What stops the printer for the hand")
        own.put(label("stop command", "", 9.5), stop)
        settings = [FieldGrid(1, 90, 34, (8, 4)) for _ in range(2)]
        for at, (name, words, unit) in enumerate(_SETTINGS):
            settings[at % 2].put(label(words, "", 9.5), self.field(name, words, 70), unit)
        actions = QHBoxLayout()
        actions.addWidget(button("duplicate", self.duplicate, "plain"))
        actions.addWidget(button("remove", self.remove, "plain"))
        actions.addStretch()
        stop.setFixedWidth(160)
        beside = QHBoxLayout()
        beside.addLayout(own)
        beside.addStretch()
        self.lay(beside, label("how it prints", "head", 10.5), Columns(*settings), label("spools", "head", 10.5),
                 self._spools(printer), actions)

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
        add = button("add this spool", lambda: self.add_spool(material.currentText(), colour.text(), note.text()))
        rows.addLayout(Flow(material, colour, note, add))
        return rows


def _shown(printer: Printer, name: str) -> str:
    if name == "bed":
        return " x ".join(f"{side:g}" for side in printer.bed)
    value = getattr(printer.settings if name in Settings.model_fields else printer, name)
    return value if isinstance(value, str) else f"{value:g}"
