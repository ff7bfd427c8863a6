"""The shelf: the project's mechanisms as small cards with their verdict marks."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bouncy_latch.app.kit.marks import draw_mark
from bouncy_latch.app.kit.parts import Pickable, button, clear, counted, label, scrolled
from bouncy_latch.app.kit.theme import THEME, text_font
from bouncy_latch.app.session.bed import Bed
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.checks import worst
from bouncy_latch.core.mechanisms import registry

MARK_HIGH = 22
"""Height of a card that shows its mark only, px."""


class Card(Pickable):
    """One mechanism."""

    def __init__(self, name: str, about: str, verdict: str, selected: bool) -> None:
        super().__init__("")
        self._folded = False
        self.show_facts(name, about, verdict, selected)
        self._fix_height()

    def show_facts(self, name: str, about: str, verdict: str, selected: bool) -> None:
        """Show what there is to say of it now."""
        self._name, self._about, self._verdict, self._selected = name, about, verdict, selected
        self.setAccessibleName(f"{name}, {about}, {verdict}")
        self.setToolTip(f"{name}\n{about}")
        self.update()

    def _fix_height(self) -> None:
        """Words are never squeezed, whoever lays the cards out and whenever: in less room the shelf scrolls."""
        self.setFixedHeight(MARK_HIGH if self._folded else self.sizeHint().height())

    def fold(self, folded: bool) -> None:
        """Show the mark only, or the words too."""
        if folded != self._folded:
            # Asking for a new layout when nothing changed would be answered by being folded again.
            self._folded = folded
            self._fix_height()

    def sizeHint(self) -> QSize:
        line = QFontMetrics(text_font(10)).height()
        return QSize(150, 2 * line + 10)

    def paintEvent(self, _event: object) -> None:
        t = THEME.tokens
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        if self._selected or self.hasFocus():
            painter.setPen(QPen(QColor(t.accent), 1.3 if self._selected else 1))
            painter.setBrush(QColor(t.panel) if self._selected else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(area, 6, 6)
        draw_mark(painter, self._verdict, QPointF(14, area.center().y()), 11)
        text = area.adjusted(25, 5, -2, -5)
        half = text.height() / 2
        for line, (words, colour, font) in enumerate((
                (self._name, t.ink, text_font(9.5, QFont.Weight.Bold if self._selected else QFont.Weight.DemiBold)),
                (self._about, t.quiet, text_font(8.5)))):
            painter.setFont(font)
            painter.setPen(QColor(colour))
            words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(text.width()))
            painter.drawText(QRectF(text.left(), text.top() + line * half, text.width(), half),
                             Qt.AlignmentFlag.AlignVCenter, words)


class Shelf(QWidget):
    """The column of cards, and the way to add one.

    Signals:
        add_wanted: another mechanism is to be chosen.
    """

    add_wanted = Signal()

    def __init__(self, session: Session, bed: Bed) -> None:
        super().__init__(objectName="rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._bed = session, bed
        self._cards = QVBoxLayout()
        self._cards.setSpacing(4)
        self._shown: list[tuple[str, str, str, bool]] = []
        self._ids: list[str | None] = []
        self._headings: list[QWidget] = []
        self.add_button = button("+ add a mechanism", self.add_wanted.emit, tip="Ctrl+Shift+N")
        self._title = label("Shelf", "head")
        self.fold_button = button("‹", lambda: None, "plain")
        self._folded = False
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch()
        head.addWidget(self.fold_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 7, 10)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addWidget(scrolled(self._cards, (0, 0, 0, 0)), 1)
        layout.addWidget(self.add_button)
        bed.changed.connect(self._on_changed)
        session.marked.connect(self._on_changed)
        self._on_changed()

    def fold(self, folded: bool) -> None:
        """Show marks only, or marks with their names."""
        self._folded = folded
        self._title.setVisible(not folded)
        self.fold_button.setText("›" if folded else "‹")
        name = "unfold the shelf" if folded else "fold the shelf to marks"
        self.fold_button.setToolTip(name.capitalize())
        self.fold_button.setAccessibleName(name)
        self.add_button.setText("+" if folded else "+ add a mechanism")
        self.add_button.setAccessibleName("add a mechanism")
        for card in self.cards():
            card.fold(folded)
        for heading in self._headings:
            heading.setVisible(not folded)
        self.layout().setContentsMargins(*((3, 6, 3, 10) if folded else (6, 6, 7, 10)))

    def cards(self) -> list[Card]:
        """Return the cards in order: mechanisms, then the parts they are built into."""
        widgets = [self._cards.itemAt(i).widget() for i in range(self._cards.count())]
        return [widget for widget in widgets if isinstance(widget, Card)]

    def _on_changed(self) -> None:
        project = self._session.project
        turned = self._bed.shows_loose
        parts = set(registry.part_ids())
        ordered = sorted(project.mechanisms, key=lambda m: m.kind in parts)
        shown = [(m.name, self._about(m.kind, m.params), self._session.verdict_of(m), m.id == project.selected and not turned)
                 for m in ordered]
        loose = self._bed.loose
        if loose is not None:
            verdict = worst(self._bed.checks) if turned and self._bed.printed else "none"
            shown.append((loose.name, counted(len(loose.bodies), "part from files", "parts from files"), verdict, turned))
        ids: list[str | None] = [m.id for m in ordered] + ([None] if loose is not None else [])
        cards = self.cards()
        if (shown, ids) == (self._shown, self._ids) and len(cards) == len(shown) and self._cards.count():
            return
        same, self._shown, self._ids = bool(shown) and ids == self._ids, shown, ids
        if same and len(cards) == len(shown):
            for card, facts in zip(cards, shown, strict=True):
                card.show_facts(*facts)
            return
        focused = next((i for i, card in enumerate(cards) if card.hasFocus()), None)
        clear(self._cards)
        self._headings = []
        first = next((number for number, m in enumerate(ordered) if m.kind in parts), -1)
        for number, (facts, mechanism_id) in enumerate(zip(shown, ids, strict=True)):
            if number == first:
                heading = label("Parts", "head", 9.5)
                heading.setVisible(not self._folded)
                self._headings.append(heading)
                self._cards.addWidget(heading)
            card = Card(*facts)
            card.fold(self._folded)
            card.picked.connect(lambda m=mechanism_id: self._pick(m), Qt.ConnectionType.QueuedConnection)
            self._cards.addWidget(card)
        if focused is not None and focused < len(self.cards()):
            self.cards()[focused].setFocus()
        if not shown:
            empty = label("Nothing here yet. Add the first mechanism of this project.", "quiet")
            empty.setWordWrap(True)
            self._cards.addWidget(empty)

    def _pick(self, mechanism_id: str | None) -> None:
        self._bed.show_loose(mechanism_id is None)
        if mechanism_id is not None:
            self._session.select(mechanism_id)

    @staticmethod
    def _about(kind_id: str, params: dict[str, object]) -> str:
        # What a kind says of itself is there once its mark is; until then its name does.
        kind = registry.loaded(kind_id)
        return kind.about(params) if kind is not None else kind_id.replace("-", " ")
