"""One snap fit, judged: the ride over its mate on printed sizes, what tears it, and the chance that it works."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property

import numpy as np

from bouncy_latch.core.flex import chances
from bouncy_latch.core.flex.chances import Odds, Spreads
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.flex.oval import Oval
from bouncy_latch.core.flex.tilted import Opposed, Tilt, easiest
from bouncy_latch.core.flex.way import Others, Way
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.facing import Facing, weld_areas
from bouncy_latch.core.mechanisms.snaps.fields import PERMANENT, REMOVABLE, SnapParams
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.process.materials import Material
from bouncy_latch.core.process.profile import Process

MANY_CYCLES = 100
"""Times opened from which the permissible strain is that for repeated use (common practice, no source)."""
SHEAR_OF_TENSION = 0.6
"""Shear strength of a printed plastic over its tensile strength (common practice, no source)."""
WORTH = 0.1
"""Part of the bending that tilting saves from which on the catches go in one after the other (own choice)."""
MOSTLY = 0.5
"""Part of prints beyond which a snap is said to jam, or to lock."""
BEARING = 1.5
"""Pressure an edge bears over the tensile strength (common practice, no source)."""


def grown_catch(profile: tuple[Point, ...], growth: float) -> tuple[Point, ...]:
    """Return a catch's upper profile as printed: every face ``growth`` mm further out."""
    top = max(y for _, y in profile)
    first = next(i for i, (_, y) in enumerate(profile) if y >= top - 1e-9)
    last = len(profile) - 1 - next(i for i, (_, y) in enumerate(reversed(profile)) if y >= top - 1e-9)

    def moved(i: int, x: float) -> float:
        return x if i == first == last else x - growth if i <= first else x + growth if i >= last else x

    return tuple((moved(i, x), y + growth) for i, (x, y) in enumerate(profile))


def grown_mate(profile: tuple[Point, ...], growth: float) -> tuple[Point, ...]:
    """Return a mate's lower profile as printed: lower, its front and back further out."""
    half = len(profile) / 2
    return tuple((x - growth if i < half else x + growth, y - growth) for i, (x, y) in enumerate(profile))


@frozen
class Snap:
    """A snap fit with everything its verdicts read.

    Attributes:
        ride: as printed. thickness: of what bends, mm, as printed. engagement: overlap that holds, mm, as printed.
        tears: what gives way at which pull, N, by name. slot: gap beside the arm (drawn, mm), its area (mm²); None without.
        needs: what the arm needs of that gap, mm. lead: steepness of the lead-in from the way in, rad.
        overhang: steepest unsupported face as printed, degrees from vertical; 0 for none.
        across: whether it bends across the layers. upright: whether it cannot be printed any other way.
        wall: what is left of the wall behind the edge it catches, and what it should be, mm; None where it is not thin.
        grips: whether it is meant to touch all round, so that no clearance is asked for.
        opposed: outlines of two opposed catches, of which a hand may let one in first; None where there are none.
        oval: a stiff ring whose bead a hand may tip over one side first; None for all else. tilts: whether a hand may.
    """

    params: SnapParams
    process: Process
    ride: Ride
    thickness: float
    engagement: float
    tears: tuple[tuple[str, float], ...]
    slot: tuple[float, float] | None = None
    needs: float = 0.0
    lead: float = 0.0
    overhang: float = 0.0
    wall: tuple[float, float] | None = None
    across: bool = False
    upright: bool = False
    grips: bool = False
    opposed: Opposed | None = None
    oval: Oval | None = None
    tilts: bool = False

    @cached_property
    def material(self) -> Material:
        """What it is printed of."""
        return self.process.plastic

    @cached_property
    def way(self) -> Way:
        """In and out, with what other frictions make of it."""
        m = self.material
        return replace(self.ride, frictions=chances.frictions(m.friction, m.friction_sd), bears=self.weakest[1]).way

    @cached_property
    def layer_share(self) -> float:
        """Strength in the direction it bends over that along the layers."""
        return self.material.across / self.material.strength if self.across else 1.0

    @cached_property
    def permissible(self) -> float:
        """Permissible surface strain for its life and printed direction."""
        once, many = self.material.strain_once / 100, self.material.strain_repeated / 100
        part = min(1.0, math.log(self.params.cycles) / math.log(MANY_CYCLES))
        return self.layer_share * once * float((many / once) ** part)

    @cached_property
    def breaking(self) -> float:
        """Strain at which it tears."""
        return self.layer_share * self.material.strain_break / 100

    @cached_property
    def weakest(self) -> tuple[str, float]:
        """What tears first when it is pulled, and at which force, N."""
        return min(self.tears, key=lambda pair: pair[1])

    @cached_property
    def tilt(self) -> Tilt | None:
        """The way in that bends the arms least, one side first; None without two opposed catches."""
        return None if self.opposed is None else easiest(self.opposed)

    @cached_property
    def one_side_first(self) -> Others | None:
        """Forces along the way in with one side let in first; None where tilting does not help.

        The arms give less, one catch rides at a time, and the part rubs along the other arm. Where tilting saves less than
        :data:`WORTH` of the bending, both catches still ride together the more the less it saves.
        """
        known = self.way.others_in
        if self.oval is not None:
            part = min(1.0, self.oval.worst.press / float(self.way.press.max()))
            return Others(known.frictions, part * known.peaks, part * known.along)
        if self.tilt is None or self.tilt.part >= 1:
            return None
        part = self.tilt.part
        apart = min((1 - part) / WORTH, 1.0)
        single = (known.along + known.frictions[:, None] * self.way.press) / self.ride.count
        # What sticks is infinite, and none of it is none.
        along = part * (single if apart == 1 else apart * single + (1 - apart) * known.along)
        return Others(known.frictions, along.max(axis=1), along)

    @cached_property
    def goes(self) -> Others:
        """Forces along the way in as the part is put in."""
        first = self.one_side_first if self.tilts else None
        return self.way.others_in if first is None else first

    @property
    def tilted_in(self) -> bool:
        """Whether the figures of the way in are those of one side first."""
        return self.tilts and self.one_side_first is not None

    @property
    def tilted_by(self) -> float:
        """How far the part is tilted to let one side in first, rad."""
        return self.oval.worst.angle if self.oval is not None else self.tilt.angle if self.tilt is not None else 0.0

    @property
    def bent(self) -> float:
        """Part of the straight way's bending that the arms give as the part is put in."""
        return self.tilt.part if self.tilt is not None and self.tilted_in else 1.0

    @cached_property
    def into(self) -> Array:
        """Force along the way in, N: the mean over the frictions that prints have, none greater than what tears it.

        Near the angle at which faces lock the force at one friction alone would leap from a few newtons to that.
        """
        return self.goes.mean(self.weakest[1])

    @cached_property
    def out(self) -> Array:
        """Force along the way out, N, as :attr:`into`."""
        return self.way.others_out.mean(self.weakest[1])

    @property
    def straight(self) -> float:
        """Push that closes it without tilting, N."""
        return float(self.way.others_in.mean(self.weakest[1]).max())

    @property
    def insertion(self) -> float:
        """Push that closes it, N; where faces jam, what tears it."""
        return float(self.into.max())

    @property
    def retention(self) -> float:
        """Pull it holds, N: until it slides out, or tears."""
        return float(self.out[self.way.off:].max())

    @property
    def work(self) -> float:
        """Work to push it in, N·mm."""
        return float(np.trapezoid(np.maximum(self.into, 0.0), self.way.travel))

    @property
    def click(self) -> float:
        """Energy let go when it drops behind the edge, N·mm: what bends less stores less, by the square; a ring that goes oval
        is out as far with less force."""
        if not self.tilted_in:
            return self.way.click
        stored = self.bent**2 if self.oval is None else self.oval.worst.press / float(self.way.press.max())
        return self.way.click * min(stored, 1.0)

    @property
    def returned(self) -> float:
        """Part of the work to close that comes back as the click: what friction does not eat feels crisp."""
        return min(self.click / self.work, 1.0) if self.work > 0 else 0.0

    @cached_property
    def jams(self) -> float:
        """Part of prints that cannot be pushed in, by their friction."""
        return float(np.isinf(self.goes.peaks).mean())

    @property
    def goes_in(self) -> bool:
        """Whether most prints can be pushed in."""
        return self.jams <= MOSTLY

    @cached_property
    def locks(self) -> bool:
        """Whether most prints cannot be pulled out."""
        return self.odds.locks > MOSTLY

    @cached_property
    def peak_strain(self) -> float:
        """Greatest surface strain: on the way in, and on the way out as far as prints come out at all; what a hand tilts in it
        tilts out."""
        into, out = (max(self._strained(each), self.way.strain_seated) for each in self.way.peak_strains)
        return into + max(out - into, 0.0) * float(np.isfinite(self.way.others_out.peaks).mean())

    def _strained(self, straight: float) -> float:
        """Strain as the part is put in or taken out by hand, from what it is straight."""
        if self.oval is not None and self.tilted_in:
            return min(straight, self.oval.worst.strain)
        return self.bent * straight

    @cached_property
    def spread(self) -> Spreads:
        """What varies from print to print."""
        m = self.material
        return chances.spreads(self.process.modulus.mean, self.process.modulus.sd, self.process.growth.sd, self.thickness,
                               self.engagement, m.across_sd / m.across if self.across else m.strength_sd / m.strength)

    @cached_property
    def odds(self) -> Odds:
        """The chances that it goes in, holds and survives."""
        way = self.way
        return chances.odds(self.goes.peaks, way.others_out.peaks, self.peak_strain, self.params.push, self.params.hold,
                            self.weakest[1], self.permissible, self.spread,
                            {PERMANENT: True, REMOVABLE: False}.get(self.params.release))

    def outcomes(self, growths: Array, values: Array) -> Array:
        """Return the chances of every outcome of a print at growths (n,) and values of ``snap_force``, (v,) or (n, v), as
        (n, v, 5)."""
        own, known = self.spread, self.process.snap_force
        left = replace(own, stiffness=math.sqrt(max(own.stiffness**2 - known.sd**2, 0.0)))
        values = np.broadcast_to(np.atleast_2d(values), (len(growths), np.shape(values)[-1]))
        different, places = np.unique(values, return_inverse=True)
        found = np.array([chances.outcomes(self.goes.peaks, self.way.others_out.peaks, self.params.push,
                                           self.params.hold, self.odds.survives, left, math.exp(value - known.mean))
                          for value in different])
        return np.asarray(found[places.reshape(values.shape)])

    @cached_property
    def slot_left(self) -> float:
        """What growth leaves of the gap beside the arm, mm; the drawn need where there is no such gap."""
        return self.slot[0] - 2 * self.process.growth.mean if self.slot else self.needs

    @cached_property
    def slot_weld(self) -> float:
        """Weld area to be expected across the gap beside the arm, mm²."""
        if self.slot is None:
            return 0.0
        face = Facing("gap beside the arm", self.slot[1], 0.0, self.slot[0], 1.0)
        stacked, side = weld_areas([face], self.process, np.array([self.process.growth.mean]))
        return float(stacked.sum() + side.sum())
