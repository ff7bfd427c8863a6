"""What to add: the kinds as pictures with a line each, by family and by what they must do; and on which printer."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import Combo
from bouncy_latch.app.kit.figures import Section, SectionFigure, section_across
from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.parts import Pickable, button, label, scrolled
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.session.workers import Lane, Report
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import TASKS, Kind
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.project import own_printers, part_files
from bouncy_latch.core.project.folders import data_folder

if TYPE_CHECKING:
    from bouncy_latch.app.pages.comparison import Comparison

_CARD, _MOST, _PICTURE = 320, 6, 108
"""Width from which on a card has a column of its own, the most columns, and the height of a picture, px."""


class KindCard(Pickable):
    """One kind: a cut through its default, its name and what it is for."""

    def __init__(self, kind: Kind) -> None:
        super().__init__(f"add a {kind.title.lower()}: {kind.summary}", "panel")
        self.kind = kind
        self.figure = SectionFigure("")
        self.figure.setFixedHeight(_PICTURE)
        about = label(kind.summary, "quiet", 8.5)
        about.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 6, 10, 8)
        layout.setSpacing(2)
        layout.addWidget(self.figure)
        layout.addWidget(label(kind.title, "title", 10))
        layout.addWidget(about, 1, Qt.AlignmentFlag.AlignTop)


class Chooser(QWidget):
    """The page on which a mechanism is chosen.

    Signals:
        chosen: one was added. file_wanted: a part is to be read from a file. left: the user went back without.
        printers_wanted: the page of printers is asked for.
    """

    chosen = Signal()
    file_wanted = Signal()
    left = Signal()
    printers_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._processes: list[Process] = []
        self.cards: list[KindCard] = []
        self._families: list[tuple[QWidget, tuple[str, ...]]] = []
        self._lane = Lane(self)
        self._lane.early.connect(self._on_picture)
        self._drawn = False
        self._head = label("What must it do?", "head", 12)
        self.needs: dict[str, QWidget] = {}
        needs = Flow()
        group = QButtonGroup(self)
        for name in ("anything", *TASKS):
            made = button(name, lambda n=name: self.show_need(n))
            made.setCheckable(True)
            made.setChecked(name == "anything")
            group.addButton(made)
            self.needs[name] = made
            needs.addWidget(made)
        self.compare_button = button("compare in figures…", self._toggle_comparison, "",
                                     "Say what is needed: every mechanism is worked out for your printer and compared")
        self.compare_button.setCheckable(True)
        needs.addWidget(self.compare_button)
        self.comparison: Comparison | None = None
        self.back_button = button("back", self.left.emit, "plain", "Go back without adding anything")
        self.printer = Combo()
        self.printer.setAccessibleName("printer and spool")
        self.printer.setFont(text_font(9.5))
        self.printer.activated.connect(self._on_printer)
        self._on_it = label("", "quiet", 9)
        printer = Flow(label("printed on", "quiet", 9.5), self.printer,
                       button("your printers…", self.printers_wanted.emit, "plain"), self._on_it, spacing=8)
        self._grid = QGridLayout()
        self._grid.setSpacing(8)
        self._need, self._columns = "anything", 0
        head = QHBoxLayout()
        head.addWidget(self._head)
        head.addStretch()
        head.addWidget(self.back_button)
        layout = self._layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 10, 8)
        layout.setSpacing(8)
        layout.addLayout(head)
        layout.addLayout(printer)
        layout.addLayout(needs)
        parts = registry.kind(registry.part_ids()[0])
        self.part_buttons = {shape: button(shape, lambda s=shape: self._add_part(s))
                             for shape in parts.params.facts()["shape"].choices if shape != part_files.OF_FILE}
        self.file_button = button("from a file…", self.file_wanted.emit, "mend", "STL, 3MF, OBJ, PLY or STEP")
        about = label("A body of yours to build mechanisms into:", "quiet", 9)
        whole = QVBoxLayout()
        whole.setSpacing(8)
        whole.addLayout(Flow(label("Parts", "head", 10.5), about, self.file_button, *self.part_buttons.values()))
        whole.addLayout(self._grid)
        for why in registry.REFUSED.values():
            said = label(f"Not here: {why}.", "quiet", 9)
            said.setWordWrap(True)
            whole.addWidget(said)
        self._pictured = scrolled(whole, (0, 0, 8, 0))
        layout.addWidget(self._pictured, 1)
        session.changed.connect(self._on_changed)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.reread()
        if not self._drawn:
            # Only now: loading all kinds would cost every start.
            self._drawn = True
            for family in registry.families():
                about = label(family.about, "quiet", 9)
                about.setWordWrap(True)
                heading = QWidget()
                words = QHBoxLayout(heading)
                words.setContentsMargins(0, 6, 0, 0)
                words.addWidget(label(family.title, "head", 10.5))
                words.addWidget(about, 1)
                self._families.append((heading, family.kinds))
                for kind_id in family.kinds:
                    card = KindCard(registry.kind(kind_id))
                    card.picked.connect(lambda k=kind_id: self._add(k), Qt.ConnectionType.QueuedConnection)
                    self.cards.append(card)
            self.show_need("anything")
            self._lane.start(self._pictures)

    def show_need(self, need: str) -> None:
        """Show the kinds that do what is needed."""
        if self.comparison is not None and self.compare_button.isChecked() and need in TASKS:
            self.comparison.ask(need)
        shown = [card for card in self.cards if need not in TASKS or need in card.kind.tasks]
        self._need, self._columns = need, min(max(self.width() // _CARD, 1), _MOST)
        for widget in (*self.cards, *(heading for heading, _ in self._families)):
            self._grid.removeWidget(widget)
            widget.hide()
        for column in range(_MOST):
            self._grid.setColumnStretch(column, int(column < self._columns))
        row = 0
        for heading, kinds in self._families:
            own = [card for card in shown if card.kind.id in kinds]
            if not own:
                continue
            self._grid.addWidget(heading, row, 0, 1, self._columns)
            heading.show()
            for number, card in enumerate(own):
                down, across = divmod(number, self._columns)
                self._grid.addWidget(card, row + 1 + down, across)
                card.show()
            row += 2 + (len(own) - 1) // self._columns

    def _toggle_comparison(self) -> None:
        """Change between pictures and figures; the task that was shown is the one that is compared."""
        figures = self.compare_button.isChecked()
        if self.comparison is None:
            # Only now: what it needs would cost every start.
            from bouncy_latch.app.pages.comparison import Comparison

            self.comparison = Comparison(self._session)
            self.comparison.taken.connect(self.chosen)
            self._layout.addWidget(self.comparison, 1)
        self._pictured.setVisible(not figures)
        if figures and self._need in TASKS:
            self.comparison.ask(self._need)
        self.comparison.setVisible(figures)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """As many cards in a row as there is room for."""
        super().resizeEvent(event)
        if min(max(event.size().width() // _CARD, 1), _MOST) != self._columns:
            self.show_need(self._need)

    def minimumSizeHint(self) -> QSize:
        """One card in a row is enough."""
        return QSize(_CARD, super().minimumSizeHint().height())

    def reread(self) -> None:
        """Read the user's printers anew and offer them, beside what the project knows and a typical one."""
        own: list[Process] = []
        try:
            kept = own_printers.known(data_folder())
            own = [printer.process(spool) for printer in kept.printers for spool in printer.spools]
        except UserError as error:
            self._session.said.emit(error.sentence)
        project = self._session.project
        known = {process.id for process in project.processes}
        self._processes = [*project.processes, *(process for process in own if process.id not in known)]
        if population.TYPICAL.id not in known:
            self._processes.append(population.TYPICAL)
        self.printer.clear()
        self.printer.addItems([process.title for process in self._processes])
        self._on_changed()

    def _on_changed(self) -> None:
        project = self._session.project
        self.back_button.setVisible(bool(project.mechanisms))
        self._head.setText("What must it do?" if project.mechanisms else "A new project: what must it do?")
        ids = [process.id for process in self._processes]
        if project.process_id in ids:
            self.printer.setCurrentIndex(ids.index(project.process_id))
        self._on_it.setText(project.process.source)

    def _on_printer(self, index: int) -> None:
        self._session.set_process(self._processes[index])

    def _add_part(self, shape: str) -> None:
        self._session.add(registry.part_ids()[0], shape=shape)
        self.chosen.emit()

    def _add(self, kind_id: str) -> None:
        self._session.add(kind_id)
        self.chosen.emit()

    def _pictures(self, report: Report) -> Callable[[], None]:
        """Cut through the default of every kind, one after another beside the interface."""
        process = population.built_in()[0]
        for number, card in enumerate(self.cards):
            solution = card.kind.solve(card.kind.params(), process)
            view = solution.shape.views[0]
            report.show((number, section_across(solution, view), view.window))
            report(number / len(self.cards))
        return lambda: None

    def _on_picture(self, found: tuple[int, Section, tuple[float, float, float, float] | None]) -> None:
        number, section, _ = found
        self.cards[number].figure.show_section(section)
