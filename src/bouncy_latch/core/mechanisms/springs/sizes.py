"""Parameters every spring has: how often it is used, how thick and high its bar is, and how it is filled."""

from __future__ import annotations

from bouncy_latch.core.fields import Params, number
from bouncy_latch.core.mechanisms.contract import Answer, Answers
from bouncy_latch.core.mechanisms.contract.answer import DAILY, NEVER, SOMETIMES

FORCE_HELP = "Force asked at the travel. Left empty, any force will do."
CAUTIONS = ("A spring stores energy: wear eye protection when you break one in.",
            "Nothing that people hang on, no load overhead: plastic creeps when it is held, and tears without warning.",
            "Estimates for filament prints; material values are typical, from memory, until you put in your own.")


class SpringParams(Params):
    """What every spring is asked for and made with."""

    cycles: float = number(1000, label="times used", unit="", role="given", low=1, high=1_000_000, step=100, source="you",
                           help="How often it is bent in its life; more uses allow less strain.")
    rate_asked: float | None = number(None, label="stiffness asked", unit="", role="given", low=0.001, high=1_000_000, step=0.1,
                                      source="you", help="Stiffness at the beginning of the travel, N/mm or N·mm/turn. Left "
                                                         "empty, any stiffness will do.")
    energy_asked: float | None = number(None, label="energy asked", unit="N·mm", role="given", low=0.01, high=10_000_000,
                                        step=1, source="you", help="Energy stored over the travel. Left empty, any energy "
                                                                   "will do.")

    thickness: float = number(1.2, label="thickness", unit="mm", role="chosen", low=0.4, high=10, step=0.05,
                              help="Thickness of the bar in the plane it bends in: twice as thick is eight times as stiff.")
    width: float = number(6, label="height", unit="mm", role="chosen", low=0.6, high=80, step=0.5,
                          help="Height above the bed: twice as high is twice as stiff.")
    loops: int | None = number(None, label="wall lines", unit="", role="chosen", low=1, high=20, step=1, whole=True,
                               help="Wall lines the slicer lays. Left empty, the process's own.", source="the process")

ANSWERS: Answers = {
    "force": Answer("force", figure="force"), "travel": Answer("travel"),
    "opened": Answer(sets={NEVER: {"cycles": 1}, SOMETIMES: {"cycles": 50}, DAILY: {"cycles": 3000}}),
}
"""How springs answer a need: what is undone daily is used 3000 times."""
