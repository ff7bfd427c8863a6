"""The panel around the ruler: its name, what it stands for, and the chance with the chosen value; more rulers by a press."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QPushButton, QVBoxLayout

from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.parts import Elided, button, clear, label, set_tone
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.strips.ruler import Ruler, WindowOnRuler
from bouncy_latch.core.mechanisms.contract import Ruler as Scale
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.outcomes import VERDICTS
from bouncy_latch.core.process.evidence import Result

CHOICE = 20
"""Height of the buttons that choose a ruler, px."""
_BETWEEN = 90
"""Margins, spaces and the least room of what the ruler is about, pixels."""
SURE = 0.9
"""Part of prints inside the window above which what ends it is not named."""
FINE = 200
"""Places of a scale that is no parameter's own, between which a drag does not tell apart."""


class RulerPanel(QFrame):
    """Shows one of the session's rulers and turns drags into edits."""

    def __init__(self, session: Session) -> None:
        super().__init__(objectName="panel")
        self._session = session
        self._chosen = ""
        self._said: tuple[str, ...] = ("",)
        self._told: tuple[str, ...] = ("",)
        self._offered: tuple[tuple[str, str], ...] = ()
        self.ruler = Ruler()
        self._title, self._about, self._chance = label("", "head"), Elided("", "quiet"), label("", "ok")
        self._window = label("", "quiet")
        for told in (self._chance, self._window):
            copyable(told, told.text)
        self._choices = QHBoxLayout()
        self._choices.setSpacing(2)
        self._group = QButtonGroup(self)
        self.choice_buttons: dict[str, QPushButton] = {}
        head = QHBoxLayout()
        head.setSpacing(12)
        head.addLayout(self._choices)
        head.addWidget(self._title)
        head.addWidget(self._about, 1)
        head.addWidget(self._window)
        head.addWidget(self._chance)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 3, 14, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.ruler)
        self.ruler.dragged.connect(self._on_dragged)
        self.ruler.released.connect(session.end_drag)
        session.changed.connect(self._on_changed)
        session.viewed.connect(self._on_viewed)
        session.look_failed.connect(self._on_viewed)
        session.look_lane.progressed.connect(self._on_progressed)
        self._on_changed()

    def _scale(self, solution: Solution) -> Scale:
        return next((r for r in solution.rulers if r.id == self._chosen), solution.rulers[0])

    def choose(self, ruler_id: str) -> None:
        """Show another of the mechanism's rulers."""
        self._chosen = ruler_id
        self._on_changed()

    def _offer(self, solution: Solution) -> None:
        offered = tuple((r.id, r.label) for r in solution.rulers)
        if offered != self._offered:
            self._offered = offered
            clear(self._choices)
            self.choice_buttons = {}
            for scale in solution.rulers if len(offered) > 1 else ():
                made = button(scale.label, lambda i=scale.id: self.choose(i), "plain", f"the {scale.label} ruler")
                made.setCheckable(True)
                made.setFixedHeight(CHOICE)
                self._group.addButton(made)
                self._choices.addWidget(made)
                self.choice_buttons[scale.id] = made
        self._title.setVisible(len(offered) == 1)
        chosen = self.choice_buttons.get(self._scale(solution).id)
        if chosen is not None:
            chosen.setChecked(True)

    def _on_dragged(self, value: float) -> None:
        solution = self._session.solution
        if solution:
            self._session.drag_ruler(self._scale(solution), value)

    def _on_changed(self) -> None:
        solution = self._session.solution
        present = solution is not None and bool(solution.rulers)
        self.setVisible(present)
        if solution is None or not present:
            return
        self._offer(solution)
        scale = self._scale(solution)
        facts = type(solution.params).facts()[scale.param]
        self._title.setText(scale.label.upper() if len(scale.label) < 5 else scale.label.capitalize())
        printer = self._session.project.process.printer if self._session.project.policy == "mine" else "anyone's printer"
        drives = f"changes the {facts.label}, {getattr(solution.params, scale.param):g} {facts.unit}".rstrip()
        self._about.show_text(f"{printer}, {scale.about}" if scale.direct else f"{scale.about}; {drives}")
        step = facts.step if scale.direct else (scale.high - scale.low) / FINE
        self.ruler.configure(scale.low, scale.high, step, scale.unit, scale.label)
        self.ruler.show_value(scale.value)
        chance = solution.aim.chance
        request = self._session.request
        turned = request is not None and request.setup.turn is not None and bool(solution.joints)
        where = " as designed; turned: see the layer simulation" if turned else ""
        tight = scale.sides(scale.value)[1] if scale.sides is not None else None
        besides = "" if tight is None else f" (solid line), {100 * tight:.0f} % are tight enough (dashed line)"
        figure = f"{100 * chance:.0f} %"
        self._said = (f"{figure} {solution.aim.words}{besides}{where}", f"{figure} {solution.aim.short}", figure)
        self._chance.setToolTip(self._said[0])
        set_tone(self._chance, "ok" if chance >= 0.9 else "look" if chance >= 0.5 else "stop")
        self._show_evidence(solution, scale)
        self._on_viewed()

    def _show_evidence(self, solution: Solution, scale: Scale) -> None:
        kind, known = solution.kind, self._session.experience
        ticks = [(item.value, item.outcome, f"{item.when[:10]} {item.note}".strip()) for item in known.items
                 if isinstance(item, Result) and (item.kind, item.param) == (kind, scale.param)
                 and item.key not in known.excluded and item.outcome in VERDICTS] if scale.direct else []
        self.ruler.show_evidence(ticks)

    def _on_viewed(self, _sentence: str = "") -> None:
        view, solution = self._session.view, self._session.solution
        scale = self._scale(solution) if solution and solution.rulers else None
        shown = view.zones.get(scale.id) if view and scale else None
        self.ruler.show_zones(shown)
        direct = scale is not None and scale.direct and scale.param == self._recommended_param
        current = self._session.view_is_current
        self.ruler.show_recommended(view.outlook.recommended if view and direct and current else None)
        # A drag of this very ruler leaves its zones as they are; any other change makes them those of an earlier design.
        self.ruler.show_stale(not current and not self._session.dragging and (view is None or view.whole))
        if view is None or not current or solution is None or scale is None:
            self._say_window(self._session.look_trouble or ("working out the zones…" if view is None else "working out…"))
            self.ruler.show_window(None)
            return
        window, growth = view.outlook.window, solution.process.growth
        ends = view.brackets.get(scale.id) if window else None
        if window is None:
            self.ruler.show_window(None)
            self._say_window("no print window")
            return
        per_growth = (ends[1] - ends[0]) / window.width if ends and window.width > 0 else 0.0
        self.ruler.show_window(WindowOnRuler(ends, abs(per_growth) * growth.sd) if ends else None)
        share, first = window.share(growth), window.first_to_fail(growth)
        plain = f"outline growth alone varied: all verdicts hold in {100 * share:.0f} % of prints"
        longer = f"{plain}; fails first: {first.lower()}" if first and share < SURE else plain
        self._say_window(
            (longer, plain),
            f"Print window: all verdicts hold where outlines grow by {_signed(window.low)} to {_signed(window.high)} mm.\n"
            + "".join(f"{words}: {label}.\n" for words, label in (("Prints with less growth fail first", window.thin),
                                                                  ("Prints with more growth fail first", window.fat)) if label)
            + f"The bell is what this printer makes: {growth.mean:+.2f} ± {growth.sd:.2f} mm a side.")

    def _say_window(self, words: str | tuple[str, str], about: str = "") -> None:
        self._told = (words,) if isinstance(words, str) else words
        self._window.setToolTip(about)
        self._share_room()

    def _share_room(self) -> None:
        """The chance is said in any case, in full where there is room; the print window where there is some beside it."""
        named = self._choices.sizeHint().width() if self.choice_buttons else self._title.sizeHint().width()
        for words in self._said:
            self._chance.setText(words)
            room = self.width() - named - self._chance.sizeHint().width() - _BETWEEN
            if room > 0:
                break
        self._window.setMinimumWidth(0)
        for told in self._told:
            self._window.setText(told)
            if self._window.sizeHint().width() <= room:
                break
        self._window.setVisible(self._window.sizeHint().width() <= room)
        # Words that became longer while a layout was under way would be cut until the next one.
        self._window.setMinimumWidth(self._window.sizeHint().width())

    def minimumSizeHint(self) -> QSize:
        """What is said gives way before the panel needs more than this."""
        return QSize(300, 100)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_room()

    def _on_progressed(self, part: float) -> None:
        if self._session.view is None and not self._session.look_trouble:
            self._say_window(f"working out the zones… {100 * part:.0f} %")

    @property
    def _recommended_param(self) -> str:
        request = self._session.request
        return request.kind.recommend if request else ""


def _signed(value: float) -> str:
    """Two digits with their sign; nothing is not minus nothing."""
    return f"{round(value, 2) + 0.0:+.2f}"
