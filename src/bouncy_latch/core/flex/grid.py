"""A bar that lies in a plane and bends out of it: its elements bend and twist (a grillage), small displacements.

Every node goes up (mm) and turns about x and about y (rad); loads are N and N·mm. The matrix of an element is that of a beam in
bending and torsion turned into its direction (J. S. Przemieniecki, *Theory of Matrix Structural Analysis*, ch. 5).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from bouncy_latch.core.flex.section import Fill, Section, section
from bouncy_latch.core.numbers import Array

BAND = 5
"""How far from the diagonal the stiffness of a bar reaches."""


def torsion_of(long: float, short: float) -> float:
    """Return the torsion constant of a solid rectangle, mm⁴: a·b³·(1/3 − 0.21·(b/a)·(1 − (b/a)⁴/12)) (R. J. Roark,
    *Formulas for Stress and Strain*, from memory)."""
    a, b = max(long, short), min(long, short)
    return a * b**3 * (1 / 3 - 0.21 * b / a * (1 - (b / a) ** 4 / 12))


def twist_factor(long: float, short: float) -> float:
    """Return greatest shear stress over T/(a·b²) of a solid rectangle, 3 + 1.8·b/a (S. Timoshenko, *Strength of Materials*,
    from memory)."""
    a, b = max(long, short), min(long, short)
    return 3 + 1.8 * b / a


def lying(thickness: float, height: float, fill: Fill, poisson: float) -> Section:
    """Return the section of a bar ``height`` mm above the bed that bends out of its layers: its skins are the faces it bends
    between then, its walls the sides."""
    skin = min(max(fill.skin, 1e-3), thickness, height)
    return section(height, thickness, replace(fill, loops=1, line=skin, skin=fill.loops * fill.line), poisson)


@dataclass(frozen=True, eq=False)
class Grid:
    """A bar along nodes.

    Attributes:
        nodes: (n, 2) mm. bending: E·I against going up, N·mm². twist: G·J, N·mm², each of every element, (n − 1,).
    """

    nodes: Array
    bending: Array
    twist: Array

    @cached_property
    def _elements(self) -> tuple[Array, Array]:
        """Stiffness of every element in its own directions, and what turns the plane's into them, each (m, 6, 6)."""
        along = np.diff(self.nodes, axis=0)
        length = np.hypot(along[:, 0], along[:, 1])
        c, s = along[:, 0] / length, along[:, 1] / length
        own = np.zeros((len(length), 6, 6))
        e = self.bending / length**3
        # Of a node: up, turn about the bar (twist), turn about its left (bending; up falls with it along the bar).
        for i, j, value in ((0, 0, 12 * e), (0, 2, -6 * e * length), (0, 3, -12 * e), (0, 5, -6 * e * length),
                            (2, 2, 4 * e * length**2), (2, 3, 6 * e * length), (2, 5, 2 * e * length**2), (3, 3, 12 * e),
                            (3, 5, 6 * e * length), (5, 5, 4 * e * length**2), (1, 1, self.twist / length),
                            (1, 4, -self.twist / length), (4, 4, self.twist / length)):
            own[:, i, j] = own[:, j, i] = value
        turn = np.zeros((len(length), 6, 6))
        for at in (0, 3):
            turn[:, at, at] = 1.0
            turn[:, at + 1, at + 1], turn[:, at + 1, at + 2] = c, s
            turn[:, at + 2, at + 1], turn[:, at + 2, at + 2] = -s, c
        return own, turn

    @cached_property
    def _bands(self) -> Array:
        """Upper diagonals of the stiffness of the whole, (6, 3n): a bar's nodes know their neighbours only."""
        (own, turn), size = self._elements, 3 * len(self.nodes)
        elements = np.swapaxes(turn, 1, 2) @ own @ turn
        bands = np.zeros((BAND + 1, size))
        first = 3 * np.arange(len(elements))
        for i in range(6):
            for j in range(i, 6):
                np.add.at(bands[BAND + i - j], first + j, elements[:, i, j])
        return bands

    def _solved(self, right: Array, skip: int = 0) -> Array:
        """Return the displacements under loads (3n, k), the first node held, and the last ``skip`` ones too."""
        from scipy.linalg import solveh_banded

        found = np.zeros_like(right)
        end = len(right) - 3 * skip
        bands = self._bands[:, 3:end].copy()
        found[3:end] = solveh_banded(bands, right[3:end], check_finite=False)
        return found

    def moved(self, end: Array) -> Array:
        """Return the displacements (n, 3) when the first node is held and the last one is brought to ``end`` (3,): how far up,
        turned about x, turned about y."""
        (own, turn), size = self._elements, 3 * len(self.nodes)
        last = turn[-1].T @ own[-1] @ turn[-1]
        right = np.zeros((size, 1))
        right[-6:-3, 0] = -last[:3, 3:] @ end
        found = self._solved(right, 1)[:, 0]
        found[-3:] = end
        return found.reshape(-1, 3)

    @cached_property
    def at_end(self) -> Array:
        """The (3, 3) stiffness of its last node with the first one held."""
        unit = np.zeros((3 * len(self.nodes), 3))
        unit[-3:] = np.eye(3)
        return np.asarray(np.linalg.inv(self._solved(unit)[-3:]))

    def hanging(self, loads: Array) -> Array:
        """Return the displacements (n, 3) with the first node held and ``loads`` (n,) N down at every node."""
        down = np.zeros((len(self.nodes), 3))
        down[:, 0] = -loads
        return self._solved(down.reshape(-1, 1)).reshape(-1, 3)

    def moments(self, moved: Array) -> tuple[Array, Array]:
        """Return the bending moments at both ends of every element, (m, 2), and its torque, (m,), N·mm, of displacements."""
        own, turn = self._elements
        ends = np.concatenate([moved[:-1], moved[1:]], axis=1)
        inner = np.einsum("mij,mj->mi", own, np.einsum("mij,mj->mi", turn, ends))
        return np.abs(inner[:, [2, 5]]), np.abs(inner[:, 4])


def column(end: Array, length: float) -> tuple[float, float]:
    """Return bending (N·mm²) and shear stiffness (N) of an even bar that gives as a spring ``length`` mm long along y
    does out of its plane; ``end``: stiffness of its end, (3, 3)."""
    soft = np.linalg.inv(end)
    bending = length / soft[1, 1]
    sheared = soft[0, 0] - length**3 / (3 * bending)
    return float(bending), float(length / max(sheared, 1e-12))


def buckles_at(bending: float, shear: float, length: float, *, clamped: bool) -> float:
    """Return the force that buckles a column soft in shear, N: P = S/2·(√(1 + 4·P_E/S) − 1) with Euler's P_E (J. A. Haringx,
    Philips Research Reports 3 (1948), from memory); ``clamped``: whether both ends are held from turning."""
    euler = (4 if clamped else 1) * math.pi**2 * bending / length**2
    return shear / 2 * (math.sqrt(1 + 4 * euler / shear) - 1)
