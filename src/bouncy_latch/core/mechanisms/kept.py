"""Solved designs are kept: the same parameters on the same process are worked out once, whoever asks."""

from __future__ import annotations

import copy
import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.progress import checkpoint

MOST = 300
"""Designs kept, of all kinds together (about 100 kB each): a print window, its remedies and a drag ask again for fewer."""
_known: OrderedDict[tuple[Any, Any, Any], Any] = OrderedDict()
_drawn: OrderedDict[tuple[Any, Any, Any], None] = OrderedDict()
"""What was drawn at one growth, and so can be at any."""
_lock = threading.Lock()


class Kept:
    """A kind's ``solve`` with a memory; safe to call from several threads.

    Attributes:
        solved: how many designs were really worked out.
    """

    def __init__(self, solve: Callable[[Any, Any], Any]) -> None:
        self._solve = solve
        self.solved = 0

    def __call__(self, params: Any, process: Any) -> Any:
        """Return the solution of ``params`` on ``process``, or raise what it raised.

        Raises:
            UserError: as the kind's own function. Cancelled: when the work under way should stop.
        """
        checkpoint()
        key = (self._solve, params, process)
        with _lock:
            found = _known.get(key)
            if found is not None:
                _known.move_to_end(key)
        if found is None:
            found = self._outcome(params, process)
            with _lock:
                self.solved += 1
                _known[key] = found
                if len(_known) > MOST:
                    _known.popitem(last=False)
        if isinstance(found, UserError):
            raise copy.copy(found)
        return found

    def figures(self, params: Any, process: Any) -> Any:
        """Return the solution of what was printed already: that it can be drawn need not be tried. Raises as the kind's own."""
        with _lock:
            found = _known.get((self._solve, params, process))
        if found is None or isinstance(found, UserError):
            found = self._solve(params, process)
        return found

    def _outcome(self, params: Any, process: Any) -> Any:
        try:
            found = self._solve(params, process)
            # What cannot be drawn is no solution: solving and building must agree. Of most designs only figures are wanted,
            # so the drawing is not kept. A print window asks for the same drawing on printers that differ in growth only.
            same = (self._solve, params, process.with_growth(0.0))
            with _lock:
                known = same in _drawn
            if not known:
                found.drawn()
                with _lock:
                    _drawn[same] = None
                    if len(_drawn) > MOST:
                        _drawn.popitem(last=False)
        except UserError as error:
            error.__context__ = None
            return error.with_traceback(None)
        return found
