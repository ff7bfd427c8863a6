"""The map of keys: every command with its keys, and what keys do where the cursor is."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence, QShowEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from bouncy_latch.app.kit.columns import Columns
from bouncy_latch.app.kit.parts import button, label, scrolled
from bouncy_latch.app.kit.theme import figure_font
from bouncy_latch.app.shell.commands import Command

IN_PLACE = (
    ("number field", (("Up, Down", "a step more or less"), ("Enter", "take what is typed"), ("Esc", "as it was"),
                      ("Ctrl+Shift+C", "copy with its unit"))),
    ("ruler", (("Left, Right", "a step"), ("Page up, Page down", "five steps"), ("Ctrl+C", "copy the value"))),
    ("gap chart", (("Left, Right", "this gap, a step"), ("Up, Down", "advice, row by row"))),
    ("3-D view", (("arrows", "walk round"), ("+, −", "nearer, further"), ("Shift and drag", "move it"))),
    ("layer picture", (("arrows, +, −", "move, nearer, further"), ("Enter", "the next place ringed"))),
    ("scrubber and print strip", (("Left, Right", "a step, a layer"), ("Home, End", "begin, end"))),
    ("verdict", (("Enter, double click", "show its place"), ("Ctrl+C", "copy, as in every view"))),
    ("everywhere", (("Tab", "the next field"), ("Space", "press the button"))),
)
"""What keys do in a place, by its name."""
COLUMNS = 2


class KeysPage(QWidget):
    """Shows the keys on a page of the window.

    Signals:
        left: the user is done here.
    """

    left = Signal()

    def __init__(self, commands: list[Command]) -> None:
        super().__init__()
        self._commands = commands

    def showEvent(self, event: QShowEvent) -> None:
        """The page is made when it is first asked for: its hundred labels would cost every start."""
        super().showEvent(event)
        if self.layout() is None:
            self._build()

    def _build(self) -> None:
        head = QHBoxLayout()
        head.addWidget(label("Keys", "head", 12))
        head.addStretch()
        head.addWidget(button("done", self.left.emit, "plain", "Back to the bench (Esc)"))
        grids = []
        keyed = [(QKeySequence(c.shortcut).toString(), c.title) for c in self._commands if c.shortcut]
        half = -(-len(keyed) // COLUMNS)
        for first in range(0, len(keyed), half):
            grids.append(_grid([("commands" if first == 0 else "", keyed[first:first + half])]))
        grids.append(_grid(IN_PLACE))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 12, 12)
        layout.setSpacing(8)
        layout.addLayout(head)
        whole = QVBoxLayout()
        whole.addWidget(Columns(*grids, spacing=36, even=True))
        layout.addWidget(scrolled(whole), 1)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Escape, Qt.Key.Key_F1}:
            self.left.emit()
        else:
            super().keyPressEvent(event)


def _grid(blocks: object) -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(16)
    grid.setVerticalSpacing(5)
    grid.setColumnStretch(1, 1)
    row = 0
    for title, keys in blocks:  # type: ignore[attr-defined]
        grid.addWidget(label(title, "head"), row, 0, 1, 2)
        row += 1
        for pressed, does in keys:
            shown = label(pressed)
            shown.setFont(figure_font(9))
            grid.addWidget(shown, row, 0)
            grid.addWidget(label(does, "quiet"), row, 1)
            row += 1
    grid.setRowStretch(row, 1)
    return grid
