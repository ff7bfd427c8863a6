"""Remedies are solved and tried on the whole design: what is offered mends its check and leaves the design doing its job."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from bouncy_latch.core.checks import OK, SEVERITY, STOP, Check
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.search.mending import Measure, Reaches, current, mending
from bouncy_latch.core.mechanisms import kept
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.progress import Progress, share, told, unwatched

MOST = 3
"""Remedies offered for a check."""
FIRST_HALVES = 3
"""Single changes, the likeliest, that a second one is looked for; of 26 designs that failed all over ten more mended none."""
MOST_FAILING, FEW = 3, 3
"""Checks that fail at once up to which all sizes and pairs are tried within a second; of more the likeliest sizes only."""
TRIED = 20
"""Designs worked out for such ones before the rest is left to the proof, so that an outlook is there within a second."""
_SCAN, _SCAN_PAIRS, _SCAN_SLOW = 9, 6, 5
"""Steps over a size's range; fewer for the second of a pair, and where each has to be measured on the solid."""


SMALL = {"mm": 3.0, "°": 90.0, "": 12.0}
"""By how much a small size may grow to mend something, by its unit; larger ones may double."""
EVEN = 0.5
"""Chance below which a change is no advice, whatever it betters."""
SHARES, WORTH = (0.7, 0.8, 0.9, 0.95, 1.05, 1.15, 1.3, 1.6), 0.02
"""Parts of a size at which the best there is is looked for, and by how much it must be likelier to be offered."""


@frozen
class Change:
    """A size given another value, or another choice made."""

    param: str
    label: str
    unit: str
    before: float | str
    value: float | str

    @property
    def far(self) -> float:
        """How much it changes, over the greater of both; 1 for another choice."""
        if isinstance(self.before, str) or isinstance(self.value, str):
            return 1.0
        return abs(self.value - self.before) / max(abs(self.before), abs(self.value))

    @property
    def near(self) -> bool:
        """Whether the part stays much as it is: no size more than doubled, but small ones by a few steps."""
        if isinstance(self.before, str) or isinstance(self.value, str):
            return True
        return self.value - self.before <= max(abs(self.before), SMALL.get(self.unit, 0.0))

    @property
    def text(self) -> str:
        """What to set, for a button."""
        if isinstance(self.value, str):
            return f"{self.label} {self.value}"
        figure = f"{self.value:.3f}".rstrip("0").rstrip(".")
        return f"{self.label} {figure}{' ' + self.unit if self.unit else ''}"


@frozen
class Remedy:
    """One change, or two together, that mend a check.

    Attributes:
        changes: what to change.
        mended: the check, with the change made.
        costs: labels of other checks that become worse than they are now.
        left: labels of the checks that still ask to be looked at.
        chance, aim: the chance that the design does what it is for with the change made, and the word for it.
        does: whether that is enough, the part stays much as it is and nothing is stopped for it that was not before.
        own: whether the mended check is that chance itself. most: whether it does not mend it, but nothing does better.
    """

    changes: tuple[Change, ...]
    mended: Check
    costs: tuple[str, ...]
    left: tuple[str, ...]
    chance: float
    aim: str
    does: bool
    own: bool
    most: bool = False

    @property
    def values(self) -> dict[str, float | str]:
        """What to set, by name."""
        return {change.param: change.value for change in self.changes}

    @property
    def label(self) -> str:
        """What is changed, in words."""
        return " and ".join(change.label for change in self.changes)

    @property
    def margin(self) -> float:
        """Margin of the check with the change made."""
        return self.mended.margin

    @property
    def text(self) -> str:
        """One line for a button."""
        text = f"{' and '.join(change.text for change in self.changes)} → {self.mended.figures[0]} {self.mended.unit}"
        if not self.own:
            text += f", {self.aim} {100 * self.chance:.0f} %"
        if self.most:
            text += ", the most there is"
        if self.costs:
            text += f"; worsens {', '.join(c.lower() for c in self.costs)}"
        return text

    @property
    def rank(self) -> tuple[float, ...]:
        """Least is best: what leaves nothing to look at, worsens nothing, changes one size, a likely one, by little."""
        mend = self.mended.mend
        unlikely = max(mend.index(change.param) if change.param in mend else len(mend) for change in self.changes)
        return len(self.left), len(self.costs), len(self.changes), unlikely, sum(change.far for change in self.changes)


def all_remedies(design: Design, failing: Iterable[Check], progress: Progress = unwatched,
                 thorough: bool = True) -> dict[str, list[Remedy]]:
    """Return what is offered for each of several checks of a solution, by their ids.

    What mends one check is tried on all: a change is offered where it mends the check and the design then does what it is
    for. Where no single one does, a second size is looked for. Not ``thorough``: of the likeliest sizes alone, singly, until
    :data:`TRIED` designs were asked for.

    Raises:
        Cancelled: when ``progress`` returned False.
    """
    base = design.solve()
    # What the design is for comes last: what mends it must reach as far as what mends each check that it needs.
    ordered, reaches = sorted(failing, key=lambda check: check.id == base.aim.check), Reaches()
    pool: list[Remedy] = []
    sizes = None if thorough else FEW
    with kept.counted() as asked:
        for number, check in enumerate(ordered):
            told(progress, 0.7 * number / len(ordered))
            if not thorough and len(asked) > TRIED:
                break
            pool += _singles(design, check, reaches, sizes=sizes)
    found = {check.id: _offered(design, check, pool) for check in ordered}
    helpless = [check for check in ordered if not found[check.id]]
    if helpless and pool and thorough:
        pairs = _pairs(design, pool, share(progress, 0.7, 1.0))
        found |= {check.id: _offered(design, check, pairs) for check in helpless}
    aim = base.aim.check
    if thorough and found.get(aim) == []:
        found[aim] = _the_most(design, base.check(aim))
    return found


def _the_most(design: Design, check: Check) -> list[Remedy]:
    """Return the change of one size that makes the design likeliest to do what it is for, where none makes it likely enough."""
    base, facts = design.solve(), design.params.active()
    tried = []
    for name in dict.fromkeys((design.kind.recommend, *check.mend[:1])):
        each, now = facts.get(name), None if name not in facts else current(design.params, base, facts[name])
        if each is None or each.choices or now is None:
            continue
        for part in SHARES:
            value = each.rounded(min(max(now * part if now else each.step * part, each.low), each.high))
            try:
                tried.append(_tried(design, check, (Change(name, each.label, each.unit, now, value),)))
            except UserError:
                continue
    old = {c.id: c.verdict for c in base.checks}
    likely = [remedy for remedy in tried if remedy.chance > max(base.aim.chance + WORTH, EVEN)]
    sound = [remedy for remedy in likely if all(change.near for change in remedy.changes)
             and not any(c.verdict == STOP and old.get(c.id) != STOP and c.id != check.id
                         for c in design.changed(**remedy.values).solve().checks)]
    return [replace(remedy, most=True) for remedy in sorted(sound, key=lambda remedy: -remedy.chance)[:1]]


def measured_remedies(design: Design, check: Check, measure: Measure) -> list[Remedy]:
    """Return what is offered for a check that only ``measure`` knows: a motion tried out, the layers.

    Where the design does not do what it is for besides, what mends that comes first, and both are offered together.
    """
    if check.verdict == OK:
        return []
    base, aim = design.solve(), design.solve().aim.check
    asked = base.check(aim)
    first = next(iter(all_remedies(design, [asked])[aim]), None) if asked.verdict != OK else None
    begun = design.changed(**first.values) if first else design
    found = []
    for name, facts in _sizes(begun, check):
        if first and name in first.values:
            continue
        for value in mending(begun, facts, check.id, measure, _SCAN_SLOW, Reaches()):
            solution = begun.changed(**{name: value}).solve()
            start = current(begun.params, begun.solve(), facts)
            assert start is not None, "only known sizes are moved"
            changes = (*(first.changes if first else ()), Change(name, facts.label, facts.unit, start, value))
            found.append(_judged(base, solution, changes, check, measure(solution)))
    return _best(found)


def _singles(design: Design, check: Check, reaches: Reaches, scan: int = _SCAN, sizes: int | None = None) -> list[Remedy]:
    """Return single changes, of the likeliest ``sizes`` or of all, that mend a check of the solution, whatever else they do."""
    base, found = design.solve(), []
    for name, facts in _sizes(design, check)[:sizes]:
        for value in mending(design, facts, check.id, lambda solution: _same(solution, check), scan, reaches):
            start = current(design.params, base, facts)
            assert start is not None, "only known sizes are moved"
            change = Change(name, facts.label, facts.unit, start, value)
            if change.near:
                found.append(_tried(design, check, (change,)))
    return found + _choices(design, check)


def _choices(design: Design, check: Check) -> list[Remedy]:
    """Return the other choices a check names that mend it, whatever else they do."""
    found, active = [], design.params.active()
    for name, word in check.instead:
        before = getattr(design.params, name)
        if name not in active or word == before:
            continue
        try:
            tried = _tried(design, check, (Change(name, active[name].label, "", before, word),))
        except UserError:
            continue
        if tried.mended.verdict == OK:
            found.append(tried)
    return found


def _sizes(design: Design, check: Check) -> list[tuple[str, Any]]:
    """Return the sizes that could mend a check, by name, likeliest first."""
    active = design.params.active()
    return [(name, active[name]) for name in dict.fromkeys(check.mend) if name in active and not active[name].choices]


def _offered(design: Design, check: Check, pool: list[Remedy]) -> list[Remedy]:
    """Return those of a pool that mend this check and leave a design that does what it is for."""
    by_change = {tuple(remedy.values.items()): remedy for remedy in pool if remedy.does}
    return _best([_tried(design, check, remedy.changes) for remedy in by_change.values()])


def _pairs(design: Design, pool: list[Remedy], progress: Progress) -> list[Remedy]:
    """Return the likeliest single changes, each with a second one that mends what the first leaves, the aim before all else."""
    found, aim = [], design.solve().aim.check
    firsts = sorted({tuple(r.values.items()): r for r in pool}.values(), key=lambda remedy: -remedy.chance)[:FIRST_HALVES]
    for number, first in enumerate(firsts):
        told(progress, number / len(firsts))
        begun = design.changed(**first.values)
        left = sorted((c for c in begun.solve().checks if c.verdict != OK), key=lambda check: check.id != aim)
        for asked in left[:1]:
            seconds = _singles(begun, asked, Reaches(), _SCAN_PAIRS)
            found += [_tried(design, asked, (*first.changes, *second.changes))
                      for second in seconds if not set(second.values) & set(first.values)]
        if any(remedy.does for remedy in found):
            break
    return found


def _tried(design: Design, check: Check, changes: tuple[Change, ...]) -> Remedy:
    """Return changes judged as a remedy of a check of the solution itself."""
    solution = design.changed(**{change.param: change.value for change in changes}).solve()
    return _judged(design.solve(), solution, changes, check, _same(solution, check))


def _same(solution: Solution, check: Check) -> Check:
    """Return a check in a changed solution; just met where it is not asked for any more."""
    return next((c for c in solution.checks if c.id == check.id), replace(check, value=check.limit))


def _judged(base: Solution, solution: Solution, changes: tuple[Change, ...], check: Check, mended: Check) -> Remedy:
    old = {c.id: c for c in base.checks}
    others = [c for c in solution.checks if c.id != check.id]
    costs = tuple(c.label for c in others if c.id in old and SEVERITY[c.verdict] > SEVERITY[old[c.id].verdict])
    left = tuple(c.label for c in (mended, *others) if c.verdict != OK)
    aim = solution.aim
    stops = any(c.verdict == STOP and (c.id not in old or old[c.id].verdict != STOP) for c in others)
    does = (mended.verdict == OK and all(c.verdict == OK for c in others if c.id == aim.check) and not stops
            and all(change.near for change in changes))
    return Remedy(changes, mended, costs, left, aim.chance, aim.short, does, check.id == aim.check)


def _best(found: list[Remedy]) -> list[Remedy]:
    """Return those that do, the best first, no size twice."""
    kept: dict[tuple[str, ...], Remedy] = {}
    for remedy in sorted((r for r in found if r.does), key=lambda r: r.rank):
        kept.setdefault(tuple(remedy.values), remedy)
    return list(kept.values())[:MOST]
