"""The project document: frozen, validated, versioned. An edit makes a new document; undo is the list of old ones."""

from __future__ import annotations

import math
from collections.abc import Collection
from typing import Annotated, Any, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, WithJsonSchema, model_validator

from bouncy_latch.core import fields
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.layers.setup import DESIGNED, PrintSetup, Stop
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.outcomes import EVERY
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.solids import tree

SCHEMA_VERSION = 5

MOST_MECHANISMS, MOST_PROCESSES, MOST_PRINTS, MOST_STOPS, MOST_SIDES, MOST_PLACES = 300, 300, 2000, 40, 8, 60
"""Of a project; a file with more was not made by hand, and every start would pay for it."""
Name = Annotated[str, Field(min_length=1, max_length=120)]
Number = Annotated[float, Field(ge=-1e4, le=1e4)]


def _known(outcome: str) -> str:
    if outcome not in EVERY:
        raise ValueError(f"must be one of {', '.join(EVERY)}")
    return outcome


Outcome = Annotated[str, AfterValidator(_known), WithJsonSchema({"enum": list(EVERY), "type": "string"})]


class Frozen(BaseModel):
    """Base of everything in a document."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class PrintRecord(Frozen):
    """One print of a mechanism and what became of it.

    Attributes:
        when: ISO date and time.
        params: the exact parameters it was printed with; ``process`` the process as it stood.
        play: measured play, mm, ± about the middle; None when not measured.
        photo: name of the photo inside the project file; None without one.
    """

    id: Name
    when: str
    params: dict[str, Any]
    process: Process
    outcome: Outcome
    play: Annotated[float, Field(ge=0, le=50)] | None = None
    note: Annotated[str, Field(max_length=4000)] = ""
    photo: str | None = None


class Where(fields.Params):
    """Where a side sits, in the print pose of what it sits on; it stands as it does on its own, turned about the vertical."""

    x: float = fields.number(0.0, label="x", unit="mm", role="chosen", low=-500, high=500, step=0.5,
                            help="The seat's middle along x.")
    y: float = fields.number(0.0, label="y", unit="mm", role="chosen", low=-500, high=500, step=0.5,
                            help="The seat's middle along y.")
    z: float = fields.number(0.0, label="z", unit="mm", role="chosen", low=-200, high=500, step=0.1,
                             help="Height of the bed it was drawn on above this one's.")
    turn: float = fields.number(0.0, label="turned by", unit="°", role="chosen", low=-360, high=360, step=5,
                                help="About the vertical, anticlockwise seen from above.")

    @property
    def matrix(self) -> tree.Matrix:
        """From the seat's coordinates to that print pose."""
        c, s = math.cos(math.radians(self.turn)), math.sin(math.radians(self.turn))
        return (c, -s, 0.0, self.x, s, c, 0.0, self.y, 0.0, 0.0, 1.0, self.z)


class OnFace(fields.Params):
    """Where a side sits on a face of a part, seen from outside."""

    u: float = fields.number(0.0, label="from the left", unit="mm", role="chosen", low=-500, high=500, step=0.5,
                             help="Distance from the left edge of the face, seen from outside.")
    v: float = fields.number(0.0, label="from below", unit="mm", role="chosen", low=-500, high=500, step=0.5,
                             help="Distance from the lower edge of the face, seen from outside.")
    turn: float = fields.number(0.0, label="turned by", unit="°", role="chosen", low=-360, high=360, step=5,
                                help="About the way out of a face that looks up, anticlockwise; an upright face allows none.")


class Seated(Frozen):
    """What of a part a side sits on: its name (``face:top``), the distances from the face's left and lower edge as seen from
    outside, mm (None: its middle), the turn there, degrees, and the pattern of further places (``row 3x20``, ``ring 4``,
    ``mirror``)."""

    seat: Name
    at: tuple[Number, Number] | None = None
    turn: Number = 0.0
    pattern: Annotated[str, Field(max_length=20)] = ""


class Sitting(Frozen):
    """One side of a mechanism that is built into a body of another mechanism or of a part: ``on`` its id, ``body`` the body's
    name. ``more``: further places of the same; ``seat``: what of a part it was placed on, if it was."""

    side: Name
    on: Name
    body: Name
    where: Where = Where()
    more: Annotated[tuple[Where, ...], Field(max_length=MOST_PLACES)] = ()
    seat: Seated | None = None

    @property
    def places(self) -> tuple[Where, ...]:
        """All places, the first one first."""
        return (self.where, *self.more)


class Mechanism(Frozen):
    """One mechanism of the project: its kind, parameters, prints, how it is set up to print and where that stops for the
    user, the caliper readings behind its given sizes (by parameter, mm), and which sides are built into what."""

    id: Name
    name: Name
    kind: str
    params: dict[str, Any]
    prints: Annotated[tuple[PrintRecord, ...], Field(max_length=MOST_PRINTS)] = ()
    setup: PrintSetup = DESIGNED
    stops: Annotated[tuple[Stop, ...], Field(max_length=MOST_STOPS)] = ()
    measured: dict[str, Annotated[tuple[float, ...], Field(min_length=1, max_length=40)]] = {}
    sits: Annotated[tuple[Sitting, ...], Field(max_length=MOST_SIDES)] = ()

    def parsed(self) -> fields.Params:
        """Return the checked parameters; raises ParamError or ReadError."""
        model = registry.kind(self.kind).params
        if name := fields.named_file(model, self.params):
            raise ParamError(f"{model.facts()[name].label} names a file; a project carries its outlines itself", field=name,
                             value=self.params[name])
        return fields.parse(model, self.params)


class Project(Frozen):
    """A whole project."""

    schema_version: int = SCHEMA_VERSION
    name: Name
    mechanisms: Annotated[tuple[Mechanism, ...], Field(max_length=MOST_MECHANISMS)] = ()
    processes: Annotated[tuple[Process, ...], Field(min_length=1, max_length=MOST_PROCESSES)]
    process_id: Name
    policy: Policy = Policy.MINE
    selected: str | None = None

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        if self.process_id not in {p.id for p in self.processes}:
            raise ValueError("the chosen process is missing")
        ids = [m.id for m in self.mechanisms]
        if len(set(ids)) != len(ids) or (self.selected is not None and self.selected not in ids):
            raise ValueError("mechanisms are doubled or the selected one is missing")
        for mechanism in self.mechanisms:
            sides = [sitting.side for sitting in mechanism.sits]
            if len(set(sides)) != len(sides) or any(each.on == mechanism.id or each.on not in ids for each in mechanism.sits):
                raise ValueError("a mechanism sits on one that is missing, on itself, or with one side twice")
        return self

    @property
    def process(self) -> Process:
        """The chosen process."""
        return next(p for p in self.processes if p.id == self.process_id)

    @property
    def mechanism(self) -> Mechanism | None:
        """The selected mechanism."""
        return next((m for m in self.mechanisms if m.id == self.selected), None)

    def with_mechanism(self, mechanism: Mechanism) -> Project:
        """Return the project with ``mechanism`` replaced by id, or added at the end and selected."""
        if any(m.id == mechanism.id for m in self.mechanisms):
            kept = tuple(mechanism if m.id == mechanism.id else m for m in self.mechanisms)
            return self.model_copy(update={"mechanisms": kept})
        return self.model_copy(update={"mechanisms": (*self.mechanisms, mechanism), "selected": mechanism.id})

    def without_mechanism(self, mechanism_id: str) -> Project:
        """Return the project less a mechanism; its neighbour becomes the selected one."""
        # What sat on it stands on its own again.
        kept = tuple(m.model_copy(update={"sits": tuple(each for each in m.sits if each.on != mechanism_id)})
                     for m in self.mechanisms if m.id != mechanism_id)
        selected = self.selected if any(m.id == self.selected for m in kept) else (kept[0].id if kept else None)
        return self.model_copy(update={"mechanisms": kept, "selected": selected})

    def with_process(self, process: Process) -> Project:
        """Return the project with ``process`` replaced by id, or added, and chosen."""
        known = any(p.id == process.id for p in self.processes)
        processes = tuple(process if p.id == process.id else p for p in self.processes)
        return self.model_copy(update={"processes": processes if known else (*processes, process),
                                       "process_id": process.id})


def new_mechanism(kind_id: str, name: str, taken: set[str], **params: Any) -> Mechanism:
    """Return a mechanism of a kind with an id not in ``taken``; raises ParamError for bad parameters."""
    kind = registry.kind(kind_id)
    checked = fields.parse(kind.params, params)
    if not name.strip() or len(name) > 120:
        raise ParamError("a mechanism needs a name of 1 to 120 characters", field="name", value=name)
    number = 1
    while f"{kind_id}-{number}" in taken:
        number += 1
    return Mechanism(id=f"{kind_id}-{number}", name=name.strip(), kind=kind_id, params=checked.model_dump())


def free_name(title: str, taken: Collection[str]) -> str:
    """Return a kind's title, numbered where a mechanism has it already."""
    name, number = title, 2
    while name in taken:
        name, number = f"{title} {number}", number + 1
    return name


def empty_project(name: str = "New project") -> Project:
    """Return a project on a typical printer nothing was printed on, with nothing on its shelf."""
    return Project(name=name, processes=(population.TYPICAL,), process_id=population.TYPICAL.id)
