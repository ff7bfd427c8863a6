"""Spiral springs against the pure couple's closed form, plane-stress elements, and the least energy of coils in contact."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import minimize

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.flex.spiral import Spiral
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.solids import mesh
from tests import plane_fem

SOLID = Fill(50, 0.4, 1.0, 50)
E = 2000.0
HERON = population.built_in()[0]
EXACT = HERON.model_copy(update={"growth": Spread(mean=0.0, sd=0.0), "infill": 100.0})
KIND = registry.kind("spiral-spring")


def spiral(**changes):
    return Spiral(**{"inner": 5.0, "outer": 15.0, "turns": 5.0, "thickness": 0.8, "width": 6.0, "fill": SOLID, "modulus": E,
                     "poisson": plane_fem.POISSON, **changes})


def solved(**sizes):
    return KIND.solve(KIND.params().changed(**sizes), EXACT)


@pytest.mark.parametrize(("clamped", "factor"), [(True, 1.0), (False, 0.786)])
def test_stiffness_is_the_strips_and_its_hold(clamped, factor):
    """K = E·b·t³/(12·L) with L = π·n·(D_o + D_i)/2 (a strip under a pure couple); an outer end on a pin, by a frame of straight
    bars worked out beside this project, gives 0.7863 of it, a clamped one 1.0066."""
    found = spiral(clamped=clamped)
    length = math.pi * 5 * 20
    torque, strain = found.wound(np.array([0.02]))
    assert found.length == pytest.approx(length)
    assert torque[0] / (0.02 * 2 * math.pi) == pytest.approx(factor * E * 6 * 0.8**3 / (12 * length), rel=0.01)
    if clamped:
        plain = 0.02 * math.pi * 0.8 / length
        assert plain < strain[0] < 1.25 * plain, "of a pure couple, more at its anchor and inside the innermost coil"


@pytest.mark.parametrize(("inner", "outer", "turns", "thickness"), [(5.0, 15.0, 5, 0.8), (6.0, 14.0, 2.5, 1.4)])
def test_a_strip_of_elements_is_as_stiff_and_as_strained(inner, outer, turns, thickness):
    """Plane-stress elements of a small turn: the outer end held, the inner one turned about the arbor's axis."""
    found = spiral(inner=inner, outer=outer, turns=turns, thickness=thickness)
    angles = np.linspace(turns * 2 * math.pi, 0.0, round(90 * turns))
    radii = np.sqrt(np.interp(angles, found.angles, found.radii**2))
    places = np.column_stack([radii * np.cos(angles), radii * np.sin(angles)])
    along = np.gradient(places, axis=0)
    along /= np.hypot(*along.T)[:, None]
    torque, strain = plane_fem.swept_bar(places, np.column_stack([-along[:, 1], along[:, 0]]), thickness, 6.0, E, -1e-4,
                                         moves=plane_fem.about_origin)
    ours, strained = found.wound(np.array([1e-4 / (2 * math.pi)]))
    assert ours[0] / abs(torque) == pytest.approx(1.0, abs=0.05)
    assert strained[0] / strain == pytest.approx(1.0, abs=0.1)


@pytest.mark.parametrize("even", [True, False])
def test_coils_close_as_the_least_energy_says(even):
    """The same energy made least by SciPy over radii that keep coils apart, and the solid disc by counting coils."""
    found = spiral(thickness=1.0, even=even)
    arbor = 2 * (found.inner - 0.5)
    counted = next(n for n in np.arange(5, 12, 1e-3) if math.pi * n * (arbor + 1.0 + n * 1.0) > found.length) - 5
    assert found.solid_turns == pytest.approx(counted, abs=2e-3)
    with pytest.raises(SolveError, match=r"solid after"):
        found.wound(np.array([1.05 * found.solid_turns]))
    places = np.linspace(0, found.length, 60)
    drawn = np.interp(places, np.linspace(0, found.length, len(found.radii)), found.radii)
    weights = np.full(60, places[1])
    weights[[0, -1]] /= 2
    more = 0.75 * float((1 / np.sqrt(found.inner**2 + places / math.pi) - 1 / drawn).max())

    def squares(spare):
        return found.inner**2 + places / math.pi + np.cumsum(spare)

    def energy(spare):
        bent = squares(spare) ** -0.5
        off = bent - 1 / drawn - more
        return 1e4 * float(weights @ off**2), 1e4 * np.cumsum((-weights * off * bent**3)[::-1])[::-1]

    start = np.diff(drawn**2 - places / math.pi, prepend=found.inner**2)
    best = minimize(energy, np.maximum(start, 0.0), jac=True, method="L-BFGS-B", bounds=[(0, None)] * 60,
                    options={"maxiter": 20000, "maxfun": 40000, "ftol": 1e-13, "gtol": 1e-9})
    wound = float(weights @ (squares(best.x) ** -0.5 - 1 / drawn)) / (2 * math.pi)
    torque, _ = found.wound(np.array([wound]))
    assert best.success
    assert torque[0] / (found.held[0] * found.stiffness) == pytest.approx(more, rel=0.03)


def test_the_whole_spring_says_what_the_strip_does():
    small = solved(travel=0.5)
    course = small.motions[0].course
    value = {each.name: each.value for each in small.derived}
    assert course.values[0] == 0
    assert course.values[-1] == pytest.approx(0.5)
    assert value["energy"] == pytest.approx(np.trapezoid(course.curves["torque"], course.values) * 2 * math.pi, rel=1e-6)
    assert value["rate"] * 0.5 == pytest.approx(value["torque"], rel=0.03)
    assert value["length"] == pytest.approx(math.pi * 7 * 37)
    assert value["bar_gap"] == pytest.approx((30 - 7 - 1.2) / 7 - 1.2, abs=2e-3)
    thick = solved(thickness=0.6, travel=0.5).derived[0].value
    assert value["rate"] / thick == pytest.approx(8, rel=0.02), "twice the thickness eight times (common practice, no source)"
    strip = mesh.evaluate(small.bodies["A"])
    hub, tab = math.pi * 6.3**2 - 36, 64
    assert strip.volume() == pytest.approx(6 * (value["length"] * 1.2 + hub + tab), rel=0.02)
    assert len(strip.decompose()) == 1


@pytest.mark.parametrize("hand", ["right", "left"])
def test_wound_up_its_arbor_turns_its_end_stays_and_nothing_meets(hand):
    found = solved(hand=hand, travel=1.2)
    side = 1 if hand == "right" else -1
    places = np.array([[3.2, 0.5, 0.0], [30.0, -side * 4.0, 0.0]])
    warp = found.motions[0].bends(1.0)["A"]
    moved = warp(np.vstack([places, [[3.2 * math.cos(0.3), 3.2 * math.sin(0.3), 6.0]]]))
    assert moved[0] == pytest.approx(places[0], abs=1e-6), "a whole turn"
    quarter = found.motions[0].bends(0.25)["A"](places)
    assert quarter[0][:2] == pytest.approx((side * 0.5, -side * 3.2), abs=1e-6), "clockwise to wind up a right-hand one"
    bent = mesh.evaluate(found.bodies["A"]).refine_to_length(1.0).warp_batch(found.motions[0].bends(1.0)["A"])
    flat = mesh.evaluate(found.bodies["A"])
    assert bent.volume() == pytest.approx(flat.volume(), rel=0.05)


@pytest.mark.parametrize(("sizes", "says"), [
    ({"turns": 20}, "leave no gaps"), ({"outer_radius": 8}, "no room for a spiral"), ({"travel": 9}, "solid after"),
    ({"bore": 12}, "leaves nothing of an arbor"), ({"anchor": "pin", "eye": 7}, "leaves no wall")])
def test_what_is_no_spiral_is_refused(sizes, says):
    with pytest.raises(SolveError, match=says):
        solved(**sizes)
