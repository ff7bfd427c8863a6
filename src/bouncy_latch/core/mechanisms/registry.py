"""Finds mechanism kinds by scanning this package: a new module with a ``KIND`` is a new kind, nothing else to edit.

Every family has a package, which holds its kinds and what they share. A module is named as its kind is, so that what there is
can be told, and one of them used, without loading them all.
"""

from __future__ import annotations

import importlib
from collections.abc import Callable
from dataclasses import replace
from functools import cache, partial
from pathlib import Path

from bouncy_latch.core import mechanisms
from bouncy_latch.core.errors import ParamError, shortly
from bouncy_latch.core.fields import Params
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Kind, Solution
from bouncy_latch.core.mechanisms.kept import Kept
from bouncy_latch.core.process.profile import Process

_DEFINES, _DEFINES_PART = "\nKIND = Kind(", "\nPART = Kind("
REFUSED = {
    "helical": "a helical coil stands across its layers and splits between them when it is stretched or pressed; printed flat, "
               "a zigzag-spring pushes and pulls, a leaf-spring pushes aside, a spiral-spring turns",
}
"""What is asked for under such a name is refused, with the reason and what replaces it."""
_loaded: dict[str, Kind] = {}


@cache
def kinds() -> dict[str, Kind]:
    """Return all kinds by id.

    Raises:
        TypeError: when a module lacks ``KIND``, or it is not named as the module is (mistakes in the source).
    """
    found: dict[str, Kind] = {}
    for name in _modules():
        kind = _defined_in(name)
        found[kind.id] = kind
    return found


@cache
def ids() -> tuple[str, ...]:
    """Return the ids of all kinds; none is loaded for it."""
    return tuple(name.replace("_", "-") for name in _modules())


def loaded(kind_id: str) -> Kind | None:
    """Return a kind if it was loaded for something else already."""
    return _loaded.get(kind_id)


def family_of(kind_id: str) -> str:
    """Return the name of the family package a kind is in; empty for one that stands alone."""
    return _modules()[kind_id.replace("-", "_")].rpartition(".")[0]


@frozen
class Family:
    """Kinds that belong together: what they are called, what they have in common, and their ids."""

    title: str
    about: str
    kinds: tuple[str, ...]


FAMILIES = ("hinges", "snaps", "fits", "clamps", "threads", "nuts", "bosses", "springs")
"""The families in the order in which they are offered; what is in none of them comes last."""


def families() -> tuple[Family, ...]:
    """Return the families with their kinds; what each is called stands at the top of its package."""
    by: dict[str, list[str]] = {}
    for kind_id in ids():
        by.setdefault(family_of(kind_id), []).append(kind_id)
    found = []
    for name in sorted(by, key=lambda each: FAMILIES.index(each) if each in FAMILIES else len(FAMILIES)):
        said = (importlib.import_module(f"{mechanisms.__name__}.{name}").__doc__ or "") if name else "Others: on their own."
        title, _, about = said.strip().partition(": ")
        found.append(Family(title, about, tuple(by[name])))
    return tuple(found)


@cache
def _modules() -> dict[str, str]:
    """Return the modules that define kinds: their paths below this package, by name; only their text is read."""
    return _modules_with(_DEFINES)


@cache
def part_ids() -> tuple[str, ...]:
    """Return the ids of what is no mechanism but a part that mechanisms are built into."""
    return tuple(name.replace("_", "-") for name in _modules_with(_DEFINES_PART))


@cache
def _modules_with(text: str) -> dict[str, str]:
    top = Path(mechanisms.__path__[0])
    found = {file.stem: ".".join(file.relative_to(top).with_suffix("").parts)
             for file in (*top.glob("*.py"), *top.glob("*/*.py")) if text in file.read_text("utf-8")}
    return dict(sorted(found.items()))


@cache
def _defined_in(name: str) -> Kind:
    path, defines = _modules().get(name, ""), "KIND"
    if not path:
        path, defines = _modules_with(_DEFINES_PART)[name], "PART"
    kind = getattr(importlib.import_module(f"{mechanisms.__name__}.{path}"), defines, None)
    if not isinstance(kind, Kind) or kind.id != name.replace("_", "-"):
        message = f"mechanisms/{path.replace('.', '/')}.py must define KIND with the id {name.replace('_', '-')}"
        raise TypeError(message)
    _loaded[kind.id] = kind
    return replace(kind, solve=Kept(partial(_stiffened, kind.solve, kind.force) if kind.force else kind.solve))


def _stiffened(solve: Callable[..., Solution], force: str, params: Params, process: Process) -> Solution:
    """Return the solution of what bends, as stiff as its family is believed to be on a process."""
    return replace(solve(params, process.stiffened(force)), process=process)


def first() -> Kind:
    """Return the kind a newcomer is offered, which also has the ladder a new printer starts with."""
    return next(found for found in kinds().values() if found.first)


def with_ladder(kind_id: str | None) -> Kind:
    """Return the kind whose ladder to print: this one's own where it has one, else the first kind's."""
    own = kinds().get(kind_id) if kind_id else None
    return own if own is not None and own.ladder is not None else first()


def kind(kind_id: str) -> Kind:
    """Return a kind by id.

    Raises:
        ParamError: when there is none, naming those there are, or the reason why there is none.
    """
    refused = next((why for name, why in REFUSED.items() if name in str(kind_id).lower()), None)
    if refused is not None:
        raise ParamError(refused, field="kind", value=kind_id)
    if kind_id not in (*ids(), *part_ids()):
        raise ParamError(f"there is no mechanism kind '{shortly(str(kind_id))}'; known are {', '.join(ids())}",
                         field="kind", value=kind_id)
    return _defined_in(kind_id.replace("-", "_"))
