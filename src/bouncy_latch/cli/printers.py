"""The printers commands: the user's own printers, spools and settings, shared by all projects."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from bouncy_latch.cli.shared import own_printers, say
from bouncy_latch.core.process import printers
from bouncy_latch.core.process.printers import Printer, Printers
from bouncy_latch.core.project import own_printers as kept

printers_app = typer.Typer(no_args_is_help=True, help="Your own printers and spools, shared by all projects.")

NozzleOption = Annotated[float | None, typer.Option("--nozzle", help="Its diameter, mm.")]
BedOption = Annotated[str, typer.Option("--bed", help="Width x depth x height, mm, such as 220x220x250.")]
StopOption = Annotated[str, typer.Option("--stop", help=f"Command that stops it for the hand: {', '.join(printers.STOPS)}.")]
LayerOption = Annotated[float | None, typer.Option("--layer", help="Layer height, mm.")]
FirstOption = Annotated[float | None, typer.Option("--first-layer", help="Height of the first layer, mm.")]
LineOption = Annotated[float | None, typer.Option("--line", help="Line width, mm.")]
LoopsOption = Annotated[int | None, typer.Option("--wall-lines", help="Lines of a wall.")]
InfillOption = Annotated[float | None, typer.Option("--infill", help="Per cent.")]


def _keep(change: Callable[[Printers], Printers]) -> None:
    from bouncy_latch.core.project.folders import data_folder

    kept.update(data_folder(), change)


def _told(printer: Printer) -> dict[str, Any]:
    return {**printer.model_dump(mode="json"), "processes": [f"{printer.name}/{spool.title}" for spool in printer.spools]}


def _values(nozzle: float | None, bed: str, stop: str, layer: float | None, first: float | None, line: float | None,
            loops: int | None, infill: float | None) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return what was said of a printer and of its settings."""
    own = {"nozzle": nozzle, "bed": printers.bed_of(bed) if bed else None, "stop": stop or None}
    settings = {"layer_height": layer, "first_layer_height": first, "line_width": line, "loops": loops, "infill": infill}
    said = ({name: value for name, value in part.items() if value is not None} for part in (own, settings))
    return next(said), next(said)


@printers_app.command("list")
def printers_list() -> None:
    """List your printers with their spools and settings."""
    say({"printers": [_told(each) for each in own_printers().printers]})


@printers_app.command("add")
def printers_add(name: str, nozzle: NozzleOption = None, bed: BedOption = "", stop: StopOption = "", layer: LayerOption = None,
                 first_layer: FirstOption = None, line: LineOption = None, wall_lines: LoopsOption = None,
                 infill: InfillOption = None) -> None:
    """Add a printer."""
    own, settings = _values(nozzle, bed, stop, layer, first_layer, line, wall_lines, infill)
    made = printers.made(name=name, settings=settings, **own)
    _keep(lambda known: known.added(made))
    say({**_told(made), "next": f"add a spool: printers spool '{made.name}' --material PLA --colour red"})


@printers_app.command("change")
def printers_change(name: str, rename: Annotated[str, typer.Option("--rename", help="Its new name.")] = "",
                    nozzle: NozzleOption = None, bed: BedOption = "", stop: StopOption = "", layer: LayerOption = None,
                    first_layer: FirstOption = None, line: LineOption = None, wall_lines: LoopsOption = None,
                    infill: InfillOption = None) -> None:
    """Change a printer: what is not named stays."""
    own, settings = _values(nozzle, bed, stop, layer, first_layer, line, wall_lines, infill)

    def changed(known: Printers) -> Printers:
        before = known.named(name)
        whole = before.model_dump()
        return known.changed(name, printers.made(**{**whole, **own, "name": rename or before.name,
                                                    "settings": {**whole["settings"], **settings}}))

    _keep(changed)
    say(_told(own_printers().named(rename or name)))


@printers_app.command("spool")
def printers_spool(name: str, material: Annotated[str, typer.Option("--material", help="One of `materials`.")],
                   colour: Annotated[str, typer.Option("--colour")] = "natural",
                   note: Annotated[str, typer.Option("--note")] = "",
                   remove: Annotated[bool, typer.Option("--remove", help="Take this spool away instead.")] = False) -> None:
    """Add a spool to a printer, or take one away."""
    def changed(known: Printers) -> Printers:
        before = known.named(name)
        if not remove:
            return known.changed(name, printers.with_spool(before, material=material, colour=colour, note=note))
        spools = tuple(each for each in before.spools if each.title.casefold() != f"{material} {colour}".casefold())
        if len(spools) == len(before.spools):
            known.process_named(f"{name}/{material} {colour}")
        return known.changed(name, before.model_copy(update={"spools": spools}))

    _keep(changed)
    now = own_printers().named(name)
    ladder = {} if not now.spools else {
        "next": f"print what tells most of it: ladder first --process '{now.name}/{now.spools[-1].title}' --out FOLDER"}
    say({**_told(now), **ladder})


@printers_app.command("duplicate")
def printers_duplicate(name: str) -> None:
    """Add a copy of a printer under a name of its own."""
    made = list[Printer]()

    def changed(known: Printers) -> Printers:
        both, copied = known.duplicated(name)
        made.append(copied)
        return both

    _keep(changed)
    say(_told(made[-1]))


@printers_app.command("remove")
def printers_remove(name: str) -> None:
    """Remove a printer; projects that print on it keep their own copy, and evidence stays."""
    gone = own_printers().named(name)
    _keep(lambda known: known.removed(name))
    say({"removed": gone.name})


@printers_app.command("export")
def printers_export(file: Path) -> None:
    """Write all your printers to a JSON file."""
    known = own_printers()
    kept.write(file, known)
    say({"file": str(file), "printers": [each.name for each in known.printers]})


@printers_app.command("import")
def printers_import(file: Path) -> None:
    """Add the printers of a JSON file; all of them, or none where a name is taken."""
    new = kept.read(file)
    _keep(lambda known: known.joined(new))
    say({"imported": [each.name for each in new.printers]})
