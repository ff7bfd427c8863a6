"""Copying a figure with its unit: by a key where the cursor is, or from the menu under the right button."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QGuiApplication, QKeySequence
from PySide6.QtWidgets import QWidget


def copyable(widget: QWidget, text: Callable[[], str], keys: str = "Ctrl+C", menu: bool = True) -> QAction:
    """Let a widget put ``text()`` on the clipboard; with ``menu`` the right button offers it too."""
    action = QAction("copy with its unit", widget)
    action.setShortcut(QKeySequence(keys))
    action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
    action.triggered.connect(lambda: QGuiApplication.clipboard().setText(text()))
    widget.addAction(action)
    if menu:
        widget.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
    return action
