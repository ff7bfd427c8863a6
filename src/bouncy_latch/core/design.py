"""A design: kind, sizes, where its sides sit, and the printer it is for. Solved once and kept, asked by everyone."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import Any

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.fields import Params
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.hosting import Guest, hosted
from bouncy_latch.core.layers.kept import Kept
from bouncy_latch.core.layers.setup import DESIGNED, PrintSetup
from bouncy_latch.core.mechanisms.contract import Kind, Shape, Solution
from bouncy_latch.core.parts.body import Body, Seat
from bouncy_latch.core.process.population import effective
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.solids import mesh, tree

_kept = Kept(40)
"""Designs with placements or guests, as they were solved: a few steps of a drag."""


@frozen
class Placement:
    """Where one side of a mechanism sits instead of on its built-in part: a body, and a seat on it."""

    side: str
    body: Body
    seat: Seat = Seat()


@frozen
class Design:
    """Everything a judgement depends on; cheap to make, and it can be asked from any thread.

    Attributes:
        process: as it is believed to be; ``policy``: whose printer it must work on.
        setup: how it is set up to print.
        errors: standard errors (mm) of given sizes that were measured.
        placements: the sides that sit on bodies of the user's. guests: what sits on bodies of its own.
    """

    kind: Kind
    params: Params
    process: Process
    policy: Policy = Policy.MINE
    setup: PrintSetup = DESIGNED
    errors: tuple[tuple[str, float], ...] = ()
    placements: tuple[Placement, ...] = ()
    guests: tuple[Guest, ...] = ()

    @cached_property
    def judged(self) -> Process:
        """The process the policy judges by."""
        return effective(self.process, self.policy)

    def solve(self) -> Solution:
        """Return the solution; raises SolveError when there is none, ParamError for a side the kind has not."""
        solved = self.kind.solve(self.params, self.judged)
        if not self.placements and not self.guests:
            return solved
        key = self.kind.id, self.params, self.judged, self.placements, tuple(guest.key for guest in self.guests)
        found: Solution = _kept.get(key, lambda: self._seated(solved))
        return found

    def _seated(self, solved: Solution) -> Solution:
        if self.placements:
            solved = placed(solved, self.kind, self.placements)
        return hosted(solved, self.guests) if self.guests else solved

    def changed(self, **values: Any) -> Design:
        """Return the design with some sizes changed; raises ParamError."""
        return replace(self, params=self.params.changed(**values))

    def grown(self, growth: float) -> Design:
        """Return the design on a printer of known growth, mm per side; what sits on it has no part in that."""
        return replace(self, process=self.judged.with_growth(growth), policy=Policy.MINE, guests=())

    def piece(self) -> Design:
        """Return the test piece: the same mechanism on minimal built-in parts, lying as designed."""
        return replace(self, params=self.kind.piece_of(self.params), setup=DESIGNED, placements=(), guests=())


def placed(solution: Solution, kind: Kind, placements: tuple[Placement, ...]) -> Solution:
    """Return a solution whose sides sit where they are placed; the bodies there stand so that the seats stay where they were.

    Raises:
        ParamError: for a side the kind has not.
        SolveError: at drawing, for a seat that is too small.
    """
    for placement in placements:
        if placement.side not in kind.sides:
            raise ParamError(f"a {kind.title.lower()} has no side '{placement.side}'; it has {', '.join(kind.sides)}",
                             field="side", value=placement.side)
    drawn = solution.draw
    return replace(solution, draw=lambda: _seated(drawn(), placements))


def _seated(shape: Shape, placements: tuple[Placement, ...]) -> Shape:
    bodies, shares = {body.name: body for body in shape.bodies}, []
    where = {placement.side: placement for placement in placements}
    for share in shape.shares:
        placement = where.get(share.side)
        if placement is None:
            shares.append(share)
            continue
        _refuse_small(share.add, placement.seat)
        old, frame = bodies[share.body], placement.seat.frame
        at = tree.compose(tree.compose(old.at, share.frame), tree.invert(frame))
        bodies[share.body] = replace(placement.body, name=old.name, at=tuple(round(v, 12) + 0.0 for v in at))
        shares.append(share.seated(old.name, frame))
    return replace(shape, bodies=tuple(bodies.values()), shares=tuple(shares))


def _refuse_small(add: tree.Solid | None, seat: Seat) -> None:
    from bouncy_latch.core.errors import SolveError

    if add is None or seat.edge == float("inf"):
        return
    box = mesh.evaluate(add).bounding_box()
    needed = 2 * max(-box[0], box[3])
    if needed > seat.edge + 1e-6:
        raise SolveError(f"this needs {needed:.1f} mm of straight edge and the seat has {seat.edge:.1f} mm", field="side",
                         value=needed, limit=seat.edge)
