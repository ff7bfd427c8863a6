"""Design to a target: sizes inside their bounds that meet everything a design is asked, and what stands in the way."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from bouncy_latch.core.checks import OK, Check
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, ParamError, UserError
from bouncy_latch.core.fields import Params
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.process import materials
from bouncy_latch.core.progress import Progress, share, unwatched

TRIES, OTHER_TRIES = 90, 40
"""Designs that are solved for the target itself, and for each alternative, which starts from what was found."""
ENOUGH = 0.95
"""Chance to work at which the search ends, when every verdict holds."""
SPARE = 0.05
"""Margin over its limit, of the limit, that is still worth having."""
_FIRST_STEP, _LAST_STEP = 0.25, 0.01
_STAY, _THIN = 0.01, 0.05
_FAILS = {"ok": 0.0, "look": 0.2, "stop": 0.5}
"""What a failing verdict costs besides its shortfall, so that none is traded for many small margins."""


@dataclass(frozen=True)
class Proposal:
    """A design found for the target.

    Attributes:
        design: its sizes, and the process with the material it is of. words: what was changed besides sizes, empty for none.
        reached: whether every verdict holds. chance: that it does what it is for. score: what is missing, 0 for nothing.
        bounds: parameters that ended at a bound of their range, each "label at value unit". binding: the verdict with the
        least margin, and whether it fails. solved: how many designs were tried.
    """

    design: Design
    words: str
    reached: bool
    chance: float
    score: float
    bounds: tuple[str, ...]
    binding: Check
    solved: int

    def changes(self, before: Params) -> dict[str, float]:
        """Return the sizes that differ from ``before``."""
        old = before.model_dump()
        return {name: value for name, value in self.design.params.model_dump().items() if value != old[name]}


@dataclass(frozen=True)
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


def _enough(solution: Solution) -> bool:
    """Whether a design is good enough to stop looking."""
    return solution.aim.chance >= ENOUGH and all(check.verdict == OK for check in solution.checks)


def _search(start: Design, fixed: frozenset[str], tries: int, progress: Progress) -> tuple[Design, Solution, int]:
    """Compass search from the present sizes: every step that helps is taken at once, and steps halve when none does.

    With few tries a good step now is worth more than the best one later.
    """
    facts = type(start.params).facts()
    names = [name for name in start.kind.tuned if name in start.params.active() and name not in fixed]
    done = 0

    def size_of(design: Design, name: str) -> float:
        return float(getattr(design.params, name))

    def attempt(design: Design) -> tuple[float, Solution] | None:
        nonlocal done
        done += 1
        if not progress(done / tries):
            raise Cancelled
        try:
            solution = design.solve()
        except UserError:
            return None
        stay = sum(abs(math.log(max(size_of(design, n), 1e-3) / max(size_of(start, n), 1e-3))) for n in names)
        return _shortfall(solution) + _STAY * stay, solution

    first = attempt(start)
    if first is None:
        start.solve()
        raise ParamError("the present sizes describe no such part", field="target")
    (score, solution), best, step = first, start, _FIRST_STEP
    while step > _LAST_STEP and done < tries and not _enough(solution):
        better = False
        for name, way in [(name, way) for name in names for way in (1.0, -1.0)]:
            if done >= tries or _enough(solution):
                break
            now, field = size_of(best, name), facts[name]
            value = field.rounded(now + way * max(field.step, abs(now) * step))
            if abs(value - now) < field.step / 2:
                continue
            tried = best.changed(**{name: value})
            found = attempt(tried)
            if found is not None and found[0] < score - 1e-6:
                (score, solution), best, better = found, tried, True
        if not better:
            step /= 2
    return best, solution, done


def _proposal(design: Design, solution: Solution, words: str, solved: int) -> Proposal:
    params, facts = design.params, design.params.facts()
    bounds = []
    for name in design.kind.tuned:
        if name in params.active():
            value, field = float(getattr(params, name)), facts[name]
            if min(abs(value - field.low), abs(value - field.high)) < field.step / 2:
                bounds.append(f"{field.label} at {value:g} {field.unit}".rstrip())
    binding = min(solution.checks, key=lambda c: c.margin / (abs(c.limit) or 1.0))
    reached = all(check.verdict == OK for check in solution.checks)
    return Proposal(design, words, reached, solution.aim.chance, _shortfall(solution), tuple(bounds), binding, solved)


def reach(design: Design, fixed: frozenset[str] = frozenset(), progress: Progress = unwatched) -> Proposal:
    """Return sizes that meet what a design asks, changing only its kind's tuned parameters within their ranges.

    ``fixed``: parameters that stay as they are.

    Raises:
        ParamError: for a kind that has nothing to tune.
        SolveError: when the present sizes describe no part to start from.
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    if not design.kind.tuned:
        raise ParamError(f"a {design.kind.title.lower()} is not designed to a target", field="target")
    found, solution, solved = _search(design, fixed, TRIES, progress)
    return _proposal(found, solution, "", solved)


def others(best: Proposal, fixed: frozenset[str] = frozenset(), progress: Progress = unwatched,
           most: int = 3) -> tuple[Proposal, ...]:
    """Return other forms and materials that come nearer to the target than ``best``, nearest first."""
    start = best.design
    facts = start.params.facts()
    options: list[tuple[str, Design]] = []
    for name, value in start.kind.alternatives:
        if getattr(start.params, name) != value and name not in fixed:
            options.append((f"{facts[name].label} {value}", start.changed(**{name: value})))
    for name, made in materials.table().items():
        if name != start.process.material.strip().lower():
            options.append((made.name, replace(start, process=start.process.of_material(made.name))))
    found = []
    for i, (words, option) in enumerate(options):

        def told(part: float, i: int = i) -> bool:
            return progress((i + min(part, 1.0)) / len(options))

        try:
            changed, solution, solved = _search(option, fixed, OTHER_TRIES, told)
        except UserError:
            continue
        found.append(_proposal(changed, solution, words, solved))
    better = [item for item in found if item.score < best.score - 1e-6]
    return tuple(sorted(better, key=lambda item: item.score)[:most])


def targeted(design: Design, fixed: frozenset[str] = frozenset(), progress: Progress = unwatched) -> Targeted:
    """Return the best design for what is asked and, when it falls short, what else would come nearer."""
    best = reach(design, fixed, share(progress, 0.0, 0.3))
    if best.reached:
        progress(1.0)
        return Targeted(best, ())
    return Targeted(best, others(best, fixed, share(progress, 0.3, 1.0)))
