"""What a user keeps for all projects: one JSON file in the data folder, replaced whole."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Generic, TypeVar

from bouncy_latch.core import files, plainjson
from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.frozen import frozen

MOST_BYTES = 5 * 2**20
T = TypeVar("T")


@frozen
class OwnFile(Generic[T]):
    """A file of its own sort.

    Attributes:
        name: of the file. what: it holds, in words. empty: what there is before anything is kept. decoded: from JSON and the
        file's name; raises ReadError. encoded: to JSON.
    """

    name: str
    what: str
    empty: Callable[[], T]
    decoded: Callable[[object, str], T]
    encoded: Callable[[T], object]

    def read(self, path: Path) -> T:
        """Return what a file holds; raises ReadError."""
        try:
            raw = plainjson.loads(files.read(path, MOST_BYTES), path.name)
        except (TypeError, ValueError, ArithmeticError):
            raise ReadError(f"{path.name} is damaged or holds no {self.what}", field=self.what, value=str(path)) from None
        return self.decoded(raw, path.name)

    def write(self, path: Path, kept: T) -> None:
        """Write it to a file; raises SaveError."""
        files.write(path, (json.dumps(self.encoded(kept), indent=1, ensure_ascii=False) + "\n").encode())

    def known(self, folder: Path) -> T:
        """Return what the user keeps; raises ReadError."""
        path = folder / self.name
        return self.read(path) if path.exists() else self.empty()

    def update(self, folder: Path, change: Callable[[T], T]) -> T:
        """Change what is kept and return it; others that change it at the same time come before or after.

        ``change`` is given what the file holds at that moment, whatever its caller read before.

        Raises:
            ReadError: for a damaged file. SaveError: when it cannot be written. UserError: as ``change``. Then nothing changed.
        """
        files.folder(folder)
        with files.alone({folder}):
            changed = change(self.known(folder))
            self.write(folder / self.name, changed)
        return changed
