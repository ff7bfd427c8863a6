"""What a spring does as printed: force and strain along its travel, the chance that it does its work, figures and verdicts."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.course import Asked, Course
from bouncy_latch.core.flex import chances
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.flex.winding import Winding
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.numbers import Array, cdf, monotone
from bouncy_latch.core.process.profile import Process

STATES = 3
"""Travels at which the balance of forces is found; between them the force is a smooth curve."""
TINY = 1e-3
"""Part of the travel that is as good as none."""
POINTS = 25
"""Places of a course."""
NINE_OF_TEN = 1.645
"""Standard deviations either side that nine prints of ten lie between."""
NEAR, USABLE = 0.1, 0.5
"""How far a usual print's force may be off what is asked, and how far any print's may (common practice, no source)."""
APART = 0.1
"""What must be left between bars of a lean print, mm: they are not to touch as they print (common practice, no source)."""
WANDERS = 0.03
"""Spread of a printed gap from bar to bar, mm (common practice, no source)."""


@dataclass(frozen=True)
class Sprung:
    """A spring on a printer.

    Attributes:
        winding: its bar as printed. process: what it is printed on. travel: asked, mm; ``way``: 1 where it is stretched, -1
        pressed. gap: least drawn gap between bars, mm; infinite without one. solid: travel at which all gaps are closed, mm.
        cycles: how often it is used. force: asked at the travel, N; None where none is. bars: side by side, sharing the force.
    """

    winding: Winding
    process: Process
    travel: float
    way: int
    gap: float
    solid: float
    cycles: float
    force: float | None
    bars: int = 1

    @cached_property
    def _followed(self) -> tuple[Array, Array, Array, Array]:
        travels = self.travel * np.concatenate([[TINY], np.arange(1, STATES + 1) / STATES])
        moved, force, strain = self.winding.pulled(self.way * travels)
        return travels, moved, self.bars * self.way * force, strain

    @property
    def states(self) -> tuple[Array, Array, Array, Array]:
        """Travels (B,), displacements (B, n, 3), forces N and strains at some places of the way."""
        travels, moved, force, strain = self._followed
        return travels[1:], moved[1:], force[1:], strain[1:]

    @cached_property
    def curve(self) -> tuple[Array, Array, Array]:
        """Travel, force and strain along the way, each (:data:`POINTS`,), from nothing."""
        travels, _, force, strain = self.states
        at = np.linspace(0.0, self.travel, POINTS)
        known = np.concatenate([[0.0], travels])
        return at, monotone(at, known, np.concatenate([[0.0], force])), monotone(at, known, np.concatenate([[0.0], strain]))

    @property
    def rate(self) -> float:
        """Stiffness at the beginning of the way, N/mm."""
        travels, _, force, _ = self._followed
        return float(force[0] / travels[0])

    @property
    def at_travel(self) -> float:
        """Force at the asked travel, N."""
        return float(self.states[2][-1])

    @property
    def strain(self) -> float:
        """Greatest strain at the asked travel."""
        return float(self.states[3][-1])

    @cached_property
    def energy(self) -> float:
        """Work along the way, N·mm."""
        at, force, _ = self.curve
        return float(np.trapezoid(force, at))

    @cached_property
    def touches(self) -> float:
        """Travel at which parts of the bar first meet, as printed, mm; infinite where they part or never do."""
        travels, moved, _, _ = self.states
        gaps = np.concatenate([[self.gap - 2 * self.process.growth.mean], self.winding.least_gap(moved)])
        if not np.isfinite(gaps).all() or (self.way > 0 and gaps[-1] > 0):
            return math.inf
        slope = (gaps[0] - gaps[-1]) / self.travel
        below = np.flatnonzero(gaps <= 0)
        if len(below) and below[0] > 0:
            i = int(below[0])
            before, after = (0.0 if i == 1 else float(travels[i - 2])), float(travels[i - 1])
            return before + (after - before) * float(gaps[i - 1] / (gaps[i - 1] - gaps[i]))
        return 0.0 if len(below) else math.inf if slope <= 0 else self.travel + float(gaps[-1]) / slope

    @property
    def permissible(self) -> float:
        """Strain it stands as often as it is used."""
        m = self.process.plastic
        return (m.strain_once if self.cycles <= 1 else m.strain_repeated) / 100

    @property
    def scatter(self) -> float:
        """Log spread of the force: of the modulus, and of growth through the cube of the thickness."""
        by_growth = 6 * self.process.growth.sd / self.winding.thickness
        return math.hypot(self.process.modulus.sd / self.process.modulus.mean, by_growth)

    @property
    def survives(self) -> float:
        """Chance that it stands its travel."""
        spread = math.hypot(chances.STRAIN_SPREAD, 2 * self.process.growth.sd / self.winding.thickness)
        return float(cdf(math.log(self.permissible / max(self.strain, 1e-9)) / spread))

    @property
    def as_asked(self) -> float:
        """Chance that the force is what is asked, within a half of it; 1 where none is."""
        if self.force is None:
            return 1.0
        off = math.log(max(self.at_travel, 1e-9) / self.force)
        near = math.log(1 + USABLE)
        return float(cdf((near - off) / self.scatter) - cdf((-near - off) / self.scatter))

    @property
    def parts(self) -> float:
        """Chance that no bar welds to its neighbour as it prints."""
        if not math.isfinite(self.gap):
            return 1.0
        growth = self.process.growth
        return float(cdf((self.gap - 2 * growth.mean) / math.hypot(2 * growth.sd, WANDERS)))

    @property
    def whole(self) -> float:
        """Chance that its bar prints as two lines at least."""
        spread = math.hypot(2 * self.process.growth.sd, WANDERS)
        return float(cdf((self.winding.thickness - 2 * self.process.line_width) / spread))

    @property
    def chance(self) -> float:
        """Chance that it comes off the bed as one bar, gives the force and lasts."""
        return self.survives * self.as_asked * self.parts * self.whole

    def zones(self, thickness: float) -> tuple[float, ...]:
        """Chances of the outcomes of :data:`outcomes.BENT` for bars of another thickness, by the strain they would have."""
        m = self.process.plastic
        now = self.winding.thickness
        strain = self.strain * max(thickness + 2 * self.process.growth.mean, 1e-3) / now
        return chances.bend_zones(strain, self.permissible, m.strain_break / 100)

    def course(self, label: str) -> Course:
        """Force along the way, with what nine prints of ten give, and what is asked."""
        at, force, _ = self.curve
        wide = math.exp(NINE_OF_TEN * self.scatter)
        asked = (Asked(f"asked {self.force:g}", self.force),) if self.force is not None else ()
        touch = f"; bars meet at {self.touches:.1f} mm" if self.touches < self.travel else ""
        return Course(f"force, {label}", "N", tuple(at.tolist()), {"force": tuple(force.tolist())},
                      f"{self.at_travel:.1f} N at {self.travel:g} mm{touch}",
                      {"force": (tuple((force / wide).tolist()), tuple((force * wide).tolist()))},
                      (*asked, Asked("a 100 g weight 1", 0.98)))


def fill_of(process: Process, loops: int | None) -> Fill:
    """Return how a spring is filled."""
    return Fill(process.loops if loops is None else loops, process.line_width, process.infill / 100,
                process.solid_layers * process.layer_height)


def summary(s: Sprung) -> str:
    """Return what follows, in words."""
    wide = math.exp(NINE_OF_TEN * s.scatter)
    left = s.at_travel * s.process.plastic.creep
    return (f"{s.rate:.2f} N/mm; {s.at_travel:.1f} N at {s.travel:g} mm, strained {100 * s.strain:.1f} %. Of ten prints nine "
            f"give {s.at_travel / wide:.1f} to {s.at_travel * wide:.1f} N; held for a year {left:.1f} are left.")


def derived(s: Sprung) -> tuple[Derived, ...]:
    """Return the figures of a spring with their formulas."""
    m, growth = s.process.plastic, s.process.growth
    known = f"growth {growth.mean:.2f} ± {growth.sd:.2f} ({s.process.source})"
    found = [
        Derived("rate", "rate", s.rate, "N/mm", "frame of its centre line, ends held",
                f"modulus {s.process.modulus.mean:.0f} MPa"),
        Derived("force", "force at its travel", s.at_travel, "N", "the same frame, bent so far", m.source),
        Derived("strain", "strain", 100 * s.strain, "%", "M·t/(2·E·I)·K_i + N/(E·A), K_i of the turn (Winkler–Bach)", m.source),
        Derived("energy", "energy", s.energy, "N·mm", "∫ F dx along the way", "geometry"),
        Derived("printed", "bar as printed", s.winding.thickness, "mm", "thickness + 2·growth", known),
        Derived("band", "force of nine prints of ten", 100 * (math.exp(NINE_OF_TEN * s.scatter) - 1), "%",
                "exp(1.645·√((sd E/E)² + (6·sd g/t)²)) − 1", known),
        Derived("held", "left when held for a year", s.at_travel * m.creep, "N", "force · creep", m.source),
    ]
    if math.isfinite(s.gap):
        found[4:4] = [Derived("bar_gap", "gap between bars", s.gap, "mm", "drawn, the least", "geometry"),
                      Derived("travel_solid", "travel to solid", s.solid, "mm", "all gaps closed", "geometry")]
    return tuple(found)


def checks(s: Sprung, mends: dict[str, tuple[str, ...]]) -> list[Check]:
    """Return the verdicts on a spring; ``mends``: what could mend strain, force and gaps, by those words."""
    m, growth = s.process.plastic, s.process.growth
    lean = s.gap - 2 * (growth.mean + 2 * growth.sd)
    found = [
        Check("springs", "Springs and lasts", 100 * s.chance, 90, "%", stop=50, mend=mends["strain"] + mends["gap"],
              printer=True, topic="shape", why=f"lasts {100 * s.survives:.0f} %"
              + (f", force as asked {100 * s.as_asked:.0f} %" if s.force is not None else "")
              + (f", bars apart {100 * s.parts:.0f} %" if math.isfinite(s.gap) else ""),
              basis="nine of ten prints (common practice, no source)"),
        Check("strain", "Strain", 100 * s.strain, 100 * s.permissible, "%", least=False, stop=m.strain_break,
              mend=mends["strain"], printer=True, topic="shape",
              why=f"greatest at its surface; {m.name} stands {100 * s.permissible:.1f} % "
                  f"{'once' if s.cycles <= 1 else 'often'}",
              basis="the strain the material stands as often as it is used"),
        Check("bar-lines", "Bar is thick enough", s.winding.thickness, 2 * s.process.line_width, "mm", mend=("thickness",),
              printer=True, topic="print", why="as printed; thinner bars are one line, and tear between its layers",
              basis="two lines of the process"),
    ]
    if math.isfinite(s.gap):
        found.append(Check("bars-apart", "Bars stay apart", lean, APART, "mm", stop=0.0, mend=mends["gap"], printer=True,
                           topic="fit", why="between two bars of a fat print; what touches as it prints is one bar",
                           basis="a tenth (common practice, no source)"))
    if s.way < 0:
        reach = min(s.touches, 10 * s.travel)
        found.append(Check("solid", "Bars clear at its travel", reach, s.travel, "mm", mend=mends["gap"], printer=True,
                           topic="shape", why="where bars first meet, as printed; from there on it is stiffer",
                           basis="the travel that is asked"))
    if s.force is not None:
        off = 100 * abs(s.at_travel / s.force - 1)
        found.append(Check("force", "Force as asked", off, 100 * NEAR, "%", least=False, stop=100, mend=mends["force"],
                           printer=True, topic="shape",
                           why=f"{s.at_travel:.1f} N of {s.force:g} at {s.travel:g} mm; nine prints of ten lie within "
                               f"{100 * (math.exp(NINE_OF_TEN * s.scatter) - 1):.0f} %",
                           basis="a tenth (common practice, no source)"))
    return found
