"""The print window: the span of printer growth inside which a design passes its checks; and the recommended size."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from bouncy_latch.core.checks import OK
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.mechanisms.contract import Kind, Solution
from bouncy_latch.core.mechanisms.fields import Params
from bouncy_latch.core.process.profile import Process

LOW, HIGH = -0.3, 0.6
"""Growth beyond which no printer is worth considering, mm per side."""
AIM = 0.95
_STEP = 0.03
_TOLERANCE = 0.002
_TRIES = 12


@dataclass(frozen=True)
class PrintWindow:
    """Growth from ``low`` (thin) to ``high`` (fat), mm per side; None for a design that never passes."""

    low: float
    high: float

    @property
    def width(self) -> float:
        """Span, mm per side."""
        return self.high - self.low


def passes(solution: Solution) -> bool:
    """Whether every check that depends on the printer's accuracy holds; a known growth needs only an even chance."""
    for check in solution.checks:
        if not check.printer:
            continue
        if check.id == solution.aim.check:
            if solution.aim.chance < 0.5:
                return False
        elif check.verdict != OK:
            return False
    return True


def print_window(kind: Kind, params: Params, process: Process) -> PrintWindow | None:
    """Return the span of growth around the process's mean inside which the design passes, to 0.002 mm.

    Where the design fails at the mean, the nearest passing span is returned; None when there is none.
    """

    def good(growth: float) -> bool:
        try:
            return passes(kind.solve(params, process.with_growth(growth)))
        except UserError:
            return False

    inside = _nearest_good(good, process.growth.mean)
    if inside is None:
        return None
    return PrintWindow(_edge(good, inside, LOW), _edge(good, inside, HIGH))


def _nearest_good(good: Callable[[float], bool], start: float) -> float | None:
    if good(start):
        return start
    for i in range(1, math.ceil((HIGH - LOW) / _STEP)):
        for growth in (start + i * _STEP, start - i * _STEP):
            if LOW <= growth <= HIGH and good(growth):
                return growth
    return None


def _edge(good: Callable[[float], bool], inside: float, end: float) -> float:
    """Return the last passing growth from ``inside`` towards ``end``: step out, then bisect."""
    step = 2 * _STEP if end > inside else -2 * _STEP
    near = inside
    while (end - (near + step)) * step >= 0 and good(near + step):
        near += step
    far = near + step
    if (far - end) * step > 0:
        if good(end):
            return end
        far = end
    while abs(far - near) > _TOLERANCE:
        middle = (near + far) / 2
        near, far = (middle, far) if good(middle) else (near, middle)
    return near


def recommended(kind: Kind, params: Params, process: Process, aim: float = AIM) -> float | None:
    """Return the least value of the kind's recommended parameter that does what it is for with chance ``aim``.

    The least such value has the least play, or takes the least plastic. None when no value reaches the aim.
    """
    facts = type(params).facts()[kind.recommend]

    def chance(value: float) -> float:
        try:
            return kind.solve(params.changed(**{kind.recommend: value}), process).aim.chance
        except UserError:
            return 0.0

    low, high = facts.low, facts.high
    tries = [low + (high - low) * (i / _TRIES) ** 2 for i in range(1, _TRIES + 1)]
    reached = next((i for i, value in enumerate(tries) if chance(value) >= aim), None)
    if reached is None:
        return None
    low, high = tries[reached - 1] if reached else low, tries[reached]
    while high - low > facts.step / 2:
        middle = (low + high) / 2
        low, high = (low, middle) if chance(middle) >= aim else (middle, high)
    return math.ceil(high / facts.step - 1e-6) * facts.step
