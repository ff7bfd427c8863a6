"""What bodies survive while a weld is broken, against strength of materials by hand."""

from __future__ import annotations

import math

import pytest

from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.layers.breakaway import HAND_ARM, HAND_FORCE, HAND_PULL, TOOL_FACTOR
from bouncy_latch.core.layers.loadpath import LAYER_STRENGTH, SHEAR_STRENGTH, Load, strength_of
from tests.parts import block, cylinder


def around(radius, height):
    return [Load((radius * math.cos(a), radius * math.sin(a), height), 1.0, ("a", "b"))
            for a in (0.1 + k * math.pi / 4 for k in range(8))]


@pytest.mark.parametrize("radius", [3.0, 5.0])
def test_a_solid_shaft_fails_in_torsion(radius):
    """π r³ τ / 2; rings of finite width blur it by some per cent."""
    found = strength_of({"a": cylinder(10, radius), "b": cylinder(4, 14) - cylinder(6, radius + 0.3, z=-1)},
                        Freedom("turn"), around(radius, 2.0))
    assert found.part == pytest.approx(SHEAR_STRENGTH * math.pi * radius**3 / 2, rel=0.15)
    assert found.weakest == "the shaft of a"
    assert found.unit == "N·mm"
    assert found.hand == pytest.approx(HAND_FORCE * 14, rel=0.01)
    assert found.tool == TOOL_FACTOR * found.hand


@pytest.mark.parametrize(("bore", "high"), [(4.0, 2.0), (6.0, 4.0)])
def test_a_bore_strips_in_shear(bore, high):
    """τ · 2π r² · h on the inner face of a ring gripped by its bore."""
    ring = cylinder(high, 8) - cylinder(high + 2, bore, z=-1)
    found = strength_of({"a": ring, "b": cylinder(high, 60) - cylinder(high + 2, 8.3)}, Freedom("turn"), around(8.0, high / 2))
    assert found.part == pytest.approx(SHEAR_STRENGTH * 2 * math.pi * bore**2 * high, rel=0.25)
    assert found.weakest == "the bore of a"
    assert found.hand == HAND_FORCE * HAND_ARM, "a longer arm is not used on a small part"


def test_a_necked_pin_tears_across_its_layers():
    pin = block(8, 8, 10) + block(4, 4, 10, (2, 2, 10)) + block(8, 8, 10, (0, 0, 20))
    loads = [Load((4.0, 4.0, 29.0), 5.0, ("pin", "cup"))]
    found = strength_of({"pin": pin, "cup": block(20, 20, 3, (-6, -6, 30))}, Freedom("slide"), loads)
    assert found.part == pytest.approx(LAYER_STRENGTH * 16)
    assert (found.hand, found.unit) == (HAND_PULL, "N")


@pytest.mark.parametrize("height", [6.0, 12.0])
def test_the_tip_of_a_cone_bears_only_what_acts_on_it(height):
    """Gripped at its base: welds all over a cone of 5 mm hold on by r², so r³ bears the torque of r³ and no tip gives way."""
    rings = [(k + 0.5) / 200 for k in range(200)]
    loads = [Load((5 * (1 - part) * math.cos(a), 5 * (1 - part) * math.sin(a), height * part), 1 - part, ("a", "b"))
             for part in rings for a in (0.2, 1.8, 3.3, 4.9)]
    bodies = {"a": cylinder(height, 5.0, 0.05), "b": cylinder(height, 14) - cylinder(height + 2, 5.3, z=-1)}
    found = strength_of(bodies, Freedom("turn"), loads)
    assert found.weakest == "the shaft of a"
    assert found.part == pytest.approx(SHEAR_STRENGTH * math.pi * 5.0**3 / 2, rel=0.2)
    # Pulled by its tip alone it tears off there.
    torn = strength_of(bodies, Freedom("slide"), [Load((0.0, 0.0, 0.9 * height), 1.0, ("a", "b"))])
    assert torn.part < LAYER_STRENGTH * math.pi * (0.15 * 5) ** 2


def test_nothing_breaks_where_nothing_welds():
    found = strength_of({"a": block(5, 5, 5), "b": block(5, 5, 5, (9, 0, 0))}, Freedom("apart"), [])
    assert math.isinf(found.part)


@pytest.mark.parametrize(("direction", "point", "arm"), [
    ((0, 0, 1), (3.0, 4.0, 9.0), 5.0), ((1, 0, 0), (7.0, 0.0, 2.0), 2.0), ((0, 0.6, 0.8), (0.0, 0.8, -0.6), 1.0)])
def test_the_arm_is_the_distance_from_the_line(direction, point, arm):
    assert Freedom("turn", direction=direction).arm(point) == pytest.approx(arm)
    assert Freedom("slide", direction=direction).arm(point) == 1.0
