"""What must hold of any bump on any arm over any edge, and the small parts around the contact path."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import chances
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.flex.warp import Bow
from bouncy_latch.core.judge import rulers
from bouncy_latch.core.judge.search import window
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.snaps import shapes
from bouncy_latch.core.mechanisms.snaps.snap import grown_catch, grown_mate
from bouncy_latch.core.process.population import built_in
from bouncy_latch.core.project import store
from bouncy_latch.core.project.demo import demo_project

HERON = built_in()[0]
FILL = Fill(2, 0.45, 0.15, 0.8)


def ride(length, thickness, undercut, lead, back, friction, wall=3.0, seat=0.1, radius=0.2):
    arm = Arm(length, thickness, 6.0, FILL, 2000.0, fillet=0.5)
    face = thickness / 2
    catch = shapes.catch_profile(face, undercut + 0.2, math.radians(lead), math.radians(back), 0.8, radius)
    return Ride(arm, catch, shapes.edge_profile(face + 0.2, wall, radius), wall + seat, friction)


arms = st.builds(ride, st.floats(12, 40), st.floats(1, 2.5), st.floats(0.3, 1.5), st.floats(15, 50), st.floats(20, 65),
                 st.floats(0.05, 0.6))


@given(made=arms)
def test_nothing_comes_out_that_was_not_put_in(made):
    way = made.way
    assume(math.isfinite(way.peak_in) and not way.locks)
    assert (np.diff(way.travel) > 0).all()
    assert (way.lowered >= 0).all()
    # Small bends: what is let go at the drop was put in on the way up, and friction took its share.
    assert way.click < way.work
    assert way.peak_in > 0
    assert way.peak_out > 0
    # The end is lowered by the undercut less what its own turn already gives.
    drawn = max(y for _, y in made.catch) - min(y for _, y in made.mate)
    assert 0.6 * drawn < way.most <= drawn + 1e-6


@given(length=st.floats(14, 40), thickness=st.floats(1, 2.2), lead=st.floats(15, 45), friction=st.floats(0.1, 0.4))
def test_more_friction_steeper_faces_and_stiffer_arms_take_more(length, thickness, lead, friction):
    def peak(length=length, thickness=thickness, lead=lead, friction=friction):
        return ride(length, thickness, 0.6, lead, 40, friction).way.peak_in

    base = peak()
    assume(math.isfinite(base))
    assert peak(friction=friction + 0.1) > base
    assert peak(lead=lead + 5) > base
    assert peak(thickness=thickness + 0.2) > base
    assert peak(length=length + 3) < base


def test_a_u_locks_by_its_shape_and_still_goes_in():
    """Pulling draws a folded arm up into the edge long before its face locks; pushing does not."""
    kind = registry.kind("hook")
    folded = kind.solve(kind.params().changed(form="u", length=9, thickness=1.2, return_angle=60), HERON)
    straight = kind.solve(kind.params().changed(length=20, thickness=1.2, return_angle=60), HERON)
    assert folded.value("insertion") < 10
    assert folded.value("retention") == pytest.approx(folded.value("tears")), "it tears before it slides out"
    assert straight.value("retention") < 0.7 * straight.value("tears")


def test_a_catch_that_passes_without_touching_holds_nothing():
    arm = Arm(20.0, 1.6, 6.0, FILL, 2000.0)
    low = ((-3.0, 0.8), (2.0, 0.8))
    with pytest.raises(SolveError, match="without touching it"):
        _ = Ride(arm, low, ((0.0, 1.2), (3.0, 1.2)), 3.0, 0.3).way


def test_printing_grows_a_catch_and_its_mate_towards_each_other():
    catch = ((-2.0, 0.5), (0.0, 0.5), (0.5, 1.0), (1.0, 1.0), (2.0, 0.5))
    grown = grown_catch(catch, 0.1)
    assert [y for _, y in grown] == pytest.approx([y + 0.1 for _, y in catch])
    assert [x for x, _ in grown] == pytest.approx([-2.1, -0.1, 0.4, 1.1, 2.1])
    mate = grown_mate(((0.0, 0.7), (3.0, 0.7)), 0.1)
    assert mate == ((-0.1, pytest.approx(0.6)), (3.1, pytest.approx(0.6)))


@pytest.mark.parametrize("fold", [0.0, 1.5])
def test_a_point_of_the_arm_goes_where_its_section_goes(fold):
    arm = Arm(16.0, 1.6, 6.0, FILL, 2000.0, fold=fold, back=16.0 if fold else 0.0)
    states = arm.bent(np.array([0.4, 0.8]), np.zeros(2), np.zeros((2, 2)))
    bow = Bow.of(arm, states)

    nodes = bow.follow(arm.nodes, 0.8)
    assert nodes == pytest.approx(arm.nodes + states.moved[1, :, :2], abs=1e-9)
    assert bow.follow(arm.nodes, 0.0) == pytest.approx(arm.nodes)
    half = bow.follow(arm.nodes[-1:], 0.6)
    assert half[0, 1] == pytest.approx(arm.nodes[-1, 1] - 0.6)
    # Two points across the arm stay as far apart as they are.
    pair = arm.nodes[-1] + np.array([[0.0, 0.8], [0.0, -0.8]])
    assert np.linalg.norm(np.diff(bow.follow(pair, 0.8), axis=0)) == pytest.approx(1.6)
    behind = np.array([[-3.0, 0.2]])
    assert bow.follow(behind, 0.8) == pytest.approx(behind)


@given(strain=st.floats(1e-4, 0.2), permissible=st.floats(0.005, 0.05))
def test_zones_are_chances_in_order(strain, permissible):
    bend = chances.bend_zones(strain, permissible, 2 * permissible)
    force = chances.force_zones(1000 * strain, 30.0, 0.2)
    for found in (bend, force):
        assert sum(found) == pytest.approx(1)
        assert min(found) >= -1e-12
    more = chances.bend_zones(1.3 * strain, permissible, 2 * permissible)
    assert more[0] <= bend[0] + 1e-12
    assert more[-1] >= bend[-1] - 1e-12


def test_the_print_window_stands_for_a_span_of_every_ruler():
    kind = registry.kind("clip-hinge")
    solution = kind.solve(kind.params(), HERON)
    found = window.print_window(Design(kind, kind.params(), HERON))
    for ruler in solution.rulers:
        low, high = rulers.bracket(Design(kind, kind.params(), HERON), ruler, found)
        assert low < ruler.value < high
    ends = [next(r.value for r in kind.solve(kind.params(), HERON.with_growth(g)).rulers if r.id == "force")
            for g in (found.low, found.high)]
    force = next(r for r in solution.rulers if r.id == "force")
    assert rulers.bracket(Design(kind, kind.params(), HERON), force, found) == pytest.approx(tuple(sorted(ends)))


def test_projects_of_the_version_before_open(tmp_path):
    import json
    import zipfile

    raw = json.loads(demo_project().model_dump_json())
    raw["schema_version"] = 2
    raw["mechanisms"] = raw["mechanisms"][:4]
    for process in [*raw["processes"], *(p["process"] for m in raw["mechanisms"] for p in m["prints"])]:
        process.pop("solid_layers")
        process.pop("material_values")
        process["modulus"] = {"mean": 2300, "sd": 400}
    with zipfile.ZipFile(tmp_path / "old.latch", "w") as archive:
        archive.writestr(store.DOCUMENT, json.dumps(raw))

    project = store.load(tmp_path / "old.latch").project

    assert len(project.mechanisms) == 4
    assert [p.modulus.mean for p in project.processes] == [2300, 2300], "what was saved stays"
