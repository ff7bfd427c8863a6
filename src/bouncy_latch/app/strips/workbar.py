"""What slow work looks like wherever it is waited for: what is being done, how far it is, and a way to stop it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from bouncy_latch.app.kit.parts import button, label
from bouncy_latch.app.session.workers import Lane


class WorkBar(QWidget):
    """Shown while the lane that is waited for works.

    Signals:
        busy_changed: whether it is shown.
    """

    busy_changed = Signal(bool)

    def __init__(self, words: str, *lanes: Lane, width: int = 110, waited_for: Callable[[], Lane] | None = None) -> None:
        """``waited_for``: which of several lanes counts now; the first one without."""
        super().__init__()
        self._lane = waited_for or (lambda: lanes[0])
        self.words = label(words, "quiet", 8.5)
        self._bar = QProgressBar(textVisible=False, maximum=100)
        self._bar.setFixedSize(width, 8)
        self._bar.setAccessibleName(f"{words or 'work'}, progress")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        for widget in (self.words, self._bar, button("stop", lambda: self._lane().cancel(), "plain")):
            layout.addWidget(widget)
        self.words.setVisible(bool(words))
        for lane in lanes:
            lane.busy_changed.connect(self._on_busy)
            lane.progressed.connect(lambda part: self._bar.setValue(round(100 * part)))
        self.hide()

    def _on_busy(self, _busy: bool) -> None:
        busy = self._lane().busy
        if busy and self.isHidden():
            self._bar.setValue(0)
        self.setVisible(busy)
        self.busy_changed.emit(busy)
