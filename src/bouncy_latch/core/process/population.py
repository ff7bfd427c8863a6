"""The population of printers, for designs that must work on anyone's machine.

All values: common practice, no source. They are a prior, wide on purpose.
"""

from __future__ import annotations

import math

from bouncy_latch.core.process.profile import UNRELATED, Policy, Process, Spread

FORCE = Spread(mean=0.0, sd=0.15)
"""The same of forces, their logarithm: 15 % (common practice, no source)."""
GROWTH = Spread(mean=0.04, sd=0.05)
"""Of the layers' edges on average; a caliper finds :data:`RIDGE` more, so that outsides measure 0 to 0.36 over on a diameter,
0.18 as a rule: less on printers that were tuned, more on those that never were (common practice, no source)."""
RIDGE = Spread(mean=0.05, sd=0.025)
EDGE_NOISE = 0.04
ELEPHANT_FOOT = Spread(mean=0.18, sd=0.09)
HOLE_TERM = Spread(mean=0.08, sd=0.04)
PEG_TERM = Spread(mean=0.03, sd=0.03)
SHRINKAGE = Spread(mean=0.3, sd=0.25)
SAG = Spread(mean=0.5, sd=0.25)
FLANK = Spread(mean=0.0, sd=0.03)
FIT, POCKET, BOSS = Spread(mean=0.0, sd=0.03), Spread(mean=0.0, sd=0.045), Spread(mean=0.0, sd=0.04)
"""What the model of each family does not know (a bag of nuts differs from the next one by 0.02 a side, too)."""
BOND_SPREAD = 0.6
STIFFNESS_SPREAD = 0.25
"""Of the modulus of one kind of material between makers and settings, of its mean."""


def effective(process: Process, policy: Policy) -> Process:
    """Return the process a design is judged by: the user's own, or the population at the same layer height and lines."""
    if policy is Policy.MINE:
        return process
    return process.model_copy(update={
        "growth": GROWTH,
        "edge_noise": EDGE_NOISE,
        "elephant_foot": ELEPHANT_FOOT,
        "hole_term": HOLE_TERM,
        "peg_term": PEG_TERM,
        "correlated": UNRELATED,
        "fit": FIT,
        "pocket": POCKET,
        "boss": BOSS,
        "snap_force": FORCE,
        "spring_force": FORCE,
        "shrinkage": SHRINKAGE,
        "sag": SAG,
        "ridge": RIDGE,
        "flank": FLANK,
        "bond_spread": math.hypot(process.bond_spread, BOND_SPREAD),
        "modulus": Spread(mean=process.modulus.mean,
                          sd=math.hypot(process.modulus.sd, STIFFNESS_SPREAD * process.modulus.mean)),
        "source": "population of printers (common practice)",
    })


UNTESTED = {"source": "typical printer, untested"}
TYPICAL = effective(Process(id="typical-pla", printer="Typical printer", material="PLA", colour="any"),
                    Policy.ANYONE).model_copy(update=UNTESTED)
"""For a project that was told of no printer yet."""


def built_in() -> tuple[Process, ...]:
    """Return the processes every new project starts with: two made-up printers."""
    return (
        Process(id="heron-pla-slate-020", printer="Heron", material="PLA", colour="slate",
                growth=Spread(mean=0.05, sd=0.02), flank=Spread(mean=0.0, sd=0.012), pocket=Spread(mean=0.0, sd=0.015),
                source="example printer, tuned"),
        Process(id="gannet-petg-kelp-028", printer="Gannet", material="PETG", colour="kelp", layer_height=0.28,
                first_layer_height=0.3, line_width=0.5, growth=Spread(mean=0.11, sd=0.05), edge_noise=0.05,
                elephant_foot=Spread(mean=0.28, sd=0.1), shrinkage=Spread(mean=0.35, sd=0.15),
                source="example printer, sloppy"),
    )
