"""The print prediction by slicing the real solids: what is laid, what welds, what droops, floats or vanishes.

Every layer is cut at mid-height (:mod:`slicing`), grown as the printer lays it (:mod:`laying`), and neighbouring bodies are
intersected within a layer and with the next layer of the other body (:mod:`welds`). Undersides, walls and the bed are
judged by :mod:`overhang`, :mod:`walls` and :mod:`bed`; :mod:`freedom` turns welds into chances.

Everything computed from a section is kept by the section itself, so a changed design pays only for the layers it changed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import field
from functools import cached_property
from itertools import combinations
from typing import Any

import manifold3d
import numpy as np

from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import bed, overhang, spans, walls
from bouncy_latch.core.layers.bonding import TOUCH
from bouncy_latch.core.layers.facing import FOOT_LAYERS
from bouncy_latch.core.layers.findings import Finding, merged
from bouncy_latch.core.layers.kept import KEPT, Kept
from bouncy_latch.core.layers.laying import Deposit, Size, cooled_size, deposit, laid_section
from bouncy_latch.core.layers.slicing import Section, Slices, layer_middles
from bouncy_latch.core.layers.welds import SAG, SIDE, STACKED, Spot, Weld, spots, thinning, touching
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.progress import Progress, unwatched

__all__ = ["SAG", "SIDE", "STACKED", "Hung", "Layer", "Prediction", "Spot", "Weld", "layer_middles", "predict", "spots"]

Polygons = list[Array]

NODES, SPREAD = 9, 3.0
"""Growths at which contacts are taken, and how far they reach, in standard deviations of growth and edge noise together."""
FOOT_NODES = 3
"""Further growths on both sides for the first layers, whose elephant foot is as uncertain as the growth."""


@frozen
class Layer:
    """One layer: index from the bed, height of its middle and its thickness, mm, and the laid area of each body, mm²."""

    index: int
    middle: float
    thickness: float
    areas: tuple[float, ...]


@frozen
class Curve:
    """Contacts at several growths.

    Attributes:
        growths: rising, mm per side, (n,).
        contacts: at the greatest growth, m of them.
        areas: of every contact at every growth, (m, n), mm².
    """

    growths: Array
    contacts: tuple[Weld, ...]
    areas: Array


NO_CURVE = Curve(np.zeros(1), (), np.zeros((0, 1)))


@frozen
class Hung:
    """Something of one body that hangs in the air over another.

    Attributes:
        area: overlap seen from above, mm².
        drop: how far it must sag to touch, mm; ``empty`` layers of air.
        span: what it hangs across, mm; infinite when it is held nowhere.
        pair: the lower body first.
    """

    layer: int
    area: float
    x: float
    y: float
    z: float
    drop: float
    empty: int
    span: float
    pair: tuple[str, str]

    def touches(self, sag: float) -> float:
        """Return the part of its area that comes to rest on the body below where a 10 mm span sags ``sag`` mm.

        A strand held at both ends sags as s·(1 − ξ²)², so the part of it lower than d is √(1 − √(d/s)).
        """
        if math.isinf(self.span):
            return 1.0
        low = spans.droop(self.span, max(sag, 0.0))
        return math.sqrt(1.0 - math.sqrt(self.drop / low)) if low > self.drop else 0.0


@frozen
class Prediction:
    """What printing the bodies side by side does.

    Attributes:
        names: the bodies, in the order of every per-body tuple.
        growth: the growth it was made with, mm per side.
        welds: at that growth and the mean sag.
        sections: for every layer and body the outlines as laid.
        curve: contacts at growths around it, for the chances; low: those of the first layers, which the foot reaches.
        hung: what hangs over another body.
        findings: flaws of the bodies' own print.
        sizes: of every body, drawn and cooled.
        drawn, shelves: the bodies, and what carries them, cut into layers. process: it was made for.
        asked, known: results that were needed, and those of them that were known from before.
    """

    names: tuple[str, ...]
    growth: float
    layers: tuple[Layer, ...]
    welds: tuple[Weld, ...]
    sections: tuple[tuple[Any, ...], ...]
    curve: Curve = NO_CURVE
    low: Curve = NO_CURVE
    hung: tuple[Hung, ...] = ()
    findings: tuple[Finding, ...] = ()
    sizes: tuple[Size, ...] = ()
    asked: int = 0
    known: int = 0
    drawn: tuple[Slices, ...] = field(default=(), repr=False, compare=False)
    shelves: tuple[Slices, ...] = field(default=(), repr=False, compare=False)
    process: Process | None = field(default=None, repr=False, compare=False)

    @cached_property
    def unsupported(self) -> float:
        """Area of all undersides beyond the process's limit, seen from above, mm²."""
        return math.fsum(overhang.unsupported_area(own.faces, self.process) for own in self.drawn) if self.process else 0.0

    def area(self, kind: str) -> float:
        """Total weld area of a kind, mm²."""
        return math.fsum(w.area for w in self.welds if w.kind == kind)

    def outlines(self, layer: int, body: int) -> Polygons:
        """Return the polygons of one body in one layer."""
        return [np.asarray(p) for p in self.sections[layer][body].to_polygons()]

    @property
    def height(self) -> float:
        """Height of the print as laid, mm."""
        last = self.layers[-1]
        return last.middle + last.thickness / 2


Place = tuple[int, str, int, int]
"""Where bodies may touch: position among the layers, kind, first or lower body, second or upper body."""


def _between(position: int, first: int, second: int) -> tuple[int, int, int]:
    return position, min(first, second), max(first, second)


class _Contacts:
    """Contacts between bodies at any growth; only where they are near at all."""

    def __init__(self, slices: Sequence[Slices], names: Sequence[str], pairs: Iterable[tuple[int, int]],
                 layers: Sequence[tuple[int, float, float]], process: Process, kept: Kept) -> None:
        self._slices, self._names, self._process, self._kept = slices, names, process, kept
        self._layers = layers
        self._nothing = Section(manifold3d.CrossSection([]), b"")
        self._laid: dict[tuple[int, int, int, float], Section] = {}
        self._deposits: dict[tuple[int, float], Deposit] = {}
        self.places: list[Place] = [(n, kind, a, b) for n in range(len(layers)) for i, j in pairs
                       for kind, a, b in ((SIDE, i, j), (STACKED, i, j), (STACKED, j, i)) if kind == SIDE or n > 0]

    def laid(self, position: int, body: int, growth: float) -> Section:
        """Return one body in one layer as laid at a growth."""
        index = self._layers[position][0]
        # Beyond the elephant foot all layers of a run are laid alike.
        low = index if index < FOOT_LAYERS else -1
        key = (body, self._slices[body].run[index], low, growth)
        found = self._laid.get(key)
        if found is None:
            how = self._deposits.get((low, growth))
            if how is None:
                how = self._deposits[low, growth] = deposit(self._process, index, growth)
            found = self._laid[key] = laid_section(self._slices[body].section(index), how, self._kept)
        return found

    def keep_near(self, growth: float) -> None:
        """Drop the places whose bodies' boxes stay apart even at ``growth``."""
        if not self.places:
            return
        reach = 2 * (max(0.0, growth) + self._process.foot(0))
        # Lows and highs of every body in every layer; those of an empty section are infinitely far from everything.
        boxes = np.full((len(self._slices), len(self._layers), 4), np.array([np.inf, np.inf, -np.inf, -np.inf]))
        for body, slices in enumerate(self._slices):
            for position, (index, _, _) in enumerate(self._layers):
                region = slices.section(index).region
                if not region.is_empty():
                    boxes[body, position] = region.bounds()
        side = np.array([kind == SIDE for _, kind, _, _ in self.places])
        n, first, second = np.array([(n, a, b) for n, _, a, b in self.places]).T
        one, other = boxes[first, n - ~side], boxes[second, n]
        near = (one[:, :2] - reach <= other[:, 2:]).all(axis=1) & (other[:, :2] - reach <= one[:, 2:]).all(axis=1)
        self.places = [place for place, kept in zip(self.places, near.tolist(), strict=True) if kept]

    def welds(self, growth: float, go_on: Callable[[], None]) -> tuple[Weld, ...]:
        """Return the welds at a growth."""
        found: list[Weld] = []
        met: set[tuple[int, int, int]] = set()
        for place, sections in self._pairs(growth, go_on, met):
            touches = touching(*sections, self._kept)
            if touches and place[1] == SIDE:
                met.add(_between(place[0], place[2], place[3]))
            found += [self._weld(place, size, region) for size, region in touches]
        return tuple(found)

    def curve(self, growths: Array, low: bool, go_on: Callable[[], None]) -> Curve:
        """Return the contacts at the greatest of some growths (rising), and their areas at all of them.

        ``low``: of the layers that the elephant foot reaches, or of all others.
        """
        steps = tuple(round(float(growths[-1] - g), 6) for g in growths[::-1])
        contacts, areas = [], []
        met: set[tuple[int, int, int]] = set()
        for place, sections in self._pairs(float(growths[-1]), go_on, met, low):
            thickness = self._layers[place[0]][2] if place[1] == SIDE else 1.0
            thinned = thinning(*sections, steps, self._kept)
            if thinned and place[1] == SIDE:
                met.add(_between(place[0], place[2], place[3]))
            for (size, region), sizes in thinned:
                contacts.append(self._weld(place, size, region))
                areas.append([s * thickness for s in sizes[::-1]])
        return Curve(growths, tuple(contacts), np.array(areas).reshape(len(contacts), len(growths)))

    def _pairs(self, growth: float, go_on: Callable[[], None], met: set[tuple[int, int, int]], low: bool | None = None
               ) -> Iterator[tuple[Place, tuple[Section, Section, Section | None]]]:
        """Yield every place, or the ``low`` or the other ones, with its two laid sections and what lies below the upper.

        ``met``: where bodies were found to meet side by side; elsewhere nothing of what is laid on the other was met before.
        """
        for number, place in enumerate(self.places):
            if number % 64 == 0:
                go_on()
            n, kind, a, b = place
            if low is not None and low != (self._layers[n][0] - (kind == STACKED) < FOOT_LAYERS):
                continue
            if kind == SIDE:
                yield place, (self.laid(n, a, growth), self.laid(n, b, growth), None)
            else:
                below = self.laid(n - 1, b, growth) if _between(n - 1, a, b) in met else self._nothing
                yield place, (self.laid(n - 1, a, growth), self.laid(n, b, growth), below)

    def _weld(self, place: Place, size: float, region: Any) -> Weld:
        n, kind, a, b = place
        index, middle, thickness = self._layers[n]
        pair = (self._names[a], self._names[b])
        if kind == SIDE:
            return Weld.at(SIDE, index, size * thickness, region, middle, pair)
        return Weld.at(STACKED, index - 1, size, region, middle - thickness / 2, pair)


def predict(
    bodies: Mapping[str, Any], process: Process, growth: float | None = None, progress: Progress = unwatched,
    bottom: float = 0.0, *, judge: bool = True, chances: bool = True, pairs: Sequence[tuple[str, str]] | None = None,
    seen_from: Sequence[tuple[float, float, float]] = (), shelves: Mapping[str, Any] | None = None, kept: Kept = KEPT,
) -> Prediction:
    """Slice manifolds ``bodies`` (mm, print pose) and return what is laid and what welds at ``growth`` (default: the mean).

    Args:
        progress: told the part done; returns False to stop.
        bottom: skip layers below this height.
        judge: look for flaws of every body's own print.
        chances: also take contacts at other growths, for the chance of each outcome.
        pairs: names of the bodies meant to move against each other (default: all).
        seen_from: directions the print is looked at from, for stair-steps; none: any.
        shelves: manifolds that carry what would hang and are thrown away; nothing welds to them that matters.
        kept: memory of earlier results.

    Raises:
        Cancelled: when ``progress`` returned False.
    """
    g = process.growth.mean if growth is None else growth
    names, asked, known = tuple(bodies), kept.asked, kept.known
    top = max(body.bounding_box()[5] for body in bodies.values())
    plan = layer_middles(top, process)
    steps = _Steps(progress)
    slices = [Slices.of(body, plan, kept.lasts, judge or chances) for body in bodies.values()]
    steps.to(0.1)
    chosen = [(i, middle, thick) for i, (middle, thick) in enumerate(plan) if middle >= bottom]
    wanted = combinations(range(len(names)), 2) if pairs is None else [(names.index(a), names.index(b)) for a, b in pairs]
    contacts = _Contacts(slices, names, list(wanted), chosen, process, kept)
    layers, sections = [], []
    for n, (index, middle, thick) in enumerate(chosen):
        if n % 8 == 0:
            steps.to(0.1 + 0.4 * n / len(chosen))
        row = tuple(contacts.laid(n, body, g).region for body in range(len(names)))
        sections.append(row)
        layers.append(Layer(index, middle, thick, tuple(region.area() for region in row)))
    spread = growths_of(process, g) if chances else np.array([g])
    spread_low = low_growths_of(process, spread) if chances else spread
    if chances:
        contacts.keep_near(float(spread_low[-1]))
    welds = contacts.welds(g, steps.again)
    steps.to(0.6)
    if chances:
        curve, low = contacts.curve(spread, False, steps.again), contacts.curve(spread_low, True, steps.again)
    else:
        curve, low = Curve(spread, welds, np.array([[w.area] for w in welds])), NO_CURVE
    by_name = dict(zip(names, slices, strict=True))
    carriers = {name: Slices.of(body, plan, kept.lasts) for name, body in (shelves or {}).items()}
    hung: list[Hung] = []
    found: list[Finding] = []
    if judge:
        hung, found = _judged(bodies, by_name, process, seen_from, carriers, kept, steps)
    sagged = tuple(_sagged(h, process) for h in hung if h.touches(process.sag.mean) > 0)
    steps.to(1.0)
    return Prediction(
        names, g, tuple(layers), welds + sagged, tuple(sections), curve, low, tuple(hung), tuple(found),
        tuple(cooled_size(name, box, _printed_height(plan, box[2], box[5]), process)
              for name, box in ((name, body.bounding_box()) for name, body in bodies.items())),
        kept.asked - asked, kept.known - known, tuple(slices), tuple(carriers.values()), process)


class _Steps:
    """Passes progress on and turns a refusal into the exception that ends the work."""

    def __init__(self, progress: Progress) -> None:
        self._progress, self._last = progress, 0.0

    def to(self, part: float) -> None:
        self._last = part
        if not self._progress(part):
            raise Cancelled

    def again(self) -> None:
        self.to(self._last)


def growths_of(process: Process, growth: float) -> Array:
    """Return the growths (n,), rising, at which contacts are taken for the chances about ``growth``."""
    sd = math.hypot(process.growth.sd, process.edge_noise / math.sqrt(2))
    return np.linspace(growth - SPREAD * sd - TOUCH, growth + SPREAD * sd, NODES) if sd > 0 else np.array([growth])


def low_growths_of(process: Process, growths: Array) -> Array:
    """Return the growths at which contacts of the first layers are taken: further out by the spread of the elephant foot."""
    reach = SPREAD * process.elephant_foot.sd
    if reach == 0 or len(growths) < 2:
        return growths
    further = reach * np.arange(1, FOOT_NODES + 1) / FOOT_NODES
    return np.concatenate([growths[0] - further[::-1], growths, growths[-1] + further])


def _judged(bodies: Mapping[str, Any], slices: Mapping[str, Slices], process: Process,
            seen_from: Sequence[tuple[float, float, float]], shelves: Mapping[str, Slices], kept: Kept,
            steps: _Steps) -> tuple[list[Hung], list[Finding]]:
    hung: list[Hung] = []
    found: list[Finding] = []
    for number, (name, own) in enumerate(slices.items()):
        steps.to(0.75 + 0.25 * number / len(slices))
        hanging = overhang.hangings(name, slices, process, kept, shelves)
        hung += [h for hang in hanging for h in _over_others(hang, slices, process)]
        flaws = overhang.ceilings(hanging, own, process) + overhang.steep_faces(name, own.faces, own, process)
        steps.again()
        thin = walls.tall(merged(walls.thin(name, own, process, kept)), process)
        flaws += walls.corners(name, slices, process, kept) + bed.contact(name, bodies[name], own, process)
        flaws += bed.stairs(name, own, process, seen_from) + bed.foot(name, slices, process)
        flaws += bed.cut_chamfers(name, own.faces, process) + bed.lost(name, own)
        found += thin + merged(flaws)
    return hung, [f for f in found if f.margin < 0]


def _over_others(hang: overhang.Hanging, slices: Mapping[str, Slices], process: Process) -> list[Hung]:
    """Return where a hanging region has another body beneath it with at least one layer of air between."""
    found, rest = [], hang.region
    deepest = spans.droop(hang.span, process.sag.mean + 3 * process.sag.sd)
    for empty in range(overhang.MOST_EMPTY + 1):
        below = hang.layer - 1 - empty
        drop = empty * process.layer_height
        if below < 0 or drop > deepest:
            break
        for other, theirs in slices.items():
            region = theirs.section(below).region
            if other == hang.body or region.is_empty():
                continue
            shared = rest ^ region
            area = float(shared.area())
            if area < overhang.LEAST_AREA:
                continue
            if empty:
                _, x, y = bed.centroid(shared)
                found.append(Hung(below, area, x, y, hang.z - drop, drop, empty, hang.span, (other, hang.body)))
            rest = rest - region
    return found


def _sagged(hung: Hung, process: Process) -> Weld:
    return Weld(SAG, hung.layer, hung.area * hung.touches(process.sag.mean), hung.x, hung.y, hung.z, hung.pair,
                drop=hung.drop, span=hung.span)


def _printed_height(plan: Sequence[tuple[float, float]], bottom: float, top: float) -> float:
    """Return the height of a body as laid, mm: from the first to the last of the layers whose middles it reaches."""
    own = [(middle - thick / 2, middle + thick / 2) for middle, thick in plan if bottom <= middle < top]
    return own[-1][1] - own[0][0] if own else 0.0
