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
from bouncy_latch.core.layers.breakaway import nodes_of
from bouncy_latch.core.layers.crests import Faces, Limit, Plastic
from bouncy_latch.core.mechanisms.nuts.sizes import (
    DROPPED,
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
from bouncy_latch.core.numbers import Array, cdf
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.standards import tables
from bouncy_latch.core.standards.tables import Nut

USUAL, SCATTER = 0.35, 0.1
"""Where nuts lie below their greatest across flats, and the spread within one bag, over the tolerance (common practice, no
source); one bag differs from the next by 0.2 of it, which ``Process.pocket`` has."""
OWN_TOLERANCE = 0.05
OWN_CORNERS = {HEXAGON: 1.10, SQUARE: 1.27}
"""Of a nut that was measured: how far heights differ, mm, and across corners over across flats at the least."""
STAYS, PRESS, MALLET = 2.0, 100.0, 5.0
"""Newtons of friction that keep a nut in while the part is turned over, what a thumb or the edge of a table presses, N, and a
mallet's force over that (common practice, no source)."""
HANDS = 0.25
"""Spread of the logarithm of what one hand or another presses (common practice, no source)."""
STEEL = 0.25
"""Friction of a nut on printed plastic (common practice, no source)."""
CORNER, REACH = 0.4, 0.2
"""Radius of the reliefs at the pocket's corners, and how far they reach beyond them, mm: a nozzle that lags rounds corners by
0.1 to 0.4, and a nut's corners would bind there before its flats (common practice, no source)."""
EASED = 0.25
"""How much wider a side the pocket is above the band that presses, mm."""
TRIED = 0.75
"""Part of a stranger's spread of ``Process.pocket`` below which nuts were tried there."""
TURNS = 8.0
"""How far a nut may turn in its pocket before it is held, degrees (common practice, no source)."""
ABOVE = 0.1
"""Room over the nut where nothing else decides it, mm."""
SLOT = 0.3
"""Room along the axis in which a nut slides, mm."""
WANDERS = 0.01
"""Spread of the flats' mean clearance from pocket to pocket, mm (common practice, no source)."""
SHEAR = 1 / math.sqrt(3)
DRY = 0.2
"""Torque over pull and diameter of a dry screw (common practice, no source)."""


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
    def relieved(self) -> bool:
        """Whether the pocket's corners are relieved: where a nozzle turns round them and flats guide the nut along its axis."""
        return self.p.style in {PRESSED, DROPPED, PULLED} and not self.lies

    @property
    def stepped(self) -> bool:
        """Whether only a band at the pocket's bottom presses, and the pocket is wider above it."""
        return self.p.style in {PRESSED, PULLED} and not self.lies and self.p.land < self.nut.height_min

    @property
    def bears(self) -> float:
        """Length of a flat that bears, mm: between the reliefs of its corners."""
        if not self.relieved:
            return self.side
        half = math.pi / (4 if self.square else 6)
        middle = CORNER - REACH  # of the relief, before the corner
        return self.side - 2 * (middle * math.sin(half) + math.sqrt(CORNER**2 - (middle * math.cos(half)) ** 2))

    @property
    def band(self) -> float:
        """Height of the flats that press the nut, mm; above it the pocket is wider."""
        return self.p.land if self.stepped else self.nut.height_max

    @property
    def flank(self) -> float:
        """Area of all flats that guide the nut, mm²."""
        sides = 4 if self.square else 6
        touched = 2 if self.p.style == SLID else 4 if self.lies and self.sealed and not self.square else sides
        return touched * self.bears * self.band

    @property
    def usual(self) -> float:
        """Across the flats of a usual nut, mm."""
        return self.nut.flats_max - USUAL * (self.nut.flats_max - self.nut.flats_min)

    @property
    def least(self) -> float | None:
        """The least allowance to recommend, mm: no pocket smaller than a usual nut, as the trade has it, until nuts were tried
        on this printer (common practice, no source)."""
        return None if self.process.pocket.sd < TRIED * population.POCKET.sd else self.usual - self.nut.flats_max

    @cached_property
    def faces(self) -> Faces:
        """A printed flat and a bought one."""
        plastic = Plastic.of(self.process)
        stiff = plastic.flat_wall(self.side, self.drawn / 2, self.p.wall)
        return plastic.faces((0.0,), stiff)

    @property
    def _rough(self) -> float:
        return fits.scatter(self.process.ridge.mean, 1)

    @cached_property
    def _limits(self) -> tuple[Limit, Limit, Limit]:
        """Clearances at which a mallet, a hand and the nut's own weight no longer move it."""
        mallet, hand, stays = (self.faces.limit(force / (self.flank * STEEL), self._rough)
                               for force in (MALLET * PRESS, PRESS, STAYS))
        return mallet, hand, stays

    def left(self, growth: Array | float) -> Array:
        """Return the clearance of a usual nut at each flat, mm: growth of one printed side (mm), and what the pocket is tighter
        than worked out. A flat is straight: nothing pulls its beads inwards as those of a round hole."""
        return np.asarray((self.drawn - self.usual) / 2 - np.asarray(growth, dtype=np.float64) - self.process.pocket.mean)

    def free_at(self, growth: Array | float) -> Array:
        """Return how much wider than the pocket's flats the smallest nut's corners are, mm; at 0 it spins."""
        return np.asarray(self.nut.corners_min - (self.drawn - 2 * np.asarray(growth)))

    def chances(self, growths: Array) -> Array:
        """Return the chances of every outcome at growths (n,), (n, 5)."""
        return self._outcomes(growths)[:, 0]

    def by_pocket(self, growths: Array, pockets: Array) -> Array:
        """Return the chances of every outcome at growths (n,) and pocket terms (v,) or (n, v), (n, v, 5)."""
        return self._outcomes(growths, pockets)

    @property
    def _nuts(self) -> float:
        """Spread of a side's clearance by nuts of one bag, mm."""
        return SCATTER * (self.nut.flats_max - self.nut.flats_min) / 2

    def _outcomes(self, growths: Array, pockets: Array | None = None) -> Array:
        growths = np.asarray(growths, dtype=np.float64)[:, None]
        known = {} if pockets is None else {"pocket": np.atleast_2d(pockets)}
        below = []
        for limit in self._limits:
            parts = {"pocket": 1.0, "ridge": fits.by_ridge(limit, 1)}
            taken, sd = fits.Taken.of(self.process, parts).given(growth=growths, **known)
            wide = math.hypot(sd, WANDERS, self._nuts, HANDS * limit.by_force)
            below.append(cdf((limit.clearance - self.left(growths) + taken) / wide))
        never, mallet, hand = np.maximum.accumulate(below)
        spins = np.broadcast_to(cdf(-self.free_at(growths) / (2 * WANDERS)), hand.shape)
        spins = np.minimum(spins, 1 - hand)
        return np.stack([never, mallet - never, hand - mallet, 1 - hand - spins, spins], axis=2)

    @cached_property
    def firm(self) -> float:
        """Chance of what is asked for with a nut that neither rattles nor turns far."""
        growths, weights = nodes_of(self.process.growth)
        if self.wanted == 2:
            return self.chance
        left = self.left(growths) + self.process.pocket.mean
        steady = cdf((self.loosest - left) / math.hypot(WANDERS, self._nuts))
        below = self.chances(growths)[:, :3].sum(axis=1)
        return float(weights @ np.maximum(steady - below, 0.0))

    @property
    def loosest(self) -> float:
        """Clearance a side beyond which a usual nut rattles, or turns further than :data:`TURNS`, mm."""
        flats, corners = self.usual, self.nut.corners_min
        turned = corners * math.cos(max(math.acos(min(flats / corners, 1.0)) - math.radians(TURNS), 0.0))
        return min(fits.LOOSE, max((turned - flats) / 2, 0.0))

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
        return float(self.faces.pressure(self.left(self.process.growth.mean), self._rough)) * self.flank * STEEL

    # -- what it holds -------------------------------------------------------------------------------------------------

    @property
    def side(self) -> float:
        """Length of a flat, mm."""
        return self.nut.flats_max if self.square else self.nut.flats_max / math.sqrt(3)

    @cached_property
    def torque(self) -> float:
        """Torque on the nut that crushes the walls, N·mm: each flat carries a wedge of pressure on half its length."""
        strength = self.process.plastic.strength if not self.lies else self.process.plastic.across
        return strength * self.bears**2 * min(self.band, self.nut.height_min) * (4 if self.square else 6) / 12

    @cached_property
    def pull(self) -> float:
        """Pull that pushes the nut through what is under it, N: sheared along its rim."""
        rim = (4 if self.square else 6) * self.side
        m = self.process.plastic
        return SHEAR * (m.across if self.lies else m.strength) * rim * self.p.floor

    @property
    def play(self) -> float:
        """Free turn of a usual nut each way, degrees; 180 where it spins."""
        across = self.drawn - 2 * self.process.growth.mean
        return spin(self.usual, self.nut.corners_min, across)


def spin(flats: float, corners: float, pocket: float) -> float:
    """Return the free turn each way, degrees, of a nut (across flats and corners) between flats ``pocket`` mm apart.

    acos(s/e) − acos(pocket/e); 180 where it spins, 0 where it does not go in.
    """
    if pocket >= corners:
        return 180.0
    return math.degrees(max(math.acos(min(flats / corners, 1.0)) - math.acos(min(pocket / corners, 1.0)), 0.0))


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
