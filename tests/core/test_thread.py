"""Threads: sizes against ISO 724 and ISO 898-1 (from memory), offsets and fits against sections made by shapely."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
import shapely.affinity
from shapely.geometry import Polygon

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.formats.step import to_step
from bouncy_latch.core.judge.search.remedies import all_remedies
from bouncy_latch.core.learn.calibration import ladders
from bouncy_latch.core.learn.posterior.belief import learn
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.threads.plan import EDGE, Plan
from bouncy_latch.core.outcomes import SCREWED
from bouncy_latch.core.process import population
from bouncy_latch.core.process.evidence import result
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.solids import brep, mesh, tree
from bouncy_latch.core.standards import screw_form as forms
from bouncy_latch.core.standards import tables
from bouncy_latch.core.virtual.printer import VirtualPrinter, machine

KIND = registry.kind("thread")
HERON, GANNET = population.built_in()
# ISO 724, pitch and minor diameter, from memory; stress areas of ISO 898-1, from memory.
ISO_724 = {"M3": (2.675, 2.459, 5.03), "M4": (3.545, 3.242, 8.78), "M5": (4.480, 4.134, 14.2), "M6": (5.350, 4.917, 20.1),
           "M8": (7.188, 6.647, 36.6), "M10": (9.026, 8.376, 58.0), "M12": (10.863, 10.106, 84.3), "M16": (14.701, 13.835, 157),
           "M20": (18.376, 17.294, 245), "M15x1.5": (14.026, 13.376, None)}


def solved(process=HERON, **sizes):
    return KIND.solve(KIND.params().changed(**sizes), process)


@pytest.mark.parametrize("size", ISO_724)
def test_basic_sizes_are_those_of_the_standard(size):
    pitch_diameter, minor, area = ISO_724[size]
    found = solved(size=size, offset=0)
    assert found.value("pitch_diameter") == pytest.approx(pitch_diameter, abs=6e-4)
    assert found.value("minor_diameter") == pytest.approx(minor, abs=6e-4)
    if area is not None:
        row = tables.threads()[size]
        root = row.diameter - 2 * 17 / 24 * math.sqrt(3) / 2 * row.pitch
        assert math.pi / 4 * ((found.value("pitch_diameter") + root) / 2) ** 2 == pytest.approx(area, rel=4e-3)


@pytest.mark.parametrize(("size", "micrometres"), [("M3", 20), ("M5", 24), ("M6", 26), ("M8", 28), ("M10", 32)])
def test_what_a_turned_bolt_leaves_stands_beside_ours(size, micrometres):
    """Fundamental deviation of position g in the table of ISO 965-1 (from memory), half of it, normal to a flank of 30°."""
    found = solved(size=size, offset=0.1)
    assert found.value("turned_gap") == pytest.approx(micrometres / 1000 / 4, abs=4e-4)
    assert found.params.offset > 8 * found.value("turned_gap"), "a printed one needs much more"


@pytest.mark.parametrize(("d", "pitch", "offset"), [(15, 1.5, 0.1), (8, 1.25, 0.1), (6, 1, 0.1), (5, 0.8, 0.1), (3, 0.5, 0.05)])
def test_all_faces_moved_in_is_a_mitred_offset(d, pitch, offset):
    """The profile of several pitches as a polygon, offset by shapely with sharp corners, is the same."""
    form = forms.standard(d, pitch)

    def outline(moved):
        corners = form.profile(moved)
        middle = form.middle_at(moved)
        row = [(turn * pitch + z - middle, radius) for turn in range(-4, 4) for z, radius in corners[:-1]]
        return Polygon([(row[0][0], 0), *row, (row[-1][0], 0)])

    window = shapely.box(-pitch, 0.3, pitch, d)
    moved = outline(0.0).buffer(-offset, join_style="mitre", mitre_limit=20).intersection(window)
    assert moved.symmetric_difference(outline(offset).intersection(window)).area < 1e-6 * moved.area


@pytest.mark.parametrize(("left", "starts"), [(False, 1), (True, 1), (False, 3)])
def test_a_threaded_rod_is_a_true_helicoid_in_both_evaluators(left, starts):
    """Every section across the axis has the same area, so the volume is π times the mean of r² along a lead."""
    form = forms.printable(14, 2.5, math.radians(45), starts)
    profile = np.array(form.profile(0.1))
    rod = tree.threaded(form.profile(0.1), 12, 0.7, left)
    z = np.linspace(0, form.lead, 60_001)
    r = np.interp(z, profile[:, 0], profile[:, 1])
    volume = math.pi * float(np.mean((r[1:] ** 2 + r[:-1] ** 2) / 2)) * 12
    exact, body = brep.evaluate(rod), mesh.evaluate(rod)
    assert brep.is_valid(exact)
    assert brep.volume_and_centroid(exact)[0] == pytest.approx(volume, rel=1e-5)
    assert body.volume() == pytest.approx(volume, rel=5e-3)
    points, _ = mesh.arrays(body)
    inside = points[(points[:, 2] > 0.01) & (points[:, 2] < 11.99)]
    way = np.arctan2(inside[:, 1], inside[:, 0]) * (-1 if left else 1)
    along = (inside[:, 2] - 0.7 - form.lead * way / (2 * math.pi)) % form.lead
    assert np.abs(np.hypot(inside[:, 0], inside[:, 1]) - np.interp(along, profile[:, 0], profile[:, 1])).max() < 1e-6


@pytest.mark.parametrize(("profile", "says"), [
    ([(0, 3), (1, 4), (2, 3.5)], "ends as wide as it begins"), ([(0, 3), (2, 4), (1, 3)], "rises from 0"),
    ([(0, 3), (1, 9), (2, 3)], "no room for its ends")])
def test_a_rod_that_cannot_be_is_refused(profile, says):
    with pytest.raises(SolveError, match=says):
        tree.threaded(profile, 4, ends=(3.0, 3.0))


def test_its_step_file_holds_two_solids_of_some_hundred_faces():
    data = to_step(solved(size="M8", length=30).bodies, "thread")
    assert data.count(b"MANIFOLD_SOLID_BREP") == 2
    assert 100 < data.count(b"ADVANCED_FACE") < 600


def overlap(solution, growth):
    """Area in which bolt and nut reach into each other, mm², over sections across the axis, both as they print."""
    bodies = {name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}
    seated = mesh.transformed(bodies["B"], solution.motion.pose(solution.motion.high)["B"])
    low, high = seated.bounding_box()[2], seated.bounding_box()[5]
    found = 0.0
    for z in np.linspace(low + 1.3, high - 1.3, 9):
        bolt, nut = (shapely.unary_union([shapely.Polygon(ring) for ring in body.slice(float(z)).to_polygons()][:1])
                     for body in (bodies["A"], seated))
        rings = [Polygon(ring) for ring in seated.slice(float(z)).to_polygons()]
        nut = max(rings, key=lambda ring: ring.area).difference(min(rings, key=lambda ring: ring.area))
        found += bolt.buffer(growth).intersection(nut.buffer(growth)).area
    return found


def test_nut_on_bolt_touches_as_drawn_and_is_clear_at_an_offset():
    assert overlap(solved(offset=0), 0.05) > 5.0
    assert overlap(solved(offset=0.2), 0.05) < 0.05
    assert overlap(solved(offset=0.02), 0.0) < 0.05


@pytest.mark.parametrize(("size", "pitch_diameter", "minor"), [("1/4", 0.2175, 0.1959), ("3/8", 0.3344, 0.3073),
                                                              ("1/2", 0.4500, 0.4167)])
def test_coarse_inch_threads_have_the_basic_diameters_of_their_standard(size, pitch_diameter, minor):
    """ASME B1.1, basic pitch and minor diameters of UNC threads in inches, from memory."""
    found = solved(size=size)
    assert found.value("pitch_diameter") / 25.4 == pytest.approx(pitch_diameter, abs=1e-4)
    assert found.value("minor_diameter") / 25.4 == pytest.approx(minor, abs=1e-4)
    assert found.params.size == size


@pytest.mark.trade
def test_an_exact_profile_jams_and_a_tenth_off_all_faces_runs():
    """Common practice, no source: on a printer that was tuned well."""
    tuned = HERON.model_copy(update={"growth": Spread(mean=0.02, sd=0.01), "ridge": Spread(mean=0.03, sd=0.01)})
    runs = {offset: solved(tuned, offset=offset).aim.chance for offset in (0.0, 0.1, 0.15, 0.36)}
    assert runs[0.0] < 0.1 < 0.7 < runs[0.1] < 0.95 < runs[0.15]
    assert runs[0.36] < 0.2, "it wobbles"
    assert solved(size="M3", offset=0.1).check("crest").verdict == "look"
    for size, left in (("M5", 0.3196 / 0.4330), ("M3", 0.1248 / 0.2706)):  # geometry of ISO 68-1, worked by hand
        crest = solved(size=size, offset=0.1).check("crest")
        assert crest.value == pytest.approx(100 * left, abs=0.1)
        assert "ends sharp" in crest.why
    assert "sharp" not in solved(size="M8", offset=0.05).check("crest").why
    assert "coarser pitch or the printable profile" in solved(size="M3", offset=0.1).check("crest").why


def test_both_parts_come_from_one_definition_in_every_form():
    for product in ("cap-and-neck", "hole-and-bolt", "knob"):
        for hand in ("right", "left"):
            found = solved(product=product, hand=hand, profile="printable", diameter=24, pitch=4, starts=2, length=10,
                           offset=0.15)
            bodies = {name: mesh.evaluate(solid) for name, solid in found.bodies.items()}
            for value in np.linspace(found.motion.low, found.motion.high, 5):
                other = mesh.transformed(bodies["B"], found.motion.pose(float(value))["B"])
                assert (bodies["A"] ^ other).volume() == pytest.approx(0, abs=1e-6), (product, hand, value)
    assert not found.check("flank-overhang").margin < 0


@pytest.mark.parametrize(("sizes", "says"), [
    ({"pitch": 9}, "leaves no core"), ({"offset": 0.6}, "no overlap"), ({"starts": 6, "pitch": 4, "diameter": 8}, "steeper"),
    ({"length": 2, "pitch": 1.5}, "used up by its lead-in"), ({"flats": 8}, "no wall round"),
    ({"length": 200, "pitch": 0.8}, "turns are more than")])
def test_what_is_no_thread_is_refused_in_a_sentence(sizes, says):
    with pytest.raises(SolveError, match=says):
        solved(**sizes)


def test_a_ladder_of_bolts_is_tried_against_one_nut_and_teaches_growth():
    coupon = ladders.of_kind(KIND, HERON, [0.0, 0.05, 0.1, 0.2])
    assert sorted(name[-1] for name in coupon.bodies) == ["A", "A", "A", "A", "B"]
    believed = {}
    for outcome in ("will not start", "runs snug", "wobbles"):
        item = result(process=HERON.id, kind="thread", param="offset", value=0.15, outcome=outcome)
        believed[outcome] = learn(HERON.model_copy(update={"growth": population.GROWTH}), [item]).belief
    for name in ("growth", "flank"):
        tight, snug, loose = (belief.spread(name).mean for belief in believed.values())
        assert tight > snug > loose


def test_chances_are_those_of_outcomes_and_growth_makes_them_tighter():
    plan = Plan(KIND.params(), GANNET)
    growths = np.linspace(-0.1, 0.3, 9)
    chances = plan.screwed.chances(growths)
    assert chances.shape == (9, len(SCREWED.names))
    assert np.allclose(chances.sum(axis=1), 1)
    assert np.all(np.diff(chances[:, 0]) >= -1e-9)
    assert np.all(np.diff(chances[:, 4]) <= 1e-9)


@pytest.mark.parametrize(("kind_id", "sizes", "rising"), [
    ("thread", {"size": "M8", "length": 10}, {"offset": (-0.1, 0.02, 0.14, 0.32)}),
    ("nut-pocket", {"nut": "M5"}, {"allowance": (-0.5, -0.1, 0.15, 0.3, 1.1)})])
def test_a_stand_in_that_shares_no_formula_finds_the_same_order(kind_id, sizes, rising):
    """Sections of what a virtual printer laid, held against each other: looser with every step."""
    kind = registry.kind(kind_id)
    printer = VirtualPrinter(machine(17), 17)
    ((name, values),) = rising.items()
    found = [kind.study.tried(kind.solve(kind.params().changed(**sizes, **{name: value}), HERON), printer,
                              np.random.default_rng(3))
             for value in values]
    outcomes = [each.outcome for each in found]
    assert outcomes == sorted(outcomes)
    assert outcomes[0] < 2
    assert outcomes[-1] >= 3
    assert [each.left for each in found] == sorted(each.left for each in found)
    assert any(each.worked for each in found)


@pytest.mark.parametrize(("eased", "growth"), [(0.1, 0.05), (0.5, 0.0), (0.9, 0.05)])
def test_a_wrench_goes_on_and_turns_as_far_as_a_turned_hexagon_does(eased, growth):
    exact = HERON.model_copy(update={"growth": Spread(mean=growth, sd=0.0)})
    found = solved(exact, size="M8", eased=eased)
    printed = 13 - eased + 2 * growth
    assert found.check("wrench-goes-on").value == pytest.approx(printed)
    corner = (printed / 2 - EDGE) / math.cos(math.pi / 6)
    head = Polygon([(corner * math.cos(a), corner * math.sin(a)) for a in np.radians(range(0, 360, 60))]).buffer(EDGE, 64)
    wide = [shapely.affinity.rotate(head, a, origin=(0, 0)).bounds for a in np.arange(0, 30, 0.05)]
    turns = 0.05 * next((i for i, (_, low, _, high) in enumerate(wide) if high - low > 13), 600)
    assert found.check("wrench-holds").value == pytest.approx(turns, abs=0.1)
    fat = solved(exact.with_growth(0.2), size="M8", head="socket", eased=0.1)
    assert {fat.check(name).verdict for name in ("wrench-goes-on", "key-goes-in")} == {"stop"}


def test_a_thread_too_fine_or_too_steep_is_offered_another_profile_or_the_coarse_size():
    for sizes, check, change in (({"size": "M20"}, "flank-overhang", {"profile": "printable"}),
                                 ({"size": "M8x1", "offset": 0.18}, "crest", {"size": "M8"}),
                                 ({"diameter": 6, "pitch": 1.0, "offset": 0.19}, "crest", {"pitch": 1.2})):
        design = Design(KIND, KIND.params().changed(**sizes), HERON)
        bad = [each for each in design.solve().checks if each.margin < 0]
        found = all_remedies(design, bad)[check]
        assert change in [remedy.values for remedy in found]
        after = design.changed(**change).solve()
        assert {after.check(check).verdict, after.check("runs").verdict} == {"ok"}
