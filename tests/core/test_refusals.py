"""Refusals and verdicts lead somewhere: what cannot be made names what can, what fails names what mends it."""

from __future__ import annotations

import random

import pytest
from soak import designs

from bouncy_latch.core import fields
from bouncy_latch.core.checks import OK
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import SolveError, UserError
from bouncy_latch.core.judge.search import nearest, target
from bouncy_latch.core.judge.search.remedies import all_remedies
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Policy

HERON, GANNET = population.built_in()[:2]


def design(kind_id, process=HERON, **values):
    kind = registry.kind(kind_id)
    return Design(kind, fields.parse(kind.params, values), process, Policy.MINE)


@pytest.mark.parametrize(("kind", "values", "said"), [
    ("ring-spring", {"action": "button", "outer_radius": 18, "inner_radius": 7}, "arm form leaves"),
    ("knuckle-hinge", {"leaf_thickness": 5, "barrel": 10}, "barrel 9"),
    ("fin-ring", {"depth": 1}, "fin length 7.5 mm and fin depth 2 mm"),
    ("zigzag-spring", {"pitch": 1.2}, "pitch")])
def test_what_cannot_be_made_names_the_nearest_that_can(kind, values, said):
    asked = design(kind, **values)
    with pytest.raises(SolveError) as refused:
        asked.solve()
    fixed = frozenset(values) if kind == "ring-spring" else frozenset()
    sentence = nearest.sentence(asked, refused.value, fixed)
    assert sentence.startswith(f"{refused.value.sentence}. Nearest that can be made: {said}")
    found = nearest.nearest(asked, refused.value, fixed)
    assert found is not None
    found.solve()
    assert all(getattr(found.params, name) == getattr(asked.params, name) for name in fixed)


def test_a_search_starts_from_the_nearest_design():
    asked = design("ring-spring", action="button", outer_radius=18, inner_radius=7)
    found = target.reach(asked, frozenset({"action", "outer_radius", "inner_radius"}))
    assert (found.design.params.outer_radius, found.design.params.inner_radius) == (18, 7)
    assert found.chance > 0.9


def facts(asked):
    return asked.params.active()


def test_refusals_of_random_designs_lead_to_designs_that_can_be_made():
    rng, kinds, led, refused = random.Random(2301), list(registry.kinds().values()), 0, 0
    while refused < 14:
        kind = rng.choice(kinds)
        try:
            asked = Design(kind, fields.parse(kind.params, designs.draw(kind, rng)), GANNET, Policy.MINE)
            asked.solve()
        except SolveError as error:
            refused += 1
            found = nearest.nearest(asked, error)
            led += found is not None
            if found is not None:
                found.solve()
                given = [name for name, each in facts(asked).items() if each.role == "given"]
                kept = [name for name in given if getattr(found.params, name) == getattr(asked.params, name)]
                assert len(kept) >= len(given) - 3, "what the user gave is given up last"
        except UserError:
            continue
    assert led == refused, "every one"


@pytest.mark.parametrize(("kind", "values", "check", "mends"), [
    ("hook", {"lead_angle": 80}, "insertion", "lead_angle"),
    ("locking-tab", {"seat_gap": -0.1, "release": "permanent", "return_angle": 80}, "works", "seat_gap"),
    ("knuckle-hinge", {"fold_gap": 0.1}, "comes-free", "fold_gap")])
def test_what_once_had_no_remedy_has_one(kind, values, check, mends):
    asked = design(kind, **values)
    failing = [each for each in asked.solve().checks if each.verdict != OK]
    offered = all_remedies(asked, failing)
    assert any(mends in remedy.values for remedy in offered[check])
    better = offered[check][0]
    assert asked.changed(**better.values).solve().aim.chance > asked.solve().aim.chance


def test_what_a_quick_search_offers_does_not_depend_on_what_was_asked_before():
    """Others that fill the memory, or empty it, must not decide which remedies are found."""
    asked = design("hook", undercut=1.4, thickness=2.4)
    failing = [each for each in asked.solve().checks if each.verdict != OK]
    assert failing
    first = all_remedies(asked, failing, thorough=False)
    for other in (1.41, 1.42, 1.43):
        another = asked.changed(undercut=other)
        all_remedies(another, [each for each in another.solve().checks if each.verdict != OK])
    second = all_remedies(asked, failing, thorough=False)
    assert {key: [r.text for r in found] for key, found in first.items()} == {
        key: [r.text for r in found] for key, found in second.items()}


@pytest.mark.parametrize("reach", [20.0, 45.0, 120.0])
def test_a_lid_may_wobble_more_the_further_it_reaches(reach):
    limit = design("knuckle-hinge", leaf_width=reach).solve().check("edge-wobble").limit
    assert limit == pytest.approx(max(0.6, reach / 45), rel=0.1)
