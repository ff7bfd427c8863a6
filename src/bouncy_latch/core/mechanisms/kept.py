"""Solved designs are kept: the same parameters on the same process are worked out once, whoever asks."""

from __future__ import annotations

import copy
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.progress import checkpoint

MOST = 300
"""Designs kept, of all kinds together (about 100 kB each): a print window, its remedies and a drag ask again for fewer."""
_known: OrderedDict[tuple[Any, Any, Any], Any] = OrderedDict()
_drawn: OrderedDict[tuple[Any, Any, Any], None] = OrderedDict()
"""What was drawn at one growth, and so can be at any."""
_lock = threading.Lock()


_asked: ContextVar[set[tuple[Any, ...]] | None] = ContextVar("asked", default=None)


@contextmanager
def counted() -> Iterator[set[tuple[Any, ...]]]:
    """Give the designs that this piece of work asks for inside, each once, whether they are remembered or worked out anew.

    What a search is limited by must not depend on what others asked before.
    """
    token = _asked.set(set())
    try:
        asked = _asked.get()
        assert asked is not None, "just set"
        yield asked
    finally:
        _asked.reset(token)


class Kept:
    """A kind's ``solve`` with a memory; safe to call from several threads.

    Attributes:
        solved: how many designs were really worked out, by all that asked.
    """

    def __init__(self, solve: Callable[[Any, Any], Any]) -> None:
        self._solve = solve
        self.solved = 0

    def __call__(self, params: Any, process: Any) -> Any:
        """Return the solution of ``params`` on ``process``, or raise what it raised.

        Raises:
            UserError: as the kind's own function. Cancelled: when the work under way should stop.
        """
        found, drawn = self._solved(params, process)
        if not drawn:
            found = self._drawn(found, params, process)
            self._keep((self._solve, params, process), found, True)
        if isinstance(found, UserError):
            raise copy.copy(found)
        return found

    def figures(self, params: Any, process: Any, keep: bool = True) -> Any:
        """Return the solution without trying whether it can be drawn; raises as the kind's own function, and where it is known
        already that it cannot.

        ``keep``: whether it is remembered; what was printed is asked for once, and there may be more of it than is kept.
        """
        found, _ = self._solved(params, process, keep)
        if isinstance(found, UserError):
            raise copy.copy(found)
        return found

    def _solved(self, params: Any, process: Any, keep: bool = True) -> tuple[Any, bool]:
        """Return the solution or what was raised, from memory if it is known, and whether drawing it was tried."""
        checkpoint()
        key = (self._solve, params, process)
        if (asked := _asked.get()) is not None:
            asked.add(key)
        with _lock:
            known: tuple[Any, bool] | None = _known.get(key)
            if known is not None:
                _known.move_to_end(key)
                return known
        try:
            found = self._solve(params, process)
        except UserError as error:
            found = _bare(error)
        drawn = isinstance(found, UserError)
        with _lock:
            self.solved += 1
        if keep:
            self._keep(key, found, drawn)
        return found, drawn

    def _drawn(self, found: Any, params: Any, process: Any) -> Any:
        """Return a solution, or what drawing it raised.

        What cannot be drawn is no solution: solving and building must agree. Of most designs only figures are wanted, so the
        drawing is not kept. A print window asks for the same drawing on printers that differ in growth only.
        """
        same = (self._solve, params, process.with_growth(0.0))
        with _lock:
            if same in _drawn:
                return found
        try:
            found.drawn()
        except UserError as error:
            return _bare(error)
        with _lock:
            _drawn[same] = None
            if len(_drawn) > MOST:
                _drawn.popitem(last=False)
        return found

    def _keep(self, key: tuple[Any, ...], found: Any, drawn: bool) -> None:
        with _lock:
            _known[key] = found, drawn
            if len(_known) > MOST:
                _known.popitem(last=False)


def _bare(error: UserError) -> UserError:
    """Return an error without what led to it, to be kept."""
    error.__context__ = None
    return error.with_traceback(None)
