"""Weld prediction by slicing the real solids: the thorough road, on any two or more meshes.

Every layer is cut at mid-height, its outlines grow (plus the elephant foot near the bed), and neighbouring bodies are
intersected within a layer (side weld) and with the next layer of the other body (stacked weld).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import manifold3d
import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.process.profile import Process

SIDE, STACKED = "side", "stacked"
SLIVER = 1e-3
"""Overlaps smaller than this are rounding, mm²."""

Polygons = list[npt.NDArray[np.float64]]


@dataclass(frozen=True)
class Layer:
    """One layer: index from the bed, height of its middle and its thickness, mm, and the section area of each body, mm²."""

    index: int
    middle: float
    thickness: float
    areas: tuple[float, ...]


@dataclass(frozen=True)
class Weld:
    """A place where two bodies touch as printed.

    Attributes:
        kind: ``side`` or ``stacked``.
        layer: index of the (lower) layer.
        area: welded area, mm² (stacked: the overlap; side: contact length × layer thickness).
        x, y, z: its middle, mm.
        pair: names of the two bodies; for a stacked weld the lower one first.
    """

    kind: str
    layer: int
    area: float
    x: float
    y: float
    z: float
    pair: tuple[str, str]


@dataclass(frozen=True)
class Prediction:
    """What printing the bodies side by side does.

    Attributes:
        names: the bodies, in the order of every per-body tuple.
        growth: the growth it was made with, mm per side.
        sections: for every layer and body the grown outlines as laid, polygons (n, 2).
    """

    names: tuple[str, ...]
    growth: float
    layers: tuple[Layer, ...]
    welds: tuple[Weld, ...]
    sections: tuple[tuple[Any, ...], ...]

    def area(self, kind: str) -> float:
        """Total weld area of a kind, mm²."""
        return sum(w.area for w in self.welds if w.kind == kind)

    def outlines(self, layer: int, body: int) -> Polygons:
        """Return the polygons of one body in one layer."""
        return [np.asarray(p) for p in self.sections[layer][body].to_polygons()]


def layer_middles(top: float, process: Process) -> list[tuple[float, float]]:
    """Return (middle, thickness) of every layer up to ``top`` mm; the last is kept when its middle is inside."""
    first, h = process.first_layer_height, process.layer_height
    found = [(first / 2, first)]
    bottom = first
    while bottom + h / 2 < top - 1e-9:
        found.append((bottom + h / 2, h))
        bottom += h
    return found


def predict(
    bodies: Mapping[str, Any], process: Process, growth: float | None = None,
    progress: Callable[[float], bool] = lambda _: True, bottom: float = 0.0,
) -> Prediction:
    """Slice manifolds ``bodies`` (mm, print pose) and return layers and welds at ``growth`` (default: the mean).

    ``bottom`` skips layers below that height.

    Raises:
        Cancelled: when ``progress`` (told the part done) returns False.
    """
    g = process.growth.mean if growth is None else growth
    names = tuple(bodies)
    solids = list(bodies.values())
    top = max(s.bounding_box()[5] for s in solids)
    all_layers = [(i, *mt) for i, mt in enumerate(layer_middles(top, process)) if mt[0] >= bottom]
    layers: list[Layer] = []
    sections: list[tuple[Any, ...]] = []
    welds: list[Weld] = []
    pairs = list(combinations(range(len(names)), 2))
    for number, (index, middle, thickness) in enumerate(all_layers):
        if number % 16 == 0 and not progress(number / len(all_layers)):
            raise Cancelled
        foot = process.foot(index) if index < 4 else 0.0
        row = tuple(s.slice(middle).offset(g + foot, manifold3d.JoinType.Miter, 2.0) for s in solids)
        layers.append(Layer(index, middle, thickness, tuple(s.area() for s in row)))
        for a, b in pairs:
            welds += _touching(SIDE, row[a], row[b], index, middle, thickness, (names[a], names[b]))
            if sections:
                below = sections[-1]
                height = middle - thickness / 2
                welds += _touching(STACKED, below[a], row[b], index - 1, height, thickness, (names[a], names[b]))
                welds += _touching(STACKED, below[b], row[a], index - 1, height, thickness, (names[b], names[a]))
        sections.append(row)
    progress(1.0)
    return Prediction(names, g, tuple(layers), tuple(welds), tuple(sections))


def _touching(kind: str, first: Any, second: Any, layer: int, z: float, thickness: float,
              pair: tuple[str, str]) -> list[Weld]:
    shared = first ^ second
    whole = shared.area()
    if whole < SLIVER:
        return []
    found = []
    single = shared.num_contour() == 1
    for part in [shared] if single else shared.decompose():
        overlap = whole if single else part.area()
        if overlap < SLIVER:
            continue
        # A weld is thin, so its outer ring tells its middle.
        x, y = np.asarray(part.to_polygons()[0]).mean(axis=0)
        area = overlap if kind == STACKED else _half_perimeter(part) * thickness
        found.append(Weld(kind, layer, float(area), float(x), float(y), z, pair))
    return found


def _half_perimeter(section: Any) -> float:
    """Length of a thin overlap: half the way round it, mm."""
    total = 0.0
    for polygon in section.to_polygons():
        ring = np.asarray(polygon)
        total += float(np.linalg.norm(ring - np.roll(ring, 1, axis=0), axis=1).sum())
    return total / 2


@dataclass(frozen=True)
class Spot:
    """Neighbouring welds a user meets as one place: middle and radius (mm), layers, area by kind (mm²)."""

    x: float
    y: float
    z: float
    radius: float
    first_layer: int
    last_layer: int
    stacked: float
    side: float
    pair: tuple[str, str]

    @property
    def area(self) -> float:
        """Total welded area, mm²."""
        return self.stacked + self.side


def spots(welds: Sequence[Weld], near: float = 2.0) -> list[Spot]:
    """Group welds whose middles lie within ``near`` mm of each other into places, largest first."""
    if not welds:
        return []
    from scipy.cluster.hierarchy import fcluster, linkage

    points = np.array([[w.x, w.y, w.z] for w in welds])
    labels = np.ones(1, dtype=int) if len(welds) == 1 else fcluster(linkage(points, "single"), near, "distance")
    found = []
    for label in np.unique(labels):
        members = [w for w, own in zip(welds, labels, strict=True) if own == label]
        middle = points[labels == label].mean(axis=0)
        radius = float(np.linalg.norm(points[labels == label] - middle, axis=1).max()) + 1.0
        found.append(Spot(
            float(middle[0]), float(middle[1]), float(middle[2]), radius,
            min(w.layer for w in members), max(w.layer for w in members),
            math.fsum(w.area for w in members if w.kind == STACKED),
            math.fsum(w.area for w in members if w.kind == SIDE), members[0].pair))
    return sorted(found, key=lambda s: -s.area)
