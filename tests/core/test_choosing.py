"""One need for all kinds: what each answers, what it refuses, and the order that follows from figures."""

from __future__ import annotations

import math
from dataclasses import replace

import manifold3d
import pytest

from bouncy_latch.core import fields
from bouncy_latch.core.choosing import choose
from bouncy_latch.core.choosing.candidate import candidate, completed, plainness
from bouncy_latch.core.choosing.need import Need, answered
from bouncy_latch.core.choosing.ranking import CRITERIA, WEIGHTS, marks, ranked, score
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, ParamError
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import TASKS
from bouncy_latch.core.process.population import built_in, effective
from bouncy_latch.core.process.profile import Policy

HERON = built_in()[0]


def need(**values):
    return fields.parse(Need, values)


@pytest.fixture(scope="module")
def closing():
    """What closes an opening of 40 mm."""
    return choose.choose(need(task="close", size=40), HERON)


@pytest.mark.parametrize("kind", registry.kinds().values(), ids=lambda kind: kind.id)
def test_what_a_kind_answers_is_asked_and_what_it_sets_is_its_own(kind):
    facts, derived = Need.facts(), {each.name for each in kind.solve(kind.params(), HERON).derived}
    assert kind.tasks
    assert set(kind.tasks) <= set(TASKS)
    assert set(kind.answers) <= set(facts)
    for name, answer in kind.answers.items():
        assert not answer.param or answer.param in kind.params.facts()
        assert not answer.figure or answer.figure in derived
        assert {*answer.sets, *answer.refuses} <= set(facts[name].choices)
        for values in answer.sets.values():
            kind.params().changed(**values)


def test_candidates_are_solved_for_this_need_and_this_printer(closing):
    assert {each.design.kind.id for each in closing.candidates} == {"side-spring", "fin-ring", "bead-ring"}
    assert {each.kind.id for each in closing.dismissed} == {"hook", "thread", "knuckle-hinge"}
    assert all("40 mm" in each.reason for each in closing.dismissed)
    for each in closing.candidates:
        design = each.design
        assert getattr(design.params, design.kind.answers["size"].param) == 40
        assert each.chance == design.kind.solve(design.params, HERON).aim.chance
        assert each.more.anyone == design.kind.solve(design.params, effective(HERON, Policy.ANYONE)).aim.chance
        for growth in (each.more.window.low + 0.004, each.more.window.high - 0.004):
            solution = design.grown(growth).solve()
            assert all(check.margin >= -1e-6 for check in solution.checks if check.printer and check.id != solution.aim.check)
    assert closing.whole
    assert closing.give_up == ""


def test_the_order_follows_the_weights(closing):
    alone = dict.fromkeys(WEIGHTS, 0.0)
    for each in CRITERIA:
        order = ranked(closing.candidates, {**alone, each.name: 1.0})
        found = [marks(one)[each.name] for one in order if one.reached]
        assert found == sorted(found, reverse=True)
    lightest = ranked(closing.candidates, {**alone, "light": 1.0})[0]
    assert lightest.more.grams == min(each.more.grams for each in closing.candidates)
    assert score(lightest, {**alone, "light": 1.0}) == pytest.approx(100 * marks(lightest)["light"])
    short = replace(lightest, failing=("Strain: 9 % (at most 2 %)",))
    assert ranked([short, *closing.candidates])[-1] is short, "what fails stands behind what does not"


@pytest.mark.trade
def test_what_gives_way_swallows_more_printer_error_than_a_fit(closing):
    """Sprung bars instead of a fit to hit (common practice, no source): a wider print window, a better chance elsewhere."""
    by_id = {each.design.kind.id: each.more for each in closing.candidates}
    nut = completed(candidate(Design(registry.kind("nut-pocket"), registry.kind("nut-pocket").params(), HERON), need())).more
    assert by_id["side-spring"].window.width > 2 * nut.window.width
    assert by_id["side-spring"].anyone > nut.anyone
    assert by_id["side-spring"].tender <= nut.tender


@pytest.mark.parametrize(("kind", "values", "words"), [
    ("hook", {"direction": "sideways"},
     "a hook does not answer “load acts sideways”: its hold is worked out against a pull apart"),
    ("screw-boss", {"opened": "daily"}, "wears its thread out"), ("hook", {"task": "turn"}, "a hook is not made to turn"),
    ("hook", {"torque": 20}, "a hook has no figure that answers “torque wanted 20 N·mm”"),
    ("hook", {"load": 4000}, "a hook takes must hold from 0.1 to 2000 N, not 4000"),
])
def test_what_a_kind_cannot_do_is_one_sentence(kind, values, words):
    with pytest.raises(ParamError) as caught:
        answered(registry.kind(kind), need(**values))
    assert words in caught.value.sentence


def test_a_need_that_nothing_meets_names_what_to_give_up():
    nothing = choose.choose(need(task="spring back", force=5, travel=4, room_length=30), HERON)
    nearest = nothing.candidates[0]
    assert not nearest.reached
    title = nearest.design.kind.title.lower()
    assert nothing.give_up.startswith(f"nothing does all that is wanted; a {title} comes nearest and ")
    assert nearest.short[0] in nothing.give_up
    assert "room, length" in nothing.give_up
    assert choose.choose(need(task="turn", size=9, torque=5), HERON).candidates == ()
    with pytest.raises(Cancelled):
        choose.choose(need(), HERON, progress=lambda part: part < 0.1)


def test_a_first_layer_is_as_plain_as_its_outline():
    """4π of a disc, 16 of a square; an L has one corner that turns inwards."""
    square = manifold3d.CrossSection.square((10, 10))
    assert plainness(square).outline == pytest.approx(16)
    assert plainness(manifold3d.CrossSection.circle(10, 400)).outline == pytest.approx(4 * math.pi, rel=1e-3)
    corner = plainness(square + manifold3d.CrossSection.square((20, 4)))
    assert corner.corners == 1
    assert corner.outline == pytest.approx(60**2 / 140)
