"""Tries every motion out the way it asks for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from bouncy_latch.core.checks import Check
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import ALONE, CLEAR, MESHES, RIDES, Solution
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.trial import alone, clear, meshes, rides, rooted
from bouncy_latch.core.trial.clear import Trace
from bouncy_latch.core.trial.posed import edges_for


@frozen
class Tried:
    """What trying a motion out said: verdicts, the trace of one that must stay clear, and the value it was worst at."""

    checks: tuple[Check, ...]
    trace: Trace | None = None
    where: float | None = None


def tried(solution: Solution, number: int, progress: Progress = unwatched, traced: bool = True) -> Tried:
    """Try the motion with a number out; verdicts of further motions have its number at the end of their ids.

    ``traced``: whether the gap is wanted all along the way, and not only where it is smallest.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    motion = solution.motions[number]
    trace = None
    if motion.trial == CLEAR:
        trace = clear.sweep(solution, progress=progress, motion=motion, traced=traced)
        found: tuple[Check, ...] = (clear.check(trace, solution, motion),)
    elif motion.trial == RIDES:
        edges = edges_for(solution, motion)
        own = rooted.check(solution, motion, edges)
        found = (rides.check(solution, progress, motion, edges), *([own] if own else []))
    elif motion.trial == MESHES:
        found = meshes.check(solution, progress, motion)
    else:
        assert motion.trial == ALONE, motion.trial
        found = (alone.check(solution, progress, motion),)
    return Tried(tuple(replace(check, id=_named(check.id, number)) for check in found), trace,
                 trace.worst_value if trace else None)


def again(number: int, check_id: str, where: float | None) -> Callable[[Solution], Check]:
    """Return what measures one verdict of a motion anew on a changed design; at the worst place only, where that is known."""

    def measure(solution: Solution) -> Check:
        motion = solution.motions[number]
        if where is not None:
            spot = clear.check(clear.spot_sweep(solution, [where], motion), solution, motion)
            return replace(spot, id=_named(spot.id, number))
        return next(check for check in tried(solution, number).checks if check.id == check_id)

    return measure


def _named(check_id: str, number: int) -> str:
    return check_id if number == 0 else f"{check_id}-{number + 1}"
