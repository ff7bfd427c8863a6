"""Layer-by-layer contact of facing surfaces.

Formula: one body is laid on another below the normal clearance c* = h·sin θ + 2g·cos θ (plane geometry, by hand;
derived from the geometry of layers sampled at mid-height). Three legs: the closed form, sections made independently
with shapely from the equations of the surfaces, and our own slicing of the real solids.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
import shapely
import trimesh

from bouncy_latch.core.judge.prints import loose
from bouncy_latch.core.judge.prints.printing import judge
from bouncy_latch.core.layers import facing
from bouncy_latch.core.layers.facing import freeing
from bouncy_latch.core.layers.freedom import Held, freed, moment_at
from bouncy_latch.core.layers.predict import SIDE, STACKED, layer_middles, predict
from bouncy_latch.core.learn.calibration.shapes import IN_PLACE
from bouncy_latch.core.learn.study.study import unknown
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Process, Spread
from bouncy_latch.core.solids import mesh, tree

# Bisection ends at 1e-4; circles are drawn with 64 or more chords.
BISECTED = 3e-4


def process(h, g):
    return Process(id="p", printer="p", material="m", colour="c", layer_height=h, first_layer_height=h,
                   growth=Spread(mean=g, sd=0), edge_noise=0.0, elephant_foot=Spread(mean=0, sd=0),
                   hole_term=Spread(mean=0, sd=0))


def first_contact(touches):
    """Bisect for the clearance at which ``touches`` turns False."""
    low, high = 0.0, 1.0
    while high - low > 1e-4:
        middle = (low + high) / 2
        low, high = (middle, high) if touches(middle) else (low, middle)
    return (low + high) / 2


REFERENCE = {(0.1, 0): 0.0707, (0.1, 0.05): 0.1414, (0.1, 0.1): 0.2121, (0.2, 0): 0.1414, (0.2, 0.05): 0.2121,
             (0.2, 0.1): 0.2828, (0.3, 0): 0.2121, (0.3, 0.05): 0.2828, (0.3, 0.1): 0.3536}


@pytest.mark.parametrize(("h", "g"), REFERENCE)
def test_upright_cone_by_formula_shapely_and_slices(h, g):
    """Reference table "c* upright 45° cone"; (h + 2g)/√2."""
    printed = REFERENCE[h, g]

    def discs(clearance):
        """Shapely discs of male and female cone in neighbouring layers, grown."""
        lower, upper = 2.0, 2.0 + h
        male = shapely.Point(0, 0).buffer(6 - upper + g, quad_segs=256)
        room = shapely.Point(0, 0).buffer(6 - lower + clearance * math.sqrt(2) - g, quad_segs=256)
        below = shapely.Point(0, 0).buffer(6 - lower + g, quad_segs=256)
        above = shapely.Point(0, 0).buffer(6 - upper + clearance * math.sqrt(2) - g, quad_segs=256)
        return not room.contains(male) or not above.contains(below)

    def slices(clearance):
        male = tree.Cone(6, 0.6, 5.4)
        shift = clearance * math.sqrt(2)
        block = tree.Box(-9, -9, 0, 9, 9, 5) - tree.Cone(6 + shift + 1, 0.6 + shift, 6.4).move(z=-1)
        found = predict({"cone": mesh.evaluate(male), "block": mesh.evaluate(block)}, process(h, g))
        return found.area(SIDE) + found.area(STACKED) > 0.02

    formula = facing.contact_gap(math.pi / 4, h, g)
    assert formula == pytest.approx(printed, abs=5e-5)
    assert first_contact(discs) == pytest.approx(printed, abs=BISECTED)
    # The mesh's chords (0.01 mm) and the least area counted blur the slices.
    assert first_contact(slices) == pytest.approx(printed, abs=0.012)


@pytest.mark.parametrize(("h", "g", "lying", "ball"), [
    (0.2, 0.05, 0.2121, 0.2236), (0.2, 0.1, 0.2828, 0.2828), (0.1, 0.1, 0.2236, 0.2236), (0.3, 0.05, 0.2828, 0.3162)])
def test_lying_cone_and_ball_meet_their_worst_tilt(h, g, lying, ball):
    """Plane geometry, by hand: a lying 45° cone meets θ = 0…45, a ball every θ, at worst √(h² + 4g²)."""
    quarter = np.linspace(0, math.pi / 4, 2001)

    assert facing.worst_contact_gap(quarter, h, g) == pytest.approx(lying, abs=5e-5)
    assert facing.worst_contact_gap(2 * quarter, h, g) == pytest.approx(ball, abs=5e-5)
    assert math.hypot(h, 2 * g) == pytest.approx(ball, abs=5e-5)


def test_stacked_ring_has_the_area_of_the_reference(heron):
    """Rings of a cone, by hand: h 0.2, g 0.05, c 0.15: the ring is h + 2g − c√2 = 0.087868 wide; 4.35 to 4.262: 2.37734 mm²."""
    outer, width = 4.35, 0.2 + 0.1 - 0.15 * math.sqrt(2)
    assert width == pytest.approx(0.087868, abs=1e-6)
    assert math.pi * (outer**2 - (outer - width) ** 2) == pytest.approx(2.37734, abs=2e-5)

    drawn = outer - 0.05
    male = tree.Cone(drawn + 0.1, drawn - 0.1, 0.2)
    roof = tree.Box(-9, -9, 0.2, 9, 9, 0.4) - tree.Cone(drawn - 0.1 + 0.15 * math.sqrt(2), drawn - 0.3 + 0.15 * math.sqrt(2),
                                                        0.2).move(z=0.2)
    found = predict({"male": mesh.evaluate(male), "roof": mesh.evaluate(roof)}, process(0.2, 0.05))
    # Chords lie inside their circle by up to 0.01 mm on a 4.3 mm radius.
    assert found.area(STACKED) == pytest.approx(2.37734, rel=0.06)


@pytest.mark.parametrize("gap", [0.1, 0.15, 0.2])
def test_quick_and_thorough_prediction_agree_on_the_hinge(solved, gap):
    """Two roads to what breaks it: facing surfaces integrated, and the real solids sliced (no edge noise in either)."""
    still = Process(**{**process(0.2, 0.05).model_dump(), "id": "still"})
    solution = solved(process=still, gap=gap)
    spread = still.model_copy(update={"growth": Spread(mean=0.05, sd=0.02)})
    sliced = predict({n: mesh.evaluate(s) for n, s in solution.bodies.items()}, spread, judge=False)
    joint, growth = solution.joints[0], np.array([0.05])

    quick = facing.moments(joint.faces, still, growth)[0]
    assert moment_at(sliced, still, joint.freedom.arm, growth)[0][0] == pytest.approx(quick, rel=0.4, abs=40)


@pytest.mark.parametrize("printer", [population.built_in()[0], unknown()], ids=["mine", "anyone"])
@pytest.mark.parametrize("gap", [0.25, 0.3, 0.4])
@pytest.mark.parametrize("shape", IN_PLACE, ids=lambda shape: shape.id)
def test_what_is_said_of_a_mesh_is_what_is_said_of_its_facing_surfaces(shape, gap, printer):
    """Two roads to the chance that it comes by hand, growth, foot and bond all uncertain: within ten points."""
    sliced = predict({name: mesh.evaluate(solid) for name, solid in shape.build(gap).items()}, printer)
    said = freed(sliced, printer, [Held(shape.freedom.arm, shape.strength, gap, freedom=shape.freedom)])
    assert said.by_hand == pytest.approx(freeing(shape.faces(gap, printer), printer, shape.strength).by_hand, abs=0.1)
    # As files of somebody's, of which nothing is told but how they move: the parts themselves bear what frees them.
    bodies = {name: mesh.evaluate(solid) for name, solid in shape.build(gap).items()}
    found = judge(loose.job_of(bodies, printer, shape.freedom)).freeing
    bare = replace(found.strength, part=math.inf)
    assert found.by_hand == pytest.approx(freeing(shape.faces(gap, printer), printer, bare).by_hand, abs=0.1)


def test_sections_are_what_trimesh_and_shapely_cut(solved):
    """Independent sections: trimesh's plane cut of the mesh, grown by shapely."""
    solution = solved(host="box", outline="d")
    solid = solution.bodies["A"]
    cut = trimesh.Trimesh(*mesh.arrays(mesh.evaluate(solid)))
    found = predict({"A": mesh.evaluate(solid)}, process(0.2, 0.05))
    for layer, sections in list(zip(found.layers, found.sections, strict=True))[5::17]:
        lines = trimesh.intersections.mesh_plane(cut, [0, 0, 1], [0, 0, layer.middle])
        rings = shapely.polygonize([shapely.LineString(np.round(line[:, :2], 7)) for line in lines])
        area = shapely.Polygon()
        for ring in rings.geoms:
            area = area.symmetric_difference(shapely.Polygon(ring.exterior))
        grown = area.buffer(found.growth, join_style="mitre", mitre_limit=2)
        assert sections[0].area() == pytest.approx(grown.area, rel=2e-3)


def test_layers_are_sampled_at_mid_height():
    fine = process(0.2, 0).model_copy(update={"first_layer_height": 0.3})

    assert [round(m, 3) for m, _ in layer_middles(1.0, fine)] == [0.15, 0.4, 0.6, 0.8]
    assert len(layer_middles(1.01, fine)) == 5


@pytest.mark.trade
@pytest.mark.parametrize(("gap", "outcomes"), [
    (0.15, {"welded"}), (0.2, {"welded", "needs a tool"}), (0.3, {"frees by hand", "free"}), (0.5, {"free"})])
def test_the_trade_ladder_of_a_print_in_place_pivot(solved, gap, outcomes):
    """0.2 layers, 0.05 growth: 0.15 welds, 0.2 needs a tool or worse, 0.3 frees, 0.5 is free (common practice, no source)."""
    assert solved(gap=gap).freeing.outcome in outcomes


@pytest.mark.trade
def test_thinner_layers_allow_smaller_gaps(solved, heron):
    """Common practice, no source."""
    fine = heron.model_copy(update={"layer_height": 0.1, "first_layer_height": 0.1})

    assert solved(process=fine, gap=0.2).freeing.by_hand > solved(gap=0.2).freeing.by_hand + 0.2


def test_chances_are_chances_and_grow_with_the_gap(solved):
    found = [solved(gap=round(g, 2)).freeing for g in np.arange(0.06, 0.8, 0.04)]

    for made in found:
        assert sum(made.chances) == pytest.approx(1, abs=1e-6)
    by_hand = [f.by_hand for f in found]
    assert all(b >= a - 1e-6 for a, b in itertools.pairwise(by_hand))
    assert by_hand[0] < 0.01
    assert by_hand[-1] > 0.99
