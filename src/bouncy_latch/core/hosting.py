"""Mechanisms that sit on the bodies of another one: a boss in a box's base, a captive nut in a clamp.

Such a guest is worked out on its own minimal bodies, as ever. Its host is drawn, printed, judged and exported with what the
guest does to the body it sits on, together with its bought parts and pauses. A guest stands as it was designed to be printed:
it is moved and turned about the vertical, never tilted, or its layers would lie otherwise than it was worked out for.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

from bouncy_latch.core.checks import PRINT, SHAPE, Check
from bouncy_latch.core.errors import ParamError, UserError
from bouncy_latch.core.fields import Params
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.slicing import layer_middles
from bouncy_latch.core.mechanisms.contract import Kind, OnPart, Pause, Shape, Solution
from bouncy_latch.core.parts.body import BOUGHT, PART, Feature
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree

MADE_ID, PAUSE_ID = "guests-are-made", "guests-lie-below-the-nozzle"


@frozen
class Guest:
    """A mechanism that sits on a body of another one.

    Attributes:
        name: what the user calls it. kind, params: what it is. side: the one of its sides that sits here.
        body: name of the host's body. at: from the seat's coordinates to the host's print pose; upright.
    """

    name: str
    kind: Kind
    params: Params
    side: str
    body: str
    at: tree.Matrix

    def solve(self, process: Process) -> Solution:
        """Return its own solution, on its own minimal bodies; raises UserError."""
        return self.kind.solve(self.params, process)

    def share(self, solution: Solution) -> Feature:
        """Return what it does to the body it sits on.

        Raises:
            ParamError: for a side it has not, or one that is printed joined to another.
        """
        check_side(self.kind, self.side)
        if solution.joints:
            raise ParamError(f"the sides of a {self.kind.title.lower()} are printed joined: others can sit on its bodies, it "
                             "cannot sit on theirs", field="side", value=self.side)
        return next(share for share in solution.shape.features if share.side == self.side)

    def moved(self, solution: Solution) -> tree.Matrix:
        """Return the transform from its own print pose to the host's."""
        share = self.share(solution)
        body = next(body for body in solution.shape.bodies if body.name == share.body)
        return tree.compose(self.at, tree.invert(tree.compose(body.at, share.frame)))


def check_side(kind: Kind, side: str) -> None:
    """Refuse a side that a kind has not; raises ParamError."""
    if side not in kind.sides:
        raise ParamError(f"a {kind.title.lower()} has no side '{side}'; it has {', '.join(kind.sides)}", field="side",
                         value=side)


def hosted(solution: Solution, guests: Sequence[Guest],
           gathers: Callable[[Solution, Sequence[tuple[OnPart, Solution]]], Solution] | None = None) -> Solution:
    """Return a solution whose bodies carry what sits on them; a guest that cannot be made is left out, its check says why.

    ``gathers``: what makes the verdicts of all of them those of the host, where it is a part.
    """
    made = [(guest, own) for guest in guests if (own := _solved(guest, solution)) is not None]
    pauses = [pause for guest, own in made for pause in _pauses(guest, own, solution.process)]
    drawn = solution.draw
    if gathers is not None:
        solution = gathers(solution, made)
    return replace(solution, draw=lambda: _drawn(drawn(), made),
                   bought=(*solution.bought, *(item for _, own in made for item in own.bought)),
                   pauses=tuple(sorted((*solution.pauses, *pauses), key=lambda pause: pause.z)),
                   notes=(*solution.notes, *(note for _, own in made for note in own.notes if note not in solution.notes)),
                   checks=(*solution.checks, *_checks(solution, guests)))


def _solved(guest: Guest, host: Solution) -> Solution | None:
    try:
        own = guest.solve(host.process)
        guest.share(own)
    except UserError:
        return None
    return own


def _drawn(shape: Shape, made: Iterable[tuple[Guest, Solution]]) -> Shape:
    places = {body.name: body.at for body in shape.bodies if body.role == PART}
    bodies, shares, solid = list(shape.bodies), list(shape.features), list(shape.solid)
    for guest, own in made:
        if guest.body not in places:
            continue
        share, moved = guest.share(own), guest.moved(own)
        at = tree.compose(tree.invert(places[guest.body]), guest.at)
        shares.append(replace(share.seated(guest.body, at), side=guest.name))
        bodies += [replace(body, name=f"{guest.name}: {body.name}", at=tree.compose(moved, body.at))
                   for body in own.shape.bodies if body.role == BOUGHT]
        solid += [(f"{guest.name}: {name}", region.placed(moved)) for name, region in own.shape.solid]
    return replace(shape, bodies=tuple(bodies), features=tuple(shares), solid=tuple(solid))


def _pauses(guest: Guest, own: Solution, process: Process) -> list[Pause]:
    if not own.pauses:
        return []
    up = guest.moved(own)[11]
    found = []
    for pause in own.pauses:
        edge = (pause.z if pause.roof is None else pause.roof) + up
        # The first layer of what closes over it is the first whose middle lies above the roof's underside.
        below = [middle + thick / 2 for middle, thick in layer_middles(edge, process) if middle <= edge + 1e-6]
        found.append(replace(pause, z=round(below[-1] if below else edge, 4),
                             roof=None if pause.roof is None else edge,
                             stands=None if pause.stands is None else pause.stands + up))
    return found


def _checks(solution: Solution, guests: Sequence[Guest]) -> list[Check]:
    """Return whether guests can be made, have a body to sit on, and lie below the nozzle where the print stops for them."""
    parts = {body.name for body in solution.shape.bodies if body.role == PART}
    troubles, stands, too_high, who = [], False, 0.0, ""
    for guest in guests:
        try:
            own = guest.solve(solution.process)
            guest.share(own)
        except UserError as error:
            troubles.append(f"{guest.name}: {error.sentence}")
            continue
        if guest.body not in parts:
            troubles.append(f"{guest.name} sits on a body '{guest.body}' that is not there any more")
            continue
        for pause in _pauses(guest, own, solution.process):
            stands = stands or pause.stands is not None
            if pause.stands is not None and pause.stands - pause.z > too_high:
                too_high, who = pause.stands - pause.z, guest.name
    found = [Check(MADE_ID, "Attached mechanisms that cannot be built", len(troubles), 0, "places",
                   "; ".join(troubles) or "all attached mechanisms can be built",
                   least=False, stop=0, topic=SHAPE, basis="a part is built whole", advice="Change the sizes of the attached "
                                                                                           "mechanism, or take it off.")]
    if stands:
        found.append(Check(PAUSE_ID, "Inserts below the nozzle", too_high, 0.001, "mm",
                           f"{who} stands higher than the last layer before its pause: move it up or down to whole layers"
                           if who else "where the print stops for what sits on it, it lies below the nozzle",
                           least=False, stop=0.001, topic=PRINT, posed=True, basis="nothing may stand in the nozzle's way",
                           advice="Move the attached mechanism out of the nozzle's way."))
    return found


