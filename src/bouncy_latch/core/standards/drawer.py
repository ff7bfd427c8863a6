"""The user's own drawer of nuts, each as calipers read it; shared by all projects, a project keeps the sizes it used."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from bouncy_latch.core.errors import ParamError, ReadError, shortly
from bouncy_latch.core.names import Name, apart, folded, same

FORMAT, VERSION = "bouncy-latch hardware", 1
MOST = 500
"""Pieces there may be."""
LEAST_DIFFERS = 0.03
"""How far nuts of one box differ at the least, whatever few readings say, mm (common practice, no source)."""
Readings = Annotated[tuple[Annotated[float, Field(ge=0.5, le=100)], ...], Field(min_length=1, max_length=40)]


class _Kept(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Piece(_Kept):
    """A nut of the drawer.

    Attributes:
        diameter: of its thread, mm. flats, height: caliper readings, mm, of one nut or of several of the box.
    """

    name: Name
    shape: Literal["hexagon", "square"] = "hexagon"
    diameter: Annotated[float, Field(ge=1.5, le=24)]
    flats: Readings
    height: Readings
    note: Annotated[str, Field(max_length=400)] = ""

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if min(self.flats) <= self.diameter:
            raise ValueError(f"across flats {min(self.flats):g} leaves no wall round a thread of {self.diameter:g}")
        return self

    @property
    def differs(self) -> float:
        """How far nuts of the box differ across flats, mm."""
        return max(round(max(self.flats) - min(self.flats), 3), LEAST_DIFFERS)


class Drawer(_Kept):
    """All of them, by name; every change is a new value."""

    pieces: Annotated[tuple[Piece, ...], Field(max_length=MOST)] = ()

    @model_validator(mode="after")
    def _apart(self) -> Self:
        names = [folded(each.name) for each in self.pieces]
        if len(set(names)) != len(names):
            raise ValueError("two pieces have one name")
        return self

    def has(self, name: str) -> bool:
        """Whether there is one of that name."""
        return any(same(each.name, name) for each in self.pieces)

    def named(self, name: str) -> Piece:
        """Return a piece; raises ParamError."""
        for each in self.pieces:
            if same(each.name, name):
                return each
        known = ", ".join(each.name for each in self.pieces) or "nothing yet"
        raise ParamError(f"there is no '{shortly(name)}' in your drawer; it holds {known}", field="hardware", value=name)

    def added(self, *pieces: Piece) -> Drawer:
        """Return it with more pieces, all or none; raises ParamError where a name is taken."""
        taken = [each.name for each in pieces if self.has(each.name)]
        if taken:
            raise ParamError(f"{', '.join(taken)}: there is one of that name already", field="name", value=taken[0])
        return Drawer(pieces=(*self.pieces, *pieces))

    def changed(self, name: str, piece: Piece) -> Drawer:
        """Return it with one in another's place; raises ParamError."""
        before = self.named(name)
        if not same(piece.name, before.name) and self.has(piece.name):
            raise ParamError(f"{piece.name}: there is one of that name already", field="name", value=piece.name)
        return Drawer(pieces=tuple(piece if each is before else each for each in self.pieces))

    def removed(self, name: str) -> Drawer:
        """Return it without one; raises ParamError."""
        gone = self.named(name)
        return Drawer(pieces=tuple(each for each in self.pieces if each is not gone))


def made(**values: object) -> Piece:
    """Return a piece of given values; raises ParamError with one sentence."""
    try:
        return Piece.model_validate(values)
    except ValidationError as error:
        raise _refused(error) from None


def to_json(drawer: Drawer) -> dict[str, object]:
    """Return it as a file holds it."""
    return {"format": FORMAT, "version": VERSION, **drawer.model_dump(mode="json")}


def from_json(raw: object, name: str) -> Drawer:
    """Return what a file holds; raises ReadError."""
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise ReadError(f"{name} holds no hardware", field="hardware", value=name)
    if raw.get("version") != VERSION:
        raise ReadError(f"{name} was written by another version ({shortly(str(raw.get('version')))})", field="version",
                        value=name)
    try:
        return Drawer.model_validate({"pieces": _told_apart(raw.get("pieces", ()))})
    except ValidationError as error:
        raise ReadError(f"{name}: {_refused(error).sentence}", field="hardware", value=name) from None


def _told_apart(kept: object) -> object:
    """Return pieces under names that differ: an older file may hold some that only blanks or capitals tell apart."""
    if not isinstance(kept, list) or not all(isinstance(each, dict) and isinstance(each.get("name"), str) for each in kept):
        return kept
    return [{**each, "name": name} for each, name in zip(kept, apart([each["name"] for each in kept]), strict=True)]


def _refused(error: ValidationError) -> ParamError:
    first = error.errors()[0]
    where = [str(part) for part in first["loc"] if not isinstance(part, int)]
    said = shortly(first["msg"].removeprefix("Value error, "))
    return ParamError(f"{' '.join(where)}: {said}".removeprefix(": "), field=where[-1] if where else "",
                      value=shortly(str(first.get("input"))))
