"""Which candidate serves best: what counts, how much, and the score that follows, all of it on the screen."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

from bouncy_latch.core.choosing.candidate import Candidate
from bouncy_latch.core.frozen import frozen

WIDE = 0.5
"""Print window beyond which a wider one is no better, mm."""
THUMB, LIGHT, DISC = 40.0, 10.0, 4 * math.pi
"""Push of a thumb, N, and grams, at which half of the mark is given; outline² over area of a disc (the first two common
practice, no source)."""
AMPLE = 3.0
"""How many times the wanted load is as good as can be."""
UNKNOWN = 0.5
"""Mark of a figure that a kind does not have."""


@frozen
class Criterion:
    """One thing that counts: its name, its words for the user, and the weight it has at first."""

    name: str
    label: str
    help: str
    weight: float


CRITERIA = (
    Criterion("works", "works on this printer", "Chance that a print works on the chosen printer.", 1.0),
    Criterion("window", "swallows printer error", "Width of the print window; 0.5 mm and more counts fully.", 0.8),
    Criterion("anyone", "works on anyone's printer", "Chance that a print works on a printer nobody measured.", 0.4),
    Criterion("effort", "easy to put together", "Push that it takes; a thumb's 40 N counts half.", 0.4),
    Criterion("holds", "holds with a margin", "What it holds over what is wanted; three times counts fully.", 0.4),
    Criterion("plain", "plain first layer", "Outline² over area of the first layer; a disc counts fully.", 0.2),
    Criterion("light", "little plastic", "Grams of the test piece; 10 g count half.", 0.2),
)
"""What counts. The weights are our own choice; the user drags them."""
WEIGHTS = {each.name: each.weight for each in CRITERIA}


def marks(each: Candidate) -> dict[str, float]:
    """Return the mark of a candidate in every criterion, 0 to 1."""
    load = next((met for met in each.met if met.name == "load"), None)
    more = each.more
    found = {
        "works": each.chance,
        "effort": UNKNOWN if math.isnan(each.effort) else 1 / (1 + max(each.effort, 0.0) / THUMB),
        "holds": min(load.value / load.wanted / AMPLE, 1.0) if load else UNKNOWN,
    }
    if more is None:
        return {**dict.fromkeys(WEIGHTS, UNKNOWN), **found}
    return {**found, "anyone": more.anyone, "window": min((more.window.width if more.window else 0.0) / WIDE, 1.0),
            "plain": min(DISC / max(more.plain.outline, DISC), 1.0), "light": 1 / (1 + more.grams / LIGHT)}


def score(each: Candidate, weights: Mapping[str, float] = WEIGHTS) -> float:
    """Return the weighted mean of a candidate's marks, 0 to 100."""
    found = marks(each)
    whole = sum(weights.values())
    return 100 * sum(weight * found[name] for name, weight in weights.items()) / whole if whole > 0 else 0.0


def ranked(candidates: Iterable[Candidate], weights: Mapping[str, float] = WEIGHTS) -> tuple[Candidate, ...]:
    """Return candidates best first: those that do all that is wanted, then those that miss least of it, each by score."""
    return tuple(sorted(candidates, key=lambda each: (not each.reached, sum(not met.holds for met in each.met),
                                                      -score(each, weights))))
