"""Exporting a mechanism: every body in print pose, as separate STL files, one 3MF and one STEP, or nothing at all."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from bouncy_latch.core import files
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.fields import Params
from bouncy_latch.core.formats import courses, meshes, step
from bouncy_latch.core.judge.prints.pauses import pauses
from bouncy_latch.core.layers.poses import laid_down
from bouncy_latch.core.layers.setup import DESIGNED, PrintSetup, Stop, solids
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind, Pause, Solution
from bouncy_latch.core.parts.body import BOUGHT, tools
from bouncy_latch.core.progress import Progress, share, told, unwatched
from bouncy_latch.core.solids import brep, mesh, tree
from bouncy_latch.core.solids import contents as contents_of

FORMATS = ("3mf", "stl", "step", "csv", "plot")
DEFAULT_FORMATS = ("3mf", "stl", "step")


def file_stem(name: str) -> str:
    """Return a plain file name for what the user calls a thing."""
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower() or "part"


def test_piece(kind: Kind, params: Params) -> Params:
    """Return the parameters of the same mechanism on minimal hosts."""
    return kind.piece_of(params)


def on_the_bed(solution: Solution, setup: PrintSetup) -> dict[str, tree.Solid]:
    """Return the bodies of a solution as they are set up to print, sacrificial shelves among them."""
    if setup.turn is None:
        return {**solution.bodies, **solids(setup.shelves)}
    _, matrix = laid_down({name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}, setup.turn)
    return {**{name: tree.Placed(solid, matrix) for name, solid in solution.bodies.items()}, **solids(setup.shelves)}


def export(solution: Solution, name: str, folder: Path, formats: tuple[str, ...] = DEFAULT_FORMATS,
           setup: PrintSetup = DESIGNED, progress: Progress = unwatched, stops: Sequence[Stop] = (),
           without: Collection[str] = (), called: Mapping[str, str] | None = None) -> list[Path]:
    """Write the bodies of ``solution``, as ``setup`` lays them, to ``folder`` (made if needed) and return the files.

    STL: ``NAME-A.stl``, ``NAME-B.stl`` …; 3MF and STEP hold one named object a body; CSV lists the dimensions; plot
    is what every motion costs along its way, as a table and a picture (:func:`plots`). Where walls and infill decide how a
    part bends, they are in the 3MF's description and in ``NAME-print-notes.txt``. ``without``: bodies that are made elsewhere;
    ``called``: what bodies that are parts of the user's are called.

    Raises:
        ParamError: for an unknown format, or where no body is left.
        SaveError: when not all files could be written; it says which were, none as a rule.
        Cancelled: when ``progress`` (told the part done) returned False; then none is.
    """
    unknown = [f for f in formats if f not in FORMATS]
    if unknown or not formats:
        raise ParamError(f"there is no export format '{', '.join(unknown)}'; known are {', '.join(FORMATS)}",
                         field="format")
    bodies = {body: solid for body, solid in on_the_bed(solution, setup).items() if body not in without}
    if not bodies:
        raise ParamError(f"no part of {name} is made on its own: export what it is built into", field="what", value=name)
    # A part is called as its user calls it; bodies of a mechanism by their letters.
    whole = registry.kind(solution.kind).is_part and len(bodies) == 1
    names = {body: name if whole else (called or {}).get(body, f"{name}-{body}") for body in bodies}
    manifolds = {}
    for number, (body, solid) in enumerate(bodies.items()):
        told(progress, 0.2 * number / len(bodies))
        manifolds[body] = mesh.evaluate(solid)
    contents: dict[Path, bytes] = {}
    if "stl" in formats:
        for body, manifold in manifolds.items():
            contents[folder / f"{names[body]}.stl"] = meshes.to_stl(manifold, names[body])
    if "3mf" in formats:
        marked = solution.shape.solid if setup.turn is None else ()
        regions = {f"{name}-{where}": mesh.evaluate(region) for where, region in marked}
        told_there = [(region, "not printed; load it as a modifier with 100 % infill") for region in regions]
        named = {names[body]: manifold for body, manifold in manifolds.items()}
        contents[folder / f"{name}.3mf"] = meshes.to_3mf(named, name, (*solution.notes, *told_there), regions)
    fine = exact_only_tools(solution) if "step" in formats else ""
    if fine:
        for tool, solid in part_tools(solution, name).items():
            contents[folder / f"{tool}.step"] = step.to_step({tool: solid}, tool)
    elif "step" in formats:
        contents[folder / f"{name}.step"] = step.to_step({names[body]: solid for body, solid in bodies.items()}, name,
                                                         share(progress, 0.2, 0.9))
    if "csv" in formats:
        contents[folder / f"{name}.csv"] = dimensions(solution).encode()
    if formats == ("plot",) or ("plot" in formats and any(motion.course for motion in solution.motions)):
        contents |= {folder / called: text.encode() for called, text in plots(solution, name).items()}
    waits = pauses(solution, setup, stops)
    if solution.notes or solution.bought or waits or solution.shape.solid or fine:
        contents[folder / f"{name}-print-notes.txt"] = print_notes(solution, name, waits, fine).encode()
    told(progress, 0.95)
    files.folder(folder)
    files.write_all(contents)
    return list(contents)


def exact_only_tools(solution: Solution) -> str:
    """Return why a part goes out as STEP by its tool bodies alone, a sentence; empty where the part itself can."""
    name = getattr(solution.params, "file", "")
    if not str(name).startswith(contents_of.FOLDER):
        return ""
    given = contents_of.body(name)
    count = len(tree.triangles_of(given.data)[1])
    if contents_of.exact_of(given) is not None or count <= brep.MOST_FACETS:
        return ""
    return (f"The part came as {count} triangles, too many for exact faces ({brep.MOST_FACETS} at most): what the mechanisms "
            "add and cut is written as STEP instead, in the part's own coordinates.")


def part_tools(solution: Solution, name: str) -> dict[str, tree.Solid]:
    """Return what every mechanism adds to a part and cuts from it, where the part was drawn, by file name."""
    return {f"{name}-{file_stem(feature.side)}-{what}": solid for feature in solution.shape.features
            for what, solid in tools([feature], feature.body).items()}


TOOL_FORMATS = ("stl", "step")


def export_tools(solution: Solution, name: str, folder: Path, formats: Collection[str] = TOOL_FORMATS,
                 without: Collection[str] = ()) -> list[Path]:
    """Write what a mechanism adds to and cuts from each of its bodies as solids of their own, for any modelling program.

    ``NAME-BODY-add`` is joined to a part and ``NAME-BODY-cut`` then taken away from it: a pocket, a hole, a socket or a hook
    in a part of the user's own. They lie as the mechanism is designed, one place to another; those of a part
    (``NAME-MECHANISM-add``) where it was drawn. ``without``: sides that sit on another part, which writes them.

    Raises:
        ParamError: for an unknown format, or a mechanism whose bodies are made whole. SaveError: as :func:`export`.
    """
    unknown = [f for f in formats if f not in TOOL_FORMATS]
    if unknown or not formats:
        raise ParamError(f"tools are written as {' and '.join(TOOL_FORMATS)}, not as '{', '.join(unknown)}'", field="format")
    if registry.kind(solution.kind).is_part:
        solids = part_tools(solution, name)
    else:
        own = [feature for feature in solution.shape.features if feature.side not in without]
        solids = {f"{name}-{body.name}-{what}": solid.placed(body.at) for body in solution.shape.bodies if body.role != BOUGHT
                  for what, solid in tools(own, body.name).items()}
    if not solids:
        raise ParamError(f"{name} adds nothing to another part and cuts nothing from one", field="what", value=name)
    contents: dict[Path, bytes] = {}
    for called, solid in solids.items():
        if "stl" in formats:
            contents[folder / f"{called}.stl"] = meshes.to_stl(mesh.evaluate(solid), called)
        if "step" in formats:
            contents[folder / f"{called}.step"] = step.to_step({called: solid}, called)
    files.folder(folder)
    files.write_all(contents)
    return list(contents)


def plots(solution: Solution, name: str) -> dict[str, str]:
    """Return tables and pictures of what the motions cost along their way, by file name: ``NAME-MOTION.csv``, ``….svg``.

    Raises:
        ParamError: when no motion says what it costs.
    """
    found = {}
    for motion in solution.motions:
        if motion.course is not None:
            stem = f"{name}-{file_stem(motion.label)}"
            found[f"{stem}.csv"] = courses.to_csv(motion.course)
            found[f"{stem}.svg"] = courses.to_svg(motion.course, title=f"{name}: {motion.label.lower()}")
    if not found:
        raise ParamError(f"{name} has no force along its way to plot", field="format")
    return found


def write(folder: Path, texts: dict[str, str]) -> None:
    """Write texts to files of a folder, made if needed; all of them, or none as a rule.

    Raises:
        SaveError: when not all could be written.
    """
    files.folder(folder)
    files.write_all({folder / name: text.encode() for name, text in texts.items()})


def print_notes(solution: Solution, name: str, waits: Sequence[Pause], more: str = "") -> str:
    """Return what the slicer and the hand must be told, as text: settings that act as dimensions, what goes in, and when;
    ``more``: a sentence at the end."""
    lines = []
    if solution.notes:
        wide = max(len(label) for label, _ in solution.notes)
        lines = [f"{name}: these settings are dimensions of the design; with others it bends otherwise.", ""]
        lines += [f"{label.ljust(wide)}  {value}" for label, value in solution.notes] + [""]
    for where, _ in solution.shape.solid:
        lines += [f"{name}-{where} in the 3MF is not printed: in the slicer load this object as a modifier of the part it lies "
                  "in and set 100 % infill there, so that the nut bears on solid plastic.", ""]
    for item in solution.bought:
        lines.append(f"{item.count} × {item.name}{': ' + item.note if item.note else ''}")
    for pause in waits:
        lines.append(f"Pause once {pause.z:.2f} mm are printed, {pause.insert}{': ' + pause.note if pause.note else ''}")
    return "\n".join([*lines, "", solution.summary, *([more] if more else []), ""]).lstrip("\n")


def dimensions(solution: Solution) -> str:
    """Return every given, chosen and derived number as CSV with unit and where it comes from."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(["name", "label", "value", "unit", "role", "source"])
    for name, facts in solution.params.active().items():
        value = getattr(solution.params, name)
        if value is not None:
            writer.writerow([name, facts.label, value, facts.unit, facts.role, facts.source])
    for derived in solution.derived:
        writer.writerow([derived.name, derived.label, round(derived.value, 4), derived.unit, "worked out",
                         f"{derived.formula}; {derived.source}"])
    return text.getvalue()
