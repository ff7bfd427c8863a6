"""Results of layer work kept by what they were computed from, so that a drag only pays for what it changes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any

SIZE = 6000


class Kept:
    """A bounded memory of results by key; counts how often it could answer."""

    def __init__(self, size: int = SIZE) -> None:
        self._size, self._lock = size, Lock()
        self._found: OrderedDict[Hashable, Any] = OrderedDict()
        self.asked = self.known = 0

    def get(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Return the result for ``key``, made now if it is not known."""
        with self._lock:
            self.asked += 1
            if key in self._found:
                self.known += 1
                self._found.move_to_end(key)
                return self._found[key]
        value = make()
        with self._lock:
            self._found[key] = value
            while len(self._found) > self._size:
                self._found.popitem(last=False)
        return value

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._found.clear()
            self.asked = self.known = 0


KEPT = Kept()
"""Shared by all predictions of the running application."""
BODIES = Kept(8)
"""Whole bodies cut into layers; few, because a large mesh is large."""
