"""Sizes of a pocket for a nut, and of the block it is in."""

from __future__ import annotations

from bouncy_latch.core.fields import Params, choice, number
from bouncy_latch.core.standards import tables

OWN = "own"
NUTS = (OWN, *tables.nuts())
PRESSED, DROPPED, SLID, SEALED, PULLED = STYLES = ("pressed", "dropped", "slid", "sealed", "pulled")
YES, NO = "yes", "no"
HEXAGON, SQUARE = "hexagon", "square"
BRIDGE, GABLE = "bridge", "45° roof"
OCTAGON, TEARDROP = "octagon", "teardrop"
FINE, MEDIUM, COARSE = "fine", "medium", "coarse"


class NutPocketParams(Params):
    """Sizes of a pocket for a nut."""

    nut: str = choice("M5", NUTS, label="nut", role="given", source="you",
                      help="A nut of the tables (ISO 4032; -thin ISO 4035, -lock ISO 7040, -square DIN 562; inch sizes), or "
                           "your own.")
    style: str = choice(PRESSED, STYLES, label="how it goes in", role="chosen",
                        help="Pressed by hand, dropped, slid in from the side, sealed in at a pause, or pulled in by a screw.")
    lying: str = choice(NO, (NO, YES), label="horizontal bore", role="chosen", help="Whether the screw's axis lies along "
                                                                                       "the bed.")
    diameter: float = number(5, label="screw", unit="mm", role="given", low=1.5, high=24, step=0.1, source="you",
                             when={"nut": (OWN,)}, help="Thread diameter of your own nut: 5 for M5.")
    flats: float = number(8, label="across flats", unit="mm", role="given", low=2.5, high=50, step=0.01, source="you",
                          when={"nut": (OWN,)}, help="Greatest size of your own nut, measured.")
    thickness: float = number(4.7, label="nut height", unit="mm", role="given", low=0.8, high=40, step=0.01, source="you",
                              when={"nut": (OWN,)}, help="Greatest size of your own nut, measured.")
    shape: str = choice(HEXAGON, (HEXAGON, SQUARE), label="nut's shape", role="given", when={"nut": (OWN,)}, source="you",
                        help="Whether your own nut has six sides or four.")
    differs: float = number(0.05, label="nut size varies by", unit="mm", role="given", low=0, high=0.5, step=0.01,
                            when={"nut": (OWN,)}, help="How far the nuts of your box differ across flats.")
    allowance: float = number(0.02, label="allowance", unit="mm", role="chosen", low=-0.6, high=1.2, step=0.01,
                              help="How much wider than the largest nut the pocket is drawn across flats, both sides together.")
    land: float = number(1.6, label="pressed height", unit="mm", role="chosen", low=0.6, high=40, step=0.2,
                         when={"style": (PRESSED, PULLED)},
                         help="Height of the band at the pocket's bottom that presses the nut; above it the pocket is wider. A "
                              "lower band forgives a less exact printer and bears less torque.")
    wall: float = number(3, label="wall", unit="mm", role="chosen", low=0.8, high=30, step=0.1,
                         help="Plastic left round the pocket at its corners.")
    floor: float = number(3, label="floor", unit="mm", role="chosen", low=0.6, high=60, step=0.2,
                          help="Thickness of the floor the screw pulls the nut against.")
    roof: float = number(2, label="roof", unit="mm", role="chosen", low=0.6, high=30, step=0.2, when={"style": (SEALED, SLID)},
                         help="Thickness of the roof over the nut.")
    closed: str = choice(BRIDGE, (BRIDGE, GABLE), label="closed by", role="chosen", when={"style": (SEALED, SLID)},
                         help="A flat bridge over the nut, or two slopes of 45° that need no bridge.")
    bore: str = choice(OCTAGON, (OCTAGON, TEARDROP), label="bore shape", role="chosen", when={"lying": (YES,)},
                       help="Shape that lets a horizontal screw hole print without support: an octagon, or a circle with a "
                            "peak.")
    fit: str = choice(MEDIUM, (FINE, MEDIUM, COARSE), label="screw hole", role="chosen", source="ISO 273, from memory",
                      help="Class of the screw's clearance hole as printed (ISO 273).")
    bump: float = number(0.5, label="bump", unit="mm", role="chosen", low=0, high=1.5, step=0.05, when={"style": (SLID,)},
                         help="Height of the ridge the nut slides over and is kept by.")
    hold: float = number(150, label="must hold", unit="N", role="given", low=1, high=20000, step=5, source="you",
                         help="Pull of the screw that the pocket must bear.")
