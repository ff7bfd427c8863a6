"""The two evaluators against each other and against formulas; outlines; the tree as a value."""

from __future__ import annotations

import math
import os
import subprocess
import sys

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.interpolate import PchipInterpolator

from bouncy_latch.core import numbers
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.formats.step import to_step
from bouncy_latch.core.solids import brep, mesh, outline, tree
from bouncy_latch.core.solids.outline import polygon

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


@pytest.mark.parametrize("left", [False, True])
def test_a_helix_is_a_true_helicoid_in_both_evaluators(left):
    """Volume by Pappus (section area × way of its centroid round the axis); every point lies on z = z₀ + p·φ/2π."""
    low, high, pitch, turns = 4.0, 5.0, 1.25, 4.5
    made = tree.helix(polygon([(low, 0), (high, 0.4), (high, 0.6), (low, 1)]), pitch, turns, left)
    # A trapezium from width 1 at the root to 0.2 at the crest: area 0.6, its centroid by the handbook formula.
    area, out = 0.6, low + (1 + 2 * 0.2) / (3 * 1.2)
    volume = area * 2 * math.pi * out * turns
    body, exact = mesh.evaluate(made), brep.evaluate(made)
    assert brep.is_valid(exact)
    assert brep.volume_and_centroid(exact)[0] == pytest.approx(volume, rel=1e-5)
    assert body.volume() == pytest.approx(volume, rel=5e-3)
    assert len(body.decompose()) == 1
    exact_points, faces = brep.triangles(exact, 0.05)
    assert len(faces) < 40_000
    for points in (mesh.arrays(body)[0], exact_points):
        radius = np.hypot(points[:, 0], points[:, 1])
        turn = np.arctan2(points[:, 1], points[:, 0]) * (-1 if left else 1)
        height = (points[:, 2] - pitch * turn / (2 * math.pi)) % pitch
        # Between root and crest the lower flank stands at 0.4·(r − 4), the upper one as far below 1.
        flank = 0.4 * (radius - low)
        inside = np.minimum.reduce([np.abs(height - flank), np.abs(height - (1 - flank)), np.abs(radius - low),
                                    np.abs(radius - high)])
        assert inside.max() < 2e-4
    thread = tree.cylinder(4.05, 8) + made.move(z=1)
    assert brep.volume_and_centroid(brep.evaluate(thread))[0] == pytest.approx(mesh.evaluate(thread).volume(), rel=5e-3)


@pytest.mark.parametrize(("rows", "pitch", "turns", "says"), [
    ([(0, 0), (5, 0), (5, 1)], 2, 3, "reaches the axis"), ([(4, 0), (5, 0), (5, 2)], 1.5, 3, "runs into its next turn"),
    ([(4, 0), (5, 0), (5, 1)], 0, 3, "pitch and turns above 0")])
def test_a_helix_that_cannot_be_is_refused(rows, pitch, turns, says):
    with pytest.raises(SolveError, match=says):
        tree.helix(polygon(rows), pitch, turns)


def test_bodies_from_elsewhere_are_nodes_like_any_other():
    drawn = tree.Box(0, 0, 0, 4, 5, 6) - tree.cylinder(1, 10).move(2, 2, -1)
    volume = 120 - math.pi * 6
    own = tree.given_mesh(*mesh.arrays(mesh.evaluate(drawn)), "part.stl")
    stepped = tree.Given("step", to_step({"part": drawn}, "part"), "part.step")
    assert own == tree.given_mesh(*mesh.arrays(mesh.evaluate(drawn)), "part.stl"), "known again by its content"
    for body, rel in ((own, 2e-3), (stepped, 2e-3)):
        bored = body - tree.Box(1, 4, 1, 3, 6, 5)
        made, exact = mesh.evaluate(bored), brep.evaluate(bored)
        assert brep.is_valid(exact)
        assert made.volume() == pytest.approx(volume - 8, rel=rel)
        assert brep.volume_and_centroid(exact)[0] == pytest.approx(volume - 8, rel=rel)
    points, faces = mesh.arrays(mesh.evaluate(drawn))
    with pytest.raises(SolveError, match=r"torn\.stl is not closed"):
        mesh.evaluate(tree.given_mesh(points, faces[1:], "torn.stl"))
    with pytest.raises(SolveError, match="no STEP file"):
        brep.evaluate(tree.Given("step", b"ISO-10303-21; nonsense", "broken.step"))


@pytest.mark.parametrize("count", [2, 3, 9])
def test_curves_and_groups_are_those_of_the_reference_library(count):
    """SciPy's monotone interpolator, and its connected components of near points."""
    rng = np.random.default_rng(count)
    known, values = np.sort(rng.random(count)), np.maximum.accumulate(rng.normal(size=count))
    at = np.linspace(known[0], known[-1], 60)
    assert np.allclose(numbers.monotone(at, known, values), PchipInterpolator(known, values)(at), atol=1e-12)
    points = rng.random((40 * count, 3)) * 4
    labels = fcluster(linkage(points, "single"), 0.5, "distance")
    mine = numbers.near_groups(points, 0.5)
    assert sorted(map(sorted, mine)) == sorted(np.flatnonzero(labels == label).tolist() for label in np.unique(labels))


def test_a_process_of_one_command_works_on_one_thread():
    """The library starts no thread of its own, and the process may still run on every core."""
    code = ("import os; from bouncy_latch.core.solids import mesh; cores = os.sched_getaffinity(0); mesh.on_one_thread(); "
            "ball = mesh.Manifold.sphere(1.0, 300); (ball ^ ball.translate((0.5, 0.0, 0.0))).num_tri(); "
            "print(len(os.listdir('/proc/self/task')), os.sched_getaffinity(0) == cores)")
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True,
                          env={**os.environ, "OPENBLAS_NUM_THREADS": "1"})
    assert done.stdout == "1 True\n"


def test_outlines_are_refused_where_a_reference_library_refuses_them():
    """Random polygons, many of them convex, on a coarse grid or with corners that coincide, against Shapely's own verdict."""
    rng, refused = np.random.default_rng(20261128), 0
    for number in range(1500):
        count = int(rng.integers(3, 8))
        points = 5 * rng.normal(size=(count, 2))
        if number % 3 == 0:
            around = np.sort(rng.uniform(0, 2 * math.pi, count))
            points = 4 * np.column_stack([np.cos(around), np.sin(around)])
        if number % 2 == 0:
            points = np.round(points / 3) * 3
        apart = [p for p, before in zip(points, np.roll(points, 1, axis=0), strict=True) if np.hypot(*(p - before)) > 1e-6]
        sound = len(apart) > 2 and shapely.Polygon(apart).is_valid
        try:
            outline.polygon(points)
        except SolveError:
            refused += 1
            assert not sound, points
        else:
            assert sound, points
    assert 300 < refused < 1200
