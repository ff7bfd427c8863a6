"""Splitting a part at a plane into two that are printed apart, joined by a mechanism of which each half gets a side."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import ParamError, UserError, shortly
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.parts.body import Body
from bouncy_latch.core.parts.halves import ABOVE, AXES, BELOW, STANDS, halved
from bouncy_latch.core.parts.surface import surface_of
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.project import document, on_faces, seating
from bouncy_latch.core.project.document import Mechanism, Project, Seated, Where
from bouncy_latch.core.solids import mesh, tree

_PLANE = re.compile(r"\s*([xyz])\s*=\s*(-?\d{1,4}(?:[.,]\d{1,4})?)\s*", re.IGNORECASE)
NEAR = 1e-3
"""How near to the plane a face lies that it cut, mm."""


@frozen
class Split:
    """What a split makes.

    Attributes:
        project: with both halves, and what joins them. halves: their ids, below and above. area: of the section, mm².
        said: what happened to what sat on the part, a sentence each.
    """

    project: Project
    halves: tuple[str, str]
    area: float
    said: tuple[str, ...]


def plane(text: str) -> tuple[str, float]:
    """Return axis and place of a plane told as ``z=7``; raises ParamError."""
    said = _PLANE.fullmatch(text)
    if said is None:
        raise ParamError(f"'{shortly(text)}' is no plane; name one across an axis of the part, as z=7", field="plane",
                         value=text)
    return said[1].lower(), float(said[2].replace(",", "."))


def joining() -> tuple[str, ...]:
    """Return the ids of the kinds that join two halves: both of their sides sit on faces, and are printed apart."""
    return tuple(kind.id for kind in registry.kinds().values()
                 if len(kind.sides) > 1 and all(side in kind.seats for side in kind.sides) and not kind.first)


def section(body: Body, axis: str, at: float) -> float:
    """Return the area a plane cuts through a part, mm²; raises ParamError where it misses the part."""
    whole = mesh.evaluate(body.base)
    box, place = whole.bounding_box(), AXES.index(axis)
    if not box[place] + NEAR < at < box[place + 3] - NEAR:
        raise ParamError(f"the plane {axis} = {at:g} misses the part, which reaches from {box[place]:.1f} to "
                         f"{box[place + 3]:.1f} mm there", field="plane", value=at)
    turn = {"x": tree.X_UP, "y": (0, 0, 1, 0, 1, 0, 0, 0, 0, 1, 0, 0), "z": tree.IDENTITY}[axis]
    return float(mesh.transformed(whole, turn).slice(at).area())


def least_cuts(body: Body, bed: tuple[float, float, float] | None) -> tuple[str, ...]:
    """Return the fewest planes, as ``x=110``, that bring a part that is larger than the bed onto it; none where it fits."""
    if bed is None:
        return ()
    box = mesh.evaluate(body.base.placed(body.at)).bounding_box()
    sizes = [box[i + 3] - box[i] for i in range(3)]
    # It may lie turned by a right angle.
    wide, deep = sorted(bed[:2], reverse=True)
    room = dict(zip(sorted((0, 1), key=lambda i: -sizes[i]), (wide, deep), strict=True)) | {2: bed[2]}
    drawn = mesh.evaluate(body.base).bounding_box()
    found = []
    for axis in range(3):
        pieces = math.ceil(sizes[axis] / room[axis] - 1e-9)
        # Along which of its own axes that lies.
        way = [abs(body.at[4 * axis + own]) for own in range(3)]
        own = int(np.argmax(way))
        long = drawn[own + 3] - drawn[own]
        found += [f"{AXES[own]}={drawn[own] + long * number / pieces:.4g}" for number in range(1, pieces)]
    return tuple(found)


def split(project: Project, part: Mechanism, process: Process, axis: str, at: float, kind_id: str = "",
          sizes: dict[str, Any] | None = None, pattern: str = "") -> Split:
    """Return a project with a part in two halves, joined by a mechanism of a kind if one is named.

    Mechanisms stay on the half their place is on. Each half lies so that both sides of what joins them print as they are worked
    out; without such a kind as the part lay.

    Raises:
        UserError: for a plane that misses the part, or a kind that cannot join the halves there; then nothing has changed.
    """
    area = section(on_faces.part_body(part, process), axis, at)
    half = str(part.params["half"])
    below = part.model_copy(update={"params": {**part.params, "half": halved(half, axis, BELOW, at)}})
    ids, names = {each.id for each in project.mechanisms}, {each.name for each in project.mechanisms}
    fresh = document.new_mechanism(part.kind, document.free_name(f"{part.name} {_beyond(axis)}", names), ids)
    above = fresh.model_copy(update={"params": {**part.params, "half": halved(half, axis, ABOVE, at)}})
    made = project.with_mechanism(below).with_mechanism(above)
    made, said = _shared_out(made, project, part, above, process, axis, at)
    if kind_id:
        made = _joined(made, below, above, process, axis, at, registry.kind(kind_id), sizes or {}, pattern)
    return Split(made.model_copy(update={"selected": part.id}), (below.id, above.id), area, said)


def _beyond(axis: str) -> str:
    return {"x": "right", "y": "back", "z": "upper"}[axis]


def _shared_out(made: Project, before: Project, part: Mechanism, above: Mechanism, process: Process, axis: str, at: float
                ) -> tuple[Project, tuple[str, ...]]:
    """Return a project in which what sat on the part sits on the half it is on, at the same place."""
    body, said = on_faces.part_body(part, process), []
    for mechanism in before.mechanisms:
        sits = []
        for sitting in mechanism.sits:
            if sitting.on == part.id:
                there = tree.moved_point(tree.invert(body.at), (sitting.where.x, sitting.where.y, sitting.where.z))
                if there[AXES.index(axis)] > at:
                    said.append(f"{mechanism.name} is on {above.name} now")
                    new = on_faces.part_body(above, process)
                    drop = new.at[11] - body.at[11]
                    moved = [place.model_copy(update={"z": place.z + drop}) for place in sitting.places]
                    sitting = sitting.model_copy(update={"on": above.id, "where": moved[0], "more": tuple(moved[1:]),
                                                         "seat": None})
            sits.append(sitting)
        if tuple(sits) != mechanism.sits:
            made = made.with_mechanism(mechanism.model_copy(update={"sits": tuple(sits)}))
    return made, tuple(said)


def _joined(project: Project, below: Mechanism, above: Mechanism, process: Process, axis: str, at: float, kind: Kind,
            sizes: dict[str, Any], pattern: str) -> Project:
    """Return a project whose halves are joined by a mechanism of a kind; both lie so that its sides print as worked out."""
    sides = [side for side in kind.sides if side in kind.seats]
    if len(sides) < 2:
        raise ParamError(f"a {kind.title.lower()} joins no two halves; {', '.join(joining())} do", field="with", value=kind.id)
    names = {each.name for each in project.mechanisms}
    made = document.new_mechanism(kind.id, document.free_name(kind.title, names), {each.id for each in project.mechanisms},
                                  **sizes)
    project = project.with_mechanism(made)
    design = Design(kind, made.parsed(), process, Policy.MINE)
    for half, side in ((below, sides[0]), (above, sides[1])):
        half, seat = _lying(half, process, axis, at, kind, side)
        project = _laid(project, half, process)
        made, _ = seating.on_part(project, made, replace(design, params=made.parsed()), side, half.id,
                                  seat.model_copy(update={"pattern": pattern}))
        project = project.with_mechanism(made)
    return project


def _lying(half: Mechanism, process: Process, axis: str, at: float, kind: Kind, side: str) -> tuple[Mechanism, Seated]:
    """Return a half as it lies so that a side on its cut face prints as it is worked out, the flattest of those ways, and the
    seat in the middle of that face's lower edge or, of what grows upwards, of the face."""
    best: tuple[float, Mechanism, Seated] | None = None
    stands: Sequence[str] = sorted(STANDS, key=lambda name: name != half.params["stands"])
    for name in stands:
        laid = half.model_copy(update={"params": {**half.params, "stands": name}})
        body = on_faces.part_body(laid, process)
        face = next((face for face in surface_of(body.base).faces if abs(abs(face.normal[AXES.index(axis)]) - 1) < NEAR
                     and abs(face.corner[AXES.index(axis)] - at) < NEAR), None)
        if face is None:
            raise ParamError(f"the split at {axis} = {at:g} makes no flat face", field="plane", value=at)
        seat = Seated(seat=f"face:{face.name}")
        found = on_faces.found(body, seat)
        try:
            on_faces.ruled(kind, side, found, 0.0)
        except ParamError:
            continue
        if abs(found.out[2]) < 0.5:
            # The lowest place of the face as it lies, in the middle of its breadth.
            seat = Seated(seat=seat.seat, at=_foot(body, found))
        high = mesh.evaluate(body.base.placed(body.at)).bounding_box()[5]
        if best is None or high < best[0] - NEAR:
            best = high, laid, seat
    if best is None:
        raise ParamError(f"no way up lets a {kind.title.lower()} print on the cut face of {half.name}", field="with",
                         value=kind.id)
    return best[1], best[2]


def _foot(body: Body, found: on_faces.Found) -> tuple[float, float]:
    """Return the place of an upright face, as distances from its left and lower edge, that lies lowest on the bed."""
    face, best, lowest = found.face, (0.0, 0.0), math.inf
    for u, v in ((face.width / 2, 0.0), (face.width / 2, face.height), (0.0, face.height / 2), (face.width, face.height / 2)):
        z = tree.moved_point(body.at, face.point((u, v)))[2]
        if z < lowest - NEAR:
            best, lowest = (round(u, 4), round(v, 4)), z
    return best


def _laid(project: Project, half: Mechanism, process: Process) -> Project:
    """Return a project in which a half lies another way up; what sits on it by coordinates only is turned with it."""
    before = next(each for each in project.mechanisms if each.id == half.id)
    if before.params["stands"] == half.params["stands"]:
        return project
    old, new = on_faces.part_body(before, process), on_faces.part_body(half, process)
    turned = tree.compose(new.at, tree.invert(old.at))
    project = project.with_mechanism(half)
    for mechanism in project.mechanisms:
        for sitting in mechanism.sits:
            if sitting.on == half.id:
                if abs(turned[10] - 1) > NEAR:
                    raise ParamError(f"{mechanism.name} sits on {half.name}, which must lie on another side for what joins the "
                                     "halves: split it without joining, or at an upright plane, or take it off first",
                                     field="with", value=mechanism.id)
                places = [_moved(place, turned) for place in sitting.places]
                sits = tuple(each if each is not sitting else sitting.model_copy(update={
                    "where": places[0], "more": tuple(places[1:])}) for each in mechanism.sits)
                project = project.with_mechanism(mechanism.model_copy(update={"sits": sits}))
    return project


def _moved(place: Where, by: tree.Matrix) -> Where:
    matrix = tree.compose(by, place.matrix)
    return place.changed(x=matrix[3], y=matrix[7], z=matrix[11], turn=math.degrees(math.atan2(matrix[4], matrix[0])))


def told(project: Project, made: Split, process: Process) -> list[dict[str, Any]]:
    """Return what the halves are, by plain values: which side they lie on, their sizes, and whether they fit the bed."""
    found = []
    for half_id in made.halves:
        half = next(each for each in project.mechanisms if each.id == half_id)
        body = on_faces.part_body(half, process)
        box = mesh.evaluate(body.base.placed(body.at)).bounding_box()
        try:
            cuts = least_cuts(body, process.bed)
        except UserError:
            cuts = ()
        found.append({"id": half.id, "name": half.name, "lies_on": half.params["stands"],
                      "size": [round(box[i + 3] - box[i], 3) for i in range(3)],
                      "fits_the_bed": None if process.bed is None else not cuts})
    return found
