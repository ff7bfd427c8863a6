"""Results that contradict by far what is known: they are asked about, not learnt in silence."""

from __future__ import annotations

import math
from collections.abc import Sequence

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.learn.experience import Experience
from bouncy_latch.core.learn.posterior.belief import scale_of
from bouncy_latch.core.learn.posterior.outcome import printed
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.evidence import Reading, Result

LEAST = 0.003
"""Chance below which an outcome is asked about; one record in thirty is a slip (common practice, no source)."""


@frozen
class Question:
    """A result that is asked about, how likely it was, and a sentence."""

    item: Result
    chance: float
    sentence: str


def questions(known: Experience, items: Sequence[Result | Reading]) -> list[Question]:
    """Return what is to be asked about of new results, given all that is known of their process."""
    found = []
    for item in items:
        if not isinstance(item, Result) or item.kind not in registry.ids():
            continue
        names = scale_of(item.kind).names
        if item.outcome not in names:
            continue
        belief = known.learnt.belief
        try:
            likelihood = printed(item, known.believed)
        except (UserError, ValueError):
            continue  # it teaches nothing
        chances = likelihood.chance_of(names.index(item.outcome), belief.growths, belief.factors)
        chance = float((belief.weights * chances).sum())
        if chance < LEAST:
            kind = registry.kind(item.kind)
            label = kind.params.facts()[item.param].label
            found.append(Question(item, chance, (
                f"A {kind.title.lower()} with {label} {item.value:g} mm that came out '{item.outcome}' contradicts what is "
                f"known of this printer, where fewer than {math.ceil(1000 * chance) + 1} prints in 1000 come out so. The "
                f"result is kept but does not count yet: check its size and its outcome, and count it on the evidence page if "
                f"both are right.")))
    return found
