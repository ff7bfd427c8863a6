"""Pages that are about no mechanism (printers, hardware, keys), each made and loaded when it is first asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QStackedLayout, QWidget

if TYPE_CHECKING:
    from bouncy_latch.app.shell.window import BenchWindow


def _printers(window: BenchWindow) -> Any:
    from bouncy_latch.app.pages.printers_page import PrintersPage

    return PrintersPage(window.session)


def _hardware(window: BenchWindow) -> Any:
    from bouncy_latch.app.pages.hardware_page import HardwarePage

    return HardwarePage(window.session)


def _keys(window: BenchWindow) -> Any:
    from bouncy_latch.app.shell.keys_page import KeysPage

    return KeysPage(window.commands)


_MADE: dict[str, Callable[[BenchWindow], Any]] = {"printers": _printers, "hardware": _hardware, "keys": _keys}


class Asides:
    """Shows such a page in the stack of a window; ``back``: what leaving one does."""

    def __init__(self, window: BenchWindow, stack: QStackedLayout, back: Callable[[], object]) -> None:
        self._window, self._stack, self._back = window, stack, back
        self._pages: dict[str, Any] = {}

    def page(self, name: str) -> Any:
        """Return a page, made now where it was not yet."""
        if name not in self._pages:
            page = self._pages[name] = _MADE[name](self._window)
            page.left.connect(self._back)
            self._stack.addWidget(page)
        return self._pages[name]

    def show(self, name: str) -> None:
        """Show a page, the cursor in it."""
        self._stack.setCurrentWidget(self.page(name))
        self.page(name).setFocus()

    def __contains__(self, shown: QWidget) -> bool:
        return shown in self._pages.values()
