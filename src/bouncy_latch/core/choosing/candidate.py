"""One kind as an answer to a need: its sizes, what it does of what is wanted, and the figures by which it is compared."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from bouncy_latch.core.checks import OK
from bouncy_latch.core.choosing.need import ROOM, Need
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.search.window import PrintWindow, print_window
from bouncy_latch.core.layers.estimate import estimate
from bouncy_latch.core.layers.slicing import Slices, layer_middles
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.process.profile import Policy
from bouncy_latch.core.solids import mesh

OFF = 0.1
"""How much fatter and thinner than believed a printer is taken to print, to see which verdicts that breaks, mm per side."""
NEAR = 0.1
"""How far a force, travel or torque may miss what is wanted, as a part of it (common practice, no source)."""
BEND = math.radians(20)
"""A corner of the first layer counts from this turn on; smaller ones are chords of a round."""
_LEAST, _MOST, _ABOUT = {"load", "click"}, {"effort", "play", *ROOM}, {"force", "torque"}


@frozen
class Met:
    """What becomes of one number that is wanted.

    Attributes:
        name, label, unit: of the need's field. value: what the mechanism does. wanted: what is asked, and ``least``: whether
        at least that; None: about that. holds: whether it does.
    """

    name: str
    label: str
    unit: str
    value: float
    wanted: float
    least: bool | None
    holds: bool

    @property
    def words(self) -> str:
        """As must hold 46 N (at least 30)."""
        asked = {True: "at least", False: "at most", None: "about"}[self.least]
        return f"{self.label} {self.value:.3g} {self.unit} ({asked} {self.wanted:g})"


@frozen
class Plain:
    """How plain the first layer is: outline² over area (12.6 for a disc, 16 for a square) and its inside corners."""

    outline: float
    corners: int


@frozen
class More:
    """What takes some tenths of a second to work out of a candidate.

    Attributes:
        anyone: chance that it works on anyone's printer. window: the span of growth in which it passes; None where there is
        none. tender: how many verdicts fail on a printer :data:`OFF` mm off. plain, minutes, grams: of its test piece.
    """

    anyone: float
    window: PrintWindow | None
    tender: int
    plain: Plain
    minutes: float
    grams: float


@frozen
class Candidate:
    """One kind with sizes that answer a need, worked out.

    Attributes:
        design: kind, sizes and process. chance: that it works on the wanted printer. met: what is wanted and what it does.
        failing: the verdicts that fail, worst first, each as a sentence. effort, holds, play: N, N, mm; NaN where it has no
        such figure. sides: of the mechanism itself, longest first, mm. more: what takes longer; None until it is worked out.
    """

    design: Design
    chance: float
    met: tuple[Met, ...]
    failing: tuple[str, ...]
    effort: float
    holds: float
    play: float
    sides: tuple[float, float, float]
    more: More | None = None

    @property
    def reached(self) -> bool:
        """Whether it does all that is wanted and no verdict fails."""
        return not self.failing and all(each.holds for each in self.met)

    @property
    def short(self) -> tuple[str, ...]:
        """What is missing, one sentence each: of what is wanted first."""
        return (*(each.words for each in self.met if not each.holds), *self.failing)


def candidate(design: Design, need: Need) -> Candidate:
    """Return a design as a candidate, as far as one solve tells; raises SolveError, ParamError."""
    solution = design.solve()
    failing = sorted((check for check in solution.checks if check.verdict != OK),
                     key=lambda check: (check.id == solution.aim.check, check.margin / (abs(check.limit) or 1.0)))
    sides = _sides(solution)
    found = {name: solution.value(answer.figure) for name, answer in design.kind.answers.items() if answer.figure}
    return Candidate(
        design, solution.aim.chance, tuple(_met(need, found, sides)),
        tuple(f"{check.label}: {check.words}" for check in failing), found.get("effort", math.nan),
        found.get("load", math.nan), found.get("play", math.nan), sides)


def completed(each: Candidate) -> Candidate:
    """Return a candidate with what takes longer to work out; raises SolveError, ParamError where its test piece cannot be."""
    design = each.design
    plain, minutes, grams = _printed(design)
    anyone = replace(design, policy=Policy.ANYONE).figures().aim.chance
    return replace(each, more=More(anyone, print_window(design), _tender(design), plain, minutes, grams))


def _met(need: Need, found: dict[str, float], sides: tuple[float, float, float]) -> Iterator[Met]:
    known = {**found, **dict(zip(ROOM, sides, strict=True))}
    for name, fact in need.facts().items():
        wanted = getattr(need, name)
        if fact.choices or wanted is None or name not in known:
            continue
        value = known[name]
        if name in _ABOUT:
            yield Met(name, fact.label, fact.unit, value, wanted, None, abs(value / wanted - 1) <= NEAR)
        else:
            least = name in _LEAST
            yield Met(name, fact.label, fact.unit, value, wanted, least,
                      value >= wanted * (1 - 1e-9) if least else value <= wanted * (1 + 1e-9) + 1e-9)


def _tender(design: Design) -> int:
    """Return how many verdicts a printer :data:`OFF` mm fatter or thinner than believed breaks, of those that hold on it."""
    broken: set[str] = set()
    held = {check.id for check in design.solve().checks if check.verdict == OK}
    for way in (OFF, -OFF):
        try:
            checks = design.grown(design.judged.growth.mean + way).figures().checks
        except UserError:
            return len(held)
        broken |= {check.id for check in checks if check.verdict != OK}
    return len(broken & held)


def _sides(solution: Solution) -> tuple[float, float, float]:
    """Return the sides of what the mechanism adds to its bodies, or cuts from them where it adds nothing, longest first, mm."""
    longest = np.zeros(3)
    for feature in solution.shape.features:
        solid = feature.add if feature.add is not None else feature.cut
        if solid is not None:
            x0, y0, z0, x1, y1, z1 = mesh.evaluate(solid).bounding_box()
            longest = np.maximum(longest, sorted((x1 - x0, y1 - y0, z1 - z0), reverse=True))
    return float(longest[0]), float(longest[1]), float(longest[2])


def _printed(design: Design) -> tuple[Plain, float, float]:
    """Return how plain the first layer of its test piece is, how many minutes that prints, and how many grams."""
    solution = design.piece().solve()
    bodies = [mesh.evaluate(solid) for solid in solution.bodies.values()]
    slices = [Slices.of(body, layer_middles(float(body.bounding_box()[5]), solution.process)) for body in bodies]
    cost = estimate(slices, solution.process)
    plains = [plainness(body.slice(solution.process.first_layer_height / 2)) for body in bodies]
    return Plain(max(each.outline for each in plains), sum(each.corners for each in plains)), cost.minutes, cost.grams


def plainness(region: object) -> Plain:
    """Return how plain a region is: of its pieces the worst outline² over area, and its corners that turn inwards."""
    worst, corners = 0.0, 0
    for piece in region.decompose():  # type: ignore[attr-defined]
        around = 0.0
        for ring in piece.to_polygons():
            points = np.asarray(ring)
            along = np.diff(np.vstack([points, points[:1]]), axis=0)
            around += float(np.hypot(*along.T).sum())
            before = np.roll(along, 1, axis=0)
            turns = np.arctan2(before[:, 0] * along[:, 1] - before[:, 1] * along[:, 0], (before * along).sum(axis=1))
            corners += int((turns < -BEND).sum())
        worst = max(worst, around**2 / max(float(piece.area()), 1e-9))
    return Plain(worst, corners)
