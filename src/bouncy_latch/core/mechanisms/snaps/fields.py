"""Parameters every snap fit has: what it must do, how it is printed, and the clearance it is made with."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from bouncy_latch.core.fields import Params, choice, number
from bouncy_latch.core.flex.section import ALONG, UPRIGHT, Fill
from bouncy_latch.core.mechanisms.contract import Answer, Answers, Question
from bouncy_latch.core.mechanisms.contract.answer import DAILY, NEVER, SIDEWAYS, SOMETIMES
from bouncy_latch.core.process.profile import Process

REMOVABLE, PERMANENT, EITHER = "removable", "permanent", "either"
ALONE, TOGETHER = "one part at a time", "all together"
LAYERS = ("along", "across")
TILTED, STRAIGHT = "tilted", "straight"
LOOSE = 0.15
"""Play along the way beyond which a seated snap rattles, mm (common practice, no source)."""


def entry(when: Mapping[str, tuple[Any, ...]] | None = None) -> Any:
    """Return the parameter that says how opposed catches, or a bead all round, go in; ``when``: other choices it needs."""
    return choice(TILTED, (TILTED, STRAIGHT), label="goes in", role="given", source="you",
                  help="Tilted by hand, one side first, where that is easier; or straight, because the part is guided or there "
                       "is no room to tilt it.", when=when)


class SnapParams(Params):
    """What is asked of a snap fit and how it is printed."""

    push: float = number(40, label="push at most", unit="N", role="given", low=1, high=400, step=1,
                         help="Greatest push a hand may need to close the part; one thumb gives about 40 N (common practice).",
                         source="you")
    hold: float = number(10, label="must hold", unit="N", role="given", low=0.1, high=2000, step=0.5,
                         help="Pull the closed part must bear without letting go.", source="you")
    cycles: int = number(20, label="times opened", unit="", role="given", low=1, high=100000, step=1, whole=True,
                         help="How often the part is closed and opened in its life; more uses allow less strain.", source="you")
    release: str = choice(EITHER, (EITHER, REMOVABLE, PERMANENT), label="must be", role="given", source="you",
                          help="Whether a pull must open the part; the back face and its friction decide whether it does.")
    click_asked: float | None = number(None, label="click at least", unit="N·mm", role="given", low=0.05, high=500, step=0.5,
                                       source="you",
                                       help="Energy the snap frees as it drops behind the edge. About 0.5 N·mm is felt, 2 is "
                                            "heard at arm's length, 8 across a room (common practice, no source). Left empty, "
                                            "no click is asked for.")
    play: float = number(LOOSE, label="play at most", unit="mm", role="given", low=0.0, high=5.0, step=0.05, source="you",
                         help="How far the closed part may move back before its back face catches; from 0.15 mm on it rattles "
                              "(common practice, no source).")
    layers: str = choice("along", LAYERS, label="bending direction", role="chosen",
                         help="Along the layers (printed lying, strong) or across them (printed upright, where bending splits "
                              "the layers).")
    clearance: float = number(0.26, label="clearance", unit="mm", role="chosen", low=0.0, high=1.0, step=0.01,
                              help="Drawn distance between the two parts, per side, where they need not touch.")
    edge: float = number(0.2, label="edge radius", unit="mm", role="chosen", low=0.0, high=2.0, step=0.05,
                         help="Rounding of the edges that rub.")
    loops: int | None = number(None, label="wall lines", unit="", role="chosen", low=1, high=20, step=1, whole=True,
                               help="Wall lines the slicer lays; they decide the stiffness. Left empty, the process's own.",
                               source="the process")
    infill: float | None = number(None, label="infill", unit="%", role="chosen", low=0, high=100, step=5,
                                  help="Filling between the walls. Left empty, the process's own.", source="the process")
    order: str = choice(ALONE, (ALONE, TOGETHER), label="print", role="chosen",
                        help="One part after the other keeps strings out of the gaps between arms.")

    def fill(self, process: Process) -> Fill:
        """Return how an arm of this part is filled on ``process``."""
        loops = self.loops if self.loops is not None else process.loops
        filled = self.infill / 100 if self.infill is not None and not process.cured else process.filled
        lay = ALONG if self.layers == "along" else UPRIGHT
        return Fill(loops, process.line_width, filled, process.solid_layers * process.layer_height, lay)


def questions(*own: Question) -> tuple[Question, ...]:
    """Return a kind's questions with those every snap fit is asked."""
    return (
        Question("How hard may it go in, and what must it hold?", ("push", "hold")),
        Question("How often is it opened, and must it come out again?", ("cycles", "release")),
        Question("Should it click, and may it rattle?", ("click_asked", "play")),
        *own,
        Question("How is it printed?", ("layers", "loops", "infill", "order")),
    )


CAUTIONS = (
    "Small catches snap off and fly: wear eye protection when you try them, keep them from children.",
    "Plastic held bent creeps, faster when warm; a cap over pressure, or anything that guards people, needs more than this.",
    "Estimates for unfilled filament prints; material values are typical, from memory, until you put in your own.",
)

ANSWERS: Answers = {
    "effort": Answer("push", figure="insertion"), "load": Answer("hold", figure="retention"),
    "click": Answer("click_asked", figure="click"), "play": Answer("play", figure="rattle"),
    "direction": Answer(refuses={SIDEWAYS: "its hold is worked out against a pull apart; a step or a pin must take the load "
                                           "across"}),
    "opened": Answer(sets={NEVER: {"cycles": 1}, SOMETIMES: {"cycles": 50, "release": REMOVABLE},
                           DAILY: {"cycles": 3000, "release": REMOVABLE}}),
}
"""How every snap fit answers a need: what is undone must come out again, what is undone daily 3000 times."""
