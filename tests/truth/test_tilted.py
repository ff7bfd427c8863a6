"""One side first: ways in that bend least, by brute force, by hand, and in the order that practitioners tell."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from bouncy_latch.core.flex import tilted
from bouncy_latch.core.flex.tilted import Opposed, easiest
from bouncy_latch.core.mechanisms import registry

HINGE = registry.kind("clip-hinge")
STIFF = {"arm": 2, "width": 8, "length": 9, "mouth": 20, "nub": 4.9, "nub_height": 1, "nub_chamfer": 0.5, "clearance": 0.25,
         "hole_fit": 0.1, "hole_depth": 1, "lead_in": 1, "loops": 1, "infill": 15, "end": 4.2}
"""Short arms on a wide tongue, which goes in by hand (common practice, no source)."""


def test_the_least_of_all_greatest_values_is_that_of_every_path():
    rng = np.random.default_rng(5)
    for _ in range(20):
        field = rng.random((4, 3))
        least = math.inf
        # In every row a way comes in at one column, goes on to another within the row, and leaves there for the next row.
        for turns in itertools.product(range(3), repeat=4):
            columns = [*turns, 0]
            passed = [field[row, min(columns[row], columns[row + 1]):max(columns[row], columns[row + 1]) + 1].max()
                      for row in range(4)]
            least = min(least, max(passed))
        assert tilted._least_greatest(field)[-1] == pytest.approx(least)


def bump(height, wide, tail):
    """A bump on an arm's end whose face goes on over ``tail`` mm behind it."""
    return ((-tail, 0.0), (-wide, 0.0), (0.0, height), (wide, 0.0))


def test_what_is_guided_all_along_cannot_be_tilted_in():
    """A bar 30 mm long fills its channel: any tilt takes more room than two bumps of half a millimetre do."""
    shape = Opposed(bump(0.5, 1.0, 30.0), ((0.0, 0.05), (30.0, 0.05)), 6.0, 25.0, 20.0)
    found = easiest(shape)
    assert found.part > 0.97
    assert found.straight == pytest.approx(0.45 * 20.0 / 20.0, rel=0.02), "bump less clearance, at the arm's end"


def test_through_a_thin_edge_one_bump_goes_after_the_other():
    """Two bumps 0.5 high on a bar 12 wide, 1 ahead of each other when it leans by 5°: at one time just one meets the edge, and
    the bar moves over to the other side by the clearance: (0.5 − 2 · 0.2) is left, shared by two arms."""
    clear = 0.2
    shape = Opposed(bump(0.5, 0.4, 6.0), ((0.0, 2.0), (0.0, clear), (0.3, clear), (0.3, 2.0)), -6.0, 3.0, 12.0)
    found = easiest(shape)
    assert found.straight == pytest.approx(0.5 - clear, rel=0.03)
    assert found.lowered == pytest.approx((0.5 - 2 * clear) / 2, abs=0.04)
    assert 3 < math.degrees(found.angle) < 15


def test_the_sheet_gives_both_pushes_and_the_verdict_uses_the_one_asked_for(heron):
    by_hand, guided = (HINGE.solve(HINGE.params().changed(**STIFF, entry=entry), heron) for entry in ("tilted", "straight"))
    for solution, used in ((by_hand, "push_tilted"), (guided, "push_straight")):
        assert solution.check("insertion").value == pytest.approx(solution.value(used)) == pytest.approx(
            solution.value("insertion"))
    assert by_hand.value("push_tilted") < 0.65 * by_hand.value("push_straight")
    assert by_hand.value("push_straight") == pytest.approx(guided.value("push_straight"))
    assert by_hand.check("strain").value < 0.9 * guided.check("strain").value
    assert 1 < by_hand.value("tilt") <= 25
    assert "one side first" in by_hand.check("insertion").why


def test_a_clip_hinge_eases_in_the_order_that_practitioners_tell(heron):
    """Two lines stiff; one line softer; less infill weaker; shorter nubs easier on and off; a lead-in glides (common practice,
    no source)."""
    def push(**changes):
        solution = HINGE.solve(HINGE.params().changed(**{**STIFF, **changes}), heron)
        return solution.value("insertion"), solution.value("retention"), solution.value("strain")

    two, one, weak = push(loops=2), push(), push(infill=5)
    short, ramped = push(nub_height=0.7, hole_depth=0.8, lead_in=0.3), push(nub_height=0.7, hole_depth=0.8)
    assert two[0] > 1.15 * one[0] > 1.05 * weak[0]
    steep = push(lead_in=0.3)
    assert short[0] < steep[0]
    assert short[1] < steep[1]
    assert ramped[0] < 0.9 * short[0]
    assert ramped[2] < one[2] < two[2] * 1.05
