"""What is special to the knuckle hinge: its axis, how it closes, swings and is refused."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, SolveError
from bouncy_latch.core.features.knuckle import KnuckleShape
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.judge.search import remedies
from bouncy_latch.core.layers.predict import predict, spots
from bouncy_latch.core.process.profile import Policy
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.trial import clear


@pytest.mark.parametrize("values", [
    {"host": "box"}, {"host": "box", "outline": "hexagon", "lid_edge": 0.6}, {"host": "box", "outline": "d", "rim_step": 0},
    {"host": "box", "base_height": 18.4, "lid_height": 18.0}, {"pivot": "ball", "gap": 0.25}, {"pivot": "truncated-cone"},
    {"travel": 270}, {"travel": 215, "host": "chain", "links": 3}, {"host": "chain", "links": 5},
], ids=str)
def test_it_swings_clear_over_its_whole_travel(solved, values):
    solution = solved(**values)
    found = clear.sweep(solution, 31)

    # What is asked for, less the chords of two circles turning against each other.
    asked = min(getattr(solution.params, name) for name in ("gap", "closing_gap"))
    asked = min(asked, solution.params.rim_clearance) if solution.params.host == "box" else asked
    assert found.worst_gap > asked - 2.2 * 0.01, (found.worst_value, found.place)
    assert found.values[0] == 0
    assert found.values[-1] == solution.params.travel
    worst = clear.sweep(solution, 31, traced=False)
    assert (worst.worst_gap, worst.place) == (found.worst_gap, found.place), "what is not traced is no less well known"


def test_shut_leaves_exactly_the_closing_gap(solved):
    """The axis half a closing gap above the rims leaves the closing gap between the rims when shut."""
    for closing in (0.3, 0.5, 0.8):
        solution = solved(host="box", closing_gap=closing, rim_step=0, gap=0.45)
        rim = solution.params.base_height
        base = mesh.evaluate(solution.bodies["A"]).bounding_box()
        lid = mesh.transformed(mesh.evaluate(solution.bodies["B"]), solution.motion.pose(0)["B"])
        # Look at the far rims only, away from the barrel.
        far = lid.trim_by_plane((0, -1, 0), 10.0).bounding_box()
        assert solution.value("axis_height") == rim + closing / 2
        assert far[2] - rim == pytest.approx(closing, abs=1e-9)
        assert base[2] == 0


def test_the_barrel_is_flush_and_the_web_prints(solved):
    solution = solved(host="box", wall=2.1, fold_gap=0.7)
    box = mesh.evaluate(solution.bodies["A"])
    z = solution.value("axis_height")

    assert solution.value("barrel") == pytest.approx(2 * 2.1 + 0.7)
    # A horizontal slice through the axis: the barrel reaches from inner wall to inner wall.
    points = np.vstack([np.asarray(p) for p in box.slice(z).to_polygons()])
    barrel = points[(np.abs(points[:, 0]) < solution.value("hinge_length") / 2) & (np.abs(points[:, 1]) < 20)]
    assert np.abs(barrel[:, 1]).max() == pytest.approx(2.1 + 0.35, abs=0.011)
    # Nothing starts in mid-air: in every layer below the axis A's section hangs over the one below by at most 45°.
    h = 0.2
    for height in np.arange(z - 5, z - 0.4, h):
        over = box.slice(height + h) - box.slice(height).offset(h * 1.02)
        assert over.area() < 1e-3, height


@pytest.mark.parametrize("slope", [30, 45, 55])
def test_the_web_is_tangent_to_the_barrel(slope):
    shape = KnuckleShape(2.6, 0.5, 2.4, 18.0, math.radians(slope), 0.3)
    (u0, v0), (u1, v1) = shape.tangent, shape.foot

    assert math.hypot(u0, v0) == pytest.approx(2.6)
    assert u0 * (u1 - u0) + v0 * (v1 - v0) == pytest.approx(0, abs=1e-9)
    assert math.degrees(math.atan2(u0 - u1, v0 - v1)) == pytest.approx(slope)
    assert u1 == pytest.approx(-0.25)


@pytest.mark.parametrize(("values", "field", "says"), [
    ({"wall": 0.44}, "wall", "thinner than one printed line"),
    ({"barrel": 12, "host": "box"}, "barrel", "at most"),
    ({"barrel": 2.0}, "barrel", "does not reach across"),
    ({"knuckles": 40}, "knuckles", "at most 16"),
    ({"pivot_radius": 2.6}, "pivot_radius", "breaks out"),
    ({"host": "box", "lid_height": 12}, "lid_height", "level"),
    ({"host": "box", "wall": 9, "depth": 17, "corner_radius": 2}, None, "leaves no room"),
    ({"leaf_width": 5}, "leaf_width", "too narrow"),
    ({"host": "box", "corner_radius": 30}, "corner_radius", "corner radius"),
    ({"host": "box", "floor": 8, "base_height": 7, "lid_height": 7}, "floor", "thicker than the box is high"),
    ({"bed_chamfer": 2.5}, "bed_chamfer", "bed chamfer"),
])
def test_what_cannot_be_is_refused_in_one_sentence(solved, values, field, says):
    with pytest.raises(SolveError, match=says) as caught:
        solved(**values)
    assert "\n" not in caught.value.sentence
    assert field is None or caught.value.field == field


@pytest.mark.parametrize(("values", "check", "verdict"), [
    ({"gap": 0.15}, "comes-free", "stop"),
    ({"closing_gap": 0.05}, "closes-fully", "look"),
    ({"host": "box", "travel": 200}, "travel", "stop"),
    ({"fold_gap": 0.2, "bed_chamfer": 0}, "fold-gap", "stop"),
    ({"pivot_slope": 60}, "pivot-overhang", "stop"),
    ({"bed_chamfer": 0.5}, "chamfer-layers", "look"),
    ({"gap": 0.7}, "axial-play", "look"),
    ({"pivot": "ball", "gap": 0.45}, "engagement", "stop"),
    ({"host": "box", "wall": 1.5}, "thinnest-wall", "look"),
])
def test_each_fault_has_its_verdict_and_is_mended(hinge, heron, solved, values, check, verdict):
    solution = solved(**values)
    found = solution.check(check)

    assert found.verdict == verdict
    offered = remedies.all_remedies(Design(hinge, solution.params, heron), [found])[check]
    assert offered or check == "thinnest-wall"
    for remedy in offered:
        assert hinge.solve(solution.params.changed(**remedy.values), heron).check(check).verdict == "ok"


def test_a_collision_is_placed_and_its_remedy_swings_clear(hinge, heron):
    params = fields.parse(hinge.params, {"host": "box", "travel": 190})
    request = Design(hinge, params, heron, Policy.MINE)
    proof = verdicts.full_analysis(request, request.solve())
    swing = next(c for c in proof.checks if c.id == verdicts.SWEEP_ID)

    assert swing.verdict == "stop"
    assert "walls at the fold" in swing.why
    assert 181 < proof.sweep.worst_value <= 190
    best = proof.remedies[verdicts.SWEEP_ID][0]
    again = hinge.solve(params.changed(**best.values), heron)
    assert clear.check(clear.sweep(again, 25), again).verdict == "ok"


def test_welds_are_found_where_they_are_and_stop_can_be_pressed(solved, heron):
    solution = solved(gap=0.18)
    bodies = {n: mesh.evaluate(s) for n, s in solution.bodies.items()}
    found = spots(predict(bodies, heron).welds)
    height = solution.value("axis_height")

    assert len(found) >= solution.params.knuckles
    for spot in found:
        assert abs(spot.x) < solution.value("hinge_length") / 2 + 0.5
        assert math.hypot(spot.y, spot.z - height) < solution.value("barrel")
        assert "knuckle" in solution.motion.place_name((spot.x, spot.y, spot.z))
    with pytest.raises(Cancelled):
        predict(bodies, heron, progress=lambda part: part < 0.4)
    with pytest.raises(Cancelled):
        clear.sweep(solution, progress=lambda part: part < 0.3)


def test_the_chain_is_as_many_links_as_asked(solved):
    solution = solved(host="chain", links=6, knuckles=5, length=31)
    pitch = solution.params.leaf_width + solution.params.fold_gap
    boxes = [mesh.evaluate(s).bounding_box() for s in solution.bodies.values()]

    assert list(solution.bodies) == list("ABCDEF")
    # Inner links are alike; the ends are not, so only the middles are compared.
    assert boxes[3][1] - boxes[2][1] == pytest.approx(pitch)
    volumes = [mesh.evaluate(s).volume() for s in solution.bodies.values()]
    assert volumes[1] == pytest.approx(volumes[4], rel=1e-6)
