"""The user's own parts: what is found on them, mechanisms on their faces, files in and out, joints between two of them."""

from __future__ import annotations

import itertools
import math

import manifold3d
import numpy as np
import pytest
import trimesh

from bouncy_latch.core import assembly
from bouncy_latch.core.checks import OK, STOP
from bouncy_latch.core.errors import ParamError, ReadError, UserError
from bouncy_latch.core.formats import meshes, step
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.judge.search import window
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.parts import measure, surface
from bouncy_latch.core.process.population import built_in
from bouncy_latch.core.project import bench, delivery, document, joined, on_faces, part_files, seating, splitting, store
from bouncy_latch.core.project.document import Seated
from bouncy_latch.core.solids import brep, contents, mesh, tree

HERON = built_in()[0]
SLAB = tree.Box(0, 0, 0, 60, 40, 10) - tree.cylinder(3, 20).move(45, 20, -2)


def written(folder, name, solid):
    path = folder / name
    if path.suffix == ".step":
        path.write_bytes(step.to_step({path.stem: solid}, path.stem))
    else:
        points, faces = mesh.arrays(mesh.evaluate(solid))
        if path.suffix == ".stl":
            path.write_bytes(meshes.to_stl(mesh.evaluate(solid), path.stem))
        else:
            trimesh.Trimesh(points, faces).export(path)
    return path


def project_of(*parts):
    found = document.empty_project("kit").with_process(HERON)
    for part in itertools.chain(*parts):
        found = found.with_mechanism(part)
    return found


def read(path, name=""):
    parts = part_files.made(part_files.read(path), name or path.stem, set(), set())
    return tuple(part.model_copy(update={"id": part.name}) for part in parts)


def built(shape, name="", **sizes):
    made = document.new_mechanism("part", name or shape, set(), shape=shape, **sizes)
    return (made.model_copy(update={"id": name or shape}),)


def placed(project, kind, on, seat, side="", name="", pattern="", **sizes):
    at, turn = sizes.pop("at", None), sizes.pop("turn", 0.0)
    made = document.new_mechanism(kind, name or kind, {each.id for each in project.mechanisms}, **sizes)
    project = project.with_mechanism(made)
    sides = [side] if side else list(registry.kind(kind).sides)[:1]
    host = next(each.id for each in project.mechanisms if on in {each.id, each.name})
    made, _ = seating.on_part(project, made, bench.designed(project, made, HERON), sides[0], host,
                              Seated(seat=seat, at=at, turn=turn, pattern=pattern))
    return project.with_mechanism(made)


def solved(project, name):
    design = bench.designed(project, next(each for each in project.mechanisms if name in {each.id, each.name}), HERON)
    return design, design.solve()


def test_faces_edges_and_holes_of_analytic_solids_are_where_they_are():
    """A stepped block with a bore, and a wedge of 30 in 40: frames within a millionth, by geometry."""
    stepped = tree.union([SLAB, tree.Box(0, 30, 10, 60, 40, 22)])
    found = surface.surface_of(stepped.placed(tree.turn_about_x(0.0)))
    top, step_ = found.face("top"), found.face("top-2")
    assert (top.corner, top.width, top.height) == ((0, 30, 22), 60, 10)
    assert (step_.corner, step_.point((15, 20))) == ((0, 0, 10), (15, 20, 10))
    # Seen from outside left is left: the back face begins at the right end of the part.
    back = found.face("back")
    assert (back.corner, back.across, back.up) == ((60, 40, 0), (-1, 0, 0), (0, 0, 1))
    assert back.at(back.point((7.0, 3.0))) == (7.0, 3.0)
    hole = next(each for each in found.holes if each.face == "top-2")
    assert hole.centre == pytest.approx((45, 20, 10), abs=1e-6)
    assert hole.diameter == pytest.approx(6.0, abs=0.01)
    assert found.edge("top-back").length == 60
    assert found.edge("back-top") is found.edge("top-back")
    wedge = surface.surface_of(on_faces.part_body(built("wedge", length=40, width=20, height=30)[0], HERON).base)
    slope = wedge.face("slope-1")
    assert slope.normal == pytest.approx((0.6, 0, 0.8), abs=1e-9)
    assert (slope.height, slope.area) == (pytest.approx(50), pytest.approx(1000))


@pytest.mark.parametrize(("there", "seat", "at"), [
    ((15.2, 20.1, 10), "face:top", (15.0, 20.0)), ((30.5, 19.2, 10), "face:top", None),
    ((0.9, 0.8, 10), "face:top", (0.0, 0.0)), ((30.6, 39.4, 10), "face:top", (30.0, 40.0)),
    ((44.0, 21.0, 9.9), "hole:hole-1", None), ((60, 33.1, 4.2), "face:right", (33.0, 4.0))])
def test_what_is_pointed_at_snaps_to_middles_corners_and_holes(there, seat, at):
    file = contents.keep(tree.given_mesh(*mesh.arrays(mesh.evaluate(SLAB))))
    body = on_faces.part_body(built("file", "slab", file=file)[0], HERON)
    assert on_faces.pointed(body, there) == Seated(seat=seat, at=at)


def test_thickness_is_measured_through_the_plastic():
    tubular = on_faces.part_body(built("tube", diameter=40, wall=2.4, floor=2, height=30)[0], HERON).base
    assert measure.thickness(tubular, (5, 3, 2), (0, 0, -1)) == pytest.approx(2.0, abs=1e-3)
    assert measure.thickness(SLAB, (20, 20, 10), (0, 0, -1)) == pytest.approx(10.0, abs=1e-3)
    assert measure.thickness(SLAB, (60, 20, 5), (-1, 0, 0)) == pytest.approx(12.0, abs=2e-2)
    assert measure.thickness(SLAB, (45, 20, 10), (0, 0, -1)) == 0.0


@pytest.mark.parametrize("name", ["slab.stl", "slab.obj", "slab.ply", "slab.step"])
def test_a_part_from_a_file_carries_a_nut_and_leaves_as_it_came(name, tmp_path):
    """Volumes against Manifold's own booleans; the exact body within 0.5 % of the mesh, valid, with a true cylinder if it came
    so."""
    project = placed(project_of(read(written(tmp_path, name, SLAB))), "nut-pocket", "slab", "face:top", at=(15, 20), turn=30)
    design, solution = solved(project, "slab")
    assert solution.params.file.startswith("parts/")
    nut = next(each for each in project.mechanisms if each.kind == "nut-pocket")
    assert nut.params["floor"] == pytest.approx(5.2), "as deep as the slab is thick: the screw goes through"
    (feature,) = solution.shape.features
    cut = mesh.evaluate(feature.cut.placed(feature.frame))
    bare = mesh.evaluate(SLAB)
    made = mesh.evaluate(solution.bodies["A"])
    assert made.volume() == pytest.approx((bare - cut).volume(), rel=2e-3)
    assert (made.status(), len(made.decompose())) == (manifold3d.Error.NoError, 1)
    exact = brep.evaluate(solution.bodies["A"])
    assert brep.is_valid(exact)
    assert brep.volume_and_centroid(exact)[0] == pytest.approx(made.volume(), rel=5e-3)
    files = delivery.export(solution, "slab", tmp_path / "out", ("stl", "step", "3mf"))
    assert [path.name for path in files][:1] == ["slab.stl"]
    came_exact = contents.exact_of(contents.body(solution.params.file)) is not None
    assert came_exact == name.endswith(".step")
    assert (b"CYLINDRICAL_SURFACE" in (tmp_path / "out" / "slab.step").read_bytes().replace(b"\n", b"")) >= came_exact
    # The tools lie where the part was drawn: taken from it by another program they make the same part.
    (tool,) = delivery.export_tools(solution, "slab", tmp_path / "tools", ("stl",))
    assert tool.name == "slab-nut-pocket-cut.stl"
    loaded = trimesh.load_mesh(tool)
    taken = manifold3d.Manifold(manifold3d.Mesh64(loaded.vertices, loaded.faces.astype(np.uint64)))
    assert (bare - taken).volume() == pytest.approx(made.volume(), rel=2e-3)
    assert design.piece().placements == ()


def test_one_verdict_for_all_that_sits_on_a_part_with_growth_in_common():
    """Brute force over growth; the print window is that of the narrower; what is on it is named in every verdict."""
    project = project_of(built("block", length=80, width=40, height=10))
    project = placed(project, "nut-pocket", "block", "face:top", at=(15, 20), style="dropped", allowance=0.3, name="nut")
    project = placed(project, "hook", "block", "edge:bottom-right", name="clip")
    design, solution = solved(project, "block")
    rng = np.random.default_rng(3)
    growths = rng.normal(design.judged.growth.mean, design.judged.growth.sd, 60)
    mechanisms = [(guest.kind, guest.params) for guest in design.guests]
    brute = np.mean([math.prod(kind.figures(params, design.judged.with_growth(float(growth))).aim.chance
                               for kind, params in mechanisms) for growth in growths])
    assert solution.aim.chance == pytest.approx(brute, abs=0.03)
    assert solution.check("nut: nut-fits").value == pytest.approx(
        100 * next(g for g in design.guests if g.name == "nut").solve(design.judged).aim.chance)
    proof = verdicts.full_analysis(design, solution, traced=False)
    assert {check.verdict for check in proof.checks} == {OK}
    whole, nut = window.print_window(design), window.print_window(
        bench.designed(project, next(m for m in project.mechanisms if m.name == "nut"), HERON))
    assert whole is not None
    assert nut is not None
    assert whole.width <= nut.width + 0.01
    assert [item.name for item in solution.bought][:1] == ["nut M5"]
    assert len(solution.bought) == 2, "the nut and its screw, nothing for the hook"


@pytest.mark.parametrize(("shape", "kind", "seat", "more", "says"), [
    ("block", "nut-pocket", "face:front", {}, "looks sideways as the part prints"),
    ("block", "hook", "face:top", {}, "does not stand upright as the part prints"),
    ("block", "nut-pocket", "face:lid", {}, "the part has no face 'lid'; it has top, bottom"),
    ("block", "nut-pocket", "top", {}, "'top' is no seat; name one as face:top"),
    ("block", "nut-pocket", "face:top", {"at": (70, 5)}, "70, 5 lies beside the face top, which is 60.0 × 40.0 mm"),
    ("plate", "nut-pocket", "face:top", {}, "the part is 3.0 mm thick there, and a nut pocket with these sizes needs"),
    ("block", "hook", "edge:bottom-right", {"turn": 90}, "layers would lie across it"),
    ("block", "bead-ring", "face:top", {}, "sits on no face of a part"),
    ("block", "hook", "edge:bottom-right", {"pattern": "ring 3"}, "a ring needs a face that looks up"),
    ("block", "hook", "edge:bottom-right", {"pattern": "star"}, "'star' is no pattern; name a row as row 3x20"),
    ("wedge", "nut-pocket", "face:slope-1", {}, "off upright as the part prints"),
])
def test_what_cannot_sit_there_is_said_in_one_sentence(shape, kind, seat, more, says):
    with pytest.raises(UserError) as caught:
        placed(project_of(built(shape)), kind, shape, seat, **more)
    assert says in caught.value.sentence


def test_seats_that_overlap_reach_outside_or_stand_too_near_an_edge_are_verdicts():
    project = placed(project_of(built("block")), "nut-pocket", "block", "face:top", at=(20, 20), name="one")
    project = placed(project, "screw-boss", "block", "face:top", at=(24, 20), name="two")
    design, solution = solved(project, "block")
    found = {check.id: check for check in assembly.neighbours(solution, design.guests)}
    assert found[assembly.ROOMS_ID].verdict == STOP
    project = placed(project_of(built("block")), "nut-pocket", "block", "face:top", at=(4, 4))
    design, solution = solved(project, "block")
    assert {c.id: c for c in assembly.neighbours(solution, design.guests)}[assembly.WALLS_ID].verdict != OK


@pytest.mark.parametrize(("pattern", "places"), [
    ("row 3x10", [(15, 20, 0), (25, 20, 0), (35, 20, 0)]), ("mirror", [(15, 20, 0), (45, 20, 0)]),
    ("ring 4", [(15, 20, 0), (30, 5, 90), (45, 20, 180), (30, 35, -90)])])
def test_several_places_of_one_mechanism_have_one_set_of_sizes(pattern, places):
    project = placed(project_of(built("block")), "screw-boss", "block", "face:top", at=(15, 20), pattern=pattern, name="boss")
    (sitting,) = next(each for each in project.mechanisms if each.name == "boss").sits
    found = [(place.x, place.y, math.remainder(place.turn, 360)) for place in sitting.places]
    assert np.allclose([each[:2] for each in found], [each[:2] for each in places])
    assert np.allclose(np.cos(np.radians([a[2] - b[2] for a, b in zip(found, places, strict=True)])), 1)
    _, solution = solved(project, "block")
    assert [share.side for share in solution.shape.features] == [
        "boss" if not number else f"boss, place {number + 1}" for number in range(len(places))]
    assert sum(item.count for item in solution.bought) == len(places)
    assert [check.id for check in solution.checks if check.id.endswith("goes-in")] == ["boss: goes-in"]


@pytest.mark.parametrize("seed", range(6))
def test_random_placements_make_closed_parts_in_any_order(seed):
    rng = np.random.default_rng(seed)
    nut = {"at": (float(rng.uniform(12, 40)), float(rng.uniform(12, 28))), "turn": float(rng.uniform(0, 60))}
    wanted = [("nut-pocket", nut),
              ("screw-boss", {"at": (float(rng.uniform(62, 70)), float(rng.uniform(12, 28)))}),
              ("hook", {"seat": str(rng.choice(["edge:bottom-left", "edge:bottom-right"]))})]
    volumes = []
    for order in itertools.permutations(wanted):
        project = project_of(built("block", length=80, width=40, height=float(rng.integers(8, 9))))
        for kind, more in order:
            project = placed(project, kind, "block", **{"seat": "face:top", **more})
        made = mesh.evaluate(solved(project, "block")[1].bodies["A"])
        assert (made.status(), len(made.decompose())) == (manifold3d.Error.NoError, 1)
        volumes.append(made.volume())
    assert volumes == pytest.approx([volumes[0]] * 6, rel=1e-9)


def test_a_hinge_between_two_imported_halves_is_the_hinge_of_the_built_in_box(tmp_path):
    """The symmetric difference under 0.1 %, the same verdicts; a nut in one half comes along, each half is its own file."""
    kind = registry.kind("knuckle-hinge")
    own = kind.params().changed(host="box", corner_radius=0, rim_step=0, width=60, depth=40, base_height=16, lid_height=16)
    alone = kind.solve(own, HERON)
    halves = {name: body.base for name, body in zip(("base", "lid"), alone.shape.bodies, strict=True)}
    project = project_of(*(read(written(tmp_path, f"{name}.stl", solid)) for name, solid in halves.items()))
    project = placed(project, "knuckle-hinge", "base", "edge:top-back", name="fold")
    fold = next(each for each in project.mechanisms if each.name == "fold")
    lid = next(each for each in project.mechanisms if each.name == "lid")
    fold, _ = seating.on_part(project, fold, bench.designed(project, fold, HERON), "b", lid.id, Seated(seat="edge:top-front"))
    project = project.with_mechanism(fold)
    _, solution = solved(project, "fold")
    for name in "AB":
        ours, theirs = mesh.evaluate(solution.bodies[name]), mesh.evaluate(alone.bodies[name])
        apart = (ours - theirs).volume() + (theirs - ours).volume()
        assert apart < 1e-3 * theirs.volume()
    verdicts_of = {check.id: check.verdict for check in alone.checks}
    assert {check.id: check.verdict for check in solution.checks} == verdicts_of
    assert solution.aim.chance == pytest.approx(alone.aim.chance)
    assert joined.called(fold, solution) == {"A": "base", "B": "lid"}
    assert seating.elsewhere(fold, solution) == frozenset()
    assert set(joined.made_by_joints(project, HERON).values()) == {"fold"}
    project = placed(project, "screw-boss", "base", "face:top-2", at=(20, 15), name="boss")
    _, more = solved(project, "fold")
    assert [share.side for share in more.shape.features].count("boss") == 1
    assert mesh.evaluate(more.bodies["A"]).volume() > mesh.evaluate(solution.bodies["A"]).volume() + 100
    with pytest.raises(ParamError, match="base is printed joined by fold already"):
        placed(project, "knuckle-hinge", "base", "edge:top-front", name="second")


def test_a_replaced_file_keeps_the_joints_and_says_what_moved(tmp_path):
    project = project_of(read(written(tmp_path, "slab.stl", SLAB)))
    project = placed(project, "nut-pocket", "slab", "face:top", at=(15, 20), name="nut", pattern="row 2x15")
    slab = next(each for each in project.mechanisms if each.name == "slab")
    taller = part_files.read(written(tmp_path, "taller.stl", SLAB + tree.Box(0, 0, 9, 60, 40, 12)))
    changed, moved = seating.with_file(project, slab, taller, "taller.stl", HERON)
    nut = next(each for each in changed.mechanisms if each.name == "nut")
    assert moved == ("nut moved by 2.00 mm with face:top; floor 7.2 mm: the part is 12.0 mm thick there",)
    assert nut.params["floor"] == pytest.approx(7.2)
    assert [(place.x, place.y) for place in nut.sits[0].places] == [(15, 20), (30, 20)]
    ball = part_files.read(written(tmp_path, "ball.stl", tree.Sphere(20)))
    lost, said = seating.with_file(project, slab, ball, "ball.stl", HERON)
    assert said[0].startswith("nut stays where it was: the part has no face 'top'; it has none")
    assert next(each for each in lost.mechanisms if each.name == "nut").sits == \
        next(each for each in project.mechanisms if each.name == "nut").sits


def test_a_project_carries_its_parts_once_and_hostile_ones_are_refused(tmp_path):
    import zipfile

    part = read(written(tmp_path, "slab.step", SLAB))
    twin = part[0].model_copy(update={"id": "twin", "name": "twin"})
    path = tmp_path / "kit.latch"
    store.save(path, store.Latch(project_of(part, (twin,)), {}))
    with zipfile.ZipFile(path) as archive:
        names = sorted(archive.namelist())
        assert [name.rpartition(".")[2] for name in names] == ["mesh", "step", "json"]
        document_, data = archive.read("project.json"), archive.read(names[0])
    contents._kept.clear()
    again = store.load(path).project
    assert mesh.evaluate(solved(again, "twin")[1].bodies["A"]).volume() == pytest.approx(mesh.evaluate(SLAB).volume(), rel=2e-3)
    for name, wrong in ((names[0], data[:-1] + b"\x07"), ("parts/../x", data), (names[0].replace(".mesh", ".exe"), data)):
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("project.json", document_)
            archive.writestr(name, wrong)
        with pytest.raises(ReadError, match=r"damaged part|does not belong"):
            store.load(path)
    contents._kept.clear()
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("project.json", document_)
    lone = store.load(path).project
    with pytest.raises(ParamError, match="is not in the project: replace it"):
        contents.body(lone.mechanisms[0].params["file"])


@pytest.mark.parametrize(("name", "data", "says"), [
    ("empty.step", b"", "damaged or no STEP file"),
    ("words.step", b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n#1=NONSENSE();\nENDSEC;\nEND-ISO-10303-21;\n", "STEP|solid"),
    ("model.txt", b"solid", "is not a mesh file"),
])
def test_files_that_hold_no_part_get_one_sentence(name, data, says, tmp_path):
    (tmp_path / name).write_bytes(data)
    with pytest.raises(ReadError, match=says) as caught:
        part_files.read(tmp_path / name)
    assert "\n" not in caught.value.sentence


def test_a_step_file_of_several_bodies_makes_a_part_of_each(tmp_path):
    path = tmp_path / "tray.step"
    path.write_bytes(step.to_step({"base": SLAB, "lid": tree.Box(0, 60, 0, 20, 80, 5)}, "tray"))
    parts = read(path, "tray")
    assert [part.name for part in parts] == ["tray 1", "tray 2"]
    volumes = sorted(mesh.evaluate(on_faces.part_body(part, HERON).base).volume() for part in parts)
    assert volumes == pytest.approx([2000, mesh.evaluate(SLAB).volume()], rel=2e-3)
    with pytest.raises(ParamError, match="says its unit itself"):
        part_files.read(path, "inch")


@pytest.mark.parametrize(("plane", "kind", "lies"), [("x=30", "locking-tab", "bottom"), ("z=20", "locking-tab", "front"),
                                                    ("y=12", "", "bottom"), ("x=30", "hook", "bottom")])
def test_a_split_part_is_two_that_are_the_whole(plane, kind, lies):
    """Both halves together are the part and what joins them; what joins them prints upright on the bed in both."""
    project = project_of(built("block", length=60, width=40, height=40))
    project = placed(project, "nut-pocket", "block", "face:top", at=(45, 30), name="nut")
    block = next(each for each in project.mechanisms if each.name == "block")
    if kind and lies != "bottom":
        with pytest.raises(ParamError, match="must lie on another side"):
            splitting.split(project, block, HERON, *splitting.plane(plane), kind)
        project = project_of(built("block", length=60, width=40, height=40))
    made = splitting.split(project, block, HERON, *splitting.plane(plane), kind)
    axis, _ = splitting.plane(plane)
    assert made.area == pytest.approx({"x": 1600, "y": 2400, "z": 2400}[axis])
    halves = [next(each for each in made.project.mechanisms if each.id == half) for half in made.halves]
    assert {half.params["stands"] for half in halves} == {lies}
    bare = [on_faces.part_body(half, HERON).base for half in halves]
    assert sum(mesh.evaluate(half).volume() for half in bare) == pytest.approx(96_000)
    if lies == "bottom":
        assert made.said == ("nut is on block " + {"x": "right", "y": "back"}[axis] + " now",)
        assert any(share.side == "nut" for share in solved(made.project, halves[1].id)[1].shape.features)
    if kind:
        joint = next(each for each in made.project.mechanisms if each.kind == kind)
        assert [sitting.on for sitting in joint.sits] == list(made.halves)
        for half in halves:
            body = mesh.evaluate(solved(made.project, half.id)[1].bodies["A"])
            assert body.bounding_box()[2] == pytest.approx(0.0, abs=1e-6)
            assert len(body.decompose()) == 1


def test_splits_that_miss_and_parts_larger_than_the_bed():
    block = built("block", length=300, width=40, height=10)[0]
    project = project_of((block,))
    with pytest.raises(ParamError, match=r"the plane z = 12 misses the part, which reaches from 0\.0 to 10\.0 mm"):
        splitting.split(project, block, HERON, "z", 12.0)
    with pytest.raises(ParamError, match="'across' is no plane"):
        splitting.plane("across")
    with pytest.raises(ParamError, match=r"a nut pocket joins no two halves; .*locking-tab"):
        splitting.split(project, block, HERON, "x", 100.0, "nut-pocket")
    body = on_faces.part_body(block, HERON)
    assert splitting.least_cuts(body, (220.0, 220.0, 250.0)) == ("x=150",)
    assert splitting.least_cuts(body, (100.0, 100.0, 250.0)) == ("x=100", "x=200")
    assert splitting.least_cuts(body, (310.0, 60.0, 250.0)) == () == splitting.least_cuts(body, None)


SEATED = [(kind.id, side) for kind in registry.kinds().values() for side in kind.seats if not kind.first]


@pytest.mark.parametrize(("kind", "side"), SEATED)
def test_every_side_that_sits_on_a_face_makes_a_sound_part(kind, side):
    """On a block large enough for all: one closed piece, on the bed, with the plastic its strength was worked out with."""
    up = registry.kind(kind).seats[side].out == "+z"
    project = placed(project_of(built("block", length=150, width=150, height=30)), kind, "block",
                     "face:top" if up else "edge:bottom-right", side=side, name="it")
    design, solution = solved(project, "block")
    bare, made = mesh.evaluate(on_faces.part_body(built("block", length=150, width=150, height=30)[0], HERON).base), \
        mesh.evaluate(solution.bodies["A"])
    assert (made.status(), len(made.decompose())) == (manifold3d.Error.NoError, 1)
    assert made.bounding_box()[2] == pytest.approx(0.0, abs=1e-6)
    assert (made - bare).volume() + (bare - made).volume() > 10, "something is there"
    found = {check.id: check for check in assembly.neighbours(solution, design.guests)}
    assert [check.label for check in found.values() if check.verdict == STOP] == []
    # What grows out of the part begins in it, and what is cut begins at its face: nothing hangs before it or is hidden inside.
    for feature in solution.shape.features:
        cut = mesh.evaluate(feature.cut.placed(feature.frame)) if feature.cut is not None else None
        if cut is not None and feature.add is None:
            assert (cut - bare).volume() > 0, "open to the outside"


def test_a_part_of_too_many_triangles_goes_out_as_step_by_its_tools(tmp_path):
    fine = tree.given_mesh(*mesh.arrays(mesh.evaluate(tree.Box(0, 0, 0, 60, 40, 10)).refine(45)), "slab")
    project = placed(project_of(built("file", "slab", file=contents.keep(fine))), "nut-pocket", "slab", "face:top", at=(15, 20))
    solution = solved(project, "slab")[1]
    files = [path.name for path in delivery.export(solution, "slab", tmp_path, ("stl", "step"))]
    assert files == ["slab.stl", "slab-nut-pocket-cut.step", "slab-print-notes.txt"]
    assert "came as 24300 triangles, too many for exact faces" in (tmp_path / "slab-print-notes.txt").read_text()


@pytest.mark.parametrize(("solid", "says"), [(tree.Box(0, 0, 0, 3000, 20, 20), "3e+03 mm across"),
                                             (tree.Box(0, 0, 0, 0.2, 0.1, 0.1), "0.2 mm across")])
def test_exact_bodies_of_no_sane_size_are_refused(solid, says, tmp_path):
    with pytest.raises(ReadError) as caught:
        part_files.read(written(tmp_path, "part.step", solid))
    assert says in caught.value.sentence


def test_a_file_with_an_endless_name_gives_a_part_with_a_name(tmp_path):
    (part,) = read(written(tmp_path, f"{'slab' * 40}.stl", SLAB))
    assert len(part.name) == 100
