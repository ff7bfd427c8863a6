"""The project commands: begin a project, add mechanisms, see what it holds and where a side of one could sit on another."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from bouncy_latch.cli.shared import ProcessOption, SetOption, figure, process_named, say, sits_at, values_of
from bouncy_latch.core.errors import ParamError, shortly
from bouncy_latch.core.process import population

if TYPE_CHECKING:
    from bouncy_latch.core.mechanisms.contract import Solution
    from bouncy_latch.core.project.document import Mechanism, Project

project_app = typer.Typer(no_args_is_help=True, help="Project files: begin one, add mechanisms, see what it holds.")
FileArgument = Annotated[Path, typer.Argument(metavar="FILE")]
NameOption = Annotated[str, typer.Option("--name", help="What it is called.")]


@project_app.command("new")
def project_new(file: FileArgument, name: NameOption = "", process: ProcessOption = "") -> None:
    """Begin an empty project; a file that is there already stays."""
    from bouncy_latch.core.project import document, store

    path = store.with_suffix(file)
    if path.exists():
        raise ParamError(f"{path.name} is there already; add to it, or name another file", field="file", value=str(path))
    project = document.empty_project(name or path.stem)
    if process:
        project = project.with_process(process_named(process))
        project = project.model_copy(update={"processes": (project.process,)})
    store.save(path, store.Latch(project, {}))
    say({"file": str(path), "name": project.name, "process": project.process_id,
         "next": f"project add {path} knuckle-hinge --name 'My hinge'"})


@project_app.command("add")
def project_add(file: FileArgument, kind: str, name: NameOption = "", set_: SetOption = None) -> None:
    """Add a mechanism of a kind to a project."""
    from bouncy_latch.core.mechanisms import registry
    from bouncy_latch.core.project import document, store

    latch = store.load(file)
    project = latch.project
    known, values = registry.kind(kind), values_of(set_)
    if "start" in values:
        values = {**known.starting(values.pop("start")), **values}
    names = {each.name for each in project.mechanisms}
    if name in names:
        raise ParamError(f"{project.name} has a mechanism '{shortly(name)}' already; give this one another --name",
                         field="name", value=name)
    made = document.new_mechanism(kind, name or document.free_name(known.title, names), {m.id for m in project.mechanisms},
                                  **values)
    _solved(project, made)
    store.save(file, store.Latch(project.with_mechanism(made), latch.files), latch.stamp)
    say({"mechanism": made.id, "name": made.name, "kind": kind})


@project_app.command("list")
def project_list(file: FileArgument) -> None:
    """List a project's mechanisms."""
    from bouncy_latch.core.project import store

    project = store.load(file).project
    say({"name": project.name, "process": project.process_id, "policy": project.policy,
         "mechanisms": [{"id": each.id, "name": each.name, "kind": each.kind, "prints": len(each.prints),
                         "sits": [sits_at(sitting) for sitting in each.sits]} for each in project.mechanisms]})


@project_app.command("show")
def project_show(file: FileArgument,
                 mechanism: Annotated[str, typer.Argument(help="Its id or name; empty: all.")] = "") -> None:
    """Show mechanisms: sizes, sides, and bodies with the box each fills, in the coordinates that `place --at` takes."""
    from bouncy_latch.core.project import store

    project = store.load(file).project
    found = [each for each in project.mechanisms if mechanism in {"", each.id, each.name}]
    if not found:
        known = ", ".join(each.id for each in project.mechanisms) or "none yet"
        raise ParamError(f"{project.name} has no mechanism '{shortly(mechanism)}'; it has {known}", field="mechanism",
                         value=mechanism)
    say({"mechanisms": [_shown(project, each, file) for each in found]})


def _solved(project: Project, mechanism: Mechanism) -> Solution:
    from bouncy_latch.core.mechanisms import registry

    judged = population.effective(project.process, project.policy)
    return registry.kind(mechanism.kind).solve(mechanism.parsed(), judged)


def _shown(project: Project, mechanism: Mechanism, file: Path) -> dict[str, Any]:
    from bouncy_latch.core.parts.body import PART
    from bouncy_latch.core.solids import mesh

    solution = _solved(project, mechanism)
    made, bodies = solution.bodies, []
    for body in solution.shape.bodies:
        if body.name in made:
            box = mesh.evaluate(made[body.name]).bounding_box()
            bodies.append({"name": body.name, "label": body.label, "takes_others": body.role == PART,
                           "from": [figure(v) for v in box[:3]], "to": [figure(v) for v in box[3:]], "unit": "mm"})
    return {"id": mechanism.id, "name": mechanism.name, "kind": mechanism.kind, "params": mechanism.params,
            "sides": sorted({share.side for share in solution.shape.features if share.side}), "bodies": bodies,
            "sits": [sits_at(sitting) for sitting in mechanism.sits],
            "place": f"place {file} OTHER SIDE --on {mechanism.id}/BODY --at x,y,z, within the boxes above"}
