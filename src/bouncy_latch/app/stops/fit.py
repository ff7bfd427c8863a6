"""The Fit stop: what every gap does on this process, what to print next, the evidence, and the process itself."""

from __future__ import annotations

from PySide6.QtWidgets import QButtonGroup, QLineEdit, QVBoxLayout, QWidget

from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.head import Head
from bouncy_latch.app.kit.pages import Pages
from bouncy_latch.app.kit.parts import Elided, Later, button, label, scrolled
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.stops.evidence_panel import EvidencePanel
from bouncy_latch.app.stops.gap_chart import GapChart
from bouncy_latch.app.stops.ladder_page import LadderPage
from bouncy_latch.app.stops.next_print import NextPrint
from bouncy_latch.app.stops.process_panel import ProcessPanel
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.learn.calibration import ladders, situations
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.evidence import Result
from bouncy_latch.core.process.population import effective

PAGES = ("gap chart", "ladder", "evidence", "process")
LADDER = PAGES.index("ladder")
TITLES = 330
"""Width that the words of the head need beside its buttons, px."""


class FitStop(QWidget):
    """Four pages on one process."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.chart, self.next, self.evidence = GapChart(), NextPrint(session), EvidencePanel(session)
        self._process: ProcessPanel | None = None
        self.ladder = LadderPage(session)
        self._process_page = Later(self._made_process)
        self._title, self._source = label("", "title", 10.5), Elided("", "quiet")
        group = QButtonGroup(self)
        self.page_buttons = []
        for index, name in enumerate(PAGES):
            made = button(name, lambda i=index: self.go(i), "plain")
            made.setCheckable(True)
            group.addButton(made)
            self.page_buttons.append(made)
        self.page_buttons[0].setChecked(True)
        head = Head((self._title, self._source), self.page_buttons, TITLES)
        chart = QVBoxLayout()
        chart.setSpacing(5)
        self._way = label("", "quiet", 9)
        self._chart_page = chart
        self.span = QLineEdit(f"{situations.SPAN:g}")
        self._asked = self._span_row()
        for widget in (self.chart, self._asked, self._way, self.next):
            chart.addWidget(widget)
        self._pages = Pages()
        for content in (scrolled(chart, (14, 4, 14, 6)), self.ladder, _framed(self.evidence), self._process_page):
            self._pages.addWidget(content)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(head)
        layout.addLayout(self._pages, 1)
        self.ladder.plan_wanted.connect(lambda: self.go(0))
        self.next.written.connect(self._on_changed)
        self.chart.dragged.connect(self._on_dragged)
        self.chart.released.connect(session.end_drag)
        session.changed.connect(self._on_changed)
        self._on_changed()

    def _span_row(self) -> QWidget:
        """Return the question that the chart has: what the lid spans."""
        row = QWidget()
        asked = label("A lid over a flat spans", "quiet", 9)
        asked.setBuddy(self.span)
        self.span.setFixedWidth(56)
        self.span.setAccessibleName("what a lid over a flat spans, mm")
        self.span.setToolTip("Between the places that carry the lid while it prints, mm. The longer its strands, the\n"
                             "deeper they droop onto the flat below, and the wider a gap they need. 20 N must lift it off.")
        self.span.editingFinished.connect(self._on_span)
        row.setLayout(Flow(asked, self.span, label("mm between its supports", "quiet", 9), spacing=5))
        return row

    def _on_span(self) -> None:
        try:
            self.chart.show_span(situations.span_of(self.span.text()))
        except ParamError as error:
            self._session.said.emit(error.sentence)
        self.span.setText(f"{self.chart.span:g}")

    def _made_process(self) -> QWidget:
        self._process = ProcessPanel(self._session)
        return _scrolling(self._process)

    @property
    def process(self) -> ProcessPanel:
        """The numbers of the process."""
        self._process_page.make()
        assert self._process is not None, "it was made"
        return self._process

    @property
    def fields(self) -> dict[str, QLineEdit]:
        """The fields of the process, by name."""
        return self.process.fields

    def go(self, page: int) -> None:
        """Show a page."""
        self.page_buttons[page].setChecked(True)
        self._pages.setCurrentIndex(page)
        self._on_changed()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._on_changed()

    def _on_dragged(self, value: float) -> None:
        solution = self._session.solution
        if solution and registry.kind(solution.kind).clearance:
            facts = type(solution.params).facts()[registry.kind(solution.kind).clearance]
            self._session.set_params(facts.label, f"drag {facts.name}", **{facts.name: facts.rounded(value)})

    def _on_changed(self) -> None:
        if not self.isVisible():
            return
        project, known = self._session.project, self._session.experience
        judged = effective(known.believed, project.policy)
        self._title.setText(known.process.title if project.policy == "mine" else "anyone's printer")
        self._source.show_text(judged.source)
        solution = self._session.solution
        name = registry.kind(solution.kind).clearance if solution else ""
        mine = [(name, float(getattr(solution.params, name)))] if solution and name else []
        told = [(item.value, item.outcome, item.note) for item in known.items
                if isinstance(item, Result) and ladders.is_clearance(item) and item.key not in known.excluded]
        self.chart.show_process(judged, mine, told)
        page = self._pages.currentIndex()
        if page == 0 and not self._session.dragging:
            self._show_way(bool(known.items))
            self.next.show_plan()
        elif page == LADDER:
            self.ladder.show_ladders()
        elif PAGES[page] == "evidence":
            self.evidence.show_evidence()
        elif PAGES[page] == "process":
            self.process.show_process()

    def _show_way(self, known: bool) -> None:
        """Say what comes next to somebody who has printed nothing on this printer yet; gone once something is known."""
        printed = bool(self.ladder.ladders())
        self._way.setVisible(not known)
        # What to print comes first where nothing is known, the chart where it says something of this printer.
        chart = (self.chart, self._asked)
        for place, widget in enumerate((*chart, self._way, self.next) if known else (self._way, self.next, *chart)):
            self._chart_page.insertWidget(place, widget)
        self._way.setText("Exported. Print it, then click under <b>ladder</b> what became of it." if printed else
                          "The colours are a typical printer's. <b>Export</b> this ladder and print it: they become yours.")


def _scrolling(inside: QWidget) -> QWidget:
    holder = QVBoxLayout()
    holder.addWidget(inside)
    return scrolled(holder, (10, 8, 2, 6))


def _framed(inside: QWidget) -> QWidget:
    frame = QWidget()
    layout = QVBoxLayout(frame)
    layout.setContentsMargins(14, 8, 14, 6)
    layout.addWidget(inside)
    return frame
