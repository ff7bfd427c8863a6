"""Parameters every spring has: how often it is used, how thick and high its bar is, and how it is filled."""

from __future__ import annotations

from bouncy_latch.core.fields import Params, number

FORCE_HELP = "What it should give at its travel; empty: whatever it gives."
CAUTIONS = ("A spring stores energy: wear eye protection when you break one in.",
            "Nothing that people hang on, no load overhead: plastic creeps when it is held, and tears without warning.",
            "Estimates for filament prints; material values are typical, from memory, until you put in your own.")


class SpringParams(Params):
    """What every spring is asked for and made with."""

    cycles: float = number(1000, label="times used", unit="", role="given", low=1, high=1_000_000, step=100, source="you",
                           help="1: once; more: it must stand it often.")
    rate_asked: float | None = number(None, label="stiffness asked", unit="", role="given", low=0.001, high=1_000_000, step=0.1,
                                      source="you", help="At the beginning, N a mm or N·mm a turn; empty: whatever it has.")
    energy_asked: float | None = number(None, label="energy asked", unit="N·mm", role="given", low=0.01, high=10_000_000,
                                        step=1, source="you", help="Stored along its travel; empty: whatever it stores.")

    thickness: float = number(1.2, label="thickness", unit="mm", role="chosen", low=0.4, high=10, step=0.05,
                              help="In the plane it bends in; this tunes it most: twice as thick, eight times as stiff.")
    width: float = number(6, label="height", unit="mm", role="chosen", low=0.6, high=80, step=0.5,
                          help="Above the bed; twice as high is twice as stiff.")
    loops: int | None = number(None, label="wall lines", unit="", role="chosen", low=1, high=20, step=1, whole=True,
                               help="Wall lines the slicer lays; as the process has it if left alone.", source="the process")
