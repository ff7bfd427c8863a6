"""What the commands of the command line share: options, what is read from them, and what is said."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from pydantic import ValidationError

from bouncy_latch.core import fields, files, plainjson
from bouncy_latch.core.checks import ENDLESS
from bouncy_latch.core.errors import ParamError, ReadError, SolveError, shortly
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Policy, Process

if TYPE_CHECKING:
    from bouncy_latch.core.design import Design
    from bouncy_latch.core.mechanisms.contract import Solution
    from bouncy_latch.core.process.printers import Printers
    from bouncy_latch.core.project.document import Mechanism, Project, Sitting
    from bouncy_latch.core.standards.drawer import Drawer

SetOption = Annotated[list[str] | None, typer.Option("--set", help="A parameter, name=value; may be repeated.")]
ProcessOption = Annotated[str, typer.Option("--process", help="PRINTER/MATERIAL COLOUR of yours, a built-in process id, or a "
                                                              "JSON file of one.")]
PolicyOption = Annotated[str, typer.Option("--policy", help="mine (this printer) or anyone (the population).")]
DEFAULT_PROCESS = population.built_in()[0].id
MOST_TEXT = 20 * 2**20


def say(value: object) -> str:
    """Print a value as JSON on standard output, and return what was printed."""
    text = json.dumps(value, indent=1, ensure_ascii=False) + "\n"
    sys.stdout.write(text)
    return text


def process_named(name: str) -> Process:
    """Return an example process by id, one of the user's own printers, or what a JSON file holds; raises ParamError or
    ReadError."""
    for process in population.built_in():
        if name == process.id:
            return process
    own = own_printers()
    if own.has(name):
        return own.process_named(name)
    path = Path(name)
    if path.suffix == ".json":
        try:
            return Process.model_validate(plainjson.loads(files.read(path, MOST_TEXT), path.name))
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise ReadError(f"{path.name} is not a readable process file ({where}: {shortly(first['msg'])}); "
                            "`process` prints one to start from") from None
        except (TypeError, ValueError, ArithmeticError):
            raise ReadError(f"{path.name} is not a readable process file; `process` prints one to start from") from None
    if "/" in name:
        return own.process_named(name)
    known = ", ".join([*(p.id for p in population.built_in()), *(f"{each.name}/{spool.title}" for each in own.printers
                                                                 for spool in each.spools)])
    raise ParamError(f"there is no process '{shortly(name)}'; known are {known}, or a .json file", field="process", value=name)


def own_printers() -> Printers:
    """Return the user's own printers; raises ReadError."""
    from bouncy_latch.core.project import own_printers as kept
    from bouncy_latch.core.project.folders import data_folder

    return kept.known(data_folder())


def own_hardware() -> Drawer:
    """Return the user's own drawer of hardware; raises ReadError."""
    from bouncy_latch.core.project import own_hardware as kept
    from bouncy_latch.core.project.folders import data_folder

    return kept.known(data_folder())


def own_process(name: str) -> Process:
    """Return the process evidence belongs to; it must be named, or it would go to the printer of the demo."""
    if not name:
        known = ", ".join(p.id for p in population.built_in())
        raise ParamError(f"say which printer this is evidence of: --process FILE.json, or an example printer ({known})",
                         field="process")
    return process_named(name)


def policy_named(name: str) -> Policy:
    """Return a policy by name; raises ParamError."""
    try:
        return Policy(name)
    except ValueError:
        raise ParamError(f"policy must be mine or anyone, not '{shortly(name)}'", field="policy", value=name) from None


def values_of(pairs: list[str] | None) -> dict[str, Any]:
    """Return what ``name=value`` pairs set, as text; raises ParamError."""
    values: dict[str, Any] = {}
    for pair in pairs or []:
        name, equals, value = pair.partition("=")
        if not equals:
            raise ParamError(f"'{pair}' is not name=value", field=name)
        values[name.strip()] = value.strip()
    return values


def request_of(kind_id: str, pairs: list[str] | None, process: str, policy: str) -> Design:
    """Return the request for a kind with its sizes set, on a process as evidence has it; raises UserError."""
    from bouncy_latch.core.design import Design

    kind = registry.kind(kind_id)
    stated = process_named(process)
    # Before anything was learnt there is nothing to be loaded for it.
    believed = known_of(stated).believed if _store_file().exists() else stated
    values = values_of(pairs)
    if "start" in values:
        values = {**kind.starting(values.pop("start")), **values}
    if "hardware" in values:
        values = {**kind.taking(own_hardware().named(values.pop("hardware"))), **values}
    return Design(kind, fields.parse(kind.params, values), believed, policy_named(policy))


def solved(request: Design, fixed: frozenset[str] = frozenset()) -> Solution:
    """Return the solution of a request; a refusal names the nearest design that can be made, ``fixed`` sizes as they are."""
    from bouncy_latch.core.judge.search import nearest

    try:
        return request.solve()
    except SolveError as error:
        sentence = nearest.sentence(request, error, fixed)
        if sentence == error.sentence and fixed:
            sentence = nearest.sentence(request, error)
        raise SolveError(sentence, field=error.field, value=error.value, limit=error.limit) from None


def example_note(process: Process) -> dict[str, str]:
    """Return a note where an answer is for an example printer, which its user's own may print unlike."""
    if process.id not in {each.id for each in population.built_in()}:
        return {}
    return {"note": f"judged for the example printer {process.title}; name yours with --process 'PRINTER/MATERIAL COLOUR' "
                    "(printers add), or ask for --policy anyone"}


def figure(value: float) -> float | None:
    """Return a figure with as many digits as are said; none for what has no end, such as the push into what jams."""
    return round(value, 4) if abs(value) < ENDLESS else None


def known_of(process: Process) -> Any:
    """Return what the store's evidence teaches about a process."""
    from bouncy_latch.core.learn.experience import experience

    return experience(process, store())


def store() -> Any:
    """Return the user's evidence store."""
    from bouncy_latch.core.process.evidence_store import Evidence

    return Evidence(_store_file())


def _store_file() -> Path:
    from bouncy_latch.core.project.folders import data_folder

    return data_folder() / "evidence.sqlite"


def ladder_of(what: str, process: Process, steps: str, params: dict[str, Any] | None = None) -> Any:
    """Return the ladder of a kind, or the first one, with given steps or those that tell most."""
    from bouncy_latch.core.learn.calibration import ladders, telling

    kind = registry.first() if what == "first" else registry.kind(what)
    name = kind.recommend
    if steps:
        values = tuple(float(getattr(fields.parse(kind.params, {name: v}), name)) for v in steps.split(","))
    else:
        known = known_of(process)
        values = telling.telling_steps(kind, known.believed, known.learnt.belief)
    return ladders.first(kind, process, values) if what == "first" else ladders.of_kind(kind, process, values, params)


def placed_in(path: Path, what: str, side: str, on: str, at: str, turn: float | None) -> dict[str, Any]:
    """Build a side of a mechanism (id or name) into a body of another one (``MECHANISM/BODY``; empty: into none), save the
    project, and return where it sits and how the two get on; raises UserError, and then nothing has changed."""
    from bouncy_latch.cli.report import verdict
    from bouncy_latch.core import assembly
    from bouncy_latch.core.project import seating
    from bouncy_latch.core.project import store as project_store
    from bouncy_latch.core.project.bench import designed
    from bouncy_latch.core.project.known import Known

    latch = project_store.load(path)
    project = latch.project
    believed = Known(store()).of(project).believed
    mechanism = mechanism_of(project, what)
    where: dict[str, Any] = {} if turn is None else {"turn": turn}
    if at:
        if len(coordinates := at.split(",")) != 3:
            raise ParamError(f"'{shortly(at)}' is not x,y,z", field="at", value=at)
        where |= dict(zip("xyz", coordinates, strict=True))
    host, _, body = on.rpartition("/")
    target = mechanism_of(project, host) if on else None
    placed = seating.placed(project, mechanism, designed(project, mechanism, believed), side, target.id if target else None,
                            body, where)
    changed = project.with_mechanism(placed)
    project_store.save(path, project_store.Latch(changed, latch.files), latch.stamp)
    found: dict[str, Any] = {"mechanism": placed.id, "sits": [sits_at(each) for each in placed.sits]}
    if target is not None:
        design = designed(changed, target, believed)
        found["checks"] = [verdict(check) for check in assembly.neighbours(design.solve(), design.guests)]
    return found


def sits_at(sitting: Sitting) -> dict[str, Any]:
    """Return where a side sits, by plain values; what it has no more of is left out."""
    return sitting.model_dump(exclude={name for name in ("more", "seat") if not getattr(sitting, name)})


def mechanism_of(project: Project, what: str) -> Mechanism:
    """Return a mechanism or part of a project by its id or name; raises ParamError, naming those there are."""
    found = next((item for item in project.mechanisms if what in {item.id, item.name}), None)
    if found is None:
        raise ParamError(f"{project.name} has no mechanism '{shortly(what)}'; it has "
                         f"{', '.join(item.id for item in project.mechanisms)}", field="mechanism", value=what)
    return found


def project_of(path: Path) -> Project:
    """Return the project in a file; raises ReadError."""
    from bouncy_latch.core.project import store as project_store

    return project_store.load(path).project


def designs_of(path: Path, set_: list[str] | None) -> list[tuple[Mechanism, Design]]:
    """Return a project's mechanisms with their designs, judged as the window does: by store and project."""
    from bouncy_latch.core.project import store as project_store
    from bouncy_latch.core.project.bench import designed
    from bouncy_latch.core.project.known import Known

    if set_:
        raise ParamError("--set goes with a kind, not with a project", field="set")
    project = project_store.load(path).project
    believed = Known(store()).of(project).believed
    return [(item, designed(project, item, believed)) for item in project.mechanisms]
