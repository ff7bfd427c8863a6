"""Copying a figure with its unit: by a key where the cursor is, from the menu under the right button, or a whole page at once.

What is drawn or typed says with :func:`copyable` what its figure is; words in labels and on buttons say it themselves.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QContextMenuEvent, QGuiApplication, QKeySequence
from PySide6.QtWidgets import QLabel, QMenu, QPushButton, QWidget

WORDS = "copy with its unit"


def put(text: str) -> None:
    """Put a text on the clipboard."""
    QGuiApplication.clipboard().setText(text)


class _Copy(QAction):
    """The action that copies what a widget says."""

    def __init__(self, widget: QWidget, said: Callable[[], str]) -> None:
        super().__init__(WORDS, widget)
        self.said = said
        self.triggered.connect(lambda: put(said()))


def copyable(widget: QWidget, text: Callable[[], str], keys: str = "Ctrl+C", menu: bool = True) -> QAction:
    """Let a widget put ``text()`` on the clipboard; with ``menu`` the right button offers it too."""
    action = _Copy(widget, text)
    action.setShortcut(QKeySequence(keys))
    action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
    widget.addAction(action)
    if menu:
        widget.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
    return action


class Words(QLabel):
    """A label whose figures the right button copies; ``unit`` is what its text leaves to the words around it."""

    unit = ""

    def said(self) -> str:
        """Return what is copied."""
        return f"{self.text()} {self.unit}".strip()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        _offer(self, self.said(), event)


class Push(QPushButton):
    """A button whose figures the right button copies."""

    def said(self) -> str:
        """Return what is copied."""
        return self.text()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        _offer(self, self.said(), event)


def _offer(widget: QWidget, said: str, event: QContextMenuEvent) -> None:
    """Offer to copy a text with figures, unless what it stands on copies it together with more."""
    if _has_figure(said) and not _spoken_for(widget):
        menu = QMenu(widget)
        menu.addAction(_Copy(menu, lambda: said))
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(event.globalPos())
    else:
        event.ignore()


def _has_figure(text: str) -> bool:
    return any(letter.isdigit() for letter in text)


def _own(widget: QWidget) -> _Copy | None:
    return next((action for action in widget.actions() if isinstance(action, _Copy)), None)


def _spoken_for(widget: QWidget) -> bool:
    above = widget.parentWidget()
    return above is not None and (_own(above) is not None or _spoken_for(above))


def figures(page: QWidget) -> list[str]:
    """Return everything with a figure that is seen on a page, one line each, in the order it stands there."""
    seen = []
    for widget in page.findChildren(QWidget):
        action = _own(widget)
        if not widget.isVisible() or (action is None and not isinstance(widget, Words | Push)) or _spoken_for(widget):
            continue
        said = action.said() if action is not None else widget.said()  # type: ignore[attr-defined]
        if _has_figure(said):
            at = widget.mapTo(page, widget.rect().topLeft())
            seen.append((at.y(), at.x(), said))
    return [said for _, _, said in sorted(seen)]
