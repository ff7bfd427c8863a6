"""How a print is set up beyond its shape: which way up, which sides show, and sacrificial shelves under what would hang.

A shelf is a comb of one-line fins on a thin sole, standing on the bed or on what is below, its top one layer under the
region it carries; that layer hangs down onto it lightly, and it snaps off by hand.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.layers.findings import ISLAND, LEDGE, Finding
from bouncy_latch.core.layers.slicing import Slices
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree

Side = Literal["top", "bottom", "left", "right", "front", "back"]
DIRECTIONS: dict[str, tuple[float, float, float]] = {
    "top": (0, 0, 1), "bottom": (0, 0, -1), "left": (-1, 0, 0), "right": (1, 0, 0), "front": (0, -1, 0), "back": (0, 1, 0)}
FIN_PITCH = 2.5
"""Distance between fins, mm: what a strand bridges without a thought."""
LEAST_SHELF = 0.6
"""Lower than this there is no room for a shelf, mm."""
SHELF = "shelf-"
"""How the bodies of shelves are named."""
CARRIED = frozenset({ISLAND, LEDGE})
"""What a shelf can carry."""

Number = Annotated[float, Field(ge=-1e4, le=1e4, allow_inf_nan=False)]


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Shelf(_Frozen):
    """A sacrificial shelf over the rectangle x0…x1, y0…y1, from the floor it stands on to its top, mm, print pose."""

    x0: Number
    y0: Number
    x1: Number
    y1: Number
    floor: Number
    top: Number
    line: Annotated[float, Field(gt=0, le=5)]

    @model_validator(mode="after")
    def _has_room(self) -> Self:
        if self.x1 <= self.x0 or self.y1 <= self.y0 or self.top <= self.floor:
            raise ValueError("a shelf needs a length, a width and a height")
        return self

    @property
    def solid(self) -> tree.Solid:
        """The fins, across the shorter side, and their sole."""
        along_x = self.x1 - self.x0 >= self.y1 - self.y0
        low, high = (self.x0, self.x1) if along_x else (self.y0, self.y1)
        count = max(2, round((high - low) / FIN_PITCH) + 1)
        places = np.linspace(low + self.line / 2, high - self.line / 2, count)
        fins: list[tree.Solid] = []
        for place in places:
            a, b = float(place) - self.line / 2, float(place) + self.line / 2
            fins.append(tree.Box(a, self.y0, self.floor, b, self.y1, self.top) if along_x
                        else tree.Box(self.x0, a, self.floor, self.x1, b, self.top))
        sole = tree.Box(self.x0, self.y0, self.floor, self.x1, self.y1, min(self.top, self.floor + self.line))
        return tree.union([sole, *fins])


class PrintSetup(_Frozen):
    """Which way up a mechanism is printed (None: as designed), which sides show (none: all), and its shelves."""

    turn: Annotated[tuple[Number, ...], Field(min_length=9, max_length=9)] | None = None
    seen: tuple[Side, ...] = ()
    shelves: Annotated[tuple[Shelf, ...], Field(max_length=40)] = ()

    @model_validator(mode="after")
    def _turns(self) -> Self:
        if self.turn is not None:
            matrix = np.array(self.turn).reshape(3, 3)
            if not np.allclose(matrix @ matrix.T, np.eye(3), atol=1e-6) or np.linalg.det(matrix) < 0:
                raise ValueError("the print pose is not a rotation")
        return self

    @property
    def seen_from(self) -> tuple[tuple[float, float, float], ...]:
        """Directions the shown sides are looked at from, drawn pose."""
        return tuple(DIRECTIONS[side] for side in self.seen)


DESIGNED = PrintSetup()
"""Printed as designed, every side seen, no shelves."""


def shelf_under(finding: Finding, slices: Mapping[str, Slices], process: Process) -> Shelf:
    """Return the shelf that carries what a finding says hangs.

    Raises:
        SolveError: when it is not something a shelf carries, or there is no room for one.
    """
    if finding.id not in CARRIED or finding.box is None or finding.place is None:
        raise SolveError("a shelf carries ledges and islands only")
    x0, y0, x1, y1 = finding.box
    line, h = process.line_width, process.layer_height
    # It stays clear of upright walls beside what it carries.
    clear = min(0.3, (x1 - x0) / 8, (y1 - y0) / 8)
    x0, y0, x1, y1 = x0 + clear, y0 + clear, x1 - clear, y1 - clear
    x0, x1 = _at_least(x0, x1, 2 * line)
    y0, y1 = _at_least(y0, y1, 2 * line)
    layer = finding.first_layer
    floor = _floor((x0, y0, x1, y1), layer, slices.values(), process)
    underside = process.first_layer_height + (layer - 1) * h
    top = underside - h
    if top - floor < LEAST_SHELF:
        raise SolveError(f"only {max(0.0, underside - floor):.2f} mm lie below; a shelf needs {LEAST_SHELF + h:.1f}")
    rounded = [round(v, 4) for v in (x0, y0, x1, y1, floor, top, line)]
    return Shelf(x0=rounded[0], y0=rounded[1], x1=rounded[2], y1=rounded[3], floor=rounded[4], top=rounded[5],
                 line=rounded[6])


def _at_least(low: float, high: float, width: float) -> tuple[float, float]:
    middle, half = (low + high) / 2, max(high - low, width) / 2
    return middle - half, middle + half


def _floor(box: tuple[float, float, float, float], layer: int, bodies: Any, process: Process) -> float:
    """Return the height a shelf in ``box`` can stand on below ``layer``: the highest body there, or the bed."""
    import manifold3d

    x0, y0, x1, y1 = box
    area = manifold3d.CrossSection.square((x1 - x0, y1 - y0)).translate((x0, y0))
    for below in range(layer - 2, -1, -1):
        if any((own.section(below).region ^ area).area() > 0.02 for own in bodies):
            return process.first_layer_height + below * process.layer_height
    return 0.0


def solids(shelves: Sequence[Shelf]) -> dict[str, tree.Solid]:
    """Return the shelves as solids by name."""
    return {f"{SHELF}{number}": shelf.solid for number, shelf in enumerate(shelves, 1)}
