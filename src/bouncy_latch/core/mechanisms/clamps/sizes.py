"""Sizes of a clamp round a tube."""

from __future__ import annotations

from bouncy_latch.core.fields import Params, choice, number
from bouncy_latch.core.parts import blocks

HALVES, SPLIT = "halves", "split"
LOOSE, PRESSED = "loose", "pressed"


class TubeClampParams(Params):
    """Sizes of a clamp round a tube."""

    form: str = choice(HALVES, (HALVES, SPLIT), label="form", role="chosen",
                       help="Two halves round a tube that is in place, or one ring pushed over its end.")
    diameter: float = number(20, label="tube diameter", unit="mm", role="given", low=3, high=200, step=0.1,
                             help="Measured diameter of the tube or pole.", source="you")
    along: float = number(60, label="must bear along", unit="N", role="given", low=1, high=5000, step=1,
                          help="Force along the tube that must not make it slide.", source="you")
    twist: float = number(0, label="must bear turning", unit="N·mm", role="given", low=0, high=100000, step=10,
                          help="Torque about the tube that must not turn the clamp; 0 if nothing turns it.", source="you")
    screw: float = number(4, label="screw", unit="mm", role="given", low=2, high=10, step=0.5,
                          help="Thread diameter: 4 for M4.", source="you")
    screws: int = number(1, label="screws a side", unit="", role="chosen", low=1, high=4, step=1, whole=True,
                         help="How many screws hold each side, one behind the other along the tube.")
    torque: float = number(110, label="tightening torque", unit="N·mm", role="chosen", low=5, high=5000, step=5,
                           help="Torque on each screw: two fingers on a small driver give some 150, a whole hand 500 to 1000.")
    wall: float = number(5.2, label="wall", unit="mm", role="chosen", low=1.2, high=30, step=0.1, help="Thickness of the ring.")
    width: float = number(20, label="width", unit="mm", role="chosen", low=4, high=200, step=0.5, help="Width along the tube.")
    ear: float = number(8, label="lug", unit="mm", role="chosen", low=1.5, high=40, step=0.5,
                        help="Thickness of the lugs in the direction they are pulled.")
    fillet: float = number(2.5, label="lug fillet", unit="mm", role="chosen", low=0.3, high=20, step=0.1,
                           help="Radius between lug and ring, where clamps crack.")
    gap: float = number(2, label="gap", unit="mm", role="chosen", low=0.3, high=20, step=0.1,
                        help="Drawn distance between the lugs; some of it must be left when tight.")
    clearance: float = number(0.2, label="clearance", unit="mm", role="chosen", low=0.0, high=1.5, step=0.01,
                              help="Between tube and ring, per side, as drawn.")
    hole: float = number(0.5, label="hole over screw", unit="mm", role="chosen", low=0.1, high=2, step=0.05,
                         help="How much wider than the screw its holes are drawn.")
    nuts: str = choice(LOOSE, (LOOSE, PRESSED), label="nuts", role="chosen",
                       help="How the nuts are held: by a wrench, or pressed into pockets of the lug that stands on the foot.")
    allowance: float = number(0.02, label="nut allowance", unit="mm", role="chosen", low=-0.6, high=1.2, step=0.01,
                              when={"nuts": (PRESSED,)}, help="How much wider than the largest nut the pockets are drawn "
                                                              "across flats.")
    foot: float = number(14, label="foot", unit="mm", role="given", low=2, high=200, step=0.5, source="you",
                         help="Width of what the clamp stands on.")
    backing: float = blocks.backing(14, label="block behind", low=1, high=200, part="foot",
                                    help="Length of the block the part stands on.")
    loops: int | None = number(None, label="wall lines", unit="", role="chosen", low=1, high=20, step=1, whole=True,
                               help="Wall lines the slicer lays. Left empty, the process's own.", source="the process")
