"""Within a layer: walls and gaps thinner than a line, and square inside corners where two bodies must fit."""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.layers import findings
from bouncy_latch.core.layers.findings import Finding
from bouncy_latch.core.layers.kept import Kept
from bouncy_latch.core.layers.laying import grown, way_round
from bouncy_latch.core.layers.slicing import Slices
from bouncy_latch.core.layers.spans import edges, rings
from bouncy_latch.core.process.profile import Process

LEAST_LENGTH = 1.2
"""Shorter thin places are corners, mm."""
LEAST_AREA = 0.08
COARSE = 0.02
"""Chords of arcs may be this far off when walls are measured, mm."""
LEAST_HEIGHT = 1.0
"""A thin place less tall than this is the feather edge of a slope, which may come out ragged or not at all, mm."""
FITTED = 1.0
"""Bodies nearer than this to each other are meant to fit, mm."""
SQUARE = math.radians(50)
"""An inside corner that turns more than this is square; arcs are drawn with far smaller turns."""
LEAST_EDGE = 0.8


Place = tuple[float, float, float, float]
"""A thin place: its width (mm), area (mm²) and middle."""


def _places(lost: Any) -> tuple[Place, ...]:
    """Return the parts of a region that are long enough to matter."""
    found = []
    for part in lost.decompose():
        area, length = float(part.area()), way_round(part) / 2
        if area < LEAST_AREA or length < LEAST_LENGTH:
            continue
        # A strip t wide and l long has the area t·l and half the way round t + l.
        width = (length - math.sqrt(max(length**2 - 4 * area, 0.0))) / 2
        x, y = np.asarray(part.to_polygons()[0]).mean(axis=0)
        found.append((width, area, float(x), float(y)))
    return tuple(found)


def _thin_places(region: Any, line: float) -> tuple[tuple[Place, ...], ...]:
    """Return the thin walls and the narrow gaps of a region: what opening and closing it by half a line changes."""
    region = region.simplify(COARSE)
    half, whole = 0.49 * line, region.area()
    opened = grown(grown(region, -half), half)
    walls = _places(region - opened) if whole - opened.area() > LEAST_AREA else ()
    gaps: tuple[Place, ...] = ()
    if region.num_contour() > 1 or region.num_vert() > 8:
        closed = grown(grown(region, half), -half)
        gaps = _places(closed - region) if closed.area() - whole > LEAST_AREA else ()
    return walls, gaps


def thin(name: str, slices: Slices, process: Process, kept: Kept, every: int = 3) -> list[Finding]:
    """Return walls and gaps under a line of body ``name``; of layers that change one in ``every`` speaks for its neighbours."""
    line, growth = round(process.line_width, 4), process.growth.mean
    starts = sorted(set(slices.run))
    lengths = {start: slices.run.count(start) for start in starts}

    def places(start: int) -> tuple[tuple[Place, ...], ...]:
        section = slices.section(start)
        found: tuple[tuple[Place, ...], ...] = ((), ())
        return kept.get(("thin", section.key, line), partial(_thin_places, section.region, line)) if section.key else found

    sampled = {n for n, start in enumerate(starts) if lengths[start] >= every or n % every == 0}
    hit = {n for n in sampled if any(places(starts[n]))}
    # Where something is thin its neighbours tell how tall it is.
    near = {n + k for n in hit for k in range(1 - every, every)} & set(range(len(starts)))
    result: list[Finding] = []
    for n in sorted(hit | near):
        start = starts[n]
        walls, gaps = places(start)
        z, last = float(slices.middles[start]), start + lengths[start] - 1
        for width, area, x, y in walls:
            result.append(Finding(
                findings.THIN, "Wall under a line", width, line, "mm",
                "thinner than one printed line: it is left out or comes out fat", stop=line / 2,
                body=name, first_layer=start, last_layer=last, extent=area, place=(x, y, z)))
        for width, area, x, y in gaps:
            result.append(Finding(
                findings.NARROW, "Gap under a line", width, line, "mm",
                f"each side grows {growth:.2f}, which leaves {max(0.0, width - 2 * growth):.2f}", stop=2 * growth,
                body=name, first_layer=start, last_layer=last, extent=area, place=(x, y, z)))
    return result


def tall(found: list[Finding], process: Process) -> list[Finding]:
    """Return the findings that reach through enough height to be felt."""
    return [f for f in found if (f.last_layer - f.first_layer + 1) * process.layer_height >= LEAST_HEIGHT - 1e-9]


def _square_corners(region: Any) -> npt.NDArray[np.float64]:
    """Return the square inside corners (n, 2) of a region."""
    found = []
    for ring in rings(region):
        before, after = ring - np.roll(ring, 1, axis=0), np.roll(ring, -1, axis=0) - ring
        turn = np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(axis=1))
        long = np.minimum(np.hypot(*before.T), np.hypot(*after.T)) >= LEAST_EDGE
        # Material lies to the left of every outline, so an inside corner turns right.
        found.append(ring[(turn < -SQUARE) & long])
    return np.vstack(found) if found else np.zeros((0, 2))


def corners(name: str, every: Mapping[str, Slices], process: Process, kept: Kept) -> list[Finding]:
    """Return square inside corners of body ``name`` where another body fits into them."""
    slices, result = every[name], []
    tallest = 3
    for start in sorted(set(slices.run)):
        length = slices.run.count(start)
        section = slices.section(start)
        if length < tallest or not section.key:
            continue
        points = kept.get(("corner", section.key), partial(_square_corners, section.region))
        if not len(points):
            continue
        near = np.full(len(points), np.inf)
        for other, theirs in every.items():
            region = theirs.section(start + length // 2).region
            if other != name and not region.is_empty():
                near = np.minimum(near, _distance(points, *edges(rings(region))))
        for (x, y), gap in zip(points, near, strict=True):
            if gap <= FITTED:
                result.append(Finding(
                    findings.CORNER, "Square inside corner", 0.0, process.line_width, "mm",
                    f"another part fits {gap:.2f} away; a bead rounds a square corner, so round it or relieve it",
                    body=name, first_layer=start, last_layer=start + length - 1,
                    place=(float(x), float(y), float(slices.middles[start]))))
    return result


def _distance(points: npt.NDArray[np.float64], starts: npt.NDArray[np.float64],
              ends: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Return the distance (n,) of points (n, 2) to the nearest of some edges, mm."""
    along = ends - starts
    square = np.maximum((along**2).sum(axis=1), 1e-18)
    part = np.clip(((points[:, None, :] - starts[None]) * along[None]).sum(axis=2) / square, 0.0, 1.0)
    nearest = starts[None] + part[:, :, None] * along[None]
    return np.asarray(np.sqrt(((points[:, None, :] - nearest) ** 2).sum(axis=2)).min(axis=1))
