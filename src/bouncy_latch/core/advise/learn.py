"""What prints teach: from outcomes and readings to what is believed of a process.

Believed are growth g, hole term t, elephant foot e, sag s, shrinkage k, log modulus and a weld factor w (logarithm of how
much stronger welds are than the process says). Readings are linear in the first six and update a Gaussian in closed form.
Outcomes are ordered classes whose chances the print prediction gives at every g and w; they update a grid over the two, and
the other numbers follow by their covariance with g. One outcome in :data:`SLIP` is taken for a slip of the record.
"""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError, UserError
from bouncy_latch.core.layers.breakaway import HAND_PULL, RATTLE_GAP, TOOL_FACTOR, Strength
from bouncy_latch.core.layers.facing import weld_areas
from bouncy_latch.core.layers.freedom import SAG_BOND, SAG_FADE
from bouncy_latch.core.mechanisms import fields, registry
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.normal import cdf
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.outcomes import OUTCOMES
from bouncy_latch.core.process.profile import Process, Spread

Array = npt.NDArray[np.float64]

NAMES = ("growth", "hole_term", "elephant_foot", "sag", "shrinkage", "modulus")
SLIP = 0.03
"""Chance that an outcome was misjudged or misrecorded (common practice, no source)."""
RESIDUAL = 0.15
"""Spread of the logarithm of the bond from one print to the next on one printer (common practice, no source)."""
NEXT_PRINT = 0.01
"""How far growth wanders from one print to the next on one printer, mm per side (common practice, no source)."""
RATTLE_SD = 0.04
PART_NOISE = 0.03
"""How far one printed size differs from the next for reasons nobody models, mm (common practice, no source)."""
BEND_LOAD, BEND_LENGTH, BEND_WIDTH, BEND_DEPTH = 1.0, 60.0, 8.0, 2.4
"""The bend bar: newtons at the tip of a clamped bar, mm."""
UNLIKELY = 0.05
MANY = 20
FLAT_GAP = "flat-gap"
"""The kind of a lid over a pad, as results name it."""
LID_AREA = 121.0
"""Of such a lid, mm²."""
_G, _W = 61, 17
_REACH = 4.0
SLIDE_NOISE = 0.04
"""Spread of one tilt as a coefficient of friction (common practice, no source)."""


@dataclass(frozen=True)
class Belief:
    """What is believed of a process.

    Attributes:
        mean: of :data:`NAMES` (6,), the modulus as its logarithm. cov: (6, 6).
        growths, factors: the grid, (G,) and (W,). weights: (G, W), sum 1.
        results, readings: how many of each it rests on.
        overhang: steepest underside that came out clean, degrees; None where none was looked at.
        plastic: values of the material that were measured, as pairs of a name and a number.
    """

    mean: Array
    cov: Array
    growths: Array
    factors: Array
    weights: Array
    results: int
    readings: int
    overhang: float | None = None
    plastic: tuple[tuple[str, float], ...] = ()

    def spread(self, name: str) -> Spread:
        """Return a number by its process name."""
        i = NAMES.index(name)
        mean, sd = float(self.mean[i]), float(math.sqrt(max(self.cov[i, i], 0.0)))
        if name == "modulus":
            return Spread(mean=math.exp(mean), sd=math.exp(mean) * sd)
        return Spread(mean=mean, sd=sd)

    @property
    def factor(self) -> Spread:
        """The weld factor, a logarithm."""
        own = self.weights.sum(axis=0)
        mean = float(own @ self.factors)
        return Spread(mean=mean, sd=math.sqrt(max(float(own @ (self.factors - mean) ** 2), 0.0)))

    def process(self, process: Process) -> Process:
        """Return a process as it is believed to be; unchanged when there is no evidence."""
        if not self.results + self.readings:
            return process
        factor, growth = self.factor, self.spread("growth")
        words = [f"{count} {what}{'s' if count > 1 else ''}" for count, what in
                 ((self.results, "result"), (self.readings, "reading")) if count]
        return process.model_copy(update={
            **{name: _rounded(self.spread(name)) for name in NAMES},
            "growth": _rounded(Spread(mean=growth.mean, sd=math.hypot(growth.sd, NEXT_PRINT))),
            "bond_stacked": process.bond_stacked * math.exp(factor.mean),
            "bond_side": process.bond_side * math.exp(factor.mean),
            "bond_spread": math.hypot(factor.sd, RESIDUAL),
            **({"overhang_limit": self.overhang} if self.overhang is not None else {}),
            **({"material_values": tuple(sorted({**dict(process.material_values), **dict(self.plastic)}.items()))}
               if self.plastic else {}),
            "source": f"learnt from {' and '.join(words)}",
        })


def _rounded(spread: Spread) -> Spread:
    return Spread(mean=round(spread.mean, 5), sd=round(spread.sd, 5))


@dataclass(frozen=True)
class Doubt:
    """A result that the others contradict: its key, how likely it was, the chance of a slip, and a sentence."""

    key: str
    chance: float
    slip: float
    sentence: str


@dataclass(frozen=True)
class Learnt:
    """A belief with everything the Fit stop says about it."""

    belief: Belief
    doubts: tuple[Doubt, ...] = ()
    unused: tuple[str, ...] = ()
    used: tuple[Result | Reading, ...] = field(default=(), repr=False)


def prior(process: Process) -> tuple[Array, Array, float]:
    """Return mean (6,), covariance (6, 6) and spread of the weld factor before any evidence."""
    spreads = [getattr(process, name) for name in NAMES]
    mean = np.array([s.mean for s in spreads])
    sd = np.array([max(s.sd, 1e-4) for s in spreads])
    mean[-1], sd[-1] = math.log(mean[-1]), sd[-1] / math.exp(math.log(mean[-1]))
    return mean, np.diag(sd**2), math.sqrt(max(process.bond_spread**2 - RESIDUAL**2, 0.05**2))


def learn(process: Process, items: Sequence[Result | Reading]) -> Learnt:
    """Return what ``items`` teach about ``process``; what cannot be used is named."""
    mean, cov, factor_sd = prior(process)
    unused: list[str] = []
    angles: list[float] = []
    measured: dict[str, list[float]] = {}
    used: list[Result | Reading] = []
    for item in items:
        if isinstance(item, Reading) and item.feature == "overhang":
            angles += [min(max(value, 20.0), 80.0) for value in item.values]
            used.append(item)
        elif isinstance(item, Reading) and item.feature in _OF_PLASTIC:
            measured.setdefault(item.feature, []).extend(item.values)
            used.append(item)
        elif isinstance(item, Reading):
            row = _reading(item, mean, process)
            if row is None:
                unused.append(f"{item.feature} {item.nominal:g}: no more than noted")
                continue
            mean, cov = _updated(mean, cov, *row)
            used.append(item)
    results = [item for item in items if isinstance(item, Result)]
    if len(results) > MANY:
        import scipy.special  # noqa: F401 - the fast Φ; for a few results loading it would cost more than it saves
    growths = mean[0] + math.sqrt(cov[0, 0]) * np.linspace(-_REACH, _REACH, _G)
    factors = factor_sd * np.linspace(-_REACH, _REACH, _W)
    log_weights = -0.5 * ((growths - mean[0]) ** 2 / cov[0, 0])[:, None] - 0.5 * ((factors / factor_sd) ** 2)[None, :]
    told: list[tuple[Result, Array]] = []
    known: dict[tuple[str, ...], Array] = {}
    for item in results:
        if item.outcome not in OUTCOMES:
            unused.append(f"{item.kind} {item.param} {item.value:g}: no more than noted")
            continue
        try:
            design = (item.kind, item.param, f"{item.value:g}", item.params)
            chances = known[design] if design in known else chances_of(item, process, growths, factors)
            known[design] = chances
        except (UserError, ValueError):
            unused.append(f"{item.kind} {item.param} {item.value:g}: its kind or sizes are not known here")
            continue
        likely = (1 - SLIP) * chances[:, :, OUTCOMES.index(item.outcome)] + SLIP / len(OUTCOMES)
        log_weights = log_weights + np.log(likely)
        told.append((item, likely))
        used.append(item)
    weights = np.exp(log_weights - log_weights.max())
    weights /= weights.sum()
    mean, cov = _followed(mean, cov, growths, weights.sum(axis=1))
    overhang = round(math.fsum(angles) / len(angles), 1) if angles else None
    belief = Belief(mean, cov, growths, factors, weights, len(told), sum(isinstance(i, Reading) for i in used), overhang,
                    _plastic(process, measured))
    return Learnt(belief, tuple(_doubts(weights, told)), tuple(unused), tuple(used))


_OF_PLASTIC = ("slides at", "tears at")


def _plastic(process: Process, measured: dict[str, list[float]]) -> tuple[tuple[str, float], ...]:
    """Return what tilts (degrees) and droops at tearing (mm) say of the material, weighed against its table by their spreads.

    µ = tan of the tilt; ε = 3 h y / (2 L²) at the root of the bend bar. Permissible strains keep their part of the one at
    which it tears.
    """
    if not measured:
        return ()
    found: dict[str, float] = {}
    try:
        known = process.plastic
    except UserError:
        return ()  # a material nothing is known of has nothing to weigh the readings against
    if tilts := measured.get("slides at"):
        told = [math.tan(math.radians(min(max(tilt, 1.0), 55.0))) for tilt in tilts]
        own = max(float(np.std(told)), SLIDE_NOISE) / math.sqrt(len(told))
        precision, mine = 1 / known.friction_sd**2, 1 / own**2
        found["friction"] = round((precision * known.friction + mine * math.fsum(told) / len(told)) / (precision + mine), 4)
        found["friction_sd"] = round(1 / math.sqrt(precision + mine), 4)
    if droops := measured.get("tears at"):
        torn = 100 * 3 * BEND_DEPTH * math.fsum(droops) / len(droops) / (2 * BEND_LENGTH**2)
        share = torn / known.strain_break
        found |= {"strain_break": round(torn, 3), "strain_once": round(share * known.strain_once, 3),
                  "strain_repeated": round(share * known.strain_repeated, 3)}
    return tuple(found.items())


def _reading(item: Reading, mean: Array, process: Process) -> tuple[Array, float, float] | None:
    """Return the row H (6,), the value and its variance of a reading, so that value ≈ H · numbers; None: not linear."""
    count = len(item.values)
    value = math.fsum(item.values) / count
    own = np.var(item.values, ddof=1) / count if count > 2 else 0.02**2 / count
    variance = float(own) + PART_NOISE**2
    d = item.nominal
    row = np.zeros(6)
    if item.feature in {"outside", "length", "first layer"}:
        row[0], row[4] = 2.0, -d / 100
        row[2] = 2.0 if item.feature == "first layer" else 0.0
        return row, value - d, variance
    if item.feature == "hole":
        row[0], row[1], row[4] = -2.0, -2.0 / (1 + d / 2 / 3.0), -d / 100
        return row, value - d, variance
    if item.feature == "sag" and d > 0:
        row[3] = (d / 10) ** 4
        return row, value, variance + (0.15 * value) ** 2
    if item.feature == "bend" and value > 0:
        # Droop = F L³ / (3 E I); the logarithm is linear in log E.
        inertia = BEND_WIDTH * BEND_DEPTH**3 / 12
        row[5] = 1.0
        return row, math.log(BEND_LOAD * BEND_LENGTH**3 / (3 * inertia * value)), variance / value**2 + 0.05**2
    return None


def _updated(mean: Array, cov: Array, row: Array, value: float, variance: float) -> tuple[Array, Array]:
    """Return a Gaussian updated by one linear observation."""
    gain = cov @ row / float(row @ cov @ row + variance)
    return mean + gain * (value - float(row @ mean)), cov - np.outer(gain, row @ cov)


def _followed(mean: Array, cov: Array, growths: Array, weights: Array) -> tuple[Array, Array]:
    """Return mean and covariance after the growth alone became ``weights`` over ``growths``."""
    new = float(weights @ growths)
    variance = float(weights @ (growths - new) ** 2)
    gain = cov[:, 0] / cov[0, 0]
    return mean + gain * (new - mean[0]), cov - np.outer(gain, gain) * (cov[0, 0] - variance)


# -- outcomes -----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Joint:
    """A printed joint as outcomes see it: log breakaway over :data:`TABLE` at the process's own bond, limits and least gap.

    ``log_moments`` (n,); ``limits``: logarithms of what is unfelt, what a hand and what a tool can break; ``least`` mm.
    """

    log_moments: Array
    limits: Array
    least: float


TABLE = np.linspace(-0.4, 0.7, 111)
"""Growths at which a joint's breakaway is tabulated, mm per side."""


def joint(faces: Sequence[Any], strength: Strength, least: float, process: Process) -> Joint:
    """Return facing surfaces, which are ``least`` mm apart where they stay together, as outcomes see them."""
    stacked, side = weld_areas(faces, process, TABLE)
    lever = np.array([f.lever for f in faces])[:, None]
    moments = ((stacked * process.bond_stacked + side * process.bond_side) * lever).sum(axis=0)
    tool = min(strength.tool, strength.part)
    hand = min(strength.hand, 0.999 * tool)
    limits = np.log([min(strength.unfelt, 0.99 * hand), hand, tool])
    return Joint(np.log(np.maximum(moments, 1e-9)), limits, least)


def chances_of(item: Result, process: Process, growths: Array, factors: Array) -> Array:
    """Return the chance of every outcome of a print at every growth and weld factor, (G, W, 5).

    Raises:
        UserError: when its kind, sizes or process make no mechanism.
    """
    return class_chances(_printed(item.kind, item.param, item.value, item.params, process), growths, factors)


@lru_cache(maxsize=1024)
def _printed(kind_id: str, param: str, value: float, params: str, process: Process) -> Joint:
    if kind_id == FLAT_GAP:
        return _lid(value, process)
    kind = registry.kind(kind_id)
    design = fields.parse(kind.params, json.loads(params)) if params else kind.piece_of(kind.params())
    return joint_of(kind.solve(design.changed(**{param: value}), process), process)


def joint_of(solution: Solution, process: Process) -> Joint:
    """Return a solved mechanism as outcomes see it.

    Raises:
        SolveError: for a kind that is not printed in place, whose outcomes say nothing about welds.
    """
    if solution.freeing is None:
        raise SolveError(f"a {solution.kind} is not printed in place; its outcomes tell nothing about welds")
    least = min(face.gap for face in solution.faces if face.stays)
    return joint(solution.faces, solution.freeing.strength, least, process)


def _lid(gap: float, process: Process) -> Joint:
    """Return the lid of a flat-gap ladder: laid on its pad, or hung down onto it over empty layers; growth does not matter."""
    empty = round(gap / process.layer_height)
    bond = process.bond_stacked * (1.0 if empty == 0 else SAG_BOND / SAG_FADE ** (empty - 1))
    force = LID_AREA * bond
    limits = np.log([1.0, HAND_PULL, TOOL_FACTOR * HAND_PULL])
    return Joint(np.full(len(TABLE), math.log(force)), limits, gap)


def class_chances(printed: Joint, growths: Array, factors: Array) -> Array:
    """Return the chance of every outcome of a joint at every growth and weld factor, (G, W, 5)."""
    log_moment = np.interp(growths, TABLE, printed.log_moments)[:, None] + factors[None, :]
    unfelt, by_hand, by_tool = cdf((printed.limits[:, None, None] - log_moment[None]) / RESIDUAL)
    loose = cdf((printed.least - 2 * growths - RATTLE_GAP) / RATTLE_SD)[:, None]
    rattles = np.minimum(unfelt, loose)
    return np.stack([1 - by_tool, by_tool - by_hand, by_hand - unfelt, unfelt - rattles, rattles], axis=2)


def _doubts(weights: Array, told: Sequence[tuple[Result, Array]]) -> list[Doubt]:
    """Return the results that all the others together make unlikely."""
    found = []
    for item, likely in told if len(told) > 2 else ():
        without = weights / likely
        without /= without.sum()
        seen = (float((without * likely).sum()) - SLIP / len(OUTCOMES)) / (1 - SLIP)
        if seen < UNLIKELY:
            slip = SLIP / len(OUTCOMES) / (SLIP / len(OUTCOMES) + (1 - SLIP) * max(seen, 0.0))
            found.append(Doubt(item.key, max(seen, 0.0), slip, _disagreement(item, [t for t, _ in told], slip)))
    return found


def _disagreement(item: Result, others: Sequence[Result], slip: float) -> str:
    rank, sure = OUTCOMES.index(item.outcome), min(99.0, 100 * slip)
    for other in others:
        theirs = OUTCOMES.index(other.outcome)
        alike = (other.kind, other.param) == (item.kind, item.param)
        if alike and ((item.value < other.value and rank > theirs) or (item.value > other.value and rank < theirs)):
            small, large = sorted((item, other), key=lambda r: r.value)
            return (f"two results disagree: {small.param} {small.value:g} came out {small.outcome}, {large.value:g} only "
                    f"{large.outcome}; {sure:.0f} % that {item.value:g} is a slip")
    return (f"{item.param} {item.value:g} came out {item.outcome}, which the other results make unlikely; "
            f"{sure:.0f} % that it is a slip")


# -- where a process starts -----------------------------------------------------------------------------------------------

WIDER = {"growth": 0.03, "hole_term": 0.02, "elephant_foot": 0.05, "sag": 0.15, "shrinkage": 0.15, "modulus": 500.0}
"""What another material or colour may change on the same printer, standard deviations (common practice, no source)."""


def start(process: Process, known: Sequence[tuple[Process, Sequence[Result | Reading]]]) -> Process:
    """Return where a process without evidence begins: from its printer's other materials, widened; else as it is.

    ``known``: other processes with their evidence.
    """
    kin = [(other, items) for other, items in known
           if other.id != process.id and (other.printer, other.nozzle) == (process.printer, process.nozzle) and items]
    if not kin:
        return process
    other, items = max(kin, key=lambda pair: len(pair[1]))
    learnt = learn(other, items).belief
    changes: dict[str, Any] = {}
    for name in NAMES:
        own = learnt.spread(name)
        if name == "modulus" and other.material != process.material:
            continue
        changes[name] = Spread(mean=own.mean, sd=math.hypot(own.sd, WIDER[name]))
    return process.model_copy(update={**changes, "source": f"from {other.title}, widened"})
