"""Springs against Castigliano's theorem, Winkler–Bach's factor, and plane-stress elements of the same bar."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
import shapely
from scipy.special import ellipe, ellipeinc, ellipk, ellipkinc

from bouncy_latch.core.errors import ParamError, SolveError
from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.host import EDGE
from bouncy_latch.core.flex.pair import Pair
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.flex.winding import FREE, LEVEL, Winding
from bouncy_latch.core.learn.posterior.belief import learn
from bouncy_latch.core.learn.posterior.weighed import weighed
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.springs import fin_ring
from bouncy_latch.core.mechanisms.springs.zigzag import Plan
from bouncy_latch.core.process import population
from bouncy_latch.core.process.evidence import Reading
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.solids.outline import Edge
from bouncy_latch.core.trial import alone
from tests import plane_fem, riding_fem

SOLID = Fill(50, 0.4, 1.0, 50)
E = 2000.0
SERPENTINES = [(12, 1.5, 1.0, 5, 4), (20, 2.5, 1.2, 6, 5), (5, 1.2, 1.2, 4, 3)]
HERON = population.built_in()[0]
KIND, LEAF, FINS = (registry.kind(name) for name in ("zigzag-spring", "leaf-spring", "fin-ring"))


def serpentine(leg, radius, cells):
    """Two half legs and what is between them, the ends on the line through the legs' middles."""
    edges, y, side = [Edge(0, 0, leg / 2, 0, 0.0)], 0.0, 1.0
    for cell in range(cells):
        edges.append(Edge(side * leg / 2, y, side * leg / 2, y + 2 * radius, side))
        y += 2 * radius
        edges.append(Edge(side * leg / 2, y, 0.0 if cell == cells - 1 else -side * leg / 2, y, 0.0))
        side = -side
    return tuple(edges)


@pytest.mark.parametrize(("leg", "radius", "thickness", "width", "cells"), SERPENTINES)
def test_small_stretch_is_castiglianos(leg, radius, thickness, width, cells):
    """1/k = N·[a³/12 + π·a²·r/4 + 2·a·r² + π·r³/2]/(E·I), bending only, ends free to turn (Castigliano's theorem;
    S. Timoshenko, *Strength of Materials* II); stress at the crown 6·M·K/(b·t²) + F/(b·t) with M = F·(a/2 + r)."""
    bar = Winding(serpentine(leg, radius, cells), thickness, width, SOLID, E, hold=FREE)
    moment = width * thickness**3 / 12
    soft = cells * (leg**3 / 12 + math.pi * leg**2 * radius / 4 + 2 * leg * radius**2 + math.pi * radius**3 / 2) / (E * moment)
    _, force, strain = bar.pulled(np.array([1e-3]))
    # Short thick bars also stretch and shear, which the formula leaves out.
    assert force[0] / 1e-3 * soft == pytest.approx(1.0, abs=0.015 if leg / thickness > 10 else 0.05)
    crown = 6 * (leg / 2 + radius) / (width * thickness**2) * beams.curved_factor(radius - thickness / 2, thickness)
    assert E * strain[0] / force[0] == pytest.approx(crown + 1 / (width * thickness), rel=0.01)


def squared():
    """The bar of a zig-zag with square turns, as a nozzle rounds them."""
    return Plan(KIND.params().changed(turn_form="square", rows=4, row_length=14, tab=4), HERON).bars(), 1.2, 6


@pytest.mark.parametrize(("edges", "thickness", "width"), [
    *((serpentine(leg, radius, cells), thickness, width) for leg, radius, thickness, width, cells in SERPENTINES), squared()])
def test_a_held_serpentine_is_what_plane_stress_elements_are(edges, thickness, width):
    force, strain = plane_fem.swept_bar(*plane_fem.centre_line(edges), thickness, width, E, 0.01)
    _, ours, strained = Winding(edges, thickness, width, SOLID, E, plane_fem.POISSON).pulled(np.array([0.01]))
    assert ours[0] / force == pytest.approx(1.0, abs=0.05)
    assert strained[0] / strain == pytest.approx(1.0, abs=0.1)


@pytest.mark.parametrize("slope", [0.1, 0.4, 0.9])
def test_a_level_leaf_is_two_elastica_of_half_its_length(slope):
    """A cantilever under an end load turns by ``slope`` there (K. E. Bisshopp & D. C. Drucker, Q. Appl. Math. 3, 1945)."""
    length, thickness, width = 60.0, 0.8, 5.0
    k = math.sqrt((1 + math.sin(slope)) / 2)
    theta = math.asin(1 / (k * math.sqrt(2)))
    alpha = ellipk(k * k) - ellipkinc(theta, k * k)
    half = length / 2
    down = half * (1 - 2 / alpha * (ellipe(k * k) - ellipeinc(theta, k * k)))
    along = half * math.sqrt(2 * math.sin(slope)) / alpha
    leaf = Winding(tuple(Edge(length * i / 8, 0, length * (i + 1) / 8, 0, 0.0) for i in range(8)), thickness, width, SOLID, E,
                   hold=LEVEL)
    moved, force, _ = leaf.pulled(np.array([2 * down]))
    assert force[0] == pytest.approx(alpha**2 * E * width * thickness**3 / 12 / half**2, rel=0.01)
    assert -moved[0, -1, 0] == pytest.approx(2 * (half - along), rel=0.02)


def test_a_level_leaf_far_aside_is_what_plane_stress_elements_are():
    """To a third of its length aside: force within 5 %, peak strain within 10 %, how far its end comes nearer within 2 %."""
    length, thickness, width = 40.0, 1.2, 6.0
    travels = np.array([2.0, 6.0, 13.0])
    force, nearer, strain = plane_fem.level_leaf(length, thickness, width, E, travels)
    leaf = Winding(tuple(Edge(length * i / 4, 0, length * (i + 1) / 4, 0, 0.0) for i in range(4)), thickness, width, SOLID, E,
                   plane_fem.POISSON, LEVEL)
    moved, ours, strained = leaf.pulled(travels)
    assert ours == pytest.approx(force, rel=0.05)
    assert -moved[:, -1, 0] == pytest.approx(nearer, rel=0.02)
    assert strained == pytest.approx(strain, rel=0.1)


@pytest.mark.parametrize(("length", "thickness", "apart", "fillet", "travels"), [
    (50, 1.2, 6, 1.0, (2.4, 8)), (30, 1.2, 10, 0.6, (2, 8))])
def test_two_leaves_far_aside_share_their_load_as_elements_do(length, thickness, apart, fillet, travels):
    """Blocks and fillets drawn, pushed where the leaves end: one is stretched. Force within 3 %, strain within 10 %."""
    width, blocks = 8.0, 10.0
    reach, quarter = apart / 2 + thickness / 2 + fillet + 1, np.linspace(0, np.pi / 2, 9)
    parts = [shapely.box(-blocks, -reach - 5, 0, reach + 5), shapely.box(length, -reach, length + blocks, reach)]
    for y in (-apart / 2, apart / 2):
        parts.append(shapely.box(-0.1, y - thickness / 2, length + 0.1, y + thickness / 2))
        for root, way in ((0, fillet), (length, -fillet)):
            for side in (-1, 1):
                face = y + side * thickness / 2
                around = [(root + way * (1 - np.sin(a)), face + side * fillet * (1 - np.cos(a))) for a in quarter]
                parts.append(shapely.Polygon([(root, face), (root + way, face), *around]).buffer(1e-6))

    def size(x, y):
        near = np.minimum(np.abs(x), np.abs(x - length)) < 2 * fillet
        return np.where(near, fillet / 4, np.where((x > -1) & (x < length + 1), thickness / 2, 2.0))

    body = riding_fem.Pressed(riding_fem.triangles(shapely.union_all(parts).simplify(1e-4), size), width, E,
                              lambda x, y: np.isclose(x, -blocks), lambda x, y: np.isclose(x, length + blocks))
    half = length / 2
    leaf = Winding((Edge(0, 0, half, 0, 0.0), Edge(half, 0, length, 0, 0.0)), thickness, width, SOLID, E, riding_fem.POISSON,
                   LEVEL, fillet)
    ours, alone = Pair(leaf, apart).pushed(np.array(travels)), leaf.pulled(np.array(travels))[2]
    for force, strain, travel in zip(ours.force, ours.strain, travels, strict=True):
        assert force == pytest.approx(body.led((length, 0.0), travel, math.ceil(travel)), rel=0.03)
        surface = body.surface_strain(lambda x, y: (x > -1) & (x < length + 1) & (np.hypot(x - length, y) > 1.2))
        assert strain == pytest.approx(surface, rel=0.1)
    assert ours.strain[-1] > 1.07 * alone[-1], "one leaf bears more than half"


@pytest.mark.parametrize(("kind", "sizes"), [
    (KIND, {"rows": 1, "travel": 2}), (KIND, {"rows": 2, "travel": 2}),
    (KIND, {"rows": 1, "travel": 1, "thickness": 1.6, "row_length": 40, "pitch": 12, "tab": 10}), (FINS, {}),
    (FINS, {"thickness": 2.4, "length": 24, "depth": 12, "opening": 120, "travel": 0.6})])
def test_a_bar_out_of_a_corner_is_what_elements_of_the_drawing_are(kind, sizes):
    """Tabs, roots on the core, and fillets as drawn: force within 5 %, strain within 8 %."""
    solution = exact(kind, **sizes)
    p, tiny = solution.params, 1e-3
    plan = (Plan if kind is KIND else fin_ring.Plan)(p, solution.process)
    drawn = shapely.union_all([each.polygon.buffer(1e-6) for each in plan.flat])
    if kind is KIND:
        bar, way, body, end, corner = plan.winding, 1, drawn, plan.top + p.tab, (p.tab / 2, -p.thickness / 2)

        def held(x, y):
            return np.isclose(y, -p.tab, atol=1e-5) | moves(x, y)

        def moves(x, y):
            return np.isclose(y, end, atol=1e-5)
    else:
        (root, tip), core = plan.line, shapely.Point(0, 0).buffer(plan.core, 256)
        behind = shapely.Point(root.x0, root.y0).buffer(14).intersection(core)
        bar, way, body = plan.sprung.winding, -1, shapely.union_all([drawn, behind])
        foot = plan.flat[2].polygon.centroid
        corner = (foot.x, foot.y)

        def held(x, y):
            return (np.hypot(x, y) < plan.core + 1e-3) & (np.hypot(x - root.x0, y - root.y0) > 13.9)

        def moves(x, y):
            off = np.hypot(x - tip.x1, y - tip.y1)
            return off < off.min() + 1e-9
    near = 2 * plan.fillet + 0.5

    def size(x, y):
        bends = np.where(beside(x, y), p.thickness / 5, 1.5)
        return np.where(np.hypot(np.abs(x) - abs(corner[0]), y - corner[1]) < near, plan.fillet / 4, bends)

    def beside(x, y):
        return np.abs(x) > p.tab / 2 - 0.05 if kind is KIND else shapely.contains_xy(drawn.buffer(0.1), x, y)

    elements = riding_fem.Pressed(riding_fem.triangles(body.simplify(1e-3), size), p.width, bar.modulus, held,
                                  lambda x, y: y > -1e3)
    _, force, strain = bar.pulled(np.array([way * tiny]))
    assert abs(force[0]) / tiny == pytest.approx(elements.stiffness(moves, tiny), rel=0.05)
    found = elements.surface_strain(beside if kind is KIND else lambda x, y: np.hypot(x - corner[0], y - corner[1]) < near)
    assert strain[0] == pytest.approx(found, rel=0.08)


@pytest.mark.trade
def test_square_turns_raise_the_strain_by_what_their_inner_radius_costs():
    """Never square (common practice, no source); by Winkler–Bach's factor of the inner radius, at the same moment."""
    sizes = {"rows": 8, "row_length": 18, "pitch": 4, "travel": 4}
    round_, square = (exact(turn_form=form, **sizes) for form in ("round", "square"))
    # The bar reaches as far out with either; its moment at the turn is nearly the same.
    factor = beams.curved_factor(0.2, 1.2) / beams.curved_factor(1.4, 1.2)
    per_newton = [each.value("strain") / each.value("force") for each in (square, round_)]
    assert per_newton[0] / per_newton[1] == pytest.approx(factor, rel=0.08)
    assert square.check("turns-round").verdict == "look"
    assert square.check("turns-round").instead == (("turn_form", "round"),)


def exact(kind=KIND, **sizes):
    """A spring printed as drawn, solid."""
    process = HERON.model_copy(update={"growth": Spread(mean=0.0, sd=0.0), "infill": 100.0})
    return kind.solve(kind.params().changed(**sizes), process)


@pytest.mark.parametrize(("form", "times", "fillet"), [("single", 3, 0.6), ("two parallel", 24, 0.6), ("folded", 12, 0.6)])
def test_leaves_are_a_little_softer_than_the_handbooks(form, times, fillet):
    """3·E·I/L³, 24·E·I/L³, of two pairs in a row 12·E·I/L³, from rigid walls; ours give way (O'Donnell 1960) and shear;
    the fillets at either end stiffen them."""
    kind = registry.kind("leaf-spring")
    found = exact(kind, form=form, length=60, thickness=1.2, width=6, travel=1, fillet=fillet)
    handbook = times * HERON.modulus.mean * 6 * 1.2**3 / 12 / 60**3
    assert 0.93 < found.value("rate") / handbook < 1.0
    assert found.value("shift") == (pytest.approx(0.6 / 60, rel=0.08) if form != "folded" else 0)
    assert (found.value("tilt") < 0.05) == (form != "single")
    far = exact(kind, form=form, length=60, thickness=1.2, width=6, travel=12, fillet=fillet)
    assert far.motion.course.curves["force"][-1] > 12 * far.value("rate")
    body = mesh.evaluate(found.bodies["A"])
    if form == "folded":
        moved = mesh.warped(mesh.refined(found.bodies["A"], 1.0), far.motion.bends(12.0)["A"])
        assert moved.volume() == pytest.approx(body.volume(), rel=1e-3)
        assert far.motion.bends(12.0)["A"](np.array([[-5.0, 0.0, 3.0], [63.0, 0.0, 3.0]])) == pytest.approx(
            np.array([[-5.0, 12.0, 3.0], [63.0 - 0.6 * 36 / 60, 6.0, 3.0]]), abs=0.05), "what it carries comes no nearer"
        return
    bars = 1 if form == "single" else 2
    reach = {1: 0.0, 2: 8.0}[bars] + 0.6 + fillet + 1
    assert body.volume() == pytest.approx(6 * (bars * 60 * 1.2 + 2 * reach * (12 + 10)), rel=0.01)


@pytest.mark.trade
def test_twice_as_high_is_twice_as_stiff_and_twice_as_thick_about_eight_times():
    """Common practice, no source."""
    rate = exact(thickness=1.0, pitch=6).value("rate")
    assert exact(thickness=1.0, pitch=6, width=12).value("rate") == pytest.approx(2 * rate, rel=1e-3)
    assert exact(thickness=2.0, pitch=6).value("rate") == pytest.approx(8 * rate, rel=0.1)
    assert exact(thickness=1.0, pitch=6, rows=18).value("rate") == pytest.approx(rate / 2, rel=0.1)


def test_its_figures_follow_from_its_course_and_its_solid():
    found = exact(travel=10, rows=9, cycles=1)
    course = found.motion.course
    force = course.curves["force"]
    assert course.values[0] == force[0] == 0
    assert course.values[-1] == 10
    assert all(a < b for a, b in pairwise(force))
    assert found.value("energy") == pytest.approx(float(np.trapezoid(force, course.values)), rel=1e-6)
    assert found.value("bar_gap") == pytest.approx(4 - 1.2)
    assert found.value("travel_solid") == pytest.approx(9 * (4 - 1.2))
    body = mesh.evaluate(found.bodies["A"])
    assert len(body.decompose()) == 1
    # As long as its bar, and two tabs: less where the bar begins inside of them.
    bars = 2 * (18 / 2 - 4) + 8 * 18 + 9 * math.pi * 2
    assert body.volume() == pytest.approx(6 * (1.2 * bars + 2 * 8 * 8.6), rel=0.01)
    notes = {name: dict(each.notes).get("Energy", "") for name, each in (
        ("weak", found), ("lively", exact(registry.kind("spiral-spring"), travel=2)))}
    assert notes["weak"] == "", "nothing is said of a few newton millimetres"
    assert "eye protection" in notes["lively"]
    low, _, high = (found.motion.course.bands["force"][0][-1], 0, found.motion.course.bands["force"][1][-1])
    assert low < force[-1] < high


@pytest.mark.parametrize(("kind", "sizes", "says"), [
    ("zigzag-spring", {"rows": 1, "travel": 9}, "all but a straight bar: that would be 12 mm longer"),
    ("zigzag-spring", {"pitch": 1.2}, "leave nothing between them"), ("zigzag-spring", {"tab": 17}, "leave nothing of rows"),
    ("zigzag-spring", {"action": "pressed", "travel": 26}, "it is solid at 25.2 mm"),
    ("zigzag-spring", {"ends": "eye", "eye": 7}, "leaves no wall"),
    ("zigzag-spring", {"room_length": 15}, "15 mm hold no spring: its tabs of 8 mm and one turn need 21.2"),
    ("zigzag-spring", {"force": 5.0, "rate_asked": 3.0}, "contradict each other over 8 mm"),
    ("zigzag-spring", {"force": 5.0, "energy_asked": 200.0}, "contradict each other"),
    ("ring-spring", {"inner_radius": 30}, "no room for arms"), ("ring-spring", {"arms": 12}, "find no room"),
    ("ring-spring", {"arm_form": "leaves", "travel": 2, "stopped": "no", "action": "button", "arms": 16}, "find no room"),
    ("ring-spring", {"action": "button", "travel": 20}, "not pushed 20 out of their plane"),
    ("fin-ring", {"depth": 29}, "leave no core"), ("fin-ring", {"length": 40}, "do not fit between core and opening"),
    ("fin-ring", {"fins": 60}, "touch each other"), ("side-spring", {"travel": 10}, "does not give 10"),
    ("side-spring", {"length": 6}, "no room for its nub"),
    ("side-spring", {"opening": 10, "length": 10}, "leave nothing of a lid"),
    ("leaf-spring", {"travel": 18}, "are not bent 18 mm aside"), ("leaf-spring", {"spacing": 3}, "no room for their fillets"),
    ("leaf-spring", {"fillet": 9, "length": 18, "travel": 1}, "leave nothing of a leaf")])
def test_what_is_no_spring_is_refused_in_a_sentence(kind, sizes, says):
    with pytest.raises(SolveError, match=says):
        exact(registry.kind(kind), **sizes)


def test_a_pressed_spring_meets_itself_before_it_is_solid():
    found = exact(action="pressed", travel=9, rows=6)
    reach = found.check("solid")
    assert reach.value < found.value("travel_solid")
    assert reach.verdict == "look"
    later = exact(action="pressed", travel=round(reach.value - 0.3, 1), rows=6)
    assert later.check("solid").verdict == "ok"


@pytest.mark.parametrize(("kind", "sizes"), [
    ("zigzag-spring", {"travel": 6}), ("zigzag-spring", {"action": "pressed", "travel": 4}), ("leaf-spring", {"travel": 3}),
    ("leaf-spring", {"form": "single", "travel": 3}), ("leaf-spring", {"form": "folded", "travel": 3}),
    ("zigzag-spring", {"ends": "eye"}), ("zigzag-spring", {"around": "a frame, floor and roof"}), ("ring-spring", {}),
    ("leaf-spring", {"around": "rails, floor and roof"}),
    ("spiral-spring", {"around": "a drum, floor and roof", "hand": "left"}),
    ("ring-spring", {"action": "button"}), ("ring-spring", {"arm_form": "leaves", "travel": 0.5}), ("fin-ring", {}),
    ("side-spring", {}), ("spiral-spring", {"travel": 1.5}), ("spiral-spring", {"anchor": "pin"})])
def test_the_painted_strain_is_the_verdicts(kind, sizes):
    """On the surface of the solid, where it is greatest; none in the middle of the bar, and none before it moves."""
    found = exact(registry.kind(kind), **sizes)
    motion = found.motions[0]
    points = np.asarray(mesh.arrays(mesh.evaluate(found.bodies["A"]).refine_to_length(0.6))[0])
    painted, at_rest = (motion.strains(value)["A"](points) for value in (motion.high, 0.0))
    check = next(each for each in found.checks if each.id == "strain")
    assert motion.stands == pytest.approx(check.limit)
    # A fillet's own peak is in the verdict only, as is that of a corner at an edge.
    fillet = {"leaf-spring": 1.0, "fin-ring": 0.6, "side-spring": HERON.line_width / 2}.get(kind, 0)
    peak = beams.fillet_factor(fillet, found.params.thickness) if fillet else 1.0
    peak *= EDGE.peak if kind == "fin-ring" else 1.0
    assert painted.max() == pytest.approx(check.value / check.limit / peak, rel=0.06)
    assert at_rest.max() < 1e-9
    assert np.mean(painted < 0.02) > 0.02, "tabs, blocks and arbors are not strained"


@pytest.mark.parametrize(("kind", "sizes", "grams"), [
    ("zigzag-spring", {}, 100), ("zigzag-spring", {"action": "pressed"}, 60), ("leaf-spring", {}, 150)])
def test_a_weight_tells_how_stiff_the_plastic_prints(kind, sizes, grams):
    """A stiffer, fatter printer than stated: the travel its spring takes under the weight, by bisection, teaches both apart."""
    kind = registry.kind(kind)
    params = kind.params().changed(**sizes)
    fat = HERON.model_copy(update={"modulus": Spread(mean=3300.0, sd=0.0), "growth": Spread(mean=0.08, sd=0.0)})
    low, high = 0.01, 8.0
    for _ in range(30):
        middle = (low + high) / 2
        course = kind.solve(params.changed(travel=middle), fat).motions[0].course
        low, high = (middle, high) if course.curves["force"][-1] < 9.81e-3 * grams else (low, middle)
    told = weighed(kind, params, HERON, grams, round(middle, 2))
    caliper = [Reading("2026-10-01", HERON.id, "outside", d, (d + 0.26, d + 0.25, d + 0.27)) for d in (4.0, 8.0, 12.0, 16.0)]
    alone, both = (learn(HERON, items).belief.spread("modulus") for items in ([told], [told, *caliper]))
    assert abs(both.mean - 3300) < min(2 * both.sd, 0.6 * abs(HERON.modulus.mean - 3300))
    assert both.sd < alone.sd < HERON.modulus.sd
    with pytest.raises(ParamError, match="cannot be"):
        weighed(kind, params, HERON, 0, 3)
    with pytest.raises(ParamError, match="no weight is hung"):
        weighed(registry.kind("hook"), registry.kind("hook").params(), HERON, 100, 3)


@pytest.mark.parametrize("form", ["single", "two parallel"])
def test_a_stop_meets_the_end_block_a_tenth_beyond_its_travel(form):
    """The solid's own section at mid height, its end block pushed until it touches the finger."""
    bare, found = (exact(LEAF, form=form, travel=4, stopped=stopped) for stopped in ("no", "yes"))
    solid = mesh.evaluate(found.bodies["A"])
    rings = [np.asarray(ring) for ring in solid.slice(3.0).to_polygons()]
    assert len(solid.decompose()) == 1, "the finger stands on the block that holds the leaves"
    end = found.params.length + found.params.carried - 0.5
    crossed = sorted({round(float(y), 2) for ring in rings for (x0, y0), (x1, y1) in pairwise([*ring, ring[0]])
                      if (x0 - end) * (x1 - end) < 0 for y in [y0 + (end - x0) / (x1 - x0) * (y1 - y0)]})
    assert crossed[2] - crossed[1] == pytest.approx(4.4, abs=0.01), "from the end block to the finger"
    warp = found.motions[0].bends(4.0)["A"]
    finger = np.array([[10.0, crossed[2], 3.0], [end, crossed[3], 3.0]])
    assert warp(finger) == pytest.approx(finger), "it stays"
    assert warp(np.array([[end, crossed[1], 3.0]]))[0, 1] > crossed[1] + 3.5
    assert found.value("travel_solid") == pytest.approx(4.4)
    assert "travel_solid" not in {each.name for each in bare.derived}, "without a stop it has none"
    check = next(each for each in found.checks if each.id == "stopped-whole")
    assert check.value == pytest.approx(1.1 * next(each.value for each in found.checks if each.id == "strain"))
    assert found.derived[0].value == pytest.approx(bare.derived[0].value), "it takes nothing of the stiffness"


@pytest.mark.parametrize(("kind_id", "times"), [("ring-spring", 2), ("spiral-spring", 4)])
def test_outlines_tell_of_what_bends_within_its_layers_what_its_whole_mesh_does(kind_id, times, monkeypatch):
    """Bent so many times as far as it may be, until it runs into itself."""
    kind = registry.kind(kind_id)
    solution = kind.solve(kind.params().changed(**kind.study.sample), HERON)
    motion = solution.motions[0]
    far = replace(motion, high=motion.low + times * (motion.high - motion.low))
    by_outlines = alone.check(solution, motion=far)
    monkeypatch.setattr(alone, "_LEVEL", -1.0)
    by_mesh = alone.check(solution, motion=far)
    assert by_outlines.value > alone.ALLOWED
    assert by_outlines.value == pytest.approx(by_mesh.value, abs=1e-3)
    assert by_outlines.place[:2] == pytest.approx(by_mesh.place[:2], abs=0.05)
    assert alone.check(solution).value == 0
