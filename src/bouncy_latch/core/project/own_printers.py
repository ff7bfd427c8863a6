"""Where the user's printers are kept."""

from __future__ import annotations

from bouncy_latch.core.process import printers
from bouncy_latch.core.process.printers import Printers
from bouncy_latch.core.project.own_file import OwnFile

FILE = OwnFile("printers.json", "printers", Printers, printers.from_json, printers.to_json)
NAME, read, write, known, update = FILE.name, FILE.read, FILE.write, FILE.known, FILE.update
