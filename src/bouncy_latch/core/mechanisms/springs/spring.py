"""What every spring says of itself as printed: load and strain along its travel, the chance that it does its work, verdicts."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import cached_property
from itertools import pairwise
from typing import Any, ClassVar

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.course import Asked, Course
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import chances
from bouncy_latch.core.flex.bars import Bar
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.flex.warp import Warp
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import HAND_FORCE, HAND_PULL
from bouncy_latch.core.mechanisms.contract import ALONE, Aim, Derived, Kind, Motion, Ruler, Solution
from bouncy_latch.core.mechanisms.springs.sizes import SpringParams
from bouncy_latch.core.numbers import Array, cdf
from bouncy_latch.core.outcomes import ASKED, BENT, MOVES, TURNS, Scale
from bouncy_latch.core.process.profile import Process

CERTAIN = 0.995
"""Chance from which on nothing is said of what it is made of."""
NINE_OF_TEN = 1.645
"""Standard deviations either side that nine prints of ten lie between."""
BEYOND = 0.1
"""Part of the travel by which a stop stands beyond it (common practice, no source)."""
NEAR, USABLE = 0.1, 0.5
"""How far a usual print's load may be off what is asked, and how far any print's may (common practice, no source)."""
AGREE = 1.3
"""How far two things asked of one spring may be from going together: its curve need not be straight."""
APART = 0.1
"""What must be left between bars of a lean print, mm: they are not to touch as they print (common practice, no source)."""
LIVELY = 50.0
"""Energy from which on a spring that is let go of can hurt an eye, N·mm (common practice, no source)."""
ROOM = 1.25
"""How much further the ruler of the load reaches than the load."""
THIN = 1.0
"""Thinner bars are not made of a spring's own accord, mm (common practice, no source)."""
WANDERS = 0.03
"""Spread of a printed gap from bar to bar, mm (common practice, no source)."""


@frozen
class Load:
    """What a spring is loaded by: its name, its unit, and the unit of travel; what is known of that size, the scale of what
    moves it, and where one leaves off and the next begins."""

    name: str = "force"
    unit: str = "N"
    along: str = "mm"
    known: tuple[Asked, ...] = (Asked("a 100 g weight 1", 0.98), Asked("a filled cup 4", 3.9), Asked("fingers 20", HAND_FORCE))
    scale: Scale = MOVES
    ends: tuple[float, ...] = (0.98, 3.9, HAND_FORCE, HAND_PULL)

    @property
    def rate(self) -> str:
        """The unit of stiffness."""
        return f"{self.unit}/{self.along}" if self.along == "mm" else f"{self.unit}/turn"

    def told(self, travel: float) -> str:
        """Return a travel in words."""
        return f"{travel:g} {self.along}"


FORCE, TORQUE = Load(), Load("torque", "N·mm", "turns", (), TURNS, (20.0, 300.0, 2000.0))
"""A filled cup is 0.4 kg; a fingertip turns 20 N·mm, two fingers 300, a hand 2000 (common practice, no source)."""


@frozen
class Wanted:
    """What is asked of a spring; None: whatever it gives.

    Attributes:
        load: at its travel. rate: at the beginning. energy: along its travel, N·mm.
    """

    load: float | None = None
    rate: float | None = None
    energy: float | None = None


@frozen
class Spring:
    """A spring on a printer.

    Attributes:
        process: what it is printed on. travel: asked, in the unit of its load. thickness: of its bar as printed, mm.
        gap: least drawn gap between bars, mm; infinite without one. solid: travel at which all gaps are closed, as drawn.
        cycles: how often it is used. wanted: what it is asked for. closes: whether its travel closes gaps.
    """

    process: Process
    travel: float
    thickness: float
    gap: float
    solid: float
    cycles: float
    wanted: Wanted
    closes: bool
    load: ClassVar[Load] = FORCE
    rate_formula: ClassVar[str] = "frame of its centre line, ends held"
    load_formula: ClassVar[str] = "the same frame, bent so far"
    strain_formula: ClassVar[str] = "M·t/(2·E·I)·K_i + N/(E·A), K_i of the turn (Winkler–Bach)"
    solid_formula: ClassVar[str] = "all gaps closed, or its stop"
    meets: ClassVar[str] = "where bars first meet, as printed; from there on it is stiffer"

    @property
    def beside(self) -> float:
        """Least drawn gap between it and what is round it, mm; infinite where nothing is."""
        return math.inf

    @property
    def freed(self) -> float:
        """Chance that a hand frees it from a floor and a roof; 1 without them."""
        return 1.0

    @property
    def curve(self) -> tuple[Array, Array, Array]:
        """Travel, load and strain along the way, each (n,), from nothing."""
        raise NotImplementedError

    @property
    def rate(self) -> float:
        """Stiffness at the beginning of the way."""
        raise NotImplementedError

    @property
    def touches(self) -> float:
        """Travel at which it first meets itself so that it goes no further, as printed; infinite where it never does."""
        raise NotImplementedError

    @property
    def at_travel(self) -> float:
        """Load at the asked travel."""
        return float(self.curve[1][-1])

    @property
    def strain(self) -> float:
        """Greatest strain at the asked travel."""
        return float(self.curve[2][-1])

    @cached_property
    def energy(self) -> float:
        """Work along the way, N·mm."""
        at, load, _ = self.curve
        return float(np.trapezoid(load, at)) * (1.0 if self.load.along == "mm" else 2 * math.pi)

    @property
    def permissible(self) -> float:
        """Strain it stands as often as it is used."""
        m = self.process.plastic
        return (m.strain_once if self.cycles <= 1 else m.strain_repeated) / 100

    @property
    def yields(self) -> float:
        """Travel at which it is strained as far as its material stands once; beyond what it is asked for, as straight on."""
        at, _, strain = self.curve
        most = self.process.plastic.strain_once / 100
        return float(np.interp(most, strain, at)) if strain[-1] > most else self.travel * most / max(self.strain, 1e-9)

    @property
    def scatter(self) -> float:
        """Log spread of the load: of the modulus, and of growth through the cube of the thickness."""
        by_growth = 6 * self.process.growth.sd / self.thickness
        return math.hypot(self.process.modulus.sd / self.process.modulus.mean, by_growth)

    @property
    def strain_scatter(self) -> float:
        """Log spread of the strain over what it stands: of that limit, and of growth through the thickness."""
        return math.hypot(chances.STRAIN_SPREAD, 2 * self.process.growth.sd / self.thickness)

    @property
    def survives(self) -> float:
        """Chance that it stands its travel."""
        return float(cdf(math.log(self.permissible / max(self.strain, 1e-9)) / self.strain_scatter))

    @cached_property
    def off(self) -> dict[str, tuple[float, float]]:
        """What it gives and what is asked, by what: its load by name, ``rate``, ``energy``."""
        given = {self.load.name: (self.at_travel, self.wanted.load), "rate": (self.rate, self.wanted.rate),
                 "energy": (self.energy, self.wanted.energy)}
        return {name: (value, asked) for name, (value, asked) in given.items() if asked is not None}

    @property
    def as_asked(self) -> float:
        """Chance that it gives what is asked, within a half of it; 1 where nothing is."""
        if not self.off:
            return 1.0
        logs = [math.log(max(value, 1e-9) / asked) for value, asked in self.off.values()]
        near = math.log(1 + USABLE)
        return max(float(cdf((near - max(logs)) / self.scatter) - cdf((-near - min(logs)) / self.scatter)), 0.0)

    @property
    def parts(self) -> float:
        """Chance that no bar welds to its neighbour, or to what is round it, as it prints."""
        room = min(self.gap, self.beside)
        return apart(room, self.process) * self.freed if math.isfinite(room) else self.freed

    @property
    def whole(self) -> float:
        """Chance that its bar prints as thick as it should at the least."""
        spread = math.hypot(2 * self.process.growth.sd, WANDERS)
        return float(cdf((self.thickness - self.thinnest) / spread))

    @property
    def thinnest(self) -> float:
        """How thick its bar should print at the least, mm: two lines, and a millimetre."""
        return max(2 * self.process.line_width, THIN)

    @property
    def chance(self) -> float:
        """Chance that it comes off the bed as one bar, gives its load and lasts."""
        return self.survives * self.as_asked * self.parts * self.whole

    def zones(self, thickness: float) -> tuple[float, ...]:
        """Chances of the outcomes of :data:`outcomes.BENT` for bars of another thickness, by the strain they would have."""
        m = self.process.plastic
        now = self.thickness
        strain = self.strain * max(thickness + 2 * self.process.growth.mean, 1e-3) / now
        return chances.bend_zones(strain, self.permissible, m.strain_break / 100)

    def load_zones(self, load: float) -> tuple[float, ...]:
        """Chances of what a print gives whose load is expected to be ``load``: as asked, or what moves it."""
        asked = self.wanted.load
        ends = (asked / (1 + USABLE), asked * (1 + USABLE)) if asked else self.load.ends
        above = [1.0, *(float(cdf(math.log(max(load, 1e-6) / end) / self.scatter)) for end in ends), 0.0]
        return tuple(high - low for high, low in pairwise(above))

    def course(self, label: str) -> Course:
        """Load along the way, with what nine prints of ten give, and what is asked."""
        (at, force, _), name, unit = self.curve, self.load.name, self.load.unit
        wide = math.exp(NINE_OF_TEN * self.scatter)
        asked = (Asked(f"asked {self.wanted.load:g}", self.wanted.load),) if self.wanted.load is not None else ()
        touch = f"; bars meet at {self.touches:.1f} {self.load.along}" if self.touches < self.travel else ""
        return Course(f"{name}, {label}", unit, tuple(at.tolist()), {name: tuple(force.tolist())},
                      f"{self.at_travel:.1f} {unit} at {self.load.told(self.travel)}{touch}",
                      {name: (tuple((force / wide).tolist()), tuple((force * wide).tolist()))},
                      (*asked, *self.load.known), along=self.load.along)


def apart(gap: float, process: Process) -> float:
    """Return the chance that two walls drawn ``gap`` mm apart do not touch as they print."""
    growth = process.growth
    return float(cdf((gap - 2 * growth.mean) / math.hypot(2 * growth.sd, WANDERS)))


def room_for(process: Process) -> float:
    """Return the gap at which hardly any print's walls touch, mm: two and a half standard deviations and a tenth more, and no
    less than a line, to 0.05."""
    growth = process.growth
    need = 2 * growth.mean + 2.5 * math.hypot(2 * growth.sd, WANDERS) + APART
    return math.ceil(max(need, process.line_width) / 0.05 - 1e-9) * 0.05


def fill_of(process: Process, loops: int | None) -> Fill:
    """Return how a spring is filled."""
    return Fill(process.loops if loops is None else loops, process.line_width, process.filled,
                process.solid_layers * process.layer_height)


def summary(s: Spring) -> str:
    """Return what follows, in words."""
    wide = math.exp(NINE_OF_TEN * s.scatter)
    left, unit = s.at_travel * s.process.plastic.creep, s.load.unit
    low, high = s.at_travel / wide, s.at_travel * wide
    return (f"Stiffness {s.rate:.2f} {s.load.rate}; {s.at_travel:.1f} {unit} at {s.load.told(s.travel)} (90 % of prints: "
            f"{low:.1f} to {high:.1f} {unit}); strain {100 * s.strain:.1f} %. After a year held there, {left:.1f} {unit} "
            f"remain.")


def derived(s: Spring) -> tuple[Derived, ...]:
    """Return the figures of a spring with their formulas."""
    (m, growth), (name, unit) = (s.process.plastic, s.process.growth), (s.load.name, s.load.unit)
    known = f"growth {growth.mean:.2f} ± {growth.sd:.2f} ({s.process.source})"
    found = [
        Derived("rate", "rate", s.rate, s.load.rate, s.rate_formula, f"modulus {s.process.modulus.mean:.0f} MPa"),
        Derived(name, f"{name} at its travel", s.at_travel, unit, s.load_formula, m.source),
        Derived("strain", "strain", 100 * s.strain, "%", s.strain_formula, m.source),
        Derived("energy", "energy", s.energy, "N·mm", "∫ F dx along the way" if s.load is FORCE else "∫ M dφ along the way",
                "geometry"),
        Derived("printed", "bar as printed", s.thickness, "mm", "thickness + 2·growth", known),
        Derived("band", f"{name} spread, 90 % of prints", 100 * (math.exp(NINE_OF_TEN * s.scatter) - 1), "%",
                "exp(1.645·√((sd E/E)² + (6·sd g/t)²)) − 1", known),
        Derived("travel_yield", "travel it stands once", s.yields, s.load.along, "where its strain is what is stood once",
                m.source),
        Derived("held", "left after a year held", s.at_travel * m.creep, unit, f"{name} · creep", m.source),
    ]
    if math.isfinite(s.gap):
        found.insert(4, Derived("bar_gap", "gap between bars", s.gap, "mm", "drawn, the least", "geometry"))
    if 0 < s.solid < math.inf:
        found.insert(5, Derived("travel_solid", "travel to solid", s.solid, s.load.along, s.solid_formula, "geometry"))
    return tuple(found)


def _refuse_contradictions(s: Spring) -> None:
    """Refuse what no spring can give at once, whatever its sizes: the shape of its curve says so.

    Raises:
        SolveError: when load, rate and energy that are asked together contradict each other.
    """
    if len(s.off) < 2:
        return
    ratios = {what: asked / value for what, (value, asked) in s.off.items()}
    least, most = min(ratios, key=lambda what: ratios[what]), max(ratios, key=lambda what: ratios[what])
    if ratios[most] > AGREE * ratios[least]:
        value, asked = s.off[least]
        raise SolveError(f"the {most} and the {least} asked for contradict each other over {s.load.told(s.travel)}: with that "
                         f"{most} the {least} is {value * ratios[most]:.3g}, not {asked:g}", field="travel", value=asked)


def _works_by(s: Spring) -> str:
    """What the chance that it works is made of, the least part first."""
    parts = [(s.whole, f"the bar prints at least {s.thinnest:.2f} mm thick in"), (s.parts, "bars print apart in"),
             (s.survives, "the plastic survives its strain in"),
             *([(s.as_asked, f"{' and '.join(s.off)} as asked in")] if s.off else [])]
    worst = sorted(part for part in parts if part[0] < CERTAIN) or [min(parts)]
    return ", ".join(f"{words} {100 * share:.0f} % of prints" for share, words in worst)


def checks(s: Spring, mends: dict[str, tuple[str, ...]]) -> list[Check]:
    """Return the verdicts on a spring; ``mends``: what could mend strain, load and gaps, by those words."""
    m, growth, name, unit = s.process.plastic, s.process.growth, s.load.name, s.load.unit
    _refuse_contradictions(s)
    lean = s.gap - 2 * (growth.mean + 2 * growth.sd)
    found = [
        Check("springs", "Springs and lasts", 100 * s.chance, 90, "%", stop=50, mend=mends["strain"] + mends["gap"],
              printer=True, topic="shape", why=_works_by(s),
              basis="90 % of prints (common practice, no source)"),
        Check("strain", "Strain", 100 * s.strain, 100 * s.permissible, "%", least=False, stop=m.strain_break,
              mend=mends["strain"], printer=True, topic="shape",
              why=f"greatest strain at the surface; {m.name} survives {100 * s.permissible:.1f} % "
                  f"{'once' if s.cycles <= 1 else f'for {s.cycles} uses'}",
              basis="the strain the material stands as often as it is used"),
        Check("bar-lines", "Bar thickness", s.thickness, s.thinnest, "mm", mend=("thickness",),
              printer=True, topic="print", why="as printed; a thinner bar is a single line, which splits between its layers",
              basis="two lines of the process, and a millimetre (common practice, no source)"),
    ]
    if math.isfinite(s.gap):
        found.append(Check("bars-apart", "Gap between bars", lean, APART, "mm", stop=0.0, mend=mends["gap"], printer=True,
                           topic="fit", why="narrowest gap this printer leaves; bars that touch while printing are one bar",
                           basis="0.1 mm (common practice, no source)"))
    if s.closes:
        reach = min(s.touches, 10 * s.travel)
        found.append(Check("solid", "Travel until bars touch", reach, s.travel, s.load.along, mend=mends["gap"], printer=True,
                           topic="shape", why=s.meets, basis="the travel that is asked"))
    units = {name: unit, "rate": s.load.rate, "energy": "N·mm"}
    for what, (value, asked) in s.off.items():
        found.append(Check(what, f"{what.capitalize()} as asked", 100 * abs(value / asked - 1), 100 * NEAR, "%", least=False,
                           stop=100, mend=mends["load"], printer=True, topic="shape",
                           why=f"{value:.3g} {units[what]} of {asked:g}"
                               + (f" at {s.load.told(s.travel)}" if what == name else "") + "; 90 % of prints lie within "
                               f"± {100 * (math.exp(NINE_OF_TEN * s.scatter) - 1):.0f} %",
                           basis="10 % (common practice, no source)", log_error=math.log(max(value, 1e-9) / asked)))
    return found


def stopped_whole(s: Spring, mend: tuple[str, ...], what: str) -> Check:
    """Return the verdict on whether it stands where it is stopped; ``what``: of it meets the stop."""
    plastic = s.process.plastic
    return Check("stopped-whole", "Strain at the end stop", 100 * s.strain * (1 + BEYOND), plastic.strain_once, "%",
                 least=False, stop=plastic.strain_break, mend=mend, topic="shape", printer=True,
                 why=f"strain where {what} meets the stop; the material bears so much once", basis="the strain the material "
                                                                                                   "stands once")


def solution(kind: Kind, params: SpringParams, s: Spring, about: str, **parts: Any) -> Solution:
    """Return a solved spring; ``about``: what its ruler says besides the material; ``parts``: motions, draw, checks, summary,
    and figures where it has more than every spring."""
    return Solution(**{
        "kind": kind.id, "params": params, "process": s.process, "derived": derived(s), "summary": summary(s),
        "aim": Aim("springs", s.chance, "springs and lasts", "springs", needs=("strain",)),
        "rulers": (Ruler("thickness", params.facts()["thickness"].label, "thickness", 0.4,
                         round(max(3 * params.thickness, 2.0), 1), "mm", f"{s.process.plastic.name}, {about}", params.thickness,
                         s.zones, BENT), _load_ruler(s)),
        "notes": (("Wall lines", fill_of(s.process, params.loops).words), ("Lay", "as exported, flat: it bends in its layers"),
                  ("Material", s.process.plastic.name),
                  *((("Energy", f"stores {s.energy:.0f} N·mm: hold it when it is let go, and wear eye protection"),)
                    if s.energy >= LIVELY else ())), **parts})


def moving(s: Spring, label: str, words: str, follow: Callable[[Array, float], Array],
           strained: Callable[[Array, float], Array], mend: tuple[str, ...], bars: Callable[[], tuple[Bar, ...]],
           show: float = 0.7) -> Motion:
    """Return how a spring that is one body moves.

    Args:
        label, words: what the user does, and what is done then. follow: from its points (n, 3) and a travel to where they are.
        strained: to how strained they are, as a part of what it stands. mend: what could mend that it runs into itself.
        bars: sections of its bars as they were computed. show: part of its travel at which it is first shown.
    """
    def bends(value: float) -> dict[str, Warp]:
        return {"A": lambda points: follow(points, value)} if value > 1e-6 else {}

    return Motion(label, s.load.along, 0.0, s.travel, 0.0, 0.0, trial=ALONE, bends=bends, flexing=("A",), mend=mend,
                  show=show * s.travel, course=s.course(words), stands=100 * s.permissible,
                  strains=lambda value: {"A": lambda points: strained(points, value)}, bars=bars)


def _load_ruler(s: Spring) -> Ruler:
    """Return the ruler of what it gives at its travel, which brings its thickness there."""
    # A round end that stays where it is while it is dragged.
    least = ROOM * (2 * s.wanted.load if s.wanted.load else max(s.at_travel, 1e-3))
    decade = 10.0 ** math.floor(math.log10(least))
    high = next(part * decade for part in (1, 2, 5, 10) if part * decade >= least)
    return Ruler("load", s.load.name, "thickness", 0.0, high, s.load.unit, f"at {s.load.told(s.travel)}",
                 min(s.at_travel, high), s.load_zones, ASKED if s.wanted.load else s.load.scale, direct=False)


def with_notes(solution: Solution, notes: tuple[tuple[str, str], ...]) -> Solution:
    """Return a solution with more notes on its print."""
    return replace(solution, notes=(*solution.notes, *notes))
