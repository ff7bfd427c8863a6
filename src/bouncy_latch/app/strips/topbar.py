"""The top bar: project and its saved state, the process chip, the policy switch, undo and the way to commands."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QMenu, QPushButton, QWidget

from bouncy_latch.app.kit.parts import ElidedButton, button, label
from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.session.session import Session
from bouncy_latch.core.process.profile import Policy

WIDE, SOME = 940, 700
"""Widths from which on everything is said in full, and all but what is least needed, px."""


class TopBar(QWidget):
    """One row over the whole window.

    Signals:
        project_menu: the project button was pressed. palette_wanted: the command field was pressed. printers_wanted: the
        page of printers is asked for.
    """

    project_menu = Signal()
    palette_wanted = Signal()
    printers_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(objectName="rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self.project_button = ElidedButton(self.project_menu.emit, "Project: open, save, export")
        self.project_button.setProperty("tone", "plain")
        self.project_button.setFont(text_font(12))
        self._saved = label("", "quiet", 9)
        self.process_button = ElidedButton(self._choose_process, "The process this project prints on")
        self.mine_button, self.anyone_button = QPushButton("my printer"), QPushButton("anyone's printer")
        group = QButtonGroup(self)
        for made, policy in ((self.mine_button, Policy.MINE), (self.anyone_button, Policy.ANYONE)):
            made.setCheckable(True)
            made.setFont(text_font(9.5))
            made.setToolTip("Judge by this printer" if policy is Policy.MINE else "Judge by the population of printers")
            made.clicked.connect(lambda _checked=False, p=policy: session.set_policy(p))
            group.addButton(made)
        self.undo_button = button("undo", session.undo, "plain", "Ctrl+Z")
        self.redo_button = button("redo", session.redo, "plain", "Ctrl+Shift+Z")
        self.find_button = button("find a command   Ctrl+K", self.palette_wanted.emit, "plain")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 3, 12, 3)
        layout.setSpacing(6)
        layout.addWidget(self.project_button)
        layout.addWidget(self._saved)
        layout.addStretch()
        layout.addWidget(self.process_button, 1)
        layout.addSpacing(8)
        layout.addWidget(self.mine_button)
        layout.addWidget(self.anyone_button)
        layout.addStretch()
        layout.addWidget(self.undo_button)
        layout.addWidget(self.redo_button)
        layout.addWidget(self.find_button)
        session.changed.connect(self._on_changed)
        session.saved_changed.connect(self._on_changed)
        self._on_changed()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow words give way: first whether it is saved, then the second words of buttons."""
        super().resizeEvent(event)
        wide, some = self.width() >= WIDE, self.width() >= SOME
        self._saved.setVisible(wide)
        self.find_button.setText("find a command   Ctrl+K" if wide else "find")
        self.mine_button.setText("my printer" if some else "mine")
        self.anyone_button.setText("anyone's printer" if some else "anyone's")
        for made, words, mark in ((self.undo_button, "undo", "↶"), (self.redo_button, "redo", "↷")):
            made.setText(words if some else mark)
            made.setAccessibleName(words)

    def _on_changed(self) -> None:
        session = self._session
        project, history = session.project, session.history
        self.project_button.show_text(f"{project.name} ▾")
        where = session.path.name if session.path else "not saved yet"
        self._saved.setText(f"unsaved changes, {where}" if session.dirty and session.path else where)
        process = project.process
        self.process_button.show_text(
            f"{process.title} · {process.loops} wall lines · {process.infill:g} % ▾", f"{process.title} ▾",
            f"{process.printer} · {process.material} {process.colour} ▾", f"{process.printer} · {process.material} ▾",
            process.printer)
        self.mine_button.setChecked(project.policy is Policy.MINE)
        self.anyone_button.setChecked(project.policy is Policy.ANYONE)
        self.undo_button.setEnabled(bool(history.past))
        self.redo_button.setEnabled(bool(history.future))
        self.undo_button.setToolTip(f"Undo {history.labels[-1]} (Ctrl+Z)" if history.labels else "Nothing to undo")

    def _choose_process(self) -> None:
        menu = QMenu(self)
        for process in self._session.project.processes:
            menu.addAction(process.title, lambda p=process: self._session.set_process(p))
        menu.addSeparator()
        menu.addAction("your printers and spools…", self.printers_wanted.emit)
        menu.exec(self.process_button.mapToGlobal(self.process_button.rect().bottomLeft()))
