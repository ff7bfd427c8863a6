"""The plane frame against classical springs and leaves: what snap arms use now and springs will share.

Values marked R were worked out apart from this program (Castigliano, closed forms, finer frames), as stands beside them.
"""

from __future__ import annotations

import math

import numpy as np
import pytest

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.beams import curved_factor
from bouncy_latch.core.flex.frame import Frame, natural_stiffness
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.flex.stiffness import Band

GAUSS = np.polynomial.legendre.leggauss(3)
AT, WEIGHTS = (GAUSS[0] + 1) / 2, GAUSS[1] / 2


def frame(points, bending, axial, held):
    """A frame through points (n, 2) with uniform stiffness; ``held``: node → which of x, y, turn are fixed."""
    points = np.asarray(points, dtype=float)
    lengths = np.hypot(*np.diff(points, axis=0).T)
    stiffness = [natural_stiffness(float(length), np.full(3, axial), np.full(3, bending), np.zeros(3), AT, WEIGHTS)
                 for length in lengths]
    fixed = np.zeros((len(points), 3), dtype=bool)
    for node, which in held.items():
        fixed[node] = which
    ends = np.column_stack([np.arange(len(points) - 1), np.arange(1, len(points))])
    return Frame(points, ends, np.array(stiffness), fixed, np.zeros((len(points), 3)))


def moved_by(made, node, load):
    loads = np.zeros((1, len(made.nodes), 3))
    loads[0, node] = load
    return made.loaded(loads)[0]


def serpentine(leg, radius, cells, per=30):
    """Centre line: half a leg, then half circles and whole legs by turns, and half a leg; the pull runs along y = 0."""
    points, x, up = [(0.0, 0.0)], 0.0, 1
    points += [(0.0, up * leg / 2 * i / per) for i in range(1, per + 1)]
    for cell in range(cells):
        turn = np.linspace(0, math.pi, per + 1)[1:]
        points += [(x + radius - radius * math.cos(a), up * (leg / 2 + radius * math.sin(a))) for a in turn]
        x += 2 * radius
        last = cell == cells - 1
        stop = 0.0 if last else -up * leg / 2
        points += [(x, up * leg / 2 + (stop - up * leg / 2) * i / per) for i in range(1, per + 1)]
        up = -up
    return points


# R, Castigliano: leg a, turn r, thickness t, depth b, cells N, stiffness with the ends free to turn, bending only.
@pytest.mark.parametrize(("leg", "radius", "thick", "deep", "cells", "expected"), [
    (12, 1.5, 1.0, 5, 4, 0.55861), (20, 2.5, 1.2, 6, 5, 0.20016), (5, 1.2, 1.2, 4, 3, 7.51571)])
def test_a_zig_zag_spring(leg, radius, thick, deep, cells, expected):
    bending = 2000.0 * deep * thick**3 / 12
    made = frame(serpentine(leg, radius, cells), bending, 1e8, {0: (True, True, False), -1: (False, True, False)})

    stretched = moved_by(made, -1, (0.01, 0.0, 0.0))[-1, 0]

    assert 0.01 / stretched == pytest.approx(expected, rel=3e-3)
    by_hand = cells * (leg**3 / 12 + math.pi * leg**2 * radius / 4 + 2 * leg * radius**2 + math.pi * radius**3 / 2) / bending
    assert 1 / by_hand == pytest.approx(expected, rel=1e-4)


def test_a_spiral_under_a_couple():
    """Closed form of a clamped spiral, E b t³/(12 L), by hand: b 6, t 0.8, 5 turns from diameter 10 to 30, E 2000: 1.62884."""
    turns, steps = 5, 600
    angle = np.linspace(0, 2 * math.pi * turns, steps + 1)
    radius = 5 + 10 * angle / angle[-1]
    points = np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])
    made = frame(points, 2000 * 6 * 0.8**3 / 12, 1e7, {-1: (True, True, True)})

    assert 0.05 / moved_by(made, 0, (0.0, 0.0, 0.05))[0, 2] == pytest.approx(1.62884, rel=2e-3)


# R, closed form in the axial force: sag over thickness, load over 192 EI w/L³ of a leaf held at both ends.
@pytest.mark.parametrize(("ratio", "stiffening"), [(0.1, 1.00720), (0.5, 1.17888), (1, 1.70358), (2, 3.68176)])
def test_a_leaf_that_cannot_shorten_stiffens(ratio, stiffening):
    thick, length, count = 1.0, 60.0, 80
    bending, axial = 2000 * 6 * thick**3 / 12, 2000 * 6 * thick
    ends = {0: (True, True, True), count: (True, True, True)}
    made = frame([(length * i / count, 0.0) for i in range(count + 1)], bending, axial, ends)

    sag = ratio * thick
    _, force = made.pushed(count // 2, np.array([sag]), np.array([[0.0, -1.0]]), np.zeros((1, 2)))

    assert force[0] / (192 * bending * sag / length**3) == pytest.approx(stiffening, rel=5e-3)


# R, Winkler–Bach (Seely & Smith), within 1.3 % of Golovin's exact solution: mean radius over thickness, K at the inside.
@pytest.mark.parametrize(("ratio", "book", "exact"), [
    (0.75, 1.9240, 1.9004), (1, 1.5235, 1.5280), (1.5, 1.2875, 1.2925), (3, 1.1244, 1.1260), (5, 1.0711, 1.0717)])
def test_the_inside_of_a_fold(ratio, book, exact):
    found = curved_factor((ratio - 0.5) * 2.0, 2.0)
    assert found == pytest.approx(book, abs=1e-4)
    assert found == pytest.approx(exact, rel=0.013)


def test_a_folded_arm_gives_as_castigliano_says():
    """Two legs and a half circle, force across at the end over its own root: ∫ x² ds/EI along all of it."""
    fill, legs, inner, thick = Fill(20, 0.45, 1.0, 10.0), 14.0, 2.0, 1.2
    arm = Arm(legs, thick, 6.0, fill, 2000.0, soft_root=False, fold=inner, back=legs)
    radius = inner + thick / 2
    bent = np.linspace(0, math.pi, 2001)
    whole = 2 * legs**3 / 3 + np.trapezoid((legs + radius * np.sin(bent)) ** 2 * radius, bent)

    assert arm.flexibility[1, 1] == pytest.approx(whole / (2000 * 6 * thick**3 / 12), rel=0.02)


def test_a_frame_that_is_not_held_is_refused():
    loose = frame([(0, 0), (10, 0), (20, 0)], 100.0, 1e5, {0: (True, False, False)})
    with pytest.raises(SolveError, match="not held"):
        moved_by(loose, -1, (0.0, -1.0, 0.0))


@pytest.mark.parametrize(("cases", "size", "width", "held"), [
    (3, 123, 5, [0, 1, 2]), (2, 171, 50, [0, 1, 2, 168, 169, 170]), (1, 60, 7, [30]), (2, 11, 5, [])])
def test_a_band_kept_in_blocks_is_solved_as_the_whole_is(cases, size, width, held):
    """Against the library's solution of the whole matrix, with some of it held; what is singular is said to be."""
    rng = np.random.default_rng(size)
    rows, columns = np.indices((size, size))
    near = np.abs(rows - columns) <= width
    whole = rng.normal(size=(cases, size, size)) * near + 20 * np.eye(size)
    free, band = np.setdiff1d(np.arange(size), held), Band(size, width)
    kept = np.zeros((cases, band.count))
    kept[:, band.at(rows[near], columns[near])] = whole[:, near]
    made = band.tangent(kept)
    extra, spot = rng.normal(size=(cases, 1)), np.array([size // 2])
    made.add(spot, spot, extra)
    whole[:, spot, spot] += extra
    right = rng.normal(size=(cases, len(free), 3))
    assert np.allclose(made.solved(free, right), np.linalg.solve(whole[:, free[:, None], free[None, :]], right), atol=1e-12)
    assert np.allclose(made.whole(), whole)
    assert np.allclose(made.columns(np.array([0, size - 1])), whole[:, :, [0, -1]])
    with pytest.raises(np.linalg.LinAlgError):
        band.tangent(np.zeros_like(kept)).solved(free, right)
