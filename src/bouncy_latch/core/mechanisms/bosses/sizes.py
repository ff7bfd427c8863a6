"""Sizes of a screw's hole, its head's recess and its boss."""

from __future__ import annotations

from bouncy_latch.core.fields import Params, choice, number
from bouncy_latch.core.standards import tables

SCREWS = tuple(tables.screws())
COUNTERBORE, COUNTERSINK, NONE = HEADS = ("counterbore", "countersink", "none")
CLEARANCE, FORMING, INSERT = CORES = ("clearance", "self-forming", "heat-insert")
YES, NO = "yes", "no"


class ScrewBossParams(Params):
    """Sizes of a plate with a screw's hole, and the boss round it."""

    screw: str = choice("M4", SCREWS, label="screw", role="given", source="ISO 4762, from memory", help="Thread of the screw.")
    core: str = choice(CLEARANCE, CORES, label="hole", role="chosen",
                       help="What the hole does: it lets the screw through, takes the thread the screw forms, or holds an "
                            "insert set by heat.")
    head: str = choice(COUNTERBORE, HEADS, label="head", role="chosen", when={"core": (CLEARANCE,)},
                       help="Recess that hides the screw's head, on the side that lies on the bed.")
    bridge: str = choice(YES, (YES, NO), label="bridge", role="chosen", when={"head": (COUNTERBORE,), "core": (CLEARANCE,)},
                         help="One layer closes the hole over the counterbore, so that it prints without support; the screw "
                              "pushes it out, or a drill.")
    fit: str = choice("medium", ("fine", "medium", "coarse"), label="clearance", role="chosen", source="ISO 273, from memory",
                      when={"core": (CLEARANCE,)}, help="Class of the clearance hole as printed (ISO 273).")
    allowance: float = number(0.2, label="allowance", unit="mm", role="chosen", low=-0.4, high=1, step=0.01,
                              help="How much wider than wanted the hole is drawn, on the diameter; outline growth and hole "
                                   "shrink take it back.")
    plate: float = number(3, label="plate", unit="mm", role="given", low=0.8, high=60, step=0.2, source="you",
                          help="Thickness of what the boss stands on.", part="plate")
    boss: float = number(8, label="boss", unit="mm", role="chosen", low=0, high=80, step=0.5,
                         help="Height of the boss over the plate; 0 for none.")
    wall: float = number(2.4, label="wall", unit="mm", role="chosen", low=0.8, high=20, step=0.1,
                         help="Plastic round the hole of the boss, and round the head in the plate.")
    fillet: float = number(2, label="fillet", unit="mm", role="chosen", low=0, high=10, step=0.1,
                           help="Radius at the foot of the boss, where bosses break off.")
    hide: float = number(0.3, label="head below", unit="mm", role="chosen", low=0, high=20, step=0.1,
                         when={"core": (CLEARANCE,), "head": (COUNTERBORE, COUNTERSINK)},
                         help="How far the head lies below the surface.")
    hold: float = number(100, label="must hold", unit="N", role="given", low=1, high=20000, step=5, source="you",
                         help="Pull of the screw that the boss must bear.")
