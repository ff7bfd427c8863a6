"""Building a side of a mechanism into a body of another one: what can sit where, and what of it is then made with its host."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import ParamError, UserError, shortly
from bouncy_latch.core.hosting import Guest, check_side
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.parts.body import PART
from bouncy_latch.core.process.population import effective
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.project import joined, on_faces, part_files
from bouncy_latch.core.project.document import Mechanism, Project, Seated, Sitting, Where
from bouncy_latch.core.project.part_files import Read


def bodies(mechanism: Mechanism, process: Process) -> dict[str, str]:
    """Return the bodies of a mechanism that others can sit on, name and words; raises UserError."""
    solution = registry.kind(mechanism.kind).solve(mechanism.parsed(), process)
    return {body.name: body.label for body in solution.shape.bodies if body.role == PART}


def placed(project: Project, mechanism: Mechanism, design: Design, side: str, on: str | None, body: str,
           where: Mapping[str, Any], seat: Seated | None = None, more: Sequence[Mapping[str, float]] = ()) -> Mechanism:
    """Return a mechanism with one side built into a body of another one, or (``on`` None) standing on its own again.

    ``where``: coordinates that change, of :class:`Where`; the others stay. ``seat``: what of a part they stand for; ``more``:
    further places of the same.

    Raises:
        UserError: for a side it has not or that is printed joined, a mechanism or body that is not there, bad coordinates, or a
            host that is itself built into another one.
    """
    rest = tuple(each for each in mechanism.sits if each.side != side)
    if on is None:
        return mechanism.model_copy(update={"sits": rest})
    before = next((each for each in mechanism.sits if each.side == side), None)
    host = next((other for other in project.mechanisms if other.id == on), None)
    if host is None or on == mechanism.id:
        others = ", ".join(other.id for other in project.mechanisms if other.id != mechanism.id)
        raise ParamError(f"{mechanism.name} cannot sit on '{shortly(on)}'; it can on {others}", field="on", value=on)
    known = bodies(host, design.judged)
    if body not in known:
        raise ParamError(f"{host.name} has no body '{shortly(body)}'; it has "
                         f"{', '.join(f'{name} ({words})' for name, words in known.items())}", field="body", value=body)
    same = before is not None and (before.on, before.body) == (on, body)
    at = fields.parse(Where, {**(before.where.model_dump() if before is not None and same else {}), **where})
    if seat is None or not design.kind.joins_in_place(design.params, design.judged):
        guest = Guest(mechanism.name, design.kind, design.params, side, body, at.matrix)
        guest.share(guest.solve(design.judged))
    _refuse_chains(project, mechanism, host, side, body)
    further = tuple(fields.parse(Where, dict(each)) for each in more)
    sitting = Sitting(side=side, on=on, body=body, where=at, more=further, seat=seat)
    return mechanism.model_copy(update={"sits": (*rest, sitting)})


def on_part(project: Project, mechanism: Mechanism, design: Design, side: str, on: str, seat: Seated
            ) -> tuple[Mechanism, str]:
    """Return a mechanism with a side on a face, edge or hole of a part, as thick as the part is there, and what that changed.

    Raises:
        UserError: for a seat that is not there, looks elsewhere, or is too thin.
    """
    part = next(other for other in project.mechanisms if other.id == on)
    check_side(design.kind, side)
    if design.kind.joins_in_place(design.params, design.judged):
        other = next((each.name for each in project.mechanisms if each.id != mechanism.id and joined.leads_on(each, part.id,
                                                                                                         design.judged)), None)
        if other is not None:
            raise ParamError(f"{part.name} is printed joined by {other} already; one joint printed in place makes a part, so "
                             f"give {other} more knuckles, or take it off", field="on", value=part.id)
    found = on_faces.found(on_faces.part_body(part, design.judged), seat)
    on_faces.ruled(design.kind, side, found, seat.turn)
    params, said = on_faces.sized(design.kind, side, design.params, design.judged, found)
    where = on_faces.where(design.kind, side, params, design.judged, found, seat.turn)
    changed = mechanism.model_copy(update={"params": params.model_dump()})
    made = placed(project, changed, replace(design, params=params), side, on, "A", where, seat,
                  on_faces.more(found, seat.pattern, where))
    return made, said


def follow(project: Project, part_id: str, process: Process, policy: str) -> tuple[Project, tuple[str, ...]]:
    """Return a project whose mechanisms sit on a changed part by the names of their seats, and a sentence on each that moved or
    has lost its seat (it stays where it was)."""
    said = []
    for mechanism in project.mechanisms:
        for sitting in mechanism.sits:
            if sitting.on != part_id or sitting.seat is None:
                continue
            design = Design(registry.kind(mechanism.kind), mechanism.parsed(), process, Policy(policy))
            try:
                made, thick = on_part(project, mechanism, design, sitting.side, part_id, sitting.seat)
            except UserError as error:
                said.append(f"{mechanism.name} stays where it was: {error.sentence}")
                continue
            now = next(each for each in made.sits if each.side == sitting.side)
            if now != sitting or made.params != mechanism.params:
                off = math.dist((now.where.x, now.where.y, now.where.z), (sitting.where.x, sitting.where.y, sitting.where.z))
                said.append(f"{mechanism.name} moved by {off:.2f} mm with {sitting.seat.seat}"
                            + (f"; {thick}" if made.params != mechanism.params else ""))
                project = project.with_mechanism(made)
    return project, tuple(said)


def with_file(project: Project, part: Mechanism, found: Read, name: str, process: Process
              ) -> tuple[Project, tuple[str, ...]]:
    """Return a project with another file's body in place of a part's, and a sentence on each mechanism that moved with it.

    Raises:
        ParamError: for what is no part, or a file of several bodies.
    """
    judged = effective(process, project.policy)
    on_faces.part_body(part, judged)
    if len(found.bodies) != 1:
        raise ParamError(f"{name} holds {len(found.bodies)} bodies; a part is replaced by a file with one", field="body",
                         value=name)
    (content,) = found.bodies.values()
    new = part.model_copy(update={"params": {**part.params, "shape": part_files.OF_FILE, "file": content}})
    on_faces.part_body(new, judged)
    return follow(project.with_mechanism(new), new.id, process, project.policy)


def _refuse_chains(project: Project, mechanism: Mechanism, host: Mechanism, side: str, body: str) -> None:
    """Refuse what would sit on a body that is itself made with another one: nobody would draw or export it."""
    names = {other.id: other.name for other in project.mechanisms}
    if host.sits:
        raise ParamError(f"{host.name} is built into {names[host.sits[0].on]}: let {mechanism.name} sit on that", field="on",
                         value=body)
    carried = next((other for other in project.mechanisms if any(each.on == mechanism.id for each in other.sits)), None)
    if carried is not None:
        raise ParamError(f"{carried.name} sits on {mechanism.name}: let that stand alone first, then build both in",
                         field="side", value=side)


def table(project: Project) -> str:
    """Return where everything sits, as CSV: one line a place; empty where nothing does."""
    names = {each.id: each.name for each in project.mechanisms}
    rows = [(names[each.on], mechanism.name, mechanism.kind, each.side, each.seat.seat if each.seat else "",
             *(each.seat.at if each.seat and each.seat.at else ("", "")), place.turn, place.x, place.y, place.z)
            for mechanism in project.mechanisms for each in mechanism.sits for place in each.places]
    if not rows:
        return ""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(["on", "mechanism", "kind", "side", "seat", "from the left, mm", "from below, mm", "turned by, °",
                     "x, mm", "y, mm", "z, mm"])
    writer.writerows(rows)
    return text.getvalue()


def elsewhere(mechanism: Mechanism, solution: Solution) -> frozenset[str]:
    """Return the bodies of a mechanism that stand only for what it is built into, and so are made with that; none of a joint
    printed in place, which makes its parts itself."""
    if joined.leads(mechanism, solution):
        return frozenset()
    sides = {each.side for each in mechanism.sits}
    return frozenset(share.body for share in solution.shape.features if share.side in sides)


def told(project: Project, mechanism: Mechanism) -> str:
    """Return in one sentence what a mechanism is built into; empty where it stands on its own."""
    names = {other.id: other.name for other in project.mechanisms}
    return _sentence(mechanism.name, dict.fromkeys(names[each.on] for each in mechanism.sits))


def _sentence(name: str, hosts: Iterable[str]) -> str:
    hosts = list(hosts)
    return f"{name} is built into {' and '.join(hosts)}: it is drawn, printed and exported with that" if hosts else ""
