"""The gcode commands: where a project's prints stop for a hand, the pauses put into sliced files, and a look at them."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from bouncy_latch.cli.shared import designs_of, figure, say
from bouncy_latch.core.errors import ParamError, shortly
from bouncy_latch.core.process.printers import STOPS, bed_of

gcode_app = typer.Typer(no_args_is_help=True, help="Pauses in sliced files.")

InArgument = Annotated[Path, typer.Argument(metavar="IN")]
StopOption = Annotated[str, typer.Option("--stop", help=f"What stops it: {', '.join(STOPS)}, or a file of your own lines.")]
BedOption = Annotated[str, typer.Option("--bed", help="Width x depth x height, mm: the nozzle waits inside of it.")]
RetractOption = Annotated[float, typer.Option("--retract", help="Filament pulled back while it waits, mm.")]
PurgeOption = Annotated[float, typer.Option("--purge", help="Filament pressed out and wiped off before it goes on, mm.")]
ExtruderOption = Annotated[str, typer.Option("--extruder", help="What G90 and G91 mean for the extruder on your machine: "
                                                                "'follows' them, or has its 'own' mode by M82 and M83.")]
EDGE, MOST_LINES = 5.0, 40
"""How far from the bed's edge the nozzle waits, mm, and lines of the user's own there may be."""


def _stop_lines(stop: str) -> tuple[str, ...]:
    if stop.upper() in STOPS:
        return (stop.upper(),)
    path = Path(stop)
    if not path.is_file():
        raise ParamError(f"'{shortly(stop)}' is none of {', '.join(STOPS)}, nor a file of lines", field="stop", value=stop)
    lines = tuple(line.strip() for line in path.read_text("utf-8", "replace").splitlines() if line.strip())
    if not 1 <= len(lines) <= MOST_LINES:
        raise ParamError(f"{path.name} has {len(lines)} lines; what stops a machine takes 1 to {MOST_LINES}", field="stop",
                         value=len(lines))
    return lines


def _extruder(said: str) -> str:
    from bouncy_latch.core.formats.gcode import EXTRUDERS

    if said not in {"", *EXTRUDERS}:
        raise ParamError(f"--extruder must be {' or '.join(EXTRUDERS)}, not '{shortly(said)}'", field="extruder", value=said)
    return said


def _manner(stop: str, bed: str, retract: float, purge: float, extruder: str) -> Any:
    from bouncy_latch.core.formats.gcode import Manner

    for name, value in (("retract", retract), ("purge", purge)):
        if not 0 <= value <= 200:
            raise ParamError(f"{name} must be 0 to 200 mm, not {value:g}", field=name, value=value)
    height = bed_of(bed)[2] if bed else None
    return Manner(_stop_lines(stop), retract, (EDGE, EDGE), height, purge, _extruder(extruder))


@gcode_app.callback()
def _gcode() -> None:
    """Keeps its commands subcommands."""


@gcode_app.command("pause")
def gcode_pause(source: InArgument, target: Annotated[Path, typer.Argument(metavar="OUT")],
                at: Annotated[list[float], typer.Option("--at", help="Height in mm; may be repeated.")],
                stop: StopOption = STOPS[0], bed: BedOption = "", retract: RetractOption = 1.0, purge: PurgeOption = 0.0,
                extruder: ExtruderOption = "",
                dry: Annotated[bool, typer.Option("--dry", help="Only say what would be added, and write nothing.")] = False
                ) -> None:
    """Put pauses into G-code, each before the first layer that reaches its height; those of an earlier run are replaced."""
    from bouncy_latch.core.formats import gcode

    manner = _manner(stop, bed, retract, purge, extruder)
    if dry:
        pauses, added = gcode.planned(source, at, manner)
        say({"pauses": [_told(p) for p in pauses], "added": added})
        return
    pauses = gcode.pause_file(source, target, at, manner=manner)
    say({"file": str(target), "pauses": [_told(p) for p in pauses]})


def _told(pause: Any) -> dict[str, Any]:
    return {"asked": pause.asked, "layer": figure(pause.layer), "line": pause.line}


@gcode_app.command("plan")
def gcode_plan(project: Annotated[Path, typer.Argument(metavar="PROJECT")], source: InArgument,
               card: Annotated[Path | None, typer.Option("--card", help="Also write a card to print, as SVG.")] = None,
               only: Annotated[str, typer.Option("--mechanism", help="The one that was sliced, by its name.")] = "",
               extruder: ExtruderOption = "") -> None:
    """Say where a sliced file must stop for what a project's mechanisms are given while they print, and for its own stops."""
    from bouncy_latch.core import files
    from bouncy_latch.core.formats import cards, gcode
    from bouncy_latch.core.judge.prints import pauses as waits
    from bouncy_latch.core.project import delivery

    items = [(item, design, design.solve()) for item, design in designs_of(project, None) if only in {"", item.name}]
    wanted = [(item, design, solution, waits.pauses(solution, design.setup, item.stops)) for item, design, solution in items]
    if not items:
        raise ParamError(f"{project.name} has no mechanism '{shortly(only)}'", field="mechanism", value=only)
    if not any(found for *_, found in wanted):
        raise ParamError(f"nothing in {project.name} is put in while it prints", field="project", value=str(project))
    tops = gcode.layer_tops(source)
    placed = [(item, design, solution, waits.placed(found, tops)) for item, design, solution, found in wanted]
    every = sorted(((each, item.name) for item, *_, found in placed for each in found), key=lambda pair: pair[0].open_top)
    heights = sorted({each.at for each, _ in every})
    pauses, added = gcode.planned(source, heights, gcode.Manner(extruder=_extruder(extruder)))
    layers = {pause.asked: pause for pause in pauses}
    if card is not None:
        tasks = [task for item, design, solution, found in placed
                 for task in waits.tasks(found, item.name, delivery.on_the_bed(solution, design.setup))]
        files.write(card, cards.to_svg(f"{project.stem}: {source.name}", tasks, waits.CAUTIONS).encode())
    say({
        "pauses": [{"at": each.at, "z": figure(each.pause.z), "mechanism": name, "insert": each.pause.insert,
                    "note": each.pause.note, "open_top": figure(each.open_top),
                    "clear": None if each.clear is None else figure(each.clear),
                    **({"trouble": each.trouble} if each.trouble else {}),
                    "layer": figure(layers[each.at].layer), "line": layers[each.at].line} for each, name in every],
        "stops": len({pause.layer for pause in pauses}), "added": added,
        "command": " ".join(["gcode pause", source.name, f"{source.stem}-paused{source.suffix}",
                             *(f"--at {height:g}" for height in heights), *([f"--extruder {extruder}"] if extruder else [])]),
        "cautions": list(waits.CAUTIONS), **({"card": str(card)} if card else {}),
    })


@gcode_app.command("check")
def gcode_check(path: Annotated[Path, typer.Argument(metavar="OUT")],
                against: Annotated[Path | None, typer.Option("--against", help="The file without its pauses.")] = None,
                extruder: ExtruderOption = "") -> None:
    """Run a paused file as a controller would: what each pause does, and whether everything is as before after it."""
    from bouncy_latch.core.formats import gcode_check as checks

    found = checks.check_file(path, against, extruder=_extruder(extruder))
    say({
        "pauses": [{"line": stop.line, "height": figure(stop.height), "lift": figure(stop.lift), "retract": figure(stop.back),
                    "aside": None if stop.aside is None else [figure(v) for v in stop.aside], "restored": stop.restored,
                    "command": stop.command, "purged": figure(stop.purged), "depends_on_firmware": stop.unclear}
                   for stop in found.stops],
        "lines": found.lines, "top": figure(found.top),
        **({} if found.same_as_before is None else {"same_as_before": found.same_as_before}),
        "sound": all(stop.restored and bool(stop.command) for stop in found.stops) and found.same_as_before is not False,
    })
