"""A flaw of the print as data: a check with its body and layers; and how neighbouring ones become one place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from bouncy_latch.core.checks import PRINT, SEVERITY, Check
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import near_groups

OVERHANG, LEDGE, BRIDGE, ISLAND = "overhang", "ledge", "bridge", "island"
THIN, NARROW, CORNER = "thin-wall", "narrow-gap", "inside-corner"
STAIRS, BED, TIPS, FOOT, CHAMFER, LOST = "stair-steps", "bed-contact", "tips-over", "elephant-foot", "cut-chamfer", "vanishes"


BASES = {
    OVERHANG: "the overhang limit of the process", LEDGE: "half a line of the process",
    BRIDGE: "the span that droops by one layer: droop grows as span⁴ from the process's own at 10 mm",
    ISLAND: "plastic needs something below it", THIN: "a line of the process", NARROW: "a line of the process",
    CORNER: "a bead rounds corners by its own width",
    STAIRS: "steps wider than a line show (common practice, no source)",
    BED: "least contact of a tall part (common practice, no source)",
    TIPS: "least tilt a knock gives (common practice, no source)",
    FOOT: "0.05 mm is felt between fitted parts (common practice, no source)",
    CHAMFER: "a slicer cuts whole layers only",
    LOST: "features no layer's middle meets",
}
"""Where the limit of each kind of finding comes from."""
ADVICE = {
    OVERHANG: "Turn the part, make the slope flatter than the limit, or put a shelf under it.",
    LEDGE: "Turn the part, slope the underside at 45°, or put a shelf under it.",
    BRIDGE: "Turn the part, shorten the bridge, or put a shelf under it.",
    ISLAND: "Turn the part, or put a shelf under it.",
    THIN: "Thicken the wall to two lines, or print with a finer nozzle.",
    NARROW: "Widen the gap to a line or close it.",
    CORNER: "Round the inside corner by half a line, or relieve the mating edge.",
    STAIRS: "Turn the part, or print thinner layers there.",
    BED: "Lay the part on a larger face, or print with a brim.",
    TIPS: "Lay the part down, or print with a brim.",
    FOOT: "Chamfer the bed edges, or lower the first layer's flow in the slicer.",
    CHAMFER: "Make the chamfer a whole number of layers.",
    LOST: "Make the step at least one layer high, or move it to a layer.",
}
"""What to do about each kind of finding where no size of a mechanism mends it."""


@frozen
class Finding(Check):
    """A flaw of one body's print.

    Attributes:
        body: its name.
        first_layer, last_layer: where it is, from 0.
        extent: area it covers (mm²), 0 where that has no meaning.
        others: how many more places of the same kind there are.
        beside: the other body that it is about, if there is one; ``why`` names it by its name.
        box: region it covers seen from above, x0, y0, x1, y1 (mm), where a shelf could carry it.
    """

    topic: str = PRINT
    body: str = ""
    first_layer: int = 0
    last_layer: int = 0
    extent: float = 0.0
    others: int = 0
    beside: str = ""
    box: tuple[float, float, float, float] | None = None


def gravity(finding: Finding) -> tuple[int, float]:
    """Sort key: the graver finding is greater."""
    return SEVERITY[finding.verdict], -finding.margin / (abs(finding.limit) or 1.0)


def merged(found: Sequence[Finding], near: float = 3.0) -> list[Finding]:
    """Return one finding for every group of the same kind and body whose places lie within ``near`` mm of each other.

    The gravest of a group speaks for it, over all its layers.
    """
    result: list[Finding] = []
    for key in sorted({(f.id, f.body) for f in found}):
        own = [f for f in found if (f.id, f.body) == key]
        for group in _groups(own, near):
            lead = max(group, key=gravity)
            result.append(replace(lead, first_layer=min(f.first_layer for f in group),
                                  last_layer=max(f.last_layer for f in group), extent=sum(f.extent for f in group)))
    return result


def _groups(found: list[Finding], near: float) -> list[list[Finding]]:
    placed = [f for f in found if f.place is not None]
    alone = [[f] for f in found if f.place is None]
    if len(placed) < 2:
        return alone + ([placed] if placed else [])
    groups = near_groups(np.array([f.place for f in placed]), near)
    return alone + [[placed[i] for i in group] for group in groups]


def leading(found: Sequence[Finding]) -> list[Finding]:
    """Return the gravest finding of every kind, told how many more there are."""
    kinds = sorted({f.id for f in found})
    result = []
    for kind in kinds:
        own = [f for f in found if f.id == kind]
        lead = max(own, key=gravity)
        result.append(replace(lead, others=len(own) - 1))
    return result
