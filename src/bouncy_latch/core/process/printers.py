"""The user's own printers with their spools and settings, shared by all projects; what a project uses is its own copy.

A printer that nothing was printed on behaves like any: its process begins with the population's spreads
(:mod:`population`) and says that it is untested.
"""

from __future__ import annotations

import re
from typing import Annotated, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from bouncy_latch.core.errors import ParamError, ReadError, shortly
from bouncy_latch.core.names import LONGEST, Name, apart, folded, same
from bouncy_latch.core.process import materials, population
from bouncy_latch.core.process.profile import LayerHeight, LineWidth, NozzleSize, Policy, Process, Side

FORMAT, VERSION = "bouncy-latch printers", 1
STOPS = ("M0", "M600", "M25", "PAUSE")
"""Commands that make printers stop for the hand; which one is understood depends on the printer."""
MOST = 200
"""Printers, or spools of one, there may be."""


class _Kept(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Spool(_Kept):
    """A material as it is bought."""

    material: Name
    colour: Name = "natural"
    note: Annotated[str, Field(max_length=400)] = ""

    @property
    def title(self) -> str:
        """What it is called: material and colour."""
        return f"{self.material} {self.colour}"


class Settings(_Kept):
    """How a printer is set up to print: mm, lines of a wall, per cent."""

    layer_height: LayerHeight = 0.2
    first_layer_height: LayerHeight = 0.2
    line_width: LineWidth = 0.45
    loops: Annotated[int, Field(ge=1, le=50)] = 3
    infill: Annotated[float, Field(ge=0, le=100)] = 15.0


class Printer(_Kept):
    """A printer of the user's.

    Attributes:
        bed: what fits on it, width, depth and height, mm. stop: command that makes it stop for the hand.
        machine: what its evidence is kept under when it gets another name; its first name.
    """

    name: Name
    nozzle: NozzleSize = 0.4
    bed: tuple[Side, Side, Side]
    stop: str = STOPS[0]
    settings: Settings = Settings()
    spools: Annotated[tuple[Spool, ...], Field(max_length=MOST)] = ()
    machine: Annotated[str, Field(max_length=80)] = ""

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.stop not in STOPS:
            raise ValueError(f"stop must be one of {', '.join(STOPS)}")
        titles = [folded(spool.title) for spool in self.spools]
        if len(set(titles)) != len(titles):
            raise ValueError("two spools have one material and colour")
        return self

    @property
    def kept_under(self) -> str:
        """What evidence of it is found by."""
        return folded(self.machine or self.name)

    def process(self, spool: Spool) -> Process:
        """Return it with a spool as a process that nothing is known of yet; evidence belongs to printer, spool and settings."""
        s = self.settings
        if not materials.is_known(spool.material):
            known = ", ".join(made.name for made in materials.table().values())
            raise ParamError(f"the material of {self.name}'s spool '{spool.title}' is not in the table: {known}",
                             field="material", value=spool.material)
        plain = Process(id="", printer=self.name, machine=self.machine, material=spool.material, colour=spool.colour,
                        nozzle=self.nozzle, bed=self.bed, **s.model_dump()).identified()
        return population.effective(plain, Policy.ANYONE).model_copy(update=population.UNTESTED)


class Printers(_Kept):
    """All of them, by name; every change is a new value."""

    printers: Annotated[tuple[Printer, ...], Field(max_length=MOST)] = ()

    @model_validator(mode="after")
    def _apart(self) -> Self:
        names = [folded(each.name) for each in self.printers]
        if len(set(names)) != len(names):
            raise ValueError("two printers have one name")
        return self

    def named(self, name: str) -> Printer:
        """Return a printer; raises ParamError."""
        for each in self.printers:
            if same(each.name, name):
                return each
        known = ", ".join(each.name for each in self.printers) or "none yet"
        raise ParamError(f"there is no printer '{shortly(name)}'; known: {known}", field="printer", value=name)

    def has(self, name: str) -> bool:
        """Whether there is one of that name."""
        return any(same(each.name, name) for each in self.printers)

    def added(self, printer: Printer) -> Printers:
        """Return them with another one, whose evidence is kept apart from that of all others; raises ParamError."""
        if self.has(printer.name):
            raise _doubled(printer)
        taken, machine, number = {each.kept_under for each in self.printers}, printer.machine, 2
        while folded(machine or printer.name) in taken:
            machine, number = f"{printer.name} {number}", number + 1
        return Printers(printers=(*self.printers, printer.model_copy(update={"machine": machine})))

    def changed(self, name: str, printer: Printer) -> Printers:
        """Return them with one in another's place, which keeps its evidence whatever it is called; raises ParamError."""
        before = self.named(name)
        if not same(printer.name, before.name):
            if self.has(printer.name):
                raise _doubled(printer)
            printer = printer.model_copy(update={"machine": before.machine or before.name})
        return Printers(printers=tuple(printer if each is before else each for each in self.printers))

    def removed(self, name: str) -> Printers:
        """Return them without one; projects that print on it keep their copy. Raises ParamError."""
        gone = self.named(name)
        return Printers(printers=tuple(each for each in self.printers if each is not gone))

    def duplicated(self, name: str) -> tuple[Printers, Printer]:
        """Return them with a copy of one under a free name, and the copy; raises ParamError."""
        model, number = self.named(name), 2
        begin = model.name[:LONGEST - 4]
        while self.has(f"{begin} {number}"):
            number += 1
        copied = self.added(model.model_copy(update={"name": f"{begin} {number}", "machine": ""}))
        return copied, copied.printers[-1]

    def joined(self, others: Printers) -> Printers:
        """Return them with all of others, or none where a name is taken; raises ParamError."""
        taken = [each.name for each in others.printers if self.has(each.name)]
        if taken:
            raise ParamError(f"{', '.join(taken)}: there is one of that name already; nothing was imported", field="name",
                             value=taken[0])
        joined = self
        for each in others.printers:
            joined = joined.added(each)
        return joined

    def process_named(self, words: str) -> Process:
        """Return the process "NAME/MATERIAL COLOUR" names; "NAME" alone is its only spool. Raises ParamError."""
        name, _, wanted = words.partition("/")
        printer = self.named(name)
        if not printer.spools:
            raise ParamError(f"{printer.name} has no spool yet: add one with its material and colour", field="process",
                             value=words)
        fitting = [spool for spool in printer.spools if not wanted or same(spool.title, wanted)]
        if len(fitting) != 1:
            known = ", ".join(f"{printer.name}/{spool.title}" for spool in printer.spools)
            raise ParamError(f"say which spool of {printer.name}: {known}", field="process", value=words)
        return printer.process(fitting[0])


def made(**values: object) -> Printer:
    """Return a printer of given values; raises ParamError with one sentence."""
    try:
        return Printer.model_validate(values)
    except ValidationError as error:
        raise _refused(error) from None


def with_spool(printer: Printer, **values: object) -> Printer:
    """Return a printer with another spool; raises ParamError."""
    try:
        spool = Spool.model_validate(values)
        found = Printer.model_validate({**printer.model_dump(), "spools": (*printer.spools, spool)})
    except ValidationError as error:
        raise _refused(error) from None
    found.process(spool)
    return found


def _doubled(printer: Printer) -> ParamError:
    return ParamError(f"there is a printer '{printer.name}' already; two need two names", field="name", value=printer.name)


def bed_of(text: str) -> tuple[float, ...]:
    """Return what "220x220x250" says, mm; raises ParamError."""
    parts = re.split(r"\s*[x×*]\s*", text.strip().lower().removesuffix("mm").strip().replace(",", "."))
    try:
        sizes = tuple(float(part) for part in parts)
    except ValueError:
        sizes = ()
    if len(sizes) != 3:
        raise ParamError(f"a bed has width, depth and height, such as 220x220x250, not '{shortly(text)}'", field="bed",
                         value=text)
    return sizes


def to_json(printers: Printers) -> dict[str, object]:
    """Return them as a file holds them."""
    return {"format": FORMAT, "version": VERSION, **printers.model_dump(mode="json")}


def from_json(raw: object, name: str) -> Printers:
    """Return what a file holds; raises ReadError."""
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise ReadError(f"{name} holds no printers", field="printers", value=name)
    if raw.get("version") != VERSION:
        raise ReadError(f"{name} was written by another version ({shortly(str(raw.get('version')))})", field="version",
                        value=name)
    try:
        return Printers.model_validate({"printers": _told_apart(raw.get("printers", ()))})
    except ValidationError as error:
        raise ReadError(f"{name}: {_refused(error).sentence}", field="printers", value=name) from None


def _told_apart(kept: object) -> object:
    """Return printers under names that differ: an older file may hold some that only blanks or capitals tell apart.

    Evidence of a printer that gets another name here is kept under its name of old.
    """
    if not isinstance(kept, list) or not all(isinstance(each, dict) and isinstance(each.get("name"), str) for each in kept):
        return kept
    return [each if each["name"] == name else {**each, "name": name, "machine": each.get("machine") or each["name"]}
            for each, name in zip(kept, apart([each["name"] for each in kept]), strict=True)]


def _refused(error: ValidationError) -> ParamError:
    first = error.errors()[0]
    where = [str(part) for part in first["loc"] if not isinstance(part, int)]
    said = shortly(first["msg"].removeprefix("Value error, "))
    last = where[-1] if where else ""
    if last == "bed":
        said = "a printer needs the size of its bed, such as 220x220x250"
    elif first["type"] == "string_pattern_mismatch":
        said = "a name has no slash and no line end"
    return ParamError(f"{' '.join(where).replace('_', ' ')}: {said}".removeprefix(": "), field=last,
                      value=shortly(str(first.get("input"))))
