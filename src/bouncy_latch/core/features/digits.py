"""Engraved figures: seven strokes a digit, wide enough for a nozzle, cut into a level face."""

from __future__ import annotations

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.solids import tree

WIDTH, HEIGHT, STROKE, SPACE = 2.2, 3.6, 0.7, 0.9
"""Of a digit, mm; the space between two is wider than a line."""
DEPTH = 0.6
"""How deep strokes are cut, mm."""
# Strokes: top, upper right, lower right, bottom, lower left, upper left, middle.
_STROKES = {"0": "abcdef", "1": "bc", "2": "abged", "3": "abgcd", "4": "fgbc", "5": "afgcd", "6": "afgedc", "7": "abc",
            "8": "abcdefg", "9": "gfabcd", "-": "g"}


def width_of(text: str) -> float:
    """Return the width of engraved ``text``, mm."""
    return sum(STROKE if c == "." else WIDTH for c in text) + SPACE * max(len(text) - 1, 0)


def engraved(text: str, x: float, y: float, top: float, depth: float = DEPTH) -> tree.Solid:
    """Return what is cut to engrave figures about (x, y) into a face at height ``top`` (mm), read from -y.

    Raises:
        SolveError: for anything but figures, a point and a dash.
    """
    found: list[tree.Solid] = []
    left = x - width_of(text) / 2
    for character in text:
        if character == ".":
            found.append(_box(left, y - HEIGHT / 2, left + STROKE, y - HEIGHT / 2 + STROKE, top, depth))
            left += STROKE + SPACE
            continue
        if character not in _STROKES:
            raise SolveError(f"'{character}' cannot be engraved; figures, a point and a dash can")
        found += [_stroke(name, left, y - HEIGHT / 2, top, depth) for name in _STROKES[character]]
        left += WIDTH + SPACE
    return tree.union(found)


def _stroke(name: str, x: float, y: float, top: float, depth: float) -> tree.Solid:
    middle = (HEIGHT - STROKE) / 2
    places = {
        "a": (0, HEIGHT - STROKE, WIDTH, HEIGHT), "d": (0, 0, WIDTH, STROKE), "g": (0, middle, WIDTH, middle + STROKE),
        "b": (WIDTH - STROKE, middle, WIDTH, HEIGHT), "c": (WIDTH - STROKE, 0, WIDTH, middle + STROKE),
        "f": (0, middle, STROKE, HEIGHT), "e": (0, 0, STROKE, middle + STROKE)}
    x0, y0, x1, y1 = places[name]
    return _box(x + x0, y + y0, x + x1, y + y1, top, depth)


def _box(x0: float, y0: float, x1: float, y1: float, top: float, depth: float) -> tree.Solid:
    return tree.Box(x0, y0, top - depth, x1, y1, top + 1)
