"""The command palette: type a few letters, press Enter. Opens in the window, over the stage."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from bouncy_latch.app.kit.theme import text_font
from bouncy_latch.app.shell.commands import Command


def matches(typed: str, command: Command) -> bool:
    """Whether every typed word stands in a command's title, or among the words it is looked for by."""
    said = f"{command.title} {command.words}".lower()
    return all(word in said for word in typed.lower().split())


class Palette(QFrame):
    """A field over a list of commands."""

    def __init__(self, parent: QWidget, commands: list[Command]) -> None:
        super().__init__(parent, objectName="panel")
        self._commands = commands
        self.field, self.list = QLineEdit(), QListWidget()
        self.field.setPlaceholderText("what do you want to do?")
        self.field.setFont(text_font(11))
        self.field.setAccessibleName("find a command")
        self.list.setFont(text_font(10))
        self.list.setAccessibleName("commands")
        layout = QVBoxLayout(self)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        self.field.textChanged.connect(self._fill)
        self.field.returnPressed.connect(self._run)
        self.list.itemActivated.connect(lambda _: self._run())
        self.list.itemClicked.connect(lambda _: self._run())
        self.field.installEventFilter(self)
        self.hide()

    def open(self) -> None:
        """Show the palette in the middle of the window's upper half."""
        parent = self.parentWidget()
        width, height = 460, 360
        self.setGeometry((parent.width() - width) // 2, 60, width, min(height, parent.height() - 80))
        self.field.clear()
        self._fill("")
        self.show()
        self.raise_()
        self.field.setFocus()

    def _fill(self, typed: str) -> None:
        self.list.clear()
        for command in self._commands:
            if matches(typed, command):
                words = f"{command.title}    {command.shortcut}" if command.shortcut else command.title
                item = QListWidgetItem(words)
                item.setData(Qt.ItemDataRole.UserRole, command)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        self.hide()
        if item is not None:
            command: Command = item.data(Qt.ItemDataRole.UserRole)
            command.run()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self.hide()
                return True
            if event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Up}:
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
        if watched is self.field and event.type() == QEvent.Type.FocusOut:
            self.hide()
        return super().eventFilter(watched, event)
