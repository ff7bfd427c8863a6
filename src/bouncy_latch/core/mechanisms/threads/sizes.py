"""Sizes of a printed thread and of what carries it."""

from __future__ import annotations

from bouncy_latch.core.fields import Params, choice, number
from bouncy_latch.core.standards import tables

OWN = "own"
SIZES = (OWN, *tables.threads())
STANDARD, PRINTABLE = "standard", "printable"
BOLT, CAP, HOLE, KNOB = PRODUCTS = ("bolt-and-nut", "cap-and-neck", "hole-and-bolt", "knob")
HEXAGON, FLANGE, SOCKET, KNURLED, LOBED = HEADS = ("hexagon", "flange", "socket", "knurled", "lobed")
RIGHT, LEFT = "right", "left"


class ThreadParams(Params):
    """Sizes of a printed bolt and nut, a cap on its neck, a threaded hole, or a knob."""

    product: str = choice(BOLT, PRODUCTS, label="product", role="given",
                          help="What carries the two halves of the thread; both come from the same definition.", source="you")
    size: str = choice(OWN, SIZES, label="size", role="given", source="you",
                       help="Metric (ISO 261), coarse inch such as 3/8 (UNC), or a diameter and pitch of your own.")
    diameter: float = number(8, label="diameter", unit="mm", role="given", low=2, high=120, step=0.5, source="you",
                             when={"size": (OWN,)}, help="Nominal diameter of the thread.")
    pitch: float = number(1.25, label="pitch", unit="mm", role="given", low=0.3, high=12, step=0.05, source="you",
                          when={"size": (OWN,)}, help="Distance from crest to crest.")
    profile: str = choice(STANDARD, (STANDARD, PRINTABLE), label="profile", role="chosen", source="ISO 68-1",
                          help="The metric profile, which fits bought parts, or one whose flanks print without drooping.")
    flank: float = number(45, label="flank", unit="°", role="chosen", low=30, high=60, step=1, when={"profile": (PRINTABLE,)},
                          help="Half angle of the printable profile's flanks: they overhang by 90° less this.")
    gap: float = number(0.15, label="drawn gap", unit="mm", role="chosen", low=0, high=0.6, step=0.01,
                        when={"profile": (PRINTABLE,)},
                        help="Drawn distance between the faces of the printable profile before any offset, normal to them.")
    starts: int = number(1, label="starts", unit="", role="chosen", low=1, high=6, step=1, whole=True,
                         help="Threads side by side: lead = starts · pitch.")
    hand: str = choice(RIGHT, (RIGHT, LEFT), label="hand", role="chosen", help="Which way it is turned to go in.")
    length: float = number(16, label="thread length", unit="mm", role="given", low=2, high=200, step=0.5, source="you",
                           help="Length of the outer thread along its axis.")
    offset: float = number(0.2, label="offset", unit="mm", role="chosen", low=-0.1, high=0.8, step=0.01,
                           help="Clearance of the thread: every face of the outer thread is drawn so far inside its nominal "
                                "place, normal to it.")
    engaged: float | None = number(None, label="engaged", unit="mm", role="chosen", low=1, high=100, step=0.5,
                                   source="0.8 · diameter, as nuts have it", help="Length of the inner thread.")
    head: str = choice(HEXAGON, HEADS, label="head", role="chosen", help="What the bolt is turned by.",
                       when={"product": (BOLT, HOLE, KNOB)})
    flats: float | None = number(None, label="across flats", unit="mm", role="chosen", low=3, high=150, step=0.1,
                                 source="ISO 4032 where the size is in its table, else 1.6 · diameter",
                                 help="Size across flats of heads and nuts: the wrench that turns them.")
    eased: float = number(0.22, label="wrench allowance", unit="mm", role="chosen", low=-0.2, high=1, step=0.02,
                          when={"product": (BOLT, HOLE, KNOB)}, source="twice a usual growth",
                          help="How much narrower than the wrench the hexagon is drawn, both sides together.")
    wall: float = number(2.4, label="wall", unit="mm", role="chosen", low=0.8, high=20, step=0.1,
                         help="Plastic left beside the thread, inside a neck and round a threaded hole.")
    hold: float = number(50, label="must hold", unit="N", role="given", low=1, high=20000, step=1, source="you",
                         help="Pull along the axis that the thread must bear.")
