"""The part commands: bodies of the user's in a project, what they offer to sit on, and mechanisms on their faces."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from bouncy_latch.cli.shared import SetOption, figure, mechanism_of, say, sits_at, values_of
from bouncy_latch.core.errors import ParamError, shortly

if TYPE_CHECKING:
    from bouncy_latch.core.process.profile import Process
    from bouncy_latch.core.project.document import Mechanism, Project
    from bouncy_latch.core.project.store import Latch

part_app = typer.Typer(no_args_is_help=True, help="Parts of a project: bodies from files or built in, that mechanisms sit on.")
FileArgument = Annotated[Path, typer.Argument(metavar="PROJECT")]
PartArgument = Annotated[str, typer.Argument(metavar="PART", help="Its id or name.")]
UnitOption = Annotated[str, typer.Option("--unit", help="Of a mesh file: mm, cm, m or inch.")]


def _believed(project: Project) -> Process:
    from bouncy_latch.cli.shared import store
    from bouncy_latch.core.process import population
    from bouncy_latch.core.project.known import Known

    return population.effective(Known(store()).of(project).believed, project.policy)


def _save(file: Path, latch: Latch, project: Project) -> None:
    from bouncy_latch.core.project import store

    store.save(file, replace(latch, project=project), latch.stamp)


@part_app.command("add")
def part_add(file: FileArgument,
             body: Annotated[str, typer.Argument(metavar="FILE|SHAPE", help="An STL, 3MF, OBJ, PLY or STEP file; or block, "
                                                                            "plate, box, tube, ball, wedge, cup.")],
             name: Annotated[str, typer.Option("--name", help="What it is called.")] = "", unit: UnitOption = "mm",
             set_: SetOption = None) -> None:
    """Add a part: every body of a file, or a built-in shape. A project that is not there yet is begun."""
    from bouncy_latch.core.mechanisms import registry
    from bouncy_latch.core.project import document, part_files, store

    latch = store.load(file) if file.exists() else store.Latch(document.empty_project(file.stem), {})
    project = latch.project
    names, ids = {each.name for each in project.mechanisms}, {each.id for each in project.mechanisms}
    if name in names:
        raise ParamError(f"{project.name} has '{shortly(name)}' already; give this part another --name", field="name",
                         value=name)
    kind_id = registry.part_ids()[0]
    parts: tuple[Mechanism, ...]
    notes: tuple[str, ...] = ()
    shapes = registry.kind(kind_id).params.facts()["shape"].choices
    if body in shapes and body != part_files.OF_FILE:
        parts = (document.new_mechanism(kind_id, name or document.free_name(body.capitalize(), names), ids, shape=body,
                                        **values_of(set_)),)
    elif Path(body).suffix.lower() in part_files.SUFFIXES:
        found = part_files.read(Path(body), unit)
        parts, notes = part_files.made(found, name, names, ids), found.notes
    else:
        known = ", ".join(each for each in shapes if each != part_files.OF_FILE)
        raise ParamError(f"'{shortly(body)}' is neither a file of a part ({', '.join(part_files.SUFFIXES)}) nor a built-in "
                         f"shape ({known})", field="body", value=body)
    for part in parts:
        _solved(project, part)
        project = project.with_mechanism(part)
    _save(file, latch, project)
    say({"parts": [_told(project, part) for part in parts], "notes": list(notes),
         "next": f"part show {file} {parts[0].id}"})


@part_app.command("list")
def part_list(file: FileArgument) -> None:
    """List a project's parts and what sits on each."""
    from bouncy_latch.core.mechanisms import registry
    from bouncy_latch.core.project import store

    project = store.load(file).project
    say({"parts": [_told(project, each) for each in project.mechanisms if registry.kind(each.kind).is_part]})


@part_app.command("show")
def part_show(file: FileArgument, part: PartArgument) -> None:
    """Show what a part offers to sit on: its faces, edges and holes by name, in its own coordinates, mm."""
    from bouncy_latch.core.project import on_faces, splitting, store

    project = store.load(file).project
    found, judged = mechanism_of(project, part), _believed(project)
    cuts = splitting.least_cuts(on_faces.part_body(found, judged), judged.bed)
    larger = {"larger_than_the_bed": {"split_at": list(cuts)}} if cuts else {}
    say({**_told(project, found), **larger, **on_faces.told(on_faces.part_body(found, judged)), "unit": "mm",
         "place": f"place {file} nut-pocket --on {found.id} --seat face:top --at 15,20, distances from the face's left and "
                  "lower edge seen from outside"})


@part_app.command("replace")
def part_replace(file: FileArgument, part: PartArgument,
                 body: Annotated[Path, typer.Argument(metavar="FILE", help="The new file; it holds one body.")],
                 unit: UnitOption = "mm") -> None:
    """Put another file in place of a part's; what sits on it follows the faces it was placed on."""
    from bouncy_latch.core.project import part_files, seating, store

    latch = store.load(file)
    project = latch.project
    old = mechanism_of(project, part)
    found = part_files.read(body, unit)
    project, moved = seating.with_file(project, old, found, body.name, _believed(project))
    _save(file, latch, project)
    say({"part": _told(project, mechanism_of(project, old.id)), "notes": list(found.notes), "moved": list(moved)})


def _told(project: Project, part: Mechanism) -> dict[str, Any]:
    from bouncy_latch.core.solids import mesh

    body = _solved(project, part)
    box = mesh.evaluate(body.base).bounding_box()
    return {"id": part.id, "name": part.name, "shape": part.params.get("shape"),
            "from": [figure(v) for v in box[:3]], "to": [figure(v) for v in box[3:]],
            "carries": [other.id for other in project.mechanisms for each in other.sits if each.on == part.id]}


def _solved(project: Project, part: Mechanism) -> Any:
    from bouncy_latch.core.process import population
    from bouncy_latch.core.project import on_faces

    return on_faces.part_body(part, population.effective(project.process, project.policy))


def placed_on(path: Path, what: str, on: list[str], seats: list[str], at: list[str], turn: float, pattern: str, name: str,
              pairs: list[str] | None) -> dict[str, Any]:
    """Place sides of a mechanism (id or name of one, or a kind of which one is added) on seats of parts, save the project, and
    return where they sit and how they get on; raises UserError, and then nothing has changed.

    ``on``: parts, as ``PART`` or ``SIDE=PART``; ``seats`` and ``at`` go with them in their order.
    """
    from bouncy_latch.cli.report import verdict
    from bouncy_latch.core import assembly
    from bouncy_latch.core.mechanisms import registry
    from bouncy_latch.core.project import document, seating, store
    from bouncy_latch.core.project.bench import designed

    latch = store.load(path)
    project = latch.project
    if not any(what in {each.id, each.name} for each in project.mechanisms):
        kind = registry.kind(what)
        names = {each.name for each in project.mechanisms}
        project = project.with_mechanism(document.new_mechanism(
            what, name or document.free_name(kind.title, names), {each.id for each in project.mechanisms}, **values_of(pairs)))
        assert project.selected is not None
        what = project.selected
    elif pairs:
        chosen = mechanism_of(project, what)
        project = project.with_mechanism(chosen.model_copy(update={"params": chosen.parsed().changed(**values_of(pairs))
                                                                  .model_dump()}))
    mechanism, believed, said = mechanism_of(project, what), _believed(project), []
    for number, target in enumerate(on):
        side, host = _side(mechanism, target, number)
        part = mechanism_of(project, host)
        seated = document.Seated(seat=seats[min(number, len(seats) - 1)], at=_pair(at[number]) if number < len(at) else None,
                                 turn=turn, pattern=pattern)
        mechanism, note = seating.on_part(project, mechanism, designed(project, mechanism, believed), side, part.id, seated)
        said += [note] if note else []
        project = project.with_mechanism(mechanism)
    _save(path, latch, project)
    found: dict[str, Any] = {"mechanism": mechanism.id, "name": mechanism.name, "params": mechanism.params, "sized": said,
                             "sits": [sits_at(each) for each in mechanism.sits], "parts": []}
    own = designed(project, mechanism, believed)
    # A joint that is printed in place makes its parts; everything else is made with the part it sits on.
    hosts = [mechanism.id] if own.solve().joints else [each.on for each in mechanism.sits]
    for host_id in dict.fromkeys(hosts):
        part = mechanism_of(project, host_id)
        design = designed(project, part, believed)
        solution = design.solve()
        checks = [check for check in (*solution.checks, *assembly.neighbours(solution, design.guests))
                  if not check.id.startswith(f"{mechanism.name}: ")]
        found["parts"].append({"id": part.id, "name": part.name, "works": figure(solution.aim.chance),
                               "checks": [verdict(check) for check in checks]})
    return found


def split_at(path: Path, what: str, plane: str, kind_id: str, pattern: str, pairs: list[str] | None) -> dict[str, Any]:
    """Split a part of a project at a plane, save the project, and return both halves; raises UserError, and then nothing has
    changed."""
    from bouncy_latch.cli.report import verdict
    from bouncy_latch.core import assembly
    from bouncy_latch.core.checks import OK
    from bouncy_latch.core.project import splitting, store
    from bouncy_latch.core.project.bench import designed

    latch = store.load(path)
    project = latch.project
    axis, at = splitting.plane(plane)
    judged = _believed(project)
    made = splitting.split(project, mechanism_of(project, what), judged, axis, at, kind_id, values_of(pairs), pattern)
    _save(path, latch, made.project)
    failing = []
    for half_id in made.halves:
        half = mechanism_of(made.project, half_id)
        design = designed(made.project, half, judged)
        if design.guests:
            failing += [{"part": half.name, **verdict(check)} for check in assembly.neighbours(design.solve(), design.guests)
                        if check.verdict != OK]
    return {"section": {"value": figure(made.area), "unit": "mm²"}, "halves": splitting.told(made.project, made, judged),
            "joined_by": next((each.id for each in made.project.mechanisms
                               if {sitting.on for sitting in each.sits} == set(made.halves)), None),
            "said": list(made.said), "checks": failing}


def _side(mechanism: Mechanism, target: str, number: int) -> tuple[str, str]:
    """Return which side a target names and its part: ``SIDE=PART``, ``A=PART`` for the first side, or the next side."""
    from bouncy_latch.core.mechanisms import registry

    sides = list(registry.kind(mechanism.kind).sides)
    side, equals, host = target.partition("=")
    if not equals:
        if number >= len(sides):
            raise ParamError(f"{mechanism.name} has no further side; it has {', '.join(sides)}", field="on", value=target)
        return sides[number], target
    place = "ABCDEFGH".find(side) if len(side) == 1 else -1
    return (sides[place] if 0 <= place < len(sides) and side not in sides else side), host


def _pair(text: str) -> tuple[float, float] | None:
    from bouncy_latch.core import typed

    if not text:
        return None
    try:
        x, y = (typed.number(each, "mm") for each in text.split(","))
    except ValueError:
        raise ParamError(f"'{shortly(text)}' is not u,v: two distances on the face, mm", field="at", value=text) from None
    return x, y
