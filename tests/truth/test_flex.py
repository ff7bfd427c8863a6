"""The flex core against handbook formulas, classical solutions, finite elements and facts of the trade.

Values marked R were worked out apart from this program, by the method that stands beside them; each names its source.
"""

from __future__ import annotations

import math

import numpy as np
import pytest

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.frame import Frame, natural_stiffness
from bouncy_latch.core.flex.host import STUB
from bouncy_latch.core.flex.ring import Ring, decay, remote_from, sector, stretch_factor
from bouncy_latch.core.flex.section import Fill, cantilever_compliance, section
from tests import plane_fem

SOLID = Fill(20, 0.45, 1.0, 10.0)
GAUSS = np.polynomial.legendre.leggauss(3)
AT, WEIGHTS = (GAUSS[0] + 1) / 2, GAUSS[1] / 2


def straight_frame(length, bending, axial, count=20):
    nodes = np.column_stack([np.linspace(0, length, count + 1), np.zeros(count + 1)])
    one = natural_stiffness(length / count, np.full(3, axial), np.full(3, bending), np.zeros(3), AT, WEIGHTS)
    fixed = np.zeros((count + 1, 3), dtype=bool)
    fixed[0] = True
    ends = np.column_stack([np.arange(count), np.arange(1, count + 1)])
    return Frame(nodes, ends, np.array([one] * count), fixed, np.zeros((count + 1, 3)))


# Bisshopp & Drucker, Q. Appl. Math. 3 (1945); R by elliptic integrals and shooting: PL²/EI, shortening, deflection, tip angle.
ELASTICA = np.array([
    (0.1, 0.0006654, 0.0332953, 0.0499543), (0.5, 0.0159190, 0.1621436, 0.2445336), (1, 0.0564332, 0.3017208, 0.4613519),
    (2, 0.1606417, 0.4934575, 0.7817498), (5, 0.3876284, 0.7137915, 1.2153681), (10, 0.5549956, 0.8106090, 1.4302855)])


def test_large_deflection_of_a_cantilever():
    frame = straight_frame(100.0, 1000.0, 1e6)
    loads = np.zeros((len(ELASTICA), 21, 3))
    loads[:, -1, 1] = -ELASTICA[:, 0] * 1000.0 / 100.0**2

    end = frame.loaded(loads, steps=8)[:, -1]

    found = np.column_stack([-end[:, 0] / 100, -end[:, 1] / 100, -end[:, 2]])
    assert np.abs(found - ELASTICA[:, 1:]).max() < 1e-3
    assert found == pytest.approx(ELASTICA[:, 1:], rel=1e-3)


def test_a_leaf_guided_at_its_end_shortens_and_stiffens():
    """R, exact elastica: a guided leaf moved by 0.2 L shortens by 0.024338 L and needs 1.0432 of 12 EI y/L³."""
    frame = straight_frame(100.0, 1000.0, 1e7)
    held = Frame(frame.nodes, frame.ends, frame.stiffness, frame.fixed.copy(), frame.springs)
    held.fixed[-1, 2] = True

    moved, force = held.pushed(20, np.array([20.0]), np.array([[0.0, -1.0]]), np.zeros((1, 2)))

    assert -moved[0, -1, 0] / 100 == pytest.approx(0.024338, rel=3e-3)
    assert force[0] / (12 * 1000.0 * 20 / 100**3) == pytest.approx(1.0432, rel=3e-3)


def test_the_solver_says_where_it_stopped():
    frame = straight_frame(100.0, 1000.0, 1e6, count=3)
    loads = np.zeros((1, 4, 3))
    loads[0, -1, 2] = 80.0
    with pytest.raises(SolveError, match=r"followed to 75 % only: somewhere it would turn by \d+°"):
        frame.loaded(loads, steps=4)
    with pytest.raises(SolveError, match=r"^an arm 15\.0 mm long would have to stretch"):
        Arm(15.0, 2.0, 6.0, SOLID, 2000.0).bent(np.array([40.0]), np.zeros(1), np.zeros((1, 2)))


# C of y = C ε L²/h: exact integrals (R); 0.67, 1.09, 0.86 as polymer makers' snap-fit guides round them (from memory).
@pytest.mark.parametrize(("taper", "exact", "guide"), [
    (beams.STRAIGHT, 0.66667, 0.67), (beams.THINNING, 1.09035, 1.09), (beams.NARROWING, 0.85520, 0.86)])
def test_taper_coefficients(taper, exact, guide):
    assert beams.taper_factor(taper) == pytest.approx(exact, abs=1e-5)
    assert beams.taper_factor(taper) == pytest.approx(guide, abs=0.006)
    slender = Arm(60.0, 1.0, 6.0, SOLID, 2000.0, taper=taper, soft_root=False)
    bent = slender.bent(np.array([0.05]), np.zeros(1), np.zeros((1, 2)))
    # The guides' strain leaves out the sharp corner's concentration and the arm's shear.
    plain = bent.strain[0] / beams.fillet_factor(0, 1.0)
    assert 0.05 * 1.0 / (plain * 60.0**2) == pytest.approx(exact, rel=0.01)
    assert bent.where[0] == pytest.approx(0.0)


def test_the_worked_example():
    """Cantilever and force balance on the ramp, by hand.

    E 2000, L 15, b 6, h 2, y 1.5, µ 0.3, lead-in 30°; out over 45° and 60°, 80° locks.
    """
    strain = beams.handbook_strain(1.5, 2.0, 15.0)
    force = beams.handbook_force(strain, 6.0, 2.0, 15.0, 2000.0)
    assert (strain, force) == pytest.approx((0.02, 10.6667), rel=1e-4)
    for angle, expected in ((30, 11.3189), (45, 19.810), (60, 45.121)):
        assert force * beams.mating_factor(math.radians(angle), 0.3) == pytest.approx(expected, rel=1e-4)
    assert beams.mating_factor(math.radians(80), 0.3) == math.inf
    for taper, strained, pushed in ((beams.THINNING, 0.01223, 6.9206), (beams.NARROWING, 0.01559, 8.8236)):
        found = beams.handbook_strain(1.5, 2.0, 15.0, taper)
        assert found == pytest.approx(strained, rel=1e-3)
        assert beams.handbook_force(found, 6, 2, 15, 2000) * beams.mating_factor(math.radians(30),
                                                                                 0.3) == pytest.approx(pushed, rel=1e-3)


# R, from a 2×2 force balance on the ramp: µ, mating factor at 15, 30, 45, 60°, self-lock.
@pytest.mark.parametrize(("friction", "factors", "locks"), [
    (0.2, (0.4944, 0.8788, 1.5000, 2.9561), 78.690), (0.3, (0.6176, 1.0611, 1.8571, 4.2300), 73.301),
    (0.4, (0.7481, 1.2708, 2.3333, 6.9407), 68.199), (0.5, (0.8868, 1.5146, 3.0000, 16.6603), 63.435)])
def test_mating_factor_and_locking_angle(friction, factors, locks):
    found = [beams.mating_factor(math.radians(angle), friction) for angle in (15, 30, 45, 60)]
    assert found == pytest.approx(factors, rel=1e-3)
    assert math.degrees(beams.locking_angle(friction)) == pytest.approx(locks, abs=1e-3)


def test_printed_section_as_a_sandwich():
    """R, numerical integration: EI over solid EI of an arm 2 × 8, line 0.45; lying without skins, lying with two of 0.6."""
    rows = ((1, 0.15, 1.5, 0.84329, 0.86680), (1, 0.15, 2, 0.83737, 0.86176), (2, 0.15, 1.5, 0.99906, 0.99920),
            (1, 0.05, 2, 0.83404, 0.85893), (1, 0.30, 1.5, 0.86096, 0.88182))
    for loops, infill, exponent, bare, skinned in rows:
        assert section(2, 8, Fill(loops, 0.45, infill, 0.0, exponent=exponent)).fullness == pytest.approx(bare, abs=1e-5)
        assert section(2, 8, Fill(loops, 0.45, infill, 0.6, exponent=exponent)).fullness == pytest.approx(skinned, abs=1e-5)
    upright = section(2, 8, Fill(1, 0.45, 0.15, 0.6, "upright"))
    assert upright.fullness == pytest.approx(0.86092, abs=1e-5)


# R, layered finite elements (Allen's thick-face sandwich agrees to 0.7 %): loops, infill, n; give over solid at L 10, 20, 30.
@pytest.mark.parametrize(("loops", "infill", "exponent", "expected"), [
    (1, 0.15, 1.5, (1.574, 1.285, 1.230)), (1, 0.15, 2, (2.151, 1.444, 1.306)), (1, 0.05, 2, (8.053, 3.225, 2.146)),
    (2, 0.15, 1.5, (1.117, 1.030, 1.014))])
def test_shear_of_the_soft_core(loops, infill, exponent, expected):
    made = section(2, 8, Fill(loops, 0.45, infill, 0.0, exponent=exponent))
    for length, factor in zip((10, 20, 30), expected, strict=True):
        solid = length**3 / (3 * 2000 * 8 * 2**3 / 12)
        assert cantilever_compliance(made, length, 2000.0) / solid == pytest.approx(factor, rel=0.02)


@pytest.mark.parametrize(("loops", "skin", "infill"), [(1, 0.8, 0.05), (2, 0.2, 0.15)])
def test_skins_carry_the_shear_of_a_hollow_arm(loops, skin, infill):
    """Solid finite elements of walls and skins round a soft core, 20 × 3 × 8."""
    fill = Fill(loops, 0.45, infill, skin)
    give = plane_fem.filled_arm(20.0, 3.0, 8.0, loops * 0.45, skin, fill.core_ratio)
    assert cantilever_compliance(section(3.0, 8.0, fill), 20.0, 1.0) == pytest.approx(give, rel=0.04)


@pytest.mark.trade
def test_a_second_loop_stiffens_a_2_mm_arm():
    """Common practice, no source: two loops make an arm solid. By how much is the model's: docs/flex.md."""
    one, two = (cantilever_compliance(section(2, 8, Fill(loops, 0.45, 0.15, 0.0)), 10, 2300) for loops in (1, 2))
    soft = cantilever_compliance(section(2, 8, Fill(1, 0.45, 0.05, 0.0)), 10, 2300)
    assert one / two == pytest.approx(1.41, abs=0.03)  # R, layered finite elements
    assert soft > 1.3 * one


# Plane-stress finite elements: arm, thickness, root fillet; force across, and with as much along it at a bump on the arm.
@pytest.mark.parametrize(("length", "thickness", "fillet"), [(15, 2, 1.0), (15, 2, 0.5), (10, 2, 0.6), (8, 1.5, 0.75),
                                                             (6, 1.2, 0.3)])
@pytest.mark.parametrize(("load", "at"), [((0.0, -1.0), (0.0, 0.0)), ((-1.0, -1.0), (0.5, 2.5))])
def test_a_hook_with_a_fillet_in_a_soft_wall(length, thickness, fillet, load, at):
    tip, strain = plane_fem.bent_arm(length, thickness, 6.0, fillet, 2000.0, load, at)
    arm = Arm(length, thickness, 6.0, SOLID, 2000.0, plane_fem.POISSON, fillet=fillet)

    bent = arm.bent(np.array([-tip]), np.array([load[0]]), np.array([at]))

    assert bent.force[0] == pytest.approx(1.0, rel=0.05), "stiffness"
    assert bent.strain[0] / bent.force[0] == pytest.approx(strain, rel=0.10), "peak strain"


@pytest.mark.parametrize(("radius", "slots", "wall", "length"), [(17.0, 10, 1.6, 18.0), (10.0, 4, 1.6, 20.0)])
def test_a_finger_turns_on_the_stub_it_leaves_of_its_ring(radius, slots, wall, length):
    angle, fill = 2 * math.pi / slots - 1.2 / (radius + wall / 2), SOLID
    arm = Arm(length, wall, angle * radius, fill, 2000.0, plane_fem.POISSON, fillet=0.4, root=STUB,
              shape=lambda depth, _: sector(radius, depth, angle, length, fill, plane_fem.POISSON))
    given = plane_fem.finger_on_a_floor(radius, wall, slots, length, 2000.0)
    assert float(arm.flexibility[1, 1]) == pytest.approx(given, rel=0.05)


@pytest.mark.parametrize(("slots", "wall", "length"), [(4, 1.6, 20.0), (8, 1.6, 14.0)])
def test_a_slotted_ring_is_fingers_of_curved_section(slots, wall, length):
    """Triquadratic solid elements of one finger; slots 1.2 wide, bore 20."""
    angle = 2 * math.pi / slots - 1.2 / (10 + wall / 2)
    give, strain = plane_fem.bent_finger(10.0, wall, angle, length, 2000.0)
    made, inner, _ = sector(10.0, wall, angle, length, SOLID, plane_fem.POISSON)
    arm = Arm(length, wall, angle * 10, SOLID, 2000.0, plane_fem.POISSON, soft_root=False,
              shape=lambda _d, _w: sector(10.0, wall, angle, length, SOLID, plane_fem.POISSON))

    assert arm.flexibility[1, 1] == pytest.approx(give, rel=0.05)
    middle = length * 0.4
    assert inner * (length - middle) / (2000 * made.bending) == pytest.approx(strain(middle), rel=0.10)


# R, foundation beam integrated over a band 0.5 t wide, mean radius 10, ν 0.35; axisymmetric FEM of the same near the rim.
@pytest.mark.parametrize(("wall", "near", "near_fem", "remote"), [
    (0.5, 0.00815, 0.00803, 0.02837), (1, 0.02508, 0.02444, 0.08261), (1.5, 0.04949, 0.04772, 0.15634),
    (2, 0.08129, 0.07771, 0.24810)])
def test_stretching_a_ring(wall, near, near_fem, remote):
    band = 0.5 * wall
    found = stretch_factor(10.0, wall, 0.35, band / 2, band)
    assert found == pytest.approx(near, rel=2e-3)
    assert found == pytest.approx(near_fem, rel=0.06)
    assert stretch_factor(10.0, wall, 0.35, 80.0, band) == pytest.approx(remote, rel=2e-3)


def test_the_annular_example():
    """Foundation beam (Hetényi 1946) by hand.

    d 20, t 1.5, E 2000, ν 0.35, undercut 0.5 on the diameter, band 1.0 at the rim: band formula 946 N, W 1004 N.
    """
    banded = 0.5 * 20 * 2000 * stretch_factor(10.75, 1.5, 0.35, 0.5, 1.0)
    assert banded == pytest.approx(946, rel=0.01)
    assert banded * beams.mating_factor(math.radians(30), 0.3) == pytest.approx(1004, rel=0.01)
    force = Ring(20.0, 1.5, 0.5, SOLID, 2000.0).bent(np.array([0.25]), np.zeros(1), np.zeros((1, 2)))
    assert force.force[0] == pytest.approx(banded, rel=0.08), "a band is a line at its middle, which sinks in a little"
    assert force.strain[0] == pytest.approx(0.025)
    assert remote_from(20, 1.5) == pytest.approx(9.86, abs=0.01)
    assert decay(10.75, 1.5, 0.35) * 1.8 * math.sqrt(2 * 10.75 * 1.5) == pytest.approx(3.24, abs=0.01)


def ride(length=60.0, thickness=0.8, undercut=0.1, lead=30.0, back=45.0, friction=0.3, wall=2.0, seat=0.0,
         taper=beams.STRAIGHT):
    arm = Arm(length, thickness, 6.0, SOLID, 2000.0, soft_root=False, taper=taper)
    face = thickness / 2
    rise = undercut / math.tan(math.radians(back)) if back < 90 else 0.0
    run = undercut / math.tan(math.radians(lead))
    catch = ((-3.0, face), (0.0, face), (rise, face + undercut), (rise + 0.1, face + undercut), (rise + 0.1 + run, face))
    return Ride(arm, catch, ((0.0, face), (wall, face)), wall + seat, friction)


def test_the_contact_path_becomes_the_mating_formula_where_arms_are_slender():
    made = ride(length=300.0, undercut=0.08)
    press = 0.08 / made.flexure.flexibility[1, 1]

    assert made.way.peak_in / press == pytest.approx(beams.mating_factor(math.radians(30), 0.3), rel=0.02)
    assert made.way.peak_out / press == pytest.approx(beams.mating_factor(math.radians(45), 0.3), rel=0.03)


def test_energy_along_the_way_is_kept_without_friction():
    """What is pushed in against frictionless faces is stored in the arm, and let go at the drop: no source but mechanics."""
    way = ride(length=30.0, thickness=1.2, undercut=0.6, friction=0.0).way

    stored = 0.5 * way.most * way.press[way.crest]
    assert way.work == pytest.approx(way.click, rel=0.1)
    assert way.click == pytest.approx(stored, rel=0.05)


@pytest.mark.parametrize(("back", "friction", "locks"), [(60, 0.3, False), (76, 0.3, True), (60, 0.6, True), (90, 0.1, True)])
def test_faces_lock_by_angle_and_friction(back, friction, locks):
    way = ride(back=back, friction=friction).way
    assert way.locks is locks
    assert math.isinf(way.peak_out) is locks


@pytest.mark.parametrize("off", [0.1, 0.2, 0.4])
def test_a_bead_moved_off_its_seat_rattles_by_as_much(off):
    assert ride(length=40, seat=off, undercut=0.6, thickness=1.2).way.rattle == pytest.approx(off, abs=0.01)
    tight = ride(length=40, seat=-0.1, undercut=0.6, thickness=1.2).way
    assert tight.rattle == 0
    assert tight.preload > 0


def test_pushing_at_a_bump_above_the_arm_takes_more_than_the_formula_says():
    """The force along the way acts above the arm's axis and holds the arm up; finite elements above say the same."""
    stubby = ride(length=15.0, thickness=2.0, undercut=1.5)
    formula = stubby.way.most / stubby.flexure.flexibility[1, 1] * beams.mating_factor(math.radians(30), 0.3)
    assert stubby.way.peak_in > 1.1 * formula
