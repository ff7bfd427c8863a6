"""Everything known of a process: the store's evidence, the project's own prints, and what both teach."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.learn.posterior.belief import Learnt, learn, start
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.process.profile import Process

Item = Result | Reading


@frozen
class Experience:
    """What is known of a process and what follows.

    Attributes:
        process: as the user states it. begin: where learning starts (from a sister material, or as stated).
        items: all evidence, oldest first; excluded: keys of what is left out.
        learnt: what the rest teaches. believed: the process as it is judged by.
        trouble: why the store could not be read, a sentence; empty when it could.
    """

    process: Process
    begin: Process
    items: tuple[Item, ...]
    excluded: frozenset[str]
    learnt: Learnt
    believed: Process
    trouble: str = ""


def result_of(kind_id: str, when: str, process_id: str, params: dict[str, Any], outcome: str, play: float | None,
              note: str) -> Result | None:
    """Return a logged print of a mechanism as a result; None for one whose main size is not a number."""
    import json

    kind = registry.kind(kind_id)
    value = params.get(kind.recommend)
    if not isinstance(value, (int, float)):
        return None
    rest = {name: v for name, v in params.items() if name != kind.recommend and v is not None}
    return Result(when, process_id, kind_id, kind.recommend, float(value), outcome, play, note,
                  json.dumps(rest, sort_keys=True))


def experience(process: Process, store: Evidence | None, logged: Iterable[Result] = ()) -> Experience:
    """Return what is known of ``process`` from the store and from prints ``logged`` in a project."""
    trouble, kept, excluded, sisters = "", list[Item](), frozenset[str](), list[tuple[Process, Sequence[Item]]]()
    if store is not None:
        try:
            kept = [*store.results(process.id), *store.readings(process.id)]
            excluded = store.excluded()
            sisters = [(other, [*store.results(other.id), *store.readings(other.id)]) for other in store.processes()]
        except ReadError as error:
            trouble = error.sentence
    own = {item.key: item for item in [*kept, *(r for r in logged if r.process == process.id)]}
    items = tuple(sorted(own.values(), key=lambda item: item.when))
    counted = [item for item in items if item.key not in excluded]
    begin = start(process, sisters) if not counted else process
    learnt = learn(begin, counted)
    believed = learnt.belief.process(begin) if counted else begin
    return Experience(process, begin, items, excluded, learnt, believed, trouble)
