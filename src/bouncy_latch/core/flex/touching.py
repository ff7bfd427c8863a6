"""Bars of a frame that meet themselves: pairs of nodes one above the other, pushed apart by what a flattened surface gives.

The push rises smoothly over the height of a printed surface's ridges, k·s·ln(1 + exp(−d/s)), and is that of a solid bar when
they are flat: so the balance of forces is found whichever pairs touch.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.flex.stiffness import Tangent
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

RIDGE = 0.002
"""Depth over which a printed surface begins to carry, mm (common practice, no source)."""


@frozen(eq=False)
class Touching:
    """Pairs of nodes that may meet.

    Attributes:
        pairs: (k, 2) numbers of the lower and the upper node. apart: distance of their middles along y when they touch, mm.
        stiffness: of a pair pressed together, N/mm.
    """

    pairs: npt.NDArray[np.int64]
    apart: float
    stiffness: float

    @property
    def furthest(self) -> int:
        """How many nodes lie between those of a pair at the most, and one."""
        return int(np.abs(np.diff(self.pairs, axis=1)).max(initial=1))

    @cached_property
    def _dofs(self) -> npt.NDArray[np.int64]:
        return 3 * self.pairs + 1

    def left(self, nodes: Array, moved: Array) -> Array:
        """Return what is left between every pair, (B, k) mm, of displaced nodes (B, n, 3); negative where they are pressed."""
        y = nodes[:, 1] + moved[:, :, 1]
        return np.asarray(y[:, self.pairs[:, 1]] - y[:, self.pairs[:, 0]] - self.apart)

    def add(self, nodes: Array, moved: Array, inner: Array, tangent: Tangent) -> None:
        """Add what touching does to the inner forces (B, N) and the stiffness of displaced nodes (B, n, 3)."""
        over = -self.left(nodes, moved) / RIDGE
        push = self.stiffness * RIDGE * np.logaddexp(0.0, over)
        stiff = self.stiffness / (1 + np.exp(np.clip(-over, -500, 500)))
        low, high = self._dofs.T
        # A node is the lower one of one pair and the upper one of another; of either there is but one, tabs apart.
        for rows in self._once:
            inner[:, low[rows]] += push[:, rows]
            inner[:, high[rows]] -= push[:, rows]
            for first, second, sign in ((low, low, 1), (high, high, 1), (low, high, -1), (high, low, -1)):
                tangent.add(first[rows], second[rows], sign * stiff[:, rows])

    @cached_property
    def _once(self) -> list[npt.NDArray[np.int64]]:
        """The pairs in groups in which no node is the lower one twice, nor the upper one."""
        groups: list[list[int]] = []
        for number, (low, high) in enumerate(self.pairs):
            free = (group for group in groups if all(low != self.pairs[i, 0] and high != self.pairs[i, 1] for i in group))
            found = next(free, None)
            if found is None:
                groups.append([number])
            else:
                found.append(number)
        return [np.array(group) for group in groups]
