"""Bars that give way so that a part fits whatever the printer makes of it: what they press with, and what holds it then.

They are drawn so much less proud as the printer prints fat, so that they give their travel as printed; by what this one differs
they give more or less.
"""

from __future__ import annotations

import math

from bouncy_latch.core.checks import Check
from bouncy_latch.core.flex import beams
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import HAND_FORCE
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.mechanisms.springs.sprung import Sprung

LEAD = math.radians(45)
"""Angle of the edges that lead it in, from the way it goes."""
HELD = 0.3
"""What friction must hold at the least, N: more than the part's own weight (common practice, no source)."""


@frozen
class Giving(Sprung):
    """Bars that press on what is round them."""

    @property
    def scatter(self) -> float:
        """Log spread of the load: as of every spring, and because fat prints stand out further."""
        return math.hypot(super().scatter, self.process.growth.sd / self.travel)

    @property
    def strain_scatter(self) -> float:
        """Log spread of the strain: as of every spring, and because fat prints must give further."""
        return math.hypot(super().strain_scatter, self.process.growth.sd / self.travel)

    @property
    def pulled_out(self) -> float:
        """Force that takes it out along its axis, N: friction of all that presses."""
        return float(self.process.plastic.friction * self.at_travel)

    @property
    def pushed_in(self) -> float:
        """Force that puts it in over edges at :data:`LEAD`, N: P·tan(α + atan µ)."""
        return self.at_travel * beams.mating_factor(LEAD, self.process.plastic.friction)

    @property
    def out_of_dent(self) -> float:
        """Force that takes it out of dents with flanks at :data:`LEAD`, N."""
        return self.pushed_in


def derived(s: Giving, pressing: str, dented: bool = False) -> tuple[Derived, ...]:
    """Return the figures of what gives way besides those of every spring; ``pressing``: what presses."""
    mu = f"friction {s.process.plastic.friction:.2f}"
    return (Derived("push_in", "force to put it in", s.pushed_in, "N", f"P·tan(45° + atan µ) of {pressing}", mu),
            Derived("pull_out", "force to take it out", s.pulled_out, "N", f"µ·P of {pressing}", mu),
            *((Derived("out_of_dent", "out of a dent", s.out_of_dent, "N", "P·tan(45° + atan µ)", mu),) if dented else ()))


def checks(s: Giving, mend: tuple[str, ...]) -> list[Check]:
    """Return the verdicts on what it takes to put it in, and on what holds it."""
    return [Check("goes-in", "Goes in by hand", s.pushed_in, 2 * HAND_FORCE, "N", least=False, stop=8 * HAND_FORCE, mend=mend,
                  printer=True, topic="fit", why="force to push the part in over edges of 45°",
                  basis="two hands without effort (common practice, no source)"),
            Check("stays-in", "Friction keeps the part in", s.pulled_out, HELD, "N", mend=mend, printer=True, topic="fit",
                  why="pull that friction bears when new; creep lowers it within a year",
                  basis="more than its own weight (common practice, no source)")]
