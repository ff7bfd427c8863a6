"""Remedies are solved: the smallest change of one parameter that brings a failing check to its limit."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from bouncy_latch.core.checks import OK, SEVERITY, Check
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.mechanisms.contract import Kind, Solution
from bouncy_latch.core.mechanisms.fields import Facts, Params
from bouncy_latch.core.process.profile import Process

_SCAN = 14
_BISECTIONS = 10


@dataclass(frozen=True)
class Remedy:
    """A change that mends a check.

    Attributes:
        param, label, unit: what to change.
        before, value: from and to.
        mended: the check it mends, with the change made.
        costs: labels of other checks that become worse than they are now.
        chance, aim: the chance that the design does what it is for with the change made, and the word for it.
        own: whether the mended check is that chance itself.
    """

    param: str
    label: str
    unit: str
    before: float
    value: float
    mended: Check
    costs: tuple[str, ...]
    chance: float
    aim: str
    own: bool

    @property
    def check_id(self) -> str:
        """Id of the check it mends."""
        return self.mended.id

    @property
    def margin(self) -> float:
        """Margin of that check with the change made."""
        return self.mended.margin

    @property
    def text(self) -> str:
        """One line for a button."""
        figure = f"{self.mended.figures[0]} {self.mended.unit}"
        text = f"{self.label} {_short(self.value)}{' ' + self.unit if self.unit else ''} → {figure}"
        if not self.own:
            text += f", {self.aim} {100 * self.chance:.0f} %"
        if self.costs:
            text += f"; worsens {', '.join(c.lower() for c in self.costs)}"
        return text


def _short(value: float) -> str:
    return f"{value:.3f}".rstrip("0").rstrip(".")


Measure = Callable[[Solution], Check]


def remedies(kind: Kind, params: Params, process: Process, check: Check, measure: Measure | None = None,
             most: int = 3) -> list[Remedy]:
    """Return up to ``most`` remedies for ``check``, those that worsen nothing first.

    ``measure`` computes the check from a changed solution where it is not among the solution's own (a sweep).
    """
    if check.verdict == OK:
        return []
    find = measure or (lambda solution: solution.check(check.id))
    base = kind.solve(params, process)
    found = []
    for name in check.mend:
        facts = params.active().get(name)
        if facts is None or facts.choices:
            continue
        remedy = _solve(kind, params, process, base, facts, find, scan=_SCAN if measure is None else 5)
        if remedy:
            found.append(remedy)
    return sorted(found, key=lambda r: len(r.costs))[:most]


def _current(params: Params, base: Solution, facts: Facts) -> float | None:
    """The parameter's value now, or what the application worked out for it."""
    value: float | None = getattr(params, facts.name)
    if value is None:
        value = next((d.value for d in base.derived if d.name == facts.name), None)
    return value


def _solve(kind: Kind, params: Params, process: Process, base: Solution, facts: Facts, find: Measure,
           scan: int) -> Remedy | None:
    start = _current(params, base, facts)
    if start is None:
        return None
    cache: dict[float, tuple[Solution, Check] | None] = {}

    def attempt(value: float) -> tuple[Solution, Check] | None:
        value = _rounded(value, facts)
        if value not in cache:
            try:
                solution = kind.solve(params.changed(**{facts.name: value}), process)
                cache[value] = (solution, find(solution))
            except UserError:
                cache[value] = None
        return cache[value]

    def good(value: float) -> bool:
        result = attempt(value)
        return result is not None and result[1].verdict == OK

    candidates = []
    for direction in (1.0, -1.0):
        value = _first_good(good, start, direction, facts, scan)
        if value is not None:
            candidates.append(value)
    if not candidates:
        return None
    best: Remedy | None = None
    for value in candidates:
        outcome = attempt(value)
        if outcome is None:
            continue
        solution, check = outcome
        remedy = Remedy(facts.name, facts.label, facts.unit, start, _rounded(value, facts), check,
                        tuple(_worse(base.checks, solution.checks, check.id)),
                        solution.aim.chance, solution.aim.short, check.id == solution.aim.check)
        if best is None or (len(remedy.costs), abs(value - start)) < (len(best.costs), abs(best.value - start)):
            best = remedy
    return best


def _first_good(good: Callable[[float], bool], start: float, direction: float, facts: Facts,
                scan: int) -> float | None:
    """Step outward in growing steps, then bisect back to the nearest passing value on the parameter's own grid."""
    end = facts.high if direction > 0 else facts.low
    room = abs(end - start)
    if room < facts.step / 2:
        return None
    last = 0.0
    for i in range(1, scan + 1):
        reach = float(max(i * facts.step, room * (i / scan) ** 2.5))
        if reach > room:
            return None
        if good(start + direction * reach):
            low, high = last, reach
            for _ in range(_BISECTIONS):
                if high - low <= facts.step * 1.01:
                    break
                middle = (low + high) / 2
                low, high = (low, middle) if good(start + direction * middle) else (middle, high)
            for reach in (high, high + facts.step):
                if good(start + direction * reach):
                    return start + direction * reach
            return None
        last = reach
    return None


def _rounded(value: float, facts: Facts) -> float:
    if facts.whole:
        return float(round(value))
    return round(min(facts.high, max(facts.low, round(value / facts.step) * facts.step)), 6)


def _worse(before: Iterable[Check], after: Iterable[Check], mended: str) -> list[str]:
    old: dict[str, Any] = {c.id: c for c in before}
    return [c.label for c in after
            if c.id != mended and c.id in old and SEVERITY[c.verdict] > SEVERITY[old[c.id].verdict]]
