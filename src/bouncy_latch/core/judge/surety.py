"""How sure a verdict is when the sizes it rests on were measured: the spread of the readings, carried to every margin."""

from __future__ import annotations

import math

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.numbers import cdf


def surety(design: Design, solution: Solution) -> dict[str, float]:
    """Return, for every check that the measured sizes move, the chance that it holds.

    Each size is moved by its standard error (mm) both ways; half the difference is what it adds to the spread of a margin,
    and the spreads add as squares: Φ(margin / spread).
    """
    variance = dict.fromkeys((check.id for check in solution.checks), 0.0)
    for name, error in design.errors:
        sides = []
        for way in (error, -error):
            try:
                moved = design.changed(**{name: getattr(design.params, name) + way}).solve()
            except UserError:
                moved = solution
            sides.append({check.id: check.margin for check in moved.checks})
        for check_id in variance:
            if check_id in sides[0] and check_id in sides[1]:
                variance[check_id] += ((sides[0][check_id] - sides[1][check_id]) / 2) ** 2
    return {check.id: float(cdf(check.margin / math.sqrt(variance[check.id])))
            for check in solution.checks if variance[check.id] > 1e-12}
