"""The smallest change of one size that brings a failing check to its limit, found by stepping outward and closing in."""

from __future__ import annotations

import math
from collections.abc import Callable

from bouncy_latch.core.checks import OK, Check
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.fields import Facts, Params
from bouncy_latch.core.mechanisms.contract import Solution

_BISECTIONS = 12
_SAME = 1e-9
_GIVE_UP, _FLAT = 2.0, 0.5
"""Steps in a row that only make it worse, after which a direction is given up; one that changes nothing counts half."""
_LEAST_STRETCH, _MOST_STRETCH = 2.0, 8.0
"""How much further the next step reaches than the last: twice, or towards where the line through both says it passes."""
_SHY = 0.6
"""Part of the way to that place; what passes in a narrow span only must not be stepped over."""


Measure = Callable[[Solution], Check]
Reaches = dict[tuple[str, str, float], float | None]
"""How far a parameter goes, up (1) or down (−1), until a check passes, by check, parameter and way; None: it never does."""
Measured = Callable[[float], tuple[bool, float, float] | None]
"""From a value to whether the check passes there, its margin, and what all checks together fall short by; None: no design."""


def current(params: Params, base: Solution, facts: Facts) -> float | None:
    """Return a size as it is now, or what the application worked out for it; None where neither is known."""
    value: float | None = getattr(params, facts.name)
    if value is None:
        value = next((d.value for d in base.derived if d.name == facts.name), None)
    return value


def mending(design: Design, facts: Facts, check_id: str, find: Measure, scan: int, reaches: Reaches) -> list[float]:
    """Return the values of one size, nearest above and below, at which a check passes; empty where it never does.

    ``find`` computes the check from a solution; ``scan``: steps that cover the whole range at least.
    """
    found = _mending(design, facts, check_id, find, scan, reaches, Design.figures)
    try:
        for value in found:
            design.changed(**{facts.name: value}).solve()
    except UserError:
        # One that mends it cannot be drawn: only then every value is drawn while looking.
        return _mending(design, facts, check_id, find, scan, reaches, Design.solve)
    return found


def _mending(design: Design, facts: Facts, check_id: str, find: Measure, scan: int, reaches: Reaches,
             solved: Callable[[Design], Solution]) -> list[float]:
    base = design.solve()
    start = current(design.params, base, facts)
    if start is None:
        return []
    cache: dict[float, tuple[bool, float, float] | None] = {}

    def margin(value: float) -> tuple[bool, float, float] | None:
        value = facts.rounded(value)
        if value not in cache:
            try:
                solution = solved(design.changed(**{facts.name: value}))
                check = find(solution)
                cache[value] = (check.verdict == OK, check.margin, shortfall(solution))
            except UserError:
                cache[value] = None
        return cache[value]

    now = find(base).margin, shortfall(base)
    found: list[float] = []
    for direction in (1.0, -1.0):
        needed = [reaches[key] for need in base.aim.needs if (key := (need, facts.name, direction)) in reaches
                  and check_id == base.aim.check]
        value = None
        if None not in needed:
            least = max((reach for reach in needed if reach is not None), default=0.0)
            value = _first_good(margin, start, now, direction, facts, scan, least, _GIVE_UP / 2 if found else _GIVE_UP)
        reaches[check_id, facts.name, direction] = None if value is None else abs(value - start)
        if value is not None:
            found.append(facts.rounded(value))
    return found


def _first_good(margin: Measured, start: float, now: tuple[float, float], direction: float, facts: Facts,
                scan: int, least: float, patience: float) -> float | None:
    """Step outward in steps that at least double, then close in on the nearest passing value on the parameter's own grid.

    ``now``: margin and shortfall at ``start``. ``least``: how far at least. ``patience``: steps that only make
    it worse, after which it is given up.
    """
    end = facts.high if direction > 0 else facts.low
    room = abs(end - start)
    if room < facts.step / 2:
        return None
    reach = max(facts.step, room / 2 ** (scan - 1), least)
    last, before, worse = 0.0, now, 0.0
    while last < room and worse < patience:
        reach = min(room, reach)
        found = margin(start + direction * reach)
        if found is not None and found[0]:
            return _nearest(margin, start, direction, facts, (last, before[0]), (reach, found[1]))
        # Where it gets no better, or nothing can be made, the way leads nowhere.
        flat = found is not None and abs(found[1] - before[0]) <= _SAME
        if found is None or (found[2] > before[1] + _SAME if flat else found[1] < before[0]):
            worse += 1.0
        elif not flat or found[2] < before[1] - _SAME:
            worse = 0.0
        else:
            worse += _FLAT
        after = (found[1], found[2]) if found is not None else before
        passes_at = _crossing((last, before), (reach, after))
        last, before = reach, after
        reach *= min(max(_SHY * passes_at / reach, _LEAST_STRETCH), _MOST_STRETCH)
    return None


def _crossing(first: tuple[float, tuple[float, float]], second: tuple[float, tuple[float, float]]) -> float:
    """Return where the line through two reaches, each with its margin and shortfall, passes: by margin, else by shortfall."""
    (near, (margin, short)), (far, (margin_then, short_then)) = first, second
    if margin_then > margin + _SAME:
        return far - margin_then * (far - near) / (margin_then - margin)
    if short_then < short - _SAME:
        return far + short_then * (far - near) / (short - short_then)
    return far


def _nearest(margin: Measured, start: float, direction: float, facts: Facts,
             low: tuple[float, float], high: tuple[float, float]) -> float | None:
    """Return the passing value nearest to ``start`` between a failing and a passing reach, each with its margin."""
    below = False
    for turn in range(_BISECTIONS):
        if high[0] - low[0] <= facts.step * 1.01:
            break
        # By turns where the margins say it crosses (once met, one step below is all there is to try), and half way: of the
        # ratio, where the ends are far apart.
        half = 1 / (1 + math.sqrt(high[0] / low[0])) if low[0] > 0 else 0.5
        by_line = turn % 2 == 0 and high[1] > low[1]
        part = -low[1] / (high[1] - low[1]) if by_line else half
        inside = low[0] + min(0.9, max(0.1, part)) * (high[0] - low[0])
        reach = high[0] - facts.step if below else inside
        found = margin(start + direction * reach)
        if found is not None and found[0]:
            met = found[1] < 0.1 * (high[1] - low[1])
            high, below = (reach, found[1]), by_line and met
        else:
            low, below = (reach, found[1] if found is not None else low[1]), False
    for reach in (high[0], high[0] + facts.step):
        found = margin(start + direction * reach)
        if found is not None and found[0]:
            return start + direction * reach
    return None


def shortfall(solution: Solution) -> float:
    """Return how far a design is from passing all its checks, the sum of relative shortfalls."""
    return sum(max(0.0, -check.margin / (abs(check.limit) or 1.0)) for check in solution.checks)
