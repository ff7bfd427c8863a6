"""The hardware commands: the user's own drawer of nuts, as calipers read them, shared by all projects."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from bouncy_latch.cli.shared import own_hardware, say

if TYPE_CHECKING:
    from bouncy_latch.core.standards.drawer import Drawer, Piece

hardware_app = typer.Typer(no_args_is_help=True, help="Your own drawer of nuts; `--set hardware=NAME` puts one in.")

DiameterOption = Annotated[float, typer.Option("--diameter", help="Of its thread, mm: 5 for M5.")]
FlatsOption = Annotated[str, typer.Option("--flats", help="Caliper readings across flats, mm: '7.95 7.98 7.96'.")]
HeightOption = Annotated[str, typer.Option("--height", help="Caliper readings of the height, mm.")]


def _keep(change: Callable[[Drawer], Drawer]) -> None:
    from bouncy_latch.core.project import own_hardware as kept
    from bouncy_latch.core.project.folders import data_folder

    kept.update(data_folder(), change)


def _told(piece: Piece) -> dict[str, Any]:
    return {**piece.model_dump(mode="json"), "differs": piece.differs}


@hardware_app.command("list")
def hardware_list() -> None:
    """List what is in the drawer."""
    say({"hardware": [_told(each) for each in own_hardware().pieces]})


@hardware_app.command("add")
def hardware_add(name: str, diameter: DiameterOption, flats: FlatsOption, height: HeightOption,
                 square: Annotated[bool, typer.Option("--square", help="It has four sides.")] = False,
                 note: Annotated[str, typer.Option("--note")] = "") -> None:
    """Add a nut."""
    from bouncy_latch.core.process import readings
    from bouncy_latch.core.standards import drawer

    piece = drawer.made(name=name, shape="square" if square else "hexagon", diameter=diameter,
                        flats=readings.read(flats).values, height=readings.read(height).values, note=note)
    _keep(lambda known: known.added(piece))
    say(_told(piece))


@hardware_app.command("remove")
def hardware_remove(name: str) -> None:
    """Take a nut out; projects that use it keep its sizes."""
    gone = own_hardware().named(name)
    _keep(lambda known: known.removed(name))
    say({"removed": gone.name})


@hardware_app.command("export")
def hardware_export(file: Path) -> None:
    """Write the drawer to a JSON file."""
    from bouncy_latch.core.project import own_hardware as kept

    known = own_hardware()
    kept.write(file, known)
    say({"file": str(file), "hardware": [each.name for each in known.pieces]})


@hardware_app.command("import")
def hardware_import(file: Path) -> None:
    """Add what a JSON file holds; all of it, or nothing where a name is taken."""
    from bouncy_latch.core.project import own_hardware as kept

    new = kept.read(file)
    _keep(lambda known: known.added(*new.pieces))
    say({"imported": [each.name for each in new.pieces]})
