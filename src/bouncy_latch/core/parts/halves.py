"""What is kept of a part that was split, and which side it lies on."""

from __future__ import annotations

import re

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.solids import mesh, tree

WHOLE, CUT = "whole", "cut:"
AXES, BELOW, ABOVE = "xyz", "<", ">"
_HALF = re.compile(r"([xyz])([<>])(-?\d{1,4}(?:\.\d{1,4})?)")
FAR = 5000.0
"""Further than any part reaches, mm."""
STANDS: dict[str, tree.Matrix] = {
    "bottom": tree.IDENTITY,
    "top": (1, 0, 0, 0, 0, -1, 0, 0, 0, 0, -1, 0),
    "front": (1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0),
    "back": (1, 0, 0, 0, 0, 0, 1, 0, 0, -1, 0, 0),
    "left": (0, 0, -1, 0, 0, 1, 0, 0, 1, 0, 0, 0),
    "right": (0, 0, 1, 0, 0, 1, 0, 0, -1, 0, 0, 0),
}
"""Which side lies on the bed, and the turn that lays it there."""


def halved(half: str, axis: str, side: str, at: float) -> str:
    """Return what is kept of a part once it is split at a plane across an axis as well: what lies below or above it."""
    cuts = "" if half == WHOLE else half.removeprefix(CUT) + ","
    return f"{CUT}{cuts}{axis}{side}{at:g}"


def kept(found: tree.Solid, half: str) -> tree.Solid:
    """Return what splits leave of a solid; raises SolveError where that is nothing."""
    for cut in [] if half == WHOLE else half.removeprefix(CUT).split(","):
        said = _HALF.fullmatch(cut)
        if said is None:
            raise SolveError(f"'{cut[:40]}' is no split", field="half", value=half)
        axis, at = AXES.index(said[1]), float(said[3])
        low, high = [-FAR] * 3, [FAR] * 3
        (high if said[2] == BELOW else low)[axis] = at
        found = found & tree.Box(low[0], low[1], low[2], high[0], high[1], high[2])
        if mesh.evaluate(found).is_empty():
            raise SolveError(f"the split at {said[1]} = {at:g} leaves nothing of this half", field="half", value=half)
    return found
