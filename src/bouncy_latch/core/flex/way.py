"""Forces along the way of a bump over an edge, and what a hand and an ear notice of them."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from bouncy_latch.core.flex.strip import Bent
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array


@frozen
class Others:
    """Forces along the way at other frictions, N, infinite where it sticks.

    Attributes:
        frictions: ascending, all equally likely (n,). peaks: the greatest force at each (n,). along: the force at every step
        of the way (n, S).
    """

    frictions: Array
    peaks: Array
    along: Array

    def mean(self, most: float) -> Array:
        """Return the mean force along the way, none greater than ``most`` N, (S,)."""
        return np.asarray(np.minimum(self.along, most).mean(axis=0))

    def quantile(self, share: float) -> Array:
        """Return the force along the way at the friction that a share of prints is below, (S,)."""
        return np.asarray(self.along[int(share * (len(self.frictions) - 1))])


@frozen
class Way:
    """Forces along the way, at ``STEPS`` steps from first touch to seat; all catches together.

    Attributes:
        travel: mm from just before the first touch. lowered: of the catch, mm. slope: of the touching faces, rise over way.
        press: force across the way, N. into, out: force along it going in and pulling out, N; infinite where it locks.
        strain, strain_out: greatest surface strain going in and pulling out. turn: of the arm's end, rad. states: followed
        shapes. others_in, others_out: what other frictions make of the forces. gone: step from which on, on the way out, the
        catch hangs on its return face no more; None for the crest of the way in.
    """

    travel: Array
    lowered: Array
    slope: Array
    press: Array
    into: Array
    out: Array
    strain: Array
    strain_out: Array
    turn: Array
    states: Bent
    others_in: Others
    others_out: Others
    gone: int | None = None

    @property
    def length(self) -> float:
        """From first touch to seat, mm."""
        return float(self.travel[-1])

    @cached_property
    def crest(self) -> int:
        """Step at which it is lowered most, the last one of several."""
        most = float(self.lowered.max())
        return int(np.flatnonzero(self.lowered >= most - 1e-6)[-1])

    @cached_property
    def last(self) -> int:
        """Step after which nothing touches any more; the last one where it is seated with preload."""
        return int(np.flatnonzero(self.lowered > 1e-4)[-1])

    @property
    def most(self) -> float:
        """Greatest lowering, mm."""
        return float(self.lowered.max())

    @property
    def peak_in(self) -> float:
        """Greatest insertion force, N."""
        return float(self.into.max())

    @property
    def off(self) -> int:
        """Step from which on, from the seat back, the catch hangs on its return face no more."""
        return self.crest if self.gone is None else self.gone

    @cached_property
    def _return(self) -> Array:
        """Forces pulling out on the way from the seat back to the crest."""
        return self.out[self.off:]

    @property
    def locks(self) -> bool:
        """Whether the faces lock: pulling alone does not release it."""
        return bool(np.isinf(self._return).any())

    @property
    def peak_out(self) -> float:
        """Greatest force pulling out, N; infinite when it locks."""
        return float(self._return.max())

    @cached_property
    def peak_strains(self) -> tuple[float, float]:
        """Greatest surface strains on the way in, and on the way out as far as pulling moves it."""
        released = self.strain_out[self.off:][np.isfinite(self._return)]
        return float(self.strain.max()), float(released.max(initial=0.0))

    @property
    def peak_strain(self) -> float:
        """Greatest surface strain on the way in or, where pulling releases it, out."""
        into, out = self.peak_strains
        return max(into, 0.0 if self.locks else out)

    @property
    def strain_seated(self) -> float:
        """Surface strain left when seated."""
        return float(self.strain[-1])

    @property
    def work(self) -> float:
        """Work to push it in, N·mm."""
        forces = np.maximum(np.where(np.isfinite(self.into), self.into, 0.0), 0.0)
        return float(np.trapezoid(forces, self.travel))

    @property
    def click(self) -> float:
        """Energy let go when it drops behind the edge, N·mm."""
        return float(-np.trapezoid(self.press[self.crest:], self.lowered[self.crest:]))

    @property
    def preload(self) -> float:
        """Force across the way that is left when seated, N."""
        return float(self.press[-1]) if self.lowered[-1] > 1e-6 else 0.0

    @property
    def rattle(self) -> float:
        """How far it can move back from the seat before its return face touches, mm."""
        if self.lowered[-1] > 1e-6:
            return 0.0
        fall = max(-float(self.slope[self.last]), 1e-3)
        return max(0.0, float(self.travel[-1] - self.travel[self.last] - self.lowered[self.last] / fall))

    @property
    def steepest_return(self) -> float:
        """Steepest return slope met, turn of the arm included, rad."""
        return float(math.atan(max(0.0, -float(self.slope[self.crest:].min()))))
