"""What a kind works out: figures, verdicts, rulers, motions, and its shape on demand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field
from functools import cached_property

from bouncy_latch.core.checks import Check
from bouncy_latch.core.fields import Params
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import Freeing
from bouncy_latch.core.layers.facing import together
from bouncy_latch.core.layers.joint import Joint, Play
from bouncy_latch.core.layers.likelihood import Likelihood
from bouncy_latch.core.mechanisms.contract.motion import Motion
from bouncy_latch.core.mechanisms.contract.shape import Shape
from bouncy_latch.core.outcomes import IN_PLACE, Scale
from bouncy_latch.core.parts.body import BOUGHT, all_finished
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree


@frozen
class Derived:
    """A number worked out: value with unit, the formula in words and symbols, and where its inputs came from."""

    name: str
    label: str
    value: float
    unit: str
    formula: str
    source: str


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
        least: the least size that the trade's rule lets be recommended while no print of the family says otherwise; None: any.
    """

    check: str
    chance: float
    words: str
    short: str
    needs: tuple[str, ...] = ()
    both: float | None = None
    least: float | None = None


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
        return all_finished(self.shape.bodies, self.shape.features)

    def drawn(self) -> dict[str, tree.Solid]:
        """Return the finished printed bodies, drawn anew.

        Raises:
            SolveError: when they cannot be drawn.
        """
        shape = self.draw()
        return all_finished(shape.bodies, shape.features)

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
