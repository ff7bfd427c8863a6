"""The sheet of loose parts: files and what was mended, how they should move, and sizes as drawn and as printed."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import Combo
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.parts import Elided, button, clear, label, scrolled
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.bed import Bed
from bouncy_latch.core.formats.foreign import UNITS

CAUTION = "Freeing with a blade, key or mallet: wear eye protection, cut away from your fingers. These are estimates."
KINDS = {"apart": "comes apart", "turn": "turns about", "slide": "slides along"}


class LooseSheet(QFrame):
    """Shows and edits what is known of the loose parts on the bed."""

    def __init__(self, bed: Bed) -> None:
        super().__init__(objectName="panel")
        self._bed = bed
        self.kind, self.unit, self.line = Combo(), Combo(), QLineEdit()
        for key, words in KINDS.items():
            self.kind.addItem(words, key)
        self.unit.addItems(list(UNITS))
        for widget, name in ((self.kind, "how the parts move"), (self.unit, "unit of the files"), (self.line, "axis")):
            widget.setFont(text_font(9.5))
            widget.setAccessibleName(name)
        self.line.setPlaceholderText("z, or 5,0,3:0,0,1")
        self.line.setToolTip("x, y or z; a direction like 0,0,1; or a point and a direction like 5,0,3:0,0,1")
        self.trouble = label("", "stop", 8.5)
        self.trouble.setWordWrap(True)
        self.trouble.hide()
        self._files, self._body = QVBoxLayout(), QVBoxLayout()
        self.kind.activated.connect(lambda _: self._enter())
        self.line.editingFinished.connect(self._enter)
        self.unit.activated.connect(lambda _: self._on_unit())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 2, 2)
        inside = QVBoxLayout()
        inside.setSpacing(5)
        inside.addLayout(_head("Parts from files", "as they stand"))
        inside.addLayout(self._files)
        inside.addLayout(_pair("drawn in", self.unit))
        inside.addLayout(_head("How they move", "you decide"))
        inside.addLayout(_pair("joint", self.kind))
        inside.addLayout(_pair("axis", self.line))
        inside.addWidget(self.trouble)
        inside.addLayout(self._body)
        inside.addSpacing(8)
        inside.addWidget(button("put these parts away", bed.close_loose))
        layout.addWidget(scrolled(inside, (13, 8, 8, 8)))
        bed.changed.connect(self._on_changed)
        bed.refused.connect(self._on_refused)

    def _enter(self) -> None:
        loose = self._bed.loose
        kind, line = self.kind.currentData(), self.line.text().strip()
        if loose is not None and (kind, line) != (loose.kind, loose.line):
            self._bed.set_freedom(kind, line)

    def _on_unit(self) -> None:
        loose = self._bed.loose
        if loose is not None and self.unit.currentText() != loose.unit:
            self._bed.open(loose.paths, self.unit.currentText())

    def _on_refused(self, _field: str, sentence: str) -> None:
        self.trouble.setText(sentence)
        self.trouble.setVisible(bool(sentence))

    def _on_changed(self) -> None:
        loose, printed = self._bed.loose, self._bed.printed
        if loose is None or not self._bed.shows_loose:
            return
        self.kind.setCurrentIndex(list(KINDS).index(loose.kind))
        self.unit.setCurrentText(loose.unit)
        self.line.setText(loose.line)
        self.kind.setEnabled(len(loose.bodies) > 1)
        self.line.setEnabled(loose.kind != "apart" and len(loose.bodies) > 1)
        clear(self._files)
        for path in loose.paths:
            self._files.addWidget(Elided(path.name))
        for note in loose.notes:
            mended = label(note, "look", 8.5)
            mended.setWordWrap(True)
            self._files.addWidget(mended)
        clear(self._body)
        if printed is None:
            self._body.addWidget(label("predicting…", "quiet"))
            return
        if printed.freeing is not None:
            self._figures("Coming free", [
                ("outcome", "part breaks first" if printed.freeing.breaks_first else printed.freeing.outcome),
                ("by hand", f"{100 * printed.freeing.by_hand:.0f} %"),
                ("breakaway", f"{printed.freeing.breakaway:.0f} {printed.freeing.strength.unit}"),
                ("a hand gives", f"{printed.freeing.strength.hand:.0f} {printed.freeing.strength.unit}"),
                ("least gap printed", f"{printed.freeing.printed_gap:.2f} mm")])
            if printed.freeing.outcome in {"welded", "needs a tool"}:
                caution = label(CAUTION, "look", 8.5)
                caution.setWordWrap(True)
                self._body.addWidget(caution)
        for size in printed.prediction.sizes:
            self._figures(size.body, [(f"{axis} drawn → cooled", f"{a:.2f} → {b:.2f}")
                                      for axis, a, b in zip("xyz", size.drawn, size.printed, strict=True)])

    def _figures(self, title: str, rows: list[tuple[str, str]]) -> None:
        self._body.addLayout(_head(title, ""))
        grid = FieldGrid(units=0)
        for name, text in rows:
            grid.figure(label(name), text, size=9)
        self._body.addLayout(grid)


def _head(title: str, about: str) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setContentsMargins(0, 6, 6, 2)
    row.addWidget(label(title, "head"))
    row.addStretch()
    row.addWidget(label(about, "quiet", 8.5))
    return row


def _pair(name: str, widget: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setContentsMargins(0, 0, 6, 0)
    words: QLabel = label(name)
    words.setBuddy(widget)
    widget.setFixedWidth(128)
    row.addWidget(words)
    row.addStretch()
    row.addWidget(widget)
    return row
