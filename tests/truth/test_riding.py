"""Snap fits against finite elements that share no line with them: outlines cut from the solids, contact with friction.

Places on the way are compared, not peaks: at an edge's rounding the elements' nodes chatter by some per cent. What came out is
told in docs/flex.md.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely

from bouncy_latch.core.flex.arm import EDGE, Arm
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.ring import Ring
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.mechanisms import hook, registry
from bouncy_latch.core.mechanisms.snapping import shapes
from bouncy_latch.core.process.population import built_in
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.solids import mesh
from tests import riding_fem

EXACT = built_in()[0].model_copy(update={"growth": Spread(mean=0, sd=0)})
HOOK = registry.kind("hook")


def cut(solution, height):
    """The outline of body A as it is exported, cut through the middle."""
    rings = [np.asarray(ring) for ring in mesh.evaluate(solution.bodies["A"]).slice(height).to_polygons()]
    assert len(rings) == 1, "one outline: no closed loop"
    return shapely.Polygon(rings[0]).simplify(1e-3)


@pytest.mark.parametrize("sizes", [
    {"length": 12, "thickness": 2.4, "undercut": 0.6}, {"length": 20, "thickness": 1.8, "taper": "thickness"},
    {"form": "u", "return_angle": 40}], ids=["stout", "taper", "folded"])
def test_an_arm_rides_as_finite_elements_do(sizes):
    params = HOOK.params().changed(**{"return_angle": 45, "infill": 100, "loops": 10, **sizes})
    solution, plan = HOOK.solve(params, EXACT), hook._Plan(params, EXACT)
    way, (end, face), outline = plan.snap.way, plan.end, cut(solution, params.width / 2)
    begin, reach = float(plan.snap.ride._steps[0]), plan.catch_length

    def size(x, y):
        found = np.where(x > -0.5, params.thickness / 2, 3.0)
        root = np.hypot(x, np.abs(y) - params.thickness / 2) < 2 * params.fillet
        if plan.folded:
            turn = np.hypot(x - params.length, y - params.fold - params.thickness / 2)
            found = np.where(turn < params.fold + 1.5 * params.thickness, 0.6, found)
        touching = (x > end - 0.3) & (x < end + reach + 0.3) & (y > face - 0.2)
        return np.where(touching, 0.16, np.where(root, np.minimum(found, params.fillet / 3), found))

    body = riding_fem.Pressed(
        riding_fem.triangles(outline, size), params.width, EXACT.modulus.mean,
        lambda x, y: np.isclose(x, outline.bounds[0]) | np.isclose(y, outline.bounds[1]),
        lambda x, y: (x > end - 0.3) & (x < end + reach + 0.3) & (y > face - 0.05))
    edge = riding_fem.Edge(params.wall, face + params.clearance, params.edge)
    friction = EXACT.plastic.friction

    def force(place, way_round):
        return abs(body.press(edge, end - place, friction, way_round)[0])

    def ours(place, values):
        return float(np.interp(place - begin, way.travel, values))

    crest = float(way.travel[way.crest]) + begin
    ramp, level = begin + 0.25 * (crest - begin) * (0.6 if plan.folded else 0.8), crest - 0.4
    assert ours(ramp, way.into) == pytest.approx(force(ramp, -1), rel=0.12)
    assert ours(level, way.into) == pytest.approx(force(level, -1), rel=0.05)
    surface = body.surface_strain(lambda x, y: (x > -2) & ((x < end - 0.5) | (y < face - 0.3) | (x > end + reach + 1)))
    assert ours(level, way.strain) == pytest.approx(surface, rel=0.08)
    body.moved[:] = 0
    on_face = crest + 0.75 * (plan.seat - crest) * 0.6
    for place in np.linspace(plan.seat, on_face, 3)[1:]:
        found = force(place, 1)
    assert ours(on_face, way.out) == pytest.approx(found, rel=0.12)


@pytest.mark.parametrize(("length", "thickness", "fillet"), [(10, 2.0, 1.0), (12, 2.0, 0.5)])
def test_an_arm_at_the_edge_of_a_block_is_softer_and_strained_higher(length, thickness, fillet):
    """Flush with the block's side, rounded on the other: stiffness within 3 %, peak strain within 5 %."""
    quarter = np.linspace(np.pi, np.pi / 2, 10)
    rounding = [(fillet + fillet * np.cos(a), -fillet + fillet * np.sin(a)) for a in quarter]
    outline = shapely.Polygon([(-14, -20), (0, -20), *rounding, (length, 0), (length, thickness), (-14, thickness)])

    def size(x, y):
        near = np.where(np.hypot(x, y) < 2 * fillet, fillet / 5, thickness / 3)
        return np.where((x > -2 * thickness) & (y > -2 * thickness), near, 2.0)

    body = riding_fem.Pressed(riding_fem.triangles(outline, size), 10.0, 2000.0, lambda x, y: np.isclose(x, -14),
                              lambda x, y: np.isclose(x, length))
    give, strain = body.loaded(length, thickness / 2, lambda x, y: (x > -1) & (x < length - 1))
    arm = Arm(length, thickness, 10.0, Fill(20, 0.45, 1.0, 10.0), 2000.0, riding_fem.POISSON, fillet=fillet, root=EDGE)
    bent = arm.bent(np.array([1e-3]), np.zeros(1), np.zeros((1, 2)))
    assert float(arm.flexibility[1, 1]) == pytest.approx(give, rel=0.03)
    assert bent.strain[0] / bent.force[0] == pytest.approx(strain, rel=0.05)


@pytest.mark.parametrize("wall", [0.8, 1.6, 4.8])
def test_a_ring_stretches_as_axisymmetric_elements_do(wall):
    """Mean radius 16, t/r 0.05 to 0.3, where the crest slides over the lip."""
    radius, clear, lip, high = 16.0, 0.1, 2.0, 22.0
    bore = radius - wall / 2
    bead = shapes.catch_profile(0.0, 0.4, math.radians(30), math.radians(45), 0.45, 0.2, behind=1.0, drop=0.02)
    foot = bead[-1][0] + 0.4
    section = [(x, y) for x, y in bead if x >= 0 and y >= 0]
    ring = Ring(2 * bore, wall, foot, Fill(20, 0.45, 1.0, 10.0), 2000.0, riding_fem.POISSON, shapely.Polygon(section).area)
    mate = shapes.edge_profile(wall / 2 + clear, lip, 0.2)
    ride = Ride(ring, tuple((x, y + wall / 2) for x, y in bead), mate, lip - clear, 0.3)
    begin, way = float(ride._steps[0]), ride.way
    outline = shapely.Polygon([(foot - high, -bore - wall), (foot, -bore - wall), (foot, -bore),
                               *((x, y - bore) for x, y in reversed(section)), (foot - high, -bore)]).buffer(0)
    body = riding_fem.Pressed(
        riding_fem.triangles(outline, lambda x, y: np.where((x > -0.3) & (x < foot) & (y > -bore - 0.1), 0.1, np.where(
            x > -3, wall / 3, min(wall / 2, 1.6)))),
        1.0, 2000.0, lambda x, y: np.isclose(x, foot - high), lambda x, y: (y > -bore - 0.02) & (x > -0.2) & (x < foot),
        round_axis=True, stiff=12.0)
    edge = riding_fem.Edge(lip, clear - bore, 0.2)
    for place in (-1.0, -0.7, -0.4, 0.05):
        _, across = body.press(edge, -place, 0.3, -1)
    assert float(np.interp(0.05 - begin, way.travel, way.press)) == pytest.approx(abs(across), rel=0.08)
