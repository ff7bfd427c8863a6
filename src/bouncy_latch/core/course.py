"""What a motion costs, or leaves free, along its way: named curves with what prints differ by, and what is asked of them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import field

from bouncy_latch.core.frozen import frozen

Values = tuple[float, ...]


@frozen
class Asked:
    """A line a curve is held against: what it is called, and where it lies, in the course's unit."""

    words: str
    value: float


@frozen
class Course:
    """Named curves over values of a freedom.

    Attributes:
        label: what the curves show. unit: theirs. values: ascending, in the motion's unit ``along`` (n,).
        curves: by name, each (n,); infinite where something locks. about: one line on what they say.
        bands: lowest and highest of nine prints of ten, by name of the curve. asked: what it is held against.
    """

    label: str
    unit: str
    values: Values
    curves: Mapping[str, Values]
    about: str
    bands: Mapping[str, tuple[Values, Values]] = field(default_factory=dict)
    asked: tuple[Asked, ...] = ()
    along: str = "mm"

    def at(self, value: float) -> str:
        """Return what every curve says nearest to a value, in words."""
        place = min(range(len(self.values)), key=lambda i: abs(self.values[i] - value))
        digits = 2 if self.unit == "mm" else 1
        return ", ".join(f"{name} {curve[place]:.{digits}f} {self.unit}" if math.isfinite(curve[place]) else f"{name}: locks"
                         for name, curve in self.curves.items())
