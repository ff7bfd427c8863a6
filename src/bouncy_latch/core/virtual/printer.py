"""A virtual printer: lays beads of finite width along the outlines of every layer, with errors nobody told the predictor.

It shares no formula with the prediction. Each outline is walked by a nozzle that lags behind in turns (so corners round and
small holes close up), the bead it leaves is as wide as its flow makes it and wavers along the path, starts with a seam blob,
is squashed in the first layers, and sags where nothing carries it. What two bodies' beads share is welded: its inside, which
was pressed, firmly, a rim round it hardly; and the first layers, which a hand prises open at one place, a stretch at a time.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import manifold3d
import numpy as np

from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.slicing import Slices, layer_middles
from bouncy_latch.core.layers.welds import near
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.progress import Progress, unwatched

Vector = tuple[float, float, float]

STEP = 0.2
"""Distance between the points of a walked path, mm."""
WAVER_LENGTH = 1.6
"""How far along a path a bead's width stays alike, mm."""
SEAM_LENGTH = 0.6
RIM, RIM_BOND = 0.025, 0.15
"""Width of what merely touches round a contact, mm, and how well it holds against the inside."""
STRETCH, PRISED = 8.0, 3
"""Of a contact in the first layers that a hand prises open at a time, mm; and how many layers are the first."""
SPACING = 1.0
"""Between points of a contact that are looked at, mm."""
RAGGED = 0.15
"""Part of machines that are ragged."""
USUAL_LAYER, RIPPLES = 0.2, 997
"""Height of the layers, mm, for which a machine's ripple is told; how many layers differ."""
MITRE = manifold3d.JoinType.Miter


@frozen
class Hidden:
    """What one machine does wrong.

    Attributes:
        flow: plastic laid over plastic asked for. swell: how much wider a bead lies than it was asked to be, mm.
        waver: spread of a bead's width along its path, mm. lag: how far the nozzle cuts corners, mm.
        foot: squash of the first layer, mm a side, fading by ``fade`` a layer.
        sag: droop of a 10 mm strand, mm. seam: blob where an outline begins, mm. shrink: per cent.
        bond: strength of pressed plastic on plastic, MPa. hand: what this user's hand gives, of the usual.
        ripple: spread of where a side lies from one layer to the next, mm in layers 0.2 mm high; the thinner the more, as the
        same unsteady flow makes a thinner bead so much wider.
    """

    flow: float
    swell: float
    waver: float
    lag: float
    foot: float
    fade: float
    sag: float
    seam: float
    shrink: float
    bond: float
    hand: float
    ripple: float = 0.0


def machine(seed: int, ragged: float = RAGGED) -> Hidden:
    """Return a machine drawn from all there are (seeded): most are fair, some fat or thin, a share of them is ``ragged``."""
    rng = np.random.default_rng(seed)
    fair = Hidden(
        flow=float(rng.normal(1.05, 0.06)), swell=float(rng.normal(0.05, 0.035)),
        waver=float(abs(rng.normal(0.025, 0.01)) + 0.005), lag=float(rng.uniform(0.15, 0.45)),
        foot=float(abs(rng.normal(0.18, 0.08))), fade=float(rng.uniform(0.35, 0.65)),
        sag=float(abs(rng.normal(0.45, 0.2))), seam=float(abs(rng.normal(0.03, 0.02))),
        shrink=float(abs(rng.normal(0.3, 0.15))), bond=float(22 * math.exp(rng.normal(0, 0.4))),
        hand=float(math.exp(rng.normal(0, 0.2))))
    if rng.random() > ragged:
        return fair
    # A worn nozzle or a wet roll: the bead wavers and blobs much more.
    return replace(fair, waver=fair.waver * float(rng.uniform(1.6, 2.6)), seam=fair.seam + float(rng.uniform(0.02, 0.08)))


EXAMPLES = {"Heron": 2673, "Gannet": 109}
"""Seeds of the machines that stand for the example printers: a tuned one and a sloppy one."""


def example(printer: str) -> VirtualPrinter:
    """Return the machine of an example printer, always the same one; KeyError for any other name."""
    return VirtualPrinter(machine(EXAMPLES[printer]), EXAMPLES[printer])


@frozen
class Object:
    """What came off the bed: printed regions by layer and body, heights of the layers' middles and thicknesses, mm."""

    names: tuple[str, ...]
    regions: tuple[tuple[Any, ...], ...]
    layers: tuple[tuple[float, float], ...]
    shrink: float
    unpressed: tuple[tuple[Vector, float], ...]

    def region(self, body: str, height: float) -> Any:
        """Return a body's printed section at a height (mm), cooled about the origin."""
        index = int(np.argmin([abs(middle - height) for middle, _ in self.layers]))
        scale = 1 - self.shrink / 100
        return self.regions[index][self.names.index(body)].scale((scale, scale))


    def region_at(self, body: str, height: float, place: tuple[float, float]) -> Any:
        """Return the same section seen from where a drawn place (mm) lies once cooled."""
        scale = 1 - self.shrink / 100
        return self.region(body, height).translate((-place[0] * scale, -place[1] * scale))


class VirtualPrinter:
    """One machine with one roll of plastic."""

    def __init__(self, hidden: Hidden, seed: int) -> None:
        self.hidden, self.seed = hidden, seed
        self._rng = np.random.default_rng(seed)
        self._ripple = self.hidden.ripple * np.random.default_rng(seed + 1).normal(size=RIPPLES)

    def print(self, bodies: Mapping[str, Any], process: Process,
              progress: Progress = unwatched) -> Object:
        """Print manifolds (mm, print pose) with the layers and lines of ``process``; nothing else of it is looked at.

        Raises:
            Cancelled: when ``progress`` (told the part done) returned False.
        """
        plan = layer_middles(max(body.bounding_box()[5] for body in bodies.values()), process)
        slices = [Slices(body, plan) for body in bodies.values()]
        rows: list[tuple[Any, ...]] = []
        hung: list[tuple[Vector, float]] = []
        for index in range(len(plan)):
            if index % 4 == 0 and not progress(index / len(plan)):
                raise Cancelled
            ripple = self._ripple[index % RIPPLES] * USUAL_LAYER / plan[index][1]
            row = tuple(self._lay(own.section(index).region, index, process.line_width, ripple) for own in slices)
            hung += self._hung(row, rows, plan[index][0], process)
            rows.append(row)
        progress(1.0)
        return Object(tuple(bodies), tuple(rows), tuple(plan), self.hidden.shrink, tuple(hung))

    # -- one layer ---------------------------------------------------------------------------------------------------

    def _lay(self, region: Any, index: int, line: float, ripple: float) -> Any:
        """Return what lies there after the nozzle walked round a drawn region."""
        if region.is_empty():
            return region
        path = region.offset(-line / 2, MITRE, 2.0)
        if path.is_empty():
            return region.offset(self._bead(line, index) / 2 + ripple - line / 2, MITRE, 2.0)
        rings = [self._walked(np.asarray(ring), line, index, ripple) for ring in path.to_polygons()]
        return manifold3d.CrossSection(rings, manifold3d.FillRule.Positive)

    def _bead(self, line: float, index: int) -> float:
        squash = self.hidden.foot * self.hidden.fade**index if index < 6 else 0.0
        return line * self.hidden.flow + 2 * self.hidden.swell + 2 * squash

    def _walked(self, ring: Array, line: float, index: int, ripple: float) -> Array:
        """Return the outer edge (n, 2) of the bead laid along a closed path, material on its left."""
        from scipy.ndimage import gaussian_filter1d

        closed = np.vstack([ring, ring[:1]])
        steps = np.hypot(*np.diff(closed, axis=0).T)
        length = np.concatenate([[0.0], np.cumsum(steps)])
        count = max(int(length[-1] / STEP), 12)
        at = np.arange(count) / count * length[-1]
        pitch = length[-1] / count
        points = np.c_[np.interp(at, length, closed[:, 0]), np.interp(at, length, closed[:, 1])]
        points = gaussian_filter1d(points, self.hidden.lag / pitch, axis=0, mode="wrap")
        along = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
        along /= np.maximum(np.hypot(*along.T), 1e-12)[:, None]
        outward = np.c_[along[:, 1], -along[:, 0]]
        waver = gaussian_filter1d(self._rng.normal(size=count), WAVER_LENGTH / pitch / 2, mode="wrap")
        waver *= self.hidden.waver / max(float(waver.std()), 1e-9) if count > 30 else 0.0
        start = np.minimum(at, length[-1] - at)
        seam = self.hidden.seam * np.exp(-((start / SEAM_LENGTH) ** 2))
        half = self._bead(line, index) / 2 + waver + seam + ripple
        return np.asarray(points + outward * half[:, None])

    def _hung(self, row: Sequence[Any], rows: Sequence[Sequence[Any]], middle: float,
              process: Process) -> list[tuple[Vector, float]]:
        """Return places and areas where what nothing carries hangs down onto another body."""
        if not rows:
            return []
        found = []
        for body, region in enumerate(row):
            loose = region - rows[-1][body].offset(0.6 * process.line_width, MITRE, 2.0)
            for part in loose.decompose():
                area = float(part.area())
                if area < 0.5:
                    continue
                carried = not (part.offset(0.05, MITRE, 2.0) ^ rows[-1][body]).is_empty()
                wide = 4 * area / max(sum(_round(np.asarray(p)) for p in part.to_polygons()), 1e-9)
                reach, rest = self.hidden.sag * (wide / 10) ** 3 if carried else 1.0, part
                for empty in range(1, 4):
                    below = rows[-1 - empty] if len(rows) > empty else None
                    if below is None or reach < empty * process.layer_height:
                        break
                    for other, theirs in enumerate(below):
                        # What came to rest hangs no lower.
                        touch, rest = rest ^ theirs, rest - theirs
                        if other != body and touch.area() > 0.2:
                            x, y = np.asarray(touch.to_polygons()[0]).mean(axis=0)
                            found.append(((float(x), float(y), middle), float(touch.area()) * 0.03 / 5 ** (empty - 1)))
                            break
        return found

    # -- what came of it ------------------------------------------------------------------------------------------------

    def breakaway(self, made: Object, arm: Callable[[Vector], float], level: bool = False) -> float:
        """Return what holds the bodies together, N·mm (arms in mm) or N (arms of 1); ``level``: they keep their height as they
        move, so that nothing is prised open."""
        total = 0.0
        for index, row in enumerate(made.regions):
            middle, thick = made.layers[index]
            # The first layers are prised open at one place, a stretch at a time, be they in one piece or in many.
            opened = _prised if index < PRISED and not level else _summed
            for a in range(len(row)):
                for b in range(len(row)):
                    if a < b:
                        total += opened(self._held(row[a], row[b], middle, arm, thick))
                    if a != b and index:
                        total += opened(self._held(made.regions[index - 1][a], row[b], middle - thick / 2, arm, None))
        total += sum(area * self.hidden.bond * arm(place) for place, area in made.unpressed)
        return total * math.exp(float(self._rng.normal(0, 0.12)))

    def _held(self, first: Any, second: Any, height: float, arm: Callable[[Vector], float], thick: float | None) -> Array:
        """Return points of the contacts of two regions and what holds at each, (n, 3): x, y, and N·mm or N.

        Side by side in a layer ``thick`` mm high, or one on the other (None).
        """
        found = [np.zeros((0, 3))]
        for part in (first ^ second).decompose() if near(first, second) else ():
            area = float(part.area())
            if area < 1e-3:
                continue
            # A contact is thin: half of the way round it is its length, of a closed ring half of both its edges.
            inside = part.offset(-RIM, MITRE, 2.0)
            long, pressed = (sum(_round(np.asarray(p)) for p in region.to_polygons()) / 2 for region in (part, inside))
            if thick is None:
                size = float(inside.area()) + RIM_BOND * (area - float(inside.area()))
            else:
                # Side by side only the height of a layer fuses, and less firmly than under the nozzle.
                size = 0.55 * thick * (min(pressed, long) + RIM_BOND * max(0.0, long - pressed))
            points = _along(np.asarray(part.to_polygons()[0]))
            levers = np.array([arm((x, y, height)) for x, y in points.tolist()])
            found.append(np.c_[points, size * self.hidden.bond * levers / len(points)])
        return np.concatenate(found)


def _summed(held: Array) -> float:
    return float(held[:, 2].sum())


def _prised(held: Array) -> float:
    """Return the most that holds anywhere within a stretch."""
    apart = np.hypot(*(held[:, None, :2] - held[:, :2]).transpose(2, 0, 1))
    return float(((apart <= STRETCH / 2) @ held[:, 2]).max(initial=0.0))


def _along(ring: Array) -> Array:
    """Return points evenly spaced round a ring (n, 2), a millimetre apart at most."""
    closed = np.vstack([ring, ring[:1]])
    length = np.append(0.0, np.cumsum(np.hypot(*np.diff(closed, axis=0).T)))
    count = max(1, math.ceil(length[-1] / SPACING))
    at = (np.arange(count) + 0.5) / count * length[-1]
    return np.stack([np.interp(at, length, each) for each in closed.T], axis=1)


def _round(ring: Array) -> float:
    return float(np.hypot(*(np.roll(ring, -1, axis=0) - ring).T).sum())
