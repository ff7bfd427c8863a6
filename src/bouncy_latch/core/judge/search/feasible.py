"""What is possible: designs of one kind spread over its sizes, by the two figures that pull against each other in it."""

from __future__ import annotations

import math
from typing import Any

from bouncy_latch.core.checks import OK
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, ParamError, UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Derived, Solution
from bouncy_latch.core.numbers import evenly_spread
from bouncy_latch.core.progress import Progress, unwatched

COUNT = 150
"""Designs that are tried."""
WIDEST = 2.0
"""Every size is tried from one so many times smaller to one so many times larger than it is."""


@frozen
class Tried:
    """One design.

    Attributes:
        changes: its sizes. figure: of the trade, in its unit. share: of what the verdict allows, per cent. chance: that it
        works, per cent. holds: whether every verdict does, but for what is asked of it and the chance that is made of them.
        short: label of the one that is missed by most; empty where none is.
    """

    changes: dict[str, Any]
    figure: float
    share: float
    chance: float
    holds: bool
    short: str


@frozen
class Possible:
    """Designs of a kind.

    Attributes:
        figure: the one of the trade, of the design as it is. limited: what the other is called. tried: all that can be made.
        own: the design as it is. asked: what is asked of the figure; None where nothing is.
    """

    figure: Derived
    limited: str
    tried: tuple[Tried, ...]
    own: Tried
    asked: float | None


def _tried(design: Design, solution: Solution, changes: dict[str, Any]) -> Tried:
    figure, verdict = design.kind.tuning.trade_off  # type: ignore[misc]
    check = solution.check(verdict)
    failing = [c for c in solution.checks if c.verdict != OK and c.id != solution.aim.check and c.log_error is None]
    short = min(failing, key=lambda c: c.margin / (abs(c.limit) or 1.0)).label if failing else ""
    return Tried(changes, solution.value(figure), 100 * check.value / check.limit, 100 * solution.aim.chance, not failing,
                 short)


def possible(design: Design, fixed: frozenset[str] = frozenset(), progress: Progress = unwatched,
             count: int = COUNT) -> Possible:
    """Return designs with the tuned sizes of a kind spread round those of ``design``; ``fixed`` ones stay as they are.

    Raises:
        ParamError: for a kind in which nothing pulls against anything.
        SolveError: when the present sizes describe no part.
        Cancelled: when ``progress`` returned False.
    """
    if not design.kind.tuning.trade_off:
        raise ParamError(f"nothing is plotted of what is possible with a {design.kind.title.lower()}", field="kind")
    solution = design.solve()
    facts, active = design.params.facts(), design.params.active()
    names = [name for name in design.kind.tuning.sizes if name in active and name not in fixed]
    found = []
    for number, spread in enumerate(evenly_spread(max(len(names), 1), count if names else 0)):
        if not progress(number / count):
            raise Cancelled
        changes = {name: facts[name].rounded(float(getattr(design.params, name)) * WIDEST ** (2 * float(part) - 1))
                   for name, part in zip(names, spread, strict=True)}
        try:
            other = design.changed(**changes)
            found.append(_tried(other, other.solve(), changes))
        except UserError:
            continue
    progress(1.0)
    own = _tried(design, solution, {})
    off = next((check.log_error for check in solution.checks if check.log_error is not None), None)
    asked = own.figure * math.exp(-off) if off is not None else None
    figure = next(d for d in solution.derived if d.name == design.kind.tuning.trade_off[0])
    return Possible(figure, solution.check(design.kind.tuning.trade_off[1]).label, tuple(found), own, asked)
