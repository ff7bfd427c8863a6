"""The page of the user's drawer of bought nuts, as calipers read them; kept for all projects."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout

from bouncy_latch.app.kit.editors import Combo
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.parts import button, label
from bouncy_latch.app.pages.own_page import OwnPage, free_name, number, wrapped
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.process import readings
from bouncy_latch.core.project import own_hardware
from bouncy_latch.core.standards import drawer
from bouncy_latch.core.standards.drawer import Drawer, Piece

# (name, label, unit); flats and height take several readings.
_FIELDS = (("name", "name", ""), ("diameter", "thread diameter", "mm"), ("flats", "across flats, calipers", "mm"),
           ("height", "height, calipers", "mm"), ("note", "note", ""))
_READ = {"flats", "height"}


class HardwarePage(OwnPage[Drawer]):
    """The drawer, and the chosen nut to be measured."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, own_hardware.FILE, "Your hardware", "+ add a nut")

    def names(self) -> list[str]:
        return [each.name for each in self.kept.pieces]

    @property
    def piece(self) -> Piece | None:
        """The one that is edited."""
        return self.kept.named(self.chosen) if self.kept.has(self.chosen) else None

    def add(self) -> None:
        """Add a usual M5 nut, to be measured."""
        made = drawer.made(name=free_name("Nut", self.kept.has), diameter=5, flats=(8.0,), height=(4.7,))
        self._change(lambda kept: kept.added(made), made.name)

    def remove(self) -> None:
        """Take the chosen one out; projects that use it keep its sizes."""
        name = self.chosen
        if self._change(lambda kept: kept.removed(name), ""):
            self._session.said.emit(f"{name} removed; mechanisms that take it keep its sizes.")

    def use(self) -> None:
        """Let the selected mechanism take the chosen one."""
        piece, mechanism, request = self.piece, self._session.mechanism, self._session.request
        if piece is None or mechanism is None or request is None:
            return
        try:
            values = request.kind.taking(piece)
        except UserError as error:
            self.trouble.setText(error.sentence)
            return
        if self._session.set_params(f"take {piece.name}", **values):
            self._session.said.emit(f"{mechanism.name} takes {piece.name} now.")

    def enter(self, name: str, text: str) -> None:
        before = self.piece
        if before is None or text == self.shown(name):
            return

        def changed(kept: Drawer) -> Drawer:
            value = readings.read(text).values if name in _READ else number(text) if name == "diameter" else text.strip()
            return kept.changed(before.name, drawer.made(**{**kept.named(before.name).model_dump(), name: value}))

        self._change(changed, text.strip() if name == "name" else before.name)

    def shown(self, name: str) -> str:
        value = getattr(self.piece, name, "")
        if isinstance(value, tuple):
            return " ".join(f"{each:g}" for each in value)
        return value if isinstance(value, str) else f"{value:g}"

    def joined(self, kept: Drawer, others: Drawer) -> Drawer:
        return kept.added(*others.pieces)

    def built_for(self) -> tuple[object, ...]:
        request = self._session.request
        return (self.piece.shape if self.piece else "", request.kind.id if request else "")

    def build(self) -> None:
        piece, request = self.piece, self._session.request
        if piece is None:
            self.lay(wrapped("Nothing yet. A nut of yours, measured here once, can be taken by every pocket in every project."))
            return
        grid = FieldGrid(1, 120, 30, (8, 4))
        for name, words, unit in _FIELDS:
            grid.put(label(words, "", 9.5), self.field(name, words, 150), unit)
        shape = Combo()
        shape.addItems(["hexagon", "square"])
        shape.setAccessibleName("shape of the nut")
        shape.setCurrentText(piece.shape)
        shape.setFixedWidth(150)
        shape.textActivated.connect(lambda text: self.enter("shape", text))
        grid.put(label("shape", "", 9.5), shape)
        beside = QHBoxLayout()
        beside.addLayout(grid)
        beside.addStretch()
        actions = QHBoxLayout()
        if request is not None and request.kind.takes is not None and self._session.mechanism is not None:
            actions.addWidget(button(f"use it in {self._session.mechanism.name}", self.use, "mend"))
        actions.addWidget(button("remove", self.remove, "plain"))
        actions.addStretch()
        self.lay(beside, wrapped("Several readings may be typed: 7.95 7.98 7.96. Measure some nuts of the box across their "
                                 "flats, not their corners; the greatest counts, and how far they differ."), actions)
