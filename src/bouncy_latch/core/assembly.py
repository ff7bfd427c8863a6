"""Parts with everything that sits on them: (base − all rooms) + all adds − all cuts, over all mechanisms, in any order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from bouncy_latch.core.checks import PRINT, SHAPE, Check
from bouncy_latch.core.design import Design
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.hosting import Guest
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.parts.body import BOUGHT, Body, Feature, finished, pieces
from bouncy_latch.core.placing import OnBody
from bouncy_latch.core.solids import mesh, tree

ROOMS_ID, WHOLE_ID, WALLS_ID, BED_ID = "rooms-stay-free", "one-piece", "walls-around-guests", "guests-stand-on-the-bed"
BESIDE = 0.8
"""How far beside a guest its plastic is looked at, mm: two lines of a common nozzle."""
SLIVER = 0.01
"""Volume that two solids may share for rounding's sake, mm³."""


@frozen
class Assembly:
    """Bodies with the shares of every mechanism on them, each in coordinates of its own.

    Attributes:
        bodies: finished, by name. checks: whether the mechanisms leave each other alone.
    """

    bodies: Mapping[str, tree.Solid]
    checks: tuple[Check, ...]


def assemble(designs: Mapping[str, Design]) -> Assembly:
    """Return the parts of several mechanisms, by names of theirs; a body named in several placements is one body.

    Bodies that no placement names are called by their mechanism and their own name.

    Raises:
        UserError: when a design cannot be solved or drawn.
    """
    bases: dict[str, Body] = {}
    shares: dict[str, list[tuple[str, Feature]]] = {}
    # Sorted, so that even the rounding is the same whatever the order.
    for name in sorted(designs):
        solution = designs[name].solve()
        called = _names(name, designs[name], solution)
        for body in solution.shape.bodies:
            if body.role != BOUGHT:
                bases.setdefault(called[body.name], replace(body, name=called[body.name], at=tree.IDENTITY))
        for share in solution.shape.features:
            body_name = called[share.body]
            shares.setdefault(body_name, []).append((name, share.seated(body_name, share.frame)))
    made = {name: finished(body, [share for _, share in shares.get(name, [])]) for name, body in bases.items()}
    return Assembly(made, tuple(_checks(made, shares)))


def neighbours(solution: Solution, guests: Sequence[Guest]) -> tuple[Check, ...]:
    """Return whether a mechanism and what sits on its bodies leave each other alone, and whether those are one piece each."""
    names = {guest.name for guest in guests}
    hosts = {name: label for name, label in solution.body_labels.items() if name in {guest.body for guest in guests}}
    shares: dict[str, list[tuple[str, Feature]]] = {label: [] for label in hosts.values()}
    for share in solution.shape.features:
        if share.body in hosts:
            shares[hosts[share.body]].append((share.side if share.side in names else "the mechanism itself", share))
    bare = {body.name: body.base.placed(body.at) for body in solution.shape.bodies}
    below = max((mesh.evaluate(bare[name]).bounding_box()[2] - mesh.evaluate(solution.bodies[name]).bounding_box()[2]
                 for name in hosts), default=0.0)
    return (*_checks({label: solution.bodies[name] for name, label in hosts.items()}, shares),
            Check(BED_ID, "Depth below the bed", max(0.0, below), 0.01, "mm",
                  "an attached mechanism reaches below the bed: lift it" if below > 0.01 else "no attached mechanism reaches "
                                                                                              "below the bed",
                  least=False, stop=0.01, topic=PRINT, basis="a print begins at the bed",
                  advice="Lift the attached mechanism."),
            _walls(solution, [guest for guest in guests if guest.name in {share.side for share in solution.shape.features}]))


def _walls(solution: Solution, guests: Sequence[Guest]) -> Check:
    """Return how much of the plastic beside it that a guest was worked out with is there, of the one that has least."""
    least, who = 100.0, ""
    for guest in guests:
        own = guest.solve(solution.process)
        share = guest.share(own)
        block = next(body for body in own.shape.bodies if body.name == share.body)
        works = mesh.evaluate(tree.union(pieces([share.add, share.cut], tree.compose(block.at, share.frame)))).bounding_box()
        near = tree.Box(works[0] - BESIDE, works[1] - BESIDE, works[2], works[3] + BESIDE, works[4] + BESIDE, works[5])
        wanted = own.bodies[share.body] & near
        there = mesh.evaluate(wanted.placed(guest.moved(own)) & solution.bodies[guest.body]).volume()
        part = 100 * there / max(mesh.evaluate(wanted).volume(), SLIVER)
        if part < least:
            least, who = part, guest.name
    return Check(WALLS_ID, "Wall beside attached mechanisms", least, 98, "%",
                 f"the wall beside {who} is thinner than its strength calculation assumes: move {who}, thicken the wall, or "
                 f"make its "
                 "test block as thin" if least < 98 else "every wall is as thick as the strength calculations assume",
                 stop=60, topic=SHAPE, basis="its strength was worked out on its own test block",
                 advice="Move the attached mechanism, or thicken the wall.")


def _names(name: str, design: Design, solution: Solution) -> dict[str, str]:
    """Return what every body of a mechanism is called in the whole."""
    named = {share.body: placement.body.name for share in solution.shape.features for placement in design.placements
             if isinstance(placement, OnBody) and placement.side == share.side}
    return {body.name: named.get(body.name, f"{name} {body.label}") for body in solution.shape.bodies}


def _checks(made: Mapping[str, tree.Solid], shares: Mapping[str, list[tuple[str, Feature]]]) -> list[Check]:
    taken, where = 0.0, ""
    for body, own in shares.items():
        for first, giving in own:
            for second, adding in own:
                if first != second and (volume := _shared(giving, adding)) > taken:
                    taken, where = volume, f"{first} must leave free on {body} what {second} adds"
    split = [name for name, solid in made.items() if len(mesh.evaluate(solid).decompose()) > 1]
    return [
        Check(ROOMS_ID, "Clearance volumes stay free", taken, SLIVER, "mm³", where or "no mechanism reaches into another's "
                                                                                      "clearance volume",
              least=False, stop=SLIVER, topic=SHAPE, basis="no volume is used twice", advice="Move one of the two mechanisms."),
        Check(WHOLE_ID, "Parts in one piece", len(split), 0, "places",
              f"{', '.join(split)} falls apart: a mechanism does not reach it" if split else "every part is whole",
              least=False, stop=0, topic=SHAPE, basis="a part is one piece", advice="Move the mechanism until it reaches the "
                                                                                    "part."),
    ]


def _shared(giving: Feature, adding: Feature) -> float:
    """Return the volume that one share adds where another's room or cut lies, mm³."""
    adds = _solid([adding.add], adding.frame)
    free = _solid([giving.clearance_volume, giving.cut], giving.frame)
    return float((adds ^ free).volume()) if adds is not None and free is not None else 0.0


def _solid(solids: list[tree.Solid | None], frame: tree.Matrix) -> Any:
    found = pieces(solids, frame)
    return mesh.evaluate(tree.union(found)) if found else None
