"""Plane frames of straight elements that turn far but strain little: corotational, many load cases at once.

Every element keeps a constant stiffness in axes that turn with it (M. A. Crisfield, *Non-linear Finite Element Analysis of
Solids and Structures* vol. 1, ch. 7); because that stiffness is integrated from the element's own taper and shear, few
elements do. Displacements are (B, n, 3): x and y in mm, rotation in rad, for B cases; forces in N and N·mm.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.stiffness import Band, Layout, Square, Tangent
from bouncy_latch.core.flex.touching import Touching
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

TOLERANCE = 1e-6
"""Change of a displacement, of the greatest in its case, at which an iteration ends."""
MOST_ITERATIONS = 30
MOST_STRETCH = 0.1
CHAIN, BAND = 24, 5
"""Elements in a row from which on only a band is kept of a chain's stiffness, and how far from the diagonal that reaches."""
MOST_TURN = math.radians(60)
"""An element that turns further than this against its own ends within a solution is outside small strain; so is one
that is stretched by more than :data:`MOST_STRETCH`."""


def natural_stiffness(length: float, axial: Array, bending: Array, softness: Array, at: Array, weights: Array) -> Array:
    """Return the (3, 3) stiffness of one element against extension and its two end rotations.

    Flexibility by quadrature: f_ij = ∫ m_i m_j / D dx + s ∫ dx / L² with m_1 = ξ − 1, m_2 = ξ.

    Args:
        length: mm. axial: EA, N. bending: EI, N·mm². softness: shear compliance 1/GA, 1/N, each at the stations.
        at, weights: stations ξ and weights of a quadrature on 0…1.
    """
    first, second = at - 1, at
    flex = np.array([[first @ (weights * first / bending), first @ (weights * second / bending)],
                     [second @ (weights * first / bending), second @ (weights * second / bending)]]) * length
    flex += float(weights @ softness) / length
    found = np.zeros((3, 3))
    found[0, 0] = 1 / (length * float(weights @ (1 / axial)))
    found[1:, 1:] = np.linalg.inv(flex)
    return found


@frozen(eq=False)
class Frame:
    """A plane frame.

    Attributes:
        nodes: (n, 2) mm. ends: (m, 2) node numbers of the elements. stiffness: (m, 3, 3) natural stiffness.
        fixed: (n, 3) True where a displacement is held. springs: (n, 3) stiffness to the ground, N/mm and N·mm/rad.
        touching: where it may meet itself; None where that is not looked at.
    """

    nodes: Array
    ends: npt.NDArray[np.int64]
    stiffness: Array
    fixed: npt.NDArray[np.bool_]
    springs: Array
    touching: Touching | None = None

    @cached_property
    def _free(self) -> npt.NDArray[np.int64]:
        return np.flatnonzero(~self.fixed.ravel())

    @cached_property
    def _dofs(self) -> npt.NDArray[np.int64]:
        return (3 * self.ends[:, :, None] + np.arange(3)).reshape(len(self.ends), 6)

    @cached_property
    def _layout(self) -> Layout:
        """Where its stiffness is kept: a long chain, whose elements run from one node to the next, has only a band of it."""
        size = 3 * len(self.nodes)
        if len(self.ends) < CHAIN or not (np.diff(self.ends, axis=1) == 1).all():
            return Square(size)
        return Band(size, BAND if self.touching is None else 3 * self.touching.furthest + 2)

    @cached_property
    def _places(self) -> npt.NDArray[np.int64]:
        """Where each entry of each element matrix belongs among what is kept."""
        return self._layout.at(*np.broadcast_arrays(self._dofs[:, :, None], self._dofs[:, None, :])).ravel()

    @cached_property
    def _drawn(self) -> tuple[Array, Array, Array]:
        along = self.nodes[self.ends[:, 1]] - self.nodes[self.ends[:, 0]]
        return along, np.hypot(along[:, 0], along[:, 1]), np.arctan2(along[:, 1], along[:, 0])

    def strained(self, moved: Array) -> tuple[Array, Array, Array]:
        """Return, for displacements (B, n, 3): natural strains (B, m, 3), chord lengths and directions, each (B, m)."""
        along, drawn, direction = self._drawn
        first, second = moved[:, self.ends[:, 0]], moved[:, self.ends[:, 1]]
        now = along + second[:, :, :2] - first[:, :, :2]
        length = np.hypot(now[..., 0], now[..., 1])
        angle = np.arctan2(now[..., 1], now[..., 0])
        turn = np.remainder(angle - direction + math.pi, 2 * math.pi) - math.pi
        # The chord's turn is only known up to whole turns; the ends tell which.
        turn = turn + 2 * math.pi * np.round((first[..., 2] - turn) / (2 * math.pi))
        strain = np.stack([(length**2 - drawn**2) / (length + drawn), first[..., 2] - turn, second[..., 2] - turn], axis=-1)
        return strain, length, angle

    def forces(self, moved: Array) -> Array:
        """Return axial force (N) and end moments (N·mm) of every element, (B, m, 3); moments act on the element's ends."""
        return np.asarray(np.einsum("mij,bmj->bmi", self.stiffness, self.strained(moved)[0]))

    def _system(self, moved: Array) -> tuple[Array, Tangent]:
        """Return internal forces (B, N) and tangent stiffness."""
        cases, size = len(moved), 3 * len(self.nodes)
        strain, length, angle = self.strained(moved)
        inner = np.einsum("mij,bmj->bmi", self.stiffness, strain)
        c, s = np.cos(angle), np.sin(angle)
        zero, one = np.zeros_like(c), np.ones_like(c)
        r = np.stack([-c, -s, zero, c, s, zero], axis=-1)
        z = np.stack([s, -c, zero, -s, c, zero], axis=-1)
        near = -z / length[..., None]
        far = near.copy()
        near[..., 2] += one
        far[..., 5] += one
        b = np.stack([r, near, far], axis=-2)
        tangent = np.swapaxes(b, -1, -2) @ (self.stiffness @ b)
        zr = z[..., :, None] * r[..., None, :]
        tangent += (inner[..., 0] / length)[..., None, None] * (z[..., :, None] * z[..., None, :])
        tangent += ((inner[..., 1] + inner[..., 2]) / length**2)[..., None, None] * (zr + np.swapaxes(zr, -1, -2))
        force = np.einsum("bmki,bmk->bmi", b, inner)
        case = np.arange(cases)[:, None]
        count = self._layout.count
        summed = np.bincount((case * count + self._places).ravel(), tangent.ravel(), cases * count).astype(np.float64)
        whole = self._layout.tangent(summed.reshape(cases, count))
        total: Array = np.bincount((case * size + self._dofs.ravel()).ravel(), force.ravel(), cases * size).astype(np.float64)
        ground, every = self.springs.ravel(), np.arange(size)
        total = total.reshape(cases, size) + ground * moved.reshape(cases, size)
        whole.add(every, every, ground[None, :])
        if self.touching is not None:
            self.touching.add(self.nodes, moved, total, whole)
        return total, whole

    def resists(self, node: int) -> Array:
        """Return the (3, 3) stiffness of ``node``, all else free: N (x, y) and N·mm (turn) per mm and rad it is brought."""
        return self._led(node)[2]

    def _led(self, node: int) -> tuple[Frame, Array, Array]:
        """Return it with a node held, how what is free follows that node from rest, (F, 3), and what resists it there."""
        if node not in self._leading:
            own = 3 * node + np.arange(3)
            held = replace(self, fixed=self.fixed | (np.arange(len(self.nodes)) == node)[:, None])
            tangent = self._system(np.zeros((1, len(self.nodes), 3)))[1]
            columns = tangent.columns(own)[0]
            follows = held._solve(tangent, -columns[None, held._free])[0]
            self._leading[node] = held, follows, columns[own] + columns[held._free].T @ follows
        return self._leading[node]

    @cached_property
    def _leading(self) -> dict[int, tuple[Frame, Array, Array]]:
        return {}

    def _pushes(self, moved: Array) -> Array:
        """Return the internal forces (B, N) alone."""
        if self.touching is not None:
            return self._system(moved)[0]
        strain, length, angle = self.strained(moved)
        inner = np.einsum("mij,bmj->bmi", self.stiffness, strain)
        c, s, across = np.cos(angle), np.sin(angle), (inner[..., 1] + inner[..., 2]) / length
        # Along the chord and square to it, and the moments; opposite at either end.
        along_x, along_y = inner[..., 0] * c + across * s, inner[..., 0] * s - across * c
        force = np.stack([-along_x, -along_y, inner[..., 1], along_x, along_y, inner[..., 2]], axis=-1)
        cases, size = len(moved), 3 * len(self.nodes)
        total: Array = np.bincount((np.arange(cases)[:, None] * size + self._dofs.ravel()).ravel(), force.ravel(),
                                   cases * size).astype(np.float64)
        return total.reshape(cases, size) + self.springs.ravel() * moved.reshape(cases, size)

    @cached_property
    def released(self) -> Frame:
        """It with nothing held but its first node."""
        fixed = np.zeros_like(self.fixed)
        fixed[0] = True
        return replace(self, fixed=fixed)

    def bands_of(self, moved: Array, kept: int) -> Array:
        """Return the upper diagonals, (6, k), of the stiffness of small displacements from displacements (n, 3) of a bar whose
        elements run from one node to the next, without those that are held and the one numbered ``kept``."""
        free = self._free[self._free != kept]
        inside = self._system(moved[None])[1].whole()[0][np.ix_(free, free)]
        bands = np.zeros((BAND + 1, len(free)))
        for shift in range(BAND + 1):
            bands[BAND - shift, shift:] = np.diagonal(inside, shift)
        return bands

    def brought(self, node: int, to: Array) -> tuple[Array, Array]:
        """Return displacements (B, n, 3) and the forces (B, 3) on ``node`` when it is brought to displacements ``to`` (B, 3).

        Raises:
            SolveError: when no balance of forces was found.
        """
        cases, size = len(to), 3 * len(self.nodes)
        moved = np.zeros((cases, size))
        own = 3 * node + np.arange(3)
        # The first step takes the node along, so that what hangs on it need not stretch to it; it begins as drawn in all cases.
        held, follows, _ = self._led(node)
        moved[:, held._free] = to @ follows.T
        moved[:, own] = to
        before = _size(moved[:, held._free], moved)
        for _ in range(1, MOST_ITERATIONS):
            inner, tangent = self._system(moved.reshape(cases, -1, 3))
            change = held._solve(tangent, -inner[:, held._free][..., None])[..., 0]
            moved[:, held._free] += change
            now = _size(change, moved)
            if _settled(now, before):
                break
            before = now
        else:
            raise SolveError("it cannot be moved so far: no balance of forces was found, it buckles or folds over first",
                             value=float(np.abs(to[:, :2]).max()))
        self._refuse_folded(moved.reshape(cases, -1, 3), 0.0)
        return moved.reshape(cases, -1, 3), self._pushes(moved.reshape(cases, -1, 3))[:, own]

    def flexibility(self, node: int) -> Array:
        """Return the (3, 3) small-bend flexibility of ``node``: displacement per N (x, y) and N·mm (turn)."""
        still = np.zeros((1, *self.nodes.shape[:1], 3))
        _, tangent = self._system(still)
        unit = np.zeros((1, 3 * len(self.nodes), 3))
        unit[0, 3 * node + np.arange(3), np.arange(3)] = 1.0
        moved = np.zeros((3 * len(self.nodes), 3))
        moved[self._free] = self._solve(tangent, unit[:, self._free])[0]
        return np.asarray(moved[3 * node:3 * node + 3])

    def loaded(self, loads: Array, steps: int = 1) -> Array:
        """Return the displacements (B, n, 3) under dead loads (B, n, 3), reached in equal ``steps``.

        Raises:
            SolveError: saying at which part of the load and why no balance was found.
        """
        cases = len(loads)
        flat = loads.reshape(cases, -1)[:, self._free]
        moved = np.zeros((cases, 3 * len(self.nodes)))
        for step in range(1, steps + 1):
            wanted = flat * step / steps
            before: Array | None = None
            for _ in range(MOST_ITERATIONS):
                inner, tangent = self._system(moved.reshape(cases, -1, 3))
                change = self._solve(tangent, (wanted - inner[:, self._free])[..., None])[..., 0]
                moved[:, self._free] += change
                now = _size(change, moved)
                if _settled(now, before):
                    break
                before = now
            else:
                raise SolveError(f"the bending stops at {100 * (step - 1) / steps:.0f} % of the load: beyond it no balance of "
                                 "forces was found; it buckles or folds over", field="load", value=step / steps)
            self._refuse_folded(moved.reshape(cases, -1, 3), (step - 1) / steps)
        return moved.reshape(cases, -1, 3)

    def pushed(self, node: int, lowered: Array, directions: Array, arms: Array) -> tuple[Array, Array]:
        """Return displacements (B, n, 3) and forces (B,) when ``node`` is brought down by ``lowered`` (B,) mm.

        The force acts in ``directions`` (B, 2), kept in space, at a point fixed to the node at ``arms`` (B, 2) mm from it,
        which turns with it; the force is per unit of the direction vector.

        Raises:
            SolveError: saying how far it bends and why not further.
        """
        cases, size = len(lowered), 3 * len(self.nodes)
        moved, force = np.zeros((cases, size)), np.zeros(cases)
        x, y, turn = 3 * node, 3 * node + 1, 3 * node + 2
        where = np.searchsorted(self._free, y)
        before: Array | None = None
        for _ in range(MOST_ITERATIONS):
            c, s = np.cos(moved[:, turn]), np.sin(moved[:, turn])
            arm_x, arm_y = c * arms[:, 0] - s * arms[:, 1], s * arms[:, 0] + c * arms[:, 1]
            pattern = np.zeros((cases, size))
            pattern[:, x], pattern[:, y] = directions[:, 0], directions[:, 1]
            pattern[:, turn] = arm_x * directions[:, 1] - arm_y * directions[:, 0]
            inner, tangent = self._system(moved.reshape(cases, -1, 3))
            # The moment of the force changes as its arm turns with the node.
            turned = -(arm_x * directions[:, 0] + arm_y * directions[:, 1])
            tangent.add(np.array([turn]), np.array([turn]), -(force * turned)[:, None])
            left = force[:, None] * pattern[:, self._free] - inner[:, self._free]
            short = -lowered - moved[:, y]
            both = self._solve(tangent, np.stack([pattern[:, self._free], left], axis=-1))
            step = (short - both[:, where, 1]) / both[:, where, 0]
            force = force + step
            change = both[..., 0] * step[:, None] + both[..., 1]
            moved[:, self._free] += change
            now = _size(change, moved)
            if _settled(now, before):
                break
            before = now
        else:
            length, reach = float(self._drawn[1].sum()), float(np.abs(lowered).max())
            raise SolveError(f"an arm {length:.1f} mm long cannot be bent {reach:.2f} mm: no balance of forces was found, "
                             "it buckles or folds over first", value=reach)
        self._refuse_folded(moved.reshape(cases, -1, 3), 0.0)
        return moved.reshape(cases, -1, 3), force

    def _solve(self, tangent: Tangent, right: Array) -> Array:
        try:
            return tangent.solved(self._free, right)
        except np.linalg.LinAlgError:
            raise SolveError("the frame is not held: part of it can move without bending") from None

    def _refuse_folded(self, moved: Array, part: float) -> None:
        strain, length, _ = self.strained(moved)
        begun = f"the bending was followed to {100 * part:.0f} % only: " if part > 0 else ""
        stretched = float(np.abs(length / self._drawn[1] - 1).max())
        if stretched > MOST_STRETCH:
            total = float(self._drawn[1].sum())
            raise SolveError(f"{begun}an arm {total:.1f} mm long would have to stretch by {100 * stretched:.0f} % to reach so "
                             "far", field="load", value=part)
        most = float(np.abs(strain[..., 1:]).max())
        if most > MOST_TURN:
            raise SolveError(f"{begun}somewhere it would turn by {math.degrees(most):.0f}° within one element, beyond what "
                             "small strains allow", field="load", value=part)


def _size(change: Array, moved: Array) -> Array:
    """Return the size of a step of each case against how far it has moved, (B,)."""
    return np.asarray(np.abs(change).max(axis=1) / (np.abs(moved).max(axis=1) + 1e-12))


def _settled(step: Array, before: Array | None) -> bool:
    """Whether the next step would no longer change anything; never true of numbers that ran away.

    Newton's steps shrink as their squares, so two of them tell the size of the third; a tenth of the tolerance is asked of it.
    """
    if before is None:
        return bool((step <= TOLERANCE).all())
    shrink = np.minimum(step / np.maximum(before, 1e-300), 1.0)
    return bool(((step <= TOLERANCE) | ((shrink < 0.1) & (step * shrink * shrink <= 0.1 * TOLERANCE))).all())
