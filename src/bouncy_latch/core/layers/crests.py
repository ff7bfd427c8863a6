"""How printed faces press on each other: crests of their layers pressed flat, in series with walls that give.

*Growth* is where a layer's edge lies on average, at the widest place of its beads; the height by which edges waver about that
is normal. Between two edges a bead's side is a half circle, so a face tilted by θ has crests h/2·(1 − cos θ) beyond the plane
through its edges, and valleys (the mean of an upright face lies 0.107 of a layer behind its edges: π/4 of the circle).

At a clearance c some part f of the face reaches across. Crests are so sharp that they soon yield and bear a hardness H on all
that the other face cuts off them, so the pressure is H·f(c) (E. J. Abbott and F. A. Firestone, "Specifying surface quality",
Mechanical Engineering 55, 1933; J. A. Greenwood and J. B. P. Williamson, "Contact of nominally flat surfaces", Proc. R. Soc. A
295, 1966; K. L. Johnson, "Contact Mechanics", 1985, chapters 6 and 13); less where they reach across by less than what the
plastic behind a crest gives elastically at that pressure, 16·H·a/(3π·E*) under a patch of radius a (Johnson 1985, chapter 3).
The walls behind give way by p/k, so that p = H·f(c + p/k). What slides on crests rubs them down by K·s over a way s, however
hard they press (J. F. Archard, "Contact and rubbing of flat surfaces", J. Appl. Phys. 24, 1953: depth = K·p·s/H with p = H).
"""

from __future__ import annotations

import math
from functools import cached_property, lru_cache

import numpy as np

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array, above_normal
from bouncy_latch.core.process.profile import Process

YIELDS = 1.5
"""Hardness over yield stress, on what is cut off. A half space that is dented bears 3 (Johnson 1985, chapter 6); a round crest
among others, free at its sides, bears 2 on a contact 0.75 as wide as what is cut off (finite elements with plastic flow)."""
WEAR = 2e-4
"""Archard's coefficient K of printed plastic on itself, dry: between 1e-4 and 1e-3 (common practice, no source). It makes a
bolt that is snug in its first run easy in its second one."""
UNKNOWN_STRENGTH, UNKNOWN_MODULUS, UNKNOWN_POISSON = 45.0, 2700.0, 0.35
"""Of a material that the table does not know, MPa: those of PLA."""
_ROUGHS = np.geomspace(0.002, 0.3, 16)
"""Standard deviations of wavering edges at which faces are tabulated, mm."""
_PARTS = np.geomspace(1e-6, 0.98, 90)
"""Parts of a face that are pressed flat."""
_SAMPLES, _SHARES = 48, 96


def crest(tilt: float, layer: float) -> float:
    """Return how far the crests of a face laid in layers stand beyond the plane through its beads' edges, mm; ``tilt`` from
    vertical, rad."""
    return layer / 2 * (1 - math.cos(tilt))


def shared(tilt: float, layer: float) -> float:
    """Return the clearance that two facing flanks of stairs take on average over how their layers lie to each other, mm.

    Two half circles whose middles differ by ζ in height meet unless the faces are ζ·sin θ − (h − √(h² − ζ²))·cos θ apart; the
    mean over ζ from 0 to h. A screw floats along its axis, so that where one flank takes more than that the other takes less.
    """
    return layer * max(math.sin(tilt) / 2 - (1 - math.pi / 4) * math.cos(tilt), 0.0)


@lru_cache(maxsize=256)
def profile(tilt: float, layer: float) -> Array:
    """Return the heights of a face laid in layers at evenly spaced places along it, normal to it and from the plane through its
    beads' edges, mm, (48,); ``tilt`` from vertical, rad."""
    radius, length = layer / 2, layer / math.cos(tilt)
    along = (np.arange(_SAMPLES) + 0.5) / _SAMPLES * length
    # A bead's middle lies one radius behind its edge; between two beads nothing bears.
    middles = (np.arange(-1, 3) * length - radius * math.sin(tilt))[:, None]
    off = np.minimum(np.abs(along - middles).min(axis=0), radius)
    return np.asarray(np.sqrt(radius**2 - off**2) - radius * math.cos(tilt))


@lru_cache(maxsize=64)
def _standing(tilts: tuple[float, ...], layer: float, gives: float) -> Array:
    """Return the clearance between the planes through the edges, mm, at which :data:`_PARTS` of the faces bear, for edges that
    waver by :data:`_ROUGHS`, (16, 90).

    ``tilts``: one is that of a printed face against a smooth one. ``gives``: how far a crest gives before it yields, mm.
    """
    heights = profile(tilts[0], layer)
    for other in tilts[1:]:
        # The layers of one face lie anyhow to those of the other.
        heights = (heights[:, None] + profile(other, layer)).ravel()
    heights = np.sort(heights).reshape(_SHARES, -1).mean(axis=1) if len(heights) > _SAMPLES else heights
    found = []
    for rough in _ROUGHS:
        places = np.linspace(heights.min() - 5.5 * rough, heights.max() + 5.5 * rough, 240)
        part = above_normal((places - heights[:, None]) / rough).mean(axis=0)
        # What reaches across by less than it gives bears in proportion: the mean of what reaches across by so much and less.
        whole = np.append(0.0, np.cumsum((part[1:] + part[:-1]) / 2 * np.diff(places)))
        part = (np.interp(places + gives, places, whole) - whole) / gives
        found.append(np.interp(np.log(_PARTS), np.log(np.maximum(part[::-1], 1e-300)), places[::-1]))
    return np.array(found)


@frozen
class Faces:
    """Two faces that press on each other; one of them may be bought and smooth.

    Attributes:
        tilts: of those that are printed, from vertical, rad. layer: height, mm. stiff: of the walls behind, MPa per mm.
        hard: what crests bear, MPa. gives: how far they give elastically at that, mm.
    """

    tilts: tuple[float, ...]
    layer: float
    stiff: float
    hard: float
    gives: float

    def _row(self, rough: float) -> Array:
        """Return the drawn clearances at which :data:`_PARTS` are pressed flat, mm, falling, (90,)."""
        table, logs = _standing(self.tilts, self.layer, self.gives), np.log(_ROUGHS)
        at = float(np.interp(math.log(max(rough, 1e-9)), logs, np.arange(len(logs))))
        low = min(int(at), len(logs) - 2)
        # Between two of the tabulated scatters heights go evenly with the scatter itself.
        share = (min(max(rough, _ROUGHS[0]), _ROUGHS[-1]) - _ROUGHS[low]) / (_ROUGHS[low + 1] - _ROUGHS[low])
        return np.asarray(table[low] * (1 - share) + table[low + 1] * share - self.hard / self.stiff * _PARTS)

    def pressure(self, clearance: Array | float, rough: float) -> Array:
        """Return the pressure on the whole face, MPa, at clearances between the planes through the edges as they would be if
        nothing gave, mm; ``rough``: standard deviation of both faces' wavering together, mm."""
        row = self._row(rough)
        logs = np.interp(clearance, row[::-1], np.log(_PARTS)[::-1], right=-math.inf)
        return np.asarray(self.hard * np.exp(logs))

    def clearance(self, pressure: float, rough: float) -> float:
        """Return the clearance at which a pressure (MPa) is reached, mm."""
        return float(np.interp(math.log(max(pressure, 1e-300) / self.hard), np.log(_PARTS), self._row(rough)))

    def limit(self, pressure: float, rough: float) -> Limit:
        """Return where a pressure (MPa) is reached, and how that moves."""
        at, step = self.clearance(pressure, rough), 0.1 * max(rough, 0.002)
        wider = self.clearance(pressure, rough + step)
        return Limit(at, (wider - at) / step, (at - self.clearance(1.1 * pressure, rough)) / math.log(1.1))


@frozen
class Limit:
    """Where a pressure is reached.

    Attributes:
        clearance: mm. by_rough: by how much that grows with the scatter of the edges. by_force: by how much less clearance
        brings e times the pressure, mm.
    """

    clearance: float
    by_rough: float
    by_force: float


@frozen
class Plastic:
    """What a process's material is, as far as pressing goes: modulus and yield stress, MPa; Poisson's ratio."""

    modulus: float
    strength: float
    poisson: float
    process: Process

    @classmethod
    def of(cls, process: Process) -> Plastic:
        """Return that of a process; PLA's where nothing is known of its material."""
        try:
            m = process.plastic
        except UserError:
            return cls(UNKNOWN_MODULUS, UNKNOWN_STRENGTH, UNKNOWN_POISSON, process)
        return cls(m.modulus, m.strength, m.poisson, process)

    @property
    def hard(self) -> float:
        """What crests that are pressed flat bear, MPa."""
        return YIELDS * self.strength

    def faces(self, tilts: tuple[float, ...], stiff: float) -> Faces:
        """Return faces of which those with ``tilts`` (rad) are printed, on walls that are so ``stiff``, MPa per mm."""
        layer = self.process.layer_height  # a patch is half as wide
        crest_gives = 16 * self.hard * layer / 4 * (1 - self.poisson**2) / (3 * math.pi * self.modulus)
        return Faces(tilts, layer, stiff, self.hard, round(len(tilts) * crest_gives, 5))

    @cached_property
    def shell(self) -> float:
        """Thickness of the wall lines, mm."""
        return self.process.loops * self.process.line_width

    def round_wall(self, radius: float, wall: float = math.inf) -> float:
        """Return the stiffness of what is around (or inside) a round face, MPa of pressure per mm of give.

        Wall lines carry it as a hoop, E·t/r² (thin-walled ring); the infill behind them, a part φ of the room, half of which
        lies in any direction, as a solid does with that much less modulus, E·φ/2/(r·(1 + ν)) (Lamé, unbounded body). No more
        than solid plastic: E/(r·(1 + ν)).

        Args:
            radius: mm. wall: all the plastic there is behind the face, mm.
        """
        e, r, filled = self.modulus, max(radius, 0.5), self.process.filled
        solid = e / (r * (1 + self.poisson))
        shell = e * min(self.shell if filled < 1 else math.inf, wall, r) / r**2
        behind = solid * filled / 2 if wall > self.shell else 0.0
        return min(shell + behind, solid)

    def flat_wall(self, span: float, radius: float, wall: float = math.inf) -> float:
        """Return the stiffness of a flat that spans between two corners, ``radius`` mm from the middle of its polygon: the hoop
        of :meth:`round_wall` in series with the wall's own bending, mean give of a clamped strip p·L⁴/(60·E·t³), which the
        infill behind holds too (Winkler bedding a span deep)."""
        e, thick = self.modulus, min(self.shell, wall) if self.process.filled < 1 else wall
        bends = 60 * e * thick**3 / span**4 + e * self.process.filled / 2 / span if math.isfinite(thick) else math.inf
        return in_series(self.round_wall(radius, wall), bends)


def in_series(*stiff: float) -> float:
    """Return the stiffness of what gives one behind the other, MPa per mm."""
    return 1 / sum(1 / each for each in stiff)


def rubbed(way: float) -> float:
    """Return how far crests are rubbed down that slid a way (mm) on another face, mm."""
    return WEAR * way
