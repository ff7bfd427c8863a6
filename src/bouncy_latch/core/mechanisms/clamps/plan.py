"""Where everything of a tube clamp is, how it is drawn tight, and the chance that it holds.

Drawn as printed, the tube's axis along z through the origin: every layer goes round the tube. Two halves part along y = 0, the
lower one on a foot towards −y; a split ring stands on a foot towards −x and is open towards +x. The screws go along y.
"""

from __future__ import annotations

import math
from functools import cached_property
from statistics import NormalDist

import numpy as np

from bouncy_latch.core.course import Asked, Course
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import chances, lugs
from bouncy_latch.core.flex.hoop import Hoop
from bouncy_latch.core.flex.lugs import Lugs
from bouncy_latch.core.flex.section import ALONG, Fill, section
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.clamps.sizes import PRESSED, SPLIT, TubeClampParams
from bouncy_latch.core.mechanisms.nuts import plan as captive
from bouncy_latch.core.mechanisms.nuts import sizes as captive_sizes
from bouncy_latch.core.mechanisms.nuts.sizes import NutPocketParams
from bouncy_latch.core.numbers import cdf, distinct
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.standards import tables

HEAD = 0.9
"""Radius of a screw's head or washer over the screw's diameter (common practice, no source)."""
MARGIN = 0.8
"""From the washer to the ear's end and to the ring, mm."""
HAND = 0.3
"""Log spread of the pull of screws tightened by feel (common practice, no source)."""


@frozen
class Plan:
    """A clamp on a printer: its sizes worked out, and what drawing it tight does."""

    p: TubeClampParams
    process: Process

    @property
    def split(self) -> bool:
        """Whether it is one ring."""
        return self.p.form == SPLIT

    @cached_property
    def inner(self) -> float:
        """Radius inside as drawn, mm."""
        return self.p.diameter / 2 + self.p.clearance

    @cached_property
    def outer(self) -> float:
        """Radius outside as drawn, mm."""
        return self.inner + self.p.wall

    @cached_property
    def head(self) -> float:
        """Radius of the washer, or of the nut's pocket where that is larger, mm."""
        return max(HEAD * self.p.screw, self.pocket.corner if self.pocket else 0.0)

    @cached_property
    def pocket(self) -> captive.Plan | None:
        """The pocket of a nut that is pressed into the lower ear; None where nuts are loose."""
        p, size = self.p, f"M{self.p.screw:g}"
        if p.nuts != PRESSED:
            return None
        nut = tables.nuts().get(size)
        if nut is None:
            raise SolveError(f"there is no {size} nut in the table; nuts may be loose", field="screw", value=p.screw)
        floor = p.ear - nut.height_max - captive.ABOVE
        facts = NutPocketParams.facts()
        if floor < facts["floor"].low:
            raise SolveError(f"an ear of {p.ear:g} mm leaves nothing under a nut {nut.height_max:g} mm high", field="ear",
                             value=p.ear, limit=round(nut.height_max + captive.ABOVE + facts["floor"].low, 1))
        return captive.Plan(NutPocketParams().changed(nut=size, style=captive_sizes.PRESSED, lying=captive_sizes.YES,
                                                      allowance=p.allowance, floor=floor), self.process)

    @property
    def takes(self) -> float:
        """What a screw's hole, or its nut's pocket, takes of the width, mm."""
        return max(self.p.screw + self.p.hole, 2 * self.pocket.corner if self.pocket else 0.0)

    def pressed(self, allowance: float) -> captive.Plan:
        """Return the pocket with another allowance, mm."""
        assert self.pocket is not None, "asked of pressed nuts only"
        return captive.Plan(self.pocket.p.changed(allowance=allowance), self.process)

    @cached_property
    def at(self) -> float:
        """Where the screws' axis is, mm from the tube's."""
        return self.outer + MARGIN + self.head

    @property
    def ear_angle(self) -> float:
        """Where an ear's fillet ends on the ring, from the parting, rad."""
        rise = self.top + self.p.fillet
        return math.asin(min(1.0, rise / (self.outer + self.p.fillet)))

    @cached_property
    def end(self) -> float:
        """Where the lugs end."""
        return self.at + self.head + MARGIN

    @property
    def lever(self) -> float:
        """From the middle of the wall to the screws' axis, mm."""
        return self.at - self.inner - self.p.wall / 2

    @cached_property
    def top(self) -> float:
        """How high an ear reaches from the parting."""
        return self.p.gap / 2 + self.p.ear

    @cached_property
    def shrink(self) -> float:
        """How far the ring's inside prints further in than drawn, mm."""
        return self.process.growth.mean + self.process.hole_shrink(self.inner)

    @cached_property
    def room(self) -> float:
        """Clearance to the tube as printed, per side, mm."""
        return self.p.clearance - self.shrink

    @cached_property
    def lugs(self) -> Lugs:
        """One side as printed."""
        p, g = self.p, self.process.growth.mean
        return Lugs(p.diameter / 2, p.wall + g + self.shrink, p.width, p.ear + 2 * g, self.lever,
                    max(p.fillet - g, 0.05), math.pi if self.split else math.pi / 2,
                    self.process.modulus.mean * section(p.ear, p.width, self.fill, self.process.plastic.poisson).fullness)

    @cached_property
    def fill(self) -> Fill:
        """How it is filled."""
        process = self.process
        loops = self.p.loops if self.p.loops is not None else process.loops
        return Fill(loops, process.line_width, process.filled, process.solid_layers * process.layer_height, ALONG)

    # -- what it does ------------------------------------------------------------------------------------------------

    @cached_property
    def hoop(self) -> Hoop:
        """Half the split ring, from its foot to its ear."""
        lugs, p = self.lugs, self.p
        begins = math.asin(min(0.95, p.foot / 2 / self.outer))
        return Hoop(p.diameter / 2 + self.room, lugs.wall, p.width, begins, math.pi - self.half_gap, p.fillet, self.fill,
                    self.process.modulus.mean, self.process.plastic.poisson)

    @cached_property
    def half_gap(self) -> float:
        """Angle that half the gap takes of the ring's middle, rad."""
        return math.asin(min(0.9, self.p.gap / 2 / (self.inner + self.p.wall / 2)))

    @cached_property
    def wrapped(self) -> float:
        """How far each ear moves until the ring lies on the tube, mm."""
        return self.lugs.closes(self.room)

    @cached_property
    def to_shut(self) -> float:
        """Pull on a side that bends a split ring onto its tube, N; halves need none."""
        if not self.split:
            return 0.0
        f, e = self.hoop.flexibility, self.lever
        return self.wrapped / float(f[1, 1] + 2 * e * f[1, 2] + e**2 * f[2, 2])

    def pull(self, torque: float) -> float:
        """Pull of the screws of a side that grips, N."""
        return max(0.0, self.p.screws * lugs.pull_of(torque, self.p.screw) - self.to_shut)

    def slides(self, torque: float, friction: float | None = None) -> float:
        """Force along the tube at which it slides after a year, N."""
        m = self.process.plastic
        mu = m.friction if friction is None else friction
        return mu * m.creep * self.lugs.pressed(self.pull(torque), mu)

    def strain(self, torque: float) -> float:
        """Greatest strain when tight: where lugs and ring meet, or inside the ring as it is bent onto the tube."""
        at_ears = self.lugs.strain(self.p.screws * lugs.pull_of(torque, self.p.screw))
        return max(at_ears, lugs.bending_shut(self.room, self.lugs.wall, self.p.diameter / 2))

    def gap_left(self, torque: float) -> float:
        """What is left between the lugs when tight, mm."""
        ear = self.wrapped + self.lugs.yields(self.pull(torque))
        return self.p.gap - 2 * self.process.growth.mean - 2 * ear

    @cached_property
    def asked(self) -> float:
        """What must be stood along the tube, N: asked for, and what turning asks of the same friction."""
        return math.hypot(self.p.along, self.p.twist / (self.p.diameter / 2))

    @cached_property
    def permissible(self) -> float:
        """Strain it stands for good."""
        return self.process.plastic.strain_repeated / 100

    def zones(self, torque: float) -> tuple[float, ...]:
        """Chances that it slips, holds, is overloaded, cracks, tightened by ``torque``."""
        m = self.process.plastic
        spread = math.hypot(HAND, m.friction_sd / m.friction)
        slips = 1 - float(cdf(math.log(max(self.slides(torque), 1e-9) / self.asked) / spread))
        load = math.hypot(HAND, chances.STRAIN_SPREAD)
        strain = max(self.strain(torque), 1e-9)
        stands = float(cdf(math.log(self.permissible / strain) / load))
        whole = float(cdf(math.log(max(m.strain_break / 100, self.permissible * 1.05) / strain) / load))
        return slips * stands, (1 - slips) * stands, whole - stands, 1 - whole

    @cached_property
    def chance(self) -> float:
        """Chance that it grips, stands it, and does not close before it grips."""
        g = self.process.growth.sd
        spread = max((2 + 2 * lugs.TILTS * self.lugs.around) * g, 0.02)
        open_ = float(NormalDist().cdf(self.gap_left(self.p.torque) / spread))
        goes_on = float(NormalDist().cdf(self.room / max(g, 0.01)))
        return self.zones(self.p.torque)[1] * open_ * goes_on

    @cached_property
    def needed(self) -> float:
        """Pull on a side that just holds what is asked after a year, N."""
        m = self.process.plastic
        return self.asked / (m.friction * m.creep * self.lugs.pressed(1.0, m.friction)) + self.to_shut

    def course(self) -> Course:
        """Pull of the screws of a side against how far the lugs close."""
        p, own = self.p, self.lugs
        pull = p.screws * lugs.pull_of(p.torque, p.screw)
        tight = self.wrapped + own.yields(self.pull(p.torque))
        travel = distinct(np.concatenate([np.linspace(0, 2 * self.wrapped, 20), np.linspace(2 * self.wrapped, 2 * tight, 60)]))
        bent = np.clip(travel / max(2 * self.wrapped, 1e-9), 0, 1) * self.to_shut
        stiff = np.clip(travel - 2 * self.wrapped, 0, None) / max(2 * own.yields(1.0), 1e-9)
        force = np.minimum(bent + stiff, pull)
        needed = self.needed
        return Course("pull of the screws on a side", "N", tuple(travel.tolist()), {"screws": tuple(force.tolist())},
                      f"{pull:.0f} N when tight, {self.gap_left(p.torque):.2f} mm left between the lugs",
                      asked=(Asked(f"holds from {needed:.0f}", needed),))


def refuse_what_cannot_be(plan: Plan) -> None:
    """Raise one sentence for sizes that are no clamp together."""
    p = plan.p
    if plan.inner <= p.gap / 2 + 0.5 or plan.top + p.fillet > 0.92 * (plan.outer + p.fillet):
        most = 0.92 * (plan.outer + p.fillet) - p.fillet - p.gap / 2
        raise SolveError(f"lugs {p.ear:g} mm thick with a gap of {p.gap:g} and fillets of {p.fillet:g} are taller than a ring "
                         f"{2 * plan.outer:.1f} mm wide carries", field="ear", value=p.ear, limit=round(max(most, 0.0), 1))
    if p.foot / 2 > 0.95 * plan.outer:
        raise SolveError(f"a foot of {p.foot:g} mm is wider than the ring of {2 * plan.outer:.1f} mm", field="foot",
                         value=p.foot, limit=round(1.9 * plan.outer, 1))
    needs = p.screws * (plan.takes + 2 * plan.process.line_width)
    if needs > p.width:
        raise SolveError(f"{p.screws} holes for {p.screw:g} mm screws do not fit one behind the other into {p.width:g} mm",
                         field="width", value=p.width, limit=round(needs, 1))
    if plan.split and plan.ear_angle + math.asin(min(1.0, p.foot / 2 / plan.outer)) > math.radians(140):
        raise SolveError(f"between lugs of {p.ear:g} mm and a foot of {p.foot:g} mm no ring is left to bend shut", field="foot",
                         value=p.foot)
