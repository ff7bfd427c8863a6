"""The open project and everything worked out from it. Widgets show the session and ask it for edits; nothing else.

One path for every change: edit → new document → solve at once → ``changed``; then, after a pause, the outlook and the
proof are worked out beside the interface and announced when they arrive.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from bouncy_latch.app.workers import Lane
from bouncy_latch.core.advise import rulers
from bouncy_latch.core.advise.experience import Experience
from bouncy_latch.core.advise.verdicts import Proof, Request, prove
from bouncy_latch.core.advise.view import View, view_of
from bouncy_latch.core.checks import Check, ordered, worst
from bouncy_latch.core.errors import SaveError, UserError
from bouncy_latch.core.files import ChangedError
from bouncy_latch.core.layers.setup import PrintSetup
from bouncy_latch.core.mechanisms import fields, registry
from bouncy_latch.core.mechanisms.contract import Ruler, Solution
from bouncy_latch.core.process import readings
from bouncy_latch.core.process.evidence import Evidence, Reading, Result
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.process.readings import Measured
from bouncy_latch.core.progress import Progress
from bouncy_latch.core.project import document, prints, store
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.document import Mechanism, Project
from bouncy_latch.core.project.history import History
from bouncy_latch.core.project.keeping import Keeping
from bouncy_latch.core.project.known import Known
from bouncy_latch.core.project.store import Latch

PAUSE_MS = 220
DRAG_PAUSE_MS = 800
"""Within a drag the slow work waits longer, or it would compete with the very frames that are being drawn."""
AUTOSAVE_MS = 1500


MOST_MARKS = 200
"""Shelf marks remembered: of mechanisms that are not selected, as they stood."""


class Session(QObject):
    """The open project.

    Signals:
        changed: the document, its selection or the solution changed. viewed: the outlook arrived. proved: the proof
        arrived. refused: an edit was refused (field name or empty, sentence). said: a sentence for the notice line.
        saved_changed: the saved state changed. settled: a drag paused or ended. look_failed: why there is no outlook.
        clashed: the file was changed by somebody else (a sentence); nothing was saved.
    """

    changed = Signal()
    viewed = Signal()
    proved = Signal()
    refused = Signal(str, str)
    said = Signal(str)
    saved_changed = Signal()
    settled = Signal()
    look_failed = Signal(str)
    clashed = Signal(str)

    def __init__(self, latch: Latch, path: Path | None, autosave: Autosave, evidence: Evidence | None = None) -> None:
        super().__init__()
        self._known = Known(evidence)
        self.keeping = Keeping(autosave, latch, path)
        self.look_lane, self.proof_lane, self.file_lane = Lane(self), Lane(self), Lane(self)
        self.look_lane.finished.connect(self._on_viewed)
        self.look_lane.failed.connect(self._on_look_failed)
        self.file_lane.finished.connect(lambda take: take())
        self.file_lane.failed.connect(self.said)
        self.proof_lane.finished.connect(self._on_proved)
        self.proof_lane.failed.connect(self.said)
        self._pause = QTimer(self, singleShot=True, interval=PAUSE_MS)
        self._pause.timeout.connect(self._work)
        self._keep = QTimer(self, singleShot=True, interval=AUTOSAVE_MS)
        self._keep.timeout.connect(self._keep_unsaved)
        self._marks: dict[tuple[str, str], str] = {}
        self._dragging = False
        self._ready: tuple[Request, Solution] | None = None
        self._held = True
        self._open(latch)

    def _open(self, latch: Latch) -> None:
        self.history = History(latch.project)
        self.files = dict(latch.files)
        self.look_trouble = ""
        self.solution: Solution | None = None
        self.trouble = ""
        self.request: Request | None = None
        self.view: View | None = None
        self._viewed_request: Request | None = None
        self.proof: Proof | None = None
        self._solve()

    # -- reading -----------------------------------------------------------------------------------------------------

    @property
    def project(self) -> Project:
        """The document."""
        return self.history.present

    @property
    def mechanism(self) -> Mechanism | None:
        """The selected mechanism."""
        return self.project.mechanism

    @property
    def experience(self) -> Experience:
        """What is known of the chosen process: evidence of the store and of this project, and what it teaches."""
        return self._known.of(self.project)

    @property
    def process(self) -> Process:
        """The chosen process as evidence has it; judgements and predictions go by this."""
        return self.experience.believed

    def add_evidence(self, items: Sequence[Result | Reading]) -> bool:
        """Put new results and readings into the store; says why when it cannot."""
        return self._stored(lambda store: store.add(items, [self.project.process], fresh=True))

    def exclude_evidence(self, key: str, excluded: bool) -> bool:
        """Leave a result or reading out of what is learnt, or take it in again."""
        return self._stored(lambda store: store.exclude(key, excluded))

    def restore_evidence(self) -> bool:
        """Go back to the last good copy of the store."""
        return self._stored(lambda store: store.restore())

    def _stored(self, change: Callable[[Evidence], object]) -> bool:
        changed: list[bool] = []
        if not self._told(lambda: changed.append(self._known.change(change))) or not changed[0]:
            return False
        self._solve()
        return True

    @property
    def up_to_date(self) -> bool:
        """Whether outlook and proof belong to the document as it stands."""
        return self.solution is None or (self.proof is not None and self._viewed_request == self.request)

    @property
    def dirty(self) -> bool:
        """Whether there is unsaved work."""
        return self.keeping.differs(self.project)

    @property
    def path(self) -> Path | None:
        """The project's file; None when it was never saved."""
        return self.keeping.path

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
        found = self.view.outlook.remedies.get(check_id, []) if self.view else []
        return found or (self.proof.remedies.get(check_id, []) if self.proof else [])

    def surety(self, check_id: str) -> float | None:
        """Return the chance that a check holds as far as measured sizes go; None where none was measured."""
        return self.view.outlook.surety.get(check_id) if self.view else None

    def verdict_of(self, mechanism: Mechanism) -> str:
        """Return the shelf mark of a mechanism from its quick checks (with the proof for the selected one)."""
        if mechanism.id == self.project.selected and self.solution is not None:
            return worst(self.checks)
        key = (mechanism.model_dump_json(include={"kind", "params", "setup"}),
               self.process.model_dump_json() + self.project.policy)
        if key not in self._marks:
            if len(self._marks) > MOST_MARKS:
                self._marks.clear()
            try:
                self._marks[key] = worst(self._request_of(mechanism).solve().checks)
            except UserError:
                self._marks[key] = "stop"
        return self._marks[key]

    def _request_of(self, mechanism: Mechanism) -> Request:
        return Request(registry.kind(mechanism.kind), mechanism.parsed(), self.process, self.project.policy,
                       mechanism.setup, tuple((name, Measured(values).error) for name, values in mechanism.measured.items()))

    # -- edits -------------------------------------------------------------------------------------------------------

    def set_measured(self, name: str, text: str) -> bool:
        """Take several caliper readings of a given size; their mean is the size, their spread goes into the verdicts."""
        try:
            read = readings.read(text)
        except UserError as error:
            self.refused.emit(name, error.sentence)
            return False
        done = self.set_params(f"measured {name}", None, {name: read.values}, **{name: round(read.mean, 3)})
        if done and read.outlier is not None:
            self.refused.emit(name, f"{read.outlier:g} lies far from the other readings; measure again or leave it out")
        return done

    def set_params(self, label: str, merge_key: str | None = None,
                   readings: dict[str, tuple[float, ...]] | None = None, **values: Any) -> bool:
        """Change parameters of the selected mechanism; refused as a whole with one sentence, or done.

        ``readings``: what was measured, by parameter.
        """
        mechanism = self.mechanism
        if mechanism is None:
            return False
        field = next(iter(values))
        if drawn := fields.named_file(type(mechanism.parsed()), values):
            self._read_file(mechanism, label, drawn, values)
            return True
        try:
            params = mechanism.parsed().changed(**values)
            # A shelf fits the shape it was put under and no other.
            setup = mechanism.setup.model_copy(update={"shelves": ()})
            # What is typed anew is no longer what was measured.
            measured = {name: read for name, read in mechanism.measured.items() if name not in values}
            changed = mechanism.model_copy(update={"params": params.model_dump(), "setup": setup,
                                                   "measured": {**measured, **(readings or {})}})
            # Solving first means that an impossible design never enters the document; it is not solved again for it.
            request = self._request_of(changed)
            self._ready = (request, request.solve())
        except UserError as error:
            self.refused.emit(error.field if error.field in values else field, error.sentence)
            return False
        self.refused.emit(field, "")
        if mechanism.setup.shelves:
            self.said.emit("The sacrificial shelves were taken away: the shape has changed.")
        self._edit(self.project.with_mechanism(changed), label, merge_key)
        return True

    def _read_file(self, mechanism: Mechanism, label: str, field: str, values: dict[str, Any]) -> None:
        """Take a value from a file, beside the interface: nobody knows how long a file takes."""
        params = mechanism.parsed()

        def read(_report: object) -> Callable[[], object]:
            try:
                found = getattr(params.changed(**{field: values[field]}), field)
            except UserError as error:
                sentence = error.sentence
                return lambda: self.refused.emit(field, sentence)
            changed = {**values, field: found}
            return lambda: mechanism.id == self.project.selected and self.set_params(label, None, None, **changed)

        self.refused.emit(field, "")
        self.said.emit(f"reading {Path(values[field]).name}")
        self.file_lane.start(read)

    def drag_ruler(self, ruler: Ruler, value: float) -> bool:
        """Bring the design to a place on a ruler's scale, as one step of a drag."""
        request = self.request
        if request is None:
            return False
        found = rulers.brought_to(request.kind, request.params, request.judged, ruler, value)
        if found == getattr(request.params, ruler.param):
            return False
        return self.set_params(ruler.label, f"drag {ruler.id}", **{ruler.param: found})

    def set_setup(self, label: str, setup: PrintSetup) -> None:
        """Change how the selected mechanism is set up to print."""
        if self.mechanism:
            self._edit(self.project.with_mechanism(self.mechanism.model_copy(update={"setup": setup})), label)

    @property
    def dragging(self) -> bool:
        """Whether an edit is part of a running drag."""
        return self._dragging

    def end_drag(self) -> None:
        """Close the running drag, so that the next one is its own undo step."""
        self.history = self.history.sealed()
        if self._dragging:
            self._dragging = False
            self.settled.emit()
            self._pause.start(PAUSE_MS)

    def set_policy(self, policy: Policy) -> None:
        self._edit(self.project.model_copy(update={"policy": policy}), f"policy {policy}")

    def set_process(self, process: Process) -> None:
        """Choose a process, changed or new."""
        self._edit(self.project.with_process(process), f"process {process.title}")

    def select(self, mechanism_id: str) -> None:
        """Select a mechanism; no undo step."""
        if mechanism_id != self.project.selected:
            self.end_drag()
            present = self.project.model_copy(update={"selected": mechanism_id})
            was_saved = not self.dirty
            self.history = History(present, self.history.past, self.history.labels, self.history.future)
            if was_saved:
                self.keeping.saved = present
            self._solve()

    def add(self, kind_id: str) -> None:
        """Add a mechanism of a kind with its defaults and select it."""
        kind = registry.kind(kind_id)
        taken = {m.id for m in self.project.mechanisms}
        names = {m.name for m in self.project.mechanisms}
        name, number = kind.title, 2
        while name in names:
            name, number = f"{kind.title} {number}", number + 1
        self._edit(self.project.with_mechanism(document.new_mechanism(kind_id, name, taken)), f"add {name}")

    def remove(self) -> None:
        """Remove the selected mechanism (undo brings it back)."""
        if self.mechanism:
            self._edit(self.project.without_mechanism(self.mechanism.id), f"remove {self.mechanism.name}")

    def rename(self, name: str) -> None:
        """Rename the selected mechanism."""
        if self.mechanism and name.strip() and len(name) <= 120:
            renamed = self.mechanism.model_copy(update={"name": name.strip()})
            self._edit(self.project.with_mechanism(renamed), "rename")

    def record_print(self, outcome: str, note: str, photo: Path | None) -> bool:
        """Log a print of the selected mechanism with its exact parameters."""
        mechanism = self.mechanism
        if mechanism is None:
            return False
        try:
            made = prints.logged(mechanism, self.project.process, outcome, note, photo, self.files)
        except UserError as error:
            self.refused.emit("photo", error.sentence)
            return False
        self.files |= made.files
        if made.told:
            self.said.emit(made.told)
        self._edit(self.project.with_mechanism(made.mechanism), f"print: {outcome}")
        return True

    def restore_print(self, print_id: str) -> None:
        """Take the parameters of a logged print back into the design."""
        record = next((p for p in self.mechanism.prints if p.id == print_id), None) if self.mechanism else None
        if record:
            self.set_params(f"as in {print_id}", **record.params)

    def undo(self) -> None:
        self._go(self.history.undo())

    def redo(self) -> None:
        self._go(self.history.redo())

    def _go(self, history: History) -> None:
        if history is not self.history:
            self.history = history
            self._solve()

    def _edit(self, project: Project, label: str, merge_key: str | None = None) -> None:
        self._dragging = merge_key is not None
        history = self.history.edit(project, label, merge_key)
        if history is not self.history:
            self.history = history
            self._solve()

    # -- working out -------------------------------------------------------------------------------------------------

    def _solve(self) -> None:
        mechanism = self.mechanism
        request = None
        self.solution, self.trouble = None, ""
        if mechanism is not None:
            try:
                request = self._request_of(mechanism)
                ready, self._ready = self._ready, None
                self.solution = ready[1] if ready is not None and ready[0] == request else request.solve()
            except UserError as error:
                self.trouble = error.sentence
        if request != self.request:
            self.look_trouble = ""
            same_mechanism = self.request and request and type(self.request.params) is type(request.params)
            self.request, self.proof = request, None
            self.proof_lane.cancel()
            if not same_mechanism:
                self.view = None
        self.changed.emit()
        self.saved_changed.emit()
        self._pause.start(DRAG_PAUSE_MS if self._dragging else PAUSE_MS)
        self._keep.start()

    def release(self) -> None:
        """Let the slow work begin; until the window has its 3-D view it would only delay it."""
        self._held = False
        QTimer.singleShot(0, self._work)

    def _work(self) -> None:
        if self._held:
            return
        self._dragging = False
        self.settled.emit()
        request, solution = self.request, self.solution
        if request is None or solution is None:
            self.look_lane.cancel()
            self.proof_lane.cancel()
            return

        def look(report: Progress) -> tuple[Request, View]:
            return request, view_of(request, solution, report)

        self.look_lane.start(look)
        if self.proof is None:
            self.proof_lane.start(lambda report: (request, prove(request, solution, report)))

    def work_again(self) -> None:
        """Start the slow work that was stopped."""
        self._work()

    def _on_viewed(self, result: tuple[Request, View]) -> None:
        if result[0] == self.request:
            self.view, self._viewed_request = result[1], result[0]
            self.viewed.emit()

    def _on_look_failed(self, sentence: str) -> None:
        self.look_trouble = sentence
        self.look_failed.emit(sentence)

    def _on_proved(self, result: tuple[Request, Proof]) -> None:
        if result[0] == self.request:
            self.proof = result[1]
            self.proved.emit()

    # -- files -------------------------------------------------------------------------------------------------------

    def open(self, path: Path) -> bool:
        """Open a project file in place of this one; on failure nothing changes."""
        try:
            latch = store.load(path)
        except UserError as error:
            self.said.emit(error.sentence)
            return False
        self._replace(latch, path)
        self.said.emit(f"{path.name} opened")
        return True

    def _replace(self, latch: Latch, path: Path | None, unsaved: bool = False) -> None:
        self._told(lambda: self.keeping.opened(latch, path, unsaved))
        self._open(latch)

    def _told(self, run: Callable[[], object]) -> bool:
        """Do something that writes; say why when it cannot."""
        try:
            run()
        except UserError as error:
            self.said.emit(error.sentence)
            return False
        return True

    def adopt(self, latch: Latch, path: Path | None, unsaved: bool = True) -> bool:
        """Show recovered work, or with ``unsaved`` False a fresh project that nobody would miss.

        Whether recovered work is kept again: only then may what it was recovered from go.
        """
        self._replace(latch, path, unsaved)
        self.saved_changed.emit()
        return self._keep_unsaved()

    def save(self, path: Path | None = None, over: bool = False) -> bool:
        """Save to ``path`` or where it was opened from; says why when it cannot.

        ``over``: even where the file was changed by somebody else since it was opened.
        """
        target = path or self.path
        if target is None:
            return False
        try:
            self.keeping.save(Latch(self.project, self.files), target, over)
        except ChangedError as error:
            self.clashed.emit(error.sentence)
            return False
        except SaveError as error:
            self.said.emit(error.sentence)
            return False
        self._keep.stop()
        # A saved project's prints teach other projects too.
        self._told(lambda: self._known.share(self.project))
        self._told(self.keeping.forget)
        self.said.emit(f"saved {target.name}")
        self.saved_changed.emit()
        return True

    def save_beside(self) -> bool:
        """Save under a name of its own beside the file that somebody else changed, and go on with that."""
        target = self.keeping.beside()
        return target is not None and self.save(target)

    def _keep_unsaved(self) -> bool:
        """Keep what is unsaved in the recovery file; whether nothing would be lost now."""
        return self._told(lambda: self.keeping.keep(self.project, self.files))

    def close(self, keep: bool = True) -> bool:
        """Begin to stop; unsaved work stays in the recovery file when ``keep``, before anything else. Whether it could."""
        if keep and not self._keep_unsaved():
            return False
        self._pause.stop()
        self._keep.stop()
        for lane in (self.look_lane, self.proof_lane, self.file_lane):
            lane.cancel()
        return keep or self._told(self.keeping.forget)
