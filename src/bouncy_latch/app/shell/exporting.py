"""Writes what the selected mechanism is: its parts, its test piece, the plot of what its motion costs."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from bouncy_latch.app.kit import picture
from bouncy_latch.app.session import workers
from bouncy_latch.core import files
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.layers.setup import DESIGNED
from bouncy_latch.core.progress import Progress

if TYPE_CHECKING:
    from bouncy_latch.app.shell.window import BenchWindow


class Exporting:
    """Files of the mechanism that is selected in a window, written beside it; it says what it wrote on the notice line."""

    def __init__(self, window: BenchWindow) -> None:
        self._window = window
        self.lane = workers.Lane(window)
        self.lane.finished.connect(window.say)
        self.lane.failed.connect(window.say)
        self.lane.busy_changed.connect(self._on_ended)
        self.lane.progressed.connect(lambda part: window.notice.setText(f"writing the parts: {100 * part:.0f} %"))

    def _asked(self, title: str) -> Path | None:
        chosen = QFileDialog.getExistingDirectory(self._window, title, str(Path.home()))
        return Path(chosen) if chosen else None

    def parts(self, folder: Path | None = None, test_piece: bool = False) -> None:
        """Write the parts (or the test piece) to a folder the user picks."""
        from bouncy_latch.core.project import delivery, joined, seating

        session = self._window.session
        request, mechanism, solution = session.request, session.mechanism, session.solution
        if request is None or mechanism is None or solution is None:
            self._window.say("There is nothing to export: choose a mechanism that can be made.")
            return
        where = folder or self._asked("Folder for the parts")
        if where is None:
            return
        name, setup, stops = delivery.file_stem(mechanism.name), request.setup, mechanism.stops
        without = seating.elsewhere(mechanism, solution)
        told = seating.told(session.project, mechanism)
        if told and not test_piece and without >= set(solution.bodies):
            self._window.say(f"{told}.")
            return
        by = joined.made_by_joints(session.project, request.judged).get(mechanism.id)
        if by is not None:
            self._window.say(f"{mechanism.name} is printed joined by {by}: choose {by} on the shelf and export that.")
            return

        called = {} if test_piece else {body: delivery.file_stem(label)
                                        for body, label in joined.called(mechanism, solution).items()}

        def write(report: Progress) -> str:
            made, stem, laid, waits, less = solution, name, setup, stops, without
            if test_piece:
                made, stem, laid, waits, less = request.piece().solve(), f"{name}-test", DESIGNED, (), frozenset()
            written = delivery.export(made, stem, where, setup=laid, progress=report, stops=waits, without=less,
                                      called=called)
            return f"{len(written)} files in {where}: {', '.join(path.name for path in written)}"

        self._window.ask(f"writing {name}…", [("stop", self.lane.cancel)])
        self.lane.start(write)

    def plot(self, folder: Path | None = None) -> None:
        """Write what the motions cost along their way, as CSV and SVG, to a folder the user picks."""
        from bouncy_latch.core.project import delivery

        session = self._window.session
        if session.mechanism is None or session.solution is None:
            self._window.say("There is nothing to plot: choose a mechanism that can be made.")
            return
        try:
            found = delivery.plots(session.solution, delivery.file_stem(session.mechanism.name))
            where = folder or self._asked("Folder for the plot")
            if where is not None:
                delivery.write(where, found)
                self._window.say(f"{len(found)} files in {where}: {', '.join(found)}")
        except UserError as error:
            self._window.say(error.sentence)

    def picture(self, path: Path | None = None) -> None:
        """Write a picture of what the middle of the window shows, as PNG or SVG, to a file the user names."""
        view = self._window.view_shown()
        try:
            if path is None:
                name, said = QFileDialog.getSaveFileName(self._window, "Save a picture of this view",
                                                         str(Path.home() / "view.png"), "PNG (*.png);;SVG (*.svg)")
                if not name:
                    return
                path = picture.with_suffix(Path(name), said)
            files.write(path, picture.drawn(view, path.suffix.lower(), self._window.session.project.name))
            self._window.say(f"written: {path}")
        except UserError as error:
            self._window.say(error.sentence)

    def _on_ended(self, busy: bool) -> None:
        """A stopped export says so; one that ended has said what it did."""
        if not busy and self._window.notice.text().endswith(("…", "%")):
            self._window.say("Stopped; nothing was written.")
