"""Design to a target: sizes inside their bounds that meet everything a design is asked, and what stands in the way."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from bouncy_latch.core.checks import OK, Check
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, ParamError, SolveError, UserError
from bouncy_latch.core.fields import Params
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.search.nearest import likeliest
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.numbers import Array, evenly_spread
from bouncy_latch.core.process import materials
from bouncy_latch.core.progress import Progress, share, unwatched

TRIES, OTHER_TRIES, LIKELY, HOPEFUL = 90, 12, 3, 2
"""Designs that are solved for the target itself, and for each of the likeliest alternatives, which start from there; how many
of them where a whole verdict or more is missing."""
ENOUGH, CONTENT = 0.95, 50
"""Chance to work at which the search ends, when every verdict holds; and after how many designs any that holds will do."""
SPARE = 0.05
"""Margin over its limit, of the limit, that is still worth having."""
_FIRST_STEP, _LAST_STEP = 0.25, 0.01
_PROBE, _WANTED, _STIFF = 0.08, 0.06, 0.02
"""By how much each size is changed to see what it does, the margins that are wanted, and how much large steps are avoided."""
_NEARLY = 0.07
"""How far what is asked may be missed on either side, as a logarithm, in the steps of a search."""
_ODDS = 0.15
"""What a step of the logarithm of the odds counts, beside a margin over its limit."""
_STAY, _THIN, _WORTH = 0.01, 0.05, 0.02
_FAILS = {"ok": 0.0, "look": 0.2, "stop": 0.5}
"""What a failing verdict costs besides its shortfall, so that none is traded for many small margins."""


@frozen
class Proposal:
    """A design found for the target.

    Attributes:
        design: its sizes, and the process with the material it is of. words: what was changed besides sizes, empty for none.
        reached: whether every verdict holds. chance: that it does what it is for. score: what is missing, 0 for nothing.
        bounds: parameters that ended at a bound of their range, each "label at value unit". binding: the verdict with the
        least margin, and whether it fails. solved: how many designs were tried. figures: the checks of what is asked, by id.
    """

    design: Design
    words: str
    reached: bool
    chance: float
    score: float
    bounds: tuple[str, ...]
    binding: Check
    solved: int
    figures: tuple[Check, ...] = ()

    @property
    def words_of_binding(self) -> str:
        """What stands in the way, in words; empty where nothing does."""
        found, unit = self.binding, self.binding.unit
        if self.reached:
            return ""
        value, limit = found.figures
        name = found.label[0].lower() + found.label[1:]
        return f"{name} {value} {'of' if found.least else 'where at most'} {limit} {unit}".rstrip()

    def changes(self, before: Params) -> dict[str, float]:
        """Return the sizes that differ from ``before``."""
        old = before.model_dump()
        return {name: value for name, value in self.design.params.model_dump().items() if value != old[name]}


@frozen
class Targeted:
    """The best sizes as asked, and where they fall short other materials or forms, best first."""

    best: Proposal
    others: tuple[Proposal, ...]


def _shortfall(solution: Solution) -> float:
    """What a design lacks: the sum of relative shortfalls, with a little for margins that are thin and chances that are low."""
    missing = 0.0
    for check in solution.checks:
        scale = abs(check.limit) or 1.0
        relative = check.margin / scale
        missing += _FAILS[check.verdict] + max(0.0, -relative) + _THIN * max(0.0, SPARE - max(relative, 0.0)) / SPARE
    return missing + 0.5 * (1 - solution.aim.chance)


class _Search:
    """One search: what is the best design so far, and how many were tried."""

    def __init__(self, start: Design, fixed: frozenset[str], tries: int, progress: Progress) -> None:
        self.start, self.tries, self._progress = start, tries, progress
        self.facts = type(start.params).facts()
        self.names = [name for name in start.kind.tuning.sizes if name in start.params.active() and name not in fixed]
        self.done = 0
        first = self.attempt(start)
        if first is None:
            start.solve()
            raise ParamError("the present sizes describe no such part", field="target")
        self.best, (self.score, self.solution) = start, first

    @property
    def over(self) -> bool:
        """Whether there is nothing to gain or nothing left to spend."""
        holds = all(check.verdict == OK for check in self.solution.checks)
        return self.done >= self.tries or (holds and (self.solution.aim.chance >= ENOUGH or self.done >= CONTENT))

    def size_of(self, design: Design, name: str) -> float:
        """A size of a design."""
        return float(getattr(design.params, name))

    def attempt(self, design: Design) -> tuple[float, Solution] | None:
        """Return what a design lacks and its solution; None for no such part."""
        self.done += 1
        if not self._progress(self.done / self.tries):
            raise Cancelled
        try:
            solution = design.solve()
        except UserError:
            return None
        stay = sum(abs(math.log(max(self.size_of(design, n), 1e-3) / max(self.size_of(self.start, n), 1e-3)))
                   for n in self.names)
        return _shortfall(solution) + _STAY * stay, solution

    def take(self, design: Design) -> tuple[bool, Solution | None]:
        """Try a design, keep it where it is better, and say so."""
        found = self.attempt(design)
        if found is None or found[0] >= self.score - 1e-6:
            return False, found[1] if found else None
        self.best, (self.score, self.solution) = design, found
        return True, found[1]

    def scaled(self, design: Design, factors: dict[str, float]) -> Design:
        """Return a design with sizes multiplied, within their ranges."""
        return design.changed(**{name: self.facts[name].rounded(self.size_of(design, name) * factor)
                                 for name, factor in factors.items() if self.size_of(design, name) > 0})

    def look_round(self) -> None:
        """Try designs spread round the first: a hold that locks, or a push that jams, hides what lies behind it."""
        for spread in 2.0 ** (2 * evenly_spread(len(self.names), self.tries // 6) - 1):
            if self.over:
                return
            self.take(self.scaled(self.start, dict(zip(self.names, map(float, spread), strict=True))))

    def straight(self) -> None:
        """Step to where the margins, taken as straight in the logarithms of all sizes together, all hold."""
        while not self.over and self.done + len(self.names) < self.tries:
            design, solution = self.best, self.solution
            others = _others_fail(solution)
            margins, columns, names = _margins(solution, others), [], []
            # A size of nothing has no logarithm; the compass moves it.
            for name in (name for name in self.names if self.size_of(design, name) > 0):
                tried = self.scaled(design, {name: 1 + _PROBE})
                grown = self.size_of(tried, name) / self.size_of(design, name)
                near = self.take(tried)[1] if grown > 0 and abs(grown - 1) > 1e-6 else None
                if near is not None and near.checks and len(near.checks) == len(solution.checks):
                    names.append(name)
                    columns.append((_margins(near, others) - margins) / math.log(grown))
            if not names:
                return
            for step in self._steps(design, names, margins, np.array(columns).T):
                if self.over:
                    return
                factors = dict(zip(names, np.exp(np.clip(step, -0.7, 0.7)).tolist(), strict=True))
                if self.take(self.scaled(design, factors))[0]:
                    break
            else:
                return

    def _steps(self, design: Design, names: list[str], margins: Array, slopes: Array) -> Iterator[Array]:
        """Yield steps (d,) of the logarithms of sizes that mend margins (n,) with slopes (n, d): to sizes that there are, the
        coarsest first, and the others make up for it; then with counts a whole one further; half of the plain step last."""
        step = _mended(margins, slopes)
        if not _two_sided(self.solution):
            yield from (step, 0.5 * step)
            return
        sizes = np.array([self.size_of(design, name) for name in names])
        grid = np.log1p(np.array([self.facts[name].step for name in names]) / sizes)
        coarsest = np.argsort(-grid * np.abs(slopes).max(axis=0))
        for further in (0, 1) if any(self.facts[name].whole for name in names) else (0,):
            taken, free, now = np.zeros(len(step)), list(map(int, coarsest)), step
            while free:
                i = free.pop(0)
                way = np.sign(step[i]) * further if self.facts[names[i]].whole else 0.0
                size = self.facts[names[i]].rounded(sizes[i] * math.exp(min(max(now[i], -0.7), 0.7)) + way)
                taken[i] = math.log(max(size, 1e-6) / sizes[i])
                now = taken.copy()
                if free:
                    now[free] = _mended(margins + slopes @ taken, slopes[:, free])
            yield taken
        yield 0.5 * step

    def compass(self) -> None:
        """From the best so far: every step of one size that helps is taken at once, and steps halve when none does."""
        step = _FIRST_STEP
        while step > _LAST_STEP and not self.over:
            better = False
            for name, way in [(name, way) for name in self.names for way in (1.0, -1.0)]:
                if self.over:
                    break
                now, field = self.size_of(self.best, name), self.facts[name]
                value = field.rounded(now + way * max(field.step, abs(now) * step))
                if abs(value - now) >= field.step / 2:
                    better |= self.take(self.best.changed(**{name: value}))[0]
            if not better:
                step /= 2


def _search(start: Design, fixed: frozenset[str], tries: int, progress: Progress) -> tuple[Design, Solution, int]:
    """Return the best design found from a start, its solution, and how many were solved."""
    search = _Search(start, fixed, tries, progress)
    search.straight()
    if not search.over:
        search.look_round()
        search.straight()
        search.compass()
    return search.best, search.solution, search.done


def _two_sided(solution: Solution) -> bool:
    """Whether something asked of it may be missed on either side: its chance to work then has a ridge slopes do not show."""
    return any(check.log_error is not None for check in solution.checks)


def _others_fail(solution: Solution) -> bool:
    """Whether more than the chance that it works is missing, which is made of the others."""
    return any(check.verdict != OK for check in solution.checks if check.id != solution.aim.check)


def _margins(solution: Solution, others: bool) -> Array:
    """Return the margins of all checks over their limits, (n,): of one that may be missed on either side, both; the chance that
    it works does not count where ``others`` are missing."""
    found = []
    for check in solution.checks:
        if check.log_error is not None:
            found += [_NEARLY - check.log_error, _NEARLY + check.log_error]
        elif check.id == solution.aim.check and _two_sided(solution):
            found.append(1.0 if others else _ODDS * (_odds(check.value / 100) - _odds(check.limit / 100)))
        else:
            found.append(float(np.clip(check.margin / (abs(check.limit) or 1.0), -2.0, 2.0)))
    return np.array(found)


def _odds(chance: float) -> float:
    """Return the logarithm of the odds of a chance, which goes straighter with sizes than the chance."""
    held = min(max(chance, 1e-4), 1 - 1e-4)
    return math.log(held / (1 - held))


def _mended(margins: Array, slopes: Array) -> Array:
    """Return the smallest step (d,) that brings margins (n,) with ``slopes`` (n, d) to hold, as far as there is one."""
    step: Array = np.zeros(slopes.shape[1])
    for _ in range(6):
        short = np.flatnonzero(margins + slopes @ step < _WANTED)
        rows = slopes[short]
        step = np.asarray(np.linalg.solve(rows.T @ rows + _STIFF * np.eye(len(step)), rows.T @ (_WANTED - margins[short])))
    return step


def _proposal(design: Design, solution: Solution, words: str, solved: int) -> Proposal:
    params, facts = design.params, design.params.facts()
    bounds = []
    for name in design.kind.tuning.sizes:
        if name in params.active():
            value, field = float(getattr(params, name)), facts[name]
            if min(abs(value - field.low), abs(value - field.high)) < field.step / 2:
                bounds.append(f"{field.label} at {value:g} {field.unit}".rstrip())
    # The chance that it works is made of the others: it binds only where nothing else does.
    parts = [check for check in solution.checks if check.id != solution.aim.check and check.verdict != OK]
    binding = min(parts or solution.checks, key=lambda c: c.margin / (abs(c.limit) or 1.0))
    reached = all(check.verdict == OK for check in solution.checks)
    return Proposal(design, words, reached, solution.aim.chance, _shortfall(solution), tuple(bounds), binding, solved,
                    tuple(check for check in solution.checks if check.id in {solution.aim.check, *solution.aim.needs}))


def reach(design: Design, fixed: frozenset[str] = frozenset(), progress: Progress = unwatched) -> Proposal:
    """Return sizes that meet what a design asks, changing only its kind's tuned parameters within their ranges.

    ``fixed``: parameters that stay as they are.

    Raises:
        ParamError: for a kind that has nothing to tune.
        SolveError: when the present sizes describe no part to start from.
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    if not design.kind.tuning.sizes:
        raise ParamError(f"a {design.kind.title.lower()} is not designed to a target", field="target")
    try:
        design.solve()
    except SolveError as error:
        # What is asked may leave no room at the usual sizes: the search starts from the nearest that can be made.
        design = likeliest(design, error, fixed) or design
    found, solution, solved = _search(design, fixed, TRIES, progress)
    return _proposal(found, solution, "", solved)


def _nearest(options: list[tuple[str, Design]], progress: Progress) -> list[tuple[str, Design]]:
    """Return the options that can be solved as they are, the one that lacks least first."""
    known = []
    for i, (words, option) in enumerate(options):
        if not progress(i / len(options)):
            raise Cancelled
        try:
            known.append((_shortfall(option.solve()), i, (words, option)))
        except UserError:
            continue
    return [option for _, _, option in sorted(known)]


def others(best: Proposal, fixed: frozenset[str] = frozenset(), progress: Progress = unwatched,
           most: int = 3) -> tuple[Proposal, ...]:
    """Return other forms and materials that come nearer to the target than ``best``, nearest first."""
    start = best.design
    facts = start.params.facts()
    options: list[tuple[str, Design]] = []
    for name, value in start.kind.tuning.alternatives:
        if getattr(start.params, name) != value and name not in fixed:
            options.append((f"{facts[name].label} {value}", start.changed(**{name: value})))
    for name, made in materials.table().items():
        if name != start.process.material.strip().lower():
            options.append((made.name, replace(start, process=start.process.of_material(made.name))))
    found = []
    likely = _nearest(options, share(progress, 0.0, 0.1))[:LIKELY if best.score < 1 else HOPEFUL]
    for i, (words, option) in enumerate(likely):

        def told(part: float, i: int = i) -> bool:
            return progress(0.1 + 0.9 * (i + min(part, 1.0)) / len(likely))

        changed, solution, solved = _search(option, fixed, OTHER_TRIES, told)
        found.append(_proposal(changed, solution, words, solved))
    better = [item for item in found if item.score < best.score - _WORTH]
    return tuple(sorted(better, key=lambda item: item.score)[:most])


def targeted(design: Design, fixed: frozenset[str] = frozenset(), progress: Progress = unwatched) -> Targeted:
    """Return the best design for what is asked and, when it falls short, what else would come nearer."""
    best = reach(design, fixed, share(progress, 0.0, 0.3))
    if best.reached:
        progress(1.0)
        return Targeted(best, ())
    return Targeted(best, others(best, fixed, share(progress, 0.3, 1.0)))
