"""Joints that are printed in place between parts of the user's: a hinge between two bodies that came from files.

Such a mechanism leads: its parts lie as it is printed, and what else sits on them comes along. On their own pages the parts are
as if it were not there.
"""

from __future__ import annotations

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.hosting import Guest
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.parts.body import Body, Seat
from bouncy_latch.core.placing import OnBody, Placement
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.project import on_faces
from bouncy_latch.core.project.document import Mechanism, Project, Sitting
from bouncy_latch.core.solids import tree


def leads(mechanism: Mechanism, solution: Solution) -> bool:
    """Whether a mechanism is a joint printed in place between parts, and so makes them."""
    return bool(solution.joints) and bool(mechanism.sits)


def leads_on(mechanism: Mechanism, part_id: str, judged: Process) -> bool:
    """Whether a mechanism is a joint printed in place that a part is made with."""
    kind = registry.kind(mechanism.kind)
    return any(each.on == part_id and each.seat is not None for each in mechanism.sits) and \
        kind.joins_in_place(mechanism.parsed(), judged)


def called(mechanism: Mechanism, solution: Solution) -> dict[str, str]:
    """Return what the bodies of a printed joint are called that are parts of the user's, by their letters."""
    sides = {each.side for each in mechanism.sits} if leads(mechanism, solution) else set()
    labels = solution.body_labels
    return {share.body: labels[share.body] for share in solution.shape.features if share.side in sides}


def made_by_joints(project: Project, judged: Process) -> dict[str, str]:
    """Return the parts that are made with a joint printed in place, by id: the name of the mechanism that makes them."""
    found: dict[str, str] = {}
    for mechanism in project.mechanisms:
        kind = registry.kind(mechanism.kind)
        if any(each.seat is not None for each in mechanism.sits) and kind.joins_in_place(mechanism.parsed(), judged):
            found |= {each.on: mechanism.name for each in mechanism.sits}
    return found


def placements(project: Project, mechanism: Mechanism, judged: Process) -> tuple[Placement, ...]:
    """Return where the sides of a printed joint sit on parts, and what else sits on those; raises UserError.

    Raises:
        ParamError: where a part has several printed joints, which would have to be drawn together.
    """
    kind = registry.kind(mechanism.kind)
    shape = kind.solve(mechanism.parsed(), judged).shape
    found: list[Placement] = []
    for sitting in mechanism.sits:
        part = _part(project, sitting)
        body = on_faces.part_body(part, judged)
        frame = tree.compose(tree.invert(body.at), sitting.where.matrix)
        share = next(each for each in shape.features if each.side == sitting.side)
        own = next(each for each in shape.bodies if each.name == share.body)
        found.append(OnBody(sitting.side, Body(own.name, part.name, body.base), Seat(frame)))
        laid = tree.compose(tree.compose(own.at, share.frame), tree.invert(frame))
        there = tree.compose(laid, tree.invert(body.at))
        found += [Guest(guest.name, guest.kind, guest.params, guest.side, own.name, tree.compose(there, guest.at))
                  for other in project.mechanisms if other.id != mechanism.id for each in other.sits if each.on == part.id
                  for guest in guests(other, each, judged)]
    return tuple(found)


def guests(mechanism: Mechanism, sitting: Sitting, judged: Process) -> list[Guest]:
    """Return a mechanism at all places where one of its sides sits; none of a joint that is printed in place, which leads."""
    kind, params = registry.kind(mechanism.kind), mechanism.parsed()
    if sitting.seat is not None and kind.joins_in_place(params, judged):
        return []
    return [Guest(mechanism.name if not number else f"{mechanism.name}, place {number + 1}", kind, params, sitting.side,
                  sitting.body, place.matrix) for number, place in enumerate(sitting.places)]


def _part(project: Project, sitting: Sitting) -> Mechanism:
    found = next((other for other in project.mechanisms if other.id == sitting.on), None)
    if found is None:
        raise ParamError(f"what the side '{sitting.side}' sits on is not in the project any more", field="on", value=sitting.on)
    return found
