"""What a mechanism kind owes and what it gets in return.

A kind is a parameter model and one function, ``solve(params, process) -> Solution``. Everything else (shelf card, sheet,
rulers, verdicts, motion, test piece, exports, command line, docs page, common tests) reads the records below.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from bouncy_latch.core.checks import Check
from bouncy_latch.core.flex.warp import Warp
from bouncy_latch.core.layers.breakaway import Freeing
from bouncy_latch.core.layers.facing import Facing
from bouncy_latch.core.layers.poses import Pose
from bouncy_latch.core.mechanisms.fields import Params
from bouncy_latch.core.process.outcomes import OUTCOMES
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


@dataclass(frozen=True)
class Derived:
    """A number worked out: value with unit, the formula in words and symbols, and where its inputs came from."""

    name: str
    label: str
    value: float
    unit: str
    formula: str
    source: str


@dataclass(frozen=True)
class HostOps:
    """What a mechanism does to one host body: the part is (host − rooms) + adds − cuts.

    ``room`` is what the host must leave free for the other bodies; unlike ``cut`` it spares what is added.
    """

    host: str
    room: tree.Solid | None = None
    add: tree.Solid | None = None
    cut: tree.Solid | None = None


@dataclass(frozen=True)
class Host:
    """A body a mechanism is built into, or a loose one (roller, pin) when ``loose``."""

    name: str
    label: str
    solid: tree.Solid
    loose: bool = False


@dataclass(frozen=True)
class Hardware:
    """A bought part that goes in: nut, screw, pin."""

    name: str
    count: int
    note: str


def _where(point: tuple[float, float, float]) -> str:
    return f"x {point[0]:.1f}, y {point[1]:.1f}, z {point[2]:.1f}"


@dataclass(frozen=True)
class Motion:
    """The mechanism's freedom.

    Attributes:
        label: what the user does ("Swing").
        unit: ``°`` or ``mm``.
        low, high: range of the freedom, in that unit; ``rest`` is the value in print pose, None where parts printed apart
            are put together, so that the print pose is none of the motion's.
        pose: from a value to the rigid transform of every body that moves, by body name.
        pair: the two bodies that move against each other (body names).
        closed: the value at which it is shut.
        place_name: the user's words for a point (mm, print pose of the first body).
        arm: lever of a weld at such a point about the freedom, mm.
        bends: from a value to how the bodies that flex are bent (in print pose, before ``pose``), by body name.
        rides: whether the bodies touch and slide over each other on purpose.
        flexing: names of the bodies that bend at all.
        show: the value at which it is first shown; None for most of the way.
        mend: parameters that could mend a collision on the way, likeliest first.
    """

    label: str
    unit: str
    low: float
    high: float
    rest: float | None
    pose: Callable[[float], dict[str, tree.Matrix]]
    pair: tuple[str, str]
    closed: float
    place_name: Callable[[tuple[float, float, float]], str] = _where
    arm: Callable[[tuple[float, float, float]], float] = lambda _point: 1.0
    bends: Callable[[float], dict[str, Warp]] | None = None
    rides: bool = False
    flexing: tuple[str, ...] = ()
    show: float | None = None
    mend: tuple[str, ...] = ()


@dataclass(frozen=True)
class Ruler:
    """The one number that matters, as a scale with zones.

    Attributes:
        param: the parameter it drives. low, high, unit: of the scale.
        value: where the design stands on it now.
        chances: from a place on the scale to the chance of each of ``names``; may raise UserError where nothing exists.
        tones: which of the five zone colours each name has, from welded red (0) to rattling grey (4).
        direct: whether the scale is the parameter itself; otherwise the parameter that brings the design there is solved.
    """

    id: str
    label: str
    param: str
    low: float
    high: float
    unit: str
    about: str
    value: float
    chances: Callable[[float], tuple[float, ...]] = field(repr=False, compare=False)
    names: tuple[str, ...] = OUTCOMES
    tones: tuple[int, ...] = (0, 1, 2, 3, 4)
    direct: bool = True


@dataclass(frozen=True)
class Aim:
    """What the design is for, as one chance (0 to 1): the check that asks for it, and the words for it, long and short."""

    check: str
    chance: float
    words: str
    short: str


@dataclass(frozen=True)
class Course:
    """What the motion costs along its way: named curves over values of the freedom.

    Attributes:
        values: ascending, in the motion's unit (n,). curves: figures by name, in ``unit``, each (n,); infinite where
        something locks. about: one line on what they say.
    """

    label: str
    unit: str
    values: tuple[float, ...]
    curves: dict[str, tuple[float, ...]]
    about: str


@dataclass(frozen=True)
class Callout:
    """A dimension shown in the 3-D view: two points (mm, print pose) and its text."""

    label: str
    start: tuple[float, float, float]
    end: tuple[float, float, float]


@dataclass(frozen=True)
class SectionView:
    """A section worth showing.

    Attributes:
        label: caption. value: position of the motion. at: where it is cut, mm, along ``axis``. window: what part of it, mm:
        y0, z0, y1, z1 of a cut across x; x0, y0, x1, y1 of one across z.
    """

    label: str
    value: float
    at: float
    window: tuple[float, float, float, float] | None = None
    axis: str = "x"


@dataclass(frozen=True)
class Play:
    """Free movement left after printing, each ± mm about the middle, and the angle (rad) that tilt allows."""

    axial: float
    radial: float
    tilt: float
    edge: float


@dataclass(frozen=True)
class Solution:
    """Everything a kind works out, except what needs the solid itself (sweep, layers), which is built on demand.

    ``faces``, ``freeing`` and ``play`` belong to joints that are printed in place. ``notes``: what the print needs that no
    solid shows (walls, infill, order), by name, for the files and the notes that go with it.
    ``bends_along``: directions (print pose) along which something that flexes is stretched. ``poses``: ways up worth
    comparing besides the designed one and the plain sides.
    """

    kind: str
    params: Params
    process: Process
    derived: tuple[Derived, ...]
    checks: tuple[Check, ...]
    aim: Aim
    rulers: tuple[Ruler, ...]
    motion: Motion
    build: Callable[[], tuple[tuple[Host, ...], tuple[HostOps, ...]]] = field(repr=False, compare=False)
    faces: tuple[Facing, ...] = ()
    freeing: Freeing | None = None
    play: Play | None = None
    course: Course | None = None
    notes: tuple[tuple[str, str], ...] = ()
    summary: str = ""
    views: tuple[SectionView, ...] = ()
    hardware: tuple[Hardware, ...] = ()
    callouts: tuple[Callout, ...] = ()
    region: tuple[float, float, float, float, float, float] | None = None
    bends_along: tuple[tuple[float, float, float], ...] = ()
    poses: tuple[Pose, ...] = ()

    def value(self, name: str) -> float:
        """Return a derived number by name."""
        return next(d.value for d in self.derived if d.name == name)

    def check(self, check_id: str) -> Check:
        """Return a check by id."""
        return next(c for c in self.checks if c.id == check_id)

    @cached_property
    def bodies(self) -> dict[str, tree.Solid]:
        """The finished parts in print pose by body name."""
        return self.drawn()

    def drawn(self) -> dict[str, tree.Solid]:
        """Return the finished parts, drawn anew: (host − all rooms) + all adds − all cuts.

        Raises:
            SolveError: when they cannot be drawn.
        """
        hosts, operations = self.build()
        parts: dict[str, tree.Solid] = {}
        for host in hosts:
            own = [op for op in operations if op.host == host.name]
            freed = tree.difference(host.solid, _flat(op.room for op in own))
            parts[host.name] = tree.difference(tree.union([freed, *_flat(op.add for op in own)]),
                                               _flat(op.cut for op in own))
        return parts

    @cached_property
    def body_labels(self) -> dict[str, str]:
        """What the user calls each body."""
        return {host.name: host.label for host in self.build()[0]}


def _flat(solids: Iterable[tree.Solid | None]) -> list[tree.Solid]:
    """Return the solids there are, unions taken apart, so that one operation does them all."""
    return [s for solid in solids if solid is not None for s in (solid.solids if isinstance(solid, tree.Union) else (solid,))]


@dataclass(frozen=True)
class Question:
    """A question of the brief and the parameters that answer it."""

    text: str
    params: tuple[str, ...]


@dataclass(frozen=True)
class LadderPiece:
    """The smallest piece of a kind that still tells what becomes of its main size, printed in a row with that size stepped.

    Attributes:
        params: parameter changes that make it.
        label: where on a solution's first body its step is engraved: middle x, y and height of a level face, mm.
    """

    params: dict[str, Any]
    label: Callable[[Solution], tuple[float, float, float]]


@dataclass(frozen=True)
class Kind:
    """A registered mechanism kind.

    Attributes:
        id: script name.
        title: name on the shelf.
        summary: one sentence saying what it is for.
        params: its parameter model.
        solve: pure function from parameters and the effective process to a solution.
        questions: the brief, in order.
        ruler_param: the parameter of the main ruler.
        recommend: the parameter that is recommended for the aim.
        test_piece: parameter changes that put the mechanism on minimal hosts; a function of the parameters where those
            hosts must still hold what they are to hold.
        cautions: what can hurt, in place.
        ladder: the piece its ladder is made of; None for a kind without one.
        outcomes: what can become of a print of it.
        tuned: parameters that designing to a target may change, most telling first.
        clearance: the parameter that is its clearance, per side.
        alternatives: another choice worth offering where the target is out of reach: parameter and its value.
    """

    id: str
    title: str
    summary: str
    params: type[Params]
    solve: Callable[[Any, Process], Solution]
    questions: tuple[Question, ...]
    recommend: str
    test_piece: dict[str, Any] | Callable[[Any], dict[str, Any]]
    cautions: tuple[str, ...] = ()
    ladder: LadderPiece | None = None
    outcomes: tuple[str, ...] = OUTCOMES
    tuned: tuple[str, ...] = ()
    clearance: str = "clearance"
    alternatives: tuple[tuple[str, Any], ...] = ()

    def piece_of(self, params: Params) -> Params:
        """Return the parameters of the same mechanism on minimal hosts."""
        changes = self.test_piece(params) if callable(self.test_piece) else self.test_piece
        return params.changed(**changes)
