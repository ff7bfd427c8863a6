"""Two parallel leaves that carry a stiff block: what is pushed at the leaves' ends also turns the block, by a couple in them.

A force F where the leaves end (length L, a apart) stretches one and presses the other with F·L/(2a), which stiffens the first,
softens the second, and turns the block a little. Both leaves and the block are one frame: a chain from one root over the block
to the other root, the block pushed in its middle.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np

from bouncy_latch.core.flex.frame import Frame
from bouncy_latch.core.flex.winding import RIGID, Winding
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array


@frozen
class Carried:
    """A pair in several states (B,).

    Attributes:
        force: on the block, N. travel: of the place where it acts, mm, (B,). leaves: displacements of the nodes of the leaf at
        −y and of that at +y, from the root on, (B, 2, n, 3). block: its shift (mm) and turn (rad) about its middle where the
        leaves end, (B, 3). strain: the greatest at the surface. inner: forces within both leaves' elements, (B, 2, m, 3).
    """

    force: Array
    travel: Array
    leaves: Array
    block: Array
    strain: Array
    inner: Array


@frozen
class Pair:
    """Two leaves ``apart`` mm between their middles; ``leaf``: one of them, from its root along +x, held level at its end.

    ``beyond``: how far past the leaves' ends the block is pushed, mm; negative between them and their roots.
    """

    leaf: Winding
    apart: float
    beyond: float = 0.0

    @cached_property
    def frame(self) -> Frame:
        """The chain: leaf at −y from root to end, middle of the block, leaf at +y from end to root."""
        one, half = self.leaf.frame, self.apart / 2
        count, length = len(one.nodes), float(one.nodes[-1, 0])
        aside = np.array([0.0, half])
        nodes = np.vstack([one.nodes - aside, [[length, 0.0]], one.nodes[::-1] + aside])
        # As below: from its end to its root a leaf has its two ends swapped.
        back = one.stiffness[::-1][:, [0, 2, 1]][:, :, [0, 2, 1]]
        block = self._block(half)
        stiffness = np.concatenate([one.stiffness, [block, block[np.ix_([0, 2, 1], [0, 2, 1])]], back])
        fixed, springs = np.zeros((len(nodes), 3), dtype=bool), np.zeros((len(nodes), 3))
        for root in (0, -1):
            fixed[root] = one.fixed[0]
        ends = np.column_stack([np.arange(2 * count), np.arange(1, 2 * count + 1)])
        return Frame(nodes, ends, stiffness, fixed, springs)

    def _block(self, half: float) -> Array:
        """Return the stiffness of half the block: as good as rigid."""
        made, modulus = self.leaf.made, self.leaf.modulus
        bending = RIGID * modulus * made.bending
        flex = half / bending * np.array([[1 / 3, -1 / 6], [-1 / 6, 1 / 3]])
        stiff = np.zeros((3, 3))
        stiff[0, 0], stiff[1:, 1:] = RIGID * modulus * made.area / half, np.linalg.inv(flex)
        return stiff

    def pushed(self, travels: Array) -> Carried:
        """Return what it does when the leaves' ends go along +y by ``travels`` (B,) mm.

        Raises:
            SolveError: when it cannot be followed so far.
        """
        count, cases = len(self.leaf.nodes), len(travels)
        across, where = (np.tile(each, (cases, 1)) for each in ([0.0, 1.0], [self.beyond, 0.0]))
        moved, force = self.frame.pushed(count, -travels, across, where)
        block, leaves = moved[:, count], np.stack([moved[:, :count], moved[:, :count:-1]], axis=1)
        inner = self.frame.forces(moved)
        # A leaf from its end to its root has its two moments in the other order.
        both = np.stack([inner[:, :count - 1], inner[:, :count:-1][..., [0, 2, 1]]], axis=1)
        strain = self.leaf.strained_by(both.reshape(2 * cases, count - 1, 3)).reshape(cases, 2).max(axis=1)
        return Carried(force, block[:, 1] + self.beyond * np.sin(block[:, 2]), leaves, block, strain, both)
