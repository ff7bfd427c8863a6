"""Starts the bench: ``python -m bouncy_latch.app [--demo] [FILE]``."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from PySide6.QtWidgets import QApplication

from bouncy_latch.app import theme
from bouncy_latch.app.session import Session
from bouncy_latch.app.window import BenchWindow
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.process.evidence import Evidence
from bouncy_latch.core.project import store
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.folders import data_folder
from bouncy_latch.core.project.store import Latch


def application(argv: list[str]) -> QApplication:
    """Return the Qt application with our fonts and look."""
    running = QApplication.instance()
    app = running if isinstance(running, QApplication) else QApplication(argv)
    app.setApplicationName("Bouncy Latch")
    app.setStyle("Fusion")
    theme.load_fonts()
    app.setFont(theme.text_font(9.5))
    return app


def open_window(path: Path | None, demo: bool, folder: Path) -> BenchWindow:
    """Return the window on a file, on recovered work, or on the demo."""
    autosave = Autosave(folder / "unsaved")
    latch, trouble = Latch(demo_project()), ""
    if path is not None:
        try:
            latch = store.load(path)
        except UserError as error:
            path, trouble = None, error.sentence
    session = Session(latch, path, autosave, Evidence(folder / "evidence.sqlite"))
    window = BenchWindow(session)
    if trouble:
        window.say(trouble)
    lost = autosave.find()
    if lost and not demo:
        newest = lost[0]
        name = newest.path.name if newest.path else newest.latch.project.name
        window.ask(f"Unsaved work on {name} was kept when the last session ended.", [
            ("take it back", lambda: (session.adopt(newest.latch, newest.path), autosave.discard(newest))),
            ("throw it away", lambda: autosave.discard(newest)),
        ])
    return window


def main(argv: list[str] | None = None) -> int:
    """Run the interface until its window closes."""
    parser = argparse.ArgumentParser(prog="bouncy")
    parser.add_argument("file", nargs="?", type=Path, help="a .latch project")
    parser.add_argument("--demo", action="store_true", help="open the demo project")
    options = parser.parse_args(argv)
    app = application(sys.argv[:1])
    window = open_window(options.file, options.demo, data_folder())
    window.show()
    return app.exec()


if __name__ == "__main__":
    sys.exit(main())
