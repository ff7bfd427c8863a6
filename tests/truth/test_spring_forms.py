"""Springs out of their plane, that meet themselves, that go aside, and that give way, against closed forms and energy."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest

from bouncy_latch.core.flex.grid import Grid, buckles_at, column, torsion_of
from bouncy_latch.core.flex.winding import PINNED, Winding
from bouncy_latch.core.mechanisms.springs import framed, ringed, side_spring, spring, zigzag
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.solids.outline import Edge, rectangle
from tests import plane_fem
from tests.truth.test_springs import HERON, KIND, SOLID, E, exact, registry

RING, FINS, SIDE = (registry.kind(name) for name in ("ring-spring", "fin-ring", "side-spring"))
EI, GJ = 4000.0, 1500.0


def test_a_bar_out_of_its_plane_bends_and_twists_as_the_closed_forms_say():
    """Guided bar 12·E·I/L³; quarter circle under an end load F·R³·(π/4/EI + (3π/4 − 2)/GJ) (Castigliano's theorem); torsion of
    rectangles a·b³·β with β 0.141, 0.229 and 0.312 (S. Timoshenko, *Strength of Materials*, table, from memory)."""
    straight = Grid(np.column_stack([np.zeros(9), np.linspace(0, 30, 9)]), np.full(8, EI), np.full(8, GJ), np.zeros(8))
    assert straight.at_end[0, 0] == pytest.approx(12 * EI / 30**3, rel=1e-6)
    angle = np.linspace(0, math.pi / 2, 61)
    arc = Grid(20 * np.column_stack([np.cos(angle), np.sin(angle)]), np.full(60, EI), np.full(60, GJ), np.zeros(60))
    soft = np.linalg.inv(arc.at_end)[0, 0]
    assert soft == pytest.approx(20**3 * (math.pi / 4 / EI + (3 * math.pi / 4 - 2) / GJ), rel=0.01)
    moved = arc.moved(np.array([1.0, 0.0, 0.0]))
    bending, twisting, _ = arc.inner(moved)
    stored = ((bending**2).mean(axis=1) / EI + (twisting**2).mean(axis=1) * GJ).sum() * 20 * math.pi / 2 / 60 / 2
    assert stored == pytest.approx(arc.at_end[0, 0] / 2, rel=0.03), "its energy is the work of its end"
    # Twisted at an end, neither end warping: G·J/(L − 2a·tanh(L/2a)) with a = √(E·I_w/(G·J)) (V. Z. Vlasov).
    warps, a = 6000.0, math.sqrt(6000.0 / GJ)
    stiff = Grid(np.column_stack([np.linspace(0, 10, 21), np.zeros(21)]), np.full(20, EI), np.full(20, GJ), np.full(20, warps))
    assert stiff.at_end[1, 1] == pytest.approx(GJ / (10 - 2 * a * math.tanh(5 / a)), rel=0.01)
    assert [torsion_of(a, 1.0) / a for a in (1, 2, 10)] == pytest.approx([0.141, 0.229, 0.312], abs=0.001)


def test_a_column_buckles_where_euler_says_in_its_plane_and_out_of_it():
    """4·π²·E·I/L² with both ends held (L. Euler); a column soft in shear bears S at the most less (Haringx 1948)."""
    straight = Grid(np.column_stack([np.zeros(9), np.linspace(0, 80, 9)]), np.full(8, EI), np.full(8, GJ), np.zeros(8))
    bending, shear = column(straight.at_end, 80.0)
    assert bending == pytest.approx(EI, rel=1e-6)
    assert buckles_at(bending, shear, 80.0, clamped=True) == pytest.approx(4 * math.pi**2 * EI / 80**2, rel=1e-3)
    assert buckles_at(bending, 1e-2, 80.0, clamped=True) < math.sqrt(1e-2 * 4 * math.pi**2 * EI / 80**2)
    bar = Winding(tuple(Edge(0.0, 8.0 * i, 0.0, 8.0 * (i + 1), 0.0) for i in range(10)), 1.0, 5.0, SOLID, E)
    pressed = 0.03
    moved, _, _ = bar.pulled(np.array([-pressed]))
    assert bar.buckles(moved[0]) * pressed == pytest.approx(4 * math.pi**2 * (1 / 12) / 80, rel=0.03)


def test_bars_that_have_met_store_what_is_done_to_them():
    """The work ∫F dx is the energy in the bars, before they meet and after; none goes into another."""
    bar = zigzag.Plan(KIND.params().changed(action="pressed", rows=8), HERON).winding
    travels = np.linspace(0.05, 14.0, 60)
    moved, force, _ = bar.pulled(-travels, meeting=True)
    inner, natural = bar.frame.forces(moved), bar.frame.strained(moved)[0]
    stored = (inner * natural).sum(axis=(1, 2)) / 2
    work = np.concatenate([[0.0], np.cumsum(-(force[1:] + force[:-1]) / 2 * np.diff(travels))]) + stored[0]
    assert stored[-1] == pytest.approx(work[-1], rel=0.01)
    assert stored[30] == pytest.approx(work[30], rel=0.01)
    apart = bar._touching.left(bar.nodes, moved)
    assert apart.min() > -0.01
    assert (np.diff(-force) > 0).all()
    through, alone, _ = bar.pulled(-travels[-1:])
    assert bar.least_gap(through)[0] < -0.5, "without meeting they would be half a millimetre in each other"
    assert force[-1] < 3 * alone[0], "having met they push back far harder"
    found = exact(action="pressed", travel=14, rows=8)
    assert found.value("force") > 1.5 * 14 * found.value("rate")


def test_an_eye_lets_its_end_turn():
    """On pins, ends free to turn on the line through the middles: 1/k = N·[a³/12 + π·a²·r/4 + 2·a·r² + π·r³/2]/(E·I)
    (Castigliano); held ends are stiffer by a seventh of four rows."""
    sizes = {"rows": 4, "row_length": 16, "pitch": 4, "tab": 5, "eye": 2, "thickness": 1.0, "width": 5, "travel": 0.5}
    a, r = 16, 2
    soft = 4 * (a**3 / 12 + math.pi * a**2 * r / 4 + 2 * a * r**2 + math.pi * r**3 / 2) / (HERON.modulus.mean * 5 / 12)
    eyes, tabs = (exact(ends=ends, **sizes).value("rate") for ends in ("eye", "tab"))
    assert eyes * soft == pytest.approx(1.0, abs=0.03)
    assert tabs > 1.08 * eyes
    assert zigzag.Plan(KIND.params().changed(ends="eye"), HERON).winding.hold == PINNED


@pytest.mark.parametrize("sizes", [{}, {"arms": 3, "rows": 5}, {"arm_form": "leaves", "arms": 3, "width": 3.0}])
def test_a_middle_in_a_ring_is_as_stiff_as_its_arms(sizes):
    """Shifted, n/2·(k_along + k_across) of an arm whose end does not turn; pushed through it has one stiffness, and a rim."""
    params = RING.params().changed(travel=0.1, stopped="no", **sizes)
    found = exact(RING, travel=0.1, stopped="no", **sizes)
    process = found.process
    plan = ringed.Plan(params, process)
    arm = plan.winding.frame.released
    stiff = np.linalg.inv(arm.flexibility(len(plan.winding.nodes) - 1))
    assert found.value("rate_along") == pytest.approx(params.arms / 2 * (stiff[0, 0] + stiff[1, 1]), rel=2e-3)
    through = exact(RING, travel=0.1, action="button", **sizes)
    assert through.value("rate") == pytest.approx(found.value("rate_across"), rel=1e-3)
    body = mesh.evaluate(through.bodies["A"])
    assert len(body.decompose()) == 1
    assert body.bounding_box()[5] == pytest.approx(params.width + 0.11, abs=1e-4), "its rim stops it a tenth beyond its travel"


def along_x(places):
    """A unit of travel along x of places (2, n)."""
    return plane_fem.along_y(places)[::-1]


@pytest.mark.parametrize("sizes", [{"rows": 4, "outer_radius": 28}, {"arm_form": "leaves", "arms": 3, "width": 3.0}])
def test_an_arm_of_a_ring_is_what_elements_of_it_are(sizes):
    """Plane stress in its plane, bricks out of it: n/2·(k_along + k_across), and n times what raises one, within 5 and 8 %."""
    process = HERON.model_copy(update={"growth": Spread(mean=0.0, sd=0.0), "infill": 100.0})
    plan = ringed.Plan(RING.params().changed(travel=0.1, stopped="no", **sizes), process)
    p, line, modulus = plan.p, plane_fem.centre_line(plan.line, 16), process.modulus.mean
    planar = [plane_fem.swept_bar(*line, p.thickness, p.width, modulus, 0.01, moves=moves)[0]
              for moves in (plane_fem.along_y, along_x)]
    ours = exact(RING, travel=0.1, stopped="no", **sizes)
    assert ours.value("rate_along") * 0.01 == pytest.approx(p.arms / 2 * sum(planar), rel=0.05)
    raised = plane_fem.raised_bar(*line, p.thickness, p.width, modulus)
    assert ours.value("rate_across") == pytest.approx(p.arms * raised, rel=0.08)


def test_fins_press_as_leaning_cantilevers_and_a_side_bar_as_one_held_at_both_ends():
    """3·E·I/(L³·sin²ψ) a fin that leans by ψ from the radius; 192·E·I/L³ a bar, stiffened by 1.179 where it has gone half its
    thickness (clamped beam whose ends cannot approach, S. Timoshenko, *Strength of Materials* II; the series from memory)."""
    sizes = {"opening": 60, "length": 16, "depth": 7, "thickness": 1.0, "width": 6, "fins": 10}
    fins = exact(FINS, travel=0.05, **sizes)
    foot, tip = 30 - 7 + 0.8 + 0.5, fins.value("tips") / 2
    lean = math.acos((tip**2 + 16**2 - foot**2) / (2 * tip * 16))
    bending = HERON.modulus.mean * 6 * 1.0**3 / 12
    # Its root gives way too: a twelfth of a fin sixteen times as long as it is thick (O'Donnell 1960).
    assert 0.87 < fins.value("rate") / (10 * 3 * bending / (16**3 * math.sin(lean) ** 2)) < 0.94
    assert fins.value("pull_out") == pytest.approx(HERON.plastic.friction * fins.value("force"))
    small, half = (exact(SIDE, travel=travel, length=60, thickness=1.0, width=6) for travel in (0.05, 0.5))
    # The bar's ends give way a little (O'Donnell 1960); what bends of it under its nub, test_hosts tells by elements.
    free = 2 * side_spring.Plan(small.params, HERON.with_growth(0.0)).bends
    assert 0.9 < small.value("rate") / (192 * bending / free**3) < 1.0
    assert half.value("force") / (0.5 * half.value("rate")) == pytest.approx(1.179, rel=0.03)


@pytest.mark.parametrize("action", ["stretched", "pressed"])
def test_a_frame_stops_it_and_floor_and_roof_let_it_go(action):
    """Its collar runs as far as it says before solids touch, by the solids themselves; a bare layer under it would hold it."""
    found = exact(action=action, travel=5, around="a frame, floor and roof")
    body = mesh.refined(found.bodies["A"], 1.0)
    reach = found.motion.bends(5.0)["A"]
    grip = np.array([[0.0, body.bounding_box()[4] - 1.0, z] for z in (0.0, 4.0)])
    assert reach(grip)[:, 1] - grip[:, 1] == pytest.approx(5.0 if action == "stretched" else -5.0), "down to the bed"
    assert mesh.warped(body, reach).volume() == pytest.approx(body.volume(), rel=2e-3)
    frame = zigzag.Plan(found.params, found.process).frame
    collar = frame.collar + 3.0 if action == "stretched" else frame.end - frame.grip
    wall = frame.wall if action == "stretched" else frame.wall + 4.0
    assert abs(wall - collar) == pytest.approx(5.5), "between collar and end wall, drawn"
    for y, solid in ((collar, True), (wall, True), ((collar + wall) / 2, False)):
        beside = mesh.evaluate(found.bodies["A"]).slice(4.0)
        probe = mesh.section(rectangle(5.0, y - 0.05, 6.5, y + 0.05))
        assert ((beside ^ probe).area() > 0.01) == solid
    assert found.value("stops_at") == pytest.approx(5.5)
    assert found.check("leaves-covers").verdict == "ok"
    assert found.value("air") == pytest.approx(0.4)
    sloppy = HERON.model_copy(update={"layer_height": 0.3})
    assert KIND.solve(found.params, sloppy).value("air") in (pytest.approx(0.3), pytest.approx(0.6))


@pytest.mark.parametrize(("kind", "sizes", "carried"), [
    ("leaf-spring", {"around": "rails, floor and roof", "travel": 4}, (55.0, 0.0)),
    ("leaf-spring", {"around": "rails, floor and roof", "travel": 4, "form": "single"}, (52.0, 0.0)),
    ("spiral-spring", {"around": "a drum, floor and roof", "travel": 0.75}, (0.0, 5.0)),
    ("ring-spring", {"around": "floor and roof"}, (0.0, 5.0))])
def test_what_is_printed_inside_a_part_hangs_free_in_it(kind, sizes, carried):
    """A section through floor, air, bars, air and roof of the finished solid; moved, what is round it stays where it is."""
    found = exact(registry.kind(kind), **sizes)
    body, air, high = mesh.evaluate(found.bodies["A"]), found.value("air"), found.params.width
    assert len(body.decompose()) == 1
    areas = {at: body.slice(z).area() for at, z in (("floor", 0.4), ("under", 0.8 + air / 2), ("bars", 0.8 + air + high / 2),
                                                    ("over", 0.8 + 1.5 * air + high), ("roof", 1.3 + 2 * air + high))}
    assert areas["under"] == pytest.approx(areas["over"], rel=0.25)
    assert areas["under"] < areas["bars"] < areas["floor"], "in the layers of air only what stands on the bed"
    plain = exact(registry.kind(kind), **{**sizes, "around": "nothing"})
    assert found.value("rate") == pytest.approx(plain.value("rate"), rel=1e-6), "it is the same spring"
    assert found.check("leaves-covers").verdict == "ok"
    warp = found.motion.bends(found.motion.high)["A"]
    middle = np.array([[*carried, 0.8 + air + high / 2]])
    assert np.linalg.norm(warp(middle) - middle) > 0.5
    corners = np.asarray(mesh.arrays(body)[0], dtype=float)
    slabs = corners[(corners[:, 2] < 0.8 + 1e-6) & (corners[:, 2] > 1e-6)]
    rim = slabs[np.hypot(*slabs[:, :2].T) > 0.9 * np.hypot(*slabs[:, :2].T).max()]
    assert warp(rim) == pytest.approx(rim)
    assert mesh.warped(mesh.refined(found.bodies["A"], 1.5), warp).volume() == pytest.approx(body.volume(), rel=0.01)


def test_an_end_that_is_brought_is_held_by_what_holds_the_other():
    """Small, by the inverse of its flexibility; far, its ends' forces and moments balance, and their work is in the bar."""
    bar = zigzag.Plan(KIND.params().changed(rows=5), HERON).winding
    frame, last = bar.frame.released, len(bar.nodes) - 1
    small = np.array([[1e-4, 2e-4, 1e-5]])
    _, force = frame.brought(last, small)
    assert force[0] == pytest.approx(np.linalg.solve(frame.flexibility(last), small[0]), rel=1e-3)
    steps = np.linspace(0.02, 1.0, 40)[:, None] * np.array([3.0, 4.0, 0.2])
    moved, force = frame.brought(last, steps)
    stored = (frame.forces(moved) * frame.strained(moved)[0]).sum(axis=(1, 2)) / 2
    work = ((force[1:] + force[:-1]) / 2 * np.diff(steps, axis=0)).sum(axis=1).cumsum() + stored[0]
    assert work[-1] == pytest.approx(stored[-1], rel=0.01)
    inner = frame._system(moved[-1:])[0][0].reshape(-1, 3)
    ends = bar.nodes[[0, last]] + moved[-1, [0, last], :2]
    assert inner[0, :2] == pytest.approx(-inner[last, :2], rel=1e-6)
    about = inner[[0, last], 2].sum() + sum(x * fy - y * fx for (x, y), (fx, fy, _) in zip(ends, inner[[0, last]], strict=True))
    assert abs(about) < 1e-6 * np.abs(inner[last, 2])


@pytest.mark.parametrize(("arms", "form"), [(3, "zig-zags"), (4, "zig-zags"), (3, "leaves")])
def test_a_shifted_middle_does_the_work_its_arms_store(arms, form):
    """Of a cushion, ∫F dx is the energy in all its arms; opposite ways it takes as much where arms lie evenly round."""
    travel = 1.5 if form == "zig-zags" else 0.6
    plan = exact(RING, arms=arms, arm_form=form, travel=travel, stopped="no")
    cushion = ringed.Plan(plan.params, plan.process).sprung
    _, moved, force, _ = cushion._followed
    frame = cushion.plan.winding.frame
    stored = (frame.forces(moved[-1]) * frame.strained(moved[-1])[0]).sum() / 2
    assert plan.value("energy") == pytest.approx(stored, rel=0.02)
    assert force[-1] == pytest.approx(plan.value("force"))
    curve = plan.motion.course.curves["force"]
    assert all(a < b for a, b in pairwise(curve))


@pytest.mark.parametrize("growth", [-0.05, 0.0, 0.08, 0.15])
@pytest.mark.parametrize("kind", [FINS, SIDE], ids=lambda kind: kind.id)
def test_what_gives_way_is_drawn_so_that_it_gives_as_much_on_every_printer(kind, growth):
    """Grown by what the printer adds, it reaches as far beyond its opening as it is to give; a fatter bar presses harder."""
    process = HERON.model_copy(update={"growth": Spread(mean=growth, sd=0.01)})
    found, plain = kind.solve(kind.params(), process), exact(kind)
    box = mesh.evaluate(found.bodies["A"]).bounding_box()
    opening = found.params.opening
    if kind is SIDE:
        assert box[3] - box[0] == pytest.approx(found.value("tips"), abs=1e-3)
    assert found.value("tips") + 2 * growth == pytest.approx(opening + 2 * found.params.travel)
    assert (found.value("force") > plain.value("force")) == (growth > 0)
    assert found.value("push_in") > found.value("force") > found.value("pull_out"), "in over 45°, out by friction alone"
    assert found.value("held") == pytest.approx(found.value("force") * process.plastic.creep)


@pytest.mark.parametrize("process", population.built_in(), ids=lambda process: process.id)
def test_room_and_air_follow_the_printer(process):
    """Hardly a print's walls touch, no less than a line is left; as few layers of air as let a bar go."""
    room = spring.room_for(process)
    assert spring.apart(room, process) > 0.99
    assert room >= process.line_width
    assert spring.apart(room, process) > spring.apart(room - 0.2, process)
    wavering = process.model_copy(update={"growth": Spread(mean=process.growth.mean, sd=3 * process.growth.sd)})
    assert spring.room_for(wavering) > room
    chances = [framed.breaks_loose(process, layers, (10.0, 1.2), 4.0) for layers in (1, 2, 3, 4)]
    assert chances == sorted(chances), "further off it lets go more easily"
    few, many = (framed.layers_to_break(process, (length, 1.2), 4.0) for length in (2.0, 60.0))
    assert few <= many
    assert framed.breaks_loose(process, few, (2.0, 1.2), 4.0) >= 0.95
    both = framed.breaks_loose(process, 2, (10.0, 1.2), 4.0, ("floor", "roof"))
    assert both <= chances[1], "two faces hold more than one"
