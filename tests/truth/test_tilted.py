"""One side first: ways in that bend least, by brute force, by hand, by solid elements, and in the trade's order."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
import skfem as fem
from skfem.helpers import ddot, sym_grad, trace

from bouncy_latch.core.flex import tilted
from bouncy_latch.core.flex.oval import Oval
from bouncy_latch.core.flex.tilted import Opposed, easiest
from bouncy_latch.core.mechanisms import registry

HINGE = registry.kind("clip-hinge")
STIFF = {"arm": 2, "width": 8, "length": 9, "mouth": 20, "nub": 4.9, "nub_height": 1, "nub_chamfer": 0.5, "clearance": 0.25,
         "hole_fit": 0.1, "hole_depth": 1, "lead_in": 1, "loops": 1, "infill": 15, "end": 4.2}
"""Short arms on a wide tongue, which goes in by hand (common practice, no source)."""


def test_the_least_of_all_greatest_values_is_that_of_every_path():
    rng = np.random.default_rng(5)
    for _ in range(20):
        field = rng.random((4, 3))
        least = math.inf
        # In every row a way comes in at one column, goes on to another within the row, and leaves there for the next row.
        for turns in itertools.product(range(3), repeat=4):
            columns = [*turns, 0]
            passed = [field[row, min(columns[row], columns[row + 1]):max(columns[row], columns[row + 1]) + 1].max()
                      for row in range(4)]
            least = min(least, max(passed))
        assert tilted._least_greatest(field)[-1] == pytest.approx(least)


def bump(height, wide, tail):
    """A bump on an arm's end whose face goes on over ``tail`` mm behind it."""
    return ((-tail, 0.0), (-wide, 0.0), (0.0, height), (wide, 0.0))


def test_what_is_guided_all_along_cannot_be_tilted_in():
    """A bar 30 mm long fills its channel: any tilt takes more room than two bumps of half a millimetre do."""
    shape = Opposed(bump(0.5, 1.0, 30.0), ((0.0, 0.05), (30.0, 0.05)), 6.0, 25.0, 20.0)
    found = easiest(shape)
    assert found.part > 0.97
    assert found.straight == pytest.approx(0.45 * 20.0 / 20.0, rel=0.02), "bump less clearance, at the arm's end"


def test_through_a_thin_edge_one_bump_goes_after_the_other():
    """Two bumps 0.5 high on a bar 12 wide, 1 ahead of each other when it leans by 5°: at one time just one meets the edge, and
    the bar moves over to the other side by the clearance: (0.5 − 2 · 0.2) is left, shared by two arms."""
    clear = 0.2
    shape = Opposed(bump(0.5, 0.4, 6.0), ((0.0, 2.0), (0.0, clear), (0.3, clear), (0.3, 2.0)), -6.0, 3.0, 12.0)
    found = easiest(shape)
    assert found.straight == pytest.approx(0.5 - clear, rel=0.03)
    assert found.lowered == pytest.approx((0.5 - 2 * clear) / 2, abs=0.04)
    assert 3 < math.degrees(found.angle) < 15


def test_the_sheet_gives_both_pushes_and_the_verdict_uses_the_one_asked_for(heron):
    by_hand, guided = (HINGE.solve(HINGE.params().changed(**STIFF, entry=entry), heron) for entry in ("tilted", "straight"))
    for solution, used in ((by_hand, "push_tilted"), (guided, "push_straight")):
        assert solution.check("insertion").value == pytest.approx(solution.value(used)) == pytest.approx(
            solution.value("insertion"))
    assert by_hand.value("push_tilted") < 0.65 * by_hand.value("push_straight")
    assert by_hand.value("push_straight") == pytest.approx(guided.value("push_straight"))
    assert by_hand.check("strain").value < 0.9 * guided.check("strain").value
    assert 1 < by_hand.value("tilt") <= 25
    for name, power in (("deflection", 1), ("click", 2)):
        less = by_hand.value("deflection") / guided.value("deflection")
        assert by_hand.value(name) == pytest.approx(guided.value(name) * less**power), name
    assert "one side first" in by_hand.check("insertion").why


def test_a_clip_hinge_eases_in_the_order_that_practitioners_tell(heron):
    """Two lines stiff; one line softer; less infill weaker; shorter nubs easier on and off; a lead-in glides (common practice,
    no source)."""
    def push(**changes):
        solution = HINGE.solve(HINGE.params().changed(**{**STIFF, **changes}), heron)
        return solution.value("insertion"), solution.value("retention"), solution.value("strain")

    two, one, weak = push(loops=2), push(), push(infill=5)
    short, ramped = push(nub_height=0.7, hole_depth=0.8, lead_in=0.3), push(nub_height=0.7, hole_depth=0.8)
    assert two[0] > 1.15 * one[0] > 1.05 * weak[0]
    steep = push(lead_in=0.3)
    assert short[0] < steep[0]
    assert short[1] < steep[1]
    assert ramped[0] < 0.9 * short[0]
    assert ramped[2] < one[2] < two[2] * 1.05


def waved(radius, wall, height, waves):
    """Return newtons over millimetres of a rim pushed out by cos(nθ), of half a wave of a tube in quadratic bricks.

    Its floor is round and may warp; both ends of the half wave are planes of symmetry.
    """
    modulus = 2000.0
    turn = np.linspace(0, math.pi / waves, max(5, 14 // waves + 3))
    flat = fem.MeshHex.init_tensor(turn, radius + wall * np.array([-0.5, 0.5]), height * np.linspace(0, 1, 9) ** 0.8)
    theta, r, z = flat.p
    mesh = fem.MeshHex2.from_mesh(fem.MeshHex(np.array([r * np.cos(theta), r * np.sin(theta), z]), flat.t))
    middle, far = np.arctan2(mesh.doflocs[1], mesh.doflocs[0]), np.hypot(*mesh.doflocs[:2])
    # Nodes between corners lie on chords: out to the round.
    corner = np.hypot(*mesh.p[:2])
    layers = np.unique(np.round(corner, 6))
    nearest = layers[np.abs(far[:, None] - layers).argmin(axis=1)]
    chord = np.abs(far - radius) > 0.2 * wall
    place = np.where(chord, nearest, radius)
    mesh.doflocs[:2] = place * np.array([np.cos(middle), np.sin(middle)])
    basis = fem.Basis(mesh, fem.ElementVector(fem.ElementHex2()), intorder=4)
    lame, shear = modulus * 0.35 / (1.35 * 0.3), modulus / 2.7

    @fem.BilinearForm
    def stiffness(u, v, _):
        one, other = sym_grad(u), sym_grad(v)
        return lame * trace(one) * trace(other) + 2 * shear * ddot(one, other)

    @fem.LinearForm
    def push(v, w):
        angle = np.arctan2(w.x[1], w.x[0])
        return np.cos(waves * angle) * (v[0] * np.cos(angle) + v[1] * np.sin(angle)) / wall

    faces = fem.FacetBasis(mesh, basis.elem, facets=mesh.facets_satisfying(lambda x: np.isclose(x[2], height)), intorder=4)
    load = push.assemble(faces)
    # Symmetry planes: at θ = 0 nothing along y; the other end is turned there by a stiff spring across its plane.
    last = math.pi / waves
    across = np.array([-math.sin(last), math.cos(last)])

    @fem.BilinearForm
    def plane(u, v, _):
        return 1e6 * modulus * (u[0] * across[0] + u[1] * across[1]) * (v[0] * across[0] + v[1] * across[1])

    end = fem.FacetBasis(mesh, basis.elem, facets=mesh.facets_satisfying(
        lambda x: np.abs(x[0] * across[0] + x[1] * across[1]) < 1e-6), intorder=4)
    whole = stiffness.assemble(basis) + plane.assemble(end)
    floor = basis.get_dofs(lambda x: np.isclose(x[2], 0)).all(["u^1", "u^2"])
    first = basis.get_dofs(lambda x: np.abs(x[1]) < 1e-6).all("u^2")
    moved = fem.solve(*fem.condense(whole, load, D=np.union1d(floor, first)))
    # A newton a millimetre, times cos(nθ), does the work π R a on a rim that moves by a cos(nθ); one half wave of 2 n of them.
    moves = 2 * waves * float(load @ moved) / (math.pi * radius)
    return modulus, math.pi * radius / moves


@pytest.mark.parametrize(("radius", "wall", "height", "waves", "within"), [
    (17, 1.6, 12, 2, 0.12), (17, 1.6, 12, 3, 0.12), (17, 2.4, 20, 2, 0.12), (30, 2.0, 14, 3, 0.12), (17, 1.6, 24, 4, 0.22)])
def test_a_rim_goes_oval_as_bricks_do(radius, wall, height, waves, within):
    """Thin rings by Timoshenko and Vlasov against solid elements; two and three waves carry most of it."""
    modulus, given = waved(radius, wall, height, waves)
    ring = Oval(radius, wall, height, modulus, 0.35, 1e5, 0.3, 0.3, 3.0)
    assert ring.stiffnesses[waves] == pytest.approx(given, rel=within)


def test_a_stiff_cap_is_tipped_on_with_a_hundredth_of_what_it_takes_straight(heron):
    kind = registry.kind("bead-ring")
    by_hand, guided = (kind.solve(kind.params().changed(slots=0, height=14, entry=entry), heron)
                       for entry in ("tilted", "straight"))
    assert guided.check("insertion").verdict == "stop"
    assert by_hand.check("insertion").value < 0.02 * guided.check("insertion").value
    assert by_hand.value("strain") < 0.6 * guided.value("strain")
    assert by_hand.value("click") < by_hand.value("work"), "no more is let go than was put in"
    assert by_hand.value("retention") == pytest.approx(guided.value("retention")), "a straight pull stretches it all round"
    tips = by_hand.check("tips-out").value
    assert by_hand.value("insertion") < tips < 0.1 * by_hand.value("retention"), "a push at one side tips it out"
