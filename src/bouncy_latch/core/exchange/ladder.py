"""A ladder: the test piece of a kind several times in one print, with one size stepped."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.mechanisms.fields import Params
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import mesh, tree

SPACING = 6.0
"""Free bed between two steps, mm."""
MOST_STEPS = 12


@dataclass(frozen=True)
class Ladder:
    """The bodies of all steps side by side, by name ``STEP-BODY`` (steps from 1), and the stepped values in order."""

    param: str
    values: tuple[float, ...]
    bodies: dict[str, tree.Solid]


def ladder(kind: Kind, params: Params, process: Process, values: tuple[float, ...]) -> Ladder:
    """Return the ladder of the kind's recommended parameter, the first step at the least x.

    Raises:
        ParamError: for too few, too many or repeated steps, or a value out of range.
        SolveError: when a step cannot be made.
    """
    if not 2 <= len(values) <= MOST_STEPS or len(set(values)) != len(values):
        raise ParamError(f"a ladder has 2 to {MOST_STEPS} different steps", field="steps", value=values)
    piece = params.changed(**kind.test_piece)
    bodies: dict[str, tree.Solid] = {}
    x = 0.0
    for number, value in enumerate(values, 1):
        solution = kind.solve(piece.changed(**{kind.recommend: value}), process)
        boxes: list[Any] = [mesh.evaluate(solid).bounding_box() for solid in solution.bodies.values()]
        low, high = min(b[0] for b in boxes), max(b[3] for b in boxes)
        for name, solid in solution.bodies.items():
            bodies[f"{number}-{name}"] = solid.move(x=x - low)
        x += high - low + SPACING
    return Ladder(kind.recommend, tuple(values), bodies)
