"""The files that `export` writes: of a kind's design, or of everything in a project."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from bouncy_latch.cli.shared import designs_of, project_of, request_of, solved, values_of

if TYPE_CHECKING:
    from bouncy_latch.core.design import Design
    from bouncy_latch.core.layers.setup import Stop
    from bouncy_latch.core.project.document import Mechanism


def exported(what: str, out: Path, formats: tuple[str, ...], set_: list[str] | None, process: str, policy: str, *,
             test_piece: bool, tools: bool) -> dict[str, Any]:
    """Write the parts, test pieces or tools of a kind or a project, and return their files; raises UserError."""
    from bouncy_latch.core.project import delivery, joined, seating

    jobs: list[tuple[Design, str, tuple[Stop, ...], Mechanism | None]]
    whole = Path(what).suffix == ".latch"
    if whole:
        jobs = [(design, delivery.file_stem(item.name), item.stops, item) for item, design in designs_of(Path(what), set_)]
    else:
        jobs = [(request_of(what, set_, process, policy), what, (), None)]
    # Parts that are printed joined are written with the joint.
    joins = joined.made_by_joints(project_of(Path(what)), jobs[0][0].judged) if whole and jobs else {}
    written: list[str] = []
    built_in: list[str] = []
    made = []
    for request, name, stops, item in jobs:
        if test_piece:
            if request.kind.is_part:
                continue
            request, name, stops, item = request.piece(), f"{name}-test", (), None
        solution = solved(request, frozenset(values_of(set_)))
        if tools:
            asked = [f for f in formats if f in delivery.TOOL_FORMATS] or formats
            sides = {each.side for each in item.sits} if item is not None else set()
            # A part without anything on it has no tools, nor has a mechanism whose sides all sit elsewhere.
            if item is None or any(each.side not in sides for each in solution.shape.features):
                written += [str(path) for path in delivery.export_tools(solution, name, out, asked, sides)]
            continue
        without = seating.elsewhere(item, solution) if item is not None else frozenset()
        if item is not None and (item.id in joins or (without and without >= set(solution.bodies))):
            built_in.append(item.id)
        else:
            made.append((request, solution, name, stops, without, item))
    for request, solution, name, stops, without, item in made:
        called = {body: delivery.file_stem(label) for body, label in joined.called(item, solution).items()} if item else {}
        written += [str(path) for path in delivery.export(solution, name, out, formats, request.setup, stops=stops,
                                                          without=without, called=called)]
    if whole and "csv" in formats and (table := seating.table(project_of(Path(what)))):
        name = f"{delivery.file_stem(Path(what).stem)}-seats.csv"
        delivery.write(out, {name: table})
        written.append(str(out / name))
    told = [f"{name}: {sentence}" for _, solution, name, *_ in made if "step" in formats
            and (sentence := delivery.exact_only_tools(solution))]
    return {"files": written, **({"notes": told} if told else {}), **({"built_in": built_in} if built_in else {})}
