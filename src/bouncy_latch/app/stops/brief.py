"""The Brief stop: what it must do, asked in words, and the mechanism that follows, editable in place."""

from __future__ import annotations

from itertools import zip_longest

from PySide6.QtCore import QRectF, QSignalBlocker, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.kit.editors import ChoiceField, NumberField, show_all
from bouncy_latch.app.kit.fieldgrid import FieldGrid
from bouncy_latch.app.kit.figures import SectionFigure, section_across
from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.parts import GROWS_MS, button, clear, label, scrolled
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.stops.possible_plot import PossiblePlot
from bouncy_latch.app.stops.target_panel import TargetPanel
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Solution

AUTO = 88
"""Width of a field that may be worked out: "auto" and the figure, px."""
LEAST_RIGHT = 226
"""Width that what follows from the answers needs beside them, px."""
NARROW, SLIM = 700, 640
"""Widths below which answers stand under each other, and what follows under them, px."""


class BriefStop(QWidget):
    """Questions on the left, what follows from the answers on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._editors: dict[str, NumberField | ChoiceField] = {}
        self._built_for: tuple[object, ...] = ()
        self._narrow, self._slim = False, False
        self._name = QLineEdit()
        self._name.setFont(text_font(11))
        self._name.setAccessibleName("name of the mechanism")
        self._name.editingFinished.connect(lambda: session.rename(self._name.text()))
        self._questions = QVBoxLayout()
        self._questions.setSpacing(10)
        inside = QVBoxLayout()
        inside.setSpacing(10)
        inside.addWidget(label("What must it do?", "head", 10.5))
        inside.addWidget(self._name)
        inside.addLayout(self._questions)
        self._more_cautions = label("", "quiet", 8.5)
        self._more_cautions.setWordWrap(True)
        inside.addWidget(self._more_cautions)
        self._follows = label("", "", 10)
        self._follows.setWordWrap(True)
        self._trouble = label("", "stop")
        self._trouble.setWordWrap(True)
        self._figures = (SectionFigure("section"), SectionFigure("section"))
        self._cautions = label("", "quiet", 8.5)
        self._cautions.setWordWrap(True)
        right = QVBoxLayout()
        right.setContentsMargins(8, 12, 8, 10)
        right.setSpacing(6)
        right.addWidget(label("What follows", "head", 10.5))
        right.addWidget(self._follows)
        right.addWidget(self._trouble)
        for figure, share in zip(self._figures, (3, 4), strict=True):
            right.addWidget(figure, share)
        self.target = TargetPanel(session)
        # Several proposals need the room of the picture; what is possible that of the answers, which the sheet has too.
        self.target.offered.connect(lambda count: self._figures[0].setVisible(count < 2))
        self.possible = PossiblePlot(session)
        self.possible.hide()
        self.target.possible_wanted.connect(self._show_possible)
        right.addWidget(self.target)
        right.addWidget(self._cautions)
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._asked = scrolled(inside, (16, 10, 8, 10))
        self._layout.addWidget(self._asked, 15)
        self._layout.addWidget(self.possible, 15)
        self._layout.addLayout(right, 10)
        # Behind other pages it is made once the window is there.
        self._grown = False
        QTimer.singleShot(GROWS_MS, self, self._on_grown)
        session.changed.connect(self._on_changed)
        session.refused.connect(lambda _field, sentence: self._trouble.setText(sentence))
        self._on_changed()

    def _show_possible(self, shown: bool) -> None:
        self._asked.setVisible(not shown)
        self.possible.setVisible(shown)

    def _on_grown(self) -> None:
        self._grown = True
        self._on_changed()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow the answers stand under each other, and what follows under them."""
        super().resizeEvent(event)
        slim = event.size().width() < SLIM
        self._layout.setDirection(QBoxLayout.Direction.TopToBottom if slim else QBoxLayout.Direction.LeftToRight)
        self._slim = slim
        self._share()
        narrow = event.size().width() < NARROW
        if narrow != self._narrow:
            self._narrow, self._built_for = narrow, ()
            self._on_changed()

    def _share(self) -> None:
        """Under each other the page scrolls as one; beside each other the answers scroll by themselves, wide enough."""
        self._asked.setMinimumHeight(self._asked.widget().sizeHint().height() if self._slim else 0)
        needed = self._asked.widget().minimumSizeHint().width() + self._asked.verticalScrollBar().sizeHint().width()
        self._asked.setMinimumWidth(min(needed, self.width() - LEAST_RIGHT) if not self._slim else 0)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_changed()

    def _on_changed(self) -> None:
        if not self._grown and not self.isVisible():
            return
        mechanism, solution = self._session.mechanism, self._session.solution
        if mechanism is None:
            self._built_for = ()
            clear(self._questions)
            self._editors = {}
            self._name.setText("")
            self._follows.setText("Add a mechanism on the shelf; its questions appear here.")
            return
        params = mechanism.parsed()
        shape = (mechanism.id, *params.active())
        if shape != self._built_for:
            self._built_for = shape
            self._build()
        with QSignalBlocker(self._name):
            self._name.setText(mechanism.name)
        show_all(self._editors, params, solution)
        if self.isVisible():
            self._show_result(solution)

    def _build(self) -> None:
        clear(self._questions)
        self._editors = {}
        mechanism = self._session.mechanism
        assert mechanism is not None
        kind, active = registry.kind(mechanism.kind), mechanism.parsed().active()
        # Beside the search for sizes there is room for the first; the others end the questions.
        beside = 1 if kind.tuning.sizes else len(kind.cautions)
        self._cautions.setText(" ".join(kind.cautions[:beside]))
        self._more_cautions.setText(" ".join(kind.cautions[beside:]))
        self._more_cautions.setVisible(beside < len(kind.cautions))
        if kind.tuning.starts:
            self._questions.addLayout(Flow(label("start from", "quiet", 9), *(
                button(name, lambda n=name: self.start(n), "plain",
                       f"Set the sizes of a {name}")
                for name in kind.tuning.starts)))
        for question in kind.questions:
            names = [name for name in question.params if name in active]
            if not names:
                continue
            grid = FieldGrid(1 if self._narrow else 2, 82, 26, (5, 4))
            asked = label(question.text, "title")
            asked.setWordWrap(self._narrow)
            grid.head((0, asked))
            for name in names:
                facts = active[name]
                wide = bool(facts.choices) and len(max(facts.choices, key=len)) > 14
                self._editors[name] = grid.editor(label(facts.label, "quiet", 9), facts, self._enter,
                                                  (AUTO if facts.auto else 70, 160 if wide else 100), wide)
            self._questions.addLayout(grid)
        self._share()
        # What the new answers need is known once they wear their style.
        QTimer.singleShot(0, self, self._share)

    def start(self, name: str) -> None:
        """Set the sizes of one of the kind's designs to start from."""
        mechanism = self._session.mechanism
        if mechanism is not None:
            self._session.set_params(f"start from {name}", **registry.kind(mechanism.kind).starting(name))

    def _enter(self, name: str, value: object, merge_key: str | None = None) -> None:
        self._session.set_params(self._editors[name].facts.label, merge_key, **{name: value})
        self._on_changed()

    def _show_result(self, solution: Solution | None) -> None:
        if solution is None:
            self._follows.setText("")
            self._trouble.setText(self._session.trouble)
            for figure in self._figures:
                figure.show_section(None)
            return
        self._follows.setText(solution.summary)
        # Where sizes can be found for a target, that needs the room of the second picture.
        self._figures[1].setVisible(not registry.kind(solution.kind).tuning.sizes and len(solution.shape.views) > 1)
        for figure, view in zip_longest(self._figures, solution.shape.views[:len(self._figures)]):
            if view is None:
                # What has one picture must not keep the second one of what was looked at before.
                figure.show_section(None)
                continue
            window = None
            if view.window:
                y0, z0, y1, z1 = view.window
                window = QRectF(y0, z0, y1 - y0, z1 - z0)
            figure.show_section(section_across(solution, view), window, view.label)
