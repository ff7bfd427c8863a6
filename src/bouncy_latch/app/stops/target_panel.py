"""Design to a target: finds sizes for what the brief asks, says what stands in the way, offers other materials and forms."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QMenu, QVBoxLayout, QWidget

from bouncy_latch.app.kit.flow import Flow
from bouncy_latch.app.kit.parts import Elided, button, clear, label, set_tone
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.session.workers import Lane
from bouncy_latch.app.strips.workbar import WorkBar
from bouncy_latch.core.design import Design
from bouncy_latch.core.mechanisms import registry

if TYPE_CHECKING:
    from bouncy_latch.core.judge.search.target import Proposal, Targeted


class TargetPanel(QFrame):
    """Shown on the brief of every mechanism whose sizes can be found for a target.

    Signals:
        offered: how many proposals it shows. possible_wanted: whether what is possible is to be shown.
    """

    offered = Signal(int)
    possible_wanted = Signal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__(objectName="form")
        self._session = session
        self._kept: dict[str, set[str]] = {}
        self._asked: Design | None = None
        self.lane = Lane(self)
        self.lane.finished.connect(self._on_found)
        self.lane.failed.connect(self._say)
        self.find_button = button("find sizes for this", self.search, "strong", "Change the sizes until every verdict holds")
        self._menu = QMenu(self)
        self.keep_button = button("keep…", lambda: None, "plain", "Sizes that must stay as they are")
        self.keep_button.setMenu(self._menu)
        self._work = WorkBar("", self.lane, width=80)
        self._work.busy_changed.connect(self._on_busy)
        self.said = label("", "quiet", 9)
        self.said.setWordWrap(True)
        self.possible_button = button("what is possible", lambda: self.possible_wanted.emit(self.possible_button.isChecked()),
                                      "plain", "Designs of other sizes, by the figures that pull against each other")
        self.possible_button.setCheckable(True)
        head = Flow(self.find_button, self.keep_button, self.possible_button, self._work)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(3)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.setSpacing(5)
        layout.addLayout(head)
        layout.addWidget(self.said)
        layout.addLayout(self.rows)
        session.changed.connect(self._on_changed)
        self._on_changed()

    def _on_changed(self) -> None:
        mechanism, request = self._session.mechanism, self._session.request
        kind = registry.kind(mechanism.kind) if mechanism else None
        self.setVisible(kind is not None and bool(kind.tuning.sizes))
        if kind is None or not kind.tuning.sizes or mechanism is None:
            return
        self.possible_button.setVisible(bool(kind.tuning.trade_off))
        if not kind.tuning.trade_off and self.possible_button.isChecked():
            self.possible_button.setChecked(False)
            self.possible_wanted.emit(False)
        facts, active = kind.params.facts(), mechanism.parsed().active()
        kept = self._kept.setdefault(mechanism.id, set())
        self._menu.clear()
        for name in kind.tuning.sizes:
            if name in active:
                action = self._menu.addAction(facts[name].label)
                action.setCheckable(True)
                action.setChecked(name in kept)
                action.toggled.connect(lambda on, n=name, k=kept: self._keep(n, on, k))
        self.keep_button.setText(f"keep {len(kept)}" if kept else "keep…")
        if self._asked is not None and request != self._asked:
            self._asked = None
            clear(self.rows)
            self.offered.emit(0)
            self.said.setText("")
        if self._asked is None and not self.lane.busy:
            self.said.setText("What is asked above is the target; sizes follow.")
            set_tone(self.said, "quiet")

    def _keep(self, name: str, on: bool, kept: set[str]) -> None:
        (kept.add if on else kept.discard)(name)
        self.keep_button.setText(f"keep {len(kept)}" if kept else "keep…")

    def keep(self, *names: str) -> None:
        """Let sizes stay as they are."""
        mechanism = self._session.mechanism
        if mechanism is not None:
            self._kept.setdefault(mechanism.id, set()).update(names)
            self._on_changed()

    def search(self) -> None:
        """Look for sizes, beside the interface."""
        request, mechanism = self._session.request, self._session.mechanism
        if request is None or mechanism is None:
            return
        self._asked = request
        fixed = frozenset(self._kept.get(mechanism.id, ()))
        clear(self.rows)
        self.offered.emit(0)

        def work(report: Any) -> tuple[Design, Targeted]:
            from bouncy_latch.core.judge.search import target

            return request, target.targeted(request, fixed, report)

        self.lane.start(work)

    def _on_busy(self, busy: bool) -> None:
        self.find_button.setEnabled(not busy)
        if busy:
            self._say("trying sizes…")

    def _say(self, sentence: str) -> None:
        self.said.setText(sentence)
        set_tone(self.said, "quiet")

    def _on_found(self, result: tuple[Design, Targeted]) -> None:
        request, found = result
        if request != self._session.request:
            return
        best = found.best
        held = f" At its bound: {', '.join(best.bounds)}." if best.bounds else ""
        if best.reached and not best.changes(request.params):
            self.said.setText("The sizes you have meet it.")
            set_tone(self.said, "ok")
            return
        if best.reached:
            self.said.setText(f"Reached after {best.solved} designs, {100 * best.chance:.0f} % sure.{held}")
        else:
            value, limit = best.binding.figures
            short = f"{best.binding.label.lower()} {value} of {limit} {best.binding.unit}"
            self.said.setText(f"Not reached: {short} at best.{held}")
        set_tone(self.said, "ok" if best.reached else "look")
        for proposal in (best, *found.others):
            self.rows.addWidget(self._row(proposal, request))
        self.offered.emit(1 + len(found.others))

    def _row(self, proposal: Proposal, request: Design) -> QWidget:
        facts = request.params.facts()
        changes = proposal.changes(request.params)
        sizes = ", ".join(f"{facts[name].label} {value:g}" if isinstance(value, int | float) else f"{facts[name].label} {value}"
                          for name, value in changes.items()) or "the same sizes"
        words = proposal.words or "these sizes"
        chance = f"{100 * proposal.chance:.0f} %{'' if proposal.reached else ', not all verdicts'}"
        row = QWidget()
        grid = QGridLayout(row)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(0)
        take = button("take", lambda: self.take(proposal), "mend", f"Set {sizes}")
        take.setAccessibleName(f"take {words}: {sizes}")
        grid.addWidget(label(words, "title", 9), 0, 0)
        grid.addWidget(label(chance, "quiet", 8.5), 0, 1)
        grid.addWidget(take, 0, 2, 2, 1)
        grid.addWidget(Elided(sizes, "quiet", 8.5), 1, 0, 1, 2)
        grid.setColumnStretch(1, 1)
        return row

    def take(self, proposal: Proposal) -> None:
        """Take a proposal's sizes, and its material as a process of its own."""
        request = self._session.request
        if request is None:
            return
        changes = proposal.changes(request.params)
        own = self._session.project.process
        if proposal.design.process.material != request.process.material:
            self._session.set_process(own.beside(proposal.design.process.material))
        if changes:
            self._session.set_params("sizes for the target", **changes)
