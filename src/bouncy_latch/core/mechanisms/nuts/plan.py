"""Where everything of a nut's pocket is, how the nut goes in as printed, and what it holds.

The pocket is drawn about its screw's axis, the nut's bearing face at 0 and the nut above it. Upright it stands so; lying it is
turned so that the axis lies along y and the slot opens up.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.breakaway import HAND_PULL, nodes_of
from bouncy_latch.core.mechanisms.nuts.sizes import (
    FINE,
    GABLE,
    HEXAGON,
    MEDIUM,
    OWN,
    PRESSED,
    PULLED,
    SEALED,
    SLID,
    SQUARE,
    YES,
    NutPocketParams,
)
from bouncy_latch.core.numbers import Array, cdf, normal_nodes
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Process, hole_shrink
from bouncy_latch.core.standards import tables
from bouncy_latch.core.standards.tables import Nut

USUAL, SCATTER = 0.35, 0.2
"""Where nuts lie below their greatest across flats, and their spread, over the tolerance (common practice, no source)."""
OWN_TOLERANCE = 0.05
OWN_CORNERS = {HEXAGON: 1.10, SQUARE: 1.27}
"""Of a nut that was measured: how far heights differ, mm, and across corners over across flats at the least."""
STAYS, MALLET = 1.0, 5.0
"""Newtons of friction that keep a nut in while the part is turned over, and a mallet's force over a hand's (common practice,
no source)."""
ABOVE = 0.1
"""Room over the nut where nothing else decides it, mm."""
SLOT = 0.3
"""Room along the axis in which a nut slides, mm."""
WANDERS = 0.015
"""Spread of a flat's mean clearance from pocket to pocket, mm (common practice, no source)."""
SHEAR = 1 / math.sqrt(3)
DRY = 0.2
"""Torque over pull and diameter of a dry screw (common practice, no source)."""
_HOLES, _HOLE_WEIGHTS = normal_nodes(5)
_NUTS, _NUT_WEIGHTS = normal_nodes(5)


@frozen
class Plan:
    """A pocket on a printer."""

    p: NutPocketParams
    process: Process

    @cached_property
    def nut(self) -> Nut:
        """The nut between its limits."""
        p = self.p
        if p.nut != OWN:
            return tables.nuts()[p.nut]
        least = p.flats - p.differs
        return Nut(OWN, p.diameter, p.shape, p.flats, least, OWN_CORNERS[p.shape] * least, p.thickness,
                   p.thickness - OWN_TOLERANCE, "measured by you")

    @property
    def square(self) -> bool:
        """Whether it has four sides."""
        return self.nut.shape == "square"

    @property
    def lies(self) -> bool:
        """Whether the screw's axis lies along the bed."""
        return self.p.lying == YES

    @property
    def sealed(self) -> bool:
        """Whether the print stops for the nut."""
        return self.p.style == SEALED

    @cached_property
    def drawn(self) -> float:
        """Across the pocket's flats as drawn, mm."""
        return self.nut.flats_max + self.p.allowance

    @property
    def corner(self) -> float:
        """Radius of the pocket's corners, mm."""
        return self.drawn / 2 / math.cos(math.pi / (4 if self.square else 6))

    @cached_property
    def room(self) -> float:
        """Length of the pocket along the axis, mm."""
        if self.p.style == SLID or (self.sealed and self.lies):
            return self.nut.height_max + SLOT
        if self.sealed:
            return self.paused - self.p.floor
        return self.nut.height_max + ABOVE

    @property
    def roofed(self) -> bool:
        """Whether something is printed over the nut."""
        return self.sealed or (self.p.style == SLID and not self.lies)

    @property
    def span(self) -> float:
        """What must be bridged over the nut, mm: across a slot, a flat of a lying hole, nothing on a nut itself."""
        if self.lies:
            return self.room if self.sealed else 0.0 if self.p.style == SLID else self.drawn * self.side / self.nut.flats_max
        return self.drawn if self.p.style == SLID else 0.0

    @property
    def peak(self) -> float:
        """Height of two slopes of 45° over the nut, mm; 0 under a bridge."""
        if not self.roofed or self.p.closed != GABLE:
            return 0.0
        return (self.room if self.lies else self.drawn) / 2

    # -- layers --------------------------------------------------------------------------------------------------------

    def top_of_layer(self, z: float) -> float:
        """Return the top of the layer that reaches a height, mm."""
        first, high = self.process.first_layer_height, self.process.layer_height
        return first + max(0, math.ceil((z - first) / high - 1e-6)) * high

    @cached_property
    def axis(self) -> float:
        """Height of a lying bore above the bed, mm."""
        return self.p.wall + self.drawn / 2

    @cached_property
    def paused(self) -> float:
        """Top of the last layer that leaves the pocket open: the nut's top is at it, or below it, mm."""
        top = self.axis + self.nut.flats_max / 2 if self.lies else self.p.floor + self.nut.height_max
        return round(self.top_of_layer(top + 0.02), 4)

    # -- the hole ------------------------------------------------------------------------------------------------------

    @cached_property
    def wanted_hole(self) -> float:
        """Diameter of the screw's hole as it should print, mm."""
        d = self.nut.diameter
        near = min(tables.screws().values(), key=lambda row: abs(row.diameter - d))
        named = {FINE: near.fine, MEDIUM: near.medium}.get(self.p.fit, near.coarse)
        return round(d * named / near.diameter, 2)

    @cached_property
    def hole(self) -> float:
        """Diameter of the screw's hole as drawn, mm: a usual growth and the hole's own shrink are added."""
        return self.wanted_hole + 2 * (population.GROWTH.mean + self.process.hole_shrink(self.wanted_hole / 2))

    # -- how it goes in ------------------------------------------------------------------------------------------------

    @property
    def flank(self) -> float:
        """Area of all flats that guide the nut, mm²."""
        sides, side = (4, self.nut.flats_max) if self.square else (6, self.nut.flats_max / math.sqrt(3))
        touched = 2 if self.p.style == SLID else 4 if self.lies and self.sealed and not self.square else sides
        return touched * side * self.nut.height_max

    def left(self, growth: Array | float, hole: float, nut: float = 0.0) -> Array:
        """Return the clearance at each flat, mm: growth of one printed side, a hole's shrink, and how this nut differs."""
        tolerance = self.nut.flats_max - self.nut.flats_min
        size = self.nut.flats_max - USUAL * tolerance + SCATTER * tolerance * nut
        return np.asarray((self.drawn - size) / 2 - np.asarray(growth, dtype=np.float64) - hole_shrink(hole, self.drawn / 2))

    def free_at(self, growth: Array | float) -> Array:
        """Return how much wider than the pocket's flats the smallest nut's corners are, mm; at 0 it spins."""
        printed = self.drawn - 2 * (growth + self.process.hole_shrink(self.drawn / 2))
        return np.asarray(self.nut.corners_min - printed)

    def chances(self, growths: Array) -> Array:
        """Return the chances of every outcome at growths (n,), (n, 5)."""
        term, area = self.process.hole_term, self.flank / 100
        forces = (MALLET * HAND_PULL, HAND_PULL, STAYS)
        below = np.zeros((3, len(growths)))
        for rough, share in zip(*fits.rough_nodes(self.process, 1), strict=True):
            edges = [_clearance(force / area, rough) for force in forces]
            for hole, a in zip(np.maximum(term.mean + term.sd * _HOLES, 0.0), _HOLE_WEIGHTS, strict=True):
                for nut, b in zip(_NUTS, _NUT_WEIGHTS, strict=True):
                    clear = self.left(growths, float(hole), float(nut))
                    below += share * a * b * np.stack([cdf((edge - clear) / WANDERS) for edge in edges])
        spins = cdf(-self.free_at(growths) / (2 * WANDERS))
        never, mallet, hand = below
        spins = np.minimum(spins, 1 - hand)
        return np.stack([never, mallet - never, hand - mallet, 1 - hand - spins, spins], axis=1)

    @cached_property
    def firm(self) -> float:
        """Chance of what is asked for with a nut that does not rattle either."""
        growths, weights = nodes_of(self.process.growth)
        if self.wanted == 2:
            return self.chance
        steady = cdf((fits.LOOSE - self.left(growths, self.process.hole_term.mean)) / WANDERS)
        below = self.chances(growths)[:, :3].sum(axis=1)
        return float(weights @ np.maximum(steady - below, 0.0))

    @cached_property
    def spread(self) -> tuple[float, ...]:
        """Chances of every outcome over the process's growth."""
        growths, weights = nodes_of(self.process.growth)
        return tuple(float(part) for part in weights @ self.chances(growths))

    @property
    def wanted(self) -> int:
        """The outcome that is asked for, by its place on the scale."""
        return 2 if self.p.style in {PRESSED, PULLED} else 3

    @property
    def chance(self) -> float:
        """Chance of what is asked for."""
        return self.spread[self.wanted]

    @cached_property
    def push(self) -> float:
        """Push that a usual nut takes, N."""
        rough = max(self.process.ridge.mean, 0.005) / fits.JAW
        clear = self.left(self.process.growth.mean, self.process.hole_term.mean)
        return float(fits.push(np.array([clear]), rough)[0]) * self.flank / 100

    # -- what it holds -------------------------------------------------------------------------------------------------

    @property
    def side(self) -> float:
        """Length of a flat, mm."""
        return self.nut.flats_max if self.square else self.nut.flats_max / math.sqrt(3)

    @cached_property
    def torque(self) -> float:
        """Torque on the nut that crushes the walls, N·mm: each flat carries a wedge of pressure on half its length."""
        strength = self.process.plastic.strength if not self.lies else self.process.plastic.across
        return strength * self.side**2 * self.nut.height_min * (4 if self.square else 6) / 12

    @cached_property
    def pull(self) -> float:
        """Pull that pushes the nut through what is under it, N: sheared along its rim."""
        rim = (4 if self.square else 6) * self.side
        m = self.process.plastic
        return SHEAR * (m.across if self.lies else m.strength) * rim * self.p.floor

    @property
    def play(self) -> float:
        """Free turn of a usual nut each way, degrees; 180 where it spins."""
        across = self.drawn - 2 * (self.process.growth.mean + self.process.hole_shrink(self.drawn / 2))
        return spin(self.nut.flats_max - USUAL * (self.nut.flats_max - self.nut.flats_min), self.nut.corners_min, across)


def spin(flats: float, corners: float, pocket: float) -> float:
    """Return the free turn each way, degrees, of a nut (across flats and corners) between flats ``pocket`` mm apart.

    acos(s/e) − acos(pocket/e); 180 where it spins, 0 where it does not go in.
    """
    if pocket >= corners:
        return 180.0
    return math.degrees(max(math.acos(min(flats / corners, 1.0)) - math.acos(min(pocket / corners, 1.0)), 0.0))


def _clearance(pressure: float, rough: float) -> float:
    """Return the clearance, mm, at which a fit takes a push, N on 100 mm²."""
    low, high = -1.5, 1.0
    while high - low > 1e-4:
        middle = (low + high) / 2
        low, high = (middle, high) if float(fits.push(np.array([middle]), rough)[0]) > pressure else (low, middle)
    return high


def refuse_what_cannot_be(plan: Plan) -> None:
    """Raise one sentence for sizes that are no pocket together."""
    p = plan.p
    if plan.hole >= plan.drawn - 0.4:
        raise SolveError(f"a hole of {plan.hole:.1f} mm leaves the nut nothing to bear on", field="flats", value=plan.drawn,
                         limit=round(plan.hole + 0.4, 1))
    if plan.drawn <= plan.nut.flats_min - 0.5:
        raise SolveError(f"flats of {plan.drawn:.2f} mm do not take a nut of {plan.nut.flats_max:g}", field="allowance",
                         value=p.allowance, limit=round(plan.nut.flats_min - 0.5 - plan.nut.flats_max, 2))
    if p.style == SLID and p.bump >= plan.nut.height_max:
        raise SolveError(f"a bump of {p.bump:g} is as high as the nut", field="bump", value=p.bump, limit=plan.nut.height_max)
