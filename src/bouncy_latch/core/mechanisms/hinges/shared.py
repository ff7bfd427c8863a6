"""What a knuckle hinge does to the two bodies of a fold: room, knuckles and pockets, in the seat each side has.

Drawn about the fold plane y = 0 (see :mod:`plan`) and handed over in the coordinates of an edge: x along it, y outward.
"""

from __future__ import annotations

from functools import cached_property

from bouncy_latch.core.mechanisms.hinges.plan import Plan
from bouncy_latch.core.parts.body import Feature
from bouncy_latch.core.parts.hinged import BACK
from bouncy_latch.core.solids import tree

SIDES = ("a", "b")


class Features:
    """The shares of one plan; every piece is made once and moved along."""

    def __init__(self, plan: Plan) -> None:
        self._plan = plan
        half = plan.p.fold_gap / 2
        # From the fold plane to the edge of each side: B looks the other way.
        self._to_seat: tuple[tree.Matrix, tree.Matrix] = ((1, 0, 0, 0, 0, 1, 0, half, 0, 0, 1, 0),
                                                          (*BACK[:7], half, *BACK[8:]))

    def all(self) -> tuple[Feature, ...]:
        """Return the shares of every body."""
        hosts = self._plan.hosts
        found = []
        sides = [self._side(0), self._side(1)]
        for fold in hosts.folds:
            for side, (body, seat) in enumerate((fold.first, fold.second)):
                found.append(sides[side].seated(body, seat.frame))
        if len(hosts.folds) > 1:
            # The free edges make room for the knuckles of the next fold when two links lie folded on each other.
            (first, back), (last, front) = hosts.free
            found += [Feature("b", first, clearance_volume=self._room(1), frame=back.frame), Feature("a", last,
                                                                                                     clearance_volume=self._room(0),
                                                                                   frame=front.frame)]
        return tuple(found)

    @cached_property
    def _pieces(self) -> tuple[tree.Solid, tree.Solid, tree.Solid, tree.Solid]:
        """A knuckle, one with its pivot, a pocket and a relief."""
        plan = self._plan
        length, gap, z = plan.knuckle_length, plan.p.gap, plan.axis_height
        plain = plan.shape.solid(length)
        pocket = plan.pivot.pocket().move(x=-gap, z=z)
        return (plain, plain + plan.pivot.male().move(x=length, z=z), pocket,
                plan.shape.relief(length + 2 * gap, plan.beyond))

    def _room(self, side: int) -> tree.Solid:
        """Relief along the whole hinge: the barrels of both links that lie there when two others are folded flat."""
        plan, gap = self._plan, self._plan.p.gap
        relief = plan.shape.relief(plan.hinge_length + 2 * gap, plan.beyond).move(x=plan.start(0) - gap)
        return (relief if side else relief.mirror("y")).placed(self._to_seat[side])

    def _side(self, side: int) -> Feature:
        """What is done to one body (0 = A, 1 = B)."""
        plan, gap, n = self._plan, self._plan.p.gap, self._plan.p.knuckles
        plain, armed, pocket, relief = self._pieces
        if side:
            plain, armed = plain.mirror("y"), armed.mirror("y")
        else:
            relief = relief.mirror("y")
        own = range(side, n, 2)
        room = [relief.move(x=plan.start(i) - gap) for i in range(1 - side, n, 2)]
        if plan.beyond and plan.hosts.leans:
            # The face under the axis leans back for travel beyond flat.
            half = plan.hosts.half + 1
            wedge = plan.shape.fold_bevel(-half, half)
            room.append(wedge.mirror("y") if side else wedge)
        adds = [(armed if i < n - 1 else plain).move(x=plan.start(i)) for i in own]
        cuts = [pocket.move(x=plan.start(i)) for i in own if i]
        if plan.shape.stands:
            # A web that stands on the bed is made too deep and trimmed level with it.
            half, high = plan.hosts.half + 1, 2 * plan.axis_height
            cuts.append(tree.Box(-half, -high, -2, half, high, 0))
        to_seat = self._to_seat[side]
        return Feature(SIDES[side], "", tree.union(room).placed(to_seat), tree.union(adds).placed(to_seat),
                     tree.union(cuts).placed(to_seat) if cuts else None)
