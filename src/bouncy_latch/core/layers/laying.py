"""From a drawn section to the one that is laid: outlines grow, holes shrink more the smaller they are, the first layers squash.

Welds form while the print is warm and held by the bed, so contact is judged on outlines *as laid*; the part then shrinks
about its centre, and sizes are judged *as cooled*.
"""

from __future__ import annotations

import math
from typing import Any

import manifold3d
import numpy as np
import numpy.typing as npt

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.facing import FOOT_LAYERS
from bouncy_latch.core.layers.kept import Kept
from bouncy_latch.core.layers.slicing import Section
from bouncy_latch.core.process.profile import Process, hole_shrink

_LEAST_SHRINK = 1e-3


@frozen
class Deposit:
    """How one layer of one process departs from its drawing.

    Attributes:
        outline: growth of outlines with the elephant foot, mm per side.
        hole_term: extra shrink of a hole of no radius, mm per side; it halves at 3 mm radius.
    """

    outline: float
    hole_term: float


def deposit(process: Process, layer: int, growth: float | None = None) -> Deposit:
    """Return what layer ``layer`` (0 = first) of ``process`` does at ``growth`` (mm per side; default the mean)."""
    g = process.growth.mean if growth is None else growth
    foot = process.foot(layer) if layer < FOOT_LAYERS else 0.0
    return Deposit(round(g + foot, 6), process.hole_term.mean)


def grown(region: Any, amount: float) -> Any:
    """Return a region moved out by ``amount`` mm (negative: in), corners kept up to twice that."""
    return region.offset(amount, manifold3d.JoinType.Miter, 2.0)


@frozen
class Part:
    """Parts of a section: their outer outlines, and their holes (anticlockwise, (n, 2)) with their radii, mm."""

    outer: Any
    holes: tuple[tuple[npt.NDArray[np.float64], float], ...]


def parts_of(region: Any) -> tuple[Part, ...]:
    """Return a region with its holes apart: as one, or in its connected parts where something stands in a hole."""
    if region.num_contour() < 2:
        return (Part(region, ()),)
    rings = [np.asarray(p) for p in region.to_polygons()]
    areas = [signed_area(ring) for ring in rings]
    outer = [ring for ring, area in zip(rings, areas, strict=True) if area > 0]
    inner = [(ring, area) for ring, area in zip(rings, areas, strict=True) if area < 0]
    if not inner:
        return (Part(region, ()),)
    if len(outer) > 1:
        boxes = [(*ring.min(axis=0), *ring.max(axis=0)) for ring, _ in inner]
        starts = [ring[0] for ring in outer]
        if any(x0 < x < x1 and y0 < y < y1 for x0, y0, x1, y1 in boxes for x, y in starts):
            return tuple(part for piece in region.decompose() for part in parts_of(piece))
    # For a circle twice the area over the way round is its radius.
    return (Part(manifold3d.CrossSection(outer), tuple((ring[::-1], 2 * -area / max(perimeter(ring), 1e-9))
                                                       for ring, area in inner)),)


def lay(region: Any, how: Deposit, parts: tuple[Part, ...] | None = None) -> Any:
    """Return a drawn region (mm) as laid; ``parts`` saves taking it apart again."""
    if how.hole_term <= 0 or region.num_contour() < 2:
        return grown(region, how.outline)
    laid = [_lay_part(part, how) for part in parts or parts_of(region)]
    return laid[0] if len(laid) == 1 else manifold3d.CrossSection.batch_boolean(laid, manifold3d.OpType.Add)


def _lay_part(part: Part, how: Deposit) -> Any:
    """Lay parts: their outer outlines grow, each of their holes shrinks by what its size deserves."""
    result = grown(part.outer, how.outline)
    if not part.holes:
        return result
    by_shrink: dict[float, list[npt.NDArray[np.float64]]] = {}
    for ring, radius in part.holes:
        shrink = round((how.outline + hole_shrink(how.hole_term, radius)) / _LEAST_SHRINK) * _LEAST_SHRINK
        by_shrink.setdefault(shrink, []).append(ring)
    for shrink, holes in by_shrink.items():
        result = result - grown(manifold3d.CrossSection(holes), -shrink)
    return result


def laid_section(section: Section, how: Deposit, kept: Kept) -> Section:
    """Return a section as laid, from memory where the same was laid before; its key says what it was made from."""
    key = (section.key, how.outline, how.hole_term)

    def make() -> Any:
        parts = kept.get(("parts", section.key), lambda: parts_of(section.region))
        return lay(section.region, how, parts)

    return Section(kept.once(("laid", key), make), key)


def signed_area(ring: npt.NDArray[np.float64]) -> float:
    """Return the area inside a ring (n, 2), mm²; negative when it runs clockwise (a hole)."""
    x, y = ring[:, 0], ring[:, 1]
    return float(0.5 * (x[:-1] @ y[1:] - y[:-1] @ x[1:] + x[-1] * y[0] - y[-1] * x[0]))


def perimeter(ring: npt.NDArray[np.float64]) -> float:
    """Return the way round a ring (n, 2), mm."""
    points = np.ascontiguousarray(ring).view(np.complex128)[:, 0]
    return float(np.abs(points[1:] - points[:-1]).sum() + abs(points[0] - points[-1]))


def way_round(region: Any) -> float:
    """Return the length of all outlines of a region, mm."""
    return math.fsum(perimeter(np.asarray(p)) for p in region.to_polygons())


@frozen
class Size:
    """Size of a body along x, y and z, mm: as drawn, and as printed and cooled."""

    body: str
    drawn: tuple[float, float, float]
    printed: tuple[float, float, float]


def cooled_size(name: str, bounds: tuple[float, ...], height: float, process: Process) -> Size:
    """Return the size of a body with drawn ``bounds`` (x0, y0, z0, x1, y1, z1) and laid ``height`` (mm).

    In the plane the outline grows by g per side, then shrinks about its centre by the process's per cent; upward the
    layers decide.
    """
    drawn = tuple(bounds[i + 3] - bounds[i] for i in range(3))
    scale = 1 - process.shrinkage.mean / 100
    wide, deep = ((d + 2 * process.growth.mean) * scale for d in drawn[:2])
    return Size(name, (drawn[0], drawn[1], drawn[2]), (wide, deep, height * scale))


def cooled(region: Any, centre: tuple[float, float], process: Process) -> Any:
    """Return a laid region shrunk about the part's ``centre`` (mm) by the process's shrinkage."""
    scale = 1 - process.shrinkage.mean / 100
    return region.translate((-centre[0], -centre[1])).scale((scale, scale)).translate(centre)
