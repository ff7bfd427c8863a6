"""Where a print stops for a hand: what a mechanism asks for, what the user wants besides, both among a file's own layers."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.formats import cards
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.setup import TASKS, PrintSetup, Stop
from bouncy_latch.core.mechanisms.contract import Pause, Solution
from bouncy_latch.core.solids import mesh, tree

CAUTIONS = ("Hot nozzle, moving axes: keep hands away until it stands still.",
            "Motors may time out and the bed may cool and let the part go while it waits: be there, be quick.",
            "Fumes of styrenics: air the room.")
_SAME = 1e-3
"""Heights that differ by less are the same, mm: files write three decimals."""
_INTO = 0.5
"""Where in a layer a pause before it is asked for, as part of the layer."""
_BELOW = 0.02
"""How far below its top a layer is pictured, mm."""


@frozen
class Placed:
    """A pause among the layers of a file.

    Attributes:
        at: height to ask for, mm; within the layer it comes before. open_top: top of the last layer before it.
        clear: how far what goes in stays below that, mm; negative where the nozzle hits it, None where nothing is known.
    """

    pause: Pause
    at: float
    open_top: float
    clear: float | None

    @property
    def trouble(self) -> str:
        """Why it will not do, in a sentence; empty where it will."""
        if self.clear is None or self.clear >= -_SAME:
            return ""
        return (f"with these layers the {self.pause.insert} stands {-self.clear:.2f} mm above the last one that leaves its "
                f"pocket open, at {self.open_top:.2f}: the nozzle hits it; slice it with the layers it was designed for")


def pauses(solution: Solution, setup: PrintSetup, stops: Sequence[Stop] = ()) -> tuple[Pause, ...]:
    """Return where a solution stops as it is set up, lowest first; what it asks for itself holds as it was designed to lie."""
    own = solution.pauses if setup.turn is None else ()
    wanted = [Pause(stop.z, stop.task, stop.note or TASKS[stop.task]) for stop in stops]
    return tuple(sorted((*own, *wanted), key=lambda pause: pause.z))


def tasks(found: Sequence[Placed], name: str, bodies: Mapping[str, tree.Solid]) -> list[cards.Task]:
    """Return what a card says of the pauses of a mechanism: with each the layer it follows, as the bodies lie on the bed."""
    solids = [mesh.evaluate(solid) for solid in bodies.values()] if found else []
    return [cards.Task(each.open_top, each.pause.insert, name, f"{each.pause.note} {each.trouble}".strip(),
                       [np.asarray(polygon) for solid in solids
                        for polygon in solid.slice(each.open_top - _BELOW).to_polygons()])
            for each in found]


def placed(wanted: Iterable[Pause], tops: Sequence[float]) -> list[Placed]:
    """Return pauses among layers that end at ``tops`` (mm, ascending), whatever their heights are.

    A layer is part of a roof where its middle, where it is sliced, is above the roof's drawn underside.

    Raises:
        ParamError: for one above the last layer, or in the first.
    """
    found = []
    bottoms = (0.0, *tops[:-1])
    for pause in wanted:
        edge = pause.z if pause.roof is None else pause.roof
        first = next((i for i, (bottom, top) in enumerate(zip(bottoms, tops, strict=True))
                      if ((bottom + top) / 2 > edge - _SAME if pause.roof is not None else top > edge + _SAME)), None)
        if first is None:
            raise ParamError(f"{edge:g} mm is above the print, which ends at {tops[-1] if tops else 0:g} mm", field="at",
                             value=edge, limit=tops[-1] if tops else 0.0)
        if first == 0:
            raise ParamError(f"{edge:g} mm is in the first layer: there is nothing yet to put anything into", field="at",
                             value=edge, limit=tops[0])
        bottom, top = bottoms[first], tops[first]
        clear = None if pause.stands is None else bottom - pause.stands
        found.append(Placed(pause, round(bottom + _INTO * (top - bottom), 4), bottom, clear))
    return found
