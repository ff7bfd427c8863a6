"""A bar that lies in a plane and bends out of it: its elements bend, twist and warp (a grillage), small displacements.

Every node goes up (mm), turns about x and about y (rad) and twists so fast along the bar (rad/mm); loads are N and N·mm. In
bending an element is a beam (J. S. Przemieniecki, *Theory of Matrix Structural Analysis*, ch. 5). In torsion it is Vlasov's
(*Thin-Walled Elastic Beams*): a flat bar's section warps, and where the torque changes along a short bar that is held back
within √(E·I_w/(G·J)), so that bars hardly longer than they are high are a quarter stiffer; its angle is a cubic between nodes.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property

import numpy as np

from bouncy_latch.core.flex.section import Fill, Section, section
from bouncy_latch.core.flex.stiffness import Band, Tangent
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

BAND = 7
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


def warping_of(long: float, short: float) -> float:
    """Return the warping constant of a thin rectangle, a³·b³/144, mm⁶ (secondary warping; S. Timoshenko & J. Gere, *Theory of
    Elastic Stability*, from memory)."""
    return (long * short) ** 3 / 144


@frozen(eq=False)
class Grid:
    """A bar along nodes.

    Attributes:
        nodes: (n, 2) mm. bending: E·I against going up, N·mm². twist: G·J, N·mm². warping: E·I_w, N·mm⁴, each of every element,
        (n − 1,).
    """

    nodes: Array
    bending: Array
    twist: Array
    warping: Array

    @cached_property
    def _elements(self) -> tuple[Array, Array, Array]:
        """Stiffness of every element in its own directions, what turns the plane's into them, each (m, 8, 8), and lengths."""
        along = np.diff(self.nodes, axis=0)
        length = np.hypot(along[:, 0], along[:, 1])
        c, s = along[:, 0] / length, along[:, 1] / length
        own, one = np.zeros((len(length), 8, 8)), np.ones_like(length)
        # Of a node: up, turn about the bar (twist), turn about its left (up falls with it along the bar), twist along the bar.
        hermite = np.array([[12, 6, -12, 6], [6, 4, -6, 2], [-12, -6, 12, -6], [6, 2, -6, 4]], dtype=float)
        pulled = np.array([[36, 3, -36, 3], [3, 4, -3, -1], [-36, -3, 36, -3], [3, -1, -3, 4]], dtype=float) / 30
        scale = np.stack([one, length, one, length], axis=1)
        both = scale[:, :, None] * scale[:, None, :]
        bend = (self.bending / length**3)[:, None, None] * hermite * both
        turn_ = (self.warping / length**3)[:, None, None] * hermite * both
        turn_ += (self.twist / length)[:, None, None] * pulled * both
        up, flip = np.array([0, 2, 4, 6]), np.array([1.0, -1.0, 1.0, -1.0])
        about = np.array([1, 3, 5, 7])
        own[:, up[:, None], up] = bend * flip[:, None] * flip
        own[:, about[:, None], about] = turn_
        turn = np.zeros((len(length), 8, 8))
        for at in (0, 4):
            turn[:, at, at] = turn[:, at + 3, at + 3] = 1.0
            turn[:, at + 1, at + 1], turn[:, at + 1, at + 2] = c, s
            turn[:, at + 2, at + 1], turn[:, at + 2, at + 2] = -s, c
        return own, turn, length

    @cached_property
    def _stiffness(self) -> Tangent:
        """The stiffness of the whole: a bar's nodes know their neighbours only."""
        own, turn, _ = self._elements
        band = Band(4 * len(self.nodes), BAND)
        dofs = 4 * np.arange(len(own))[:, None] + np.arange(8)
        places = band.at(*np.broadcast_arrays(dofs[:, :, None], dofs[:, None, :]))
        elements = np.swapaxes(turn, 1, 2) @ own @ turn
        return band.tangent(np.bincount(places.ravel(), elements.ravel(), band.count).astype(np.float64)[None, :])

    def _solved(self, right: Array, held: int) -> Array:
        """Return the displacements under loads (4n, k), the first node held, and the last ``held`` displacements too."""
        found, free = np.zeros_like(right), np.arange(4, len(right) - held)
        found[free] = self._stiffness.solved(free, right[None, free])[0]
        return found

    def moved(self, end: Array) -> Array:
        """Return the displacements (n, 4) when the first node is held and the last one is brought to ``end`` (3,): how far up,
        turned about x, turned about y; neither end warps."""
        own, turn, _ = self._elements
        last, size = turn[-1].T @ own[-1] @ turn[-1], 4 * len(self.nodes)
        right = np.zeros((size, 1))
        right[-8:-4, 0] = -last[:4, 4:7] @ end
        found = self._solved(right, 4)[:, 0]
        found[-4:-1] = end
        return found.reshape(-1, 4)

    @cached_property
    def at_end(self) -> Array:
        """The (3, 3) stiffness of its last node with the first one held; neither warps."""
        unit = np.zeros((4 * len(self.nodes), 3))
        unit[-4:-1] = np.eye(3)
        return np.asarray(np.linalg.inv(self._solved(unit, 1)[-4:-1]))

    def hanging(self, loads: Array) -> Array:
        """Return the displacements (n, 4) with the first node held and ``loads`` (n,) N down at every node."""
        down = np.zeros((len(self.nodes), 4))
        down[:, 0] = -loads
        return self._solved(down.reshape(-1, 1), 0).reshape(-1, 4)

    def inner(self, moved: Array) -> tuple[Array, Array, Array]:
        """Return, of displacements (n, 4), bending moments at both ends of every element, (m, 2) N·mm, how fast it twists
        there, (m, 2) rad/mm, and how fast that changes, (m, 2) rad/mm²; all without sign."""
        own, turn, length = self._elements
        local = np.einsum("mij,mj->mi", turn, np.concatenate([moved[:-1], moved[1:]], axis=1))
        forces = np.einsum("mij,mj->mi", own, local)
        steps, first, last = (local[:, 5] - local[:, 1]) / length, local[:, 3], local[:, 7]
        changes = np.stack([6 * steps - 4 * first - 2 * last, 2 * first + 4 * last - 6 * steps], axis=1) / length[:, None]
        return np.abs(forces[:, [2, 6]]), np.abs(local[:, [3, 7]]), np.abs(changes)


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
