"""The print window: the span of printer growth inside which a design passes its checks; and the recommended size."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from bouncy_latch.core.checks import OK
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.fields import Facts
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Aim, Solution
from bouncy_latch.core.numbers import closed_in
from bouncy_latch.core.process.profile import Spread

LOW, HIGH = -0.3, 0.6
"""Growth beyond which no printer is worth considering, mm per side."""
AIM = 0.95
LEAST = 0.3
"""Chance of being free and not loose below which no size is recommended."""
_STEP = 0.03
_GIVE_UP = 3
"""Steps in a row that bring a design no nearer to passing, after which a direction is given up."""
_TOLERANCE = 0.002
_SURE = 0.006
"""How far beyond where a design is expected to fail it is looked at first, mm."""
_TRIES = 12
_FALLEN = 0.5
"""Part of the best chance (or odds) so far below which one that rises and then falls is on its way down for good."""


@frozen
class PrintWindow:
    """Growth from ``low`` (thin) to ``high`` (fat), mm per side; ``thin`` and ``fat`` name the verdict that ends it there."""

    low: float
    high: float
    thin: str = ""
    fat: str = ""

    @property
    def width(self) -> float:
        """Span, mm per side."""
        return self.high - self.low

    def share(self, growth: Spread) -> float:
        """Return the share of prints (0 to 1) that fall inside, with growth spread normally as a process says."""

        def below(end: float) -> float:
            if growth.sd <= 0:
                return float(growth.mean < end)
            return 0.5 * math.erfc((growth.mean - end) / (growth.sd * math.sqrt(2)))

        return below(self.high) - below(self.low)

    def first_to_fail(self, growth: Spread) -> str:
        """Return the verdict that most of the prints outside fail first; empty where nothing ends the window there."""
        return self.thin if growth.mean - self.low < self.high - growth.mean else self.fat


def passes(solution: Solution) -> bool:
    """Whether every check that depends on the printer's accuracy holds; a known growth needs only an even chance."""
    return short_by(solution) <= 0


def short_by(solution: Solution) -> float:
    """Return how far a design is from passing, the sum of relative shortfalls; 0 where it passes."""
    return -sum(min(left, 0.0) for left in _left(solution).values())


def _left(solution: Solution) -> dict[str, float]:
    """Return what every check that depends on the printer's accuracy has left, relatively; below 0 where it fails."""
    found = {}
    for check in solution.checks:
        if check.printer and check.id == solution.aim.check:
            # Logarithms of odds go evenly with growth; a quarter of them is the chance beyond one half where it is even.
            found[check.id] = _odds(solution.aim.chance) / 4
        elif check.printer:
            left = check.margin / (abs(check.limit) or 1.0)
            found[check.id] = max(left, 0.0) if check.verdict == OK else min(left, -1e-9)
    return found


def _odds(chance: float) -> float:
    """Return the logarithm of the odds of a chance, kept from the ends."""
    kept = min(max(chance, 1e-4), 1 - 1e-4)
    return math.log(kept / (1 - kept))


@frozen
class _Growths:
    """A design on printers of known growth (mm per side), each worked out once: what its checks have left there."""

    design: Design
    seen: dict[float, dict[str, float] | None]

    def left(self, growth: float) -> dict[str, float] | None:
        """Return what every check has left; None where there is no such design."""
        if growth not in self.seen:
            try:
                self.seen[growth] = _left(self.design.grown(growth).solve())
            except UserError:
                self.seen[growth] = None
        return self.seen[growth]

    def off(self, growth: float) -> float:
        """Return how far it is from passing; below 0 by how much the nearest check passes, infinite where there is none."""
        left = self.left(growth)
        if left is None:
            return math.inf
        short = -sum(min(each, 0.0) for each in left.values())
        return short or -min(left.values(), default=0.0)

    def crosses(self, first: float, second: float) -> float | None:
        """Return where the check that fails soonest from the first growth towards and past the second one is expected to.

        Each check by itself goes evenly with growth, whichever is the nearest to fail: along a parabola through a third place
        where there is one near by.
        """
        here, there = self.left(first), self.left(second)
        if not here or not there:
            return None
        near = sorted((growth for growth, left in self.seen.items() if left and growth not in {first, second}),
                      key=lambda growth: abs(growth - second))[:1]
        found = []
        for name in here.keys() & there.keys():
            fallen = here[name] - there[name]
            if fallen <= 0:
                continue
            at = first + (second - first) * here[name] / fallen
            third = self.left(near[0]) if near else None
            if third is not None and name in third:
                at = _parabola([(first, here[name]), (second, there[name]), (near[0], third[name])], at)
            found.append(at)
        return min(found, key=lambda at: abs(at - first), default=None)


def _parabola(points: Sequence[tuple[float, float]], guess: float) -> float:
    """Return where the parabola through three points (x, y) is 0, near ``guess``; the guess where it is not."""
    (a, fa), (b, fb), (c, fc) = points
    slope = (fb - fa) / (b - a)
    bend = ((fc - fa) / (c - a) - slope) / (c - b)
    at = guess
    for _ in range(4):
        value, steep = fa + slope * (at - a) + bend * (at - a) * (at - b), slope + bend * (2 * at - a - b)
        if not steep:
            return guess
        at -= value / steep
    return at if abs(at - guess) <= abs(b - a) else guess


def print_window(design: Design) -> PrintWindow | None:
    """Return the span of growth around the process's mean inside which the design passes, to 0.002 mm.

    Where the design fails at the mean, the nearest passing span is returned; None when there is none.
    """

    growths = _Growths(design, {})
    inside = _nearest_good(growths.off, design.judged.growth.mean)
    if inside is None:
        return None
    (low, thinner), (high, fatter) = _edge(growths, inside, LOW), _edge(growths, inside, HIGH)
    return PrintWindow(low, high, _failing(design, thinner), _failing(design, fatter))


def _failing(design: Design, growth: float | None) -> str:
    """Return the label of the verdict that fails by most just beyond an end; empty where printers end or nothing is made."""
    if growth is None:
        return ""
    try:
        solution = design.grown(growth).solve()
    except UserError:
        return ""
    failing = [(check.margin / (abs(check.limit) or 1.0), check.label) for check in solution.checks
               if check.printer and check.verdict != OK]
    return min(failing)[1] if failing else ""


def _nearest_good(off: Callable[[float], float], start: float) -> float | None:
    """Return the passing growth nearest to ``start``, looking both ways for as long as it does not only get worse."""
    now = off(start)
    if now <= 0:
        return start
    last, worse = {1: now, -1: now}, {1: 0, -1: 0}
    for i in range(1, math.ceil((HIGH - LOW) / _STEP)):
        for way in (1, -1):
            growth = start + way * i * _STEP
            if not LOW <= growth <= HIGH or worse[way] >= _GIVE_UP:
                continue
            found = off(growth)
            if found <= 0:
                return growth
            worse[way] = worse[way] + 1 if found >= last[way] else 0
            last[way] = found
    return None


def _edge(growths: _Growths, inside: float, end: float) -> tuple[float, float | None]:
    """Return the last passing growth from ``inside`` towards ``end`` and one just beyond it; None where ``end`` passes too."""
    way, before, near = math.copysign(1.0, end - inside), None, inside
    while near != end:
        # As long as nothing is expected to fail on the way, longer steps will do.
        step = (2 if before is None else 4) * _STEP
        expected = growths.crosses(before, near) if before is not None else None
        if expected is not None and 0 < (expected - near) * way < step - _SURE:
            step = (expected - near) * way + _SURE
        growth = near + way * step if (end - near) * way > step else end
        if growths.off(growth) > 0:
            return closed_in(growths.off, (near, growths.off(near)), (growth, growths.off(growth)), _TOLERANCE,
                             crosses=growths.crosses)
        before, near = near, growth
    return end, None


def recommended(design: Design, aim: float = AIM) -> float | None:
    """Return the value of the kind's recommended parameter that serves best.

    What can be loose as well as stuck: where it is most likely neither. Everything else: the least value that does what it
    is for with chance ``aim``, which takes the least plastic. None when no value reaches that, or :data:`LEAST`, and of a part.
    """
    if not design.kind.recommend:
        return None
    value = _recommended(design, aim, Design.figures)
    try:
        if value is not None:
            design.changed(**{design.kind.recommend: value}).solve()
    except UserError:
        # What serves best cannot be drawn: only then every size is drawn while looking.
        return _recommended(design, aim, Design.solve)
    return value


def _recommended(design: Design, aim: float, solved: Callable[[Design], Solution]) -> float | None:
    name = design.kind.recommend
    facts = type(design.params).facts()[name]

    def aimed(value: float) -> Aim | None:
        try:
            return solved(design.changed(**{name: value})).aim
        except UserError:
            return None

    now = design.solve().aim
    if now.both is not None:
        least = facts.low if now.least is None else max(facts.low, now.least)
        return _between(lambda value: both if (at := aimed(value)) and (both := at.both) is not None else 0.0, facts, least)

    def lacking(value: float) -> float:
        """How far the chance is from the aim, both as logarithms of odds, which change evenly with a size."""
        at = aimed(value)
        return _odds(aim) - _odds(at.chance) if at else math.inf

    bad, good, least = (facts.low, math.inf), None, math.inf
    tried = [bad]
    for i in range(1, _TRIES + 1):
        value = facts.low + (facts.high - facts.low) * (i / _TRIES) ** 2
        lacks = lacking(value)
        tried.append((value, lacks))
        if lacks <= 0:
            good = value, lacks
            break
        least = min(least, lacks)
        if least <= _odds(aim) - _odds(LEAST) and lacks > least + math.log(1 / _FALLEN):
            break
        bad = value, lacks
    if good is None:
        # What helps and then hurts may reach the aim between two of the values tried.
        middle = min(range(len(tried)), key=lambda place: tried[place][1])
        bad = tried[max(middle - 1, 0)]
        top = _lowest(lacking, bad[0], tried[min(middle + 1, len(tried) - 1)][0], facts.step, enough=0.0)
        if top[1] > 0:
            return None
        good = top
        # Where it is only just good enough, the grid may have no place that is.
        grid = [rounding(good[0] / facts.step) * facts.step for rounding in (math.ceil, math.floor)]
        good = min(((value, lacking(value)) for value in grid), key=lambda found: found[1])
        if good[1] > 0:
            return None
    high, low = math.ceil(good[0] / facts.step - 1e-6) * facts.step, math.floor(bad[0] / facts.step + 1e-6) * facts.step
    return round(closed_in(lacking, (high, good[1]), (low, bad[1]), 0.0, facts.step)[0], 6)


def _lowest(of: Callable[[float], float], low: float, high: float, step: float, enough: float = -math.inf
            ) -> tuple[float, float]:
    """Return where a figure is lowest between two values, to a step, and how low: golden section, until it is ``enough``."""
    golden = (math.sqrt(5) - 1) / 2
    left, right = high - golden * (high - low), low + golden * (high - low)
    at_left, at_right = of(left), of(right)
    while high - low > step and min(at_left, at_right) > enough:
        if at_left <= at_right:
            high, right, at_right = right, left, at_left
            left = high - golden * (high - low)
            at_left = of(left)
        else:
            low, left, at_left = left, right, at_right
            right = low + golden * (high - low)
            at_right = of(right)
    return min((left, at_left), (right, at_right), key=lambda found: found[1])


def _between(both: Callable[[float], float], facts: Facts, low: float) -> float | None:
    """Return where a chance that rises and then falls is greatest from ``low`` on, on the parameter's grid: a scan, then golden
    section."""
    tries = [low + (facts.high - low) * (i / _TRIES) ** 2 for i in range(_TRIES + 1)]
    found: list[float] = []
    for value in tries:
        found.append(both(value))
        if max(found) >= LEAST and found[-1] < _FALLEN * max(found):
            break
    best = max(range(len(found)), key=found.__getitem__)
    if found[best] < LEAST:
        return None
    around = tries[max(best - 1, 0)], tries[min(best + 1, _TRIES)]
    return facts.rounded(_lowest(lambda value: -both(value), *around, facts.step)[0])
