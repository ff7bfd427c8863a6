"""The contract itself: joints, freedoms, shares on any body, assemblies, motions tried out, fields by condition."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import permutations

import numpy as np
import pytest

from bouncy_latch.core import assembly, fields
from bouncy_latch.core.checks import OK, STOP
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, ParamError, SolveError
from bouncy_latch.core.freedom import APART, SCREW, SLIDE, TURN, Freedom
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.judge.search import feasible
from bouncy_latch.core.layers import facing
from bouncy_latch.core.layers.breakaway import Strength
from bouncy_latch.core.layers.facing import Facing
from bouncy_latch.core.mechanisms import contract, registry
from bouncy_latch.core.parts.body import BOUGHT, PART, Body, Feature, Seat, tools
from bouncy_latch.core.placing import OnBody
from bouncy_latch.core.process import population
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.solids.outline import polygon, rectangle
from bouncy_latch.core.trial import alone, meshes, posed, trying

HERON = population.built_in()[0]
TIGHT = Facing("flank", 40.0, math.pi / 4, 0.2, 3.0)
STRONG = Strength(300.0, 1200.0, 900.0)


def design(kind_id, **values):
    kind = registry.kind(kind_id)
    return Design(kind, fields.parse(kind.params, values), HERON)


# -- joints ----------------------------------------------------------------------------------------------------------------


def test_all_come_free_when_the_worst_one_does_at_the_growth_they_share():
    """Brute force: one growth and one bond for all joints of a print, 40,000 prints; the product of single chances is wrong."""
    wide = replace(TIGHT, gap=0.22, area=120.0)
    joints = [("tight", [TIGHT], STRONG), ("wide", [wide], Strength(100.0, 400.0, 400.0))]
    found = facing.together(joints, HERON)
    rng = np.random.default_rng(4711)
    growth = rng.normal(HERON.growth.mean, HERON.growth.sd, 40_000)
    bond = rng.lognormal(0, HERON.bond_spread, 40_000)
    by_hand = np.ones(40_000, dtype=bool)
    for _, faces, strength in joints:
        by_hand &= facing.moments(faces, HERON, growth) * bond < strength.limits[1]
    single = [facing.freeing(faces, HERON, strength).by_hand for _, faces, strength in joints]
    assert found.by_hand == pytest.approx(by_hand.mean(), abs=0.02)
    assert found.by_hand <= min(single) + 1e-9
    assert found.by_hand > single[0] * single[1] + 0.02, "growth is common to a print"
    assert found.name == max(joints, key=lambda j: facing.freeing(j[1], HERON, j[2]).breakaway / j[2].limits[1])[0]
    six = facing.together([("roller", [TIGHT], STRONG)] * 6, HERON)
    assert six.chances == pytest.approx(facing.freeing([TIGHT], HERON, STRONG).chances), "six alike are no worse than one"


def test_a_chain_is_judged_link_by_link():
    """Each fold by its own axis: what holds the last one is no harder to break for lying far from the first."""
    chain, leaves = (design("knuckle-hinge", host=host, gap=0.2) for host in ("chain", "leaves"))
    last, only = (verdicts.full_analysis(d, d.solve()).printed.freeing for d in (chain, leaves))
    assert len(chain.solve().joints[0].places) == 3
    assert last.breakaway == pytest.approx(only.breakaway, rel=0.25)
    assert last.weld_area == pytest.approx(3 * only.weld_area, rel=0.25)


@pytest.mark.parametrize("kind", [TURN, SLIDE, SCREW, APART])
def test_a_freedom_moves_and_resists_by_virtual_work(kind):
    """The lever is how far a point goes for a small step of the freedom: F·ds = T·dφ."""
    free = Freedom(kind, (1.0, -2.0, 0.5), (0.6, 0.0, 0.8), pitch=3.0)
    for point in ((4.0, 1.0, 2.0), (-1.0, 0.0, 7.0)):
        step = 1e-6
        gone = math.dist(tree.moved_point(free.matrix(step), point), point) / step
        assert free.arm(point) == pytest.approx(gone, rel=1e-4)
    whole = tree.moved_point(free.matrix(2 * math.pi if free.turns else 3.0), (4.0, 1.0, 2.0))
    along = [3.0 * d if kind != TURN else 0.0 for d in free.direction]
    assert whole == pytest.approx(tuple(p + a for p, a in zip((4.0, 1.0, 2.0), along, strict=True)), abs=1e-9)
    carried = free.placed(tree.turn_about((0, 0, 1), (0, 0, 0), math.pi / 2))
    assert carried.direction == pytest.approx((0.0, 0.6, 0.8))
    assert free.unit == ("N·mm" if kind in {TURN, SCREW} else "N")


# -- shares on any body ----------------------------------------------------------------------------------------------------

PLATE = Body("plate", "my plate", tree.Box(-60, -40, 0, 60, 0, 9))


def _on_plate(kind_id, side, x, **values):
    """A mechanism with one side in the edge y = 0 of the plate, its seat's coordinates turned as that side needs."""
    frame = (0, -1, 0, x, 1, 0, 0, 0, 0, 0, 1, 0) if kind_id == "hook" else (1, 0, 0, x, 0, 1, 0, 0, 0, 0, 1, 0)
    return replace(design(kind_id, **values), placements=(OnBody(side, PLATE, Seat(frame)),))


@pytest.mark.parametrize("kind", registry.kinds().values(), ids=lambda kind: kind.id)
def test_every_side_is_a_share_in_its_seats_coordinates(kind):
    """Every body but a loose one is a plain base and a share; carried to another seat the share does the very same there."""
    solution = kind.solve(kind.params(), HERON)
    shape = solution.shape
    assert {share.side for share in shape.features} == set(kind.sides)
    assert {share.body for share in shape.features} == {body.name for body in shape.bodies if body.role == PART}
    away = tree.compose(tree.turn_about((0, 0, 1), (3, 5, 0), 0.7), (1, 0, 0, 20, 0, 1, 0, -8, 0, 0, 1, 0))
    placements = []
    for share in {share.side: share for share in shape.features}.values():
        body = next(body for body in shape.bodies if body.name == share.body)
        elsewhere = replace(body, base=body.base.placed(away))
        placements.append(OnBody(share.side, elsewhere, Seat(tree.compose(away, share.frame))))
    carried = replace(Design(kind, kind.params(), HERON), placements=tuple(placements)).solve()
    for name, solid in solution.bodies.items():
        here, there = mesh.evaluate(solid), mesh.evaluate(carried.bodies[name])
        assert there.volume() == pytest.approx(here.volume(), rel=1e-6)
        assert there.bounding_box() == pytest.approx(here.bounding_box(), abs=1e-6)
    first = next(share for share in shape.features if share.add is not None or share.cut is not None)
    made = tools(shape.features, first.body)
    assert all(mesh.evaluate(solid).volume() > 0 for solid in made.values())


def test_one_plate_carries_two_mechanisms_in_any_order():
    designs = {"latch": _on_plate("hook", "hook", 42.0), "fold": _on_plate("knuckle-hinge", "a", -20.0, length=30, knuckles=5)}
    whole = [assembly.assemble(dict(order)) for order in permutations(designs.items())]
    first, second = (made.bodies["plate"] for made in whole)
    assert first == second, "the same tree, so the same body to the last digit"
    plate = mesh.evaluate(first)
    assert len(plate.decompose()) == 1
    assert plate.bounding_box()[4] > 15, "the arm stands out of the edge"
    assert all(check.verdict == OK for check in whole[0].checks), whole[0].checks
    assert {"plate", "latch keeper", "fold leaf B"} == set(whole[0].bodies)


def test_a_room_that_another_fills_is_said():
    designs = {"latch": _on_plate("hook", "hook", -20.0), "fold": _on_plate("knuckle-hinge", "a", -20.0, length=30, knuckles=5)}
    made = assembly.assemble(designs)
    rooms = next(check for check in made.checks if check.id == assembly.ROOMS_ID)
    assert rooms.verdict == STOP
    assert rooms.value > 0.1
    assert "fold must leave free on plate what latch adds" in rooms.why
    away = OnBody("hook", PLATE, Seat((1, 0, 0, 0, 0, 1, 0, 300, 0, 0, 1, 0)))
    loose = {"latch": replace(designs["latch"], placements=(away,))}
    split = next(check for check in assembly.assemble(loose).checks if check.id == assembly.WHOLE_ID)
    assert split.verdict == STOP
    assert "plate falls apart" in split.why


def test_a_side_that_is_not_there_and_a_seat_that_is_too_small_are_refused():
    with pytest.raises(ParamError, match="has no side 'lid'; it has hook, keeper"):
        replace(design("hook"), placements=(OnBody("lid", PLATE),)).solve()
    short = replace(design("knuckle-hinge"), placements=(OnBody("a", PLATE, Seat(edge=20)),))
    with pytest.raises(SolveError, match=r"needs 36\.8 mm of straight edge and the seat has 20\.0 mm"):
        assembly.assemble({"fold": short})


# -- motions tried out -----------------------------------------------------------------------------------------------------


class _Sizes(fields.Params):
    """Of the mechanisms below."""

    size: float = fields.number(1, label="size", unit="mm", role="chosen", low=0, high=20, step=0.5, help="Of it.")


def _made(motion, *bodies, **more):
    aim = contract.Aim("it", 1.0, "does", "does")
    ruler = contract.Ruler("size", "size", "size", 0, 20, "mm", "", 1.0, lambda _: (1.0,))
    shape = contract.Shape(tuple(Body(name, name, solid, **role) for name, solid, role in bodies))
    return contract.Solution("made", _Sizes(), HERON, (), (), aim, (ruler,), (motion,), lambda: shape, **more)


@pytest.mark.parametrize(("close", "verdict"), [(0.0, OK), (0.9, STOP)])
def test_a_body_alone_is_watched_for_running_into_itself(close, verdict):
    """A hairpin whose upper leg is pushed down by more than the gap between its legs."""
    pin = tree.Extrude(polygon([(0, 0), (20, 0), (20, 2), (2, 2), (2, 2.8), (20, 2.8), (20, 4.8), (0, 4.8)]), 5)

    def bends(value):
        def warp(points):
            down = np.where(points[:, 1] > 2.4, value * np.clip((points[:, 0] - 2) / 18, 0, 1) ** 2, 0.0)
            return np.column_stack([points[:, 0], points[:, 1] - down, points[:, 2]])
        return {"A": warp}

    motion = contract.Motion("Close", "mm", 0.0, 0.6 + close, 0.0, 0.0, trial=contract.ALONE, bends=bends, flexing=("A",),
                             mend=("size",))
    solution = _made(motion, ("A", pin, {}))
    (check,) = trying.tried(solution, 0).checks
    assert (check.id, check.verdict, check.mend) == (alone.ID, verdict, ("size",))
    assert (check.value > 0.3) == (verdict == STOP)
    assert trying.again(0, alone.ID, None)(solution) == check


@pytest.mark.parametrize(("radius", "longest"), [(100.0, 2 * posed.FINE), (50.0, posed.FINE)])
def test_edges_are_as_long_as_a_bend_allows(radius, longest):
    """An edge of L on a circle of R bows L²/8R: at most a hundredth, or it is cut finer."""
    def bends(value):
        def warp(points):
            turn = value * points[:, 0] / radius
            return np.column_stack([radius * np.sin(turn), points[:, 1], points[:, 2] + radius * (1 - np.cos(turn))])
        return {"A": warp}

    motion = contract.Motion("Bend", "mm", 0.0, 1.0, 0.0, 0.0, trial=contract.ALONE, bends=bends, flexing=("A",), mend=())
    solution = _made(motion, ("A", tree.Box(0, 0, 0, 48, 4, 1), {}))
    assert posed.edges_for(solution, motion) == {"A": longest}


@pytest.mark.parametrize("apart", [0.2, 3.0, 40.0])
def test_how_near_two_bodies_are_at_most_bounds_their_gap(apart):
    """Corners of one against faces of the other, where a corner is nearest and where edges cross."""
    ball = tree.Sphere(6.0)
    for other, above in ((tree.Box(-9, -9, 0, 9, 9, 2), 0), (tree.Box(0, 0, 0, 9, 9, 9), 0), (tree.cylinder(3, 8), 8)):
        first, second = mesh.evaluate(other), mesh.evaluate(ball.placed((1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, -6 - apart)))
        if above:
            first = first.rotate((0, 90, 0)).translate((-4, 0, 3))
        least, most = posed.gap(first, second, 50.0), posed.gap_at_most(first, second)
        assert least <= most + 1e-9
        assert most - least < 1.5, "near enough to tell where to look"


@pytest.mark.parametrize(("teeth", "between", "jams", "loses"),
                         [(12, 1, False, False), (12, 0, True, False), (0, 0, False, True)])
def test_teeth_mesh_jam_or_lose_each_other(teeth, between, jams, loses):
    """Two wheels of twelve square teeth, tooth in gap; tooth on tooth they jam, and a partner without teeth runs free."""
    def wheel(count, radius):
        body = tree.cylinder(radius, 4)
        tooth = tree.Extrude(rectangle(radius - 0.5, -0.9, radius + 2.0, 0.9), 4)
        return tree.union([body, *(tooth.placed(tree.turn_about((0, 0, 1), (0, 0, 0), 2 * math.pi * i / count))
                                   for i in range(count))])

    far = (1, 0, 0, 21.2, 0, 1, 0, 0, 0, 0, 1, 0)
    half = tree.turn_about((0, 0, 1), (0, 0, 0), math.pi + between * math.pi / 12)

    def pose(value):
        angle = math.radians(value)
        turn = tree.turn_about((0, 0, 1), (21.2, 0, 0), -angle)
        return {"A": tree.turn_about((0, 0, 1), (0, 0, 0), angle), "B": turn}

    motion = contract.Motion("Turn", "°", 0.0, 4.0, 0.0, 0.0, pose, contract.MESHES, slack=1.0, mend=("size",))
    solution = _made(motion, ("A", wheel(12, 9.0), {}), ("B", wheel(teeth, 9.0).placed(half), {"at": far}))
    jam, apart = trying.tried(solution, 0).checks
    assert (jam.id, apart.id) == (meshes.ID, meshes.APART_ID)
    assert (jam.verdict != OK) == jams, jam
    assert (apart.verdict != OK) == loses, apart


def test_bought_bodies_lie_in_the_shape_and_are_not_printed():
    nut = tree.cylinder(3, 2)
    solution = _made(contract.Motion("Turn", "°", 0, 90, 0, 0), ("A", tree.Box(0, 0, 0, 9, 9, 9), {}),
                     ("nut", nut, {"role": BOUGHT}), bought=(contract.Bought("M3 nut", 1),),
                     pauses=(contract.Pause(4.2, "nut", "flush"),))
    assert set(solution.bodies) == set(solution.body_labels) == {"A"}
    assert mesh.evaluate(solution.inserts["nut"]).volume() == pytest.approx(mesh.evaluate(nut).volume())


# -- fields ----------------------------------------------------------------------------------------------------------------


def test_a_field_appears_by_a_condition_on_any_other():
    hook = registry.kind("hook").params()
    assert "fold" not in hook.active()
    assert "finger" in hook.active()
    folded = hook.changed(form="u").active()
    assert "fold" in folded
    assert "finger" not in folded

    class Bolt(fields.Params):
        starts: int = fields.number(1, label="starts", unit="", role="chosen", low=1, high=4, step=1, whole=True, help="Of it.")
        lead: float = fields.number(2, label="lead", unit="mm", role="chosen", low=1, high=9, step=1, help="Of it.",
                                    when={"starts": (2, 3, 4)})

    assert [list(Bolt(starts=n).active()) for n in (1, 2)] == [["starts"], ["starts", "lead"]]
    parts = {facts.part for kind in registry.kinds().values() for facts in kind.params.facts().values()}
    assert {"box", "leaf", "plate", "neck"} <= parts


def test_a_share_that_is_moved_is_the_same_share():
    share = Feature("a", "A", add=tree.Box(0, 0, 0, 1, 1, 1))
    assert share.seated("B", tree.IDENTITY) == replace(share, body="B")


@pytest.mark.parametrize("kind", [kind for kind in registry.kinds().values() if kind.tuning.trade_off],
                         ids=lambda kind: kind.id)
def test_what_is_traded_is_spread_and_every_start_is_a_design(kind):
    """Figure and verdict of the trade exist, designs lie on both sides of the present one, and its starts can be made."""
    figure, verdict = kind.tuning.trade_off
    own = Design(kind, kind.params(), HERON)
    found = feasible.possible(own, count=24)
    assert found.figure.name == figure
    assert found.own.figure == pytest.approx(own.solve().value(figure))
    assert found.own.share == pytest.approx(100 * own.solve().check(verdict).value / own.solve().check(verdict).limit)
    figures = [item.figure for item in found.tried]
    assert max(figures) > 2 * min(figures), "they are spread"
    shares = [item.share for item in found.tried]
    assert min(shares) < found.own.share < max(shares)
    for item in found.tried[:3]:
        again = own.changed(**item.changes).solve()
        assert again.value(figure) == pytest.approx(item.figure), "each is the design it says it is"
        assert item.holds == (not item.short)
    assert {name for item in found.tried for name in item.changes} <= set(kind.tuning.sizes)
    kept = feasible.possible(own, frozenset({kind.tuning.sizes[0]}), count=6)
    assert not any(kind.tuning.sizes[0] in item.changes for item in kept.tried)
    with pytest.raises(Cancelled):
        feasible.possible(own, progress=lambda part: part < 0.1)
    for name, sizes in kind.tuning.starts.items():
        assert kind.starting(name) == dict(sizes)
        assert kind.solve(kind.params().changed(**sizes), HERON).aim.chance > 0.9
    with pytest.raises(ParamError, match="has no start"):
        kind.starting("nothing known")
