"""What became of a print, of a mechanism or of a step of a ladder, as a likelihood over growth and weld strength."""

from __future__ import annotations

import json
import math
from functools import lru_cache

from bouncy_latch.core import fields
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import SAG_BOND, SAG_FADE
from bouncy_latch.core.layers.breakaway import HAND_FORCE, TOOL_FACTOR, Strength
from bouncy_latch.core.layers.likelihood import Likelihood, class_chances, constant
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.process.evidence import Result
from bouncy_latch.core.process.profile import Process

FLAT_GAP = "flat-gap"
"""The kind of a lid over a pad, as results name it."""
LID_AREA = 121.0
"""Of such a lid, mm²."""


class Silent(SolveError):
    """Outcomes of a kind say nothing about the printer."""


def printed(item: Result, process: Process) -> Likelihood:
    """Return what became of a print as a likelihood over growth and weld factor.

    Raises:
        UserError: when its kind, sizes or process make no mechanism.
    """
    return _printed(item.kind, item.param, item.value, item.params, process)


@lru_cache(maxsize=1024)
def _printed(kind_id: str, param: str, value: float, params: str, process: Process) -> Likelihood:
    if kind_id == FLAT_GAP:
        return Lid(value, process)
    kind = registry.kind(kind_id)
    sizes = fields.parse(kind.params, json.loads(params)) if params else kind.piece_of(kind.params())
    return likelihood_of(kind.figures(sizes.changed(**{param: value}), process, keep=False))


def likelihood_of(solution: Solution) -> Likelihood:
    """Return what outcomes of a solved mechanism's print say about the printer.

    Raises:
        Silent: for a kind whose outcomes say nothing.
    """
    if solution.likelihood is None:
        raise Silent(f"outcomes of a {solution.kind} tell nothing about the printer yet")
    return solution.likelihood


@frozen
class Lid(Likelihood):
    """The lid of a flat-gap ladder: laid on its pad, or hung down onto it over empty layers; growth does not matter."""

    gap: float
    process: Process

    def chances(self, growths: Array, factors: Array) -> Array:
        """Return the chance of every outcome, (G, W, 5)."""
        empty = round(self.gap / self.process.layer_height)
        bond = self.process.bond_stacked * (1.0 if empty == 0 else SAG_BOND / SAG_FADE ** (empty - 1))
        hand = Strength(HAND_FORCE, TOOL_FACTOR * HAND_FORCE, math.inf, unfelt=1.0)
        return class_chances([constant(LID_AREA * bond, hand, self.gap)], growths, factors)
