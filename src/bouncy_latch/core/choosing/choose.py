"""Every kind that could meet a need, worked out for one process: solved as it stands, then sized, then its print window."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Any

from bouncy_latch.core.choosing.candidate import Candidate, More, candidate, completed
from bouncy_latch.core.choosing.need import Need, answered
from bouncy_latch.core.choosing.ranking import WEIGHTS, ranked
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import ParamError, SolveError, UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.search import target
from bouncy_latch.core.judge.search.nearest import likeliest
from bouncy_latch.core.learn.study import workforce
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.progress import Progress, told, unwatched

FEW = 2
"""Candidates up to which they are sized one after another: starting processes takes as long."""


@frozen
class Dismissed:
    """A kind that does not answer the need, and the sentence that says why."""

    kind: Kind
    reason: str


@frozen
class Choice:
    """What answers a need, best first, and what does not. ``whole``: whether sizes and print windows are worked out."""

    need: Need
    candidates: tuple[Candidate, ...]
    dismissed: tuple[Dismissed, ...]
    whole: bool = True

    @property
    def give_up(self) -> str:
        """What comes nearest where nothing does all that is wanted, and what would have to be given up for it; else empty."""
        if not self.candidates:
            return "no kind answers this need; each says why" if self.dismissed else "no kind is made for this"
        best = self.candidates[0]
        if best.reached:
            return ""
        return f"nothing does all that is wanted; a {best.design.kind.title.lower()} comes nearest and misses: {best.short[0]}"


def choose(need: Need, process: Process, weights: Mapping[str, float] = WEIGHTS, progress: Progress = unwatched,
           early: Callable[[Choice], None] | None = None) -> Choice:
    """Return every kind's answer to a need.

    Args:
        weights: what counts in the order, by criterion. early: told what is known so far, as more comes.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    policy = Policy(need.printer)
    found: dict[str, Candidate] = {}
    gone: list[Dismissed] = []
    kinds = [kind for kind in registry.kinds().values() if need.task in kind.tasks]

    def so_far(whole: bool) -> Choice:
        return Choice(need, ranked(found.values(), weights), tuple(gone), whole)

    def tell(part: float) -> None:
        told(progress, part)
        if early is not None and found:
            early(so_far(whole=False))

    given: dict[str, dict[str, Any]] = {}
    for number, kind in enumerate(kinds):
        try:
            given[kind.id] = answered(kind, need)
            found[kind.id] = candidate(_made(kind, given[kind.id], process, policy), need)
        except UserError as error:
            gone.append(Dismissed(kind, error.sentence))
        tell(0.3 * (number + 1) / len(kinds))
    order = ranked(found.values(), weights)
    tasks = [_Task(each.design.kind.id, each.design.params.model_dump(), process, policy, need.model_dump(),
                   tuple(given[each.design.kind.id]), bool(each.failing)) for each in order]
    for number, (kind_id, params, more) in enumerate(_each_sized(tasks, progress)):
        kind = registry.kind(kind_id)
        design = Design(kind, kind.params(**params), process, policy)
        found[kind_id] = replace(candidate(design, need) if params != found[kind_id].design.params.model_dump()
                                 else found[kind_id], more=more)
        tell(0.3 + 0.7 * (number + 1) / len(order))
    return so_far(whole=True)


@frozen
class _Task:
    """What another process needs to size a candidate."""

    kind: str
    params: dict[str, Any]
    process: Process
    policy: Policy
    need: dict[str, Any]
    fixed: tuple[str, ...]
    failing: bool


_Sized = tuple[str, dict[str, Any], More | None]


def _each_sized(tasks: Sequence[_Task], progress: Progress) -> Iterator[_Sized]:
    """Yield every candidate's sizes and what takes longer to work out, as they come; raises Cancelled."""
    if len(tasks) <= FEW:
        for task in tasks:
            yield _sized(task, progress)
        return
    with workforce.hands(None, "") as (submit, _, finished):
        left = [submit(_sized, task) for task in tasks]
        try:
            while left:
                for future in finished(left):
                    left.remove(future)
                    yield future.result()
        finally:
            for future in left:
                future.cancel()


def _made(kind: Kind, values: dict[str, Any], process: Process, policy: Policy) -> Design:
    """Return a design with what is wanted, or the nearest that can be made; raises SolveError, ParamError."""
    design = Design(kind, kind.params().changed(**values), process, policy)
    try:
        design.solve()
    except SolveError as error:
        nearest = likeliest(design, error, frozenset(values))
        if nearest is None:
            raise
        return nearest
    return design


def _sized(task: _Task, progress: Progress = unwatched) -> _Sized:
    """Return sizes that come nearer to what is wanted, where any verdict fails, with what takes longer to work out."""
    kind, need = registry.kind(task.kind), Need(**task.need)
    best = candidate(Design(kind, kind.params(**task.params), task.process, task.policy), need)
    if task.failing and kind.tuning.sizes:
        # What cannot be brought nearer stays as it is.
        with suppress(ParamError, SolveError):
            best = candidate(target.reach(best.design, frozenset(task.fixed), lambda _part: progress(0.3)).design, need)
    try:
        more = completed(best).more
    except UserError:
        more = None
    return kind.id, best.design.params.model_dump(), more
