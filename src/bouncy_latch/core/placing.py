"""Placements: which sides of mechanisms sit on which bodies, where those are not the built-in ones they are worked out on.

A design says all of them in one place: its own sides on bodies of the user's (:class:`OnBody`), and sides of other mechanisms
on bodies of its own (:class:`Guest`, in :mod:`hosting`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.hosting import Guest, check_side, hosted
from bouncy_latch.core.mechanisms.contract import Kind, Shape, Solution
from bouncy_latch.core.parts.body import Body, Seat
from bouncy_latch.core.solids import mesh, tree


@frozen
class OnBody:
    """A side of a design's own mechanism on a body of the user's: which one, and the seat on it."""

    side: str
    body: Body
    seat: Seat = Seat()


Placement = OnBody | Guest


def placed(solution: Solution, kind: Kind, placements: Sequence[Placement]) -> Solution:
    """Return a solution with all placements: bodies its own sides sit on stand so that their seats stay where they were.

    Raises:
        ParamError: for a side the kind has not.
        SolveError: at drawing, for a seat that is too small.
    """
    # Nothing tells whether bodies that carry other things are the same all round.
    solution = replace(solution, motions=tuple(replace(motion, alike={}) for motion in solution.motions))
    own = [each for each in placements if isinstance(each, OnBody)]
    for placement in own:
        check_side(kind, placement.side)
    if own:
        drawn = solution.draw
        solution = replace(solution, draw=lambda: _seated(drawn(), own))
    guests = [each for each in placements if isinstance(each, Guest)]
    return hosted(solution, guests, kind.gathers) if guests else solution


def _seated(shape: Shape, placements: Sequence[OnBody]) -> Shape:
    bodies, shares = {body.name: body for body in shape.bodies}, []
    where = {placement.side: placement for placement in placements}
    for share in shape.features:
        placement = where.get(share.side)
        if placement is None:
            shares.append(share)
            continue
        _refuse_small(share.add, placement.seat)
        old, frame = bodies[share.body], placement.seat.frame
        at = tree.compose(tree.compose(old.at, share.frame), tree.invert(frame))
        bodies[share.body] = replace(placement.body, name=old.name, at=tuple(round(v, 12) + 0.0 for v in at))
        shares.append(share.seated(old.name, frame))
    return replace(shape, bodies=tuple(bodies.values()), features=tuple(shares))


def _refuse_small(add: tree.Solid | None, seat: Seat) -> None:
    if add is None or seat.edge == float("inf"):
        return
    box = mesh.evaluate(add).bounding_box()
    needed = 2 * max(-box[0], box[3])
    if needed > seat.edge + 1e-6:
        raise SolveError(f"this needs {needed:.1f} mm of straight edge and the seat has {seat.edge:.1f} mm", field="side",
                         value=needed, limit=seat.edge)
