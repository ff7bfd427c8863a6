"""Part of the sheet: what each side of the selected mechanism is built into, where, and what is built into it."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import Combo, NumberField
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.parts import Elided, button, label
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.project import on_faces
from bouncy_latch.core.project.document import Mechanism, OnFace, Seated, Sitting, Where

_WIDE, _FIGURE = 123, 86
ALONE = "its own test block"


class Seats(QVBoxLayout):
    """Rows for every side, made for one mechanism as it sits; see :attr:`shape` for when they must be made anew.

    Attributes:
        rows: the widgets that stand in rows, in order. hosts, bodies, faces: the choices, by side. editors: the
            coordinates, by side and name.
    """

    def __init__(self, session: Session, mechanism: Mechanism) -> None:
        super().__init__()
        self.setSpacing(2)
        self._session = session
        self.rows: list[QWidget] = []
        self.hosts: dict[str, Combo] = {}
        self.bodies: dict[str, Combo] = {}
        self.faces: dict[str, Combo] = {}
        self.editors: dict[tuple[str, str], NumberField] = {}
        self.troubles: dict[str, QLabel] = {}
        for side, words in registry.kind(mechanism.kind).sides.items():
            self._side(mechanism, side, words)
        if mechanism.sits and self.hosts:
            self._row(label("Drawn here on its own test block.", "quiet", 8.5))
        guests = [item.name for item in session.project.mechanisms for each in item.sits if each.on == mechanism.id]
        if guests:
            words = ", ".join(dict.fromkeys(guests))
            self._row(label(f"carries {words}" if self.hosts else words, "quiet", 8.5))
        self.show_values(mechanism)

    @staticmethod
    def shape(session: Session, mechanism: Mechanism) -> tuple[object, ...]:
        """Return what the rows depend on; empty where there is nothing to build into, or its sides are printed joined."""
        project, solution = session.project, session.solution
        others = tuple((item.id, item.name) for item in project.mechanisms if item.id != mechanism.id)
        carried = tuple(item.id for item in project.mechanisms for each in item.sits if each.on == mechanism.id)
        if not others or solution is None or (solution.joints and not carried):
            return ()
        return (*others, carried, tuple((each.side, each.on, each.body, each.seat is None) for each in mechanism.sits))

    def _row(self, widget: QLabel) -> None:
        widget.setWordWrap(True)
        self.rows.append(widget)
        self.addWidget(widget)

    def _side(self, mechanism: Mechanism, side: str, words: str) -> None:
        solution = self._session.solution
        if solution is None or solution.joints:
            return
        grid = FieldGrid(names=86, units=28)
        sitting = next((each for each in mechanism.sits if each.side == side), None)
        self.hosts[side] = self._choice(grid, side, f"What {words} is built into: a body of another mechanism of this project.")
        self.hosts[side].addItem(ALONE, None)
        for other in self._session.project.mechanisms:
            if other.id != mechanism.id:
                self.hosts[side].addItem(other.name, other.id)
        self.hosts[side].activated.connect(lambda _: self._on_host(side))
        if sitting is not None:
            self._place(grid, sitting)
        trouble = label("", "stop", 8.5)
        trouble.setWordWrap(True)
        trouble.hide()
        grid.under(trouble)
        self.troubles[side] = trouble
        self.rows.append(trouble)
        self.addLayout(grid)

    def _choice(self, grid: FieldGrid, name: str, tip: str) -> Combo:
        made = Combo()
        made.setFont(text_font(9.5))
        made.setFixedWidth(_WIDE)
        made.setToolTip(tip)
        made.setAccessibleName(tip)
        grid.put(Elided(name), made)
        self.rows.append(made)
        return made

    def _place(self, grid: FieldGrid, sitting: Sitting) -> None:
        side = sitting.side
        if sitting.seat is not None:
            self._on_face(grid, sitting, sitting.seat)
            return
        self.bodies[side] = self._choice(grid, "body", "Which of its bodies.")
        for name, words in self._session.bench.bodies_of(sitting.on).items():
            self.bodies[side].addItem(words, name)
        if self.bodies[side].findData(sitting.body) < 0:
            self.bodies[side].addItem(f"{sitting.body}, which is gone", sitting.body)
        self.bodies[side].activated.connect(lambda _: self._enter(side, {}))
        for facts in Where.facts().values():
            editor = grid.editor(Elided(facts.label), facts, lambda name, value, key, side=side: self._enter(
                side, {name: value}, key and f"{key} {side}"), (_FIGURE, _WIDE))
            assert isinstance(editor, NumberField)
            self.editors[side, facts.name] = editor
            self.rows.append(editor)
        grid.put(QLabel(), button("see it there", lambda: self._session.select(sitting.on), "plain",
                                  "Shows the mechanism it is built into."))

    def _on_face(self, grid: FieldGrid, sitting: Sitting, seat: Seated) -> None:
        """Rows for a side on a face of a part."""
        side, body = sitting.side, self._session.bench.part_body(sitting.on)
        self.faces[side] = self._choice(grid, "face", "Which face, hole or edge of the part.")
        for name, words in (on_faces.offered(body) if body is not None else {}).items():
            self.faces[side].addItem(words, name)
        if self.faces[side].findData(seat.seat) < 0:
            self.faces[side].addItem(f"{seat.seat}, which is gone", seat.seat)
        self.faces[side].activated.connect(lambda _: self._sit(side, Seated(seat=self.faces[side].currentData())))
        for facts in OnFace.facts().values():
            editor = grid.editor(Elided(facts.label), facts, lambda name, value, key: self._enter_on_face(
                side, name, value, key and f"{key} {side}"), (_FIGURE, _WIDE))
            assert isinstance(editor, NumberField)
            self.editors[side, facts.name] = editor
            self.rows.append(editor)
        grid.put(QLabel(), button("see it there", lambda: self._session.select(sitting.on), "plain",
                                  "Shows the part it is built into."))

    def _place_of(self, side: str) -> OnFace:
        """Return where a side sits on its face, worked out where it is the middle."""
        mechanism = self._session.mechanism
        sitting = next((each for each in mechanism.sits if each.side == side), None) if mechanism else None
        if sitting is None or sitting.seat is None:
            return OnFace()
        at, body = sitting.seat.at, self._session.bench.part_body(sitting.on)
        if at is None and body is not None:
            try:
                there = on_faces.found(body, sitting.seat)
                at = there.face.at(there.point)
            except UserError:
                at = None
        u, v = at or (0.0, 0.0)
        return OnFace(u=round(u, 2), v=round(v, 2), turn=sitting.seat.turn)

    def _enter_on_face(self, side: str, name: str, value: object, merge_key: str | None) -> None:
        mechanism = self._session.mechanism
        sitting = next((each for each in mechanism.sits if each.side == side), None) if mechanism else None
        if sitting is None or sitting.seat is None:
            return
        try:
            now = self._place_of(side).changed(**{name: value})
        except UserError as error:
            self._done(side, error.sentence)
            return
        self._sit(side, Seated(seat=sitting.seat.seat, at=(now.u, now.v), turn=now.turn), merge_key)

    def _sit(self, side: str, seat: Seated, merge_key: str | None = None) -> None:
        self._done(side, self._session.place_on(side, self.hosts[side].currentData(), seat, merge_key))

    def show_values(self, mechanism: Mechanism) -> None:
        """Show where it sits now."""
        sitting = {each.side: each for each in mechanism.sits}
        for side, combo in self.hosts.items():
            combo.setCurrentIndex(max(0, combo.findData(sitting[side].on if side in sitting else None)))
        for side, combo in self.bodies.items():
            combo.setCurrentIndex(combo.findData(sitting[side].body))
        for side, combo in self.faces.items():
            if side in sitting and (seat := sitting[side].seat) is not None:
                combo.setCurrentIndex(combo.findData(seat.seat))
        for (side, name), editor in self.editors.items():
            editor.show_value(getattr(self._place_of(side) if side in self.faces else sitting[side].where, name))

    def _on_host(self, side: str) -> None:
        on = self.hosts[side].currentData()
        if on is None:
            self._done(side, self._session.place(side, None))
        elif (body := self._session.bench.part_body(on)) is not None:
            self._done(side, self._session.place_on(side, on, Seated(seat=next(iter(on_faces.offered(body)), "face:top"))))
        else:
            bodies = self._session.bench.bodies_of(on)
            self._done(side, self._session.place(side, on, next(iter(bodies), "")))

    def _enter(self, side: str, where: dict[str, object], merge_key: str | None = None) -> None:
        self._done(side, self._session.place(side, self.hosts[side].currentData(), self.bodies[side].currentData(), merge_key,
                                             **where))

    def _done(self, side: str, refused: str) -> None:
        mechanism = self._session.mechanism
        if refused:
            self.troubles[side].setText(refused)
        self.troubles[side].setVisible(bool(refused))
        if mechanism is not None and refused:
            self.show_values(mechanism)
