"""What prints teach: from outcomes and readings to what is believed of a process.

Believed are growth g, hole term t, elephant foot e, sag s, shrinkage k, ridges r, what flanks of threads stand out, log
modulus and a weld factor w (logarithm of how much stronger welds are than the process says). Readings are linear in all but
the last and update a Gaussian in closed form. Jaws rest on high points, outside and in a hole, so a reading tells g + r; only
outcomes tell the two apart, and how far readings at several places differ.
Outcomes are ordered classes whose chances the print prediction gives at every g and w, and those of surfaces that meet the bed
at every e; they update a grid over these, and the other numbers follow by their covariance. One outcome in :data:`SLIP` is
taken for a slip of the record.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from itertools import combinations
from typing import Any

import numpy as np

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.likelihood import RESIDUAL
from bouncy_latch.core.learn.printed import Silent, printed
from bouncy_latch.core.learn.told import SLIP, TERMS, Known, Told, followed, said_by, taught, values_of
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.numbers import Array, cdf
from bouncy_latch.core.outcomes import FELT, IN_PLACE, OUTCOMES, Scale
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.profile import Process, Spread, hole_shrink

NAMES = ("growth", "hole_term", "elephant_foot", "sag", "shrinkage", "ridge", "flank", "peg_term", "modulus")
_GROWTH, _HOLE, _FOOT, _SAG, _SHRINK, _RIDGE, _FLANK, _PEG, _MODULUS = range(len(NAMES))
NEXT_PRINT = 0.01
"""How far growth wanders from one print to the next on one printer, mm per side (common practice, no source)."""
ONE_LAYER = 0.82
"""How far jaws on the first layer rest out, as part of how far they do on the block above it. The highest peaks of two sides
with six each stand 2 × 1.27 deviations out, the widest of three such layers 3.3, of a boss's seventeen 4.2: it is 0.18 of what
a boss shows less (expected greatest of normal values; H. L. Harter, "Expected values of normal order statistics", 1961)."""
TAKEN = 0.016
"""How far what a caliper says of growth is off on one printer, all readings together, mm per side: its own error, 0.02 to
0.03 on a diameter (DIN 862), and jaws that meet seams more often than ridges (common practice, no source)."""
OWN_ERROR = 0.012
"""The caliper's own part of that, mm per side."""
RESTS = 0.3
"""Part of the ridges' height by which jaws rest otherwise on one ragged printer than on the next (one standard deviation;
common practice, no source)."""
PART_NOISE = 0.03
"""How far one printed size differs from the next for reasons nobody models, mm (common practice, no source)."""
BEND_LOAD, BEND_LENGTH, BEND_WIDTH, BEND_DEPTH = 1.0, 60.0, 8.0, 2.4
"""The bend bar: newtons at the tip of a clamped bar, mm."""
_SURPRISING = 0.2
MANY = 20
FIT_PEG, PEG = "fit-peg", 8.0
"""The kind of a peg in stepped holes, as results name it, and the diameter of the peg, mm."""
_G, _W = 61, 17
_REACH = 4.0
HAND = 0.015
"""Spread of readings that a hand takes of one and the same place, mm (common practice, no source)."""
SAME, ALIKE = 0.015, 0.4
"""How far the ridges may lie from what the scatter of readings says, because jaws find the same ones again or because the
surface is no normal one: mm, and as a part of it (common practice, no source)."""
WEIGHING = 0.06
"""How far a weighed spring's stiffness is off: a travel read by eye, a bar that is not even (common practice, no source)."""
JAW_FLAT = 0.6
"""Width of the flat of a caliper's inside jaws, mm; between 0.3 and 0.8 (common practice, no source)."""
JAW_SD = 0.5
"""Spread of the highest of the 25 or so ridges that a jaw meets, in standard deviations of the surface (order statistics of a
normal sample, 0.48 for 25, by numerical integration)."""
SLIDE_NOISE = 0.04
"""Spread of one tilt as a coefficient of friction (common practice, no source)."""


@frozen
class Belief:
    """What is believed of a process.

    Attributes:
        mean: of :data:`NAMES` (9,), the modulus as its logarithm. cov: (9, 9).
        growths, factors: the grid, (G,) and (W,). weights: (G, W), sum 1.
        results, readings: how many of each it rests on.
        overhang: steepest underside that came out clean, degrees; None where none was looked at.
        plastic: values of the material that were measured, as pairs of a name and a number.
        scatter: whether readings at several places told how rough it prints.
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
    scatter: bool = False

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

    def _correlated(self) -> tuple[float, ...]:
        """Return the correlations of :data:`fits.TOGETHER`, growth that of the next print."""
        sd = np.sqrt(np.diag(self.cov))
        sd[_GROWTH] = math.hypot(sd[_GROWTH], NEXT_PRINT)
        found = self.cov / np.outer(sd, sd)
        return tuple(round(float(np.clip(found[NAMES.index(a), NAMES.index(b)], -0.999, 0.999)), 4)
                     for a, b in combinations(fits.TOGETHER, 2))

    def process(self, process: Process) -> Process:
        """Return a process as it is believed to be; unchanged when there is no evidence."""
        if not self.results + self.readings:
            return process
        factor, growth = self.factor, self.spread("growth")
        words = [f"{count} {what}{'s' if count > 1 else ''}" for count, what in
                 ((self.results, "result"), (self.readings, "reading")) if count]
        return (rough_as(process, self.spread("ridge").mean) if self.scatter else process).model_copy(update={
            **{name: _rounded(self.spread(name)) for name in NAMES},
            "growth": _rounded(Spread(mean=growth.mean, sd=math.hypot(growth.sd, NEXT_PRINT))),
            "correlated": self._correlated(),
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


@frozen
class Doubt:
    """A result that the others contradict: its key, how likely it was, the chance of a slip, and a sentence."""

    key: str
    chance: float
    slip: float
    sentence: str


@frozen
class Learnt:
    """A belief with everything the Fit stop says about it."""

    belief: Belief
    doubts: tuple[Doubt, ...] = ()
    unused: tuple[str, ...] = ()
    used: tuple[Result | Reading, ...] = field(default=(), repr=False)


def prior(process: Process) -> tuple[Array, Array, float]:
    """Return mean (9,), covariance (9, 9) and spread of the weld factor before any evidence."""
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
    jaws: list[Reading] = []
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
            if item.feature in _BY_JAWS:
                jaws.append(item)
            used.append(item)
    scatter = _roughness(jaws)
    if scatter is not None:
        mean, cov = _updated(mean, cov, *scatter)
        process = rough_as(process, float(mean[_RIDGE]))
    if jaws:
        cov = cov.copy()
        # The sum of growth and ridges is off by the caliper's own error; how it falls to the two is less well known.
        split = TAKEN**2 - OWN_ERROR**2 + (RESTS * float(mean[_RIDGE])) ** 2
        cov[_GROWTH, _GROWTH] += OWN_ERROR**2
        cov[np.ix_((_GROWTH, _RIDGE), (_GROWTH, _RIDGE))] += split * np.array([[1.0, -1.0], [-1.0, 1.0]])
    fitted = [item for item in items if isinstance(item, Result) and item.kind == FIT_PEG and item.outcome in FELT.names]
    for item in fitted:
        mean, cov = _felt(item, mean, cov)
    used += fitted
    results = [item for item in items if isinstance(item, Result) and item not in fitted]
    if len(results) > MANY:
        import scipy.special  # noqa: F401 - the fast Φ; for a few results loading it would cost more than it saves
    known = _before(mean, cov, factor_sd)
    told: list[Told] = []
    seen: dict[tuple[str, ...], Told] = {}
    outcomes = {kind_id: scale_of(kind_id).names for kind_id in {item.kind for item in results}}
    for item in results:
        names = outcomes[item.kind]
        if item.outcome not in names:
            unused.append(f"{item.kind} {item.param} {item.value:g}: no more than noted")
            continue
        try:
            design = (item.kind, item.param, f"{item.value:g}", item.params, item.outcome)
            if design not in seen:
                seen[design] = known.told(item, printed(item, process), names.index(item.outcome))
        except (UserError, ValueError) as error:
            why = "no more than noted" if isinstance(error, Silent) else "its kind or sizes are not known here"
            unused.append(f"{item.kind} {item.param} {item.value:g}: {why}")
            continue
        told.append(seen[design] if seen[design].item is item else replace(seen[design], item=item))
        used.append(item)
    said = said_by(told)
    weights = known.weights(said)
    mean, cov = followed(mean, cov, known.growths, weights.sum(axis=1))
    for name in filter(None, said):
        mean, cov = taught(mean, cov, NAMES.index(name), known.growths, known.terms[name][0], known.joint(said, name))
    overhang = round(math.fsum(angles) / len(angles), 1) if angles else None
    belief = Belief(mean, cov, known.growths, known.factors, weights, len(told) + len(fitted),
                    sum(isinstance(i, Reading) for i in used), overhang, _plastic(process, measured),
                    scatter is not None)
    return Learnt(belief, tuple(_doubts(weights, told, said, known)), tuple(unused), tuple(used))


def _before(mean: Array, cov: Array, factor_sd: float) -> Known:
    """Return what readings say before any outcome."""
    growths = mean[_GROWTH] + math.sqrt(cov[_GROWTH, _GROWTH]) * np.linspace(-_REACH, _REACH, _G)
    factors = factor_sd * np.linspace(-_REACH, _REACH, _W)
    log_weights = (-0.5 * ((growths - mean[_GROWTH]) ** 2 / cov[_GROWTH, _GROWTH])[:, None]
                   - 0.5 * ((factors / factor_sd) ** 2)[None, :])
    terms = {name: values_of(mean, cov, NAMES.index(name), growths) for name in TERMS}
    return Known(growths, factors, log_weights, terms)


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
    """Return the row H (9,), the value and its variance of a reading, so that value ≈ H · numbers; None: not linear."""
    count = len(item.values)
    value = math.fsum(item.values) / count
    own = np.var(item.values, ddof=1) / count if count > 2 else 0.02**2 / count
    variance = float(own) + PART_NOISE**2
    d = item.nominal
    row = np.zeros(len(NAMES))
    if item.feature in {"outside", "peg", "length", "first layer"}:
        row[_GROWTH], row[_RIDGE], row[_SHRINK] = 2.0, 2.0 * (ONE_LAYER if item.feature == "first layer" else 1.0), -d / 100
        row[_PEG] = -2.0 * hole_shrink(1.0, d / 2) if item.feature == "peg" else 0.0
        row[_FOOT] = 2.0 if item.feature == "first layer" else 0.0
        return row, value - d, variance
    if item.feature == "hole":
        row[_GROWTH], row[_RIDGE], row[_HOLE], row[_SHRINK] = -2.0, -2.0, -2.0 * hole_shrink(1.0, d / 2), -d / 100
        # Flat jaws are chords of the hole: they touch w²/(2d) before its diameter does.
        chord = JAW_FLAT**2 / (2 * max(d, 2 * JAW_FLAT))
        return row, value - d + chord, variance + chord**2
    if item.feature == "sag" and d > 0:
        row[_SAG] = (d / 10) ** 4
        return row, value, variance + (0.15 * value) ** 2
    if item.feature == "bend" and value > 0:
        # Droop = F L³ / (3 E I); the logarithm is linear in log E.
        inertia = BEND_WIDTH * BEND_DEPTH**3 / 12
        row[_MODULUS] = 1.0
        return row, math.log(BEND_LOAD * BEND_LENGTH**3 / (3 * inertia * value)), variance / value**2 + 0.05**2
    if item.feature == "weighed" and value > 0 and d > 0:
        # Its force is as E·(t + 2g)³: read as drawn, log E + 3 log(1 + 2g/t), linear in g about what is believed of it.
        growth = float(mean[_GROWTH])
        bar = max(d + 2 * growth, 0.2 * d)
        row[_MODULUS], row[_GROWTH] = 1.0, 6 / bar
        return row, math.log(1000 * value) - 3 * math.log(bar / d) + 6 / bar * growth, WEIGHING**2 / count
    return None


_BY_JAWS = ("outside", "peg", "hole")


def _roughness(items: Sequence[Reading]) -> tuple[Array, float, float] | None:
    """Return what the scatter of readings between places says of the ridges, as a row, a value and its variance.

    Two jaws each rest on the highest of many ridges; what their readings scatter beyond a hand's own is √2 · :data:`JAW_SD` of
    the surface's standard deviation, and the ridges stand ``fits.JAW`` of them out.
    """
    several = [item for item in items if len(item.values) > 2]
    free = sum(len(item.values) - 1 for item in several)
    if not free:
        return None
    pooled = math.fsum(float(np.var(item.values, ddof=1)) * (len(item.values) - 1) for item in several) / free
    found = fits.JAW / (math.sqrt(2) * JAW_SD) * math.sqrt(max(pooled - HAND**2, 0.0))
    row = np.zeros(len(NAMES))
    row[_RIDGE] = 1.0
    # The standard deviation of n normal readings is itself uncertain by 1/√(2n) of it.
    return row, found, SAME**2 + found**2 * (ALIKE**2 + 1 / (2 * free))


def rough_as(process: Process, ridge: float) -> Process:
    """Return a process whose edges waver as its ridges say, in steps of a two-hundredth."""
    return process.model_copy(update={"edge_noise": min(max(round(ridge / fits.JAW / 0.005) * 0.005, 0.01), 0.12)})


def _felt(item: Result, mean: Array, cov: Array) -> tuple[Array, Array]:
    """Return mean and covariance after what a hand says of a peg in a hole: its mean clearance lies within a class.

    The chance of the class over the clearance, its outermost ones open, is taken into the Gaussian by its first two moments
    (assumed density filtering; T. Minka, Expectation propagation for approximate Bayesian inference, UAI 2001). With the
    ridges the limits of the classes move, so the row says how much clearance beyond them is known.
    """
    rough, step = math.sqrt(2) * max(float(mean[_RIDGE]), 0.005) / fits.JAW, 0.004
    edges, wider = (np.array([-math.inf, *fits.limits(round(each, 4)), math.inf]) for each in (rough, rough + step))
    rank = FELT.names.index(item.outcome)
    low, high = edges[rank], edges[rank + 1]
    moving = [(b - a) / step for a, b in zip(edges[rank:rank + 2], wider[rank:rank + 2], strict=True) if math.isfinite(a)]
    row = np.zeros(len(NAMES))
    row[_GROWTH], row[_HOLE], row[_PEG] = -2.0, -hole_shrink(1.0, PEG / 2 + item.value), hole_shrink(1.0, PEG / 2)
    row[_RIDGE] = -math.sqrt(2) / fits.JAW * math.fsum(moving) / len(moving)
    middle = float(row @ mean) - row[_RIDGE] * float(mean[_RIDGE]) + item.value
    before = float(row @ cov @ row)
    clearances = middle + math.sqrt(before) * np.linspace(-5, 5, 201)
    likely = cdf((high - clearances) / (PART_NOISE / 2)) - cdf((low - clearances) / (PART_NOISE / 2))
    weights = np.exp(-0.5 * np.linspace(-5, 5, 201) ** 2) * ((1 - SLIP) * likely + SLIP / len(FELT.names))
    weights /= weights.sum()
    after = float(weights @ clearances)
    gain = cov @ row / before
    left = float(weights @ (clearances - after) ** 2)
    return mean + gain * (after - middle), cov - np.outer(gain, gain) * (before - left)


def _updated(mean: Array, cov: Array, row: Array, value: float, variance: float) -> tuple[Array, Array]:
    """Return a Gaussian updated by one linear observation."""
    gain = cov @ row / float(row @ cov @ row + variance)
    return mean + gain * (value - float(row @ mean)), cov - np.outer(gain, row @ cov)


def scale_of(kind_id: str) -> Scale:
    """Return the scale that outcomes of a kind, or of a ladder that belongs to none, are recorded on."""
    if kind_id == FIT_PEG:
        return FELT
    return registry.kind(kind_id).outcomes if kind_id in registry.ids() else IN_PLACE


def _doubts(weights: Array, told: Sequence[Told], said: Mapping[str, Array], known: Known) -> list[Doubt]:
    """Return the results that all the others together make more likely a slip than not; ``said``: by all of them."""
    found = []
    for each in told if len(told) > 2 else ():
        likely = known.likely(each)
        # Most results are likely enough whatever the others say; only the rest are looked at closely.
        if float((weights * likely).sum()) > _SURPRISING:
            continue
        rest = known.weights({**said, each.term: said[each.term] - each.log_likely})
        seen = (float((rest * likely).sum()) - SLIP / len(OUTCOMES)) / (1 - SLIP)
        slip = SLIP / len(OUTCOMES) / (SLIP / len(OUTCOMES) + (1 - SLIP) * max(seen, 0.0))
        if slip > 0.5:
            found.append(Doubt(each.item.key, max(seen, 0.0), slip, _disagreement(each.item, [t.item for t in told], slip)))
    return found


def _disagreement(item: Result, others: Sequence[Result], slip: float) -> str:
    names = scale_of(item.kind).names
    rank, sure = names.index(item.outcome), min(99.0, 100 * slip)
    for other in others:
        if (other.kind, other.param) != (item.kind, item.param):
            continue
        theirs = names.index(other.outcome)
        if ((item.value < other.value and rank > theirs) or (item.value > other.value and rank < theirs)):
            small, large = sorted((item, other), key=lambda r: r.value)
            return (f"two results disagree: {small.param} {small.value:g} came out {small.outcome}, {large.value:g} only "
                    f"{large.outcome}; {sure:.0f} % that {item.value:g} is a slip")
    return (f"{item.param} {item.value:g} came out {item.outcome}, which the other results make unlikely; "
            f"{sure:.0f} % that it is a slip")


# -- where a process starts -----------------------------------------------------------------------------------------------

WIDER = {"growth": 0.03, "hole_term": 0.02, "elephant_foot": 0.05, "sag": 0.15, "shrinkage": 0.15,
         "ridge": 0.01, "flank": 0.01, "peg_term": 0.01, "modulus": 500.0}
"""What another material or colour may change on the same printer, standard deviations (common practice, no source)."""


def start(process: Process, known: Sequence[tuple[Process, Sequence[Result | Reading]]]) -> Process:
    """Return where a process without evidence begins: from its printer's other spools and settings, widened; else as it is.

    ``known``: other processes with their evidence.
    """
    kin = [(other, items) for other, items in known
           if other.id != process.id and (other.kept_under, other.nozzle) == (process.kept_under, process.nozzle) and items]
    if not kin:
        return process
    other, items = max(kin, key=lambda pair: (pair[0].material == process.material, len(pair[1])))
    learnt = learn(other, items).belief
    changes: dict[str, Any] = {}
    for name in NAMES:
        own = learnt.spread(name)
        if name == "modulus" and other.material != process.material:
            continue
        changes[name] = Spread(mean=own.mean, sd=math.hypot(own.sd, WIDER[name]))
    return process.model_copy(update={**changes, "source": f"from {other.title}, widened"})
