"""Puts the pauses of the selected mechanism into G-code sliced from it: first what would be added, then file and card."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from bouncy_latch.app.kit.parts import counted
from bouncy_latch.app.session import workers
from bouncy_latch.core import files
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.formats import cards, gcode
from bouncy_latch.core.formats.gcode import Manner
from bouncy_latch.core.judge.prints import pauses as waits
from bouncy_latch.core.mechanisms.contract import Pause
from bouncy_latch.core.project import delivery, own_printers
from bouncy_latch.core.project.folders import data_folder

if TYPE_CHECKING:
    from bouncy_latch.app.shell.window import BenchWindow

_FILES = "G-code (*.gcode *.gco *.g *.nc);;All files (*)"


class Pausing:
    """Asks for a file, says on the notice line what would be added, and writes beside it once that is wanted."""

    def __init__(self, window: BenchWindow) -> None:
        self._window = window
        self._source = Path()
        self.added: list[str] = []
        self._placed: list[waits.Placed] = []
        self._extruder = ""
        self.plan_lane, self.write_lane = workers.Lane(window), workers.Lane(window)
        self.plan_lane.finished.connect(self._on_planned)
        self.write_lane.finished.connect(window.say)
        self.plan_lane.failed.connect(self._on_refused)
        self.write_lane.failed.connect(window.say)

    def pauses(self) -> tuple[Pause, ...]:
        """Where the selected mechanism stops as it is set up: what it asks for, and what the user wants besides."""
        session = self._window.session
        solution, request, mechanism = session.solution, session.request, session.mechanism
        if solution is None or request is None or mechanism is None:
            return ()
        return waits.pauses(solution, request.setup, mechanism.stops)

    def manner(self) -> Manner:
        """How the printer waits: as the user's own printer of that name does, else as most."""
        name = self._window.session.project.process.printer
        try:
            kept = own_printers.known(data_folder())
        except UserError:
            return Manner(extruder=self._extruder)
        if not kept.has(name):
            return Manner(extruder=self._extruder)
        own = kept.named(name)
        return Manner((own.stop,), height=own.bed[2], extruder=self._extruder)

    def begin(self, source: Path | None = None, extruder: str = "") -> None:
        """Look at a sliced file and say what would be added to it; ``extruder`` as of :class:`gcode.Manner`."""
        self._extruder = extruder
        wanted = self.pauses()
        if not wanted:
            self._window.say("Nothing in this mechanism, as it is set up to print, is put in while it prints.")
            return
        if source is None:
            name, _ = QFileDialog.getOpenFileName(self._window, "Sliced from this mechanism", str(Path.home()), _FILES)
            if not name:
                return
            source = Path(name)
        self._source, manner = source, self.manner()

        def plan(report: workers.Report) -> tuple[list[waits.Placed], list[gcode.Pause], list[str]]:
            found = waits.placed(wanted, gcode.layer_tops(source, lambda part: report(0.5 * part)))
            heights = sorted({each.at for each in found})
            return found, *gcode.planned(source, heights, manner, lambda part: report(0.5 + 0.5 * part))

        self._window.ask(f"looking at {source.name}…", [("stop", self.plan_lane.cancel)])
        self.plan_lane.start(plan)

    @property
    def target(self) -> Path:
        """The file that is written; the original stays as it is."""
        return self._source.with_name(f"{self._source.stem}-paused{self._source.suffix}")

    @property
    def card(self) -> Path:
        """The card to print that is written beside it."""
        return self._source.with_name(f"{self._source.stem}-card.svg")

    def _on_refused(self, sentence: str) -> None:
        """Say what is wrong with a file; what depends on the machine's firmware is asked."""
        refusal = self.plan_lane.refusal
        if refusal is None or refusal.field != "extruder":
            self._window.say(sentence)
            return
        self._window.ask(sentence[0].upper() + sentence[1:] + ".", [
            ("they set the extruder too", lambda: self.begin(self._source, gcode.EXTRUDERS[1])),
            ("only M82 and M83 do", lambda: self.begin(self._source, gcode.EXTRUDERS[0])), ("stop here", lambda: None)])

    def _on_planned(self, result: tuple[list[waits.Placed], list[gcode.Pause], list[str]]) -> None:
        self._placed, found, self.added = result
        stops = sorted({(pause.layer, pause.line) for pause in found})
        where = ", ".join(f"before the layer at {layer:.2f} mm (line {line})" for layer, line in stops)
        trouble = " ".join(each.trouble[0].upper() + each.trouble[1:] + "." for each in self._placed if each.trouble)
        self._window.ask(f"It stops {where}; {counted(len(self.added), 'line')} are added, and everything is as before after "
                         f"them. {trouble or 'Hot nozzle, moving axes: be there, be quick.'}",
                         [("show them", self._show), (f"write {self.target.name}", self.write), ("card", self.write_card),
                          ("no", lambda: None)])

    def _show(self) -> None:
        self._window.ask("\n".join(self.added), [(f"write {self.target.name}", self.write), ("no", lambda: None)])

    def write(self) -> None:
        """Write the file with its pauses beside the original."""
        heights, manner, target = sorted({each.at for each in self._placed}), self.manner(), self.target

        def work(report: workers.Report) -> str:
            gcode.pause_file(self._source, target, heights, report, manner)
            return f"written: {target}"

        self._window.ask(f"writing {target.name}…", [("stop", self.write_lane.cancel)])
        self.write_lane.start(work)

    def write_card(self) -> None:
        """Write a card to print and lay beside the machine: every stop with its layer, what the hand does, what to mind."""
        session, found, card, title = self._window.session, self._placed, self.card, self._source.name
        solution, request, mechanism = session.solution, session.request, session.mechanism
        if solution is None or request is None or mechanism is None:
            return
        name, setup = mechanism.name, request.setup

        def work(_report: workers.Report) -> str:
            tasks = waits.tasks(found, name, delivery.on_the_bed(solution, setup))
            files.write(card, cards.to_svg(f"{name}: {title}", tasks, waits.CAUTIONS).encode())
            return f"written: {card}"

        self.write_lane.start(work)
