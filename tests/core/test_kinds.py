"""What every registered kind must do. A new kind is tested here on the day it exists."""

from __future__ import annotations

import io
import math
from itertools import pairwise

import numpy as np
import pytest
import trimesh
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from bouncy_latch.core import fields
from bouncy_latch.core.checks import FIT, OK, SHAPE, STOP, TOPICS, Check
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import ParamError, SolveError
from bouncy_latch.core.formats import meshes
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.judge.search import window
from bouncy_latch.core.layers import findings
from bouncy_latch.core.learn.calibration import ladders, telling
from bouncy_latch.core.learn.posterior.belief import learn
from bouncy_latch.core.mechanisms import contract, registry
from bouncy_latch.core.outcomes import Scale
from bouncy_latch.core.parts.body import Body
from bouncy_latch.core.process import population, readings
from bouncy_latch.core.process.profile import Policy, Spread
from bouncy_latch.core.solids import brep, mesh, tree

KINDS = list(registry.kinds().values())
each_kind = pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.id)
HERON = population.built_in()[0]


WHO = ((population.built_in()[0], Policy.MINE), (population.built_in()[1], Policy.MINE), (HERON, Policy.ANYONE))
"""Both demo printers, and anyone's."""
CANNOT = {("knuckle-hinge", "Gannet", "mine"): 0.15, ("knuckle-hinge", "Heron", "anyone"): 0.8,
          ("nut-pocket", "Gannet", "mine"): 0.7, ("nut-pocket", "Heron", "anyone"): 0.6,
          ("peg-and-hole", "Gannet", "mine"): 0.5, ("peg-and-hole", "Heron", "anyone"): 0.6,
          ("polygon-plug", "Gannet", "mine"): 0.5, ("polygon-plug", "Heron", "anyone"): 0.55,
          ("thread", "Gannet", "mine"): 0.45, ("thread", "Heron", "anyone"): 0.75}
"""Whose defaults do not pass, and the chance they still have: nobody printed ladders of pockets, fits or threads there (65, 71
and 83 % at best), and a gap that frees Gannet's hinge wobbles on Heron."""


@each_kind
@pytest.mark.parametrize(("process", "policy"), WHO, ids=["heron", "gannet", "anyone"])
def test_the_defaults_of_a_kind_pass_on_every_demo_printer_and_on_anyones(kind, process, policy):
    request = Design(kind, kind.params(), process, policy)
    solution = request.solve()
    if least := CANNOT.get((kind.id, process.printer, policy.value)):
        assert least < solution.aim.chance < 0.95, "if it passes now, say so here"
        return
    proof = verdicts.full_analysis(request, solution, traced=False)
    assert not [(check.id, check.words) for check in (*solution.checks, *proof.checks) if check.verdict != OK]


@st.composite
def some_params(draw, kind):
    """Parameters from the kind's whole range, most left at their defaults; combinations that cannot be are dropped."""
    facts = list(kind.params.facts().values())
    values = {}
    for field in draw(st.lists(st.sampled_from(facts), max_size=9, unique_by=lambda f: f.name)):
        if field.choices:
            values[field.name] = draw(st.sampled_from(field.choices))
        else:
            # Sizes near the defaults make more sense together than the far ends of their ranges.
            middle = field.default if field.default is not None else (field.low + field.high) / 8
            low, high = max(field.low, middle / 2), min(field.high, middle * 2 + field.step)
            steps = draw(st.integers(0, max(1, int((high - low) / field.step))))
            values[field.name] = round(min(low + steps * field.step, field.high), 4)
    try:
        params = fields.parse(kind.params, values)
        return params, kind.solve(params, HERON)
    except (ParamError, SolveError):
        assume(False)


@each_kind
@settings(max_examples=12)
@given(data=st.data())
def test_both_evaluators_agree_and_files_are_closed_over_the_whole_range(kind, data):
    _, solution = data.draw(some_params(kind))
    for name, solid in solution.bodies.items():
        manifold = mesh.evaluate(solid)
        exact = brep.evaluate(solid)
        volume, _ = brep.volume_and_centroid(exact)
        assert brep.is_valid(exact)
        assert manifold.volume() == pytest.approx(volume, rel=5e-3)
        assert len(manifold.decompose()) == 1, f"{name} is in pieces"
        written = trimesh.load(io.BytesIO(meshes.to_stl(manifold, name)), file_type="stl")
        assert written.is_watertight
        assert written.volume == pytest.approx(manifold.volume(), rel=1e-4)
        assert manifold.bounding_box()[2] == pytest.approx(0, abs=1e-9), "it does not stand on the bed"


@each_kind
def test_bodies_do_not_overlap_as_printed(kind):
    solution = kind.solve(kind.params(), HERON)
    bodies = [mesh.evaluate(solid) for solid in solution.bodies.values()]
    for i, first in enumerate(bodies):
        for second in bodies[i + 1:]:
            assert (first ^ second).volume() == pytest.approx(0, abs=1e-9)


@each_kind
def test_every_field_is_declared_for_all_its_readers(kind):
    for facts in kind.params.facts().values():
        assert facts.label, facts.name
        assert facts.help, facts.name
        assert facts.source, facts.name
        assert facts.role in {"given", "chosen"}
        assert facts.choices or (facts.low < facts.high and facts.step > 0)
    solution = kind.solve(kind.params(), HERON)
    assert solution.rulers
    assert solution.summary
    assert all(d.formula and d.source for d in solution.derived)
    assert all(name in kind.params.facts() for check in solution.checks for name in check.mend)
    assert {name for q in kind.questions for name in q.params} <= set(kind.params.facts())


@each_kind
def test_every_bound_is_kept_in_one_sentence(kind):
    for facts in kind.params.facts().values():
        if facts.choices:
            refused = ["no such word", 3, None, math.nan]
        else:
            refused = [facts.low - facts.step, facts.high + facts.step, math.nan, math.inf, "wide", True, 1e300, "1e999"]
            refused += [] if facts.auto else [None, ""]
            for bound in (facts.low, facts.high):
                assert getattr(fields.parse(kind.params, {facts.name: bound}), facts.name) == pytest.approx(bound)
        for value in refused:
            if facts.open_choice:
                continue
            with pytest.raises(ParamError) as caught:
                fields.parse(kind.params, {facts.name: value})
            assert caught.value.field == facts.name
            assert facts.label in caught.value.sentence
            assert "\n" not in caught.value.sentence


def test_text_is_read_as_a_user_means_it(hinge):
    read = fields.parse(hinge.params, {"gap": " 0,28 mm", "knuckles": "6", "barrel": "auto"})

    assert (read.gap, read.knuckles, read.barrel) == (0.28, 6, None)
    for text, wanted in {"1 in": 25.4, '1 3/8"': 34.925, "5/8 inch": 15.875, "0,5 in": 12.7, "25/2": 12.5}.items():
        assert fields.parse(hinge.params, {"length": text}).length == pytest.approx(wanted), text
        assert readings.read(text.replace("25/2", "25/2 mm")).mean == pytest.approx(wanted), text
    for text in ("1/0", "1 2 in", "in", "3/8 ft", "/2"):
        with pytest.raises(ParamError):
            fields.parse(hinge.params, {"length": text})
    with pytest.raises(ParamError, match="did you mean 'knuckles'"):
        fields.parse(hinge.params, {"knuckle": 6})
    with pytest.raises(ParamError, match="whole number"):
        fields.parse(hinge.params, {"knuckles": 6.5})


@each_kind
@settings(max_examples=6)
@given(data=st.data())
def test_each_remedy_really_mends_its_check(kind, data):
    params, solution = data.draw(some_params(kind))
    request = Design(kind, params, HERON, Policy.MINE)
    for check_id, found in verdicts.quick_analysis(request, solution).remedies.items():
        for remedy in found:
            after = kind.solve(params.changed(**remedy.values), HERON)
            mended = next((check for check in after.checks if check.id == check_id), remedy.mended)
            assert all(change.near for change in remedy.changes), "the part stays much as it is"
            before = {check.id: check.verdict for check in solution.checks}
            assert not [check.id for check in after.checks if check.verdict == STOP != before.get(check.id)], "adds a stop"
            if remedy.most:
                assert after.aim.chance > solution.aim.chance
                assert "the most there is" in remedy.text
                continue
            assert mended.verdict == OK, remedy.text
            assert mended.margin == pytest.approx(remedy.margin)
            assert mended.margin > solution.check(check_id).margin
            assert after.check(solution.aim.check).verdict == OK, "mends one check and does not do what it is for"
            assert {check.label for check in after.checks if check.verdict != OK} == set(remedy.left)


SLIM_RING = {"wall": 1.6, "lead_angle": 28, "slots": 10, "hold": 10, "clearance": 0.2}
"""A bead ring that hardly does what is asked of it."""


def test_where_no_single_change_does_it_a_pair_is_offered():
    kind = registry.kind("bead-ring")
    request = Design(kind, kind.params().changed(**SLIM_RING, height=16.5), HERON, Policy.MINE)
    solution = request.solve()
    failing = [check.id for check in solution.checks if check.verdict != OK]
    found = verdicts.quick_analysis(request, solution).remedies

    assert len(failing) == 3
    for check_id in failing:
        best = found[check_id][0]
        assert len(best.values) == 2
        assert best.left == ()
        assert all(check.verdict == OK for check in request.changed(**best.values).solve().checks)
        for name, value in best.values.items():
            assert request.changed(**{name: value}).solve().check(solution.aim.check).verdict != OK, "one does"


def test_what_fails_all_over_is_offered_pairs_with_its_proof():
    kind = registry.kind("bead-ring")
    tried = HERON.model_copy(update={"snap_force": Spread(mean=0.0, sd=0.01)})
    request = Design(kind, kind.params().changed(**SLIM_RING, height=15.0, seat_gap=0.0, edge=0.15, vent=0), tried, Policy.MINE)
    solution = request.solve()
    look, proof = verdicts.quick_analysis(request, solution), verdicts.full_analysis(request, solution)
    aim = solution.aim.check

    assert not look.thorough
    assert look.remedies[aim] == []
    best = verdicts.offered(look, proof, aim)[0]
    assert len(best.values) == 2
    assert request.changed(**best.values).solve().check(aim).verdict == OK


@each_kind
def test_print_window_ends_where_the_checks_begin_to_fail(kind):
    params = kind.params()
    found = window.print_window(Design(kind, params, HERON))

    def good(growth):
        return window.passes(kind.solve(params, HERON.with_growth(growth)))

    assert found is not None
    assert good(found.low + 0.003)
    assert good(found.high - 0.003)
    prints = np.random.default_rng(5).normal(0.05, 0.04, 100_000)
    inside = np.mean((prints > found.low) & (prints < found.high))
    assert found.share(Spread(mean=0.05, sd=0.04)) == pytest.approx(inside, abs=0.005)
    assert found.share(Spread(mean=found.high + 0.01, sd=0)) == 0
    for end, label in ((found.low - 0.004, found.thin), (found.high + 0.004, found.fat)):
        if label:
            beyond = kind.solve(params, HERON.with_growth(end))
            assert label in {check.label for check in beyond.checks if check.printer and check.verdict != OK}
    assert found.thin or found.fat
    assert found.low <= window.LOW or not good(found.low - 0.003)
    assert not good(found.high + 0.003)


@each_kind
@given(growth=st.floats(0.0, 0.12), sd=st.floats(0.005, 0.03), wider=st.floats(0.01, 0.08))
def test_a_less_certain_printer_never_helps_a_design_that_suits_its_mean(kind, growth, sd, wider):
    def chance(spread):
        process = HERON.model_copy(update={"growth": Spread(mean=growth, sd=spread)})
        return kind.solve(kind.params(), process).aim.chance

    assume(chance(sd) > 0.6)
    # Of a snap fit the growth is one doubt among several; a little more of it may hide in the others.
    slack = 1e-6 if kind.solve(kind.params(), HERON).freeing else 0.02
    assert chance(sd + wider) <= chance(sd) + slack


def _chance(kind, params, process):
    try:
        return kind.solve(params, process).aim.chance
    except SolveError:
        return 0.0


@each_kind
def test_recommended_value_serves_best(kind, heron):
    """The least that meets the aim; where it could be loose as well, what no neighbour beats at being neither."""
    params, facts = kind.params(), kind.params.facts()[kind.recommend]
    for policy in Policy:
        process = population.effective(heron, policy)
        value = window.recommended(Design(kind, params, process))
        if value is None:
            assert policy is Policy.ANYONE, "some size serves on a printer that is known"
            continue  # anyone's plastic varies too much for this mechanism, whatever the size
        if (best := kind.solve(params.changed(**{kind.recommend: value}), process).aim).both is not None:
            for near in (value - 2 * facts.step, value + 2 * facts.step):
                assert best.both >= kind.solve(params.changed(**{kind.recommend: near}), process).aim.both - 1e-3
            assert best.both <= best.chance + 1e-9
            continue
        assert kind.solve(params.changed(**{kind.recommend: value}), process).aim.chance >= 0.95
        less = params.changed(**{kind.recommend: max(value - facts.step, facts.low)})
        assert value <= facts.low + facts.step or _chance(kind, less, process) < 0.955


@each_kind
def test_test_piece_has_the_same_mechanism_on_less_plastic(kind):
    # The demo's largest host of the kind, if it has hosts at all.
    facts = kind.params.facts()
    hosts = facts["host"].choices if "host" in facts else ()
    params = fields.parse(kind.params, {"host": "box"} if "box" in hosts else {})
    whole, piece = (kind.solve(p, HERON) for p in (params, kind.piece_of(params)))

    def plastic(solution):
        return sum(mesh.evaluate(solid).volume() for solid in solution.bodies.values())

    assert piece.params.model_dump()[kind.recommend] == whole.params.model_dump()[kind.recommend]
    # A slotted ring is nearly all of its own part: there is little else to leave out.
    most = 0.5 if whole.joints else 0.85 if kind.id == "bead-ring" else 0.8
    assert plastic(piece) < most * plastic(whole)
    if whole.motion.trial == contract.RIDES:
        assert piece.value("insertion") == pytest.approx(whole.value("insertion"))
        assert piece.value("retention") == pytest.approx(whole.value("retention"))


@each_kind
def test_every_check_says_where_its_limit_comes_from_and_which_stop_it_belongs_to(kind):
    request = Design(kind, kind.params(), HERON, Policy.MINE)
    solution = request.solve()
    checks = [*solution.checks, *verdicts.full_analysis(request, solution).checks]
    assert {check.id for check in checks if check.topic not in TOPICS or not check.basis} == set()
    assert {check.topic for check in solution.checks} >= {FIT, SHAPE}
    known = {value for name, value in vars(findings).items() if name.isupper() and isinstance(value, str)} - set(TOPICS)
    assert set(findings.BASES) == known


class _GateParams(fields.Params):
    """A kind that swings and has no gap."""

    reach: float = fields.number(12, label="reach", unit="mm", role="chosen", low=4, high=20, step=0.5, help="Of the gate.")


def _gate(params, process):
    post = tree.Box(10, -2, 0, 14, 2, 4)
    bar = tree.Box(0, -params.reach, 0, 2, 0, 4)
    chance = contract.Aim("swings", 1.0, "swings", "swings")

    def pose(value):
        c, s = math.cos(math.radians(value)), math.sin(math.radians(value))
        return {"B": (c, -s, 0, 0, s, c, 0, 0, 0, 0, 1, 0)}

    motion = contract.Motion("Swing", "°", 0, 180, 0, 0, pose, mend=("reach", "no-such-size"))
    check = Check("swings", "Swings", 1, 1, "", "it does")
    ruler = contract.Ruler("reach", "reach", "reach", 4, 20, "mm", "", params.reach, lambda _: (1.0,), Scale(("fine",), (3,)))
    return contract.Solution("gate", params, process, (), (check,), chance, (ruler,), (motion,), lambda: contract.Shape(
        (Body("A", "post", post), Body("B", "bar", bar))))


def test_a_collision_of_a_kind_without_a_gap_names_what_the_kind_says_mends_it():
    kind = contract.Kind("gate", "Gate", "A bar that swings past a post.", _GateParams, _gate, (), "reach", {})
    request = Design(kind, _GateParams(), HERON, Policy.MINE)
    proof = verdicts.full_analysis(request, request.solve())
    (swing,) = [check for check in proof.checks if check.id == verdicts.SWEEP_ID]
    assert swing.verdict == "stop"
    (remedy,) = proof.remedies[verdicts.SWEEP_ID]
    assert (list(remedy.values), remedy.changes[0].value < 10) == (["reach"], True)


@pytest.mark.parametrize("kind", [kind for kind in KINDS if kind.ladder], ids=lambda kind: kind.id)
def test_its_ladder_is_made_of_steps_that_tell_most(kind):
    steps = telling.telling_steps(kind, HERON, learn(HERON, []).belief)
    assert all(b - a > telling.APART - 1e-6 for a, b in pairwise(steps))
    coupon = ladders.of_kind(kind, HERON, steps)
    assert [step.value for step in coupon.steps] == pytest.approx(steps)
    shared = kind.ladder.shared
    count = len(kind.solve(kind.piece_of(kind.params()), HERON).bodies)
    assert len(coupon.bodies) == len(steps) * (count - len(shared)) + len(shared)
