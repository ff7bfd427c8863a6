"""The tables as values: a thread, a nut, a screw by its size as users name it ("M8", "M8x1", "M5-thin", "1/4")."""

from __future__ import annotations

import csv
from dataclasses import fields
from functools import cache
from importlib import resources
from typing import Any, TypeVar

from bouncy_latch.core.frozen import frozen


@frozen
class Thread:
    """A metric thread, or a coarse inch one of the same profile: nominal diameter and pitch, mm."""

    size: str
    diameter: float
    pitch: float
    series: str
    source: str


@frozen
class Nut:
    """A nut: thread diameter, flats, corners and height between their limits, mm; ``shape``: hexagon or square."""

    size: str
    diameter: float
    shape: str
    flats_max: float
    flats_min: float
    corners_min: float
    height_max: float
    height_min: float
    source: str


@frozen
class Screw:
    """A socket head screw: diameter, greatest head and head height, key, and the clearance holes of ISO 273, mm."""

    size: str
    diameter: float
    head: float
    head_height: float
    key: float
    fine: float
    medium: float
    coarse: float
    source: str


Row = TypeVar("Row", Thread, Nut, Screw)


def _read(name: str, row: type[Row]) -> dict[str, Row]:
    text = resources.files(__package__).joinpath(f"{name}.csv").read_text("utf-8")
    words = {field.name for field in fields(row) if field.type == "str"}
    found: dict[str, Row] = {}
    for line in csv.DictReader(text.splitlines()):
        values: dict[str, Any] = {key: value if key in words else float(value) for key, value in line.items()}
        found[line["size"]] = row(**values)
    return found


@cache
def threads() -> dict[str, Thread]:
    """Return the threads by size: coarse metric ones as "M8", fine ones as "M8x1", coarse inch ones as "3/8" and "#8"."""
    return _read("threads", Thread)


@cache
def nuts() -> dict[str, Nut]:
    """Return the nuts by size: "M5", "M5-thin", "M5-lock", "M5-square", "1/4"."""
    return _read("nuts", Nut)


@cache
def screws() -> dict[str, Screw]:
    """Return the screws by size."""
    return _read("screws", Screw)

