"""Snap fits against finite elements that share no line with them: outlines cut from the solids, contact with friction.

Places on the way are compared, not peaks: at an edge's rounding the elements' nodes chatter by some per cent. What came out is
told in docs/flex.md.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely

from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.host import EDGE, SPLIT
from bouncy_latch.core.flex.lugs import Lugs
from bouncy_latch.core.flex.ring import Ring
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.snaps import shapes
from bouncy_latch.core.mechanisms.snaps.plans import hook, tube_clip
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


def pressed(params, plan, outline, **how):
    """The hook's outline in elements, held at its bracket, and the edge it rides over."""
    (end, face), reach = plan.end, plan.catch_length

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
        lambda x, y: (x > end - 0.3) & (x < end + reach + 0.3) & (y > face - 0.05),
        width_at=lambda x: params.width * np.interp(x, [0, params.length], [1, plan.tip[1] / params.width]), **how)
    return body, riding_fem.Edge(params.wall, face + params.clearance, params.edge)


@pytest.mark.parametrize("sizes", [
    {"length": 12, "thickness": 2.4, "undercut": 0.6}, {"length": 20, "thickness": 1.8, "taper": "thickness"},
    {"length": 20, "thickness": 1.8, "taper": "width"}, {"length": 25, "thickness": 1.6},
    {"form": "u", "return_angle": 40},
    {"form": "u", "length": 10.7, "thickness": 2.0, "fold": 1.9, "undercut": 0.6, "width": 5.6, "return_angle": 37}],
    ids=["stout", "taper", "narrowing", "slender", "folded", "hanging"])
def test_an_arm_rides_as_finite_elements_do(sizes):
    params = HOOK.params().changed(**{"return_angle": 45, "infill": 100, "loops": 10, "width": 9, "clearance": 0.2, **sizes})
    solution, plan = HOOK.solve(params, EXACT), hook.HookPlan(params, EXACT)
    way, (end, face), reach = plan.snap.way, plan.end, plan.catch_length
    begin = float(plan.snap.ride.outlines.steps[0])
    body, edge = pressed(params, plan, cut(solution, params.width / 8))
    friction = EXACT.plastic.friction

    def force(place, way_round):
        return abs(body.press(edge, end - place, friction, way_round)[0])

    def ours(place, values):
        return float(np.interp(place - begin, way.travel, values))

    at = way.travel + begin
    rises = at[np.flatnonzero(way.lowered >= 0.5 * way.most)[0]]
    slides = np.flatnonzero(way.lowered >= 0.97 * way.most)
    level = at[slides].mean()
    assert ours(rises, way.into) == pytest.approx(force(rises, -1), rel=0.05)
    force((rises + level) / 2, -1)
    assert ours(level, way.into) == pytest.approx(force(level, -1), rel=0.05)
    surface = body.surface_strain(lambda x, y: (x > -2) & ((x < end - 0.5) | (y < face - 0.3) | (x > end + reach + 1)))
    assert ours(level, way.strain) == pytest.approx(surface, rel=0.08)
    body.moved[:], body.sticks = 0, plan.folded
    crest = at[np.argmax(np.where(at > level, way.out, 0.0))]
    # What hangs springs off where its pull is greatest, there and then or a hair's breadth on.
    beyond, places = (0.3 * (at[way.last] - crest), 7) if plan.folded else (0.0, 5)
    before = at[way.last]
    for place in np.linspace(before, crest + beyond, places)[1:]:
        found = [force(between, 1) for between in np.linspace(before, place, 4 if plan.folded else 2)[1:]][-1]
        before = place
        assert ours(place, way.out) == pytest.approx(found, rel=0.05)


def test_a_leg_that_locks_sticks_as_finite_elements_do():
    """Pulled to what tears it, its return face does not slide: its pull within 8 %, where faces stick until they slide."""
    params = HOOK.params().changed(form="u", length=17, thickness=1.6, fold=2.8, undercut=0.8, return_angle=57, width=10,
                                   infill=100, loops=10)
    solution, plan = HOOK.solve(params, EXACT), hook.HookPlan(params, EXACT)
    way, body, edge = plan.snap.way, *pressed(params, plan, cut(solution, params.width / 8), sticks=True)
    at = way.travel + plan.snap.ride.outlines.steps[0]
    tears = plan.snap.weakest[1]
    assert plan.snap.retention == pytest.approx(tears), "it tears before it slides off"
    place = at[way.last]
    while (ours := float(np.interp(place, at, way.out))) < 0.6 * tears:
        found = -body.press(edge, plan.end[0] - place, EXACT.plastic.friction, 1)[0]
        assert ours == pytest.approx(found, rel=0.08, abs=0.3)
        place -= 0.12


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


@pytest.mark.parametrize(("length", "thickness", "slot"), [(11, 1.3, 3.4), (12, 1.8, 2.4)])
def test_legs_of_a_split_pin_bend_against_each_other_at_the_slots_end(length, thickness, slot):
    """Half of two legs, symmetric in the middle of their slot, whose end is round, on a web of 2, as the kind draws them."""
    r = slot / 2
    around = [(r - r * math.cos(a), r * math.sin(a)) for a in np.linspace(0, np.pi / 2, 12)]
    outline = shapely.Polygon([(-1, 0), *around, (length, r), (length, r + thickness), (-1, r + thickness)])

    def size(x, y):
        near = np.where(np.hypot(x - r, y) < 2.5 * r, r / 6, thickness / 3)
        return np.where(x > -2 * thickness, near, 2.0)

    body = riding_fem.Pressed(riding_fem.triangles(outline, size), 8.0, 2000.0, lambda x, y: x < -9,
                              lambda x, y: np.isclose(x, length))
    middle, web = (body.basis.get_dofs(where).all(name) for where, name in (
        (lambda x: np.isclose(x[1], 0), "u^2"), (lambda x: np.isclose(x[0], -1), "u^1")))
    body.free = np.setdiff1d(body.free, np.r_[middle, web])
    give, strain = body.loaded(length, r + thickness / 2, lambda x, y: (x > -0.9) & (x < length - 1))
    arm = Arm(length, thickness, 8.0, Fill(20, 0.45, 1.0, 10.0), 2000.0, riding_fem.POISSON, fillet=min(r, 0.25 * length),
              root=SPLIT)
    bent = arm.bent(np.array([1e-3]), np.zeros(1), np.zeros((1, 2)))
    assert float(arm.flexibility[1, 1]) == pytest.approx(give, rel=0.05)
    assert bent.strain[0] / bent.force[0] == pytest.approx(strain, rel=0.08)


@pytest.mark.parametrize("wall", [0.8, 1.6, 4.8])
def test_a_ring_stretches_and_rolls_as_axisymmetric_elements_do(wall):
    """Mean radius 16, t/r 0.05, 0.1, 0.3: radial force where the crest slides over the lip, greatest push and pull."""
    radius, clear, lip, high, friction = 16.0, 0.1, 2.0, 22.0, 0.3
    bore = radius - wall / 2
    bead = shapes.catch_profile(0.0, 0.4, math.radians(30), math.radians(45), 0.45, 0.2, behind=1.0, drop=0.02)
    foot = bead[-1][0] + 0.4
    section = [(x, y) for x, y in bead if x >= 0 and y >= 0]
    ring = Ring(2 * bore, wall, foot, Fill(20, 0.45, 1.0, 10.0), 2000.0, riding_fem.POISSON, shapely.Polygon(section).area,
                0.4 + 0.45 / 2, 0.4)
    mate = shapes.edge_profile(wall / 2 + clear, lip, 0.2)
    ride = Ride(ring, tuple((x, y + wall / 2) for x, y in bead), mate, lip - clear, friction)
    begin, way = float(ride.outlines.steps[0]), ride.way
    outline = shapely.Polygon([(foot - high, -bore - wall), (foot, -bore - wall), (foot, -bore),
                               *((x, y - bore) for x, y in reversed(section)), (foot - high, -bore)]).buffer(0)
    body = riding_fem.Pressed(
        riding_fem.triangles(outline, lambda x, y: np.where((x > -0.3) & (x < foot) & (y > -bore - 0.1), 0.07, np.where(
            x > -3, wall / 3, min(wall / 2, 1.6)))),
        1.0, 2000.0, lambda x, y: np.isclose(x, foot - high), lambda x, y: (y > -bore - 0.02) & (x > -0.2) & (x < foot),
        round_axis=True, stiff=240.0)
    edge = riding_fem.Edge(lip, clear - bore, 0.2)
    at = way.travel + begin
    # The wall that is pushed shortens too, which only delays what happens: the elements' peaks come later.
    top, back = at[np.argmax(way.into)], at[np.argmax(np.where(at > 0.05, way.out, 0.0))]
    push = [abs(body.press(edge, -place, friction, -1)[0]) for place in top + np.array([-0.25, -0.1, 0.02, 0.045, 0.07, 0.1])]
    _, across = [body.press(edge, -place, friction, -1) for place in (-0.4, 0.05)][-1]
    assert float(np.interp(0.05 - begin, way.travel, way.press)) == pytest.approx(abs(across), rel=0.08)
    y = body.basis.doflocs[1]
    crest = np.intersect1d(np.flatnonzero(y > 0.395 - bore), body.basis.get_dofs(elements=True).all("u^2"))
    stretched = float(np.max(np.abs(body.moved[crest] / y[crest])))
    assert float(np.interp(0.05 - begin, way.travel, way.strain)) == pytest.approx(stretched, rel=0.08)
    assert way.peak_in == pytest.approx(max(push), rel=0.08)
    body.moved[:] = 0
    pull = [abs(body.press(edge, -place, friction, 1)[0]) for place in
            back - np.array([-0.26, -0.18, -0.08, 0.02, 0.045, 0.07, 0.1])]
    assert way.peak_out == pytest.approx(max(pull), rel=0.08)


@pytest.mark.parametrize("sizes", [{"mouth": 120, "width": 10}, {"mouth": 130, "wall": 4}], ids=["t/r 0.26", "t/r 0.4"])
def test_a_tube_clip_opens_as_finite_elements_do(sizes):
    """Half the exported outline, symmetric about the tube's axis: push, pull and strain where the nose slides on the tube."""
    kind = registry.kind("tube-clip")
    params = kind.params().changed(**{"infill": 100, "loops": 20, **sizes})
    exact = EXACT.model_copy(update={"hole_term": Spread(mean=0, sd=0)})
    plan, outline = tube_clip.TubeClipPlan(params, exact), cut(kind.solve(params, exact), params.width / 2)
    half, way = outline.intersection(shapely.box(-500, -500, 500, 0)), plan.snap.way
    nose, end = -plan.inner * np.array([np.cos(plan.nose), np.sin(plan.nose)]), outline.bounds[0]

    def size(x, y):
        from_nose = np.hypot(x - nose[0], y - nose[1])
        root = np.hypot(x - plan.root[0], y - plan.root[1]) < 2 * params.fillet
        ring = np.where(np.hypot(x, y) < plan.outer + 0.1, params.wall / 3, 1.5)
        found = np.where(x > nose[0], 0.3, np.where(root, params.fillet / 4, ring))
        return np.where(from_nose < 1.2, 0.12, found)

    body = riding_fem.Pressed(
        riding_fem.triangles(half, size), params.width, exact.modulus.mean,
        lambda x, y: np.isclose(x, end) | (np.isclose(y, 0) & (x < -plan.inner + 0.01)),
        lambda x, y: ((np.hypot(x, y) < plan.inner + 0.05) & (x > 0)) | (x > nose[0]))
    tube, seat = riding_fem.Round(params.diameter / 2), params.diameter / 2 - plan.inner
    crest = float(way.travel[way.crest])

    def along(travel, way_round):
        return 2 * abs(body.press(tube, seat + way.length - travel, exact.plastic.friction, way_round)[0])

    def ours(travel, values):
        return float(np.interp(travel, way.travel, values))

    for travel in np.linspace(0, 0.6 * crest, 6)[1:]:
        pushed = along(travel, -1)
    assert ours(travel, way.into) == pytest.approx(pushed, rel=0.05)
    for further in np.linspace(travel, crest, 4)[1:]:
        along(further, -1)
    surface = body.surface_strain(lambda x, y: (np.hypot(x - nose[0], y - nose[1]) > 1.5) & (x < nose[0]))
    assert ours(crest, way.strain) == pytest.approx(surface, rel=0.05)
    body.moved[:] = 0
    for travel in np.linspace(way.length, 0.4 * way.length + 0.6 * crest, 4)[1:]:
        pulled = along(travel, 1)
    assert ours(travel, way.out) == pytest.approx(pulled, rel=0.05)


@pytest.mark.parametrize(("wall", "ear", "fillet"), [(4.0, 5.0, 2.0), (5.0, 8.0, 3.0)])
def test_a_clamp_is_drawn_tight_as_finite_elements_are(wall, ear, fillet):
    """A quarter of two halves round a rigid tube of 20, pulled under the washer: grip, strain at the ear, how far it moves."""
    radius, clearance, width, gap, arm, head, pull = 10.0, 0.1, 12.0, 2.0, 5.5, 3.5, 190.0
    inner, outer, top = radius + clearance, radius + clearance + wall, gap / 2 + ear
    at, far = outer + arm, outer + arm + head + 0.8
    angle = math.asin((top + fillet) / (outer + fillet))
    middle = np.array([(outer + fillet) * math.cos(angle), top + fillet])
    rounding = [middle + fillet * np.array([np.cos(a), np.sin(a)]) for a in np.linspace(-np.pi / 2, angle - np.pi, 14)]
    begin = math.asin(gap / 2 / inner)
    outline = shapely.Polygon([
        (inner * math.cos(begin), gap / 2), (far, gap / 2), (far, top), (at + head, top), (at - head, top), *rounding,
        *(outer * np.array([np.cos(s), np.sin(s)]) for s in np.linspace(angle, np.pi / 2, 50)),
        *(inner * np.array([np.cos(s), np.sin(s)]) for s in np.linspace(np.pi / 2, begin, 90))]).buffer(0)

    def size(x, y):
        from_axis = np.hypot(x, y)
        ring = np.where(from_axis < inner + 0.3, 0.25, np.where(from_axis < outer, wall / 4, ear / 4))
        return np.where(np.hypot(x - middle[0], y - middle[1]) < 1.8 * fillet, fillet / 5, ring)

    body = riding_fem.Pressed(riding_fem.triangles(outline, size), width, 2300.0, lambda x, y: x < -1,
                              lambda x, y: np.hypot(x, y) < inner + 0.05)
    across = body.basis.get_dofs(lambda x: np.isclose(x[0], 0)).all("u^1")
    body.free = np.setdiff1d(np.arange(body.basis.N), across)
    upright = np.isin(np.arange(body.basis.N), body.basis.get_dofs(elements=np.arange(body.mesh.nelements)).all("u^2"))
    body.moved[upright] = -1.02 * clearance
    washer = lambda x: np.isclose(x[1], top) & (np.abs(x[0] - at) <= head + 1e-6)  # noqa: E731
    pressed = 4 * body.drawn_on(riding_fem.Round(radius), washer, pull)
    below = np.argmin(np.hypot(*(body.basis.doflocs.T - (at, gap / 2)).T) + 1e3 * ~upright)
    strain = body.surface_strain(lambda x, y: (np.hypot(x, y) > inner + 0.3) & (x < at - head) & (y > gap / 2 + 0.1))
    ours = Lugs(radius, wall, width, ear, at - inner - wall / 2, fillet, np.pi / 2, 2300.0)
    assert ours.pressed(pull, 0.0) == pytest.approx(pressed, rel=0.1)
    assert ours.strain(pull) == pytest.approx(strain, rel=0.12)
    assert ours.closes(clearance) + ours.yields(pull) == pytest.approx(-body.moved[below], rel=0.15)
