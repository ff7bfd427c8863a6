"""The line under the top bar that says what happened to files, and asks; what it says leaves by itself."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout

from bouncy_latch.app.kit.parts import button, label

STAYS_MS = 8000


class NoticeLine(QFrame):
    """Hidden until there is something to say; ``words``: what it says, ``answers``: what can be answered."""

    def __init__(self) -> None:
        super().__init__(objectName="panel")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 8, 4)
        self.words = label("", "", 9.5)
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.answers = QHBoxLayout()
        row.addWidget(self.words, 1)
        row.addLayout(self.answers)
        row.addWidget(button("close", self.hide, "plain"))
        self._leaves = QTimer(self, singleShot=True, interval=STAYS_MS)
        self._leaves.timeout.connect(self.hide)
        self.hide()

    def say(self, sentence: str) -> None:
        """Show a sentence for a while."""
        while (item := self.answers.takeAt(0)) is not None:
            item.widget().hide()  # it goes only when the event loop comes round
            item.widget().deleteLater()
        self.words.setText(sentence)
        self.show()
        self._leaves.start()

    def ask(self, sentence: str, answers: Sequence[tuple[str, Callable[[], object]]]) -> None:
        """Show a sentence until one of the answers is pressed."""
        self.say(sentence)
        self._leaves.stop()
        for text, run in answers:
            self.answers.addWidget(button(text, lambda run=run: (self.hide(), run())))
