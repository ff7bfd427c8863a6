"""On and near the bed, and on faces that lie almost flat: contact, tipping, elephant foot, chamfers, stair-steps."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.layers import findings
from bouncy_latch.core.layers.findings import Finding
from bouncy_latch.core.layers.laying import grown, way_round
from bouncy_latch.core.layers.slicing import Faces, Slices, connected
from bouncy_latch.core.layers.walls import FITTED
from bouncy_latch.core.numbers import distinct
from bouncy_latch.core.process.profile import Process

Vector = tuple[float, float, float]

LEAST_CONTACT = 25.0
"""Contact with the bed below which a part taller than wide comes loose, mm² (common practice, no source)."""
TALL = 3.0
"""Height over the root of the contact area from which a small contact matters."""
TIP_ANGLE = 12.0
"""Tilt that a part should stand before it falls, degrees (common practice, no source)."""
STAIRS_LINES = 2.0
"""A tread wider than this many lines shows as a step."""
FLATTEST = math.radians(0.5)
LEAST_STAIRS = 6.0
"""Smaller nearly flat faces do not show, mm²."""
SMOOTH = math.radians(20)
"""Facets that turn by less than this against each other stand for one curve."""
SEEN = 0.35
"""Cosine between a face's normal and the direction it is looked at from, beyond which the face is seen."""


def contact(name: str, body: Any, slices: Slices, process: Process) -> list[Finding]:
    """Return small bed contact and the risk of tipping of body ``name`` (a manifold)."""
    first = slices.section(0).region
    x0, y0, _, x1, y1, top = body.bounding_box()
    if first.is_empty():
        return []  # it stands on another body or hangs in the air, which is said elsewhere
    area = float(first.area())
    middle = ((x0 + x1) / 2, (y0 + y1) / 2, 0.0)
    result = []
    if top / math.sqrt(area) > TALL:
        result.append(Finding(
            findings.BED, "Holds on to the bed", area, LEAST_CONTACT, "mm²",
            f"{top:.0f} mm tall on {area:.0f} mm²; a brim or a wider foot holds it", stop=LEAST_CONTACT / 5,
            body=name, extent=area, place=middle))
    angle = math.degrees(tip_angle(first, *centre_of_mass(slices.faces)))
    result.append(Finding(
        findings.TIPS, "Stands while printing", angle, TIP_ANGLE, "°", "tilt at which its weight passes the edge of its foot",
        stop=0.0, body=name, extent=area, place=middle))
    return [f for f in result if f.margin < 0]


def centre_of_mass(faces: Faces) -> tuple[float, float, float]:
    """Return the centre of mass (mm) of a closed body, from the tetrahedra its triangles make with the origin."""
    a, b, c = faces.corners[:, 0], faces.corners[:, 1], faces.corners[:, 2]
    volumes = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6
    x, y, z = volumes @ (a + b + c) / 4 / max(float(volumes.sum()), 1e-9)
    return float(x), float(y), float(z)


def centroid(region: Any) -> tuple[float, float, float]:
    """Return area (mm²) and centroid x, y (mm) of a region."""
    area, mx, my = 0.0, 0.0, 0.0
    for polygon in region.to_polygons():
        x, y = np.asarray(polygon).T
        cross = x * np.roll(y, -1) - np.roll(x, -1) * y
        area += float(cross.sum()) / 2
        mx += float(((x + np.roll(x, -1)) * cross).sum()) / 6
        my += float(((y + np.roll(y, -1)) * cross).sum()) / 6
    return area, mx / area, my / area


def tip_angle(foot: Any, x: float, y: float, z: float) -> float:
    """Return the tilt (rad) that a body with its mass at (x, y, z) stands on the hull of ``foot``; negative: it falls."""
    ring = np.asarray(foot.hull().to_polygons()[0])
    along = np.roll(ring, -1, axis=0) - ring
    length = np.maximum(np.hypot(*along.T), 1e-12)
    # Distance inward from every edge of the hull, which runs anticlockwise.
    inward = (along[:, 0] * (y - ring[:, 1]) - along[:, 1] * (x - ring[:, 0])) / length
    return math.atan2(float(inward.min()), max(z, 1e-9))


def stairs(name: str, slices: Slices, process: Process, seen_from: Sequence[Vector] = ()) -> list[Finding]:
    """Return nearly flat upper faces that print as visible steps; with ``seen_from`` only those seen from there."""
    faces = slices.faces
    steepest = math.atan(process.layer_height / (STAIRS_LINES * process.line_width))
    slopes = _slopes(faces, steepest)
    least, most = slopes.min(axis=1), slopes.max(axis=1)
    # A facet that stands for part of a curve is nearly flat in part.
    part = np.clip((steepest - least) / np.maximum(most - least, 1e-6), 0.0, 1.0)
    level = faces.normals[:, 2] > math.cos(FLATTEST)
    flat = np.flatnonzero(~level & (part > 0) & seen(faces, seen_from))
    steep = math.degrees(steepest)
    result = []
    for group in connected(faces.triangles[flat]):
        own = flat[group]
        areas = faces.areas[own] * part[own]
        area = float(areas.sum())
        # Within less than a layer of height there is no step to see (the crown of a lying cylinder).
        height = _height_of_the_flat(faces.corners[own][:, :, 2], slopes[own], steepest)
        if area < LEAST_STAIRS or height < process.layer_height:
            continue
        mean = math.degrees(float(np.average((least[own] + np.minimum(most[own], steepest)) / 2, weights=areas)))
        x, y, z = np.average(faces.corners[own].mean(axis=1), axis=0, weights=areas)
        width = process.layer_height / math.tan(math.radians(mean))
        layer = int(np.searchsorted(slices.middles, z))
        result.append(Finding(
            findings.STAIRS, "Nearly flat slope", mean, steep, "°",
            f"{area:.0f} mm² prints in treads {width:.1f} wide; steepen it or lay it flat", body=name, extent=area,
            first_layer=layer, last_layer=layer, place=(float(x), float(y), float(z))))
    return result


def _slopes(faces: Faces, steepest: float) -> npt.NDArray[np.float64]:
    """Return the slope (rad) at the corners of every triangle, (n, 3): of the curve that facets stand for, where they do.

    At a corner it is that of the mean normal of the facets that meet there, each by its angle at the corner; what is much
    steeper than ``steepest`` is no part of a curve that is nearly flat, and a level face stays level.
    """
    own = np.arccos(np.clip(faces.normals[:, 2], -1.0, 1.0))
    slopes = np.repeat(own[:, None], 3, axis=1)
    near = np.flatnonzero((own < steepest + SMOOTH) & (own > FLATTEST))
    level = np.flatnonzero(own <= FLATTEST)
    both = np.concatenate([near, level])
    if not len(near):
        return slopes
    sides = np.roll(faces.corners[both], -1, axis=1) - faces.corners[both]
    back = -np.roll(sides, 1, axis=1)
    lengths = np.maximum(np.linalg.norm(sides, axis=2) * np.linalg.norm(back, axis=2), 1e-12)
    angles = np.arccos(np.clip((sides * back).sum(axis=2) / lengths, -1.0, 1.0))
    places, index = np.unique(faces.triangles[both], return_inverse=True)
    mean = np.zeros((len(places), 3))
    index = index.reshape(-1, 3)
    for corner in range(3):
        np.add.at(mean, index[:, corner], faces.normals[both] * angles[:, corner, None])
    # Where a level face begins the curve is level too.
    mean[index[len(near):]] = (0.0, 0.0, 1.0)
    slope = np.arccos(np.clip(mean[:, 2] / np.maximum(np.linalg.norm(mean, axis=1), 1e-12), -1.0, 1.0))
    found = slope[index[:len(near)]]
    # A plane face beside another one is no part of a curve, whose slope would be that of its middle.
    plane = np.abs((found.min(axis=1) + found.max(axis=1)) / 2 - own[near]) > 0.4 * own[near]
    slopes[near] = np.where(plane[:, None], own[near][:, None], found)
    return slopes


def _height_of_the_flat(heights: npt.NDArray[np.float64], slopes: npt.NDArray[np.float64], steepest: float) -> float:
    """Return the height (mm) over which triangles with given heights and slopes at their corners (n, 3) are nearly flat."""
    low, high = math.inf, -math.inf
    for i, j in ((0, 1), (1, 2), (2, 0)):
        z0, z1, s0, s1 = heights[:, i], heights[:, j], slopes[:, i], slopes[:, j]
        # The height of an arc goes as the square of its slope.
        least, most = np.minimum(s0, s1) ** 2, np.maximum(s0, s1) ** 2
        across = (steepest**2 - least) / np.maximum(most - least, 1e-9)
        flatter, steeper = np.where(s0 < s1, z0, z1), np.where(s0 < s1, z1, z0)
        ends = flatter + np.clip(across, 0.0, 1.0) * (steeper - flatter)
        there = np.minimum(s0, s1) <= steepest
        if there.any():
            low = min(low, float(flatter[there].min()), float(ends[there].min()))
            high = max(high, float(flatter[there].max()), float(ends[there].max()))
    return max(high - low, 0.0)


def seen(faces: Faces, seen_from: Sequence[Vector]) -> npt.NDArray[np.bool_]:
    """Return which triangles are seen from any of some directions; all of them when there are none."""
    if not seen_from:
        return np.ones(len(faces.areas), dtype=bool)
    directions = np.array([np.array(d) / max(float(np.linalg.norm(d)), 1e-12) for d in seen_from])
    return np.asarray((faces.normals @ directions.T > SEEN).any(axis=1))


def foot(name: str, every: Mapping[str, Slices], process: Process) -> list[Finding]:
    """Return the elephant foot of body ``name`` where another body fits against its first layer without a chamfer."""
    squash = process.foot(0)
    if squash <= 0.02 or len(every[name].middles) < 3:
        return []
    first, later = every[name].section(0).region, every[name].section(2).region
    if first.is_empty():
        return []
    for other, slices in every.items():
        theirs = slices.section(0).region
        if other == name or theirs.is_empty():
            continue
        facing = (grown(first, FITTED) ^ theirs)
        if facing.is_empty() or facing.area() < 0.05:
            continue
        # Where the two face each other: how far the first layer is drawn in from the third.
        round_there = grown(facing, FITTED)
        strip = float((later ^ round_there).area() - (first ^ round_there).area())
        length = max(way_round(facing) / 2, 1e-9)
        stands = squash - max(0.0, strip) / length
        x, y = np.asarray(facing.to_polygons()[0]).mean(axis=0)
        if stands > 0.05:
            return [Finding(
                findings.FOOT, "Elephant foot", stands, 0.05, "mm",
                f"the first layer stands this proud beside {other}; a {2 * process.layer_height:.1f} bed chamfer takes it in",
                least=False, body=name, beside=other, place=(float(x), float(y), process.first_layer_height / 2))]
    return []


def cut_chamfers(name: str, faces: Faces, process: Process) -> list[Finding]:
    """Return bed chamfers of body ``name`` whose height is no whole number of layers."""
    angle = np.arcsin(np.clip(-faces.normals[:, 2], -1.0, 1.0))
    sloped = (angle > math.radians(20)) & (angle < math.radians(70)) & (faces.lows < 1e-6)
    heights = faces.highs[sloped]
    weights = faces.areas[sloped]
    first, h = process.first_layer_height, process.layer_height
    for height in distinct(np.round(heights, 4)):
        if not 0.1 <= height <= 3.0 or weights[np.abs(heights - height) < 1e-3].sum() < 1.0:
            continue
        part = (height - first) / h
        rest = abs(part - round(part)) * h if height > first else first - height
        if rest > 0.01:
            return [Finding(
                findings.CHAMFER, "Bed chamfer ends between layers", float(rest), 0.01, "mm",
                f"a bed chamfer of {height:.2f} mm ends inside a layer; make it a whole number of layers", least=False,
                body=name,
                place=(0.0, 0.0, float(height)))]
    return []


def lost(name: str, slices: Slices) -> list[Finding]:
    """Return level pads and slots of body ``name`` that lie between two layers and vanish."""
    result = []
    for item in slices.lost():
        what = "pad" if item.solid else "slot"
        layer = int(np.searchsorted(slices.middles, item.bottom))
        result.append(Finding(
            findings.LOST, "Vanishes between layers", item.top - item.bottom, 0.0, "mm",
            f"a {what} from {item.bottom:.2f} to {item.top:.2f} mm lies between the middles of two layers and is not printed",
            least=False,
            body=name, first_layer=layer, last_layer=layer, extent=item.area, place=(item.x, item.y, item.bottom)))
    return result
