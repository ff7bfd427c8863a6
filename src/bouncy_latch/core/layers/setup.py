"""How a print is set up beyond its shape: which way up, which sides show, and sacrificial shelves under what would hang.

A shelf is a comb of one-line fins, standing on the bed or on what is below, their tops one layer under the region they
carry; that layer hangs down onto them lightly, and they snap off by hand.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Annotated, Any, Literal, Self

import manifold3d
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.layers.findings import ISLAND, LEDGE, Finding
from bouncy_latch.core.layers.laying import grown, way_round
from bouncy_latch.core.layers.overhang import FIN_PITCH, hanging_region
from bouncy_latch.core.layers.slicing import Slices
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree

Side = Literal["top", "bottom", "left", "right", "front", "back"]
DIRECTIONS: dict[str, tuple[float, float, float]] = {
    "top": (0, 0, 1), "bottom": (0, 0, -1), "left": (-1, 0, 0), "right": (1, 0, 0), "front": (0, -1, 0), "back": (0, 1, 0)}
CLEAR = 0.8
"""Room between a fin and the walls beside it, of which its foot takes a line, mm."""
LEAST_SHELF = 0.6
"""Lower than this there is no room for a shelf, mm."""
SHELF = "shelf-"
"""How the bodies of shelves are named."""
CARRIED = frozenset({ISLAND, LEDGE})
"""What a shelf can carry."""

Task = Literal["colour change", "something put in", "something broken away"]
TASKS: dict[Task, str] = {
    "colour change": "Change the filament and press it out until the new colour runs clean.",
    "something put in": "Put it in, below the layer's top: what stands above it the nozzle hits.",
    "something broken away": "Break it away, and take what is left of it out of the nozzle's way."}
"""What a print is stopped for besides what a mechanism asks, and what the hand does then."""

Number = Annotated[float, Field(ge=-1e4, le=1e4, allow_inf_nan=False)]


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Fin(_Frozen):
    """One fin over the rectangle x0…x1, y0…y1, from what it stands on to its top, mm, print pose."""

    x0: Number
    y0: Number
    x1: Number
    y1: Number
    floor: Number
    top: Number

    @model_validator(mode="after")
    def _has_room(self) -> Self:
        if self.x1 <= self.x0 or self.y1 <= self.y0 or self.top <= self.floor:
            raise ValueError("a fin needs a length, a width and a height")
        return self


class Shelf(_Frozen):
    """A sacrificial shelf: its fins, one printed line wide each."""

    fins: Annotated[tuple[Fin, ...], Field(min_length=1, max_length=400)]
    line: Annotated[float, Field(gt=0, le=5)]

    @property
    def solid(self) -> tree.Solid:
        """The fins, each with a wider foot where it stands on the bed."""
        found: list[tree.Solid] = []
        for fin in self.fins:
            found.append(tree.Box(fin.x0, fin.y0, fin.floor, fin.x1, fin.y1, fin.top))
            if fin.floor == 0:
                wide = self.line
                found.append(tree.Box(fin.x0 - wide, fin.y0 - wide, 0, fin.x1 + wide, fin.y1 + wide,
                                      min(fin.top, self.line)))
        return tree.union(found)


class Stop(_Frozen):
    """Where the user wants the print to stop: top of the last layer before it, mm over the bed, what for, and what to do."""

    z: Annotated[float, Field(gt=0, le=2000)]
    task: Task
    note: Annotated[str, Field(max_length=200)] = ""


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
    line, h = process.line_width, process.layer_height
    region = hanging_region(slices[finding.body], finding.first_layer, finding.box, process)
    underside = process.first_layer_height + (finding.first_layer - 1) * h
    fins = []
    for x0, y0, x1, y1 in _strips(region, line):
        floor = _floor((x0, y0, x1, y1), finding.first_layer, slices.values(), process)
        if underside - h - floor >= LEAST_SHELF:
            sides = [round(v, 4) for v in (x0, y0, x1, y1, floor, underside - h)]
            fins.append(Fin(x0=sides[0], y0=sides[1], x1=sides[2], y1=sides[3], floor=sides[4], top=sides[5]))
    if not fins:
        raise SolveError(f"there is no room below for a shelf: it needs {LEAST_SHELF + h:.1f} mm and a width of {2 * line:.1f}")
    return Shelf(fins=tuple(fins[:400]), line=line)


def _strips(region: Any, line: float) -> list[tuple[float, float, float, float]]:
    """Return strips one line wide across the shorter way of a region, as far as it reaches, drawn in a little."""
    x0, y0, x1, y1 = region.bounds()
    along_x = x1 - x0 >= y1 - y0
    low, high = (x0, x1) if along_x else (y0, y1)
    # They stay clear of upright walls beside what they carry.
    clear = min(CLEAR, region.area() / way_round(region) / 2)
    inner = grown(region, -clear)
    count = max(2, round((high - low - 2 * clear) / FIN_PITCH) + 1)
    found = []
    for place in np.linspace(low + clear + line / 2, high - clear - line / 2, count):
        a, b = float(place) - line / 2, float(place) + line / 2
        strip = manifold3d.CrossSection([[(a, y0), (b, y0), (b, y1), (a, y1)] if along_x
                                         else [(x0, a), (x1, a), (x1, b), (x0, b)]])
        for part in (inner ^ strip).decompose():
            if part.is_empty():
                continue
            box = part.bounds()
            if max(box[2] - box[0], box[3] - box[1]) >= 2 * line and min(box[2] - box[0], box[3] - box[1]) >= 0.8 * line:
                found.append(tuple(float(v) for v in box))
    return found  # type: ignore[return-value]


def _floor(box: tuple[float, float, float, float], layer: int, bodies: Iterable[Slices], process: Process) -> float:
    """Return the height a fin in ``box`` can stand on below ``layer``: the highest body there, or the bed."""
    x0, y0, x1, y1 = box
    area = manifold3d.CrossSection.square((x1 - x0, y1 - y0)).translate((x0, y0))
    every = list(bodies)
    for below in range(layer - 2, -1, -1):
        if any((own.section(below).region ^ area).area() > 0.02 for own in every):
            return process.first_layer_height + below * process.layer_height
    return 0.0


def solids(shelves: Sequence[Shelf]) -> dict[str, tree.Solid]:
    """Return the shelves as solids by name."""
    return {f"{SHELF}{number}": shelf.solid for number, shelf in enumerate(shelves, 1)}
