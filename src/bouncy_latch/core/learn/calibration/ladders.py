"""Ladders: small prints that teach a process the most for the least plastic, each step engraved with its size.

A coupon is bodies to print and what to write down of each: an outcome of a kind's piece, or readings of a feature.
"""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from typing import Any

from bouncy_latch.core import fields
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.features.digits import engraved
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.estimate import Estimate, estimate
from bouncy_latch.core.layers.slicing import Slices, layer_middles
from bouncy_latch.core.learn.calibration.readings import BEND_DEPTH, BEND_LENGTH, BEND_WIDTH
from bouncy_latch.core.learn.posterior.belief import FIT_PEG
from bouncy_latch.core.learn.posterior.outcome import FLAT_GAP
from bouncy_latch.core.learn.posterior.roughness import PEG
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind, LadderPiece
from bouncy_latch.core.parts.slab import slab
from bouncy_latch.core.process.evidence import Result, result
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.solids.outline import polygon, rectangle

SPACING = 4.0
"""Free bed between two steps, mm."""
MOST_STEPS = 12
MOST_MINUTES = 25.0
CHAMFER = 0.4
PEGS, HOLES = (4.0, 10.0), (3.0, 8.0)
"""Diameters of the pegs and holes to be measured, mm."""
SPANS = (5.0, 10.0, 15.0, 20.0)
ANGLES = (40.0, 45.0, 50.0, 55.0, 60.0)
PEG_HEIGHT = 5.0
MOST_FIT = 1.0
"""Clearances per side beyond this, either way, are no fit, mm."""
FIT_STEPS = (0.0, 0.06, 0.12, 0.18, 0.26, 0.34)
"""Clearances per side of the holes that a peg is tried in, mm."""
FIRST_FITS = (0.0, 0.08, 0.14, 0.2, 0.27)
"""Clearances per side of the holes of the first print, mm: fewer, and the least one is measured as well."""
SMALL_HOLE, NUB, NUB_HEIGHT, HOLES_HIGH = 3.0, 4.0, 4.0, 2.4
"""Of the first print: the hole that is measured besides, what the peg is held by, and how thick the plate of holes is, mm."""
FOOT_BLOCK = 10.0
"""Width of the block whose square bed edge shows the elephant foot, mm."""


@frozen
class Step:
    """One thing to write down.

    Attributes:
        label: as engraved.
        bodies: names of the bodies it consists of.
        value: the stepped size (an outcome) or the nominal size (a reading), mm.
        feature: what to measure; empty where the outcome is asked.
        place: middle of a hole or peg, mm; ``mate``: of the peg that is tried in the hole. span: heights between which a peg
            has that size, mm.
        params: the other sizes of the step, those that are not default, as JSON for a result.
        kind: whose outcomes it has, where they are not the coupon's.
    """

    label: str
    bodies: tuple[str, ...]
    value: float
    feature: str = ""
    place: tuple[float, float] = (0.0, 0.0)
    params: str = ""
    mate: tuple[float, float] = (0.0, 0.0)
    span: tuple[float, float] = (1.6, 9.0)
    kind: str = ""


@frozen
class Coupon:
    """A ladder ready to print: bodies in print pose, the steps in order, and what kind and size it steps, if any."""

    id: str
    title: str
    bodies: dict[str, tree.Solid]
    steps: tuple[Step, ...]
    kind: str = ""
    param: str = ""

    @property
    def stepped(self) -> tuple[Step, ...]:
        """The steps of its own kind and size."""
        return tuple(step for step in self.steps if not step.feature and step.kind in {"", self.kind})

    @property
    def square(self) -> tuple[Step, ...]:
        """Those of them whose surfaces meet the bed without a chamfer, where the kind's others have one."""
        return tuple(step for step in self.stepped if self.kind and meets_bed(self.kind, step.params))

    @property
    def felt(self) -> tuple[Step, ...]:
        """Beside those of another kind, the holes that its peg is tried in."""
        return tuple(step for step in self.steps if step.kind == FIT_PEG != self.kind)

    @property
    def others(self) -> tuple[Step, ...]:
        """Pieces of other kinds beside it: a bolt with its nut, pockets."""
        return tuple(step for step in self.steps if step.kind and step.kind not in {FIT_PEG, self.kind})

    @property
    def measured(self) -> tuple[Step, ...]:
        """What calipers are for."""
        return tuple(step for step in self.steps if step.feature)

    def estimate(self, process: Process) -> Estimate:
        """Return time and material, an estimate."""
        made = {name: mesh.evaluate(solid) for name, solid in self.bodies.items()}
        plan = layer_middles(max(body.bounding_box()[5] for body in made.values()), process)
        return estimate([Slices(body, plan) for body in made.values()], process)


def of_kind(kind: Kind, process: Process, values: Sequence[float], params: dict[str, Any] | None = None,
            square: bool = False) -> Coupon:
    """Return the ladder of a kind: its piece with the recommended size stepped, in a row along x, least first.

    ``square``: the surfaces of the widest step meet the bed without a chamfer, if the kind knows such a piece. It is the step
    that hardly anything else would hold.

    Raises:
        ParamError: for too few, too many or repeated steps, a size out of range, or a kind without a ladder.
        SolveError: when a step cannot be made.
    """
    if not 2 <= len(values) <= MOST_STEPS or len(set(values)) != len(values):
        raise ParamError(f"a ladder has 2 to {MOST_STEPS} different steps", field="steps", value=values)
    bodies, steps, _ = row(kind, process, values, params, square)
    title = f"{kind.title.lower()} by {kind.recommend}"
    return Coupon(f"{kind.id}-ladder", title, bodies, steps, kind.id, kind.recommend)


def row(kind: Kind, process: Process, values: Sequence[float], params: dict[str, Any] | None = None, square: bool = False,
         x: float = 0.0, mark: str = "") -> tuple[dict[str, tree.Solid], tuple[Step, ...], float]:
    """Return bodies and steps of a kind's piece at some sizes, in a row along x from ``x`` on, and where the next one may
    begin, mm; ``mark``: what the names of its bodies begin with."""
    ladder = ladder_of(kind)
    base = kind.piece_of(kind.params()).changed(**{**ladder.params, **(params or {})})
    bodies: dict[str, tree.Solid] = {}
    steps = []
    for number, value in enumerate(sorted(values), 1):
        on_bed = ladder.square if square and number == len(values) else {}
        sizes = base.changed(**{kind.recommend: value, **on_bed})
        solution = kind.solve(sizes, process)
        printed = {name: solid for name, solid in solution.bodies.items() if number == 1 or name not in ladder.shared}
        boxes: list[Any] = [mesh.evaluate(solid).bounding_box() for solid in printed.values()]
        low, high = min(b[0] for b in boxes), max(b[3] for b in boxes)
        label = f"{value:.2f}".lstrip("0")
        at = ladder.label(solution)
        names = []
        for place, (name, solid) in enumerate(printed.items()):
            marked = solid - engraved(label, *at) if place == 0 else solid
            names.append(f"{mark}{number}-{name}")
            bodies[names[-1]] = marked.move(x=x - low)
        steps.append(Step(label, tuple(names), float(value),
                          params=sizes.model_dump_json(exclude={kind.recommend}, exclude_defaults=True)))
        x += high - low + SPACING
    return bodies, tuple(steps), x


def ladder_of(kind: Kind) -> LadderPiece:
    """Return how a kind's ladder is made; raises ParamError, which says what teaches as much."""
    if kind.ladder is None:
        known = ", ".join(each.id for each in registry.kinds().values() if each.ladder is not None)
        raise ParamError(f"a {kind.title.lower()} has no ladder; print its test piece and record what became of it, or write a "
                         f"ladder of {known}", field="kind", value=kind.id)
    return kind.ladder


def piece_sizes(kind: Kind, value: float, square: bool = False) -> tuple[Any, str]:
    """Return the parameters of a kind's ladder piece at a step, its surfaces on the bed ``square`` or not, and those that are
    not default as JSON for a result."""
    ladder = ladder_of(kind)
    params = kind.piece_of(kind.params()).changed(**{**ladder.params, kind.recommend: value,
                                                     **(ladder.square if square else {})})
    return params, params.model_dump_json(exclude={kind.recommend}, exclude_defaults=True)


def meets_bed(kind_id: str, sizes: str) -> bool:
    """Whether a step with such other sizes (JSON, as :func:`piece_sizes`) is one whose surfaces meet the bed square."""
    kind = registry.kind(kind_id) if kind_id in registry.ids() else None
    own = kind.ladder.square if kind is not None and kind.ladder is not None else {}
    if kind is None or not own or not sizes:
        return False
    params = fields.parse(kind.params, json.loads(sizes))
    return all(getattr(params, name) == value for name, value in own.items())


def fit_result(process: Process, step: str, outcome: str) -> Result:
    """Return what a hand said of one step of the ladder of fits, clearance per side ``step``, mm; raises ParamError."""
    made = result(process=process.id, kind=FIT_PEG, param="gap", value=step, outcome=outcome)
    if not abs(made.value) <= MOST_FIT:
        raise ParamError(f"the clearance of a step of fits lies between {-MOST_FIT:g} and {MOST_FIT:g} mm a side, not "
                         f"{made.value:g}", field="value", value=made.value)
    return made


def pegs_and_holes(process: Process, y: float = 0.0) -> Coupon:
    """Return a plate of pegs and a plate of holes of several diameters, to be measured outside and inside."""
    wide = sum(PEGS) + 6.0 * (len(PEGS) + 1)
    plate = slab(rectangle(0, y, wide, y + 17), 1.2, CHAMFER, process.layer_height)
    found: list[tree.Solid] = [plate]
    steps, cuts = [], []
    x = 6.0
    for diameter in PEGS:
        found.append(tree.cylinder(diameter / 2, PEG_HEIGHT).move(x + diameter / 2, y + 11))
        cuts.append(engraved(f"{diameter:g}", x + diameter / 2, y + 3, 1.2, 0.4))
        steps.append(Step(f"{diameter:g}", ("pegs",), diameter, "peg", (x + diameter / 2, y + 11)))
        x += diameter + 6.0
    far = sum(HOLES) + 6.0 * (len(HOLES) + 1)
    block = slab(rectangle(0, y + 21, far, y + 38), 3.0, CHAMFER, process.layer_height)
    x = 6.0
    holes, marks = [], []
    for diameter in HOLES:
        holes.append(tree.cylinder(diameter / 2, 8).move(x + diameter / 2, y + 32, -1))
        marks.append(engraved(f"{diameter:g}", x + diameter / 2, y + 24, 3.0))
        steps.append(Step(f"{diameter:g}", ("holes",), diameter, "hole", (x + diameter / 2, y + 32)))
        x += diameter + 6.0
    foot, told = _foot_block(process, max(wide, far) + 4.0, y)
    steps += told
    bodies = {"pegs": tree.union(found) - tree.union(cuts), "holes": block - tree.union([*holes, *marks]),
              "foot": foot}
    return Coupon("pegs-and-holes", "pegs and holes", bodies, tuple(steps))


def _foot_block(process: Process, x: float, y: float) -> tuple[tree.Solid, list[Step]]:
    """Return a block with a square bed edge: jaws on its first layer, then well above it, tell the elephant foot."""
    tall = round(2.0 / process.layer_height) * process.layer_height
    middle = x + FOOT_BLOCK / 2, y + FOOT_BLOCK / 2
    block = tree.Box(x, y, 0, x + FOOT_BLOCK, y + FOOT_BLOCK, tall) - engraved(f"{FOOT_BLOCK:g}", *middle, tall, 0.4)
    return block, [Step(label, ("foot",), FOOT_BLOCK, feature, middle)
                   for label, feature in (("foot", "first layer"), ("tenth", "outside"))]


def peg_in_holes(process: Process, y: float = 0.0) -> Coupon:
    """Return a loose peg with a nub to hold it by, and a plate of holes wider from one to the next: both are measured, and the
    peg is tried in every hole."""
    thick = round(HOLES_HIGH / process.layer_height) * process.layer_height
    middle, x = y + 9.2, 3.0
    places = []
    for across in (SMALL_HOLE, *(PEG + 2 * gap for gap in FIRST_FITS)):
        places.append((x + across / 2, across))
        x += across + 2.6
    foot, told = _foot_block(process, x + 4.4, y)
    at = (x + 4.4 + FOOT_BLOCK / 2, y + FOOT_BLOCK + 4.0 + PEG / 2)
    cuts: list[tree.Solid] = []
    measured = [Step(f"{NUB:g}", ("peg",), NUB, "peg", at, span=(PEG_HEIGHT + 0.6, 99.0)),
                Step(f"{PEG:g}", ("peg",), PEG, "peg", at, span=(1.6, PEG_HEIGHT - 0.4))]
    tried = []
    for (place, across), gap in zip(places, (None, *FIRST_FITS), strict=True):
        cuts.append(tree.cylinder(across / 2, 9).move(place, middle, -1))
        if gap is not None:
            cuts.append(tree.Cone(across / 2 + CHAMFER, across / 2, CHAMFER).move(place, middle))
            tried.append(Step(f"{gap:.2f}".lstrip("0"), ("holes", "peg"), gap, place=(place, middle), mate=at, kind=FIT_PEG))
        cuts.append(engraved(f"{across:g}" if gap is None else tried[-1].label, place, y + 2.6, thick, 0.4))
        if gap in (None, FIRST_FITS[0]):
            measured.append(Step(f"{across:g}", ("holes",), across, "hole", (place, middle)))
    plate = slab(rectangle(0, y, x + 0.4, y + 16), thick, CHAMFER, process.layer_height)
    peg = tree.union([tree.Cone(PEG / 2 - CHAMFER, PEG / 2, CHAMFER),
                      tree.cylinder(PEG / 2, PEG_HEIGHT - CHAMFER).move(z=CHAMFER),
                      tree.cylinder(NUB / 2, NUB_HEIGHT).move(z=PEG_HEIGHT)]).move(*at)
    bodies = {"holes": plate - tree.union(cuts), "peg": peg, "foot": foot}
    return Coupon("peg-in-holes", "a peg and its holes", bodies, (*measured, *told, *tried))


def fit_ladder(process: Process) -> Coupon:
    """Return a loose peg and a plate of holes, wider from step to step, to be told by feel: hammer … falls."""
    pitch = PEG + 2 * FIT_STEPS[-1] + 4.5
    plate = slab(rectangle(0, 0, pitch * len(FIT_STEPS) + 4.0, 20), 4.0, CHAMFER, process.layer_height)
    holes, marks, steps = [], [], []
    for number, gap in enumerate(FIT_STEPS):
        x = 4.0 + pitch * (number + 0.5)
        radius = PEG / 2 + gap
        holes += [tree.cylinder(radius, 9).move(x, 13, -1), tree.Cone(radius + CHAMFER, radius, CHAMFER).move(x, 13)]
        label = f"{gap:.2f}".lstrip("0")
        marks.append(engraved(label, x, 4.5, 4.0))
        steps.append(Step(label, ("plate", "peg"), gap, place=(x, 13), mate=(PEG, 30.0)))
    peg = tree.union([tree.Cone(PEG / 2 - CHAMFER, PEG / 2, CHAMFER), tree.cylinder(PEG / 2, 14 - CHAMFER).move(z=CHAMFER)])
    bodies = {"plate": plate - tree.union([*holes, *marks]), "peg": peg.move(PEG, 30)}
    return Coupon("fits", "a peg in stepped holes", bodies, tuple(steps), FIT_PEG, "gap")


def flat_gaps(process: Process) -> Coupon:
    """Return lids over pads with 0 to 4 empty layers between them."""
    bodies: dict[str, tree.Solid] = {}
    steps = []
    for empty in range(5):
        x = empty * 16.0
        gap = empty * process.layer_height
        top = round(3.0 / process.layer_height) * process.layer_height
        pad = slab(rectangle(x, 0, x + 12, 12), top, CHAMFER, process.layer_height)
        bodies[f"{empty}-pad"] = pad
        lid = tree.Box(x + 0.5, 0.5, top + gap, x + 11.5, 11.5, top + gap + 2.0)
        label = f"{gap:.1f}"
        bodies[f"{empty}-lid"] = lid - engraved(label, x + 6, 6, top + gap + 2.0)
        steps.append(Step(label, (f"{empty}-pad", f"{empty}-lid"), gap))
    return Coupon("flat-gaps", "flat gap across layers", bodies, tuple(steps), FLAT_GAP, "gap")


def bridges(process: Process) -> Coupon:
    """Return bridges of several spans and overhangs of several angles on one sole."""
    h = process.layer_height
    sole = slab(rectangle(0, 0, sum(SPANS) + 4.0 * (len(SPANS) + 1), 12), 1.2, CHAMFER, h)
    found: list[tree.Solid] = [sole]
    steps = []
    x = 0.0
    for span in (*SPANS, 0.0):
        found.append(tree.Box(x, 3, 0.6, x + 4, 9, 8))
        if span:
            found.append(tree.Box(x, 3, 7, x + span + 8, 9, 8))
            steps.append(Step(f"{span:g}", ("bridges",), span, "sag", (x + 4 + span / 2, 6)))
        x += 4 + span
    cuts = [engraved(step.label, step.place[0], 6, 8.0, 0.4) for step in steps if step.value >= 10]
    bodies = {"bridges": tree.union(found) - tree.union(cuts)}
    x = 0.0
    fan: list[tree.Solid] = [slab(rectangle(0, 18, 12.0 * len(ANGLES), 30), 1.2, CHAMFER, h)]
    for angle in ANGLES:
        reach = 6.0 * math.tan(math.radians(angle))
        wedge = polygon([(0, 0), (2.4, 0), (2.4 + reach, 6.0), (0, 6.0)])
        standing = tree.Placed(tree.Extrude(wedge, 6.0), (0, 0, 1, x + 3, 1, 0, 0, 19.0, 0, 1, 0, 1.0))
        fan.append(standing)
        x += 12.0
        steps.append(Step(f"{angle:g}", ("overhangs",), angle, "overhang"))
    marks = [engraved(f"{angle:g}", 12.0 * i + 6, 27.5, 1.2, 0.4) for i, angle in enumerate(ANGLES)]
    bodies["overhangs"] = tree.union(fan) - tree.union(marks)
    return Coupon("bridges", "bridges by span, overhangs by angle", bodies, tuple(steps))


def bend_bar(process: Process) -> Coupon:
    """Return a bar to clamp at one end and load at the other with 1 N (102 g); its droop tells the stiffness."""
    grip = 15.0
    bar = slab(rectangle(0, 0, BEND_LENGTH + grip, BEND_WIDTH), BEND_DEPTH, CHAMFER, process.layer_height)
    notch = tree.Box(grip - 0.3, -1, BEND_DEPTH - 0.4, grip + 0.3, BEND_WIDTH + 1, BEND_DEPTH + 1)
    hole = tree.cylinder(1.2, 9).move(BEND_LENGTH + grip - 3, BEND_WIDTH / 2, -1)
    marked = bar - tree.union([notch, hole, engraved(f"{BEND_LENGTH:.0f}", grip + 12, BEND_WIDTH / 2, BEND_DEPTH)])
    return Coupon("bend-bar", "bend bar", {"bar": marked}, (Step("60", ("bar",), BEND_LENGTH, "bend"),))


def first(kind: Kind, process: Process, values: Sequence[float]) -> Coupon:
    """Return the one print a new printer starts with: a kind's ladder, its widest step square on the bed, beside a peg and its
    holes."""
    pivots = of_kind(kind, process, values, square=True)
    deep = max(mesh.evaluate(solid).bounding_box()[4] for solid in pivots.bodies.values())
    sizes = peg_in_holes(process, deep + SPACING)
    return Coupon("first-ladder", f"{pivots.title}, with a peg and its holes", {**pivots.bodies, **sizes.bodies},
                  (*pivots.steps, *sizes.steps), pivots.kind, pivots.param)


def is_clearance(item: Result) -> bool:
    """Whether what a result stepped is a clearance that the gap chart knows: a kind's own, or the flat gap."""
    kind = registry.kinds().get(item.kind)
    return item.kind == FLAT_GAP or (kind is not None and item.param == kind.clearance and bool(kind.ladder))
