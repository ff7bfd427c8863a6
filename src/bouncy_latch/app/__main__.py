"""Starts the bench: ``python -m bouncy_latch.app [--demo] [FILE]``."""

from __future__ import annotations

import argparse
import logging
import os
import sys
import warnings
from pathlib import Path
from typing import NoReturn

from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from bouncy_latch import desktop
from bouncy_latch.app.kit import theme
from bouncy_latch.app.session.session import Session
from bouncy_latch.app.shell.recent import Recent
from bouncy_latch.app.shell.remembered import Remembered, settings
from bouncy_latch.app.shell.window import BenchWindow
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.formats import reader_process
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.project import store, troublelog
from bouncy_latch.core.project.autosave import Autosave, Recovery
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.folders import data_folder, trouble_of
from bouncy_latch.core.project.store import Latch


def application(argv: list[str]) -> QApplication:
    """Return the Qt application with our fonts and look."""
    running = QApplication.instance()
    app = running if isinstance(running, QApplication) else QApplication(argv)
    app.setApplicationName("Bouncy Latch")
    app.setDesktopFileName(desktop.NAME)
    app.setWindowIcon(QIcon(str(desktop.ICON)))
    app.setStyle("Fusion")
    theme.load_fonts()
    app.setFont(theme.text_font(9.5))
    return app


def open_window(path: Path | None, demo: bool, folder: Path) -> BenchWindow:
    """Return the window on a file, on recovered work, or on the demo."""
    trouble = trouble_of(folder)
    autosave = Autosave(folder / "unsaved")
    latch = Latch(demo_project())
    if path is not None:
        try:
            latch = store.load(path)
        except UserError as error:
            path, trouble = None, error.sentence
    session = Session(latch, path, autosave, Evidence(folder / "evidence.sqlite"))
    kept = settings(folder)
    window = BenchWindow(session, Recent(kept))
    Remembered(window, kept)
    if trouble:
        window.say(trouble)
    lost = autosave.find()
    if lost and not demo:
        offer_back(window, autosave, lost[0])
    return window


def offer_back(window: BenchWindow, autosave: Autosave, lost: Recovery) -> None:
    """Ask what to do with unsaved work that was found; it goes only when it is kept elsewhere, or thrown away."""
    name = lost.path.name if lost.path else lost.latch.project.name

    def discard() -> None:
        try:
            autosave.discard(lost)
        except UserError as error:
            window.say(error.sentence)

    def take_back() -> None:
        if window.session.adopt(lost.latch, lost.path):
            discard()

    window.ask(f"Unsaved work on {name} was kept when the last session ended.", [
        ("take it back", take_back), ("throw it away", discard), ("later", lambda: None)])


def main(argv: list[str] | None = None) -> NoReturn:
    """Run the interface until its window closes."""
    parser = argparse.ArgumentParser(prog="bouncy-bench")
    parser.add_argument("file", nargs="?", type=Path, help="a .latch project")
    parser.add_argument("--demo", action="store_true", help="open the demo project")
    options = parser.parse_args(argv)
    logging.lastResort = None  # what libraries log is not for the user's terminal
    warnings.simplefilter("ignore")
    app = application(sys.argv[:1])
    window = open_window(options.file, options.demo, data_folder())
    sys.excepthook = lambda _kind, error, _trace: window.say(f"{troublelog.noted(error)}; the rest is not affected.")
    window.show()
    code = app.exec()
    reader_process.close()
    # Unsaved work is kept and the window is gone. What still computes is ended with the process; taking apart native
    # libraries under it would only cost time and end in reports that help nobody.
    os._exit(code)


if __name__ == "__main__":
    main()
