"""Every kind that could meet a need, worked out for one process: solved as it stands, then sized, then its print window."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from bouncy_latch.core.choosing.candidate import Candidate, candidate, completed
from bouncy_latch.core.choosing.need import Need, answered
from bouncy_latch.core.choosing.ranking import WEIGHTS, ranked
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, SolveError, UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.search import target
from bouncy_latch.core.judge.search.nearest import likeliest
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.progress import Progress, share, told, unwatched

TRIES = 24
"""Designs that are tried for one candidate: enough to see whether sizes meet the need, not to find the best."""


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
        return f"nothing does all of it; nearest is a {best.design.kind.title.lower()}, without: {best.short[0]}"


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
    order = [each.design.kind.id for each in ranked(found.values(), weights)]
    for number, kind_id in enumerate(order):
        begin, end = (0.3 + 0.7 * (number + part) / len(order) for part in (0, 1))
        found[kind_id] = _sized(found[kind_id], need, frozenset(given[kind_id]), share(progress, begin, end))
        tell(end)
    return so_far(whole=True)


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


def _sized(first: Candidate, need: Need, fixed: frozenset[str], progress: Progress) -> Candidate:
    """Return a candidate with sizes that come nearer to what is wanted, where any fails, and with its print window."""
    best = first
    if first.failing and first.design.kind.tuning.sizes:
        try:
            best = candidate(target.reach(first.design, fixed, share(progress, 0.0, 0.7), TRIES).design, need)
        except Cancelled:
            raise
        except UserError:
            best = first
    told(progress, 0.7)
    try:
        return completed(best)
    except UserError:
        return best
