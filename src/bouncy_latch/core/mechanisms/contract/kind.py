"""What a kind is made of: its parameters and its function ``solve``, and what the rest of the program reads of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from typing import TYPE_CHECKING, Any, Protocol

from bouncy_latch.core.errors import ParamError, shortly
from bouncy_latch.core.fields import Params
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract.answer import Answers
from bouncy_latch.core.mechanisms.contract.shape import Vector
from bouncy_latch.core.mechanisms.contract.solution import Solution
from bouncy_latch.core.mechanisms.kept import Kept
from bouncy_latch.core.outcomes import IN_PLACE, Scale
from bouncy_latch.core.process.profile import Process

if TYPE_CHECKING:
    from bouncy_latch.core.standards.drawer import Piece
    from bouncy_latch.core.virtual.printer import VirtualPrinter


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
        beside: how many of them lie beside a first print, where screws and nuts are wanted.
    """

    params: dict[str, Any]
    label: Callable[[Solution], Vector]
    shared: tuple[str, ...] = ()
    square: dict[str, Any] = field(default_factory=dict)
    beside: int = 0


@frozen
class Tried:
    """What became of a print on a stand-in printer: its place on the kind's scale, whether it is what was wanted, and the mean
    clearance left, mm."""

    outcome: int
    worked: bool
    left: float

@frozen
class Tuning:
    """How sizes are searched for; nothing for a kind whose sizes follow from what it is asked.

    Attributes:
        sizes: parameters that a search for a target may change, most telling first.
        trade_off: the figure and the verdict that pull against each other in it, as plotted over designs; empty for no such.
        starts: designs to start from, by name, as parameter changes.
        alternatives: another choice worth offering where the target is out of reach: parameter and its value.
    """

    sizes: tuple[str, ...] = ()
    trade_off: tuple[str, str] | tuple[()] = ()
    starts: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    alternatives: tuple[tuple[str, Any], ...] = ()


@frozen(eq=False)
class StudyTrial:
    """What studies of first prints do with a kind.

    Attributes:
        sample: parameter changes that make the design by which they judge it.
        designs: designs that they try, by name, as parameter changes.
        tried: what a hand finds of one that was printed on a stand-in.
    """

    sample: Mapping[str, Any] = field(default_factory=dict)
    designs: tuple[tuple[str, Mapping[str, Any]], ...] = ()
    tried: Callable[[Solution, VirtualPrinter, Any], Tried] | None = None


class OnPart(Protocol):
    """A mechanism on a part, as far as its verdicts go: what it is called, its kind and sizes."""

    @property
    def name(self) -> str:
        """What the user calls it."""

    @property
    def kind(self) -> Kind:
        """What it is."""

    @property
    def params(self) -> Params:
        """Its sizes."""


@frozen
class SeatRule:
    """How a side of a kind sits on a flat face of a part; up in the seat's coordinates is up as it prints.

    Attributes:
        out: the direction in the seat's coordinates that looks out of the part there: +z, +x, -x, +y or -y.
        thickness: the parameter that is as thick as the part is behind the face, less what the mechanism itself needs.
        height, edge, reach: those that are the height of the edge above the bed, its straight length, and how far the part
            reaches behind it. Empty where none is.
        given: what else it is worked out with there.
    """

    out: str
    thickness: str = ""
    height: tuple[str, ...] = ()
    edge: str = ""
    reach: str = ""
    given: Mapping[str, Any] = field(default_factory=dict)


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
        clearance: the parameter that is its clearance, per side, as the gap chart shows it; empty for none.
        weighs: the travel that a weight hung on it takes, where that says how stiff its plastic prints; empty for no such kind.
        variant: the choice that tells one mechanism of the kind from another at a glance; none where there is no such.
        first: whether it is what a newcomer is offered, and its ladder the one a new printer starts with.
        tasks: what it is wanted for, of ``TASKS``. answers: how it answers the fields of a need, by name.
        takes: what a piece of the user's own hardware sets of its parameters; None where it takes none.
        force: the number of a process that says how much stiffer than worked out its family is; empty where no force counts.
        seats: how its sides sit on a flat face of a part, by side; a side without a rule is placed by coordinates only.
        gathers: of what is no mechanism but a part: what its solution is with those that sit on it; None for a mechanism.
        tuning: how sizes are searched for. study: what studies of first prints do with it.
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
    clearance: str = "clearance"
    weighs: str = ""
    variant: str = ""
    first: bool = False
    tasks: tuple[str, ...] = ()
    answers: Answers = field(default_factory=dict)
    takes: Callable[[Piece], dict[str, Any]] | None = None
    force: str = ""
    seats: Mapping[str, SeatRule] = field(default_factory=dict)
    gathers: Callable[[Solution, Sequence[tuple[OnPart, Solution]]], Solution] | None = None
    tuning: Tuning = Tuning()
    study: StudyTrial = StudyTrial()

    @property
    def is_part(self) -> bool:
        """Whether it is a part that mechanisms are built into, and no mechanism."""
        return self.gathers is not None

    def joins_in_place(self, params: Params, process: Process) -> bool:
        """Whether its sides are printed joined, so that its parts can only be made together; raises UserError."""
        return len(self.sides) > 1 and bool(self.figures(params, process).joints)

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
        if name not in self.tuning.starts:
            known = f"; known are {', '.join(self.tuning.starts)}" if self.tuning.starts else ""
            raise ParamError(f"a {self.title.lower()} has no start '{shortly(name)}'{known}", field="start", value=name)
        return dict(self.tuning.starts[name])

    def about(self, params: Mapping[str, Any]) -> str:
        """Return in a few words which mechanism it is, by its raw parameters."""
        word = str(params.get(self.variant, "")).replace("-", " ") if self.variant else ""
        return f"{self.title.lower()}, {word}" if word else self.title.lower()

    def piece_of(self, params: Params) -> Params:
        """Return the parameters of the same mechanism on minimal hosts."""
        changes = self.test_piece(params) if callable(self.test_piece) else self.test_piece
        return params.changed(**changes)
