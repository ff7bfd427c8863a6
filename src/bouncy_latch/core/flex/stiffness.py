"""Tangent stiffness of a frame in many cases at once: whole, or in blocks along the diagonal where a frame is one long chain.

What an element of a chain joins is near it, so all there is lies in a band. It is kept and solved block by block (block
elimination; G. H. Golub, C. F. Van Loan, *Matrix Computations*, 4.5): a few small solutions of all cases together, by NumPy
alone, where a band by itself would want another library to be loaded and called case by case.
"""

from __future__ import annotations

import math
from functools import cached_property, lru_cache
from typing import Protocol

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

Numbers = npt.NDArray[np.int64]
BLOCK = 12
"""Least size of a block: few blocks, and none too large."""


class Tangent(Protocol):
    """A symmetric or nearly symmetric matrix (N, N) for each of B cases."""

    def add(self, rows: Numbers, columns: Numbers, amounts: Array) -> None:
        """Add ``amounts`` (B or 1, k) at places (k,) that differ from each other."""

    def columns(self, own: Numbers) -> Array:
        """Return some columns, (B, N, k)."""

    def solved(self, free: Numbers, right: Array) -> Array:
        """Return the displacements (B, F, k) of what is ``free`` (F,) under loads ``right`` (B, F, k), all else held.

        Raises:
            numpy.linalg.LinAlgError: where part of it is not held.
        """

    def whole(self) -> Array:
        """Return all of it, (B, N, N)."""


class Layout(Protocol):
    """Where entries of a matrix are kept, and what makes a tangent of them."""

    def at(self, rows: Numbers, columns: Numbers) -> Numbers:
        """Return where entries are kept among all of a case."""

    @property
    def count(self) -> int:
        """How many numbers are kept of a case."""

    def tangent(self, kept: Array) -> Tangent:
        """Return what numbers kept of every case (B, count) make."""


@frozen
class Square:
    """All entries of a matrix of ``size``."""

    size: int

    @property
    def count(self) -> int:
        """How many numbers are kept of a case."""
        return self.size**2

    def at(self, rows: Numbers, columns: Numbers) -> Numbers:
        """Return where entries are kept among all of a case."""
        return rows * self.size + columns

    def tangent(self, kept: Array) -> Tangent:
        """Return what numbers kept of every case (B, count) make."""
        return _Whole(kept.reshape(len(kept), self.size, self.size))


@frozen
class Band:
    """The entries of a matrix of ``size`` that lie at most ``width`` from its diagonal, in blocks on it and on either side."""

    size: int
    width: int

    @property
    def block(self) -> int:
        """Size of a block: what lies within the band is then in a block on the diagonal or beside one."""
        return max(self.width, BLOCK)

    @property
    def blocks(self) -> int:
        """How many there are along the diagonal."""
        return math.ceil(self.size / self.block)

    @property
    def count(self) -> int:
        """How many numbers are kept of a case."""
        return 3 * self.blocks * self.block**2

    def at(self, rows: Numbers, columns: Numbers) -> Numbers:
        """Return where entries are kept among all of a case."""
        (row, down), (column, along) = np.divmod(rows, self.block), np.divmod(columns, self.block)
        return np.asarray(((3 * row + column - row + 1) * self.block + down) * self.block + along)

    def tangent(self, kept: Array) -> Tangent:
        """Return what numbers kept of every case (B, count) make."""
        return _Blocks(self, kept)

    @cached_property
    def within(self) -> tuple[Numbers, Numbers, Numbers]:
        """Rows, columns and places of everything that is kept and in the matrix, each (k,)."""
        rows = np.repeat(np.arange(self.size), 2 * self.width + 1)
        columns = rows + np.tile(np.arange(-self.width, self.width + 1), self.size)
        inside = (columns >= 0) & (columns < self.size)
        rows, columns = rows[inside], columns[inside]
        return rows, columns, self.at(rows, columns)


@frozen(eq=False)
class _Whole:
    values: Array

    def add(self, rows: Numbers, columns: Numbers, amounts: Array) -> None:
        self.values[:, rows, columns] += amounts

    def columns(self, own: Numbers) -> Array:
        return self.values[:, :, own]

    def solved(self, free: Numbers, right: Array) -> Array:
        return np.asarray(np.linalg.solve(self.values[:, free[:, None], free[None, :]], right), dtype=np.float64)

    def whole(self) -> Array:
        return self.values


@frozen(eq=False)
class _Blocks:
    band: Band
    kept: Array

    def add(self, rows: Numbers, columns: Numbers, amounts: Array) -> None:
        self.kept[:, self.band.at(rows, columns)] += amounts

    def columns(self, own: Numbers) -> Array:
        rows, columns, places = self.band.within
        found = np.zeros((len(self.kept), self.band.size, len(own)))
        for number, column in enumerate(own):
            picked = columns == column
            found[:, rows[picked], number] = self.kept[:, places[picked]]
        return found

    def whole(self) -> Array:
        rows, columns, places = self.band.within
        found = np.zeros((len(self.kept), self.band.size, self.band.size))
        found[:, rows, columns] = self.kept[:, places]
        return found

    def solved(self, free: Numbers, right: Array) -> Array:
        band, cases = self.band, len(self.kept)
        gone, still = _held(band, free.tobytes())
        kept = self.kept.copy()
        # What is held, and what fills the last block up, stays where it is whatever the rest does.
        kept[:, gone] = 0.0
        kept[:, still] = 1.0
        parts = kept.reshape(cases, band.blocks, 3, band.block, band.block)
        flat = np.zeros((cases, band.blocks * band.block, right.shape[2]))
        flat[:, free] = right
        loads = flat.reshape(cases, band.blocks, band.block, -1)
        beyond: list[Array] = []
        alone: list[Array] = []
        for number in range(band.blocks):
            before, own, after = (parts[:, number, which] for which in range(3))
            load = loads[:, number]
            if number:
                own, load = own - before @ beyond[-1], load - before @ alone[-1]
            found = np.linalg.solve(own, np.concatenate([after, load], axis=2))
            beyond.append(found[:, :, :band.block])
            alone.append(found[:, :, band.block:])
        for number in range(band.blocks - 2, -1, -1):
            alone[number] = alone[number] - beyond[number] @ alone[number + 1]
        return np.concatenate(alone, axis=1)[:, free]


@lru_cache(maxsize=64)
def _held(band: Band, free: bytes) -> tuple[Numbers, Numbers]:
    """Return where the entries of what is not ``free`` are kept, and those of them on the diagonal."""
    rows, columns, places = band.within
    held = np.ones(band.blocks * band.block, dtype=bool)
    held[np.frombuffer(free, dtype=np.int64)] = False
    still = np.flatnonzero(held)
    return places[held[rows] | held[columns]], band.at(still, still)
