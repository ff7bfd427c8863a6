"""Where the user's drawer of bought hardware is kept."""

from __future__ import annotations

from bouncy_latch.core.project.own_file import OwnFile
from bouncy_latch.core.standards import drawer
from bouncy_latch.core.standards.drawer import Drawer

FILE = OwnFile("hardware.json", "hardware", Drawer, drawer.from_json, drawer.to_json)
read, write, known, update = FILE.read, FILE.write, FILE.known, FILE.update
