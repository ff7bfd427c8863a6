"""The panel around the ruler: its name, what it stands for, and the chance with the chosen value."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from bouncy_latch.app.parts import label, set_tone
from bouncy_latch.app.ruler import Ruler
from bouncy_latch.app.session import Session
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.process.evidence import Result


class RulerPanel(QFrame):
    """Shows the session's main ruler and turns drags into edits."""

    def __init__(self, session: Session) -> None:
        super().__init__(objectName="panel")
        self._session = session
        self.ruler = Ruler()
        self._title, self._about, self._chance = label("", "head"), label("", "quiet"), label("", "ok")
        self._window = label("", "quiet")
        head = QHBoxLayout()
        head.setSpacing(12)
        for widget in (self._title, self._about):
            head.addWidget(widget)
        head.addStretch()
        head.addWidget(self._window)
        head.addWidget(self._chance)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 7, 14, 4)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.ruler)
        self.ruler.dragged.connect(self._on_dragged)
        self.ruler.released.connect(session.end_drag)
        session.changed.connect(self._on_changed)
        session.viewed.connect(self._on_viewed)
        self._on_changed()

    def _on_dragged(self, value: float) -> None:
        solution = self._session.solution
        if solution:
            ruler = solution.rulers[0]
            self._session.set_params(ruler.label, f"drag {ruler.param}", **{ruler.param: round(value, 4)})

    def _on_changed(self) -> None:
        solution = self._session.solution
        self.setVisible(solution is not None)
        if solution is None:
            return
        ruler = solution.rulers[0]
        facts = type(solution.params).facts()[ruler.param]
        self._title.setText(ruler.label.upper() if len(ruler.label) < 5 else ruler.label.capitalize())
        self._about.setText(f"{self._session.project.process.printer}, {ruler.about}"
                            if self._session.project.policy == "mine" else f"anyone's printer, {ruler.about}")
        self.ruler.configure(ruler.low, ruler.high, facts.step, ruler.unit, ruler.label)
        self.ruler.show_value(float(getattr(solution.params, ruler.param)))
        chance = solution.freeing.by_hand
        request = self._session.request
        turned = request is not None and request.setup.turn is not None
        where = " as designed; turned: see Layers part" if turned else ""
        self._chance.setText(f"{100 * chance:.0f} % comes free by hand{where}")
        set_tone(self._chance, "ok" if chance >= 0.95 else "look" if chance >= 0.5 else "stop")
        self._show_evidence(solution)
        self._on_viewed()

    def _show_evidence(self, solution: Solution) -> None:
        kind, param, known = solution.kind, solution.rulers[0].param, self._session.experience
        ticks = [(item.value, item.outcome, f"{item.when[:10]} {item.note}".strip()) for item in known.items
                 if isinstance(item, Result) and (item.kind, item.param) == (kind, param) and item.key not in known.excluded]
        self.ruler.show_evidence(ticks)

    def _on_viewed(self) -> None:
        view, solution = self._session.view, self._session.solution
        self.ruler.show_zones(view.zones if view else None)
        self.ruler.show_recommended(view.outlook.recommended if view else None)
        if view is None or solution is None:
            self._window.setText("working out the zones…")
            self.ruler.show_bracket(None)
            return
        window = view.outlook.window
        if window is None:
            self._window.setText("no print window")
            self.ruler.show_bracket(None)
            return
        # A printer that grows by g leaves what another printer would leave of a gap smaller by 2g.
        value, mean = self.ruler.value, solution.process.growth.mean
        self.ruler.show_bracket((value - 2 * (window.high - mean), value - 2 * (window.low - mean)))
        self._window.setText(f"print window {window.low:+.2f} … {window.high:+.2f} mm a side")

