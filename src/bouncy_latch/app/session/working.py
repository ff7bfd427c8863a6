"""What is worked out beside the interface for the open project: its outlook and its proof, and who is told."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from bouncy_latch.app.session.workers import Lane, Report
from bouncy_latch.core.checks import Check, ordered, worst
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.judge.verdicts import FullAnalysis, full_analysis, offered
from bouncy_latch.core.judge.view import View, view_of
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.bench import Bench
from bouncy_latch.core.project.document import Mechanism
from bouncy_latch.core.project.store import Latch

PAUSE_MS = 220
DRAG_PAUSE_MS = 800
"""Within a drag the slow work waits longer, or it would compete with the very frames that are being drawn."""
AUTOSAVE_MS = 1500


def _of_bench(name: str, about: str) -> Any:
    return property(lambda session: getattr(session.bench, name), doc=about)


class Working(QObject):
    """A bench with the slow work of its selected mechanism.

    Signals:
        changed: the document, its selection or the solution changed. viewed: the outlook, or its zones, arrived.
        proved: the proof arrived. refused: an edit was refused (field name or empty, sentence). said: a sentence for the
        notice line. saved_changed: the saved state changed. settled: a drag paused or ended. marked: a shelf mark
        arrived. look_failed: why there is no outlook. clashed: the file was changed by somebody else (a sentence), and
        nothing was saved. pointed: a place of the selected part was pointed at: its seat, or None. unit_wanted:
        a file is too small or too large for millimetres: its path, and a sentence.
    """

    changed, viewed, proved, saved_changed = Signal(), Signal(), Signal(), Signal()
    settled, marked, pointed = Signal(), Signal(), Signal(object)
    unit_wanted = Signal(str, str)
    refused, said, look_failed, clashed = Signal(str, str), Signal(str), Signal(str), Signal(str)

    project = _of_bench("project", "The document.")
    mechanism = _of_bench("mechanism", "The selected mechanism.")
    solution = _of_bench("solution", "Its solution; None where there is none.")
    trouble = _of_bench("trouble", "Why there is none, a sentence.")
    experience = _of_bench("experience", "What is known of the chosen process.")
    process = _of_bench("process", "The chosen process as evidence has it.")
    files = _of_bench("files", "What travels in the project besides, by name.")
    history = _of_bench("history", "The document and those before and after it.")
    keeping = _of_bench("keeping", "Its file and recovery file.")
    dirty = _of_bench("dirty", "Whether there is unsaved work.")

    def __init__(self, latch: Latch, path: Path | None, autosave: Autosave, evidence: Evidence | None = None) -> None:
        super().__init__()
        self.bench = Bench(latch, path, autosave, evidence)
        self.look_lane, self.proof_lane, self.file_lane = Lane(self), Lane(self), Lane(self)
        self.look_lane.early.connect(self._on_viewed)
        for lane, finished, failed in ((self.look_lane, self._on_viewed, self._on_look_failed),
                                       (self.file_lane, lambda take: take(), self.said),
                                       (self.proof_lane, self._on_proved, self.said)):
            lane.finished.connect(finished)
            lane.failed.connect(failed)
        self._pause = QTimer(self, singleShot=True, interval=PAUSE_MS)
        self._pause.timeout.connect(self._work)
        self._marking = QTimer(self, singleShot=True, interval=0)
        self._marking.timeout.connect(self._mark_next)
        self._keep = QTimer(self, singleShot=True, interval=AUTOSAVE_MS)
        self._keep.timeout.connect(self.keep_unsaved)
        self.request: Design | None = None
        self.view: View | None = None
        self.proof: FullAnalysis | None = None
        self._viewed_request: Design | None = None
        self.look_trouble, self.dragging, self._held = "", False, True
        self._show()

    # -- reading -----------------------------------------------------------------------------------------------------

    @property
    def path(self) -> Path | None:
        """The project's file; None when it was never saved."""
        return self.bench.keeping.path

    @property
    def up_to_date(self) -> bool:
        """Whether outlook and proof belong to the document as it stands."""
        return self.solution is None or (self.proof is not None and self.view_is_current)

    @property
    def view_is_current(self) -> bool:
        """Whether the outlook belongs to the design as it stands; of an earlier one nothing is shown beside new figures."""
        return self._viewed_request == self.request

    @property
    def checks(self) -> list[Check]:
        """All verdicts known so far, worst first."""
        if self.solution is None:
            return []
        turned = self.request is not None and self.request.setup.turn is not None
        # A kind's checks of its own print pose say nothing about another one; the layers do.
        quick = [check for check in self.solution.checks if not (turned and check.posed)]
        return ordered([*quick, *(self.proof.checks if self.proof else ())])

    def remedies(self, check_id: str) -> list[Any]:
        """Return the solved remedies of a check, empty until they are worked out."""
        return offered(self.view.outlook if self.view and self.view_is_current else None, self.proof, check_id)

    def surety(self, check_id: str) -> float | None:
        """Return the chance that a check holds as far as measured sizes go; None where none was measured."""
        return self.view.outlook.surety.get(check_id) if self.view and self.view_is_current else None

    def verdict_of(self, mechanism: Mechanism) -> str:
        """Return the shelf mark of a mechanism: of the selected one from all that is known, of others once they were solved."""
        selected = mechanism.id == self.project.selected and self.solution is not None
        return worst(self.checks) if selected else self.bench.known_mark(mechanism) or "none"

    def _mark_next(self) -> None:
        """Solve one mechanism whose mark is not known; between two the window is free."""
        unknown = next((m for m in self.project.mechanisms if not self.bench.known_mark(m)), None)
        if unknown is not None and not self._held and not self.dragging:
            self.bench.mark_of(unknown)
            self.marked.emit()
            self._marking.start()

    # -- doing what may be refused -----------------------------------------------------------------------------------

    def _done(self, run: Callable[[], object], refused: Callable[[UserError], None] | None = None) -> Any:
        """Do something that may be refused; None, and said why, when it is."""
        try:
            return run()
        except UserError as error:
            (refused or (lambda e: self.said.emit(e.sentence)))(error)
            return None

    def _told(self, run: Callable[[], object]) -> bool:
        """Do something that writes; whether it could, and said why when not."""
        return self._done(lambda: (run(),)) is not None

    # -- working out -------------------------------------------------------------------------------------------------

    def _show(self) -> None:
        """Announce the bench as it stands, and work out what is slow after a pause."""
        request = self.bench.design
        if request != self.request:
            self.look_trouble = ""
            same_mechanism = self.request and request and type(self.request.params) is type(request.params)
            self.request, self.proof = request, None
            self.proof_lane.cancel()
            if not same_mechanism:
                self.view = None
        self.changed.emit()
        self.saved_changed.emit()
        self._pause.start(DRAG_PAUSE_MS if self.dragging else PAUSE_MS)
        self._keep.start()

    def release(self) -> None:
        """Let the slow work begin; until the window has its 3-D view it would only delay it."""
        self._held = False
        QTimer.singleShot(0, self._work)

    def work_again(self) -> None:
        """Start the slow work that was stopped."""
        self._work()

    def _work(self) -> None:
        if self._held:
            return
        self.dragging = False
        self._marking.start()
        self.settled.emit()
        request, solution = self.request, self.solution
        if request is None or solution is None:
            self.look_lane.cancel()
            self.proof_lane.cancel()
            return

        def look(report: Report) -> tuple[Design, View]:
            return request, view_of(request, solution, report, lambda zones: report.show((request, zones)))

        self.look_lane.start(look)
        if self.proof is None:
            self.proof_lane.start(lambda report: (request, full_analysis(request, solution, report)))

    def _on_viewed(self, result: tuple[Design, View]) -> None:
        if result[0] == self.request:
            self.view = result[1]
            self._viewed_request = result[0] if result[1].whole else None
            self.viewed.emit()

    def _on_look_failed(self, sentence: str) -> None:
        self.look_trouble = sentence
        self.look_failed.emit(sentence)

    def _on_proved(self, result: tuple[Design, FullAnalysis]) -> None:
        if result[0] == self.request:
            self.proof = result[1]
            self.proved.emit()

    def keep_unsaved(self) -> bool:
        """Keep what is unsaved in the recovery file; whether nothing would be lost now."""
        return self._told(self.bench.keep_unsaved)
