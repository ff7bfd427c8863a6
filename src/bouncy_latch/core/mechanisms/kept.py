"""Solved designs are kept: the same parameters on the same process are worked out once, whoever asks."""

from __future__ import annotations

import copy
import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.progress import checkpoint

MOST = 400
"""Designs kept a kind: a print window, its remedies and a drag ask again for far fewer."""


class Kept:
    """A kind's ``solve`` with a memory; safe to call from several threads.

    Attributes:
        solved: how many designs were really worked out.
    """

    def __init__(self, solve: Callable[[Any, Any], Any]) -> None:
        self._solve = solve
        self._known: OrderedDict[tuple[Any, Any], Any] = OrderedDict()
        self._lock = threading.Lock()
        self.solved = 0

    def __call__(self, params: Any, process: Any) -> Any:
        """Return the solution of ``params`` on ``process``, or raise what it raised.

        Raises:
            UserError: as the kind's own function. Cancelled: when the work under way should stop.
        """
        checkpoint()
        key = (params, process)
        with self._lock:
            found = self._known.get(key)
            if found is not None:
                self._known.move_to_end(key)
        if found is None:
            try:
                found = self._solve(params, process)
                # What cannot be drawn is no solution: solving and building must agree.
                _ = found.bodies
            except UserError as error:
                found = error.with_traceback(None)
                found.__context__ = None
            with self._lock:
                self.solved += 1
                self._known[key] = found
                if len(self._known) > MOST:
                    self._known.popitem(last=False)
        if isinstance(found, UserError):
            raise copy.copy(found)
        return found
