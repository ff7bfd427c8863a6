"""The probability model against SciPy and against brute force, and the facts of the trade it must reproduce."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy import integrate, optimize, special, stats

from bouncy_latch.core import numbers
from bouncy_latch.core.freedom import TURN, Freedom
from bouncy_latch.core.layers import bonding, facing
from bouncy_latch.core.layers.bonding import TOUCH
from bouncy_latch.core.layers.breakaway import HAND_FORCE, Resistance, cure, outcome_chances
from bouncy_latch.core.layers.facing import Facing, Strength, bed_faces, moments
from bouncy_latch.core.layers.freedom import Held, freed
from bouncy_latch.core.layers.joint import Joint, Place
from bouncy_latch.core.layers.likelihood import PrintedInPlace
from bouncy_latch.core.layers.predict import predict
from bouncy_latch.core.learn.calibration import situations
from bouncy_latch.core.numbers import about_cdf, closed_in
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Policy, Spread
from bouncy_latch.core.solids import mesh as solids
from bouncy_latch.core.solids import tree

STRENGTH = Strength(hand=300, tool=1200, part=900)
VALUES = np.linspace(0, 0.8, 161)


@pytest.mark.parametrize(("curve", "step"), [
    (lambda x: x - 0.3137, 0.0), (lambda x: math.exp(9 * x) - 2, 0.0), (lambda x: math.copysign(1, x - 0.77), 0.0),
    (lambda x: math.inf if x > 0.5003 else x - 0.9, 0.0), (lambda x: (x - 0.2) ** 3 + 1e-3 * (x - 0.2), 0.0),
    (lambda x: 40 * (x - 0.4317), 0.05), (lambda x: math.copysign(1, x - 0.6), 0.05)])
def test_a_limit_is_closed_in_where_scipy_finds_the_root(curve, step):
    """Against a plain bisection of the library's; both ends are as near as asked for, and few steps are taken."""
    asked = []

    def off(x):
        asked.append(x)
        return curve(x)

    tolerance = 0.002
    inside, outside = closed_in(off, (0.0, curve(0.0)), (1.0, curve(1.0)), tolerance, step)
    assert 0 < outside - inside <= max(tolerance, 1.01 * step)
    assert curve(inside) <= 0 < curve(outside)
    root = optimize.bisect(lambda x: min(curve(x), 1e6), 0.0, 1.0)
    assert inside - 1e-9 <= root <= outside + 1e-9
    assert len(asked) <= 2 * math.ceil(math.log2(1 / max(tolerance, step))), "twice what halving takes at worst"
    if step:
        assert all(abs(x / step - round(x / step)) < 1e-9 for x in asked)


def test_the_normal_distribution_is_scipys():
    x = np.linspace(-8, 8, 401)

    assert np.allclose(numbers.cdf(x), special.ndtr(x), atol=1e-15)


@pytest.mark.parametrize(("tilt", "gap", "growth"), [
    (0.0, 0.12, 0.05), (0.6, 0.2, 0.05), (math.pi / 4, 0.22, 0.08), (1.3, 0.18, 0.02)])
def test_expected_weld_area_is_the_integral_over_the_edge_noise(heron, tilt, gap, growth):
    """SciPy quadrature over the noise: a ring o wide holds with o − t(1 − exp(−o/t)), a contact d deep with 1 − exp(−d/t)."""
    face = Facing("f", 10.0, tilt, gap, 3.0)
    stacked, side = (float(part[0, 0]) for part in facing.weld_areas([face], heron, np.array([growth])))
    h = heron.layer_height
    noise = stats.norm(0, math.sqrt(2) * heron.edge_noise * max(math.cos(tilt), 0.05))
    meets = 2 * growth * math.cos(tilt) - gap

    def mean(what, margin):
        return integrate.quad(lambda x: what(margin + x) * noise.pdf(x), max(-0.4, -margin), 0.4, limit=200)[0]

    laid = mean(lambda o: o - TOUCH * (1 - math.exp(-o / TOUCH)), h * math.sin(tilt) + meets)
    assert stacked == pytest.approx(10 * min(math.sin(tilt), laid / h), rel=1e-6, abs=1e-9)
    assert side == pytest.approx(10 * math.cos(tilt) * mean(lambda d: 1 - math.exp(-d / TOUCH), meets), rel=1e-6, abs=1e-9)


def test_what_merely_touches_is_a_depth_drawn_from_an_exponential_distribution():
    """Both forms are the bare contact at a depth less by a length of mean t: by quadrature and by the six nodes."""
    nodes, weights = bonding.depth_nodes()
    for depth in (0.02, 0.06, 0.2):
        share, width = 1 - math.exp(-depth / TOUCH), depth - TOUCH * (1 - math.exp(-depth / TOUCH))
        assert integrate.quad(lambda x: math.exp(-x / TOUCH) / TOUCH, 0, depth)[0] == pytest.approx(share)
        by_less = integrate.quad(lambda x, d=depth: (d - x) * math.exp(-x / TOUCH) / TOUCH, 0, depth)[0]
        assert by_less == pytest.approx(width)
        assert float(np.maximum(depth - nodes, 0) @ weights) == pytest.approx(width, abs=0.12 * TOUCH)


@pytest.mark.parametrize(("depth", "width", "beta"), [(5.0, 8.0, 0.2), (4.0, 6.0, 0.26)])
def test_a_thin_ring_peels_over_the_length_of_a_beam_on_an_elastic_foundation(depth, width, beta):
    """Hetényi 1946, the infinite beam: q_max = P·β/2, β⁴ = k/(4EI), by finite differences of E·I·d⁴w/dx⁴ + k·w = P."""
    modulus, k = 2300.0, 2300.0 * 0.2 / 0.3
    bending = modulus * width * depth**3 / 12
    own = (k / (4 * bending)) ** 0.25
    step = 0.1
    count = 2 * round(8 / own / step) + 1
    fourth = sum(np.diag(np.full(count - abs(i), c), i) for i, c in ((-2, 1), (-1, -4), (0, 6), (1, -4), (2, 1)))
    load = np.zeros(count)
    load[count // 2] = 1 / step
    down = np.linalg.solve(bending / step**4 * fourth + k * np.eye(count), load)
    assert k * down.max() == pytest.approx(own / 2, rel=0.01)
    assert own == pytest.approx(beta, abs=0.02)
    assert pytest.approx(2 / own, rel=0.4) == bonding.PEEL_FRONT


def test_how_a_foot_fades_hardly_counts_for_what_stands_square(heron):
    """The foot at which a bearing of 9 mm comes by hand, fading by 0.35 to 0.65 from layer to layer."""
    feet, limit = np.linspace(0.0, 0.5, 101), math.log(280.0)
    for gap in (0.35, 0.45):
        faces = bed_faces("first layers", 2 * math.pi * 9, gap, 9.0, heron, (0.0, 0.0), math.pi / 4)
        found = []
        for fade in (0.35, 0.5, 0.65):
            faded = [replace(face, foot=faces[0].foot * fade**layer) for layer, face in enumerate(faces)]
            held = moments(faded, heron, np.full(len(feet), 0.05), feet)
            found.append(float(np.interp(limit, np.log(np.maximum(held, 1e-9)), feet)))
        assert np.ptp(found) < 0.006


def test_the_quick_normal_distribution_is_within_what_its_authors_say():
    x = np.linspace(-8, 8, 4001)
    assert np.abs(about_cdf(x) - stats.norm.cdf(x)).max() < 1.5e-4


def test_a_chamfer_makes_a_foot_harmless_and_says_which(heron):
    """By hand at mid-layer: insets C − (i + ½)h, feet e/2^i; a chamfer of two layers frees a gap of 0.4 stuck when square."""
    squashed = heron.model_copy(update={"elephant_foot": Spread(mean=0.25, sd=0.05)})

    def by_hand(chamfer: float) -> float:
        faces = [Facing("wall", 20, 0, 0.4, 6), *facing.bed_faces("bed", 50, 0.4, 6, squashed, (chamfer, chamfer))]
        return facing.freeing(faces, squashed, Strength(100, 400, 900)).by_hand

    found = cure(by_hand(0), 0.2, 0.2, by_hand)
    assert by_hand(0) < 0.5 < 0.99 < found.by_hand
    assert str(found).startswith("a 0.4 chamfer on the bed edges frees it")
    assert cure(0.96, 0.2, 0.2, by_hand) is None
    # The sliced solids say the same of two blocks with square edges.
    blocks = {"left": solids.evaluate(tree.Box(-6, 0, 0, 0, 50, 6)), "right": solids.evaluate(tree.Box(0.4, 0, 0, 6, 50, 6))}
    sliced = freed(predict(blocks, squashed), squashed, [Held(lambda point: 6.0, Strength(100, 400, 900), 0.4)])
    assert sliced.by_hand == pytest.approx(by_hand(0), abs=0.1)
    assert sliced.cure.chamfer == found.chamfer
    faces = facing.bed_faces("bed", 50, 0.2, 6, heron, (0.4, 0.4))
    assert [face.gap for face in faces] == pytest.approx([0.2 + 2 * inset for inset in (0.3, 0.1, 0, 0)][-len(faces):])
    assert all(face.area == pytest.approx(bonding.PEEL_FRONT * 0.2) for face in faces)


@pytest.mark.parametrize("gap", [0.17, 0.21, 0.25])
def test_chances_are_those_of_many_printers(heron, solved, gap):
    """Brute force: growth and bond strength drawn 40,000 times, each printer judged by itself."""
    solution = solved(gap=gap)
    rng = np.random.default_rng(20260902)
    growth = rng.normal(heron.growth.mean, heron.growth.sd, 40_000)
    stacked, side = facing.weld_areas(solution.joints[0].faces, heron, growth)
    arm = np.array([f.lever for f in solution.joints[0].faces])[:, None]
    moment = ((stacked * heron.bond_stacked + side * heron.bond_side) * arm).sum(axis=0)
    moment = moment * rng.lognormal(0, heron.bond_spread, 40_000)
    strength = solution.freeing.strength
    limits = [strength.unfelt, min(strength.hand, strength.tool, strength.part), min(strength.tool, strength.part)]
    free, by_hand, by_tool = ((moment < limit).mean() for limit in limits)

    found = solution.freeing.chances
    # 40,000 draws have a standard error of at most 0.0025; the rest is the quadrature over growth (25 nodes).
    assert found[0] == pytest.approx(1 - by_tool, abs=0.02)
    assert found[1] == pytest.approx(by_tool - by_hand, abs=0.02)
    assert found[2] == pytest.approx(by_hand - free, abs=0.02)
    assert found[3] + found[4] == pytest.approx(free, abs=0.02)


@pytest.mark.parametrize("situation", situations.SITUATIONS, ids=lambda s: s.id)
@pytest.mark.parametrize("policy", Policy)
def test_zones_are_chances_in_order(heron, situation, policy):
    found = situations.situation_zones(situation, population.effective(heron, policy), VALUES)

    assert np.allclose(found.chances.sum(axis=1), 1, atol=1e-6)
    assert found.chances.min() >= -1e-9
    # The least free outcome only loses as the gap grows, the freest only gains; but a bolt's core gets thinner and bears less.
    assert (np.diff(found.chances[:, 0]) <= (1e-3 if situation.thread else 1e-6)).all()
    assert (np.diff(found.chances[:, -1]) >= (-1e-3 if situation.thread else -1e-6)).all()


def likeliest(heron, situation_id, gap):
    situation = next(s for s in situations.SITUATIONS if s.id == situation_id)
    found = situations.situation_zones(situation, heron, np.array([gap]))
    return found.scale.names[int(found.chances[0].argmax())]


@pytest.mark.trade
@pytest.mark.parametrize(("situation", "gap", "outcome"), [
    ("place-slope", 0.12, "welded"), ("place-slope", 0.4, "free"), ("place-droop", 0.4, "free"), ("place-wall", 0.3, "free"),
    ("place-flat", 0.15, "needs a tool"), ("place-flat", 0.42, "free"),
])
def test_habits_of_the_trade_come_out(heron, situation, gap, outcome):
    """In place: below 0.15 welds, 0.4 is free (common practice, no source)."""
    assert likeliest(heron, situation, gap) == outcome


@pytest.mark.trade
@pytest.mark.parametrize("situation_id", ["place-droop", "place-flat"])
@pytest.mark.parametrize("policy", Policy)
def test_what_hangs_is_given_four_to_five_tenths(heron, situation_id, policy):
    """0.4 to 0.5 under drooping faces and lids of an ordinary span (common practice, no source)."""
    situation = next(s for s in situations.SITUATIONS if s.id == situation_id)
    found = situations.recommendation(situation, "moves", population.effective(heron, policy))
    assert 0.38 <= found.gap <= 0.55
    assert found.chance > 0.85


@pytest.mark.parametrize("span", [6.0, 12.0, 20.0])
@pytest.mark.parametrize("gap", [0.3, 0.5])
def test_a_lid_over_a_flat_is_judged_as_its_sliced_solids_are(heron, span, gap):
    """Mean of lids at ten heights, since a gap may meet the layers anyhow; the lid stands on two legs."""
    flat = next(s for s in situations.SITUATIONS if s.span)
    hand = Strength(HAND_FORCE, 4 * HAND_FORCE, math.inf, "N", 1.0)
    half, seen = span / 2, []
    for base in 3 + 0.02 * np.arange(10) + 0.01:
        top = base + gap
        lid = tree.union([tree.Box(-half - 3, 0, top, half + 3, span, top + 2), tree.Box(-half - 3, 0, 0, -half, span, top),
                          tree.Box(half, 0, 0, half + 3, span, top)])
        bodies = {"flat": solids.evaluate(tree.Box(0.8 - half, 0, 0, half - 0.8, span, base)), "lid": solids.evaluate(lid)}
        held = [Held(lambda _: 1.0, hand, gap, across=True)]
        seen.append(freed(predict(bodies, heron), heron, held).by_hand)
    said = situations.situation_zones(situations.spanning(flat, span), heron, np.array([gap])).chances[0, 2:].sum()
    assert said == pytest.approx(np.mean(seen), abs=0.1)


@pytest.mark.trade
def test_holes_print_small_and_small_holes_worst(heron):
    """Common practice, no source."""
    shrinks = [heron.hole_shrink(r) for r in (0.5, 1, 2, 5, 20)]

    assert shrinks == sorted(shrinks, reverse=True)
    assert shrinks[-1] > 0


@pytest.mark.trade
def test_half_a_millimetre_works_on_most_printers_and_a_fifth_does_not(heron, solved):
    """0.5 "works on most printers" (common practice, no source); the population is wider than any one printer."""
    anyone = population.effective(heron, Policy.ANYONE)

    assert solved(process=anyone, gap=0.5).freeing.by_hand > 0.95
    assert solved(process=anyone, gap=0.2).freeing.by_hand < 0.6
    for name in ("growth", "hole_term", "elephant_foot", "shrinkage", "sag"):
        assert getattr(anyone, name).sd > getattr(heron, name).sd
    assert population.effective(heron, Policy.MINE) is heron


def test_a_tool_never_gives_more_than_the_part_survives(heron):
    """A joint that breaks first counts as welded: weakening the part can only move chance that way."""
    face = Facing("f", 30.0, math.pi / 4, 0.18, 3.0)
    strong, weak = (facing.freeing([face], heron, Strength(300, 1200, part)) for part in (5000.0, 350.0))

    assert weak.chances[0] > strong.chances[0]
    assert weak.by_hand <= strong.by_hand + 1e-9


def test_a_known_printer_has_sharp_edges_only_by_its_bond(heron):
    certain = heron.model_copy(update={"growth": Spread(mean=0.05, sd=0.0), "bond_spread": 0.0})
    face = Facing("f", 30.0, math.pi / 4, 0.15, 3.0)
    found = facing.freeing([face], certain, STRENGTH)

    assert max(found.chances) == pytest.approx(1, abs=1e-6)
    areas = facing.weld_areas([face], certain, np.array([0.05]))
    assert found.weld_area == pytest.approx(sum(float(part.sum()) for part in areas), rel=1e-9)


@pytest.mark.parametrize("first", [0.2, 0.3])
def test_a_thicker_first_layer_steps_further_under_the_next_one(heron, first):
    """By hand: on a 45° slope the second layer's edge lies half of both heights further out, and both feet meet it."""
    process = heron.model_copy(update={"first_layer_height": first, "edge_noise": 1e-4,
                                       "growth": Spread(mean=0.05, sd=0.0), "elephant_foot": Spread(mean=0.2, sd=0.0)})
    face = facing.bed_faces("first layers", 6.0, 0.3, 9.0, process, (0.0, 0.0), math.pi / 4)[0]
    laid = float(facing.weld_areas([face], process, np.array([0.05]))[0][0, 0])
    across = (first + 0.2) / 2 * math.sin(math.pi / 4) + (2 * 0.05 + 1.5 * 0.2) * math.cos(math.pi / 4) - 0.3
    across = min(across - TOUCH * (1 - math.exp(-across / TOUCH)), (first + 0.2) / 2 * math.sin(math.pi / 4))
    assert laid == pytest.approx(6.0 * across / math.cos(math.pi / 4), rel=1e-3)


@pytest.mark.parametrize("part", [0.0, 0.4, 1.0])
def test_how_much_peels_at_a_time_spreads_what_first_layers_hold(part):
    """Against many prints: bonds and fronts drawn independently, each lognormal."""
    rng, bond, moment = np.random.default_rng(15), 0.35, 250.0
    fronts = np.exp(bonding.PEEL_SPREAD * rng.normal(size=200_000))
    drawn = moment * np.exp(bond * rng.normal(size=200_000)) * (1 - part + part * fronts)
    held = Resistance(np.array([moment]), np.array([0.2]), STRENGTH, np.array([part * moment]))
    said = np.cumsum(outcome_chances([held], np.ones(1), bond)[::-1])[2]
    assert said == pytest.approx(float((drawn <= STRENGTH.hand).mean()), abs=0.03)


def test_what_lies_across_the_layers_loses_no_play_to_outlines(heron):
    """A lid's gap is as drawn however fat its outlines are; a wall's is what growth and ridges of both leave."""
    fat = heron.model_copy(update={"growth": Spread(mean=0.15, sd=0.0), "ridge": Spread(mean=0.05, sd=0.0)})
    lid, wall = (facing.freeing([Facing("gap", 50, tilt, 0.5, 3)], fat, STRENGTH, play=0.5 + less).tight
                 for tilt, less in ((math.pi / 2, 0.0), (0.0, -0.4)))
    assert (lid, wall) == pytest.approx((0.5, 0.5), abs=1e-6)
    # Half of all lids rattle at a gap of a half, by its surfaces, by the sliced solids and by what outcomes teach.
    plates = {"pad": solids.evaluate(tree.Box(0, 0, 0, 10, 10, 4)), "lid": solids.evaluate(tree.Box(0, 0, 4.5, 10, 10, 7))}
    faces = (Facing("gap", 0.01, math.pi / 2, 0.5, 3),)
    joint = Joint("lid", "lid", Freedom(TURN), faces, STRENGTH, (Place(("pad", "lid")),))
    sliced = freed(predict(plates, fat, judge=False), fat, [Held(lambda _: 3.0, STRENGTH, 0.5, across=joint.across)])
    taught = PrintedInPlace((joint,), fat).chances(np.array([0.15]), np.zeros(1))
    assert (facing.freeing(faces, fat, STRENGTH).chances[4], sliced.chances[4], taught[0, 0, 4]) == pytest.approx(
        (0.5, 0.5, 0.5), abs=1e-6)
