"""Slow work reports and stops. Deep inside, where no report is passed down, it asks :func:`checkpoint`.

Whoever starts the work says in :func:`watched` who is asked; every solve, every solid and every layer is a checkpoint, so
whatever is made of them stops within a few of these.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from bouncy_latch.core.errors import Cancelled

Progress = Callable[[float], bool]
"""Told the part done (0 to 1); answers False when the work should stop."""
_goes_on: ContextVar[Callable[[], bool] | None] = ContextVar("goes_on", default=None)


def unwatched(_part: float) -> bool:
    """The report of work that nobody waits for: go on."""
    return True


@contextmanager
def watched(goes_on: Callable[[], bool]) -> Iterator[None]:
    """Let checkpoints inside ask ``goes_on``; it must be quick, it is asked hundreds of times a second."""
    token = _goes_on.set(goes_on)
    try:
        yield
    finally:
        _goes_on.reset(token)


def checkpoint() -> None:
    """Raise Cancelled when the work under way should stop."""
    asked = _goes_on.get()
    if asked is not None and not asked():
        raise Cancelled


def told(progress: Progress, part: float) -> None:
    """Report the part done; raise Cancelled when the answer is to stop."""
    if not progress(part):
        raise Cancelled


def share(progress: Progress, start: float, end: float) -> Progress:
    """Return the report of a piece of work that is the part from ``start`` to ``end`` of the whole."""
    return lambda part: progress(start + (end - start) * min(max(part, 0.0), 1.0))
