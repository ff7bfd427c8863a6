"""What the window remembers from one start to the next: its size and place, what is folded, and light or dark."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray, QEvent, QObject, QSettings, Qt
from PySide6.QtGui import QGuiApplication

from bouncy_latch.app.kit.theme import THEME

if TYPE_CHECKING:
    from bouncy_latch.app.shell.window import BenchWindow

NAME = "window.ini"
_GEOMETRY, _DARK = "geometry", "dark"


def settings(folder: Path) -> QSettings:
    """Return what the window keeps in a data folder."""
    return QSettings(str(folder / NAME), QSettings.Format.IniFormat)


class Remembered(QObject):
    """Puts a window where it was, and notes where it is when it closes; a file that says nothing sensible is passed over."""

    def __init__(self, window: BenchWindow, kept: QSettings) -> None:
        super().__init__(window)
        self._window, self._kept = window, kept
        geometry = self._kept.value(_GEOMETRY)
        if isinstance(geometry, QByteArray) and window.restoreGeometry(geometry):
            room = window.screen().availableSize()
            window.resize(window.size().boundedTo(room))
        window.folding.remember(kept)
        if self._dark() != THEME.dark:
            window.toggle_theme()
        window.installEventFilter(self)

    def _dark(self) -> bool:
        said = self._kept.value(_DARK)
        if said in {"true", "false"}:
            return bool(said == "true")
        return QGuiApplication.styleHints().colorScheme() is Qt.ColorScheme.Dark

    def eventFilter(self, _window: QObject, event: QEvent) -> bool:
        if event.type() is QEvent.Type.Close:
            self._kept.setValue(_GEOMETRY, self._window.saveGeometry())
            self._kept.setValue(_DARK, "true" if THEME.dark else "false")
            self._kept.sync()
        return False
