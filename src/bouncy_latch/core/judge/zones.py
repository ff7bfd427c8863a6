"""Zones of a ruler: the chance of every outcome along a scale."""

from __future__ import annotations

import numpy as np

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Ruler
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import Scale
from bouncy_latch.core.progress import checkpoint


@frozen
class Zones:
    """Chances of the outcomes of ``scale`` at ``values``: (len(values), outcomes), rows sum to 1; NaN where nothing exists.

    ``sides``: chances of being free and of being tight enough, (len(values), 2), where both are asked.
    """

    values: Array
    chances: Array
    scale: Scale
    sides: Array | None = None


def ruler_zones(ruler: Ruler, count: int = 41) -> Zones:
    """Return the outcome chances along a ruler, everything else held."""
    values = np.linspace(ruler.low, ruler.high, count)
    chances = np.full((count, len(ruler.scale.names)), np.nan)
    sides = np.full((count, 2), np.nan)
    for i, value in enumerate(values):
        checkpoint()
        try:
            chances[i] = ruler.chances(float(value))
            if ruler.sides is not None:
                sides[i] = ruler.sides(float(value))
        except UserError:
            continue
    return Zones(values, chances, ruler.scale, sides if ruler.sides is not None else None)
