"""What a mechanism kind owes and what it gets in return.

A kind is a parameter model and one function, ``solve(params, process) -> Solution``. Everything else (shelf card,
sheet, rulers, verdicts, motions, test piece, exports, command line, docs page, common tests) reads the records below.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field
from functools import cached_property
from typing import TYPE_CHECKING, Any

from bouncy_latch.core.checks import Check
from bouncy_latch.core.course import Course
from bouncy_latch.core.errors import ParamError, shortly
from bouncy_latch.core.fields import Params
from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import Freeing
from bouncy_latch.core.layers.facing import together
from bouncy_latch.core.layers.joint import Joint, Play
from bouncy_latch.core.layers.likelihood import Likelihood
from bouncy_latch.core.mechanisms.kept import Kept
from bouncy_latch.core.outcomes import IN_PLACE, Scale
from bouncy_latch.core.parts.body import BOUGHT, Body, Share, all_finished
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree

if TYPE_CHECKING:
    from bouncy_latch.core.flex.warp import Strain, Warp
    from bouncy_latch.core.layers.poses import Pose
    from bouncy_latch.core.standards.drawer import Piece
    from bouncy_latch.core.virtual.printer import VirtualPrinter

Vector = tuple[float, float, float]

CLEAR, RIDES, MESHES, ALONE = "clear", "rides", "meshes", "alone"
TRIALS = (CLEAR, RIDES, MESHES, ALONE)
"""How a motion is tried out: nothing may touch; parts ride over each other, bending; teeth rub on purpose; one body bends."""


@frozen
class Derived:
    """A number worked out: value with unit, the formula in words and symbols, and where its inputs came from."""

    name: str
    label: str
    value: float
    unit: str
    formula: str
    source: str


def _where(point: Vector) -> str:
    return f"x {point[0]:.1f}, y {point[1]:.1f}, z {point[2]:.1f}"


def _still(_value: float) -> dict[str, tree.Matrix]:
    return {}


@frozen
class Root:
    """Where what bends grows out of its host.

    Attributes:
        body: its name. cut: a thin slab through every root of the body, in print pose. pieces: into how many the body falls
        with them cut through. place: a point at one of the roots, mm.
    """

    body: str
    cut: tree.Solid
    pieces: int
    place: Vector


@frozen
class Motion:
    """One freedom of the mechanism.

    Attributes:
        label: what the user does ("Swing").
        unit: ``°`` or ``mm``.
        low, high: range of the freedom, in that unit; ``rest`` is the value in print pose, None where parts printed apart
            are put together, so that the print pose is none of the motion's.
        closed: the value at which it is shut.
        pose: from a value to the rigid transform of every body that moves, by body name.
        trial: how it is tried out, one of :data:`TRIALS`.
        pairs: bodies watched against each other (names); none: every two that the motion moves apart from each other.
        place_name: the user's words for a point (mm, print pose of the first body).
        bends: from a value to how the bodies that flex are bent (in print pose, before ``pose``), by body name.
        flexing: names of the bodies that bend at all. roots: where they hang on what does not.
        alike: by body name, in print pose, the part that all of it is a copy of, all round or along, with what it meets. It
            alone is tried out of what bends, and of what meshes between the ends of the way. Nothing where bodies carry others.
        show: the value at which it is first shown; None for most of the way.
        mend: parameters that could mend a collision on the way, likeliest first.
        slack: of what meshes, how far apart the rubbing surfaces may come, mm. gives: how far they may reach into each other on
            the way because something gives, mm.
        course: what it costs along its way.
        strains: from a value to how strained the bodies that flex are, by body name. stands: the strain they stand, per cent.
    """

    label: str
    unit: str
    low: float
    high: float
    rest: float | None
    closed: float
    pose: Callable[[float], dict[str, tree.Matrix]] = _still
    trial: str = CLEAR
    pairs: tuple[tuple[str, str], ...] = ()
    place_name: Callable[[Vector], str] = _where
    bends: Callable[[float], dict[str, Warp]] | None = None
    flexing: tuple[str, ...] = ()
    roots: tuple[Root, ...] = ()
    alike: Mapping[str, tree.Solid] = field(default_factory=dict)
    show: float | None = None
    mend: tuple[str, ...] = ()
    slack: float = 0.5
    gives: float = 0.0
    course: Course | None = None
    strains: Callable[[float], dict[str, Strain]] | None = None
    stands: float = 0.0


def moved_by(freedom: Freedom, bodies: tuple[str, ...], rest: float,
             scale: float = 1.0) -> Callable[[float], dict[str, tree.Matrix]]:
    """Return the poses of bodies that move together by a freedom: none at ``rest``; ``scale`` turns the unit to rad or mm."""
    return lambda value: dict.fromkeys(bodies, freedom.matrix((value - rest) * scale))


@frozen
class Ruler:
    """The one number that matters, as a scale with zones.

    Attributes:
        param: the parameter it drives. low, high, unit: of the scale.
        value: where the design stands on it now.
        chances: from a place on the scale to the chance of each outcome of ``scale``; may raise UserError where nothing exists.
        direct: whether the scale is the parameter itself; otherwise the parameter that brings the design there is solved.
        sides: from a place on the scale to the chances of being free and of being tight enough, where both are asked.
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
    scale: Scale = IN_PLACE
    direct: bool = True
    sides: Callable[[float], tuple[float, float]] | None = field(default=None, repr=False, compare=False)


@frozen
class Aim:
    """What the design is for, as one chance (0 to 1).

    Attributes:
        check: the one that asks for it. words, short: for the chance, long and short.
        needs: checks without which it is less likely than not, so that what mends it mends them.
        both: chance that it does so and is not loose either; None where nothing can be loose.
    """

    check: str
    chance: float
    words: str
    short: str
    needs: tuple[str, ...] = ()
    both: float | None = None


@frozen
class Callout:
    """A dimension shown in the 3-D view: two points (mm, print pose) and its text; ``cut``: where a section cuts through it."""

    label: str
    start: Vector
    end: Vector
    cut: bool = False


@frozen
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


@frozen
class Bought:
    """A bought part that goes in: what it is called, how many, and what to mind."""

    name: str
    count: int
    note: str = ""


@frozen
class Pause:
    """Where the print stops for a hand, heights in print pose, mm.

    Attributes:
        z: top of the last layer before it, in layers of the process. insert: what goes in. note: what to do.
        roof: drawn underside of what closes over it; stands: how high what goes in stands at most. None: any layer will do.
    """

    z: float
    insert: str
    note: str = ""
    roof: float | None = None
    stands: float | None = None


@frozen
class Shape:
    """What a mechanism looks like, worked out when it is wanted.

    Attributes:
        bodies: before anything is done to them; loose and bought ones among them.
        shares: what the mechanism does to each, in the seat it has there.
        region: the mechanism's own part of the bodies, mm: x0, y0, z0, x1, y1, z1.
        bends_along: directions (print pose) along which something that flexes is stretched.
        poses: ways up worth comparing besides the designed one and the plain sides.
        solid: where it must be printed solid, by name, in print pose: no part of it, but a region for the slicer.
    """

    bodies: tuple[Body, ...]
    shares: tuple[Share, ...] = ()
    callouts: tuple[Callout, ...] = ()
    views: tuple[SectionView, ...] = ()
    region: tuple[float, float, float, float, float, float] | None = None
    bends_along: tuple[Vector, ...] = ()
    poses: tuple[Pose, ...] = ()
    solid: tuple[tuple[str, tree.Solid], ...] = ()


@frozen
class Solution:
    """Everything a kind works out, except what needs the solid itself (sweep, layers), which is built on demand.

    Attributes:
        joints: what is printed in place and must come free; none for parts printed apart.
        motions: its freedoms, the main one first.
        likelihood: what an outcome of its print says about the printer; None where it says nothing.
        notes: what the print needs that no solid shows (walls, infill, order), by name, for the files and the notes with them.
        bought, pauses: what goes in, and where the print stops for it.
    """

    kind: str
    params: Params
    process: Process
    derived: tuple[Derived, ...]
    checks: tuple[Check, ...]
    aim: Aim
    rulers: tuple[Ruler, ...]
    motions: tuple[Motion, ...]
    draw: Callable[[], Shape] = field(repr=False, compare=False)
    joints: tuple[Joint, ...] = ()
    likelihood: Likelihood | None = field(default=None, repr=False, compare=False)
    notes: tuple[tuple[str, str], ...] = ()
    bought: tuple[Bought, ...] = ()
    pauses: tuple[Pause, ...] = ()
    summary: str = ""

    def value(self, name: str) -> float:
        """Return a derived number by name."""
        return next(d.value for d in self.derived if d.name == name)

    def check(self, check_id: str) -> Check:
        """Return a check by id."""
        return next(c for c in self.checks if c.id == check_id)

    @property
    def motion(self) -> Motion:
        """The main motion."""
        return self.motions[0]

    @property
    def play(self) -> Play | None:
        """What the first joint that says so has of free movement left."""
        return next((joint.play for joint in self.joints if joint.play), None)

    @cached_property
    def freeing(self) -> Freeing | None:
        """Whether all joints come free, the worst one at every growth; None where nothing is printed in place."""
        return together([(joint.label, joint.faces, joint.strength) for joint in self.joints], self.process) \
            if self.joints else None

    @cached_property
    def shape(self) -> Shape:
        """What it looks like."""
        return self.draw()

    @cached_property
    def bodies(self) -> dict[str, tree.Solid]:
        """The finished printed bodies in print pose by name."""
        return all_finished(self.shape.bodies, self.shape.shares)

    def drawn(self) -> dict[str, tree.Solid]:
        """Return the finished printed bodies, drawn anew.

        Raises:
            SolveError: when they cannot be drawn.
        """
        shape = self.draw()
        return all_finished(shape.bodies, shape.shares)

    @cached_property
    def inserts(self) -> dict[str, tree.Solid]:
        """The bought bodies where they lie, by name."""
        return {body.name: body.base.placed(body.at) for body in self.shape.bodies if body.role == BOUGHT}

    @cached_property
    def together(self) -> dict[str, tree.Solid]:
        """The printed bodies and the bought ones, by name."""
        return {**self.bodies, **self.inserts}

    @cached_property
    def body_labels(self) -> dict[str, str]:
        """What the user calls each printed body."""
        return {body.name: body.label for body in self.shape.bodies if body.role != BOUGHT}


@frozen
class Question:
    """A question of the brief and the parameters that answer it."""

    text: str
    params: tuple[str, ...]


@frozen
class LadderPiece:
    """The smallest piece of a kind that still tells what becomes of its main size, printed in a row with that size stepped.

    Attributes:
        params: parameter changes that make it.
        label: where on a solution's first body its step is engraved: middle x, y and height of a level face, mm.
        shared: names of bodies that are the same for every step, and so are printed once.
        square: parameter changes that have its surfaces meet the bed, without a chamfer; a first print shows so what the
            elephant foot does. Empty where none can.
    """

    params: dict[str, Any]
    label: Callable[[Solution], Vector]
    shared: tuple[str, ...] = ()
    square: dict[str, Any] = field(default_factory=dict)


@frozen
class Tried:
    """What became of a print on a stand-in printer: its place on the kind's scale, whether it is what was wanted, and the mean
    clearance left, mm."""

    outcome: int
    worked: bool
    left: float


JOIN, CLOSE, HOLD, TURN = NEEDS = ("join", "close", "hold", "turn")
"""What a mechanism is wanted for."""


@frozen(eq=False)
class Kind:
    """A registered mechanism kind.

    Attributes:
        id: script name.
        title: name on the shelf.
        summary: one sentence saying what it is for.
        params: its parameter model.
        solve: pure function from parameters and the effective process to a solution on built-in parts; a design may put its
            sides elsewhere.
        questions: the brief, in order.
        recommend: the parameter that is recommended for the aim, and stepped in a ladder.
        test_piece: parameter changes that put the mechanism on minimal hosts; a function of the parameters where those
            hosts must still hold what they are to hold.
        sides: names of what sits on the bodies it joins, in order, with the words for them.
        cautions: what can hurt, in place.
        ladder: the piece its ladder is made of; None for a kind without one.
        outcomes: the scale of what can become of a print of it.
        tuned: parameters that designing to a target may change, most telling first; none: it is not designed to a target.
        clearance: the parameter that is its clearance, per side, as the gap chart shows it; empty for none.
        alternatives: another choice worth offering where the target is out of reach: parameter and its value.
        weighs: the travel that a weight hung on it takes, where that says how stiff its plastic prints; empty for no such kind.
        variant: the choice that tells one mechanism of the kind from another at a glance; none where there is no such.
        first: whether it is what a newcomer is offered, and its ladder the one a new printer starts with.
        sample: parameter changes that make the design by which studies of first prints judge it.
        needs: what it is wanted for, of ``NEEDS``.
        trade: the figure and the verdict that pull against each other in it, as plotted over designs; empty for no such.
        starts: designs to start from, by name, as parameter changes.
        takes: what a piece of the user's own hardware sets of its parameters; None where it takes none.
        trials: designs that studies of first prints try, by name, as parameter changes; tried: what a hand finds of one that
            was printed on a stand-in.
    """

    id: str
    title: str
    summary: str
    params: type[Params]
    solve: Callable[..., Solution]
    questions: tuple[Question, ...]
    recommend: str
    test_piece: dict[str, Any] | Callable[[Any], dict[str, Any]]
    sides: Mapping[str, str] = field(default_factory=dict)
    cautions: tuple[str, ...] = ()
    ladder: LadderPiece | None = None
    outcomes: Scale = IN_PLACE
    tuned: tuple[str, ...] = ()
    clearance: str = "clearance"
    alternatives: tuple[tuple[str, Any], ...] = ()
    weighs: str = ""
    variant: str = ""
    first: bool = False
    sample: Mapping[str, Any] = field(default_factory=dict)
    needs: tuple[str, ...] = ()
    trade: tuple[str, str] | tuple[()] = ()
    starts: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    takes: Callable[[Piece], dict[str, Any]] | None = None
    trials: tuple[tuple[str, Mapping[str, Any]], ...] = ()
    tried: Callable[[Solution, VirtualPrinter, Any], Tried] | None = None

    def figures(self, params: Params, process: Process, keep: bool = True) -> Solution:
        """Return the solution without trying whether it can be drawn; raises SolveError, ParamError. ``keep``: remember it."""
        if isinstance(self.solve, Kept):
            found: Solution = self.solve.figures(params, process, keep)
            return found
        return self.solve(params, process)

    def taking(self, piece: Piece) -> dict[str, Any]:
        """Return the parameters that make it take a piece of the user's own hardware; raises ParamError."""
        if self.takes is None:
            raise ParamError(f"a {self.title.lower()} takes no bought hardware of yours", field="hardware", value=piece.name)
        return self.takes(piece)

    def starting(self, name: str) -> dict[str, Any]:
        """Return the parameters of a design to start from by its name; raises ParamError."""
        if name not in self.starts:
            known = f"; known are {', '.join(self.starts)}" if self.starts else ""
            raise ParamError(f"a {self.title.lower()} has no start '{shortly(name)}'{known}", field="start", value=name)
        return dict(self.starts[name])

    def about(self, params: Mapping[str, Any]) -> str:
        """Return in a few words which mechanism it is, by its raw parameters."""
        word = str(params.get(self.variant, "")).replace("-", " ") if self.variant else ""
        return f"{self.title.lower()}, {word}" if word else self.title.lower()

    def piece_of(self, params: Params) -> Params:
        """Return the parameters of the same mechanism on minimal hosts."""
        changes = self.test_piece(params) if callable(self.test_piece) else self.test_piece
        return params.changed(**changes)

