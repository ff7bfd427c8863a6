"""Where two bodies touch as printed, layer by layer, and the places a user meets those contacts as."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import field
from functools import cached_property
from typing import Any

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.kept import Kept
from bouncy_latch.core.layers.laying import grown, perimeter, way_round
from bouncy_latch.core.layers.slicing import Section
from bouncy_latch.core.numbers import near_groups

SIDE, STACKED, SAG = "side", "stacked", "sag"
SLIVER = 1e-3
"""Overlaps smaller than this are rounding, mm²."""

SPACING = 2.5
"""A longer contact is told by several points this far apart, mm."""
MOST_POINTS = 16
FAT = 0.3
"""Roundness (4π·area / outline²) from which a contact is a patch rather than a line."""

Touch = tuple[float, Any]
"""A contact within one layer: its size (mm along a side contact, mm² otherwise) and its region."""


@frozen
class Weld:
    """A place where two bodies touch as printed.

    Attributes:
        kind: ``side`` (within a layer), ``stacked`` (one laid on the other) or ``sag`` (hung down onto it).
        layer: index of the (lower) layer.
        area: welded area, mm² (side: contact length × layer thickness; otherwise the overlap).
        x, y, z: its middle, mm.
        pair: names of the two bodies; for stacked and sag welds the lower one first.
        region: the contact seen from above, where it is known.
        drop: what the upper body must sag to touch, mm; ``span`` what it hangs across, mm (infinite: held nowhere).
    """

    kind: str
    layer: int
    area: float
    x: float
    y: float
    z: float
    pair: tuple[str, str]
    region: Any = field(default=None, repr=False, compare=False)
    drop: float = 0.0
    span: float = 0.0

    @classmethod
    def at(cls, kind: str, layer: int, size: float, region: Any, z: float, pair: tuple[str, str]) -> Weld:
        """Return the weld of a contact region (mm)."""
        x0, y0, x1, y1 = region.bounds()
        return cls(kind, layer, size, (x0 + x1) / 2, (y0 + y1) / 2, z, pair, region)

    @cached_property
    def points(self) -> tuple[tuple[float, float, float], ...]:
        """Points of the bed, mm, that share the area equally, so that a ring round an axis has a lever."""
        along = _points(self.region) if self.region is not None else ()
        return tuple((x, y, self.z) for x, y in along or ((self.x, self.y),))


def touching(first: Section, second: Section, below: Section | None, kept: Kept) -> tuple[Touch, ...]:
    """Return the contacts of two laid sections.

    Args:
        below: the second body in the layer of the first, where the second lies a layer higher: areas are returned, without
            what already meets in that layer. None: both lie in one layer, and lengths are returned.
    """
    if not near(first.region, second.region):
        return ()
    key = ("touch", first.key, second.key, below.key if below else None)
    touches: tuple[Touch, ...] = kept.once(key, lambda: _touching(first, second, below))
    return touches


def near(first: Any, second: Any) -> bool:
    """Whether the boxes round two regions overlap."""
    if first.is_empty() or second.is_empty():
        return False
    a, b = first.bounds(), second.bounds()
    return bool(a[0] <= b[2] and b[0] <= a[2] and a[1] <= b[3] and b[1] <= a[3])


def _touching(first: Section, second: Section, below: Section | None) -> tuple[Touch, ...]:
    if below is None:
        return tuple((_size(part, True), part) for _, part in _contacts(first, second))
    if below.region.is_empty():
        return tuple(_contacts(first, second))
    laid = (part - below.region if near(part, below.region) else part for _, part in _contacts(first, second))
    return tuple((area, part) for part in laid if (area := float(part.area())) >= SLIVER)


def _contacts(first: Section, second: Section) -> list[tuple[float, Any]]:
    """Return the connected regions two laid sections share, with their areas."""
    shared = first.region ^ second.region
    area = float(shared.area())
    if area < SLIVER:
        return []
    if shared.num_contour() == 1:
        return [(area, shared)]
    return [(area, part) for part in shared.decompose() if (area := float(part.area())) >= SLIVER]


def _size(region: Any, along: bool) -> float:
    # A contact within a layer is thin: half the way round it is its length.
    return way_round(region) / 2 if along else float(region.area())


def thinning(first: Section, second: Section, below: Section | None, steps: tuple[float, ...],
             kept: Kept) -> tuple[tuple[Touch, tuple[float, ...]], ...]:
    """Return the contacts of two laid sections, see :func:`touching`, when both had grown less by each of ``steps`` (mm).

    What two regions share after both are drawn in by δ is what they shared before, drawn in by δ; so one fat pair of
    sections tells all thinner ones.
    """
    if not near(first.region, second.region):
        return ()

    def make() -> tuple[tuple[Touch, tuple[float, ...]], ...]:
        found = []
        for _, part in _contacts(first, second):
            sizes = _thinner(part, steps, below is None)
            # What meets within the layer below is welded there; only the step beyond it is laid on.
            if below is not None and near(part, below.region) and (met := part ^ below.region).area() >= SLIVER:
                sizes = [max(0.0, own - less) for own, less in zip(sizes, _thinner(met, steps, False), strict=True)]
            found.append(((sizes[0], part), tuple(sizes)))
        return tuple(found)

    key = ("thin", first.key, second.key, below.key if below else None, steps)
    result: tuple[tuple[Touch, tuple[float, ...]], ...] = kept.once(key, make)
    return result


def _thinner(part: Any, steps: Sequence[float], along: bool) -> list[float]:
    """Return the size of a region drawn in by each of rising ``steps`` (mm)."""
    sizes: list[float] = []
    for step in steps:
        if sizes and sizes[-1] == 0:
            sizes.append(0.0)
            continue
        left = grown(part, -step) if step else part
        sizes.append(_size(left, along) if left.area() >= SLIVER else 0.0)
    return sizes


def _points(part: Any) -> tuple[tuple[float, float], ...]:
    """Return points along a contact that is long enough to need more than its middle."""
    x0, y0, x1, y1 = part.bounds()
    if x1 - x0 + y1 - y0 <= SPACING:
        return ()
    rings = [np.asarray(polygon) for polygon in part.to_polygons()]
    closed = np.concatenate([rings[0], rings[0][:1]])
    steps = closed[1:] - closed[:-1]
    length = np.concatenate([[0.0], np.sqrt(np.einsum("ij,ij->i", steps, steps)).cumsum()])
    count = int(min(max(math.ceil(length[-1] / 2 / SPACING), 1), MOST_POINTS))
    at = (np.arange(2 * count) + 0.5) / (2 * count) * length[-1]
    points = np.stack([np.interp(at, length, each) for each in closed.T], axis=1)
    around = float(length[-1]) + math.fsum(map(perimeter, rings[1:]))
    if 4 * math.pi * part.area() > FAT * around**2:
        # In a full disc the middle of the area lies two thirds of the way out.
        middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
        points = middle + (points - middle) * 2 / 3
    return tuple(map(tuple, points.tolist()))


@frozen
class Spot:
    """Neighbouring welds a user meets as one place: middle and radius (mm), layers, area by kind (mm²), reach by layer."""

    x: float
    y: float
    z: float
    radius: float
    first_layer: int
    last_layer: int
    stacked: float
    side: float
    pair: tuple[str, str]
    sag: float = 0.0
    reach: dict[int, float] = field(default_factory=dict, compare=False, repr=False)

    @property
    def area(self) -> float:
        """Total welded area, mm²."""
        return self.stacked + self.side + self.sag

    @property
    def kind(self) -> str:
        """The kind with the largest area."""
        return max((STACKED, self.stacked), (SIDE, self.side), (SAG, self.sag), key=lambda kind: kind[1])[0]


def spots(welds: Sequence[Weld], near_by: float = 2.0) -> list[Spot]:
    """Group welds of the same bodies whose middles lie within ``near_by`` mm of each other, largest first."""
    found = []
    pairs = {frozenset(w.pair) for w in welds}
    for pair in pairs:
        own = [w for w in welds if frozenset(w.pair) == pair]
        points = np.array([[w.x, w.y, w.z] for w in own])
        found += [_spot([own[i] for i in group], points[group]) for group in near_groups(points, near_by)]
    return sorted(found, key=lambda s: (-s.area, s.x, s.y, s.z))


def _spot(members: list[Weld], points: Any) -> Spot:
    middle = points.mean(axis=0)
    reached = np.array([point for weld in members for point in weld.points])
    radius = float(np.linalg.norm(reached - middle, axis=1).max()) + 1.0
    reach: dict[int, float] = {}
    for weld in members:
        out = max(math.hypot(x - middle[0], y - middle[1]) for x, y, _ in weld.points) + 0.5
        for layer in (weld.layer, weld.layer + 1):
            reach[layer] = max(reach.get(layer, 0.0), out)
    area = {kind: math.fsum(w.area for w in members if w.kind == kind) for kind in (STACKED, SIDE, SAG)}
    return Spot(float(middle[0]), float(middle[1]), float(middle[2]), radius, min(w.layer for w in members),
                max(w.layer for w in members), area[STACKED], area[SIDE], members[0].pair, area[SAG], reach)
