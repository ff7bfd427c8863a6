"""A real window on the demo, and the steps that scenarios share."""

from __future__ import annotations

import threading

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from bouncy_latch.app import __main__ as start
from bouncy_latch.app.kit.theme import THEME
from bouncy_latch.app.session import workers
from bouncy_latch.core import fields

PATIENCE = 600_000
"""An event comes or it does not; a machine that is busy with something else may take its time over it, ms."""


class Bench:
    """The window with the words of a user."""

    def __init__(self, window, qtbot):
        self.window, self.qtbot, self.session = window, qtbot, window.session

    @property
    def params(self) -> fields.Params:
        return self.session.mechanism.parsed()

    def settle(self):
        """Wait until everything slow has arrived."""
        session = self.session
        session.release()
        self.qtbot.waitUntil(lambda: session.up_to_date and not session.proof_lane.busy, timeout=PATIENCE)

    def export(self, folder):
        """Export the parts and wait until they are written."""
        self.window.exporting.parts(folder)
        self.qtbot.waitUntil(lambda: not self.window.exporting.lane.busy, timeout=PATIENCE)

    def type(self, field, text):
        """Type into a field of the sheet and press Enter."""
        editor = self.window.sheet.editors[field]
        editor.setFocus()
        editor.selectAll()
        QTest.keyClicks(editor, text)
        QTest.keyClick(editor, Qt.Key.Key_Return)

    def drag_ruler(self, value, steps=6):
        """Drag the ruler's handle with the mouse."""
        ruler = self.window.ruler.ruler
        y = 33
        begin, end = ruler.x_of(ruler.value), ruler.x_of(value)
        QTest.mousePress(ruler, Qt.MouseButton.LeftButton, pos=QPoint(round(begin), y))
        for i in range(1, steps + 1):
            QTest.mouseMove(ruler, QPoint(round(begin + (end - begin) * i / steps), y))
        QTest.mouseRelease(ruler, Qt.MouseButton.LeftButton, pos=QPoint(round(end), y))

    def verdict(self, words):
        """Return the verdict row whose title begins with ``words``."""
        return next(r for r in self.window.verdicts.rows if not r.isHidden() and r.title.whole().startswith(words))

    def command(self, words):
        """Run a command through the palette, by keyboard."""
        palette = self.window.palette_panel
        palette.open()
        QTest.keyClicks(palette.field, words)
        QTest.keyClick(palette.field, Qt.Key.Key_Return)


def discard(window):
    """Close a window for good: left to itself, Qt would delete it only after the last test."""
    window.leave()
    workers.close_all(60_000)
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture(autouse=True)
def _nothing_is_left_running():
    """A test that leaves a thread or a timer of the application's behind fails; so does one in which Qt warns (pyproject)."""
    threads = set(threading.enumerate())
    yield
    app = QApplication.instance()
    assert [thread.name for thread in threading.enumerate() if thread not in threads and not thread.daemon] == []
    assert [timer for timer in (app.findChildren(QTimer) if app else []) if timer.isActive()] == []


@pytest.fixture
def bench(qtbot, tmp_path):
    start.application(["test"])
    window = start.open_window(None, True, tmp_path / "data")
    # The 3-D view has a test of its own; here its libraries would cost seconds per scenario.
    window.shape.load_stage = lambda: None
    window.resize(1280, 800)  # whatever screen there is
    window.show()
    yield Bench(window, qtbot)
    if THEME.dark:
        window.toggle_theme()
    discard(window)




def picture_file(path, size):
    """Write a noisy picture, which no format makes small."""
    from PIL import Image

    Image.effect_noise(size, 90).convert("RGB").save(path, quality=95)
    return path
