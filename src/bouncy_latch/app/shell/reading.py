"""Reads parts of the user's from files; asks for their unit where it is unclear."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from bouncy_latch.app.strips.jobline import STOPS
from bouncy_latch.core.formats.foreign import UNITS

if TYPE_CHECKING:
    from bouncy_latch.app.shell.window import BenchWindow

FILES = "Parts (*.stl *.3mf *.obj *.ply *.step *.stp)"


class Reading:
    """Brings bodies of files onto the shelf of a window."""

    def __init__(self, window: BenchWindow) -> None:
        self._window = window
        window.session.unit_wanted.connect(self._on_unit_wanted)

    def part(self, path: Path | None = None) -> None:
        """Add the bodies of a file the user picks as parts that mechanisms can be built into."""
        name = path or QFileDialog.getOpenFileName(self._window, "A part to build mechanisms into", str(Path.home()), FILES)[0]
        if name:
            self._window.session.add_part_file(Path(name))
            self._window.jobline.go(STOPS.index("Shape"))

    def _on_unit_wanted(self, path: str, sentence: str) -> None:
        units = [(unit, partial(self._window.session.add_part_file, Path(path), unit)) for unit in UNITS if unit != "mm"]
        self._window.ask(f"{sentence} It was drawn in", [*units, ("leave it", lambda: None)])
