"""Parameters of a knuckle hinge: its own, and those of the bodies it can be built into."""

from __future__ import annotations

from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.parts.box import BOX, BoxParams
from bouncy_latch.core.parts.leaves import CHAIN, LEAVES, LeafParams

HOSTS = (LEAVES, BOX, CHAIN)


class KnuckleHingeParams(LeafParams, BoxParams):
    """Sizes of a knuckle hinge and its hosts."""

    host: str = choice(LEAVES, HOSTS, label="host", role="chosen", help="What the hinge is built into.")
    wall: float = number(2.4, label="wall", unit="mm", role="given", low=0.4, high=10, step=0.1,
                         help="Thickness of the walls that carry the hinge.", source="you")
    gap: float = number(0.3, label="gap", unit="mm", role="chosen", low=0.05, high=1.0, step=0.01,
                        help="Clearance between the knuckles, per side and normal to the surfaces.")
    fold_gap: float = number(0.5, label="fold gap", unit="mm", role="chosen", low=0.1, high=20, step=0.05,
                             help="Distance between the two bodies on the bed.")
    closing_gap: float = number(0.5, label="closing gap", unit="mm", role="chosen", low=0.0, high=3, step=0.05,
                                help="Distance between the rims when shut.")
    travel: float = number(180, label="travel", unit="°", role="chosen", low=10, high=270, step=1,
                           help="Swing from shut: 180 is flat as printed, more folds back.")
    pivot: str = choice("cone", ("cone", "truncated-cone", "ball"), label="pivot", role="chosen",
                        help="What carries each knuckle in its neighbour.")
    pivot_slope: float = number(45, label="pivot underside", unit="°", role="chosen", low=25, high=60, step=1,
                                help="Steepness of the pivot's underside, from vertical.")
    pivot_radius: float | None = number(None, label="pivot radius", unit="mm", role="chosen", low=0.5, high=15,
                                        step=0.05, help="Radius of the cone or ball where it leaves its knuckle.")
    knuckles: int = number(7, label="knuckles", unit="", role="chosen", low=2, high=60, step=1, whole=True,
                           help="Knuckles of both leaves together.")
    knuckle_length: float | None = number(None, label="knuckle length", unit="mm", role="chosen", low=2, high=40,
                                          step=0.1, help="Length of one knuckle along the axis.")
    barrel: float | None = number(None, label="barrel", unit="mm", role="chosen", low=2, high=40, step=0.1,
                                  help="Barrel diameter; left alone it is flush with both inner walls.")
    web_slope: float = number(45, label="web underside", unit="°", role="chosen", low=20, high=60, step=1,
                              help="Steepness of the web that carries a knuckle, from vertical.")
    bed_chamfer: float = number(0.4, label="bed chamfer", unit="mm", role="chosen", low=0, high=3, step=0.05,
                                help="45° chamfer along every bed edge, against the elephant foot; a whole number of layers.")
    play_limit: float = number(0.3, label="play allowed", unit="mm", role="chosen", low=0.05, high=2, step=0.05,
                               help="How far knuckles may slide between each other, ± about the middle.")
    wobble_limit: float | None = number(None, label="wobble allowed", unit="mm", role="chosen", low=0.05, high=10, step=0.05,
                                        help="How far the free edge may wander sideways, ± about the middle; left alone it "
                                             "grows with the reach of the lid or leaf.")
