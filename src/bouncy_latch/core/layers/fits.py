"""What a hand feels when two parts are put together: the push that their crests, pressed flat, take to slide.

Where each class of fit begins is a force, not a gap: the clearance at which pressed crests (:mod:`crests`) take it. All that is
believed of a printer that shifts that clearance is jointly normal, and so is what is left (:class:`Taken`).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import lru_cache

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.crests import Faces, Limit, Plastic, in_series
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.process.profile import Process

JAW = 2.0
"""How many standard deviations of a surface its ridges stand out as jaws find them: the highest of some 25, the layers of a peg
5 mm tall (order statistics of a normal sample, 1.97 for 25, by numerical integration)."""
RUBBING = 0.35
"""Friction of printed plastic on itself (common practice, no source)."""
FELT, PRESSED, NO_HAND = 3.0, 30.0, 120.0
"""Newtons on 100 mm² of fit: above the first it no longer slides by a light push, above the second it is pressed in, above the
third it wants a hammer (common practice, no source)."""
LOOSE = 0.2
"""Clearance per side beyond which a sliding part rattles, mm (common practice, no source)."""
RADIUS = 4.0
"""Of the round fit whose walls stand for those of all, mm: that of the peg that is tried in stepped holes."""
LEAST_ROUGH = 0.005
"""No printed surface has lower ridges, mm."""


@lru_cache(maxsize=64)
def usual(process: Process, printed: int = 2) -> Faces:
    """Return two upright faces of a round fit of ordinary size, one or both of them ``printed``."""
    plastic = Plastic.of(process)
    return plastic.faces((0.0,) * printed, in_series(*[plastic.round_wall(RADIUS)] * printed))


def scatter(ridge: float, printed: int = 2) -> float:
    """Return the standard deviation of the edges of ``printed`` surfaces together, mm, from the height of their ridges."""
    return round(math.sqrt(printed) * max(ridge, LEAST_ROUGH) / JAW, 5)


@lru_cache(maxsize=512)
def limits(faces: Faces, rough: float) -> tuple[Limit, Limit, Limit]:
    """Return where hammer, press and snug end: at a push of 120, 30 and 3 N on 100 mm²; ``rough``: scatter of both, mm."""
    hammer, press, snug = (faces.limit(force / 100 / RUBBING, rough) for force in (NO_HAND, PRESSED, FELT))
    return hammer, press, snug


def edges(faces: Faces, rough: float) -> tuple[float, float, float, float]:
    """Return the clearances between mean edges (mm per side, rising) between the classes of fit: hammer, press, snug, slides,
    loose."""
    hammer, press, snug = (limit.clearance for limit in limits(faces, rough))
    return hammer, press, snug, max(LOOSE, snug + 0.05)


@frozen
class Taken:
    """What takes from a drawn clearance, mm per side, as far as a process is known: a sum of its numbers, each so many times.

    Attributes:
        process: it. parts: of every number by its name, how many times it takes.
    """

    process: Process
    parts: tuple[tuple[str, float], ...]

    @classmethod
    def of(cls, process: Process, parts: Mapping[str, float]) -> Taken:
        """Return what some numbers of a process take together."""
        return cls(process, tuple(sorted(parts.items())))

    @property
    def mean(self) -> float:
        """What they take at their means, mm."""
        return float(sum(times * getattr(self.process, name).mean for name, times in self.parts))

    @property
    def sd(self) -> float:
        """Standard deviation of what they take, mm."""
        names = [name for name, _ in self.parts]
        row = np.array([times for _, times in self.parts])
        return math.sqrt(max(float(row @ self.process.covariance(names) @ row), 0.0))

    def given(self, **seen: Array) -> tuple[Array, float]:
        """Return how much more than at their means they take where some numbers of the process are known, of shapes that
        broadcast, and the standard deviation there, mm."""
        parts = dict(self.parts)
        names = list(dict.fromkeys([*seen, *parts]))
        row = np.array([parts.get(name, 0.0) for name in names])
        cov, count = self.process.covariance(names), len(seen)
        own, shared = cov[:count, :count], cov[:count] @ row
        # What has no spread leans on nothing; looked at elsewhere it moves by itself.
        sure = np.diag(own) <= 0
        gain = np.where(sure, row[:count], np.linalg.lstsq(own, shared, rcond=None)[0])
        found = np.zeros(())
        for name, lean in zip(names[:count], gain, strict=True):
            found = found + lean * (np.asarray(seen[name]) - getattr(self.process, name).mean)
        return np.asarray(found), math.sqrt(max(float(row @ cov @ row) - float(shared @ gain), 0.0))


def by_ridge(limit: Limit, printed: int = 2) -> float:
    """Return how many times ridges of ``printed`` surfaces take from the clearance at which a force is reached."""
    return limit.by_rough * math.sqrt(printed) / JAW
