"""How much an arm gives way where it grows out of its host: turned and shifted at its root, and more where the host is hollow.

A slicer draws wall lines along the outline, so the wall of an arm runs on round the root into the wall of its host; what lies
behind is infill and, above and below, the solid layers. The table holds how much more such a root gives than a solid one:
plane-stress finite elements of arm and host, their walls a band along the outline, the infill a material of lower modulus
behind it (arms of 1.5 to 8 thicknesses differ by less than 4 %; ``tests/truth/test_hosts.py`` works some out again).
"""

from __future__ import annotations

import math
from bisect import bisect_right

import numpy as np

from bouncy_latch.core.flex.section import ALONG, Fill
from bouncy_latch.core.frozen import frozen

CORES = (0.01, 0.03, 0.06, 0.12, 0.25, 0.5, 1.0)
"""Modulus behind the walls over that of the solid: the table's rows."""
WALLS = (0.1, 0.16, 0.225, 0.32, 0.45, 0.7, 1.2, 2.4)
"""Thickness of the host's walls over that of the arm: the table's columns."""
_SOLID = (1.0,) * len(WALLS)
_BEHIND_A_WALL = ((65.92, 51.44, 39.87, 27.58, 17.28, 6.92, 2.95, 1.34), (25.6, 21.43, 18.2, 14.09, 9.81, 4.54, 2.3, 1.28),
                  (13.52, 11.87, 10.53, 8.67, 6.49, 3.39, 1.91, 1.22), (7.07, 6.47, 5.93, 5.15, 4.13, 2.49, 1.59, 1.16),
                  (3.54, 3.37, 3.19, 2.9, 2.49, 1.77, 1.32, 1.09), (1.86, 1.83, 1.77, 1.68, 1.55, 1.3, 1.13, 1.04), _SOLID)
_AT_AN_EDGE = ((23.68, 19.37, 15.61, 11.72, 7.97, 3.53, 1.77, 1.1), (10.36, 8.7, 7.45, 6.11, 4.61, 2.47, 1.51, 1.08),
               (6.37, 5.38, 4.72, 4.02, 3.21, 1.98, 1.35, 1.07), (4.04, 3.45, 3.08, 2.7, 2.26, 1.6, 1.22, 1.05),
               (2.54, 2.23, 2.04, 1.84, 1.62, 1.31, 1.12, 1.03), (1.62, 1.5, 1.42, 1.34, 1.25, 1.13, 1.05, 1.01), _SOLID)
_AT_A_SLOT = ((26.26, 22.56, 17.99, 12.34, 6.83, 1.81, 1.03, 1.0), (10.36, 9.26, 8.13, 6.52, 4.4, 1.63, 1.02, 1.0),
              (6.03, 5.37, 4.86, 4.16, 3.14, 1.5, 1.01, 1.0), (3.71, 3.28, 3.0, 2.68, 2.21, 1.36, 1.01, 1.0),
              (2.34, 2.08, 1.93, 1.77, 1.57, 1.2, 1.0, 1.0), (1.55, 1.43, 1.36, 1.29, 1.21, 1.08, 1.0, 1.0), _SOLID)


@frozen
class Grown:
    """What an arm grows out of.

    Attributes:
        sides: on how many of its sides a fillet rounds the root. turns: how much more that turns than a wide wall.
        peak: how much higher strain peaks than at a wide wall. shifts: how far the root moves across per newton, times E and
        the arm's width. hollow: how much more it gives where it is hollow, by :data:`CORES` and :data:`WALLS`.
    """

    sides: int
    turns: float
    peak: float
    shifts: float = 0.0
    hollow: tuple[tuple[float, ...], ...] = (_SOLID,) * len(CORES)

    def softer(self, fill: Fill, thickness: float, width: float) -> float:
        """Return how much more the root of an arm ``thickness`` × ``width`` mm gives than in a solid host, both as ``fill``
        says: 1 in a solid one."""
        lies = fill.lay == ALONG
        skins = min(1.0, 2 * fill.skin / width) if lies else 0.0
        core = skins + (1 - skins) * fill.core_ratio
        # An arm that stands on its host stands on that host's solid layers.
        walls = (fill.loops * fill.line if lies else fill.skin) / thickness
        row, down = _between(CORES, core)
        column, along = _between(WALLS, walls)
        low, high = (math.log(self.hollow[i][column]) * (1 - along) + math.log(self.hollow[i][column + 1]) * along
                     for i in (row, row + 1))
        return math.exp(low * (1 - down) + high * down)


@frozen
class Web:
    """The web that two slots leave of a pin between its ends: legs pinched at one end bend it, and it spreads the others.

    Attributes:
        thickness: at its waist, along the pin, mm. slot: between the legs, mm; its ends are round.
    """

    thickness: float
    slot: float

    def turns(self, leg: float, length: float) -> float:
        """Return how far a leg turns on the web per moment at the leg's root, times E and the width of both, 1/mm²: half the
        web in bending, thicker towards the legs, and as much of these as turns with it, 0.22 of their thickness (fitted to
        plane-stress elements of webs of 1 to 2 legs, slots of 1 to 2.6, within 8 %).

        Args:
            leg: thickness of a leg, mm. length: from its root to where it is pushed, mm; the web's middle lies further back.
        """
        r = self.slot / 2
        rise = np.linspace(0.0, r, 33)
        waist = self.thickness + 2 * (r - np.sqrt(np.maximum(r**2 - rise**2, 0.0)))
        bends = 12 * (float(np.trapezoid(waist**-3, rise)) + 0.22 * leg / self.thickness**3)
        return bends * (1 + self.thickness / (2 * length)) ** 2

    def strain(self, length: float) -> float:
        """Return the strain at its waist per moment at the leg's root, times E and the width, 1/mm² (the same elements: 1.02
        to 1.16 of a straight bar's)."""
        return 1.05 * 6 / self.thickness**2 * (1 + self.thickness / (2 * length))


def _between(places: tuple[float, ...], value: float) -> tuple[int, float]:
    """Return between which two places a value lies and where, by its logarithm; the ends stand for what lies beyond."""
    at = min(max(value, places[0]), places[-1])
    low = min(bisect_right(places, at) - 1, len(places) - 2)
    return low, math.log(at / places[low]) / math.log(places[low + 1] / places[low])


WALL = Grown(2, 1.0, 1.0, 2.2, _BEHIND_A_WALL)
EDGE = Grown(1, 1.68, 1.11, 6.0, _AT_AN_EDGE)
SPLIT = Grown(1, 0.85, 1.15, 0.0, _AT_A_SLOT)
STUB = Grown(1, 2.5, 1.0)
"""A wide wall; the edge of a block, flush with its side; the end of a slot between two arms that bend against each other (these
two fitted to plane-stress finite elements of arms of 5 to 9 thicknesses with fillets of 0.2 to 0.5, within 3 %); a stub of 1 mm
that slots leave of a ring on a floor that is borne (fitted to solid ones of 4 to 20 fingers, walls 1.0 to 2.4, within 9 %)."""
PEAK = 0.17
"""Power of what a hollow root gives by which strain at its fillet peaks higher: the wall alone carries it round the corner (the
same elements, fillets of 0.25 and 0.5 thicknesses, cores of 0.1 and 0.25, within 9 %)."""
