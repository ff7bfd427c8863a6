"""What is believed at several heights of the ridges, each with what was seen as likely as it is there.

Heights of a population are skewed, most printers are fair and some ragged, so they are taken as log-normal (common practice,
no source); and what a hand feels bends with them. So no one Gaussian holds them: at each of :data:`COUNT` heights the other
numbers are jointly normal, and every reading and every fit moves them and weighs the height. Only outcomes tell how far jaws
rest out from how far the surface stands.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import fits
from bouncy_latch.core.layers.crests import Faces
from bouncy_latch.core.learn.calibration.readings import PART_NOISE
from bouncy_latch.core.learn.posterior.names import FIT, GROWTH, HOLE, NAMES, PEG_TERM, RIDGE
from bouncy_latch.core.learn.posterior.outcome_grid import SLIP
from bouncy_latch.core.numbers import Array, cdf
from bouncy_latch.core.outcomes import FELT
from bouncy_latch.core.process.profile import hole_shrink

COUNT = 13
_REACH = 3.0
"""How far the outermost heights lie from the middle, in standard deviations of the logarithm."""
LEAST = 0.005
"""No printed surface is smoother, mm."""
TAKEN = 0.016
"""How far what a caliper says of growth is off on one printer, all readings together, mm per side: its own error, 0.02 to
0.03 on a diameter (DIN 862), and jaws that meet seams more often than ridges (common practice, no source)."""
OWN_ERROR = 0.012
"""The caliper's own part of that, mm per side."""
RESTS = 0.3
"""Part of the ridges' height by which jaws rest otherwise on one ragged printer than on the next (one standard deviation;
common practice, no source)."""
_NEVER = 1e-12
BLOBS, BLOBS_SD = 0.6, 0.4
"""How far the line where layers begin stands out beyond the ridges, as a part of their height, and its spread: a nozzle that
is worn or a roll that is wet blobs as it wavers (common practice, no source)."""
PEG = 8.0
"""Diameter of the peg that is tried in stepped holes, mm."""


@frozen
class Heights:
    """What is believed of the numbers at every height of the ridges.

    Attributes:
        heights: (K,), mm. logs: how likely each is, a logarithm up to a constant, (K,).
        means, covs: of :data:`NAMES` there, (K, N) and (K, N, N).
    """

    heights: Array
    logs: Array
    means: Array
    covs: Array

    @staticmethod
    def one(mean: Array, cov: Array) -> Heights:
        """Return a single Gaussian, for what says nothing of the ridges."""
        return Heights(np.maximum(mean[[RIDGE]], LEAST), np.zeros(1), mean[None], cov[None])

    @staticmethod
    def over(mean: Array, cov: Array, by_jaws: bool) -> Heights:
        """Return what is believed before any evidence; the ridges hang together with no other number yet.

        ``by_jaws``: whether calipers were used, which rest out otherwise on one printer than on the next.
        """
        middle, sd = max(float(mean[RIDGE]), LEAST), math.sqrt(cov[RIDGE, RIDGE])
        spread = math.sqrt(math.log1p((sd / middle) ** 2))
        nodes = np.linspace(-_REACH, _REACH, COUNT)
        heights = np.maximum(middle * np.exp(spread * nodes - spread**2 / 2), LEAST)
        means, covs = np.tile(mean, (COUNT, 1)), np.tile(cov, (COUNT, 1, 1))
        means[:, RIDGE] = heights
        covs[:, RIDGE, RIDGE] = TAKEN**2 - OWN_ERROR**2 + (RESTS * heights) ** 2 if by_jaws else 0.0
        return Heights(heights, -0.5 * nodes**2, means, covs)

    @property
    def features(self) -> Array:
        """Return the chance of every height, (K,)."""
        shares = np.exp(self.logs - self.logs.max())
        return np.asarray(shares / shares.sum())

    def together(self) -> tuple[Array, Array]:
        """Return mean (N,) and covariance (N, N) over all heights."""
        mean = self.features @ self.means
        off = self.means - mean
        cov = np.einsum("k,kij->ij", self.features, self.covs) + (self.features[:, None] * off).T @ off
        return mean, cov

    @property
    def growth(self) -> float:
        """Return the mean of growth, mm per side."""
        return float(self.features @ self.means[:, GROWTH])

    def growths(self, at: Array) -> Array:
        """Return the logarithm of the density of growth at (G,) values, mm per side, up to a constant."""
        variance = self.covs[:, GROWTH, GROWTH]
        off = at[:, None] - self.means[:, GROWTH]
        return np.asarray(np.log(np.maximum(np.exp(-0.5 * off**2 / variance) @ (self.features / np.sqrt(variance)), 1e-300)))

    def weighed(self, logs: Array) -> Heights:
        """Return them after what says of the heights alone how likely it is, a logarithm (K,)."""
        return Heights(self.heights, self.logs + logs, self.means, self.covs)

    def read(self, row: Array, value: float, variance: float, beyond: float = 0.0, unsure: float = 0.0) -> Heights:
        """Return them after one linear observation, value ≈ row · numbers; ``beyond``: how much further out than that jaws
        rest, ``unsure``: the spread of that, both as parts of the ridges' height."""
        shared = self.covs @ row
        whole = shared @ row + variance + (unsure * self.heights) ** 2
        off = value - self.means @ row - beyond * self.heights
        return self._moved(shared / whole[:, None], shared, off, -0.5 * (off**2 / whole + np.log(whole)))

    def misread(self) -> Heights:
        """Return them when growth is off by the caliper's own error, the same in all readings."""
        covs = self.covs.copy()
        covs[:, GROWTH, GROWTH] += OWN_ERROR**2
        return Heights(self.heights, self.logs, self.means, covs)

    def felt(self, gap: float, outcome: str, faces: Faces) -> Heights:
        """Return them after what a hand says of a peg in a hole ``gap`` mm wider a side: its clearance is within a class.

        ``faces``: what presses on each other there. How a hand tells the classes, and how far the law of pressed crests is off,
        is one number, ``fit``, the same in all fits.

        The class is taken into the Gaussian by the first two moments of the clearance within it, a normal one cut off at both
        ends, or as it was where the record slipped (assumed density filtering; T. Minka, "Expectation propagation for
        approximate Bayesian inference", UAI 2001).
        """
        rank = FELT.names.index(outcome)
        ends = _ends(tuple(self.heights.tolist()), faces)[:, rank:rank + 2]
        row = np.zeros(len(NAMES))
        row[GROWTH], row[HOLE], row[PEG_TERM] = -2.0, -hole_shrink(1.0, PEG / 2 + gap), hole_shrink(1.0, PEG / 2)
        row[FIT] = -1.0
        shared = self.covs @ row
        before, middle = shared @ row, self.means @ row + gap
        spread = np.sqrt(before + (PART_NOISE / 2) ** 2)
        ends = (ends - middle[:, None]) / spread[:, None]
        density = np.exp(-0.5 * ends**2) / math.sqrt(2 * math.pi)
        within = np.maximum(np.diff(cdf(ends), axis=1)[:, 0], _NEVER)
        leans = (density[:, 0] - density[:, 1]) / within
        bends = np.diff(np.where(np.isfinite(ends), ends, 0.0) * density, axis=1)[:, 0] / within
        moved, left = before / spread * leans, before - (before / spread) ** 2 * (bends + leans**2)
        chance = (1 - SLIP) * within + SLIP / len(FELT.names)
        true = np.where(within > _NEVER, (1 - SLIP) * within / chance, 0.0)
        off = true * moved
        left = true * (left + (moved - off) ** 2) + (1 - true) * (before + off**2)
        return self._moved(shared / before[:, None], shared * (1 - left / before)[:, None], off, np.log(chance))

    def _moved(self, gain: Array, shared: Array, off: Array, logs: Array) -> Heights:
        return Heights(self.heights, self.logs + logs, self.means + gain * off[:, None],
                       self.covs - gain[:, :, None] * shared[:, None, :])


@lru_cache(maxsize=16)
def _ends(heights: tuple[float, ...], faces: Faces) -> Array:
    """Return the ends of the classes of fit at heights of the ridges, the outermost infinite, mm, (K, 6)."""
    return np.array([[-math.inf, *fits.edges(faces, fits.scatter(height)), math.inf] for height in heights])
