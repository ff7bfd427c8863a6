"""Every command of the window as data: the palette, the shortcuts, the menus and the map of keys read the same list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from bouncy_latch.app.kit.copying import figures, put
from bouncy_latch.app.strips.jobline import STOPS
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.learn.calibration.coupons import plain_coupons
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.profile import Policy

if TYPE_CHECKING:
    from bouncy_latch.app.shell.window import BenchWindow


@frozen
class Command:
    """Something the user can ask for: its title, shortcut (may be empty), what it does, and other words it is looked for by."""

    title: str
    shortcut: str
    run: Callable[[], object]
    words: str = ""


TRADE_WORDS = {
    "Go to Fit": "tolerance clearance gap allowance fit too tight too loose",
    "Go to Print": "support supports overhang chamfer bed layers bridge brim elephant foot",
    "Go to Shape": "section motion fillet chamfer thickness",
    "Go to Prove": "result record photo",
    "Set the recommended size": "tolerance clearance",
    "Compare ways up": "support supports orientation",
    "Your printers…": "material filament spool nozzle colour layer height",
    "Your hardware…": "nut nuts caliper press fit",
    "Open…": "import load file",
    "Predict parts from files…": "import stl step 3mf mesh own part",
    "Keys": "help shortcuts manual",
    "Find a command": "help search",
    "Export parts…": "stl step 3mf save slicer",
    "Export the test piece…": "sample coupon",
    "Add a mechanism…": "joint new kind",
    "Add nut pocket": "press fit captive nut insert",
    "Add bead ring": "lid cap snap cover annular",
    "Add fin ring": "lid cap plug seal",
    "Add side spring": "lid snap box",
    "Add hook": "snap fit clip latch cantilever",
    "Add split pin": "snap press fit rivet",
    "Add ball peg": "snap ball joint",
    "Add locking tab": "snap seam",
    "Add clip hinge": "snap lid",
    "Add tube clip": "snap clip",
    "Add knuckle hinge": "lid hinge print in place",
    "Add thread": "cap jar lid bolt screw",
    "Add screw boss": "insert hole screw",
    "Find sizes for the target": "force stiffness wanted",
    "Put the pauses into sliced G-code…": "nut insert pause colour change",
}
"""Words of the trade that commands are looked for by, besides their titles."""


PROJECT_MENU = ("New project", "Open…", "Open the demo project", "Save", "Save as…", "Export parts…",
                "Export the test piece…", "Put the pauses into sliced G-code…", "Save a picture of this view…",
                "Predict parts from files…")
"""What the menu of the project offers, by title."""


def commands_of(window: BenchWindow) -> list[Command]:
    """Return what a window can be asked for."""
    session, shape, exporting = window.session, window.shape, window.exporting
    stops = [Command(f"Go to {name}", f"Ctrl+{i + 1}", lambda n=i: window.jobline.go(n)) for i, name in enumerate(STOPS)]
    kinds = [Command(f"Add {name.replace('-', ' ')}", "", lambda k=name: session.add(k)) for name in registry.ids()]
    found = [
        *stops,
        Command("Save", "Ctrl+S", window.save),
        Command("Save as…", "Ctrl+Shift+S", window.save_as),
        Command("Open…", "Ctrl+O", window.open),
        Command("New project", "Ctrl+N", window.new),
        Command("Open the demo project", "", window.open_demo),
        Command("Export parts…", "Ctrl+E", exporting.parts),
        Command("Export the test piece…", "Ctrl+Shift+E", lambda: exporting.parts(test_piece=True)),
        Command("Save a picture of this view…", "Ctrl+Shift+P", exporting.picture),
        Command("Save the force plot…", "", exporting.plot),
        Command("Put the pauses into sliced G-code…", "", lambda: window.pausing.begin()),
        Command("Predict parts from files…", "Ctrl+P", window.predict_loose),
        Command("Add a part from a file…", "", window.reading.part),
        Command("Put the parts from files away", "", window.bed.close_loose),
        Command("Compare ways up", "Ctrl+U", window.compare_poses),
        Command("Undo", "Ctrl+Z", session.undo),
        Command("Redo", "Ctrl+Shift+Z", session.redo),
        Command("Judge by my printer", "", lambda: session.set_policy(Policy.MINE)),
        Command("Judge by anyone's printer", "", lambda: session.set_policy(Policy.ANYONE)),
        *[Command(f"Export a ladder: {name.replace('-', ' ')}…", "", lambda n=name: window.export_coupon(n))
          for name in plain_coupons()],
        Command("Add a mechanism…", "Ctrl+Shift+N", window.choose_kind),
        Command("Your printers…", "Ctrl+Shift+R", lambda: window.asides.show("printers")),
        Command("Your hardware…", "Ctrl+Shift+H", lambda: window.asides.show("hardware")),
        *kinds,
        Command("Find sizes for the target", "Ctrl+T", window.find_sizes),
        Command("Remove this mechanism", "Ctrl+Delete", session.remove),
        Command("Set the recommended size", "Ctrl+R", window.set_recommended),
        Command("Apply the first remedy", "Ctrl+M", window.apply_first_remedy),
        Command("Copy the figures of this page", "Ctrl+Alt+C", lambda: put("\n".join(figures(window)))),
        Command("Section on or off", "X", lambda: shape.section_button.click()),
        Command("Parts apart or together", "A", lambda: shape.apart_button.click()),
        Command("Sizes on or off", "D", lambda: shape.sizes_button.click()),
        Command("Play the motion or stop", "W", lambda: shape.play_button.click()),
        Command("As printed, or in its motion", "P", lambda: shape.printed_button.click()),
        Command("Look at all of it", "F", lambda: shape.frame_button.click()),
        Command("Virtual caliper: type a reading", "Ctrl+I", window.caliper_reading),
        Command("Shelf whole or as marks", "Ctrl+Shift+F", lambda: window.folding.turn("shelf")),
        Command("Sheet beside or as a drawer", "Ctrl+Shift+D", lambda: window.folding.turn("sheet")),
        Command("Light or dark", "Ctrl+L", window.toggle_theme),
        Command("Find a command", "Ctrl+K", lambda: window.palette_panel.open()),
        Command("Keys", "F1", lambda: window.asides.show("keys")),
    ]
    return [replace(command, words=TRADE_WORDS.get(command.title, "")) for command in found]
