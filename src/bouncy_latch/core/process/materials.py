"""What a printed material bears: stiffness, strength along and across layers, permissible strain, friction, creep.

The table is ``materials.csv``; a process may replace any of its values, and evidence (the bend bar) replaces the modulus.
"""

from __future__ import annotations

import csv
import math
from collections.abc import Mapping
from dataclasses import fields
from functools import cache
from pathlib import Path

from bouncy_latch.core.errors import ParamError, ReadError
from bouncy_latch.core.frozen import frozen

TABLE = Path(__file__).with_name("materials.csv")


@frozen
class Material:
    """One printed material at room temperature.

    Attributes:
        modulus, modulus_sd: Young's modulus along the layers and its spread from print to print, MPa.
        strength, across: tensile strength along the layers and across them, with their spreads, MPa; across them layers bond
        as they happen to, so that spread is larger.
        strain_once, strain_repeated: permissible surface strain along the layers, once and many times, per cent.
        strain_break: strain at which it tears, per cent; between permissible and this it whitens.
        friction, friction_sd: coefficient of friction of prints of it on each other.
        density: g/cm³. shrinkage: per cent, linear. poisson: Poisson's ratio.
        creep: part of a force that is left after a year held deflected.
        source: where the values come from.
    """

    name: str
    modulus: float
    modulus_sd: float
    strength: float
    strength_sd: float
    across: float
    across_sd: float
    strain_once: float
    strain_repeated: float
    strain_break: float
    friction: float
    friction_sd: float
    density: float
    shrinkage: float
    creep: float
    poisson: float
    source: str


VALUES = tuple(f.name for f in fields(Material) if f.name not in {"name", "source"})
"""Names of the numbers of a material."""
ASKED = tuple(name for name in VALUES if not name.endswith("_sd"))
"""Those that a material outside the table must be given."""
LIMITS = {"friction": (0.02, 1.5), "poisson": (0.0, 0.495), "creep": (0.01, 1.0), "shrinkage": (0.0, 10.0)}
_POSITIVE = (1e-3, 1e6)


@cache
def table() -> dict[str, Material]:
    """Return the known materials by name in lower case.

    Raises:
        ReadError: when the table that ships with the program is damaged.
    """
    return read_table(TABLE.read_text(encoding="utf-8"))


def read_table(text: str) -> dict[str, Material]:
    """Return the materials of a CSV text with the columns of ``materials.csv``.

    Raises:
        ReadError: naming the material and every value that is missing or not a sane number.
    """
    found = {}
    for row in csv.DictReader(text.splitlines()):
        name = (row.get("name") or "").strip()
        numbers = {column: _number(row.get(column)) for column in VALUES}
        missing = [column for column, value in numbers.items() if value is None]
        if not name or missing:
            raise ReadError(f"material '{name or '?'}' lacks {', '.join(missing) or 'a name'}", field="material", value=name)
        clean = {column: value for column, value in numbers.items() if value is not None}
        for column, value in clean.items():
            _refuse_insane(name, column, value)
        found[name.lower()] = Material(name=name, source=(row.get("source") or "not said").strip(), **clean)
    return found


def _number(text: str | None) -> float | None:
    try:
        value = float(text or "")
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def _refuse_insane(name: str, column: str, value: float) -> None:
    low, high = LIMITS.get(column, _POSITIVE)
    if column.endswith("_sd"):
        low = 0.0
    if not low <= value <= high:
        raise ParamError(f"{column.replace('_', ' ')} of {name} must be from {low:g} to {high:g}, not {value:g}",
                         field="material", value=value, limit=low if value < low else high)


OTHER_NAMES = {"pla+": "pla tough", "pla plus": "pla tough", "tough pla": "pla tough", "matte pla": "pla matte",
               "silk pla": "pla silk", "resin": "tough resin", "nylon": "pa", "pet-g": "petg"}
"""Names that are also used for materials of the table (common practice, no source)."""


def _plain(name: str) -> str:
    bare = " ".join(name.strip().lower().split())
    return OTHER_NAMES.get(bare, bare)


def is_known(name: str) -> bool:
    """Whether the table has a material of this name, or of another name it goes by."""
    return _plain(name) in table()


def material(name: str, changes: Mapping[str, float] | None = None) -> Material:
    """Return a material by name (case does not matter) with some values replaced.

    A name outside the table needs all its values in ``changes``.

    Raises:
        ParamError: for an unknown value name, a value that cannot be, or a material that lacks values, naming them.
    """
    changes = dict(changes or {})
    base = table().get(_plain(name))
    unknown = [key for key in changes if key not in VALUES]
    if unknown:
        raise ParamError(f"a material has no '{unknown[0]}'; known are {', '.join(VALUES)}", field="material", value=unknown[0])
    for key, value in changes.items():
        _refuse_insane(name, key, value)
    own = [key for key in changes if base is None or changes[key] != getattr(base, key)]
    source = f"{', '.join(k.replace('_', ' ') for k in own)}: yours" if own else ""
    if base is None:
        missing = [key for key in ASKED if key not in changes]
        if missing:
            known = ", ".join(m.name for m in table().values())
            raise ParamError(f"material '{name}' is not in the table ({known}) and lacks "
                             f"{', '.join(m.replace('_', ' ') for m in missing)}", field="material", value=name)
        guessed = {f"{key}_sd": share * changes[key] for key, share in
                   (("modulus", 0.2), ("friction", 0.2), ("strength", 0.1), ("across", 0.25))}
        return Material(name=name, source=source, **{**guessed, **changes})
    numbers = {key: changes.get(key, getattr(base, key)) for key in VALUES}
    return Material(name=base.name, source=f"{source}; else {base.source}" if source else base.source, **numbers)


def printed_modulus(name: str) -> tuple[float, float]:
    """Return mean and spread of the modulus of a material by name, MPa; that of PLA where it is not in the table."""
    found = table().get(name.strip().lower(), table()["pla"])
    return found.modulus, found.modulus_sd
