"""What a study says: how often first prints worked, whether stated chances hold, and how often what came out was expected."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.learn.study.study import BLIND, HINGE, MINE, Record, Trial


@frozen
class Row:
    """One way of choosing gaps: the share of first prints of every shape that worked, free and not loose."""

    name: str
    printers: int
    worked: dict[str, int]
    play: float

    @property
    def hinge(self) -> int:
        """On how many printers the hinge worked."""
        return self.worked[HINGE]

    @property
    def share(self) -> float:
        """Part of all first prints that worked."""
        return sum(self.worked.values()) / (len(self.worked) * self.printers)


def rows(trials: Iterable[Trial]) -> list[Row]:
    """Return for every way of choosing gaps how often it worked: free by hand (or the fit wanted) and not loose."""
    told = [record for one in trials for record in one.records if record.policy != "tested"]
    found = []
    for policy in dict.fromkeys(record.policy for record in told):
        own = [record for record in told if record.policy == policy]
        worked = {what: sum(r.worked and r.tight for r in own if r.what == what) for what in dict.fromkeys(r.what for r in own)}
        plays = [r.left for r in own if r.what == HINGE and r.worked]
        count = sum(r.what == HINGE for r in own)
        found.append(Row(policy, count, worked, float(np.mean(plays)) if plays else math.nan))
    return found


@frozen
class Calibration:
    """Prints of which about the same was said: how many, the chance that was said on average, and the share that came free by
    hand, or in the class of fit that was wanted."""

    what: str
    low: float
    high: float
    count: int
    said: float
    seen: float


@frozen
class Agreement:
    """Parts of prints in place: within one class of the expected one; on the side of "comes by hand" that was the likelier,
    and that of those whose gap was advised. Of printers after a ladder; ``stranger``: the side of those without."""

    close: float
    side: float
    advised: float
    stranger: float


def in_place(trials: Iterable[Trial], stranger: bool = False) -> list[Record]:
    """Return the prints in place of which something was said of a printer after its ladder, or of one without."""
    return [r for r in _of(trials, stranger) if " " not in r.what]


def _of(trials: Iterable[Trial], stranger: bool) -> list[Record]:
    return [r for one in trials for r in one.records if (r.policy == BLIND) == stranger]


def agreement(trials: Sequence[Trial]) -> Agreement:
    """Return how often what came out is what was expected."""
    known, strangers = in_place(trials), in_place(trials, stranger=True)

    def right(own: Sequence[Record]) -> float:
        return float(np.mean([(r.said >= 0.5) == r.worked for r in own]))

    return Agreement(float(np.mean([r.close for r in known])), right(known), right([r for r in known if r.policy == MINE]),
                     right(strangers))


BINS = (0.0, 0.05, 0.2, 0.5, 0.8, 0.95, 1.0001)


def calibration(trials: Iterable[Trial], by_shape: bool = False, stranger: bool = False) -> list[Calibration]:
    """Return what was said against what was seen of prints in place, see :func:`in_place`, in bins of the stated chance.

    ``by_shape``: of every shape by itself, fitted ones too.
    """
    told = _of(trials, stranger) if by_shape else in_place(trials, stranger)
    found = []
    for what in dict.fromkeys(r.what for r in told) if by_shape else ("all",):
        for low, high in pairwise(BINS):
            own = [r for r in told if low <= r.said < high and what in ("all", r.what)]
            if own:
                found.append(Calibration(what, low, min(high, 1.0), len(own), float(np.mean([r.said for r in own])),
                                         float(np.mean([r.worked for r in own]))))
    return found


def brier(trials: Iterable[Trial]) -> tuple[float, float]:
    """Return the Brier score of the stated chances that something comes free by hand, and that of saying the mean always.

    Of printers after their ladder.
    """
    told = in_place(trials)
    worked = np.array([r.worked for r in told], dtype=np.float64)
    said = np.array([r.said for r in told])
    return float(np.mean((said - worked) ** 2)), float(worked.mean() * (1 - worked.mean()))
