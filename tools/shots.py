"""Refresh docs/screenshots from the demo: one picture a main view, at 1280×800."""

import os
import sys
import tempfile
import time
from pathlib import Path

from PySide6.QtWidgets import QApplication

from bouncy_latch.app.__main__ import application, open_window
from bouncy_latch.app.jobline import STOPS
from bouncy_latch.app.theme import THEME

OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def wait(app: QApplication, seconds: float, until=lambda: False) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end and not until():
        app.processEvents()
        time.sleep(0.01)


def settle(app, window) -> None:
    wait(app, 25, lambda: window.session.proof is not None and window.session.view is not None
         and not window.session.proof_lane.busy)
    wait(app, 0.6)


def shot(app, window, name: str) -> None:
    wait(app, 0.5)
    if window.shape.stage is not None and window.shape.isVisible():
        window.shape.stage.draw()
        wait(app, 0.2)
    window.grab().save(str(OUT / f"{name}.png"))
    print(OUT / f"{name}.png")


def main() -> int:
    wanted = set(sys.argv[1:])
    OUT.mkdir(parents=True, exist_ok=True)
    app = application(sys.argv[:1])
    with tempfile.TemporaryDirectory() as folder:
        window = open_window(None, True, Path(os.environ.get("BOUNCY_DATA", folder)))
        window.resize(1280, 800)
        window.show()
        wait(app, 30, lambda: window.shape.stage is not None)
        settle(app, window)

        def take(name, prepare=lambda: None):
            if not wanted or name in wanted:
                prepare()
                settle(app, window)
                shot(app, window, name)

        for index, stop in enumerate(STOPS):
            take(stop.lower(), lambda i=index: window.jobline.go(i))
        def cut():
            window.jobline.go(2)
            window.shape.trace.set_value(180)
            window.shape.section_slider.setValue(470)
            window.shape.section_button.setChecked(True)
            window.shape._on_section()
        take("shape-section", cut)
        window.shape.section_button.setChecked(False)
        window.shape._on_section()
        window.shape.trace.set_value(130)
        take("print-welded", lambda: (window.session.set_params("gap", gap=0.18), window.jobline.go(3)))
        window.session.undo()
        take("shape-dark", lambda: (window.jobline.go(2), window.toggle_theme()))
        if THEME.dark:
            window.toggle_theme()
        window.session.saved = window.session.project
        window.close()
        app.processEvents()
    return 0


if __name__ == "__main__":
    sys.exit(main())
