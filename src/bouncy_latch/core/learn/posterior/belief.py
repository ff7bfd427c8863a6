"""What prints teach: from outcomes and readings to what is believed of a process.

Believed are growth g, hole term t, elephant foot e, sag s, shrinkage k, ridges r, how much tighter than worked out fits, flanks
of threads, nuts in their pockets and screws in bosses are, log modulus and a weld factor w (logarithm of how much stronger
welds are than the process says). Readings are linear in all but the last (:mod:`readings`) and are taken in, as are fits that
a hand felt, at several heights of the ridges (:mod:`roughness`). Outcomes are ordered classes whose chances the print
prediction gives at every g and w, and those of surfaces that meet the bed at every e, of a family's pieces at every value of
what its model does not know; they update a grid over these, and the other numbers follow by their covariance. One outcome in
:data:`SLIP` is taken for a slip of the record.
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
from bouncy_latch.core.learn.calibration.readings import BY_JAWS, ONE_LAYER_SD, SEAM, linear, rough_as, scattered
from bouncy_latch.core.learn.posterior.names import GROWTH, MODULUS, NAMES, RIDGE
from bouncy_latch.core.learn.posterior.outcome import Silent, printed
from bouncy_latch.core.learn.posterior.outcome_grid import SLIP, TERMS, Known, Told, followed, said_by, taught, values_of
from bouncy_latch.core.learn.posterior.roughness import BLOBS, BLOBS_SD, Heights
from bouncy_latch.core.learn.posterior.stiffness import OF_PLASTIC, measured_plastic
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.outcomes import FELT, IN_PLACE, NESTED, OUTCOMES, SCREWED, SNAPPED, Scale
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.profile import TOGETHER, Process, Spread

NEXT_PRINT = 0.01
"""How far growth wanders from one print to the next on one printer, mm per side (common practice, no source)."""
_SURPRISING = 0.2
PRESSED = (SCREWED, NESTED, SNAPPED, FELT)
"""Scales of kinds whose outcomes hang on all that readings and fits say, not on growth alone."""
MANY = 20
FIT_PEG = "fit-peg"
"""The kind of a peg in stepped holes, as results name it."""
_RESTS = {SEAM: (BLOBS, BLOBS_SD), "first layer": (0.0, 2 * ONE_LAYER_SD)}
"""Of readings whose jaws rest otherwise than on any ridges: how much further out, and its spread, in heights of them."""
_G, _W = 61, 17
_REACH = 4.0


@frozen
class Belief:
    """What is believed of a process.

    Attributes:
        mean: of :data:`NAMES` (N,), the modulus as its logarithm. cov: (N, N).
        growths, factors: the grid, (G,) and (W,). weights: (G, W), sum 1.
        results, readings: how many of each it rests on.
        overhang: steepest underside that came out clean, degrees; None where none was looked at.
        plastic: values of the material that were measured, as pairs of a name and a number.
        scatter: whether readings at several places, or at the seam, told how rough it prints.
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
        """Return the correlations of :data:`TOGETHER`, growth that of the next print."""
        sd = np.sqrt(np.diag(self.cov))
        sd[GROWTH] = math.hypot(sd[GROWTH], NEXT_PRINT)
        found = self.cov / np.outer(sd, sd)
        return tuple(round(float(np.clip(found[NAMES.index(a), NAMES.index(b)], -0.999, 0.999)), 4)
                     for a, b in combinations(TOGETHER, 2))

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
    """Return mean (N,), covariance (N, N) and spread of the weld factor before any evidence."""
    spreads = [getattr(process, name) for name in NAMES]
    mean = np.array([s.mean for s in spreads])
    sd = np.array([max(s.sd, 1e-4) for s in spreads])
    mean[MODULUS], sd[MODULUS] = math.log(mean[MODULUS]), sd[MODULUS] / mean[MODULUS]
    related = np.array([[process.correlation(one, other) for other in NAMES] for one in NAMES])
    return mean, np.outer(sd, sd) * related, math.sqrt(max(process.bond_spread**2 - RESIDUAL**2, 0.05**2))


def learn(process: Process, items: Sequence[Result | Reading]) -> Learnt:
    """Return what ``items`` teach about ``process``; what cannot be used is named."""
    mean, cov, factor_sd = prior(process)
    fitted = [item for item in items if isinstance(item, Result) and item.kind == FIT_PEG and item.outcome in FELT.names]
    jaws = [item for item in items if isinstance(item, Reading) and item.feature in {*BY_JAWS, SEAM}]
    heights = Heights.over(mean, cov, bool(jaws)) if jaws or fitted else Heights.one(mean, cov)
    unused: list[str] = []
    angles: list[float] = []
    measured: dict[str, list[float]] = {}
    used: list[Result | Reading] = []
    for item in items:
        if isinstance(item, Reading) and item.feature == "overhang":
            angles += [min(max(value, 20.0), 80.0) for value in item.values]
            used.append(item)
        elif isinstance(item, Reading) and item.feature in OF_PLASTIC:
            measured.setdefault(item.feature, []).extend(item.values)
            used.append(item)
        elif isinstance(item, Reading):
            row = linear(item, heights.growth)
            if row is None:
                unused.append(f"{item.feature} {item.nominal:g}: no more than noted")
                continue
            heights = heights.read(*row, *_RESTS.get(item.feature, (0.0, 0.0)))
            used.append(item)
    scatter = scattered(jaws, heights.heights)
    if scatter is not None:
        heights = heights.weighed(scatter)
    rough = scatter is not None or any(item.feature == SEAM for item in jaws)
    if jaws:
        heights = heights.misread()
    for item in fitted:
        heights = heights.felt(item.value, item.outcome, fits.usual(process))
    used += fitted
    mean, cov = heights.together()
    if rough:
        process = rough_as(process, float(mean[RIDGE]))
    pressed = _as_read(process, mean, cov)
    results = [item for item in items if isinstance(item, Result) and item not in fitted]
    if len(results) > MANY:
        import scipy.special  # noqa: F401 - the fast Φ; for a few results loading it would cost more than it saves
    known = _before(heights, mean, cov, factor_sd)
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
                read = pressed if item.kind in registry.ids() and scale_of(item.kind) in PRESSED else process
                seen[design] = known.told(item, printed(item, read), names.index(item.outcome))
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
                    sum(isinstance(i, Reading) for i in used), overhang, measured_plastic(process, measured),
                    rough)
    return Learnt(belief, tuple(_doubts(weights, told, said, known)), tuple(unused), tuple(used))


def _as_read(process: Process, mean: Array, cov: Array) -> Process:
    """Return a process as readings and fits have it: outcomes of what is pressed or screwed are looked at with that."""
    sd = np.sqrt(np.maximum(np.diag(cov), 0.0))
    related = cov / np.outer(np.maximum(sd, 1e-12), np.maximum(sd, 1e-12))
    return process.model_copy(update={
        **{name: _rounded(Spread(mean=float(mean[NAMES.index(name)]), sd=float(sd[NAMES.index(name)]))) for name in TOGETHER
           if name != "modulus"},
        "correlated": tuple(round(float(np.clip(related[NAMES.index(a), NAMES.index(b)], -0.999, 0.999)), 4)
                            for a, b in combinations(TOGETHER, 2))})


def _before(heights: Heights, mean: Array, cov: Array, factor_sd: float) -> Known:
    """Return what readings and fits say before any other outcome."""
    growths = mean[GROWTH] + math.sqrt(cov[GROWTH, GROWTH]) * np.linspace(-_REACH, _REACH, _G)
    factors = factor_sd * np.linspace(-_REACH, _REACH, _W)
    log_weights = heights.growths(growths)[:, None] - 0.5 * ((factors / factor_sd) ** 2)[None, :]
    terms = {name: values_of(mean, cov, NAMES.index(name), growths) for name in TERMS}
    return Known(growths, factors, log_weights, terms)


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
         "ridge": 0.01, "flank": 0.01, "peg_term": 0.01, "fit": 0.01, "pocket": 0.015, "boss": 0.015,
         "snap_force": 0.08, "spring_force": 0.08, "modulus": 500.0}
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
