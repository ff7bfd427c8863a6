"""The two evaluators against each other and against formulas; outlines; the tree as a value."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.solids import brep, mesh, outline, tree

BLOB = outline.from_corners([(0, 0, 0.0), (22, 0, 0.3), (25, 14, 0.0), (9, 17, -0.2), (-3, 9, 0.15)])
ROUND = outline.rounded_rectangle(30, 18, 4)

NODES = {
    "extrude with arcs both ways": (tree.Extrude(BLOB, 7.5), BLOB.area * 7.5),
    "extrude with taper": (tree.Extrude(ROUND, 10, taper=0.7), ROUND.area * 10 * (1 + 0.7 + 0.49) / 3),
    "extrude with twist": (tree.Extrude(ROUND, 10, twist=0.6, steps=48), ROUND.area * 10),
    "loft": (tree.Loft(((ROUND.inset(1.2), 0.0), (ROUND, 1.2), (ROUND, 9.0))), None),
    "revolve": (tree.Revolve(outline.rectangle(3, 1, 5, 6)), math.pi * 16 * 5),
    "part revolve": (tree.Revolve(outline.rectangle(3, 1, 5, 6), math.pi / 2), math.pi * 4 * 5),
    "cone": (tree.Cone(3.3, 1.2, 4.1), math.pi * 4.1 / 3 * (3.3**2 + 3.3 * 1.2 + 1.2**2)),
    "sharp cone upside down": (tree.Cone(0, 2.1, 3), math.pi * 2.1**2),
    "sphere": (tree.Sphere(2.4), 4 / 3 * math.pi * 2.4**3),
    "mirrored and turned": (tree.Extrude(BLOB, 3).mirror("x").placed(tree.turn_about_x(0.7, 1, 2)), BLOB.area * 3),
    "union": (tree.Box(0, 0, 0, 4, 5, 6) + tree.Box(3, 1, 1, 9, 2, 2), 125.0),
    "difference": (tree.Box(0, 0, 0, 8, 8, 8) - tree.cylinder(2, 20).move(4, 4, -5), 512 - math.pi * 32),
    "intersection": (tree.Sphere(3) & tree.Box(0, -9, -9, 9, 9, 9), 2 / 3 * math.pi * 27),
}


@pytest.mark.parametrize("name", NODES)
def test_both_evaluators_and_the_formula_agree(name):
    solid, volume = NODES[name]
    exact = brep.evaluate(solid)
    made, centre = brep.volume_and_centroid(exact)
    manifold = mesh.evaluate(solid)
    assert brep.is_valid(exact)
    assert manifold.volume() == pytest.approx(made, rel=5e-3)
    if volume is not None:
        # A ruled loft through 48 turned sections is a hair thinner than the true twist.
        assert made == pytest.approx(volume, rel=2e-3 if "twist" in name else 1e-6)
    vertices, triangles = mesh.arrays(manifold)
    a, b, c = vertices[triangles].transpose(1, 0, 2)
    parts = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6
    assert np.allclose(((a + b + c) / 4 * parts[:, None]).sum(axis=0) / parts.sum(), centre, atol=0.02)


def test_a_tree_is_a_value():
    def make(radius):
        return (tree.Extrude(ROUND, 5) - tree.cylinder(radius, 9).move(1, 2, -1)).mirror("y")

    assert make(2) == make(2)
    assert hash(make(2)) == hash(make(2))
    assert make(2) != make(2.001)
    assert mesh.evaluate(make(2)) is mesh.evaluate(make(2))
    with pytest.raises(AttributeError):
        make(2).axis = "x"


@given(angle=st.floats(-3, 3), y=st.floats(-9, 9), z=st.floats(-9, 9))
def test_turning_there_and_back_is_nothing(angle, y, z):
    turn = tree.turn_about_x(angle, y, z)

    assert np.allclose(tree.compose(tree.invert(turn), turn), tree.IDENTITY, atol=1e-9)
    # The line turned about stays where it is.
    assert np.allclose(np.array(turn).reshape(3, 4) @ [5, y, z, 1], [5, y, z], atol=1e-9)


@pytest.mark.parametrize("distance", [0.6, 2.4, -1.0])
@pytest.mark.parametrize("drawn", [ROUND, BLOB, outline.circle(9), outline.rounded([(0, 0), (20, 0), (25, 13), (4, 16)], 2.5)],
                         ids=["rounded", "blob", "circle", "skew"])
def test_inset_encloses_what_shapely_encloses(drawn, distance):
    """Independent road: shapely's own offset of the flattened outline."""
    inset = drawn.inset_freely(distance)
    reference = drawn.polygon.buffer(-distance, join_style="mitre", quad_segs=64)

    assert inset.polygon.symmetric_difference(reference).area < 0.004 * drawn.polygon.length + 1e-3 * reference.area


def test_an_inset_that_leaves_nothing_is_refused():
    with pytest.raises(SolveError, match="leaves no room"):
        ROUND.inset_freely(9.5)


@pytest.mark.parametrize(("corners", "says"), [
    ([(0, 0, 0), (1, 0, 0)], "three corners"),
    ([(0, 0, 0), (4, 4, 0), (4, 0, 0), (0, 4, 0)], "crosses itself"),
    ([(0, 0, 0), (math.nan, 0, 0), (0, 4, 0)], "not a number"),
])
def test_bad_outlines_are_named(corners, says):
    with pytest.raises(SolveError, match=says):
        outline.from_corners(corners)


def test_clockwise_outlines_are_turned_round():
    turned = outline.from_corners([(x, y, -b) for x, y, b in [(0, 0, 0.3), (0, 5, 0), (8, 5, 0), (8, 0, 0)]])

    assert turned.area > 0
    assert turned.mirrored_y().area == pytest.approx(turned.area)


def test_coarser_chords_stay_within_their_tolerance():
    solid = tree.cylinder(9, 4)
    fine, coarse = mesh.evaluate(solid), mesh.evaluate(solid, outline.SKETCH_TOLERANCE)

    assert coarse.num_tri() < fine.num_tri()
    n = coarse.num_tri() // 4 + 1
    assert 9 * (1 - math.cos(math.pi / n)) <= outline.SKETCH_TOLERANCE
