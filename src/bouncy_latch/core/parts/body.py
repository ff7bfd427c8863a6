"""Bodies, the seats on them, and what mechanisms do to them: a part is (base − all clearance volumes) + all adds − all cuts."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.solids import tree

PART, LOOSE, BOUGHT = "part", "loose", "bought"


@frozen
class Seat:
    """Where a side of a mechanism sits on a body.

    Attributes:
        frame: from the seat's coordinates to the body's own. Of an edge: x along it from its middle, y out of the body,
            z up from the bed; a kind says what its seat's coordinates are otherwise.
        edge: straight length along x it may rely on, mm. rim: height of the body there. reach: from the edge to the far
            side. wall: thickness of what stands behind it.
    """

    frame: tree.Matrix = tree.IDENTITY
    edge: float = math.inf
    rim: float = math.inf
    reach: float = math.inf
    wall: float = math.inf


@frozen
class Body:
    """A body: its name, what the user calls it, and its base as it is before any mechanism works on it.

    Attributes:
        base: in coordinates of its own. at: from those to the print pose.
        role: ``part``, ``loose`` (a roller, a pin) or ``bought`` (a nut, a magnet), which is not printed.
    """

    name: str
    label: str
    base: tree.Solid
    at: tree.Matrix = tree.IDENTITY
    role: str = PART


@frozen
class Feature:
    """What a mechanism does to one body, in coordinates of the seat it has there.

    ``clearance_volume`` is what the body must leave free for others; unlike ``cut`` it spares what any mechanism adds.

    Attributes:
        side: which side of the mechanism it is. body: the body it works on. frame: from the seat to the body's own coordinates.
    """

    side: str
    body: str
    clearance_volume: tree.Solid | None = None
    add: tree.Solid | None = None
    cut: tree.Solid | None = None
    frame: tree.Matrix = tree.IDENTITY

    def seated(self, body: str, frame: tree.Matrix) -> Feature:
        """Return the same share on another seat."""
        return Feature(self.side, body, self.clearance_volume, self.add, self.cut, frame)


def pieces(solids: Iterable[tree.Solid | None], matrix: tree.Matrix) -> list[tree.Solid]:
    """Return the solids there are under a transform, outermost unions taken apart, so that one operation does them all."""
    found: list[tree.Solid] = []
    for solid in solids:
        inner, whole = (solid.solid, tree.compose(matrix, solid.matrix)) if isinstance(solid, tree.Placed) else (solid, matrix)
        if isinstance(inner, tree.Union):
            # What a piece is made of stays together: it is worked out once and moved along.
            found += [part.placed(whole) for part in inner.solids]
        elif solid is not None:
            found.append(solid.placed(matrix))
    return found


def finished(body: Body, shares: Iterable[Feature]) -> tree.Solid:
    """Return a body in print pose with everything done to it that ``shares`` say: their order changes nothing but rounding."""
    own = [(share, tree.compose(body.at, share.frame)) for share in shares if share.body == body.name]

    def every(name: str) -> list[tree.Solid]:
        return [piece for share, matrix in own for piece in pieces([getattr(share, name)], matrix)]

    freed = tree.difference(body.base.placed(body.at), every("clearance_volume"))
    return tree.difference(tree.union([freed, *every("add")]), every("cut"))


def all_finished(bodies: Iterable[Body], shares: Iterable[Feature]) -> dict[str, tree.Solid]:
    """Return the printed bodies in print pose by name; bought ones are not printed."""
    shares = tuple(shares)
    return {body.name: finished(body, shares) for body in bodies if body.role != BOUGHT}


def tools(shares: Iterable[Feature], body: str) -> Mapping[str, tree.Solid]:
    """Return what is added to and taken from a body as solids of their own, in its coordinates, for any modelling program."""
    own = [share for share in shares if share.body == body]
    adds = [p for share in own for p in pieces([share.add], share.frame)]
    cuts = [p for share in own for p in pieces([share.clearance_volume, share.cut], share.frame)]
    return {name: tree.union(found) for name, found in (("add", adds), ("cut", cuts)) if found}
