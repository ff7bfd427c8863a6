"""The menu that lets the print stop after the layer that is looked at: what for, in a word of the user's own if wanted."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit, QMenu, QPushButton, QWidgetAction

from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.layers.setup import TASKS, Stop, Task

_SAME = 1e-4
"""Heights that differ by less are the same layer's, mm."""


class StopMenu(QMenu):
    """Offers the tasks the hand may have after a layer; where it stops already, to go on without."""

    def __init__(self, session: Session, opener: QPushButton) -> None:
        super().__init__(opener)
        self._session = session
        self.stop_height = 0.0
        self.note = QLineEdit()
        self.note.setFont(text_font(9.5))
        self.note.setMaxLength(200)
        self.note.setMinimumWidth(230)
        self.note.setPlaceholderText("what to do then, if you want to say more")
        self.note.setAccessibleName("what to do at the stop")
        holder = QWidgetAction(self)
        holder.setDefaultWidget(self.note)
        self.addAction(holder)
        self.tasks = {task: self.addAction(f"stop for a {task}" if task == "colour change" else f"stop for {task}",
                                           lambda t=task: self._stop(t)) for task in TASKS}
        self.go_on = self.addAction("do not stop here", self._go_on)
        self.aboutToShow.connect(self._on_shown)
        opener.setMenu(self)

    @property
    def _stops(self) -> tuple[Stop, ...]:
        mechanism = self._session.mechanism
        return mechanism.stops if mechanism else ()

    def _here(self) -> list[Stop]:
        return [stop for stop in self._stops if abs(stop.z - self.stop_height) < _SAME]

    def _on_shown(self) -> None:
        here = self._here()
        self.note.setText(here[0].note if here else "")
        self.go_on.setVisible(bool(here))

    def _stop(self, task: Task) -> None:
        others = [stop for stop in self._stops if stop not in self._here()]
        made = Stop(z=round(self.stop_height, 4), task=task, note=self.note.text().strip())
        self._session.set_stops(f"stop for {task}", tuple(sorted((*others, made), key=lambda stop: stop.z)))

    def _go_on(self) -> None:
        here = self._here()
        self._session.set_stops("no stop", tuple(stop for stop in self._stops if stop not in here))

