"""Every command of the window as data: the palette, the shortcuts and the menus read the same list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """Something the user can ask for: words, shortcut (may be empty) and what it does."""

    title: str
    shortcut: str
    run: Callable[[], object]
