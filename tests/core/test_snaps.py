"""What is special to snap fits: bad input, directions of layers, facts of the trade, the bending mesh, targets."""

from __future__ import annotations

import math
import re
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from bouncy_latch.core import fields
from bouncy_latch.core.checks import LOOK, OK, STOP, ordered
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, ParamError, ReadError, SolveError
from bouncy_latch.core.flex import chances
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.section import Fill, section
from bouncy_latch.core.judge import rulers, verdicts
from bouncy_latch.core.judge.prints import printing
from bouncy_latch.core.judge.search import target
from bouncy_latch.core.learn.calibration.readings import BEND_DEPTH, BEND_LENGTH
from bouncy_latch.core.learn.posterior.belief import learn
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import RIDES
from bouncy_latch.core.parts.body import Feature
from bouncy_latch.core.process import materials
from bouncy_latch.core.process.evidence import reading
from bouncy_latch.core.process.population import built_in, effective
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.project import delivery
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.trial import rides, rooted

HERON = built_in()[0]
SNAPS = [kind for kind in registry.kinds().values() if kind.solve(kind.params(), HERON).motion.trial == RIDES]
each_snap = pytest.mark.parametrize("kind", SNAPS, ids=lambda kind: kind.id)


def solved(kind_id, process=HERON, **values):
    kind = registry.kind(kind_id)
    return kind.solve(fields.parse(kind.params, values), process)


def of(material, **values):
    return Process.model_validate({**HERON.model_dump(exclude={"modulus"}), "material": material, "material_values": values})


@pytest.mark.parametrize(("kind", "values", "field", "words"), [
    ("hook", {"host": "plate", "undercut": 2, "slot": 1.5}, "undercut", "taller|cannot be pressed into a gap of 1.5"),
    ("hook", {"host": "plate", "length": 30}, "length", "longer than the plate"),
    ("hook", {"length": 3, "thickness": 3, "fillet": 0}, "length", "is a stub, not a spring"),
    ("hook", {"form": "u", "taper": "width"}, "taper", "folded arm is not tapered"),
    ("hook", {"length": 8, "thickness": 0.8, "undercut": 10, "fillet": 0.2}, None, "cannot be bent"),
    ("split-pin", {"undercut": 2, "slot": 3}, "undercut", "cannot be pinched into a slot"),
    ("split-pin", {"wall": 0.8, "boss": 0}, "boss", "add a boss"),
    ("ball-peg", {"ball": 7.2}, "ball", "falls through a throat"),
    ("ball-peg", {"into": 30}, "into", "longer than the limb"),
    ("bead-ring", {"slots": 1}, "slots", "spring clip"),
    ("bead-ring", {"height": 4, "slots": 0}, "height", "too low for its bead"),
    ("locking-tab", {"undercut": 3, "gap": 4}, "undercut", "cannot be pressed into a gap"),
    ("locking-tab", {"cover": 3, "thickness": 4}, "cover", "leaves"),
    ("clip-hinge", {"nub_height": 0.2}, "nub_height", "does not reach across"),
    ("clip-hinge", {"hole_depth": 4}, "hole_depth", "meet in a tongue"),
])
def test_what_cannot_be_gets_one_sentence(kind, values, field, words):
    with pytest.raises(SolveError, match=words) as caught:
        solved(kind, **values)
    assert field is None or caught.value.field == field
    assert "\n" not in caught.value.sentence


def test_materials_with_missing_or_mad_values():
    with pytest.raises(ParamError, match=r"'bark' is not in the table .* lacks modulus, strength"):
        solved("hook", of("bark", friction=0.4))
    known = {"modulus": 900, "strength": 20, "across": 10, "strain_once": 2, "strain_repeated": 1, "strain_break": 4,
             "friction": 0.3, "density": 1.0, "shrinkage": 0.4, "creep": 0.5, "poisson": 0.4}
    assert solved("hook", of("bark", **known)).value("insertion") > 0
    numbers = ["" if v in {"strength", "poisson"} else "0.3" for v in materials.VALUES]
    table = "\n".join([",".join(["name", *materials.VALUES, "source"]), ",".join(["X", *numbers, "me"])])
    with pytest.raises(ReadError, match="material 'X' lacks strength, poisson"):
        materials.read_table(table)
    for wrong in ({"friction": 9}, {"hardness": 3}, {"strain_once": -1}):
        with pytest.raises(ValueError, match=r"friction|hardness|strain once"):
            of("PLA", **wrong)
    mine = of("PLA", friction=0.5)
    assert mine.plastic.source.startswith("friction: yours")
    assert solved("hook", mine).value("insertion") > solved("hook").value("insertion")
    assert {m.source for m in materials.table().values()} == {"typical, from memory"}


def test_friction_past_locking_jams_and_says_so():
    solution = solved("hook", of("PLA", friction=1.4), lead_angle=45)
    jammed = solution.check("insertion")
    assert (jammed.verdict, jammed.value) == (STOP, pytest.approx(solution.value("tears"))), "what is pushed harder breaks"
    assert "cannot be pushed in" in jammed.why
    assert "give the entry a flatter ramp" in jammed.why
    assert "click" not in {each.name for each in solution.derived}, "a click of what never goes in is noise"


def test_evidence_of_the_bend_bar_replaces_the_modulus():
    stiffer = HERON.model_copy(update={"modulus": HERON.modulus.model_copy(update={"mean": 2 * HERON.modulus.mean})})
    assert solved("hook", stiffer).value("insertion") == pytest.approx(2 * solved("hook").value("insertion"), rel=0.02)


def test_a_tilted_print_and_a_torn_bar_teach_friction_and_strain():
    tilts = [reading(process=HERON.id, feature="slides at", nominal="", values="26 27 26.5 26 27")]
    believed = learn(HERON, tilts)
    sharper = believed.belief.process(HERON).plastic
    # tan 26.5° = 0.4986, weighed against the table's 0.35 ± 0.07
    assert 0.46 < sharper.friction < 0.499
    assert sharper.friction_sd < 0.03
    assert solved("hook", believed.belief.process(HERON)).value("insertion") > solved("hook").value("insertion")

    # The bend bar: 60 mm long, 2.4 deep; torn at a droop of 15 mm: 3·2.4·15 / (2·60²) = 1.5 %.
    torn = learn(HERON, [reading(process=HERON.id, feature="tears at", nominal=0,
                                 values="15 15 15")]).belief.process(HERON).plastic
    assert torn.strain_break == pytest.approx(100 * 3 * BEND_DEPTH * 15 / (2 * BEND_LENGTH**2), rel=1e-3)
    assert torn.strain_once / torn.strain_break == pytest.approx(1.8 / 2.6, rel=1e-2)


@each_snap
def test_every_way_in_is_complete_and_its_figures_agree(kind):
    solution = kind.solve(kind.params(), HERON)
    course = solution.motion.course
    travel, into, out = (np.array(v) for v in (course.values, course.curves["in"], course.curves["out"]))

    assert len(travel) >= 190
    assert (np.diff(travel) > 0).all()
    assert travel[-1] == pytest.approx(solution.motion.high)
    assert into.max() == pytest.approx(solution.value("insertion"))
    assert solution.value("retention") <= min(out.max(), solution.value("tears")) + 1e-9
    assert solution.value("work") == pytest.approx(np.trapezoid(np.maximum(into, 0), travel))
    # Friction costs something both ways: what is put in does not all come back.
    assert solution.value("click") < solution.value("work")
    assert {"Wall lines", "Infill", "Print"} <= {name for name, _ in solution.notes}


@each_snap
def test_bending_across_the_layers_is_flagged_first(kind):
    ring = kind.id == "bead-ring"
    weak = solved(kind.id, **({"slots": 8} if ring else {"layers": "across"}))
    sound = solved(kind.id, **({"slots": 0, "undercut": 0.05} if ring else {}))
    first = ordered(weak.checks)[0]
    if ring:
        # Fingers of a ring stand up whatever is asked: saying otherwise must not make them stronger.
        assert all(check.id != "layer-direction" for check in weak.checks), "there is no other way"
        assert solved(kind.id, slots=8, layers="across").check("strain").limit == weak.check("strain").limit
    else:
        assert (first.id, first.verdict) == ("layer-direction", LOOK)
    assert weak.check("strain").limit == pytest.approx(sound.check("strain").limit * 28 / 45)


@each_snap
def test_the_mesh_bends_by_the_curve_and_clears_its_mate(kind):
    solution = kind.solve(kind.params(), HERON)
    assert rides.check(solution).verdict == OK
    # Pressed in stiff, the same parts run into each other: the check can fail.
    unbent = {name: body for name, body in rides.bent(solution, solution.motion.low).items() if name == "A"}["A"]
    most = rides.bent(solution, 0.9 * solution.motion.show)
    assert rides.overlap(unbent, most["B"])[0] > 0.1
    assert rides.overlap(most["A"], most["B"])[0] < rides.ALLOWED
    with pytest.raises(Cancelled):
        rides.check(solution, lambda _: False)


@each_snap
def test_its_parts_print_apart_and_the_slicer_is_told(kind, tmp_path):
    request = Design(kind, kind.params(), HERON, Policy.MINE)
    solution = request.solve()
    printed = printing.judge(verdicts.job_of(request, solution))
    assert printed.freeing is None
    assert not [c for c in printed.checks if c.verdict == STOP]

    files = delivery.export(solution, kind.id, tmp_path, ("3mf",))
    with zipfile.ZipFile(next(f for f in files if f.suffix == ".3mf")) as archive:
        model = archive.read("3D/3dmodel.model").decode()
    notes = next(f for f in files if f.suffix == ".txt").read_text()
    for words in ("Wall lines", "Infill", "one part at a time"):
        assert words in model
        assert words in notes


# -- facts of the trade -----------------------------------------------------------------------------------------------------


@pytest.mark.trade
@pytest.mark.parametrize(("kind", "less", "more", "names"), [
    ("clip-hinge", {"nub_height": 0.5}, {"nub_height": 0.7}, ("insertion", "retention")),
    ("clip-hinge", {"nub": 5}, {"nub": 6.4}, ("torque",)),
    ("clip-hinge", {"hole_fit": 0.2}, {"hole_fit": 0.0}, ("torque",)),
    ("hook", {"loops": 1, "infill": 5}, {"loops": 2, "infill": 15}, ("stiffness", "insertion")),
    ("hook", {"undercut": 0.6}, {"undercut": 0.9}, ("insertion", "click")),
    ("hook", {"taper": "thickness"}, {"taper": "none"}, ("insertion", "strain")),
    ("bead-ring", {"slots": 12}, {"slots": 0}, ("insertion",)),
    ("bead-ring", {"seat_gap": 0.0}, {"seat_gap": -0.1}, ("preload",)),
    ("split-pin", {"boss": 10}, {"boss": 6}, ("strain",)),
    ("split-pin", {"scale": 2}, {"scale": 1}, ("strain",)),
    ("ball-peg", {"head": "ball"}, {"head": "shoulder"}, ("retention",)),
    ("locking-tab", {"return_angle": 50}, {"return_angle": 80}, ("retention",)),
])
def test_what_practitioners_find(kind, less, more, names):
    """Common practice, no source: which change raises which figure."""
    low, high = solved(kind, **less), solved(kind, **more)
    for name in names:
        assert high.value(name) > 1.03 * low.value(name), name


@pytest.mark.trade
def test_a_45_degree_lead_in_of_1_mm_lets_the_tongue_in():
    """Common practice, no source: the single change that made the clip go together without overstressing."""
    ramped, blunt = (solved("clip-hinge", lead_in=lead, nub_chamfer=0.2) for lead in (1.0, 0.1))
    assert ramped.value("insertion") < 0.7 * blunt.value("insertion")
    # A square nub against a square tongue does not go in at all.
    assert solved("clip-hinge", lead_in=0, nub_chamfer=0).check("insertion").verdict == STOP


@pytest.mark.trade
def test_a_bead_off_its_seat_rattles():
    """Common practice, no source: too far from the seat leaves rattle, so it is placed for slight preload."""
    play = [solved("bead-ring", seat_gap=gap).value("rattle") for gap in (0.2, 0.3, 0.4)]
    assert np.diff(play) == pytest.approx([0.1, 0.1], abs=0.015)
    loose = solved("bead-ring", seat_gap=0.4)
    assert loose.check("rattle").verdict == LOOK
    assert solved("bead-ring", seat_gap=-0.05).value("preload") > 0


@pytest.mark.parametrize(("kind", "wanted", "values", "verdict"), [
    ("hook", "permanent", {"return_angle": 90}, OK), ("hook", "removable", {"return_angle": 50}, OK),
    ("hook", "removable", {"return_angle": 90}, STOP), ("hook", "permanent", {"return_angle": 50}, STOP),
    ("ball-peg", "permanent", {"head": "shoulder"}, OK), ("locking-tab", "removable", {"return_angle": 55}, OK)])
def test_angle_and_friction_decide_what_comes_out_again(kind, wanted, values, verdict):
    assert solved(kind, release=wanted, **values).check("release").verdict == verdict


def test_the_handbook_stands_beside_the_computed_push():
    """A long slender hook agrees with the handbook; a short stout one needs more, by the lever of the push."""
    slender = solved("hook", length=60, thickness=1.2, undercut=0.6, fillet=0, backing=20)
    stout = solved("hook", length=9, thickness=2.4, undercut=0.5, fillet=1)
    ratio = [s.value("insertion") / s.value("handbook_push") for s in (slender, stout)]
    # The catch is a little longer than the arm, and its root gives.
    assert ratio[0] == pytest.approx(1.0, abs=0.15)
    assert solved("hook", loops=1).value("another_loop") > solved("hook", loops=2).value("another_loop") >= 0
    # The soft root and the fillet work the other way; together they need not cancel.
    assert abs(ratio[1] - ratio[0]) > 0.05


def test_resin_and_a_vent():
    assert solved("ball-peg", of("tough resin")).check("strain").limit > solved("ball-peg").check("strain").limit
    closed = solved("bead-ring", slots=0, wall=0.8, undercut=0.05)
    assert closed.check("vent").verdict == LOOK
    assert solved("bead-ring", slots=0, wall=0.8, undercut=0.05, vent=1).check("vent").verdict == OK


# -- chances, rulers, target ------------------------------------------------------------------------------------------------


def test_chances_against_drawn_samples():
    """Odds by quadrature against a hundred thousand drawn prints."""
    mus = chances.frictions(0.35, 0.07)
    factor = [np.tan(slope + np.arctan(mus)) / math.tan(slope + math.atan(0.35)) for slope in np.radians((35, 45))]
    found = chances.odds(30.0 * factor[0], 25.0 * factor[1], 0.011, 40.0, 18.0, 400.0, 0.012, chances.Spreads(0.2, 0.15))
    rng = np.random.default_rng(5)
    count = 100_000
    stiff, mu = np.exp(0.2 * rng.standard_normal(count)), np.maximum(0.35 + 0.07 * rng.standard_normal(count), 0.02)

    def drawn(peak, slope):
        factor = np.tan(math.radians(slope) + np.arctan(mu)) / math.tan(math.radians(slope) + math.atan(0.35))
        return peak * stiff * factor * np.exp(0.08 * rng.standard_normal(count))

    into, out = drawn(30, 35), drawn(25, 45)
    strain = 0.011 * np.exp(0.15 * rng.standard_normal(count))
    goes, holds, lasts = into <= 40, out >= 18, strain <= 0.012
    assert (found.goes_in, found.holds, found.survives) == pytest.approx((goes.mean(), holds.mean(), lasts.mean()), abs=0.01)
    assert found.works == pytest.approx((goes & holds & lasts).mean(), abs=0.02)
    assert found.locks == 0


@each_snap
def test_no_default_fails_a_check_and_every_arm_hangs_on_its_root_alone(kind):
    solution = solved(kind.id)
    assert [check.id for check in solution.checks if check.verdict != OK] == []
    free = rooted.check(solution, solution.motion)
    assert free.verdict == OK
    assert len(rooted.pieces(solution, free_root := solution.motion.roots[0])) == free_root.pieces


def test_an_arm_that_is_joined_twice_is_a_closed_loop():
    """A bar from the catch back to the bracket: with its root cut through, the hook does not come away."""
    folded = solved("hook", form="u")
    assert rooted.check(folded, folded.motion).verdict == OK
    bar = tree.Box(-2, 4, 0, 4, 6, 9)
    fused = replace(folded, draw=lambda: replace(folded.shape, features=(*folded.shape.features, Feature("hook", "A",
                                                                                                         add=bar))))
    assert rooted.check(fused, folded.motion).verdict == STOP
    assert "closed loop" in rooted.check(fused, folded.motion).why


@each_snap
def test_every_kind_is_searched_and_says_what_binds(kind):
    """Asked too much of, with sizes of nothing among its own (a seat gap of 0): it ends, counts, and names what is short."""
    asked = Design(kind, kind.params().changed(push=3, hold=300, cycles=5000, release="removable"), HERON)
    found = target.reach(asked)
    assert found.solved <= target.TRIES
    assert not found.reached
    assert re.search(r"\d", found.words_of_binding)


def test_near_self_locking_a_hold_is_a_chance():
    """By hand: a face locks where it and the friction angle pass 90°; the share of prints whose friction is more is Φ."""
    for angle in (58, 70, 85):
        solution = solved("hook", return_angle=angle, length=60, width=20, release="permanent", process=HERON.with_growth(0.0))
        plastic = HERON.plastic
        turned = math.radians(solution.check("release").value)
        share = stats.norm.sf((math.tan(math.pi / 2 - turned) - plastic.friction) / plastic.friction_sd)
        said = int(re.search(r"in (\d+) % of prints", solution.check("release").why)[1])
        assert said == pytest.approx(100 * share, abs=6)
        assert solution.check("release").limit == pytest.approx(96 - math.degrees(math.atan(plastic.friction)), abs=0.01)


def test_a_pull_beside_the_axis_tears_an_arm_long_before_a_straight_one():
    """By hand, σ = F/A (1 + 6 e/t): 9 × 1.8 at 50 MPa, 1.55 mm beside its axis, 131 N instead of 810."""
    arm = Arm(20, 1.8, 9, Fill(10, 0.45, 1.0, 0.8), 2300.0)
    assert arm.pulled(0.0, 0.0, 50.0) == pytest.approx(810)
    assert arm.pulled(0.0, 1.55, 50.0) == pytest.approx(810 / (1 + 6 * 1.55 / 1.8))


@each_snap
@pytest.mark.parametrize("number", [0, 1])
def test_a_ruler_brings_the_design_where_it_is_dragged(kind, number):
    params = kind.params()
    ruler = kind.solve(params, HERON).rulers[number]
    assert sum(ruler.chances(ruler.value)) == pytest.approx(1)
    for part in (0.85, 1.2):
        wanted = part * ruler.value
        value = rulers.brought_to(Design(kind, params, HERON), ruler, wanted)
        step = params.facts()[ruler.param].step
        now = kind.solve(params.changed(**{ruler.param: value}), HERON).rulers[number].value
        around = []
        for near in (value - step, value + step):
            try:
                around.append(abs(kind.solve(params.changed(**{ruler.param: round(near, 6)}),
                                             HERON).rulers[number].value - wanted))
            except (SolveError, ParamError):
                continue
        assert abs(now - wanted) <= min(around) + 1e-9 or abs(now - wanted) < 0.05 * wanted


def test_designing_to_a_target():
    petg = of("PETG")
    kind = registry.kind("hook")
    asked = fields.parse(kind.params, {"push": 25, "hold": 60, "cycles": 500, "length": 12})
    before = kind.solve(asked, petg)
    assert before.check("strain").verdict != OK

    best = target.reach(Design(kind, asked, petg), frozenset({"length"}))

    found = kind.solve(best.design.params, petg)
    assert best.reached
    assert all(check.verdict == OK for check in found.checks)
    assert best.design.params.length == 12
    assert found.value("insertion") <= 25
    assert found.value("retention") >= 60
    assert set(best.changes(asked)) <= set(kind.tuning.sizes)


@pytest.mark.trade
def test_a_click_and_play_that_are_asked_for_are_verdicts_and_can_be_aimed_at():
    """What is bent further clicks louder (common practice, no source)."""
    kind = registry.kind("hook")
    plain, asked = (kind.solve(kind.params().changed(click_asked=least), HERON) for least in (None, 4.0))
    assert all(check.id != "click" for check in plain.checks)
    assert plain.value("click") == asked.check("click").value < asked.check("click").limit
    more = kind.solve(kind.params().changed(undercut=kind.params().undercut * 1.3), HERON)
    assert more.value("click") > 1.2 * plain.value("click")
    best = target.reach(Design(kind, kind.params().changed(click_asked=4.0, play=0.05), HERON))
    found = best.design.solve()
    assert best.reached
    assert found.value("click") >= 4
    assert found.check("rattle").value <= 0.05
    jams = kind.solve(kind.params().changed(click_asked=1.0, lead_angle=80), HERON)
    assert "cannot be pushed in" in jams.check("click").why
    assert jams.check("click").verdict == STOP


def test_a_target_out_of_reach_names_what_binds_and_offers_others():
    kind = registry.kind("hook")
    asked = fields.parse(kind.params, {"push": 20, "hold": 40, "cycles": 100, "length": 8, "wall": 2, "undercut": 1.2})
    found = target.targeted(Design(kind, asked, of("PLA silk")), frozenset({"length", "undercut"}))

    assert not found.best.reached
    assert found.best.bounds == ("thickness at 0.8 mm",)
    assert found.best.binding.verdict != OK
    assert found.others
    assert all(other.score < found.best.score for other in found.others)
    assert all(other.design.params.length == 8 for other in found.others)
    with pytest.raises(ParamError, match="not designed to a target"):
        target.reach(Design(registry.kind("knuckle-hinge"), registry.kind("knuckle-hinge").params(), HERON))


def test_anyones_printer_is_less_sure():
    anyone = effective(HERON, Policy.ANYONE)
    for kind in SNAPS:
        mine, theirs = (kind.solve(kind.params(), process) for process in (HERON, anyone))
        assert theirs.aim.chance <= mine.aim.chance + 0.02


def test_a_section_too_thin_to_print_is_refused():
    with pytest.raises(SolveError, match="thinner than one printed line"):
        section(0.4, 6, Fill(2, 0.45, 0.15, 0.8))


def test_cured_resin_is_solid_whatever_the_walls():
    cured = of("resin")
    thin, thick = (solved("hook", cured, loops=loops, infill=infill) for loops, infill in ((1, 5), (6, 80)))
    assert thin.value("stiffness") == pytest.approx(thick.value("stiffness"), rel=2e-3)
    assert thin.value("stiffness") > solved("hook", cured.model_copy(update={"material": "PLA"}), loops=1, infill=5).value(
        "stiffness") * cured.plastic.modulus / HERON.plastic.modulus
    assert {"Wall lines", "Infill"}.isdisjoint(name for name, _ in thin.notes)
    assert "cure it fully" in dict(thin.notes)["Solid"]


@pytest.mark.parametrize("layers", ["along", "across"])
def test_a_row_of_tabs_is_so_many_of_one(layers):
    """Push, hold and what tears go with their number; they stand a pitch apart, bend alike and clear the web between them."""
    kind = registry.kind("locking-tab")
    one, row = (kind.solve(kind.params().changed(tabs=count, pitch=20, push=200, layers=layers), HERON) for count in (1, 3))
    for name in ("insertion", "retention", "tears", "work"):
        assert row.value(name) == pytest.approx(3 * one.value(name), rel=1e-6), name
    assert row.value("strain") == pytest.approx(one.value("strain"))
    assert row.check("arm-gap").value == one.check("arm-gap").value
    plate = {count: mesh.evaluate(each.bodies["A"]).bounding_box() for count, each in ((1, one), (3, row))}
    assert (plate[3][4] - plate[3][1]) - (plate[1][4] - plate[1][1]) == pytest.approx(40)
    assert rides.check(row).verdict == OK
    assert rooted.check(row, row.motion, None).verdict == OK
    bent = row.motion.bends(row.motion.show)["A"]
    shift = np.array([[0.0, 20.0, 0.0]])
    tips = np.array([[10.0, 2.5, 1.0], [10.0, -2.5, 1.0]]) if layers == "along" else np.array([[-1.0, 2.5, 42.0]])
    assert bent(tips + shift) == pytest.approx(bent(tips) + shift)
    assert np.abs(bent(tips) - tips).max() > 0.05
    with pytest.raises(SolveError, match=r"need a pitch of 13\.5 mm or more"):
        kind.solve(kind.params().changed(tabs=2, pitch=8), HERON)
