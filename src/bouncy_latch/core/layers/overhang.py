"""Undersides: faces steeper than the printer likes, bridges, ledges, and islands that start in mid-air.

Only layers that a steep underside or a lowest point reaches are looked at; all others rest on the one below.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import spans
from bouncy_latch.core.layers.facing import SHORT
from bouncy_latch.core.layers.findings import BRIDGE, ISLAND, LEDGE, OVERHANG, Finding
from bouncy_latch.core.layers.kept import Kept
from bouncy_latch.core.layers.laying import grown, way_round
from bouncy_latch.core.layers.slicing import Faces, Slices, connected
from bouncy_latch.core.numbers import distinct
from bouncy_latch.core.process.profile import Process

FLAT = math.radians(80)
"""Undersides steeper than this from vertical are ceilings: bridges and ledges, judged by the layers."""
TOLERANCE = math.radians(0.6)
LEAST_AREA = 0.15
"""Smaller unsupported regions are a corner of one line, mm²."""
FIN_PITCH = 2.5
"""Distance between the fins of a shelf, mm."""
MOST_FALLEN = 2
"""Layers of air over its own body across which what hangs still lands on it as it was laid (common practice, no source)."""
GIVEN_UP = 2.5
"""Bridges of so many times the span that droops by a layer do not hold (common practice, no source)."""
MOST_EMPTY = 4
"""Layers of air below which something hanging is no longer said to hang over another body."""


@frozen
class Hanging:
    """One region of a layer with nothing of its own body below.

    Attributes:
        layer, z: the layer that hangs and the height of its underside, mm.
        region: the region itself.
        hold: how its own body holds it; None when it is held nowhere (an island).
        over: name of the other body beneath an island, if any, with ``empty`` layers of air between, ``rests`` how that
        holds it; or of the one on which the far end of a ledge lies.
        lands: how many layers lower it lies on its own body, and what it still hangs across there, mm; None where it does not.
    """

    body: str
    layer: int
    z: float
    area: float
    x: float
    y: float
    region: Any
    hold: spans.Hold | None
    over: str | None = None
    empty: int = 0
    rests: spans.Hold | None = None
    lands: tuple[int, float] | None = None

    @property
    def span(self) -> float:
        """What it hangs across, mm; a ledge counts twice; infinite for an island."""
        if self.hold is None:
            return math.inf
        return self.hold.span if self.hold.is_bridge else 2 * max(self.hold.reach, self.hold.span / 2)


def steepness(faces: Faces) -> npt.NDArray[np.float64]:
    """Return the overhang angle of every triangle, rad from vertical; 0 or less for those that look up."""
    return np.arcsin(np.clip(-faces.normals[:, 2], -1.0, 1.0))


def off_bed(faces: Faces, process: Process) -> npt.NDArray[np.bool_]:
    """Return which triangles are above the first layer's middle, so that the bed does not carry them."""
    return np.asarray(faces.highs > process.first_layer_height / 2)


def unsupported_area(faces: Faces, process: Process) -> float:
    """Return the area of undersides steeper than the limit, seen from above, mm²."""
    angle = steepness(faces)
    steep = (angle > math.radians(process.overhang_limit) + TOLERANCE) & off_bed(faces, process)
    return float((faces.areas[steep] * np.sin(angle[steep])).sum())


def candidate_layers(slices: Slices, process: Process) -> list[int]:
    """Return the layers that a too steep underside or a lowest point reaches."""
    faces, middles = slices.faces, slices.middles
    steep = (steepness(faces) > math.radians(process.overhang_limit) + TOLERANCE) & off_bed(faces, process)
    lows, highs = faces.lows[steep], faces.highs[steep]
    lowest = _lowest_points(faces)
    lowest = lowest[lowest > process.first_layer_height / 2]
    lows, highs = np.r_[lows, lowest], np.r_[highs, lowest]
    first = np.searchsorted(middles, lows, "left")
    last = np.searchsorted(middles, highs, "left")
    marks = np.zeros(len(middles) + 2)
    np.add.at(marks, np.minimum(first, len(middles)), 1)
    np.add.at(marks, np.minimum(last, len(middles)) + 1, -1)
    return [int(i) for i in np.flatnonzero(np.cumsum(marks)[: len(middles)] > 0) if i > 0]


def _lowest_points(faces: Faces) -> npt.NDArray[np.float64]:
    """Return the heights of vertices below all their neighbours."""
    z, t = faces.vertices[:, 2], faces.triangles
    floor = z.copy()
    for i, j in ((0, 1), (1, 2), (2, 0)):
        np.minimum.at(floor, t[:, i], z[t[:, j]])
        np.minimum.at(floor, t[:, j], z[t[:, i]])
    used = distinct(t)
    return distinct(z[used][z[used] <= floor[used] + 1e-9])


def hangings(name: str, every: Mapping[str, Slices], process: Process, kept: Kept,
             shelves: Mapping[str, Slices] | None = None) -> list[Hanging]:
    """Return the unsupported regions of body ``name`` in all layers; other bodies tell what lies beneath.

    What a shelf or a bought body carries is left out.
    """
    slices = every[name]
    found = []
    for i in candidate_layers(slices, process):
        here, below = slices.section(i), slices.section(i - 1)
        if here.key == below.key or not here.key:
            continue
        carry = _carry(slices, i, process)
        parts = kept.get(("hang", here.key, below.key, carry), partial(_parts, here.region, below.region, carry))
        thickness = process.layer_height if i else process.first_layer_height
        z = float(slices.middles[i]) - thickness / 2
        for part, area, x, y, held in parts:
            if shelves and _carried(part, area, i, shelves):
                continue
            if held is None:
                over, empty, rests = _beneath(part, area, i, name, every)
            else:
                over, rests = (None, None) if held.is_bridge else _far_end(part, below.region, i, name, every, carry)
                empty = 0
            lands = _lands(part, area, below.region, i, slices, carry) if held is not None else None
            found.append(Hanging(name, i, z, area, x, y, part, held, over, empty, rests, lands))
    return found


def _parts(here: Any, below: Any, carry: float) -> tuple[tuple[Any, float, float, float, spans.Hold | None], ...]:
    """Return the unsupported parts of a section: region, area, middle and how each is held."""
    support = grown(below, carry) if not below.is_empty() else below
    loose = here - support
    found = []
    for part in loose.decompose():
        area = float(part.area())
        if area < LEAST_AREA:
            continue
        x, y = np.asarray(part.to_polygons()[0]).mean(axis=0)
        touches = not support.is_empty() and (grown(part, 0.02) ^ support).area() > 0
        found.append((part, area, float(x), float(y), spans.hold(part, support) if touches else None))
    return tuple(found)


def _carried(part: Any, area: float, layer: int, carriers: Mapping[str, Slices]) -> bool:
    """Whether shelves or bought bodies lie a layer or two of air below a region; between two fins it is bridged without a
    thought."""
    for below in range(max(layer - 1 - MOST_FALLEN, 0), layer):
        regions = [each.section(below).region for each in carriers.values()]
        if sum(float((grown(each, 0.6 * FIN_PITCH) ^ part).area()) for each in regions if not each.is_empty()) > 0.5 * area:
            return True
    return False


def hanging_region(slices: Slices, layer: int, box: tuple[float, float, float, float], process: Process) -> Any:
    """Return the unsupported region of a layer whose bounds are nearest to ``box`` (x0, y0, x1, y1), mm."""
    parts = _parts(slices.section(layer).region, slices.section(layer - 1).region, _carry(slices, layer, process))
    return min((part[0] for part in parts), key=lambda region: float(np.abs(np.subtract(region.bounds(), box)).sum()))


def _carry(slices: Slices, layer: int, process: Process) -> float:
    """Return how far a layer may reach beyond the one below at the overhang limit, with a little to spare, mm."""
    step = float(slices.middles[layer] - slices.middles[layer - 1])
    return round(1.03 * step * math.tan(math.radians(process.overhang_limit)) + 2e-3, 6)


def _far_end(part: Any, own: Any, layer: int, name: str, every: Mapping[str, Slices],
             carry: float) -> tuple[str | None, spans.Hold | None]:
    """Return the other body on which the far end of a region lies that its own body holds at one end, and the bridge."""
    for other, slices in every.items():
        region = slices.section(layer - 1).region
        if other == name or region.is_empty() or (grown(part, 0.02) ^ region).area() <= 0:
            continue
        held = spans.hold(part - region, grown(own, carry) + region)
        if held.is_bridge:
            return other, held
    return None, None


def _lands(part: Any, area: float, own: Any, layer: int, slices: Slices, carry: float) -> tuple[int, float] | None:
    """Return how many layers of air below a held region its own body carries it, and the widest span that is left then, mm."""
    for empty in range(1, MOST_FALLEN + 1):
        region = slices.section(layer - 1 - empty).region if layer - 1 - empty >= 0 else own
        if (region ^ part).area() <= 0.05 * area:
            continue
        left = max((part - region).decompose(), key=lambda piece: piece.area(), default=None)
        if left is None or left.area() < LEAST_AREA:
            return empty, 0.0
        held = spans.hold(left, grown(own, carry) + region)
        return (empty, held.span) if held.is_bridge else None
    return None


def _beneath(part: Any, area: float, layer: int, name: str,
             every: Mapping[str, Slices]) -> tuple[str | None, int, spans.Hold | None]:
    """Return the first other body under some of a region, the layers of air between, and how that body would hold it."""
    for empty in range(MOST_EMPTY + 1):
        below = layer - 1 - empty
        if below < 0:
            break
        for other, slices in every.items():
            region = slices.section(below).region
            if other != name and (region ^ part).area() > 0.05 * area:
                left = part - region
                widest = max(left.decompose(), key=lambda p: p.area(), default=None) if left.area() > LEAST_AREA else None
                return other, empty, spans.hold(widest, region) if widest is not None else None
    return None, 0, None


def longest_bridge(process: Process) -> float:
    """Return the span at which a strand droops by one layer, mm."""
    return float(10.0 * (process.layer_height / max(process.sag.mean, 1e-6)) ** 0.25)


def closes(part: Any, below: Any, longest: float) -> bool:
    """Whether a region lies between walls of the section ``below`` that are no further apart than a bridge may be.

    What closes over a lying hole layer by layer prints as a bridge does: round ones lie up to 8 mm or so without support
    (common practice, no source).
    """
    if below.is_empty():
        return False
    between = grown(grown(below, longest / 2), -longest / 2)
    return float((part - between).area()) < 0.1 * float(part.area())


def ceilings(found: list[Hanging], slices: Slices, process: Process) -> list[Finding]:
    """Return bridges, ledges and islands among hanging regions of one body."""
    line = process.line_width
    longest = longest_bridge(process)
    result = []
    for hang in found:
        flaw = _ceiling(hang, longest, line, process)
        if flaw is not None and not _arched(flaw, hang, slices, longest, line):
            result.append(replace(flaw, body=hang.body, first_layer=hang.layer, last_layer=hang.layer, extent=hang.area,
                                  place=(hang.x, hang.y, hang.z), box=tuple(hang.region.bounds())))
    return result


def _arched(flaw: Finding, hang: Hanging, slices: Slices, longest: float, line: float) -> bool:
    """Whether a ledge is one of the short steps by which a body closes over a lying hole."""
    return (flaw.id == LEDGE and flaw.value <= SHORT * line
            and closes(hang.region, slices.section(hang.layer - 1).region, longest))


def _ceiling(hang: Hanging, longest: float, line: float, process: Process) -> Finding | None:
    """Return what one hanging region is: an island, a bridge, a ledge, or nothing worth a word."""
    if hang.hold is None and hang.over:
        air = f"{hang.empty} layers of air" if hang.empty != 1 else "one layer of air"
        if hang.rests is not None and hang.rests.is_bridge:
            return Finding(BRIDGE, "Bridge", hang.rests.span, longest, "mm",
                           f"a bridge that rests on {hang.over} at both ends: "
                           + (f"it comes to rest there, {air} lower" if hang.empty else "it welds to that part"),
                           least=False, stop=GIVEN_UP * longest)
        if hang.empty == 0:
            return None  # laid on the other body: a weld, which is judged as one
        return Finding(ISLAND, "Starts in mid-air", hang.area, LEAST_AREA, "mm²", f"a region starts over {hang.over} with "
                                                                                  f"{air} between",
                       least=False)
    if hang.hold is None:
        return Finding(ISLAND, "Starts in mid-air", hang.area, LEAST_AREA, "mm²", "a region starts with nothing below it",
                       least=False,
                       stop=2 * LEAST_AREA)
    if hang.lands is not None:
        lower, left = hang.lands[0] * process.layer_height, hang.lands[1]
        # Its own body catches it before it hangs deep: it may span what would else be given up.
        if left > GIVEN_UP * longest:
            return Finding(BRIDGE, "Bridge", left, GIVEN_UP * longest, "mm",
                           f"bridges {left:.0f} mm between two places that carry it {lower:.1f} mm lower", least=False)
        return None  # it lies down on its own body a layer or two lower: rough there, and nothing to mend
    if hang.hold.is_bridge:
        drop = spans.droop(hang.hold.span, process.sag.mean)
        how = f"sags about {drop:.2f} mm" if drop < 2 else "sags until it breaks"
        return Finding(BRIDGE, "Bridge", hang.hold.span, longest, "mm",
                       f"a bridge held at both ends, with lines at {hang.hold.direction:.0f}°, {how}", least=False,
                       stop=GIVEN_UP * longest)
    if hang.over and hang.rests is not None:
        return Finding(BRIDGE, "Bridge", hang.rests.span, longest, "mm",
                       f"its far end rests on {hang.over} and welds to that part", least=False, stop=GIVEN_UP * longest)
    if 2 * hang.area / max(way_round(hang.region), 1e-9) < line / 2:
        return None
    return Finding(LEDGE, "Ledge in the air", max(hang.hold.reach, line / 2), line / 2, "mm",
                   f"a ledge held on one side only; {100 * hang.hold.both:.0f} % of it could be bridged", least=False,
                   stop=3 * line)


def steep_faces(name: str, faces: Faces, slices: Slices, process: Process) -> list[Finding]:
    """Return sloped undersides beyond the limit, one finding a connected face."""
    angle = steepness(faces)
    limit = math.radians(process.overhang_limit)
    steep = np.flatnonzero((angle > limit + TOLERANCE) & (angle < FLAT) & off_bed(faces, process))
    if not len(steep):
        return []
    # A whole line hangs where the step of a layer is a line wide.
    stop = math.degrees(math.atan(process.line_width / process.layer_height))
    result = []
    for group in connected(faces.triangles[steep]):
        own = steep[group]
        tall = float(faces.highs[own].max() - faces.lows[own].min())
        shadow = float((faces.areas[own] * np.sin(angle[own])).sum())
        if shadow < 4 * LEAST_AREA or tall < process.layer_height / 2:
            continue
        worst = math.degrees(float(np.average(angle[own], weights=faces.areas[own])))
        x, y, z = np.average(faces.corners[own].mean(axis=1), axis=0, weights=faces.areas[own])
        layers = np.searchsorted(slices.middles, [faces.lows[own].min(), faces.highs[own].max()])
        step = process.layer_height * math.tan(math.radians(worst))
        if _reach(faces, own, shadow) <= SHORT * process.line_width or _closing(faces, own, slices, process):
            continue
        result.append(Finding(
            OVERHANG, "Steep underside", worst, process.overhang_limit, "°",
            f"overhang too steep: each layer steps out {step:.2f} mm and rests on "
            f"{max(0.0, 100 - 100 * step / process.line_width):.0f} % of its line", least=False, stop=stop,
            body=name, first_layer=int(layers[0]), last_layer=int(max(layers[0], layers[1] - 1)), extent=shadow,
            place=(float(x), float(y), float(z))))
    return result


def _reach(faces: Faces, own: npt.NDArray[np.int64], shadow: float) -> float:
    """Return how far out some connected undersides reach, seen from above, mm: of a long strip its width, of others less.

    ``own``: indices of their triangles; ``shadow``: their area seen from above, mm². A strip of width b and length l has an
    edge of 2(b + l) about an area of b·l.
    """
    sides = np.sort(faces.triangles[own][:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    edges, counts = np.unique(sides, axis=0, return_counts=True)
    ends = faces.vertices[edges[counts == 1]]
    edge = float(np.linalg.norm(ends[:, 0] - ends[:, 1], axis=1).sum())
    return 2 * shadow / max(edge, 1e-9)


def _closing(faces: Faces, own: npt.NDArray[np.int64], slices: Slices, process: Process) -> bool:
    """Whether some undersides close over a hole that a bridge could span, at the layer below where they begin."""
    layer = int(np.searchsorted(slices.middles, float(faces.lows[own].min()), "left")) - 1
    region = slices.section(layer).region if layer >= 0 else None
    if region is None or region.is_empty():
        return False
    x, y, _ = np.average(faces.corners[own].mean(axis=1), axis=0, weights=faces.areas[own])
    spot = type(region).square((0.1, 0.1), True).translate((float(x), float(y)))
    return closes(spot, region, longest_bridge(process))
