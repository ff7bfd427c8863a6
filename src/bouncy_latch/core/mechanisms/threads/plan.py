"""Where everything of a thread is, how it runs as printed, and what it holds.

Drawn with the axis along z. The outer thread stands on its head (or a neck on its foot), the inner one hangs over it where it
is when tight; the inner part is then laid beside it as it prints, a cap and a knob upside down.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.course import Asked, Course
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import screwed
from bouncy_latch.core.layers.screwed import NUT, SHEAR, Screwed
from bouncy_latch.core.mechanisms.threads.sizes import (
    BOLT,
    CAP,
    FLANGE,
    HEXAGON,
    HOLE,
    KNOB,
    OWN,
    PRINTABLE,
    SOCKET,
    ThreadParams,
)
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.standards import screw_form as forms
from bouncy_latch.core.standards import tables
from bouncy_latch.core.standards.screw_form import Form

HEAD = 0.7
"""Height of a head over the diameter, as ISO 4014 has it (from memory)."""
FLATS = 1.6
"""Across flats over the diameter where no table says it (common practice, no source)."""
EDGE, KEY = 0.5, 0.75
"""Radius of a hexagon's corners, mm, and across a socket's flats over the diameter where no table says it."""
STOP = 0.3
"""Between the faces that meet when it is tight, as drawn, mm."""
ROOF, FOOT = 2.0, 3.0
"""Thickness of a cap's roof and a knob's, and of the plate a neck stands on, mm."""
EASE = 0.4
"""Bevel of edges that lie on the bed, mm."""
LEAD_IN = 0.3
"""By how much more than the thread's depth its ends are bevelled, mm."""
NINE_OF_TEN = 1.645
"""Standard deviations either side that nine prints of ten lie between."""


@frozen
class Plan:
    """A thread on a printer."""

    p: ThreadParams
    process: Process

    @cached_property
    def named(self) -> tables.Thread | None:
        """The row of the table, where a size is named."""
        return None if self.p.size == OWN else tables.threads()[self.p.size]

    @cached_property
    def form(self) -> Form:
        """The profile of both parts."""
        d, pitch = (self.named.diameter, self.named.pitch) if self.named else (self.p.diameter, self.p.pitch)
        if self.p.profile == PRINTABLE:
            return forms.printable(d, pitch, math.radians(self.p.flank), self.p.starts)
        return forms.standard(d, pitch, self.p.starts)

    @property
    def gap(self) -> float:
        """How far the faces of the inner thread are drawn out, mm."""
        return self.p.gap if self.p.profile == PRINTABLE else 0.0

    @cached_property
    def outer(self) -> tuple[float, float]:
        """Radii of root and crest of the outer thread as drawn, mm."""
        try:
            return self.form.radii(self.p.offset)
        except SolveError as error:
            raise SolveError(error.sentence, field="offset", value=self.p.offset) from None

    @cached_property
    def inner(self) -> tuple[float, float]:
        """Radii of crest and root of the inner thread as drawn, mm."""
        return self.form.radii(-self.gap)

    @cached_property
    def engaged(self) -> float:
        """Length of the inner thread, mm."""
        own = NUT * self.form.diameter if self.p.engaged is None else self.p.engaged
        return min(own, self.p.length)

    @property
    def pitches(self) -> float:
        """Pitches engaged, of all starts together."""
        return self.engaged / self.form.pitch

    @cached_property
    def across_flats(self) -> float:
        """Across flats as printed: what a wrench takes, mm."""
        if self.p.flats is not None:
            return self.p.flats
        nut = tables.nuts().get(self.p.size) or tables.nuts().get(f"M{self.form.diameter:g}")
        return nut.flats_max if nut else round(FLATS * self.form.diameter, 1)

    @property
    def drawn_flats(self) -> float:
        """Across flats as drawn, mm."""
        return self.across_flats - self.p.eased

    @property
    def wrenched(self) -> bool:
        """Whether a wrench turns a part of it."""
        return self.p.product == BOLT or (self.p.product in {HOLE, KNOB} and self.p.head in {HEXAGON, FLANGE})

    @property
    def slips(self) -> float:
        """How far a lean print turns freely in a wrench of its size, each way, degrees; its corners have a radius."""
        lean = self.drawn_flats + 2 * (self.process.growth.mean - 2 * self.process.growth.sd)
        centre = (lean / 2 - EDGE) / math.cos(math.pi / 6)
        return 30 - math.degrees(math.acos(min((self.across_flats / 2 - EDGE) / centre, 1.0)))

    @property
    def keyed(self) -> bool:
        """Whether a key turns it."""
        return self.p.product != CAP and self.p.head == SOCKET

    @cached_property
    def key(self) -> float:
        """Across the flats of the key that turns a socket, mm."""
        screw = tables.screws().get(f"M{self.form.diameter:g}")
        return screw.key if screw else round(KEY * self.form.diameter, 1)

    @property
    def drawn_key(self) -> float:
        """Across the flats of the socket as drawn, mm."""
        return self.key + self.p.eased

    @cached_property
    def coarser(self) -> str:
        """The coarse thread of this diameter, where a finer one is named; else what is named already."""
        return f"M{self.form.diameter:g}" if self.named and f"M{self.form.diameter:g}" in tables.threads() else self.p.size

    @property
    def head(self) -> float:
        """Height of the bolt's head, or of the foot under a neck, mm."""
        return FOOT if self.p.product == CAP else max(HEAD * self.form.diameter, 2.0)

    @property
    def bore(self) -> float:
        """Radius of the bore through a neck, mm; 0 where it is solid."""
        return max(self.outer[0] - self.p.wall, 0.0) if self.p.product == CAP else 0.0

    @property
    def closed(self) -> bool:
        """Whether the inner thread ends at a roof."""
        return self.p.product in {CAP, KNOB}

    @cached_property
    def around(self) -> float:
        """Outer radius, or half the width, of what the inner thread is in, as drawn, mm."""
        if self.p.product in {CAP, HOLE}:
            return self.inner[1] + self.p.wall
        if self.p.product == KNOB:
            return max(1.5 * self.form.diameter, self.inner[1] + self.p.wall + 2)
        return self.drawn_flats / 2

    @property
    def grip(self) -> float:
        """Radius at which fingers turn it, mm."""
        return self.around

    # -- how it runs ---------------------------------------------------------------------------------------------------

    @cached_property
    def screwed(self) -> Screwed:
        """The pair as printed."""
        pairs = screwed.pairs_of(self.form, self.p.offset, self.gap, self.pitches)
        return Screwed(pairs, self.form.middle, self.grip, self.twist, self.process,
                       screwed.run_of(self.form, self.engaged / self.form.lead), self.around - self.inner[1],
                       screwed.wobbles_from(self.form))

    @property
    def deep(self) -> float:
        """Radial overlap of the two threads as drawn, mm."""
        return self.outer[1] - self.inner[0]

    @property
    def turned(self) -> float:
        """From where a turn has hold to where it is tight, degrees."""
        way = (self.engaged if self.closed else self.p.length) - self.form.lead
        return 360 * max(way, 0.5 * self.form.lead) / self.form.lead

    def course(self) -> Course:
        """Torque against how far it is turned on: it grows with what is engaged."""
        values = np.linspace(0.0, self.turned, 60)
        part = np.minimum((values / 360 + 1) * self.form.lead, self.engaged) / self.engaged
        growth = self.process.growth
        low, mean, high = self.screwed.torque(growth.mean + NINE_OF_TEN * growth.sd * np.array([-1.0, 0.0, 1.0]))
        _, hand, _ = self.screwed.limits
        return Course("torque along the way", "N·mm", tuple(values.tolist()), {"turn": tuple((mean * part).tolist())},
                      f"{mean:.0f} N·mm when tight, two fingers give {hand:.0f}",
                      {"turn": (tuple((low * part).tolist()), tuple((high * part).tolist()))},
                      (Asked(f"two fingers {hand:.0f}", hand),), along="°")

    # -- what it holds -------------------------------------------------------------------------------------------------

    @cached_property
    def core(self) -> tuple[float, float]:
        """Area of the outer part's core, mm², and its polar section modulus, mm³, as printed; across the layers."""
        radius = self.outer[0] + self.process.growth.mean
        bore = max(self.bore - self.process.growth.mean, 0.0)
        return math.pi * (radius**2 - bore**2), math.pi * (radius**4 - bore**4) / (2 * radius)

    @cached_property
    def twist(self) -> float:
        """Torque that shears the core between two layers, N·mm."""
        return SHEAR * self.process.plastic.across * self.core[1]

    @cached_property
    def pull(self) -> float:
        """Pull that tears the core between two layers, N."""
        return self.process.plastic.across * self.core[0]

    @cached_property
    def strip(self) -> float:
        """Pull that strips the weaker thread, N: its ridges sheared off along the axis at the other's crest."""
        g, form, slope = self.process.growth.mean, self.form, math.tan(self.form.half_angle)
        grown = 2 * g * slope
        bolt = (form.width(self.inner[0], self.p.offset) + grown) * 2 * math.pi * self.inner[0]
        nut = (form.pitch - form.width(self.outer[1], -self.gap) + grown) * 2 * math.pi * self.outer[1]
        share = max(self.deep, 0.0) / max(self.deep, form.depth * form.pitch)
        return SHEAR * self.process.plastic.across * self.pitches * max(min(bolt, nut), 0.0) * share

    @property
    def holds(self) -> tuple[float, str]:
        """The least pull that breaks it, N, and what goes."""
        return min((self.strip, "the thread strips"), (self.pull, "the core tears between two layers"))


def refuse_what_cannot_be(plan: Plan) -> None:
    """Raise one sentence for sizes that are no thread together."""
    p, form = plan.p, plan.form
    if form.minor < 0.3 * form.diameter / 2 or form.minor < 0.6:
        raise SolveError(f"a pitch of {form.pitch:g} leaves no core of a thread {form.diameter:g} mm wide", field="pitch",
                         value=form.pitch, limit=round(min(0.7 * form.diameter / 2, form.diameter / 2 - 0.6)
                                                       * form.pitch / (form.diameter / 2 - form.minor), 2))
    if form.lead > 0.75 * math.pi * form.diameter:
        raise SolveError(f"{p.starts} starts of {form.pitch:g} climb {form.lead:g} mm a turn, steeper than a thread of "
                         f"{form.diameter:g} mm can be", field="starts", value=p.starts)
    if plan.deep < forms.LEAST_DEPTH:
        raise SolveError(f"an offset of {p.offset:g} leaves no overlap of the two threads", field="offset", value=p.offset,
                         limit=round(p.offset + plan.deep - forms.LEAST_DEPTH, 2))
    least = plan.outer[1] - plan.outer[0] + LEAD_IN
    if plan.engaged <= 2 * (plan.inner[1] - plan.inner[0]) or p.length <= 2 * least:
        raise SolveError(f"{min(plan.engaged, p.length):g} mm of thread are used up by its lead-in", field="length",
                         value=p.length, limit=round(2 * least + 0.1, 1))
    if not plan.closed and p.product != HOLE and plan.drawn_flats / 2 < plan.inner[1] + 0.4:
        raise SolveError(f"{plan.across_flats:g} across flats leave no wall round a thread of {2 * plan.inner[1]:.1f} mm",
                         field="flats", value=plan.across_flats, limit=round(2 * plan.inner[1] + 0.8, 1))
    if p.length / form.pitch > 160:
        raise SolveError(f"{p.length / form.pitch:.0f} turns are more than can be drawn at once", field="length",
                         value=p.length, limit=160 * form.pitch)
