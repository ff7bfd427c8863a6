"""Puts the pauses of the selected mechanism into G-code that was sliced from it: first what would be added, then the file."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from bouncy_latch.app import workers
from bouncy_latch.app.parts import counted
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.formats import gcode
from bouncy_latch.core.formats.gcode import Manner, Pause
from bouncy_latch.core.project import own_printers
from bouncy_latch.core.project.folders import data_folder

if TYPE_CHECKING:
    from bouncy_latch.app.window import BenchWindow

ABOVE = 0.02
"""How far over the top of the last open layer a pause is asked for, mm: the next layer is the first to reach that."""
_FILES = "G-code (*.gcode *.gco *.g *.nc);;All files (*)"


class Pausing:
    """Asks for a file, says on the notice line what would be added, and writes beside it once that is wanted."""

    def __init__(self, window: BenchWindow) -> None:
        self._window = window
        self._source = Path()
        self.added: list[str] = []
        self.plan_lane, self.write_lane = workers.Lane(window), workers.Lane(window)
        self.plan_lane.finished.connect(self._on_planned)
        self.write_lane.finished.connect(window.say)
        for lane in (self.plan_lane, self.write_lane):
            lane.failed.connect(window.say)

    @property
    def heights(self) -> list[float]:
        """Where the selected mechanism, printed as designed, asks for a stop, mm."""
        solution, request = self._window.session.solution, self._window.session.request
        if solution is None or request is None or request.setup.turn is not None:
            return []
        return sorted({round(pause.z + ABOVE, 4) for pause in solution.pauses})

    def manner(self) -> Manner:
        """How the printer waits: as the user's own printer of that name does, else as most."""
        name = self._window.session.project.process.printer
        try:
            kept = own_printers.known(data_folder())
        except UserError:
            return gcode.USUAL
        if not kept.has(name):
            return gcode.USUAL
        own = kept.named(name)
        return Manner((own.stop,), height=own.bed[2])

    def begin(self, source: Path | None = None) -> None:
        """Look at a sliced file and say what would be added to it."""
        heights = self.heights
        if not heights:
            self._window.say("Nothing in this mechanism, as it is set up to print, is put in while it prints.")
            return
        if source is None:
            name, _ = QFileDialog.getOpenFileName(self._window, "Sliced from this mechanism", str(Path.home()), _FILES)
            if not name:
                return
            source = Path(name)
        self._source, manner = source, self.manner()
        self._window.ask(f"looking at {source.name}…", [("stop", self.plan_lane.cancel)])
        self.plan_lane.start(lambda report: gcode.planned(self._source, heights, manner, report))

    @property
    def target(self) -> Path:
        """The file that is written; the original stays as it is."""
        return self._source.with_name(f"{self._source.stem}-paused{self._source.suffix}")

    def _on_planned(self, found: tuple[list[Pause], list[str]]) -> None:
        pauses, self.added = found
        stops = sorted({(pause.layer, pause.line) for pause in pauses})
        where = ", ".join(f"before the layer at {layer:.2f} mm (line {line})" for layer, line in stops)
        self._window.ask(f"It stops {where}; {counted(len(self.added), 'line')} are added, and everything is as before after "
                         "them. Hot nozzle, moving axes: be there, be quick.",
                         [("show them", self._show), (f"write {self.target.name}", self.write), ("no", lambda: None)])

    def _show(self) -> None:
        self._window.ask("\n".join(self.added), [(f"write {self.target.name}", self.write), ("no", lambda: None)])

    def write(self) -> None:
        """Write the file with its pauses beside the original."""
        heights, manner, target = self.heights, self.manner(), self.target

        def work(report: workers.Report) -> str:
            gcode.pause_file(self._source, target, heights, report, manner)
            return f"written: {target}"

        self._window.ask(f"writing {target.name}…", [("stop", self.write_lane.cancel)])
        self.write_lane.start(work)
