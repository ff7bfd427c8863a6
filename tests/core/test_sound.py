"""What is solved can be built, stands on the bed, and is closed in the file too, for every kind over its whole range."""

from __future__ import annotations

import random
import threading
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from pydantic import ValidationError
from soak import designs, hostile, kills

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, ParamError, SolveError, UserError
from bouncy_latch.core.formats import meshes, step
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.judge.prints.printing import APART_ID, ROOM_ID, Job, judge
from bouncy_latch.core.judge.search.window import recommended
from bouncy_latch.core.judge.view import view_of
from bouncy_latch.core.layers.kept import Kept as LayersKept
from bouncy_latch.core.learn.calibration import telling
from bouncy_latch.core.learn.posterior.belief import learn
from bouncy_latch.core.mechanisms import kept, registry
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.progress import watched
from bouncy_latch.core.solids import brep, mesh, sound, tree

HERON = population.built_in()[0]


def solved(kind_id, **values):
    kind = registry.kind(kind_id)
    return kind.solve(fields.parse(kind.params, values), HERON)


@pytest.mark.parametrize("seed", [101, 102])
def test_random_designs_are_refused_in_a_sentence_or_are_sound_prints(seed):
    tally, faults = designs.run(seed, 600, most=170)
    assert faults == []
    assert tally["solved"] > 70


SET_UP = [HERON, population.built_in()[1].model_copy(update={"layer_height": 0.1, "first_layer_height": 0.1, "loops": 6}),
          HERON.model_copy(update={"material": "PLA silk", "nozzle": 0.8, "line_width": 0.88, "layer_height": 0.4})]


@pytest.mark.parametrize("kind", registry.kinds().values(), ids=lambda kind: kind.id)
def test_whatever_is_asked_of_any_design_ends_in_figures_or_a_sentence(kind, tmp_path):
    """Solved, judged with its remedies and its print window, searched for a target, made a ladder of, exported."""
    rng = random.Random(f"{kind.id} 2203")
    other = SET_UP[1 + list(registry.kinds()).index(kind.id) % 2]
    for number, process in enumerate((HERON, other)):
        values = designs.draw(kind, rng) if number else {}
        try:
            params = fields.parse(kind.params, values)
        except UserError:
            continue
        said = list(designs.answers(kind, params, process, list(Policy)[number % 2], rng, tmp_path))
        assert len(said) == 7
        assert number or said[0] == said[1] == "figures", "its defaults can be made"


@pytest.mark.parametrize(("kind", "values", "process"), [
    ("fin-ring", {"depth": 1}, 0), ("fin-ring", {"length": 12}, 0), ("fin-ring", {}, 2),
    ("zigzag-spring", {"thickness": 1.6, "pitch": 2.0, "turn_form": "square"}, 0),
    ("bead-ring", {"seat_gap": 0.017, "undercut": 0.2163, "wall": 3.0551, "diameter": 48.3954}, 1)])
def test_designs_that_once_broke_an_answer(kind, values, process, tmp_path):
    kind = registry.kind(kind)
    params = fields.parse(kind.params, values)
    assert len(list(designs.answers(kind, params, SET_UP[process], Policy.MINE, random.Random(7), tmp_path))) == 7


@pytest.mark.parametrize("kind", [kind for kind in registry.kinds().values() if kind.ladder is None], ids=lambda kind: kind.id)
def test_a_kind_without_a_ladder_says_what_teaches_instead(kind):
    with pytest.raises(ParamError, match=r"has no ladder; print its test piece .* ladder of knuckle-hinge"):
        telling.telling_steps(kind, HERON, learn(HERON, []).belief)


@pytest.mark.parametrize(("field", "value"), [
    ("layer_height", 1e-6), ("first_layer_height", 9), ("nozzle", 0.01), ("line_width", 0.01), ("loops", 0), ("infill", 101),
    *((field, {"mean": 1e9, "sd": 0.1}) for field in ("growth", "hole_term", "elephant_foot", "shrinkage", "sag", "ridge",
                                                      "flank", "peg_term", "modulus")),
    ("growth", {"mean": 0.0, "sd": 40})])
def test_a_process_beyond_any_printer_is_refused(field, value):
    with pytest.raises(ValidationError):
        Process.model_validate({**HERON.model_dump(), field: value})


@pytest.mark.parametrize(("kind", "values"), [
    ("knuckle-hinge", {"leaf_thickness": 3.4}), ("knuckle-hinge", {"leaf_thickness": 3.6}),
    ("knuckle-hinge", {"leaf_thickness": 3.73}), ("bead-ring", {"undercut": 1.5, "lip": 6}), ("ball-peg", {"peg": 7.1347}),
    ("hook", {"host": "plate", "layers": "across"}), ("split-pin", {"scale": 4.7}),
])
def test_designs_that_once_were_no_prints(kind, values):
    bodies = {name: mesh.evaluate(body) for name, body in solved(kind, **values).bodies.items()}
    assert sound.troubles(bodies) == []
    for name, body in bodies.items():
        # Every triangle of the file counts, those that single precision makes lines too.
        read = trimesh.load(trimesh.util.wrap_as_stream(meshes.to_stl(body, name)), file_type="stl")
        _, shared = np.unique(read.edges_sorted, axis=0, return_counts=True)
        assert set(shared) == {2}


@pytest.mark.parametrize(("kind", "values", "says"), [
    ("knuckle-hinge", {"host": "chain", "barrel": 18.7, "knuckle_length": 3.5, "length": 352}, "links 15 mm wide are too"),
    ("knuckle-hinge", {"travel": 242, "leaf_thickness": 34.9, "leaf_width": 20, "knuckles": 4}, "no foot left"),
    ("bead-ring", {"form": "disc", "lip": 1.2, "clearance": 0.89}, "would rest above the bead's foot"),
])
def test_what_cannot_be_printed_is_refused_where_it_is_solved(kind, values, says):
    with pytest.raises(SolveError, match=says):
        solved(kind, **values)


def test_troubles_are_named():
    cube = mesh.evaluate(tree.Box(0, 0, 0, 10, 10, 10))
    beside = {"A": cube, "B": mesh.transformed(cube, (1, 0, 0, 9, 0, 1, 0, 0, 0, 0, 1, 0.5))}
    assert sound.troubles(beside) == ["B floats above the bed by 0.5 mm", "A and B overlap by 95 mm³"]
    assert sound.troubles({"A": cube + mesh.transformed(cube, (1, 0, 0, 30, 0, 1, 0, 0, 0, 0, 1, 0))}) == ["A is in 2 pieces"]
    request = Design(registry.kind("hook"), registry.kind("hook").params(), HERON, Policy.MINE)
    job = verdicts.job_of(request, request.solve())
    checks = judge(verdicts.replace(job, bodies=beside)).checks
    (apart,) = [check for check in checks if check.id == APART_ID]
    assert apart.verdict == "stop"
    assert apart.why == "hook and keeper overlap as they lie and print as one lump; move them apart"


def test_links_that_are_alike_are_worked_out_once():
    links = solved("knuckle-hinge", host="chain", links=6).bodies
    alike = {tree.anchored(body)[0] for body in links.values()}
    assert len(alike) == 3, "two ends and one kind of link between"
    for body in links.values():
        volume, middle = brep.volume_and_centroid(brep.standing(body))
        assert volume == pytest.approx(mesh.evaluate(body).volume(), rel=2e-3)
        box = mesh.evaluate(body).bounding_box()
        assert all(box[i] < middle[i] < box[i + 3] for i in range(3))
    with pytest.raises(Cancelled):
        step.to_step(dict(links), "x", lambda part: part < 0.3)


def test_a_design_is_solved_once_and_the_outlook_stops_within_one():
    kind = registry.kind("hook")
    params = kind.params().changed(thickness=3.4, undercut=1.8, cycles=500, hold=80)  # nearly everything fails
    request = Design(kind, params, HERON, Policy.MINE)
    solution = request.solve()
    parts = []
    before = kind.solve.solved
    view_of(request, solution, lambda part: parts.append(part) or True)
    first = kind.solve.solved - before
    assert parts == sorted(parts)
    assert parts[-1] == 1.0
    assert first > 40
    view_of(request, solution)
    assert kind.solve.solved - before - first < 0.5 * first, "what is still kept is not worked out again"

    asked = [0]

    def goes_on():
        asked[0] += 1
        return asked[0] < 10

    before = kind.solve.solved
    with watched(goes_on), pytest.raises(Cancelled):
        view_of(Design(kind, params.changed(width=9.5), HERON, Policy.MINE), solution)
    assert kind.solve.solved - before < 10


def test_what_serves_best_but_cannot_be_drawn_is_not_advised():
    """A size is looked for by its figures; where the one that is found cannot be drawn, every one is drawn while looking."""
    known = registry.kind("hook")

    def solve(params, process):
        solution = known.solve(params, process)

        def draw():
            if abs(params.thickness - 1.8) < 0.01:
                raise SolveError("too fine to be drawn")
            return solution.draw()

        return replace(solution, draw=draw)

    kind = replace(known, solve=kept.Kept(solve))
    plain, picky = (Design(each, each.params().changed(thickness=2), HERON, Policy.MINE) for each in (known, kind))
    assert kind.recommend == "thickness"
    thin = {"thickness": 1.8}
    assert picky.changed(**thin).figures().aim == plain.changed(**thin).solve().aim
    with pytest.raises(SolveError, match="too fine"):
        picky.changed(**thin).solve()
    assert (recommended(plain), recommended(picky)) == (1.8, 1.9)


@pytest.mark.parametrize(("size", "bed", "verdict", "said"), [
    ((100, 40, 10), None, None, None), ((100, 40, 10), (220, 220, 250), None, None),
    ((217, 40, 10), (220, 220, 250), "ok", (217, 220)),
    ((230, 40, 10), (220, 220, 250), "stop", (230, 220)), ((40, 230, 10), (250, 200, 250), None, None),
    ((40, 40, 120), (220, 220, 100), "stop", (120, 100))])
def test_what_does_not_fit_the_printer_stops(size, bed, verdict, said):
    process = population.built_in()[0].model_copy(update={"bed": bed, "layer_height": 0.6, "first_layer_height": 0.6})
    job = Job({"slab": mesh.evaluate(tree.Box(0, 0, 0, *size))}, process)
    found = [check for check in judge(job).checks if check.id == ROOM_ID]

    assert [(check.verdict, (check.value, check.limit)) for check in found] == ([] if verdict is None else [(verdict, said)])


def test_what_is_kept_is_bounded_and_shared_by_threads_safely(monkeypatch):
    monkeypatch.setattr(mesh, "MOST_TRIANGLES_KEPT", 5000)
    failed = []

    def evaluate(start):
        try:
            for i in range(300):
                mesh.evaluate(tree.cylinder(5 + (start + i) % 300 / 100, 10))
        except Exception as error:  # any at all is what must not happen
            failed.append(error)

    threads = [threading.Thread(target=evaluate, args=(start,)) for start in (0, 0, 100, 200)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failed == []
    assert mesh._kept._triangles <= 5000
    assert mesh._kept._triangles == sum(mesh._kept._sizes.values())
    kind = registry.kind("knuckle-hinge")
    for i in range(kept.MOST + 20):
        kind.solve(kind.params().changed(gap=round(0.2 + i / 2000, 4)), HERON)
    assert len(kept._known) == kept.MOST
    for _ in range(2):
        with pytest.raises(SolveError, match="knuckles do not fit"):
            kind.solve(kind.params().changed(knuckles=20), HERON)
    small = LayersKept(3)
    assert [small.get(i % 5, lambda i=i: i) for i in range(9)] == [0, 1, 2, 3, 4, 5, 6, 7, 8]


def test_kills_lose_nothing_and_leave_nothing():
    tally, faults = kills.run(103, 600, most=12)
    assert faults == []
    assert tally["kills"] == 12


def test_hostile_files_are_read_or_refused_in_a_sentence():
    tally, faults = hostile.run(104, 600, most=250)
    assert faults == []
    assert tally["refused"] > 100
    assert tally["read"] > 20
