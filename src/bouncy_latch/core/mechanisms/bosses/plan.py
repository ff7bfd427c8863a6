"""Where everything of a screw's hole is, how the screw goes in as printed, and what it holds.

Drawn as printed: the plate on the bed, the axis along z through the origin, the head's recess in the bed's face, the boss on
top.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import nodes_of
from bouncy_latch.core.layers.fits import Taken
from bouncy_latch.core.mechanisms.bosses.sizes import (
    CLEARANCE,
    COUNTERBORE,
    COUNTERSINK,
    FORMING,
    INSERT,
    NONE,
    YES,
    ScrewBossParams,
)
from bouncy_latch.core.numbers import Array, cdf
from bouncy_latch.core.process.profile import Process, hole_shrink
from bouncy_latch.core.standards import tables
from bouncy_latch.core.standards.tables import Screw

FORMED = 0.55
"""Of the thread's depth that a screw should form for itself (common practice, no source)."""
INSERTS = {2.0: (3.6, 4.0), 2.5: (4.6, 5.0), 3.0: (4.6, 5.0), 4.0: (6.3, 8.0), 5.0: (7.1, 9.5), 6.0: (8.7, 12.7)}
"""Outer diameter and length of heat-set inserts by screw, mm (common practice, no source): measure yours."""
GRIP = 0.2
"""By how much on each side an insert is wider than its hole, mm (common practice, no source)."""
EDGES = {CLEARANCE: (0.15, 0.0, -0.05, -0.6), FORMING: (0.9, 0.75, 0.35, 0.1), INSERT: (0.5, 0.35, 0.1, 0.0)}
"""Interference at which a screw no longer starts, wants a wrench, is snug, is free, falling: mm a side of a clearance hole and
of an insert, parts of the thread's depth where it forms its thread (common practice, no source)."""
AROUND = 0.35
"""Round a head as drawn, a side, mm; a tenth of it growth and shrink take (common practice, no source)."""
WIDEST = 0.15
"""Clearance a side over the diameter of a wide screw from which it falls about (common practice, no source)."""
BEYOND = 1.0
"""Depth of a blind hole beyond what goes in, mm."""
WANDERS = 0.02
"""Spread of a hole's radius from print to print, mm (common practice, no source)."""
SHEAR = 1 / math.sqrt(3)
FILLS, DRY = 0.6, 0.2
"""Part of a formed thread that carries, and torque over pull and diameter of a dry screw (common practice, no source)."""
PITCHES = {row.diameter: row.pitch for row in tables.threads().values() if row.series == "coarse"}


@frozen
class Plan:
    """A screw's hole on a printer."""

    p: ScrewBossParams
    process: Process

    @cached_property
    def row(self) -> Screw:
        """The screw."""
        return tables.screws()[self.p.screw]

    @property
    def depth_of_thread(self) -> float:
        """Of the screw's thread, mm (17/24·√3/2·P)."""
        return 0.6134 * PITCHES.get(self.row.diameter, 0.2 * self.row.diameter)

    @cached_property
    def insert(self) -> tuple[float, float]:
        """Outer diameter and length of an insert for the screw, mm."""
        d = self.row.diameter
        return INSERTS.get(d, (round(1.45 * d, 1), round(2.1 * d, 1)))

    @cached_property
    def wanted(self) -> float:
        """Diameter of the hole as it should print, mm."""
        d = self.row.diameter
        if self.p.core == FORMING:
            return d - 2 * FORMED * self.depth_of_thread
        if self.p.core == INSERT:
            return self.insert[0] - 2 * GRIP
        return float(getattr(self.row, self.p.fit))

    @cached_property
    def hole(self) -> float:
        """Diameter of the hole as drawn, mm."""
        return self.wanted + self.p.allowance

    @property
    def through(self) -> bool:
        """Whether the hole goes through everything."""
        return self.p.core == CLEARANCE

    @property
    def headed(self) -> str:
        """What hides the head."""
        return self.p.head if self.through else NONE

    @property
    def head(self) -> float:
        """Radius of the head's recess as drawn, mm."""
        return self.row.head / 2 + AROUND

    @cached_property
    def sunk(self) -> float:
        """Depth of the head's recess, in whole layers where it is a counterbore, mm."""
        if self.headed == NONE:
            return 0.0
        if self.headed == COUNTERSINK:
            return self.p.hide + self.head - self.hole / 2
        first, high = self.process.first_layer_height, self.process.layer_height
        return round(first + math.ceil((self.row.head_height + self.p.hide - first) / high - 1e-6) * high, 4)

    @property
    def bridged(self) -> bool:
        """Whether a layer closes the hole over the counterbore."""
        return self.headed == COUNTERBORE and self.p.bridge == YES

    @property
    def top(self) -> float:
        """Where the boss ends, mm above the bed."""
        return self.p.plate + self.p.boss

    @cached_property
    def deep(self) -> float:
        """How far the hole goes down from the top of the boss, mm."""
        if self.through:
            return self.top
        needed = self.insert[1] if self.p.core == INSERT else 2.5 * self.row.diameter
        return min(needed + BEYOND, self.top - 0.6)

    @property
    def engaged(self) -> float:
        """What holds along the axis: formed thread or insert; of a clearance hole what is under the head, mm."""
        return self.top - self.sunk if self.through else self.deep - BEYOND

    @property
    def outer(self) -> float:
        """Radius of the boss, mm; a head that is sunk into it has its wall too."""
        inside = self.head if self.headed != NONE and self.sunk > self.p.plate - 1.0 else self.hole / 2
        return inside + self.p.wall

    @property
    def out(self) -> float:
        """How far the plate reaches from the axis, mm."""
        return max(self.outer + self.p.fillet, self.head if self.headed != NONE else 0.0) + self.p.wall

    @property
    def walls(self) -> tuple[tuple[float, float, float], ...]:
        """Where plastic is left round the hole and round the head: radius inside, radius outside, height of the place, mm."""
        found = []
        if self.p.boss > 0:
            middle = self.p.plate + self.p.boss / 2
            found.append((self.head if self.headed != NONE and self.sunk > middle else self.hole / 2, self.outer, middle))
        if self.headed != NONE:
            low = min(self.sunk, self.p.plate) / 2
            found.append((self.head, self.out, low))
            if self.sunk > self.p.plate + 0.1:
                found.append((self.head, self.outer, (self.sunk + self.p.plate) / 2))
        return tuple(found) or ((self.hole / 2, self.out, self.top / 2),)

    # -- how it goes in ------------------------------------------------------------------------------------------------

    def chances(self, growths: Array) -> Array:
        """Return the chances of every outcome at growths (n,), (n, 5)."""
        return self._outcomes(growths)[:, 0]

    def by_boss(self, growths: Array, terms: Array) -> Array:
        """Return the chances of every outcome at growths (n,) and boss terms (v,) or (n, v), (n, v, 5)."""
        return self._outcomes(growths, terms)

    def _outcomes(self, growths: Array, terms: Array | None = None) -> Array:
        p, growths = self.p, np.asarray(growths, dtype=np.float64)[:, None]
        known = {} if terms is None else {"boss": np.atleast_2d(terms)}
        size = self.insert[0] if p.core == INSERT else self.row.diameter
        scale = self.depth_of_thread if p.core == FORMING else 1.0
        edges = [edge * scale for edge in EDGES[p.core]]
        if self.through:
            edges[-1] = min(edges[-1], -WIDEST * size)
        shrink = hole_shrink(1.0, self.hole / 2)
        parts = {"hole_term": shrink, "boss": 1.0}
        taken, sd = Taken.of(self.process, parts).given(growth=growths, **known)
        usual = self.process.hole_term.mean * shrink + self.process.boss.mean
        into = size / 2 - (self.hole / 2 - growths - usual) + taken
        below = np.stack([cdf((into - edge) / math.hypot(sd, WANDERS)) for edge in edges])
        ends = np.concatenate([np.zeros((1, *into.shape)), below, np.ones((1, *into.shape))])
        return np.moveaxis(np.diff(ends, axis=0), 0, 2)

    @cached_property
    def spread(self) -> tuple[float, ...]:
        """Chances of every outcome over the process's growth."""
        growths, weights = nodes_of(self.process.growth)
        return tuple(float(part) for part in weights @ self.chances(growths))

    @property
    def asked(self) -> int:
        """The outcome that is asked for, by its place on the scale."""
        return 3 if self.through else 2

    @property
    def chance(self) -> float:
        """Chance of what is asked for; a clearance hole may be snug."""
        return self.spread[2] + self.spread[3] if self.through else self.spread[2]

    # -- what it holds -------------------------------------------------------------------------------------------------

    @cached_property
    def pull(self) -> tuple[float, str]:
        """Pull that breaks it, N, and what gives."""
        m, across = self.process.plastic, SHEAR * self.process.plastic.across
        boss = m.across * math.pi * (self.outer**2 - (self.hole / 2) ** 2)
        if self.through:
            wide = self.head if self.headed == COUNTERBORE else self.row.head / 2
            end = self.top if wide < self.outer else self.p.plate
            return across * 2 * math.pi * wide * self._solid_under(wide, end - self.sunk), (
                "the head shears through what is under it")
        size = self.insert[0] if self.p.core == INSERT else self.row.diameter
        strips = across * math.pi * size * self.engaged * FILLS
        return min((strips, "the formed thread strips" if self.p.core == FORMING else "the insert tears out"),
                   (boss if self.p.boss > 0 else math.inf, "the boss tears off between two layers"))

    def _solid_under(self, radius: float, thick: float) -> float:
        """Return how much plastic a cylinder of ``radius`` mm meets in a plate ``thick`` mm: solid layers below and above and
        infill between, or all of it where the wall lines of the hole reach so far."""
        process = self.process
        if process.cured or radius < self.hole / 2 + process.loops * process.line_width:
            return thick
        solid = min(thick, 2 * process.solid_layers * process.layer_height)
        return solid + (thick - solid) * process.filled

    @property
    def torque(self) -> float:
        """Torque at which it strips, N·mm: 0.2·F·d."""
        return DRY * self.pull[0] * self.row.diameter


def refuse_what_cannot_be(plan: Plan) -> None:
    """Raise one sentence for sizes that are no hole together."""
    p = plan.p
    if plan.hole <= 0.4:
        raise SolveError(f"an allowance of {p.allowance:g} leaves no hole", field="allowance", value=p.allowance)
    if plan.headed != NONE and plan.sunk > plan.top - 0.6:
        raise SolveError(f"hiding the head takes {plan.sunk:.1f} mm of the {plan.top:g} there are", field="plate",
                         value=p.plate, limit=round(plan.sunk + 0.6 - p.boss, 1))
    if not plan.through and plan.deep < plan.row.diameter:
        raise SolveError(f"{plan.top:g} mm are too shallow for a hole that holds an {p.screw}", field="boss", value=p.boss,
                         limit=round(plan.row.diameter + 0.6 - p.plate, 1))
