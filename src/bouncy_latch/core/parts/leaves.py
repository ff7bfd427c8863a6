"""Plain plates that fold: two leaves, or a chain of links."""

from __future__ import annotations

from dataclasses import replace

from bouncy_latch.core.fields import Params, number
from bouncy_latch.core.parts.body import Body, Seat
from bouncy_latch.core.parts.hinged import BACK, Fold, Hinged, Wants
from bouncy_latch.core.parts.slab import slab
from bouncy_latch.core.solids.outline import rectangle

LEAVES, CHAIN = "leaves", "chain"
_FLAT = {"host": (LEAVES, CHAIN)}


class LeafParams(Params):
    """Sizes of plates."""

    length: float = number(40, label="hinge edge", unit="mm", role="given", low=10, high=400, step=1, when=_FLAT, part="leaf",
                           help="Length of the leaf along the axis.", source="you")
    leaf_width: float = number(15, label="leaf width", unit="mm", role="given", low=5, high=200, step=0.5, when=_FLAT,
                               part="leaf", help="Size of a leaf or link across the axis.", source="you")
    links: int = number(4, label="links", unit="", role="given", low=2, high=20, step=1, whole=True, when={"host": (CHAIN,)},
                        part="leaf", help="Bodies in the chain.", source="you")
    leaf_thickness: float | None = number(None, label="leaf thickness", unit="mm", role="chosen", low=1, high=40, step=0.2,
                                          when=_FLAT, part="leaf", help="Thickness of the plates.")


def leaves(params: LeafParams, wants: Wants, links: int = 2) -> Hinged:
    """Return ``links`` plates in a row: 2 are two leaves, more are a chain."""
    long, wide = params.length, params.leaf_width
    thick = params.leaf_thickness or wants.thickness
    pitch = wide + wants.between
    front = Seat(edge=long, rim=thick, reach=wide, wall=wide)
    back = replace(front, frame=(*BACK[:7], -wide, *BACK[8:]))
    names = tuple(chr(ord("A") + i) for i in range(links))

    def build() -> tuple[Body, ...]:
        plate = slab(rectangle(-long / 2, -wide, long / 2, 0), thick, wants.chamfer, wants.layer)
        labels = ["leaf A", "leaf B"] if links == 2 else [f"link {i + 1}" for i in range(links)]
        return tuple(Body(name, label, plate, (1, 0, 0, 0, 0, 1, 0, i * pitch - wants.between / 2, 0, 0, 1, 0))
                     for i, (name, label) in enumerate(zip(names, labels, strict=True)))

    folds = tuple(Fold((names[i], front), (names[i + 1], back), i * pitch) for i in range(links - 1))
    return Hinged(folds, long / 2, (thick, thick), wide + wants.between / 2, thick, True, build,
                  ((names[0], back), (names[-1], front)))
