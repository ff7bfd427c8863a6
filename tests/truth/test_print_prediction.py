"""The print prediction against geometry that can be worked out by hand, the reference values and facts of the trade."""

from __future__ import annotations

import itertools
import math

import manifold3d
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.judge.prints import loose
from bouncy_latch.core.judge.prints.printing import judge
from bouncy_latch.core.layers import bed, laying, overhang, spans
from bouncy_latch.core.layers.freedom import moment_at, moment_of_sag
from bouncy_latch.core.layers.laying import Deposit, deposit, lay
from bouncy_latch.core.layers.predict import predict
from bouncy_latch.core.layers.slicing import Slices, faces_of, layer_middles
from bouncy_latch.core.layers.welds import SAG, SIDE, STACKED
from bouncy_latch.core.process.population import built_in
from bouncy_latch.core.process.profile import Process, Spread
from tests import parts
from tests.parts import Solid, block, cylinder

HERON = built_in()[0]
PLAIN = HERON.model_copy(update={"elephant_foot": Spread(mean=0, sd=0), "hole_term": Spread(mean=0, sd=0)})


def printed(*bodies, process=HERON, **options):
    return predict({f"body{i}": body for i, body in enumerate(bodies)}, process, **options)


def found(prediction, kind):
    return [f for f in prediction.findings if f.id == kind]


# -- what is laid ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("chamfer", "h", "insets", "net"), [
    (0.4, 0.2, [0.3, 0.1, 0, 0], [-0.05, 0.025, 0.0625, 0.03125]),
    (0.6, 0.2, [0.5, 0.3, 0.1, 0], [-0.25, -0.175, -0.0375, 0.03125]),
    (0.2, 0.2, [0.1, 0, 0, 0], [0.15, 0.125, 0.0625, 0.03125]),
])
def test_bed_chamfer_and_elephant_foot(chamfer, h, insets, net):
    """Plane geometry, by hand: inset max(0, C − (i + ½)h), foot 0.25·½^i; measured on the laid sections of a real frustum."""
    process = PLAIN.model_copy(update={"layer_height": h, "first_layer_height": h, "growth": Spread(mean=0, sd=0),
                                       "elephant_foot": Spread(mean=0.25, sd=0)})
    foot = Solid.hull_points([(x, y, z) for s, z in ((10 - chamfer, 0), (10, chamfer)) for x in (-s, s) for y in (-s, s)])
    made = printed(foot + block(20, 20, 5, (-10, -10, chamfer)), process=process)
    half = [np.sqrt(layer.areas[0]) / 2 - 10 for layer in made.layers[:4]]

    assert half == pytest.approx(net, abs=2e-3)
    assert [process.foot(i) - n for i, n in enumerate(half)] == pytest.approx(insets, abs=2e-3)


@pytest.mark.parametrize("radius", [0.5, 1, 3, 12])
def test_holes_shrink_more_the_smaller_they_are(radius):
    """Outline out by g, hole in by g + t/(1 + r/3); areas in closed form for a regular polygon of 128 sides."""
    region = (cylinder(1, 30) - cylinder(1, radius)).slice(0.5)
    polygon = 0.5 * 128 * math.sin(2 * math.pi / 128)
    apothem = math.cos(math.pi / 128)
    shrink = 0.05 + 0.06 / (1 + radius / 3)
    expected = polygon * ((30 + 0.05 / apothem) ** 2 - (radius - shrink / apothem) ** 2)

    assert lay(region, Deposit(0.05, 0.06)).area() == pytest.approx(expected, rel=2e-5)
    # A body standing free inside the hole keeps its own outline.
    if radius == 12:
        with_pin = (cylinder(1, 30) - cylinder(1, radius) + cylinder(1, 2)).slice(0.5)
        pin = polygon * (2 + 0.05 / apothem) ** 2
        assert lay(with_pin, Deposit(0.05, 0.06)).area() == pytest.approx(expected + pin, rel=2e-5)


def test_first_layer_snapping_and_shrinkage():
    """Mid-layer sampling: 1.05 mm prints as 0.3 + 3 × 0.2 + 0.2; cooled size (50 + 2g)(1 − 0.2 %), z by the layers."""
    process = PLAIN.model_copy(update={"first_layer_height": 0.3})
    made = printed(block(50, 30, 1.05), process=process)
    assert [round(layer.thickness, 3) for layer in made.layers] == [0.3, 0.2, 0.2, 0.2, 0.2]
    assert made.height == pytest.approx(1.1)
    assert made.sizes[0].printed == pytest.approx((50.1 * 0.998, 30.1 * 0.998, 1.1 * 0.998))
    square = block(10, 10, 1).slice(0.5)
    assert laying.cooled(square, (0, 0), process).bounds() == pytest.approx((0, 0, 9.98, 9.98))


@pytest.mark.parametrize(("height", "vanishes"), [(0.08, True), (0.12, False)])
def test_what_is_thinner_than_half_a_layer_vanishes(height, vanishes):
    base = block(10, 10, 2) + block(4, 4, height, (3, 3, 2))
    made = printed(base)
    gone = found(made, "vanishes")
    assert bool(gone) == vanishes
    if gone:
        assert gone[0].extent == pytest.approx(16)
        assert gone[0].value == pytest.approx(height, abs=1e-4)


# -- what welds --------------------------------------------------------------------------------------------------------


def test_stacked_and_side_welds_of_blocks_by_hand():
    """A 10 × 10 pad on a plate: (10 + 2g)² stacked. Two blocks 0.06 apart, 10 long and 2 high: 20 mm² side by side."""
    pad = printed(block(20, 20, 2), block(10, 10, 2, (5, 5, 2)), process=PLAIN)
    assert pad.area(STACKED) == pytest.approx(10.1**2, rel=1e-3)
    assert pad.area(SIDE) == 0
    assert pad.welds[0].pair == ("body0", "body1")
    blocks = printed(block(8, 10, 2), block(8, 10, 2, (8.06, 0, 0)), process=PLAIN)
    assert blocks.area(SIDE) == pytest.approx(2 * (10.1 + 0.04), rel=0.01)


def test_a_slot_between_first_layers_of_another_height_is_still_stacked():
    """The lower body ends with the thicker first layer; the upper one begins on it."""
    process = PLAIN.model_copy(update={"first_layer_height": 0.3})
    made = printed(block(10, 10, 0.3), block(10, 10, 2, (0, 0, 0.3)), process=process)
    assert {(w.kind, w.layer) for w in made.welds} == {(STACKED, 0)}
    assert made.welds[0].z == pytest.approx(0.3)
    swapped = printed(block(10, 10, 2, (0, 0, 0.3)), block(10, 10, 0.3), process=process)
    assert swapped.area(STACKED) == pytest.approx(made.area(STACKED))
    assert swapped.welds[0].pair == ("body1", "body0")


def test_thinner_contacts_are_fat_ones_drawn_in():
    """One fat evaluation tells all thinner ones: against predictions made anew at each growth."""
    bodies = parts.bearing(0.22)
    whole = predict(bodies, HERON, judge=False)
    for index in (2, 4, 5, 6, 8):
        growth = float(whole.curve.growths[index])
        anew = predict(bodies, HERON, growth, judge=False, chances=False)
        low = whole.low.areas[:, np.searchsorted(whole.low.growths, growth - 1e-9)].sum()
        assert whole.curve.areas[:, index].sum() + low == pytest.approx(anew.area(STACKED) + anew.area(SIDE), rel=0.03, abs=0.4)


@settings(max_examples=15)
@given(st.floats(0.02, 0.5), st.floats(0.01, 0.2), st.floats(0.0, 0.15), st.sampled_from((0.12, 0.2, 0.28)))
def test_monotone_in_gap_and_growth(gap, more, growth, h):
    process = PLAIN.model_copy(update={"layer_height": h, "first_layer_height": h, "growth": Spread(mean=growth, sd=0.02)})
    arm = Freedom("turn").arm

    def moment(clearance, by=0.0):
        made = predict(parts.bearing(clearance), process, judge=False)
        return moment_at(made, process, arm, np.array([growth, growth + by]))[0]

    tight, loose_fit = moment(gap, more), moment(gap + more)
    assert tight[1] >= tight[0] - 1e-6
    # Slices step with the gap: a ring may gain a layer's sliver where it loses everything else.
    assert loose_fit[0] <= tight[0] * 1.02 + 5


@given(st.floats(1.0, 3.0), st.integers(0, 3))
def test_a_gap_of_zero_always_welds_and_one_over_a_millimetre_never_does(gap, index):
    """Pairs that fit side by side, in a bore, on a cone, one over the other."""
    def pair(g):
        return ([block(8, 10, 4), block(8, 10, 4, (8 + g, 0, 0))],
                [cylinder(6, 4), cylinder(6, 9) - cylinder(8, 4 + g, z=-1)],
                list(parts.bearing(g).values()),
                [block(12, 12, 3), block(12, 12, 3, (0, 0, 3 + g))])[index]

    def outcome(g):
        bodies = dict(zip("ab", pair(g), strict=True))
        return judge(loose.job_of(bodies, HERON, Freedom("turn", (0, 0, 0), (0, 0, 1)) if index in (1, 2) else None)).freeing

    assert outcome(0.0).chances[0] > 0.9
    free = outcome(gap)
    assert free is None or (free.by_hand > 0.99 and free.breakaway < free.strength.hand)


# -- undersides --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("theta", [30, 45, 50, 60, 75])
def test_a_tilted_underside(theta):
    """A leaning prism 20 wide and 12 tall, underside θ from vertical: 20·12·tan θ hangs beyond 45°, nothing before."""
    out = 12 * math.tan(math.radians(theta))
    leaning = Solid.hull_points([(x, y, z) for y in (0, 20) for x, z in ((0, 0), (6, 0), (6 + out, 12), (0, 12))])
    made = printed(leaning)
    flagged = found(made, "overhang")

    assert made.unsupported == pytest.approx(20 * out if theta > 46 else 0.0, rel=0.01)
    assert bool(flagged) == (theta > 46)
    if flagged:
        assert flagged[0].value == pytest.approx(theta, abs=0.01)
        assert flagged[0].stop == pytest.approx(66.04, abs=0.01)  # by hand: a whole line hangs over at atan(w/h)
        step = 0.2 * math.tan(math.radians(theta))
        assert f"rests on {max(0.0, 100 - 100 * step / 0.45):.0f} % of its line" in flagged[0].why
    assert (found(made, "ledge") != []) == (theta > 65)


@pytest.mark.trade
def test_forty_five_degrees_prints_and_sixty_is_flagged():
    """Common practice, no source: a cone standing on its tip end."""
    for theta, flagged in ((45, False), (60, True)):
        top = 4 + 8 * math.tan(math.radians(theta))
        assert bool(found(printed(cylinder(8, 4, top)), "overhang")) == flagged


def test_a_sphere_and_a_cone_hang_as_much_as_geometry_says():
    """Beyond 45°: a ball's lower cap, π(R sin 45°)²; a 60° cone's mantle seen from above, π(R² − r²)."""
    ball = faces_of(Solid.sphere(10, 256).translate((0, 0, 20)))
    cone = faces_of(cylinder(5, 4, 4 + 5 * math.tan(math.radians(60))))
    big = 4 + 5 * math.tan(math.radians(60))

    assert overhang.unsupported_area(ball, HERON) == pytest.approx(math.pi * 50, rel=0.04)
    assert overhang.unsupported_area(cone, HERON) == pytest.approx(math.pi * (big**2 - 16), rel=0.01)


@pytest.mark.parametrize(("span", "turned", "verdict"), [(6, 0, None), (12, 0, "look"), (12, 30, "look"), (30, 0, "stop")])
def test_a_bridge_has_its_span_and_direction(span, turned, verdict):
    """A beam 6 wide over a slot: the span by hand, less what the step carries at each end (0.2·tan 45°)."""
    portal = block(span + 16, 6, 8) - block(span, 8, 6, (8, -1, -1))
    made = printed(portal.rotate((0, 0, turned)))
    bridges = found(made, "bridge")

    assert [b.verdict for b in bridges] == ([verdict] if verdict else [])
    held = spans.hold(block(span - 0.4, 6, 1, (8.2, 0, 0)).slice(0.5), (portal.slice(4)).offset(0.2))
    assert held.is_bridge
    assert held.span == pytest.approx(span - 0.4, rel=1e-6)
    if bridges:
        # The step is carried 3 % and 0.002 farther than 45°, and the beam is rounded at turned corners.
        assert bridges[0].value == pytest.approx(span - 0.416, abs=0.02)
        assert f"lines at {turned}°" in bridges[0].why


def test_cold_strand_sag():
    """Euler–Bernoulli, by hand: sag grows as span⁴, 10 → 20 is × 16; the share of a clamped strand below d is √(1 − √(d/s))."""
    assert spans.droop(20, 0.3) == pytest.approx(16 * spans.droop(10, 0.3))
    xi = np.linspace(-1, 1, 200_001)
    below = float((0.3 * (1 - xi**2) ** 2 > 0.1).mean())
    assert math.sqrt(1 - math.sqrt(0.1 / 0.3)) == pytest.approx(below, abs=1e-4)


def test_a_bridge_that_sags_onto_the_body_below_welds_there():
    """A 14 mm beam over another body with one empty layer: sag 0.3·1.4⁴ = 1.15 reaches 0.2 below it."""
    portal = block(30, 6, 8) - block(14, 8, 6, (8, -1, -1))
    under = block(10, 4, 4.8, (10, 1, 0))
    made = printed(portal, under)
    assert made.area(SAG) > 20
    weld = next(w for w in made.welds if w.kind == SAG)
    assert (weld.pair, round(weld.drop, 3)) == (("body1", "body0"), 0.2)
    low = printed(portal, block(10, 4, 4.2, (10, 1, 0)))
    assert low.area(SAG) < made.area(SAG)
    stiff = HERON.model_copy(update={"sag": Spread(mean=0.01, sd=0.003)})
    assert printed(portal, under, process=stiff).area(SAG) == 0
    rising = moment_of_sag(made.hung, HERON, lambda _: 1.0, np.linspace(0, 1, 20))
    assert all(b >= a for a, b in itertools.pairwise(rising))


@pytest.mark.trade
@pytest.mark.parametrize(("air", "ledges"), [(0.2, []), (0.4, []), (0.6, ["stop"])])
def test_what_hangs_a_little_over_its_own_body_lands_on_it(air, ledges):
    """A fin just over the plate it grows from prints, one well above it does not (common practice, no source)."""
    fin = block(20, 6, 1) + block(4, 6, 6) + block(20, 2, 5, (0, 2, 1 + air))
    made = printed(fin)
    assert [f.verdict for f in found(made, "ledge")] == ledges
    coarse = printed(block(20, 6, 0.9) + block(4, 6, 6) + block(20, 2, 5.1, (0, 2, 1.5)),
                     process=HERON.model_copy(update={"layer_height": 0.3, "first_layer_height": 0.3}))
    assert not found(coarse, "ledge"), "two layers of any height: rough below, and nothing to mend"


def pierced(radius):
    """A block with a round hole lying through it."""
    side = 3 * radius
    return block(side, 20, side) - cylinder(30, radius).rotate((90, 0, 0)).translate((side / 2, 25, side / 2))


def corbelled(reach):
    """A column that steps out by ``reach`` at 60° from vertical, on one side."""
    high = reach / math.tan(math.radians(60))
    corners = [(0, 6), (0, 0), (10, 0), (10, 6), (10 + reach, 6 + high), (10 + reach, 10), (0, 10)]
    return manifold3d.Manifold.extrude(manifold3d.CrossSection([corners]), 20).rotate((90, 0, 0))


@pytest.mark.trade
@pytest.mark.parametrize(("shape", "steep"), [
    (pierced(3.0), False), (pierced(12.0), True), (corbelled(0.7), False), (corbelled(6.0), True),
])
def test_short_steps_and_small_lying_holes_print_without_support(shape, steep):
    """A lying hole of 6 mm closes like a bridge, one of 24 mm does not; a flank of a fine thread's depth prints, a long one of
    the same slope droops (common practice, no source)."""
    assert bool(found(printed(shape), "overhang")) is steep


@pytest.mark.trade
def test_one_thin_layer_across_a_counterbore_turns_a_ring_into_a_bridge():
    """Common practice, no source: the ring round the hole hangs in the air; closed by one layer it is bridged."""
    counterbored = cylinder(8, 8) - cylinder(4, 4, z=-1) - cylinder(12, 1.5, z=-1)
    closed = cylinder(8, 8) - cylinder(4, 4, z=-1) - cylinder(12, 1.5, z=3.2)
    ring, bridged = printed(counterbored), printed(closed)

    assert [f.verdict for f in found(ring, "ledge")] == ["stop"]
    assert not found(bridged, "ledge")
    assert not [f for f in bridged.findings if f.verdict == "stop"]


# -- facts of the trade ------------------------------------------------------------------------------------------------


def freed(bodies, axis=True, process=HERON):
    return judge(loose.job_of(bodies, process, Freedom("turn", (0, 0, 0), (0, 0, 1)) if axis else None)).freeing


@pytest.mark.trade
@pytest.mark.parametrize(("gap", "classes"), [
    (0.10, {"welded"}), (0.15, {"welded"}), (0.20, {"welded", "needs a tool"}), (0.30, {"needs a tool", "frees by hand"}),
    (0.50, {"free"})])
def test_a_printed_in_bearing_follows_the_ladder(gap, classes):
    """0.15 welded solid, 0.2 hard, 0.3 frees after knocks, 0.4 easily, 0.5 works everywhere (common practice, no source)."""
    assert freed(parts.bearing(gap)).outcome in classes


@pytest.mark.trade
@pytest.mark.parametrize(("layers", "classes"), [
    (0, {"welded"}), (1, {"needs a tool"}), (2, {"frees by hand"}), (3, {"frees by hand", "free"}),
    (4, {"frees by hand", "free", "rattles"})])
def test_a_lid_over_empty_layers(layers, classes):
    """Laid on it welds, one layer needs a tool, 0.3 to 0.4 comes off by hand (common practice, no source)."""
    assert freed(parts.lidded(layers), axis=False).outcome in classes


@pytest.mark.trade
def test_thinner_layers_allow_smaller_gaps_and_a_foot_welds_without_a_chamfer():
    """Common practice, no source."""
    fine = HERON.model_copy(update={"layer_height": 0.1, "first_layer_height": 0.1})
    assert freed(parts.bearing(0.24), process=fine).by_hand > freed(parts.bearing(0.24)).by_hand + 0.1
    shaft, ring = cylinder(8, 5), cylinder(8, 10) - cylinder(10, 5.3, z=-1)
    chamfered = {"shaft": shaft ^ cylinder(8.4, 4.6, 13), "ring": ring - cylinder(0.4, 5.7, 5.3)}
    square = freed({"shaft": shaft, "ring": ring})
    assert square.by_hand < 0.7
    assert freed(chamfered).by_hand > 0.9
    assert square.strength.weakest == "the shaft of shaft"
    assert deposit(HERON, 0).outline == pytest.approx(0.2)
    assert isinstance(HERON, Process)


def test_a_thin_bore_strips_before_the_weld_gives():
    """A key in a wide bore: shear on the wall, 20 MPa · 2πr²·L at its inner face, is less than a tool gives."""
    thin = {"core": cylinder(2, 5) - cylinder(4, 4.4, z=-1), "ring": cylinder(2, 20) - cylinder(4, 5.02, z=-1)}
    found_free = freed(thin)
    assert found_free.strength.part == pytest.approx(20 * 2 * math.pi * 4.4**2 * 2, rel=0.25)
    assert found_free.strength.weakest == "the bore of core"
    assert found_free.chances[0] > 0.8


@pytest.mark.parametrize("facets", [6, 12, 24, 96])
def test_stairs_are_those_of_the_curve_however_finely_a_mesh_is_cut(facets):
    """A fillet of 8 mm is flatter than 12.5° (two lines of 0.45 a layer of 0.2) over 8·(1 − cos 12.5°) = 0.19 mm, less than
    a layer; one of 12 mm over 0.285 mm and an arc of 12·12.5° = 2.6 mm. A dome of 20 mm is so on 2π·20²·(1 − cos 12.5°),
    60 mm².
    """
    def filleted(radius):
        around = np.linspace(0, math.pi / 2, facets + 1)
        arc = [(40 - radius + radius * math.cos(a), 20 - radius + radius * math.sin(a)) for a in around]
        return manifold3d.CrossSection([np.array([(0, 0), (40, 0), *arc, (0, 20)])]).extrude(40).rotate((90, 0, 0))

    def stairs(body):
        slices = Slices(body, layer_middles(body.bounding_box()[5], HERON))
        return bed.stairs("x", slices, HERON)

    assert stairs(filleted(8)) == []
    (seen,) = stairs(filleted(12))
    assert seen.extent == pytest.approx(40 * 12 * math.radians(12.53), rel=0.08)
    rise = 30 * math.tan(math.radians(6))
    wedge = manifold3d.CrossSection([np.array([(0, 0), (40, 0), (40, 4), (10, 4 + rise), (0, 4 + rise)])])
    (ramp,) = stairs(wedge.extrude(20).rotate((90, 0, 0)))
    assert ramp.value == pytest.approx(6, abs=0.1)
    assert ramp.extent == pytest.approx(20 * 30 / math.cos(math.radians(6)), rel=0.01)
    if facets >= 24:
        dome = Solid.sphere(20, 2 * facets).trim_by_plane((0, 0, 1), 0)
        (cap,) = stairs(dome)
        assert cap.extent == pytest.approx(2 * math.pi * 400 * (1 - math.cos(math.radians(12.53))), rel=0.06)
