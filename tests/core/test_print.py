"""The judgement of a print: every flaw is found where it is, unchanged work is reused, ways up are ranked, shelves carry."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bouncy_latch.core.errors import Cancelled, ParamError, SolveError
from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.judge.prints import loose
from bouncy_latch.core.judge.prints.printing import PLAIN_ID, judge, poses
from bouncy_latch.core.layers.breakaway import Strength
from bouncy_latch.core.layers.estimate import estimate, words
from bouncy_latch.core.layers.findings import BED, BRIDGE, CHAMFER, CORNER, FOOT, ISLAND, LEDGE, NARROW, STAIRS, THIN, TIPS
from bouncy_latch.core.layers.freedom import Held
from bouncy_latch.core.layers.kept import Kept
from bouncy_latch.core.layers.poses import AS_IS, Pose, candidates, compare, laid_down, turn_down
from bouncy_latch.core.layers.predict import predict
from bouncy_latch.core.layers.remains import bands
from bouncy_latch.core.layers.setup import CARRIED, Fin, PrintSetup, shelf_under
from bouncy_latch.core.process.population import built_in, effective
from bouncy_latch.core.process.profile import Policy
from bouncy_latch.core.solids import mesh
from tests import parts
from tests.parts import Solid, block, cylinder


def wedge(rise):
    """A slab 40 × 20 whose top climbs by ``rise`` mm along x."""
    return Solid.hull_points([(x, y, z) for y in (0, 20) for x, z in ((0, 0), (40, 0), (40, 5 + rise), (0, 5))])


def feather():
    """A slope that runs out to nothing 0.6 mm above the bed."""
    return Solid.hull_points([(x, y, z) for y in (0, 20) for x, z in ((0, 0), (8, 0), (8, 0.6), (7.9, 0.6))])


def corner_pair(radius):
    """A square peg in a socket whose inside corners are square, or rounded by ``radius``."""
    room = block(10.5, 10.5, 8, (4.75, 4.75, 2))
    if radius:
        room = Solid.batch_hull([cylinder(8, radius, z=2).translate((x, y, 0)) for x in (4.75 + radius, 15.25 - radius)
                                 for y in (4.75 + radius, 15.25 - radius)])
    return block(20, 20, 8) - room, block(10, 10, 6, (5, 5, 2.4))


def chamfered(size):
    foot = Solid.hull_points([(x, y, z) for s, z in ((10 - size, 0), (10, size)) for x in (-s, s) for y in (-s, s)])
    return foot + block(20, 20, 5, (-10, -10, size))


FLAWS = {
    "a wall of 0.3": (lambda: [block(20, 8, 1) + block(20, 0.3, 5, (0, 4, 1))], THIN, 0.3),
    "a wall of 0.6": (lambda: [block(20, 8, 1) + block(20, 0.6, 5, (0, 4, 1))], THIN, None),
    "a feather edge": (lambda: [feather()], THIN, None),
    "a slot of 0.25": (lambda: [block(20, 10, 5) - block(12, 0.25, 6, (4, 5, -1))], NARROW, 0.25),
    "a slot of 0.6": (lambda: [block(20, 10, 5) - block(12, 0.6, 6, (4, 5, -1))], NARROW, None),
    "a slope of 5°": (lambda: [wedge(40 * math.tan(math.radians(5)))], STAIRS, 5.0),
    "a slope of 25°": (lambda: [wedge(40 * math.tan(math.radians(25)))], STAIRS, None),
    "a lying cylinder": (lambda: [cylinder(30, 4).rotate((0, 90, 0)).translate((0, 0, 4))], STAIRS, None),
    "a square socket": (lambda: list(corner_pair(0)), CORNER, 0.0),
    "a rounded socket": (lambda: list(corner_pair(1.5)), CORNER, None),
    "a mast": (lambda: [cylinder(50, 1.5)], BED, math.pi * 1.5**2),
    # Mass at x = (400·5 + 1200·15)/1600 = 12.5 and z = 5 over a foot that ends at x = 10.
    "a lopsided T": (lambda: [block(10, 10, 4) + block(30, 10, 4, (0, 0, 4))], TIPS, -math.degrees(math.atan(2.5 / 5))),
    "a broad tower": (lambda: [cylinder(30, 12)], TIPS, None),
    "a foot beside a neighbour": (lambda: [block(10, 10, 4), block(10, 10, 4, (10.6, 0, 0))], FOOT, 0.15),
    "chamfers beside each other": (lambda: [chamfered(0.4), chamfered(0.4).translate((20.6, 0, 0))], FOOT, None),
    "a chamfer of 2½ layers": (lambda: [chamfered(0.5)], CHAMFER, 0.1),
    "a chamfer of 2 layers": (lambda: [chamfered(0.4)], CHAMFER, None),
    "an island": (lambda: [block(10, 10, 10) - block(12, 6, 6, (-1, 2, 2)) + block(2, 2, 3, (4, 4, 5))], ISLAND, 4.0),
    "a beam onto a neighbour": (lambda: [block(6, 10, 8) + block(24, 10, 2, (0, 0, 6)), block(6, 10, 6, (22, 0, 0))],
                                BRIDGE, 15.79),
    "a ledge of 2": (lambda: [block(6, 10, 8) + block(8, 10, 2, (0, 0, 6))], LEDGE, 1.79),
}


@pytest.mark.parametrize("name", FLAWS)
def test_flaws_are_found_with_their_figure_and_sound_parts_are_not_blamed(heron, name):
    made_of, kind, value = FLAWS[name]
    bodies = made_of()
    made = predict({f"body{i}": body for i, body in enumerate(bodies)}, heron)
    own = [f for f in made.findings if f.id == kind]

    assert bool(own) == (value is not None), [(f.id, f.value) for f in made.findings]
    if value is not None:
        worst = own[0]
        assert worst.value == pytest.approx(value, abs=max(0.05, 0.06 * abs(value)))
        assert worst.verdict != "ok"
        assert worst.place is not None
        boxes = [bodies[int(worst.body[-1])].bounding_box()]
        assert all(b[i] - 1.2 <= worst.place[i] <= b[i + 3] + 1.2 for b in boxes for i in range(3))


def test_marked_sides_decide_which_steps_matter(heron):
    slab = {"slab": wedge(3)}
    seen = {side: PrintSetup(seen=(side,)) for side in ("top", "left")}
    found = {side: judge(loose.job_of(slab, heron, None, setup)) for side, setup in seen.items()}
    assert [c.id for c in found["top"].checks] == [STAIRS]
    assert [c.id for c in found["left"].checks] == [PLAIN_ID]
    assert found["top"].freeing is None


def test_an_unchanged_print_is_known_and_a_changed_gap_pays_only_for_its_layers(solved, heron):
    kept = Kept()

    def again(**values):
        bodies = {n: mesh.evaluate(s) for n, s in solved(host="box", **values).bodies.items()}
        made = predict(bodies, heron, kept=kept)
        return made, made.asked - made.known

    first, new = again(gap=0.3)
    assert new > 300
    same, new = again(gap=0.3)
    assert new == 0
    assert same.welds == first.welds
    # A rim that overlaps less leaves the hinge below it alone; a gap reaches into every layer of the hinge.
    _, few = again(gap=0.3, rim_step=0.8)
    other, many = again(gap=0.31)
    assert few < 0.5 * first.asked
    assert few < many
    fresh = predict({n: mesh.evaluate(s) for n, s in solved(host="box", gap=0.31).bodies.items()}, heron, kept=Kept())
    assert other.welds == fresh.welds
    assert other.findings == fresh.findings
    assert np.array_equal(other.curve.areas, fresh.curve.areas)
    # The layers below the hinge are the very same regions, not equal copies.
    below = [i for i, layer in enumerate(first.layers) if 4 < layer.middle < 10]
    assert all(first.sections[i][0] is other.sections[i][0] for i in below)


@pytest.mark.parametrize("stop_at", [0.0, 0.3, 0.55, 0.9])
def test_a_prediction_stops_when_told(heron, stop_at):
    seen = []

    def progress(part):
        seen.append(part)
        return part < stop_at

    with pytest.raises(Cancelled):
        predict(parts.bearing(0.2), heron, progress=progress, kept=Kept())
    assert seen == sorted(seen)


def test_what_remains_of_the_gap_is_banded():
    left, right = (block(8, 10, 2, (x, 0, 0)).slice(1) for x in (0, 8.25))
    found = {level: sum(abs(np.asarray(p)[:, 0].max() - np.asarray(p)[:, 0].min()) for p in polygons)
             for level, polygons in bands((left, right))}
    assert found[0.5] == pytest.approx(0.25, abs=0.01)
    assert found[0.3] == pytest.approx(0.25, abs=0.01), "the whole gap is coloured, not its middle"
    assert found[0.2] == found[0.1] == 0
    assert bands((left, right.translate((5, 0)))) == []


def test_ways_up_are_ranked_with_reasons(heron):
    """A gallows prints lying down, a spring arm with its length in the layers, a tower is not laid where it falls."""
    gallows = {"gallows": block(16, 10, 30) + block(36, 10, 6, (0, 0, 24))}
    ranked = poses(loose.job_of(gallows, heron))
    assert ranked[0].pose.name in {"on its front", "on its back"}
    assert ranked[0].unsupported == 0
    standing = next(s for s in ranked if s.pose.name == "as it is")
    assert standing.unsupported == pytest.approx(200, rel=0.01)
    assert standing.reasons[0].startswith("200 mm² hang")

    arm = {"arm": block(3, 8, 40) + block(12, 8, 4)}
    whole = candidates(arm)
    with_bend = compare(arm, heron, whole, [Held(lambda _: 1.0, Strength(60, 240, math.inf, "N", 1.0), 1.5)],
                        bends_along=[(0, 0, 1)])
    upright = next(s for s in with_bend if s.pose.name == "as it is")
    assert upright.across == pytest.approx(90)
    assert with_bend[0].across == pytest.approx(0)
    assert "printed at 90° to the bed: bending splits the layers" in upright.reasons

    hull = candidates({"roof": Solid.hull_points([(0, 0, 0), (20, 0, 0), (0, 12, 0), (20, 12, 0), (0, 6, 9), (20, 6, 9)])})
    assert any("56°" in pose.name or "124°" in pose.name for pose in hull), [p.name for p in hull]
    assert candidates(arm, [Pose("as designed", AS_IS)])[0].name == "as designed"
    assert len({pose.name for pose in whole}) == len(whole)


@pytest.mark.parametrize("direction", [(0, 0, -1), (0, 0, 1), (1, 0, 0), (0.3, -0.5, 0.8)])
def test_turning_a_face_down_is_a_rotation_onto_the_bed(direction):
    turn = np.array(turn_down(direction)).reshape(3, 3)
    assert np.allclose(turn @ turn.T, np.eye(3))
    assert np.linalg.det(turn) == pytest.approx(1)
    assert np.allclose(turn @ np.array(direction) / np.linalg.norm(direction), (0, 0, -1))
    laid, _ = laid_down({"a": block(3, 4, 5, (7, 8, 9))}, tuple(turn.ravel()))
    assert laid["a"].bounding_box()[2] == pytest.approx(0)
    assert laid["a"].volume() == pytest.approx(60)


def test_the_pose_carries_its_joint_along(heron):
    """Welds about a lying axis have the same breakaway arm however the parts are turned."""
    bodies = parts.bearing(0.2)
    straight = judge(loose.job_of(bodies, heron, Freedom("turn"))).freeing
    tilted = {name: body.rotate((90, 0, 0)) for name, body in bodies.items()}
    turned_back = PrintSetup(turn=tuple(np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]], dtype=float).ravel()))
    again = judge(loose.job_of(tilted, heron, Freedom("turn", direction=(0, -1, 0)), turned_back)).freeing
    assert again.breakaway == pytest.approx(straight.breakaway, rel=0.02)
    assert again.strength.part == pytest.approx(straight.strength.part, rel=0.05)


def test_a_shelf_carries_what_would_hang_and_refuses_what_it_cannot(heron):
    gallows = {"gallows": block(10, 10, 20) + block(22, 10, 4, (0, 0, 16))}
    before = judge(loose.job_of(gallows, heron))
    ledge = next(f for f in before.prediction.findings if f.id == LEDGE)
    slices = dict(zip(before.prediction.names, before.prediction.drawn, strict=True))
    shelf = shelf_under(ledge, slices, heron)
    after = judge(loose.job_of(gallows, heron, None, PrintSetup(shelves=(shelf,))))

    assert {(fin.floor, fin.top) for fin in shelf.fins} == {(0, 15.8)}
    assert not [f for f in after.prediction.findings if f.id == LEDGE]
    made = mesh.evaluate(shelf.solid)
    assert made.volume() < 0.35 * 12 * 10 * 15.8, "it is a comb, not a block"
    assert made.min_gap(gallows["gallows"], 1.0) == pytest.approx(0.2, abs=0.01)
    assert "shelf-1" in after.laid

    on_part = {"step": block(30, 10, 6) + block(10, 10, 20) + block(22, 10, 4, (0, 0, 16))}
    stepped = judge(loose.job_of(on_part, heron))
    found = next(f for f in stepped.prediction.findings if f.id == LEDGE)
    stands = shelf_under(found, dict(zip(stepped.prediction.names, stepped.prediction.drawn, strict=True)), heron)
    assert {fin.floor for fin in stands.fins} == {6}
    low = judge(loose.job_of({"low": block(10, 10, 4) + block(20, 10, 3.4, (0, 0, 0.6))}, heron)).prediction
    with pytest.raises(SolveError, match="no room below"):
        shelf_under(next(f for f in low.findings if f.id == LEDGE), dict(zip(low.names, low.drawn, strict=True)), heron)
    with pytest.raises(ValueError, match="a length, a width and a height"):
        Fin(x0=0, y0=0, x1=0, y1=1, floor=0, top=1)
    with pytest.raises(ValueError, match="not a rotation"):
        PrintSetup(turn=(1, 0, 0, 0, 2, 0, 0, 0, 1))


def test_time_and_material_are_a_stated_model(heron):
    """A solid cube by hand: volume × density; lines / speed + 3 s a layer + 4 min."""
    full = heron.model_copy(update={"infill": 100.0})
    made = predict({"cube": block(20, 20, 10)}, full, judge=False, chances=False)
    cost = estimate(made.drawn, full)
    length = 20 * 20 * 10 / (0.45 * 0.2)
    assert cost.grams == pytest.approx(20 * 20 * 10 * 1.24e-3)
    assert cost.metres == pytest.approx(length / 1000)
    layers, loops = 50, 2 * 80
    fill = length / layers - loops
    seconds = 240 + 3 * layers + (loops + fill) / 25 + (layers - 1) * (loops / 50 + fill / 80)
    assert cost.minutes == pytest.approx(seconds / 60)
    sparse = estimate(made.drawn, heron)
    assert sparse.grams < 0.6 * cost.grams
    assert [words(m) for m in (12.2, 95)] == ["13 min", "1 h 35 min"]


@pytest.mark.parametrize(("text", "point", "direction"), [
    ("z", None, (0, 0, 1)), ("0,1,1", None, (0, math.sqrt(0.5), math.sqrt(0.5))), ("1,2,3:x", (1, 2, 3), (1, 0, 0)),
    (" 0 , 0, 2 ", None, (0, 0, 1))])
def test_axes_are_read(text, point, direction):
    bodies = {"pin": cylinder(4, 1).translate((5, 6, 0)), "block": block(30, 30, 4)}
    read = loose.freedom_from("turn", text, bodies)
    assert read.direction == pytest.approx(direction)
    assert read.point == pytest.approx(point or (5, 6, 2), abs=1e-6)
    for bad in ("w", "1,2", "0,0,0", "1,2,3:4,5", "nan,0,1", "1:2:3", ""):
        with pytest.raises(ParamError):
            loose.freedom_from("slide", bad, bodies)


@settings(max_examples=20)
@given(st.integers(0, 10**6))
def test_any_closed_bodies_are_judged_without_a_stumble(seed):
    """Random solids cut out of and joined to each other, some floating, some thin as foil, on random processes."""
    rng = random.Random(seed)

    def shape():
        s = rng.uniform(0.3, 10)
        made = rng.choice((lambda: Solid.cube((s, rng.uniform(0.2, 12), rng.uniform(0.2, 12)), True),
                           lambda: Solid.sphere(s, rng.choice((8, 40))),
                           lambda: Solid.cylinder(rng.uniform(0.3, 15), s, rng.uniform(0, 8), rng.choice((6, 30)))))()
        return made.rotate((rng.choice((0, 90, rng.uniform(0, 360))), rng.choice((0, 90)), 0)).translate(
            tuple(rng.uniform(-6, 6) for _ in range(3)))

    bodies = {}
    for name in "abc"[:rng.randint(1, 3)]:
        made = shape()
        for _ in range(rng.randrange(3)):
            made = made + shape() if rng.random() < 0.5 else made - shape()
        if made.volume() > 0.01:
            bodies[name] = made
    if not bodies:
        return
    process = effective(rng.choice(built_in()), rng.choice(list(Policy)))
    freedom = rng.choice((None, Freedom("turn"), Freedom("slide", direction=(1, 0, 0))))
    printed = judge(loose.job_of(bodies, process, freedom))

    assert printed.freeing is None or sum(printed.freeing.chances) == pytest.approx(1, abs=1e-6)
    assert min(body.bounding_box()[2] for body in printed.laid.values()) == pytest.approx(0, abs=1e-6)
    assert all(math.isfinite(check.value) for check in printed.checks)
    slices = dict(zip(printed.prediction.names, printed.prediction.drawn, strict=True))
    for finding in [f for f in printed.prediction.findings if f.id in CARRIED][:2]:
        try:
            shelf = shelf_under(finding, slices, process)
        except SolveError:
            continue
        assert all(fin.top > fin.floor >= 0 for fin in shelf.fins)
