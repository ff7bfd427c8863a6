"""Results of layer work kept by what they were computed from, so that a drag only pays for what it changes."""

from __future__ import annotations

import atexit
from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any

from bouncy_latch.core.progress import checkpoint

SIZE = 3000
"""Results kept: a few steps of a drag of a box of two hundred layers."""


_UNKNOWN = object()


class Kept:
    """A bounded memory of results by key; counts how often it could answer."""

    lasts = True
    """Whether what is kept may be met again by other work, and so needs names by which it is known."""

    def __init__(self, size: int = SIZE) -> None:
        self._size, self._lock = size, Lock()
        self._found: OrderedDict[Hashable, Any] = OrderedDict()
        self.asked = self.known = 0

    def get(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Return the result for ``key``, made now if it is not known; raises Cancelled when the work should stop."""
        with self._lock:
            self.asked += 1
            if key in self._found:
                self.known += 1
                self._found.move_to_end(key)
                return self._found[key]
        checkpoint()
        value = make()
        with self._lock:
            self._found[key] = value
            while len(self._found) > self._size:
                self._found.popitem(last=False)
        return value

    def once(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Return the result for ``key`` as :meth:`get` does, of what no piece of work asks for twice."""
        return self.get(key, make)

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._found.clear()
            self.asked = self.known = 0


class Once(Kept):
    """The memory of one piece of work, in which nothing is met that was made before it; what it looks at needs no name that
    says what it is, which takes a tenth of slicing a small body."""

    lasts = False

    def get(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Return the result for ``key``, made now if it is not known; for one thread, and nothing is forgotten."""
        self.asked += 1
        found = self._found.get(key, _UNKNOWN)
        if found is _UNKNOWN:
            checkpoint()
            found = self._found[key] = make()
        else:
            self.known += 1
        return found


    def once(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Return the result, made now."""
        self.asked += 1
        checkpoint()
        return make()


KEPT = Kept()
"""Shared by all predictions of the running application."""
BODIES = Kept(8)
"""Whole bodies cut into layers; few, because a large mesh is large."""
# The binding of the mesh library counts what is left at the end, and complains.
atexit.register(KEPT.clear)
atexit.register(BODIES.clear)
