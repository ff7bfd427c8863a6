"""Figures of the sheet measured on the real solid by moving it until it touches: a second road to every kind of play."""

from __future__ import annotations

import math
import random
from itertools import pairwise

import numpy as np
import pytest
import shapely
from soak import designs

from bouncy_latch.core import fields
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.features.pivots import Pivot
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.snaps.plans.ball_peg import HAIR, BallPegPlan
from bouncy_latch.core.mechanisms.snaps.plans.locking_tab import LockingTabPlan
from bouncy_latch.core.parts.slab import slab
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.solids import mesh, outline, tree

# Bisection ends at 1e-3; chords lie up to 0.01 mm inside their arcs.
MEASURED = 0.012


def free_way(solution, direction):
    """How far the second body goes in a direction before it touches the first, by bisection, mm."""
    first, second = (mesh.evaluate(solution.bodies[name]) for name in ("A", "B"))
    low, high = 0.0, 2.0
    while high - low > 1e-3:
        middle = (low + high) / 2
        moved = second.translate(tuple(middle * d for d in direction))
        low, high = (low, middle) if (first ^ moved).volume() > 1e-7 else (middle, high)
    return low


@pytest.mark.parametrize("values", [
    {"gap": 0.3}, {"gap": 0.22, "pivot": "truncated-cone"}, {"gap": 0.3, "pivot_slope": 35}, {"gap": 0.26, "pivot": "ball"}],
    ids=str)
def test_play_is_what_the_drawn_solid_allows(solved, heron, values):
    """With no growth and no ridges, axial play is the gap and radial play gap / sin(slope): measured by pushing one leaf."""
    smooth = heron.with_growth(0.0).model_copy(update={"ridge": type(heron.ridge)(mean=0, sd=0)})
    solution = solved(process=smooth, fold_gap=3.0, **values)
    rough = solved(process=smooth.model_copy(update={"ridge": heron.ridge}), fold_gap=3.0, **values)
    assert solution.play.axial - rough.play.axial == pytest.approx(2 * heron.ridge.mean), "surfaces meet at their ridges"

    assert free_way(solution, (1, 0, 0)) == pytest.approx(solution.play.axial, abs=MEASURED)
    assert free_way(solution, (-1, 0, 0)) == pytest.approx(solution.play.axial, abs=MEASURED)
    # Straight up the pivots hold, or the web of one leaf over the wall of the other if that is met first.
    web = solution.params.gap / math.sin(math.radians(solution.params.web_slope))
    up = free_way(solution, (0, 0, 1))
    assert up == pytest.approx(min(solution.play.radial, web), abs=0.03 if values.get("pivot") == "ball" else 0.02)


def test_the_pivot_holds_by_what_stands_proud(solved):
    """Pull-out: a knuckle can be passed only when shifted by the pivot's depth less the gap; nothing else holds it."""
    solution = solved(gap=0.3)
    first, second = (mesh.evaluate(solution.bodies[name]) for name in ("A", "B"))
    lifted = second.translate((0, 0, solution.play.radial + 0.5))

    assert (first ^ lifted).volume() > 0.05
    engaged = solution.check("engagement").value
    assert engaged == pytest.approx(solution.value("pivot_depth") - 0.3 - 0.2)


@pytest.mark.parametrize(("slope", "proud"), [(40, 0.2340), (45, 0.2929), (50, 0.3572)])
def test_a_ball_stands_as_proud_as_its_underside_allows(slope, proud):
    """Plane geometry, by hand: centre r·cos θ behind the wall, proud r(1 − cos θ), opening radius r·sin θ (per r)."""
    angle = math.radians(slope)
    pivot = Pivot("ball", 2 * math.sin(angle), angle, 0.25)
    made = mesh.evaluate(pivot.male()).bounding_box()

    assert pivot.ball_radius == pytest.approx(2)
    assert pivot.depth / 2 == pytest.approx(proud, abs=5e-5)
    assert made[3] == pytest.approx(2 * proud, abs=2e-3)


@pytest.mark.parametrize("shape", ["cone", "truncated-cone", "ball"])
@pytest.mark.parametrize("slope", [35, 45, 55])
def test_a_pocket_is_its_pivot_moved_out_by_the_gap(shape, slope):
    """The least distance between the male part and its pocket's wall is the gap, wherever it is measured."""
    pivot = Pivot(shape, 1.9, math.radians(slope), 0.3)
    block = mesh.evaluate(tree.Box(0.3, -6, -6, 9, 6, 6) - pivot.pocket())
    male = mesh.evaluate(pivot.male())
    proud = male.trim_by_plane((1, 0, 0), 0.0)

    assert block.min_gap(proud, 1.0) == pytest.approx(0.3, abs=0.008)
    assert proud.bounding_box()[3] == pytest.approx(pivot.depth, abs=2e-3)
    # Its mouth, cut just inside the female end face.
    mouth = mesh.transformed(block, (0, 1, 0, 0, 0, 0, 1, 0, 1, 0, 0, 0)).slice(0.3 + 1e-4)
    hole = min(np.linalg.norm(np.asarray(p), axis=1).max() for p in mouth.to_polygons())
    assert hole == pytest.approx(pivot.mouth_radius, abs=0.012)


@pytest.mark.parametrize(("chamfer", "h", "insets"), [
    (0.4, 0.2, [0.3, 0.1, 0]), (0.6, 0.2, [0.5, 0.3, 0.1, 0]), (0.5, 0.2, [0.4, 0.2, 0]), (0.4, 0.3, [0.25, 0])])
@pytest.mark.parametrize("drawn", [outline.rounded_rectangle(30, 20, 4), outline.rectangle(0, 0, 30, 20)],
                         ids=["round", "sharp"])
def test_bed_chamfer_steps_as_its_geometry_says(chamfer, h, insets, drawn):
    """Plane geometry, by hand, at mid-layer: inset of layer i = max(0, C − (i + ½)h)."""
    solid = mesh.evaluate(slab(drawn, 5, chamfer, h))
    full = drawn.bounds[2]
    for i, inset in enumerate(insets):
        assert inset == pytest.approx(max(0.0, chamfer - (i + 0.5) * h))
        right = np.vstack([np.asarray(p) for p in solid.slice((i + 0.5) * h).to_polygons()])[:, 0].max()
        assert full - right == pytest.approx(inset, abs=1e-6)


def test_elephant_foot_halves_with_every_layer(heron):
    """By hand, halved every layer: e_i = 0.25·½^i less the chamfer 0.4 gives −0.05, 0.025, 0.0625, 0.0312 (net outward)."""
    squashed = heron.model_copy(update={"elephant_foot": type(heron.elephant_foot)(mean=0.25, sd=0)})
    net = [squashed.foot(i) - max(0.0, 0.4 - (i + 0.5) * 0.2) for i in range(4)]

    assert net == [pytest.approx(v, abs=5e-5) for v in (-0.05, 0.025, 0.0625, 0.03125)]


def cut(solution, body, height, turn=(0, 0, 0)):
    """Return the section of a body ``height`` mm above z = 0, its solid turned (degrees) before."""
    rings = mesh.evaluate(solution.bodies[body]).rotate(turn).slice(height).to_polygons()
    shapes = sorted((shapely.Polygon(ring) for ring in rings), key=lambda shape: -shape.area)
    found = shapely.Polygon()
    for shape in shapes:
        found = found.symmetric_difference(shape)
    return found


@pytest.mark.parametrize("values", [{}, {"into": 0}, {"gap": 1.2, "into": 5}, {"tongue": 1.2, "clearance": 0.3}], ids=str)
def test_the_roots_of_tongues_are_rounded_as_they_are_computed(heron, values):
    kind = registry.kind("locking-tab")
    params = kind.params().changed(push=300, **values)
    plan, solution = LockingTabPlan(params, heron), kind.solve(params, heron)
    assert plan.printed_arm.fillet == pytest.approx(plan.fillet - heron.growth.mean)
    section, r = cut(solution, "A", plan.high / 2), plan.fillet
    low = section.bounds[0]
    root = low + params.backing - params.into

    def solid(x, y):
        return section.contains(shapely.Point(root + x, y))

    inner, outer = params.gap / 2, plan.half
    # On the arc's middle the corner is filled to r (1 - 1/√2); a little further out it is not.
    at = r * (1 - math.sqrt(0.5))
    for y, way in ((inner, -1), (outer, 1)):
        assert solid(0.9 * at, y + way * 0.9 * at)
        assert not solid(1.2 * at, y + way * 1.2 * at)


def test_the_bars_of_a_peg_are_as_high_as_the_limb_they_are_freed_from(heron):
    kind = registry.kind("ball-peg")
    params = kind.params().changed(into=4)
    plan, solution = BallPegPlan(params, heron), kind.solve(params, heron)
    # The limb's end, from which the peg stands, lies ``backing`` from its other end; looked at along the peg.
    end = mesh.evaluate(solution.bodies["A"]).bounding_box()[0] + params.backing
    section = cut(solution, "A", end - params.into / 2, (0, -90, 0))
    middle = (section.bounds[1] + section.bounds[3]) / 2
    bars = section & shapely.box(-100, middle - params.peg / 2 - 0.01, 100, middle + params.peg / 2 + 0.01)
    base = plan.printed_arm.base
    drawn = 2 * plan.flat * ((params.peg - params.slot) / 2 + HAIR)
    assert bars.area == pytest.approx(drawn, rel=0.01)
    assert base.made.depth * base.made.width == pytest.approx(drawn / 2, rel=0.12), "printed: grown on two sides"


@pytest.mark.parametrize("values", [{}, {"turns": 4, "thickness": 2}, {"form": "even-strain"}], ids=str)
def test_coils_are_as_far_apart_as_is_said(heron, values):
    kind = registry.kind("spiral-spring")
    params = kind.params()
    forms = kind.params.facts()["form"].choices
    params = params.changed(**{name: forms[-1] if name == "form" else value for name, value in values.items()})
    solution = kind.solve(params, heron)
    section, least = cut(solution, "A", params.width / 2), math.inf
    for angle in np.linspace(0, 2 * math.pi, 180, endpoint=False):
        ray = shapely.LineString([(0, 0), (params.outer_radius * math.cos(angle), params.outer_radius * math.sin(angle))])
        met = section.intersection(ray)
        ends = sorted(sorted(math.hypot(*end) for end in part.coords) for part in getattr(met, "geoms", [met]))
        # Where the strip leaves its step a wedge closes to nothing: that is the root, no gap between coils.
        least = min([least, *(b[0] - a[-1] for a, b in pairwise(ends[1:]))])
    assert least == pytest.approx(solution.value("bar_gap"), abs=0.04)


def test_leaves_leave_no_room_for_stops_and_zigzags_do(heron):
    kind = registry.kind("ring-spring")
    leaves, zigzags = (kind.solve(kind.params().changed(arm_form=form), heron) for form in ("leaves", "zig-zags"))
    assert not [check.id for check in leaves.checks if check.id in ("lugs-apart", "stopped")]
    assert zigzags.check("lugs-apart").verdict == "ok"
    # Four stubs at the ring and four at the middle, and nothing else, carry the leaves.
    section, params = cut(leaves, next(iter(leaves.bodies)), leaves.params.width / 2), leaves.params
    around = shapely.Point(0, 0).buffer((params.outer_radius - params.wall + params.inner_radius) / 2, 256).exterior
    assert len(section.intersection(around).geoms) == params.arms


def cut_through(solid, bar):
    """The area of the piece of a solid that a plane across the bar cuts at its place, mm²."""
    along = np.array(bar.along)
    aside = np.cross(along, np.eye(3)[np.argmin(np.abs(along))])
    aside /= np.linalg.norm(aside)
    plane = np.stack([aside, np.cross(along, aside), along])
    flat = mesh.transformed(solid, tuple(np.column_stack([plane, -plane @ np.array(bar.place)]).ravel())).slice(0.0)
    for piece in flat.decompose():
        rings = sorted((shapely.Polygon(ring) for ring in piece.to_polygons()), key=lambda ring: -ring.area)
        if rings[0].contains(shapely.Point(0, 0)) and not any(hole.contains(shapely.Point(0, 0)) for hole in rings[1:]):
            return piece.area()
    return 0.0


@pytest.mark.parametrize("kind", registry.kinds().values(), ids=lambda kind: kind.id)
def test_what_bends_is_drawn_as_thick_as_it_is_computed(kind, heron):
    """Sections of the exported solids over every kind's whole range, printed solid and as drawn: each area within 2 %."""
    exact = heron.model_copy(update={"growth": Spread(mean=0.0, sd=0.0), "infill": 100.0})
    rng, solved = random.Random(f"{kind.id} 78"), 0
    for number in range(60):
        if solved == 8:
            break
        values = {**(designs.draw(kind, rng) if number else {}), **({"infill": 100} if "infill" in kind.params.facts() else {})}
        try:
            solution = kind.solve(fields.parse(kind.params, values), exact)
        except UserError:
            continue
        found = [bar for motion in solution.motions for bar in motion.bars()]
        assert bool(found) == any(motion.flexing for motion in solution.motions), "what bends names its sections"
        solids = {name: mesh.evaluate(solution.bodies[name]) for name in {bar.body for bar in found}}
        for bar in found:
            assert cut_through(solids[bar.body], bar) == pytest.approx(bar.area, rel=0.02), (values, bar)
        solved += 1
    assert solved >= 3, "there were designs to look at"
