"""Mechanisms built into the bodies of others: one part by two roads, pauses and bought parts carried along, what cannot be."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import permutations

import pytest

from bouncy_latch.core import assembly, hosting
from bouncy_latch.core.checks import OK, STOP
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.hosting import Guest
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.judge.search import window
from bouncy_latch.core.parts.body import Body, Seat
from bouncy_latch.core.placing import OnBody
from bouncy_latch.core.project import bench, delivery, seating, store
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.document import Where
from bouncy_latch.core.solids import mesh, tree
from tests.core.test_contract import HERON, design


def guest(kind_id, side, body="A", name="", values=(), **where):
    own = design(kind_id, **dict(values))
    return Guest(name or kind_id, own.kind, own.params, side, body, Where(**where).matrix)


def proof_of(request):
    solution = request.solve()
    return {check.id: check for check in (*solution.checks, *assembly.neighbours(solution, request.guests))}


BOX = design("knuckle-hinge", host="box", floor=3.0, gap=0.32)
BOSS = guest("screw-boss", "boss", y=-20, values={"plate": 3.0})
CLIP = guest("hook", "hook", name="clip", y=-46, turn=-90)


def test_a_host_is_the_same_part_as_the_assembly_and_in_any_order():
    whole = [replace(BOX, placements=order).solve().bodies["A"] for order in permutations((BOSS, CLIP))]
    first = mesh.evaluate(whole[0])
    assert mesh.evaluate(whole[1]).volume() == pytest.approx(first.volume(), rel=1e-9)
    # The other road: the guests' own designs, placed on that body.
    bare = BOX.solve()
    base = next(body for body in bare.shape.bodies if body.name == "A")
    own = next(share for share in bare.shape.features if share.body == "A")
    body, back = Body("base", "base", base.base), tree.invert(base.at)

    def placed(kind_id, side, at, values=None):
        seat = Seat(tree.compose(back, at))
        return replace(design(kind_id, **(values or {})), placements=(OnBody(side, body, seat),))

    made = assembly.assemble({
        "box": replace(BOX, placements=(OnBody(own.side, body, Seat(own.frame)),)),
        "boss": placed("screw-boss", "boss", BOSS.at, {"plate": 3.0}), "clip": placed("hook", "hook", CLIP.at)})
    assert mesh.evaluate(made.bodies["base"]).volume() == pytest.approx(first.volume(), rel=1e-6)
    assert first.volume() > mesh.evaluate(bare.bodies["A"]).volume() + 500
    assert first.bounding_box()[1] < -46 - 20, "the arm stands out of the front, turned there"


def test_what_sits_on_it_brings_its_bought_parts_and_is_no_part_of_the_print_window():
    request = replace(BOX, placements=(BOSS,))
    solution = request.solve()
    assert request.solve() is solution, "solved once and kept"
    assert [item.name.split()[0] for item in solution.bought] == ["screw"]
    (screw,) = solution.inserts.values()
    box = mesh.evaluate(screw).bounding_box()
    assert ((box[0] + box[3]) / 2, (box[1] + box[4]) / 2) == pytest.approx((0.0, -20.0), abs=1e-6)
    assert window.print_window(request) == window.print_window(BOX)
    found = {check.id: check for check in verdicts.full_analysis(request, solution).checks}
    ids = (assembly.ROOMS_ID, assembly.WHOLE_ID, assembly.WALLS_ID, assembly.BED_ID)
    assert [found[each].verdict for each in ids] == [OK] * 4
    assert request.piece().placements == ()


@pytest.mark.parametrize(("up", "fits"), [(0.0, True), (0.4, True), (0.14, False)])
def test_a_pause_moves_with_its_nut_and_must_lie_on_whole_layers(up, fits):
    """A captive nut in a thick plate: raised by whole layers its pause rises as far; between them the nozzle would hit it."""
    plate, sealed = design("screw-boss", plate=12.0), {"style": "sealed", "floor": 2.85}
    nut = guest("nut-pocket", "pocket", values=sealed, z=up)
    alone = design("nut-pocket", **sealed).solve()
    assert len(alone.pauses) == 1
    own = next(share for share in alone.shape.features if share.side == "pocket")
    block = next(body for body in alone.shape.bodies if body.name == own.body)
    risen = up - tree.compose(block.at, own.frame)[11]
    solution = replace(plate, placements=(nut,)).solve()
    (pause,) = solution.pauses
    assert pause.z == pytest.approx({0.0: 4.8, 0.4: 5.2, 0.14: 4.8}[up]), "a layer's top"
    assert pause.roof == pytest.approx(alone.pauses[0].roof + risen)
    assert (solution.check(hosting.PAUSE_ID).verdict == OK) == fits


@pytest.mark.parametrize(("wrong", "check", "says"), [
    (guest("nut-pocket", "pocket", y=-20), assembly.WALLS_ID, "thinner than its strength calculation assumes"),
    (guest("screw-boss", "boss", y=-20, z=-8), assembly.BED_ID, "below the bed"),
    (guest("screw-boss", "boss", y=90), assembly.WHOLE_ID, "base falls apart"),
    (guest("hook", "hook", y=0, x=-14.5, turn=90, z=9), assembly.ROOMS_ID, "must leave free on base what hook adds"),
    (guest("hook", "hook", body="Z"), hosting.MADE_ID, "a body 'Z' that is not there any more"),
    (guest("hook", "hook", values={"length": 3, "thickness": 3, "undercut": 3}), hosting.MADE_ID, "hook: "),
    (guest("knuckle-hinge", "a", name="fold"), hosting.MADE_ID, "fold: the sides of a knuckle hinge are printed joined"),
])
def test_what_cannot_be_is_said_by_a_verdict(wrong, check, says):
    found = proof_of(replace(BOX, placements=(wrong,)))[check]
    assert found.verdict == STOP
    assert says in found.why


def test_a_project_builds_in_and_lets_stand_alone(tmp_path):
    from bouncy_latch.core.project.autosave import Autosave

    table = bench.Bench(store.Latch(demo_project(), {}), None, Autosave(tmp_path))
    table.select("hook-1")
    with pytest.raises(ParamError, match="has no body 'Q'; it has A"):
        table.place("hook", "knuckle-hinge-4", "Q")
    with pytest.raises(ParamError, match=r"x must be a number from -500 to 500"):
        table.place("hook", "knuckle-hinge-4", "B", x="far")
    assert not table.history.past, "what is refused changes nothing"
    table.place("hook", "knuckle-hinge-4", "B", y="52", turn=90)
    table.place("hook", "knuckle-hinge-4", "B", x=2)
    (sitting,) = table.mechanism.sits
    assert (sitting.where.x, sitting.where.y, sitting.where.turn) == (2.0, 52.0, 90.0), "what is not said stays"
    path = tmp_path / "kit.latch"
    table.save(path)
    again = store.load(path).project
    assert again == table.project
    host = next(item for item in again.mechanisms if item.id == "knuckle-hinge-4")
    request = bench.designed(again, host, again.process)
    assert [each.name for each in request.guests] == ["Slate cover clip", "Tin ballast screw"]
    assert request.solve().check(hosting.MADE_ID).verdict == OK
    assert assembly.neighbours(request.solve(), request.guests)[0].verdict == OK
    # The arm is made with the tin; the keeper still comes off the bed on its own.
    solution = table.solution
    without = seating.elsewhere(table.mechanism, solution)
    names = [file.name for file in delivery.export(solution, "clip", tmp_path / "out", ("stl",), without=without)]
    assert [name for name in names if name.endswith(".stl")] == ["clip-B.stl"]
    with pytest.raises(ParamError, match="export what it is built into"):
        delivery.export(solution, "clip", tmp_path / "none", ("stl",), without=frozenset(solution.bodies))
    table.select("nut-pocket-1")
    with pytest.raises(ParamError, match="clip is built into Hexagon sample tin: let Staff bracket nut sit on that"):
        table.place("pocket", "hook-1", "B")
    table.select("split-pin-1")
    table.place("plate", "nut-pocket-2", "A")
    table.select("nut-pocket-2")
    with pytest.raises(ParamError, match="Staff bracket pin sits on Probe grip nut"):
        table.place("pocket", "knuckle-hinge-4", "A")
    table.select("knuckle-hinge-4")
    table.remove()
    left = [item.id for item in table.project.mechanisms if item.sits]
    assert left == ["split-pin-1"], "with its host gone it stands on its own again"


def test_where_it_sits_is_upright():
    matrix = Where(x=3, y=4, z=5, turn=30).matrix
    assert tree.moved_point(matrix, (1, 0, 0)) == pytest.approx((3 + math.cos(math.pi / 6), 4.5, 5.0))
    assert matrix[8:] == (0, 0, 1, 5)
    assert HERON.layer_height == 0.2, "what the test of pauses above takes for granted"
