"""The command line as scripts use it: stable JSON, exit code 2 with one sentence, nothing written on failure."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from bouncy_latch.cli import listed
from bouncy_latch.cli import main as cli
from bouncy_latch.core.formats import meshes
from bouncy_latch.core.judge.search.window import print_window
from bouncy_latch.core.learn.calibration import shapes
from bouncy_latch.core.process.evidence import reading
from bouncy_latch.core.process.evidence_store import Evidence
from bouncy_latch.core.project import store
from bouncy_latch.core.project.autosave import Autosave
from bouncy_latch.core.project.bench import Bench
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.folders import data_folder
from bouncy_latch.core.project.store import Latch
from bouncy_latch.core.solids import mesh
from tests.parts import bearing, block


def run(capsys, monkeypatch, *argv):
    """Run the command line in this process; returns (exit code, stdout, stderr)."""
    monkeypatch.setattr(sys, "argv", ["bouncy-latch", *argv])
    try:
        cli.main()
        code = 0
    except SystemExit as leave:
        code = leave.code or 0
    out, err = capsys.readouterr()
    return code, out, err


@pytest.fixture
def bouncy(capsys, monkeypatch):
    return lambda *argv: run(capsys, monkeypatch, *map(str, argv))


def test_solve_speaks_the_contract(bouncy):
    code, out, err = bouncy("solve", "knuckle-hinge", "--set", "gap=0.15", "--set", "host=box", "--json")
    found = json.loads(out)

    assert (code, err) == (0, "")
    assert found["kind"] == "knuckle-hinge"
    for name in ("gap", "knuckles", "knuckle_length", "wall", "fold_gap", "closing_gap", "pivot", "host", "outline"):
        assert set(found["params"][name]) == {"value", "unit", "role"}
    assert found["params"]["gap"] == {"value": 0.15, "unit": "mm", "role": "chosen"}
    assert found["derived"]["barrel"]["value"] == pytest.approx(5.3)
    assert all(set(d) == {"value", "unit", "formula", "source"} for d in found["derived"].values())
    for check in found["checks"]:
        assert {"id", "value", "limit", "unit", "margin", "verdict", "why", "remedies"} <= set(check)
        assert check["verdict"] in {"ok", "look", "stop"}
    assert found["checks"][0]["verdict"] == "stop"
    assert {"swings-clear", "layers-part"} <= {c["id"] for c in found["checks"]}
    assert found["print_window"]["unit"] == "mm/side"
    assert found["print_window"]["lo"] < found["print_window"]["hi"]
    prediction = found["prediction"]
    assert prediction["class"] == max(prediction["p"], key=prediction["p"].get) == "welded"
    assert sum(prediction["p"].values()) == pytest.approx(1, abs=1e-3)
    assert prediction["breakaway"]["value"] > 0
    assert found["recommended"]["gap"] == pytest.approx(0.3, abs=0.03)


def test_anyones_printer_wants_more_room(bouncy):
    mine, anyone = (json.loads(bouncy("solve", "knuckle-hinge", "--policy", policy, "--quick")[1])
                    for policy in ("mine", "anyone"))

    assert anyone["recommended"]["gap"] >= mine["recommended"]["gap"]
    assert anyone["prediction"]["p"]["welded"] > mine["prediction"]["p"]["welded"]


def test_a_process_file_can_be_printed_changed_and_used(bouncy, tmp_path):
    process = json.loads(bouncy("process", "gannet-petg-kelp-028")[1])
    process["growth"] = {"mean": 0.0, "sd": 0.005}
    path = tmp_path / "mine.json"
    path.write_text(json.dumps(process))
    found = json.loads(bouncy("solve", "knuckle-hinge", "--process", path, "--quick")[1])

    assert found["derived"]["printed_gap"]["value"] == pytest.approx(0.3)


def test_export_writes_each_body_and_the_test_piece(bouncy, tmp_path):
    code, out, _ = bouncy("export", "knuckle-hinge", "--out", tmp_path / "o", "--format", "stl,3mf", "--set", "knuckles=5")
    piece = json.loads(bouncy("export", "knuckle-hinge", "--out", tmp_path / "t", "--format", "stl", "--set", "host=box",
                              "--test-piece")[1])

    assert code == 0
    assert {p.rsplit("/", 1)[1] for p in json.loads(out)["files"]} == {
        "knuckle-hinge-A.stl", "knuckle-hinge-B.stl", "knuckle-hinge.3mf"}
    assert sorted(p.name for p in (tmp_path / "t").iterdir()) == ["knuckle-hinge-test-A.stl", "knuckle-hinge-test-B.stl"]
    assert len(piece["files"]) == 2


def test_a_whole_project_is_exported_by_name(bouncy, tmp_path):
    from bouncy_latch.core.project import store
    from bouncy_latch.core.project.demo import demo_project

    store.save(tmp_path / "kit.latch", store.Latch(demo_project()))
    code, out, _ = bouncy("export", tmp_path / "kit.latch", "--out", tmp_path / "o", "--format", "3mf")

    assert code == 0
    assert "specimen-box-hinge.3mf" in out
    written = json.loads(out)["files"]
    notes = [name for name in written if name.endswith("-print-notes.txt")]
    assert len(written) == len(demo_project().mechanisms) - 1 + len(notes)
    assert len(notes) == len([m for m in demo_project().mechanisms if m.kind != "knuckle-hinge"]), "walls and infill are told"


def test_a_side_is_built_into_another_mechanism_from_a_shell(bouncy, tmp_path):
    project = tmp_path / "kit.latch"
    project.write_bytes((Path(__file__).parents[1] / "data" / "schema-4.latch").read_bytes())
    code, out, err = bouncy("place", project, "Slate cover clip", "hook", "--on", "knuckle-hinge-4/B", "--at", "0,52,0",
                            "--turn", "90")
    placed = json.loads(out)
    assert (code, err) == (0, "")
    assert placed["sits"] == [{"side": "hook", "on": "knuckle-hinge-4", "body": "B",
                               "where": {"x": 0.0, "y": 52.0, "z": 0.0, "turn": 90.0}}]
    assert {check["verdict"] for check in placed["checks"]} == {"ok"}
    tin = next(item for item in json.loads(bouncy("solve", project, "--quick")[1])["mechanisms"] if "tin" in item["name"])
    assert next(check for check in tin["checks"] if check["id"] == "guests-are-made")["verdict"] == "ok"
    written = json.loads(bouncy("export", project, "--out", tmp_path / "out", "--format", "stl")[1])
    assert written["built_in"] == ["screw-boss-1"]
    assert {Path(name).name for name in written["files"] if name.endswith("stl")} == {
        "hexagon-sample-tin-A.stl", "hexagon-sample-tin-B.stl", "slate-cover-clip-B.stl"}
    before = project.read_bytes()
    for argv, says in ((("hook-9", "hook", "--off"), "no mechanism 'hook-9'; it has knuckle-hinge-4, hook-1, screw-boss-1"),
                       (("hook-1", "hook"), "say what it sits on"), (("hook-1", "lid", "--on", "knuckle-hinge-4/A"), "no side"),
                       (("knuckle-hinge-4", "a", "--on", "hook-1/A"), "printed joined"),
                       (("hook-1", "hook", "--on", "knuckle-hinge-4/A", "--at", "1,2"), "is not x,y,z")):
        code, out, err = bouncy("place", project, *argv)
        assert (code, out) == (2, "")
        assert says in err
    assert project.read_bytes() == before
    assert json.loads(bouncy("place", project, "hook-1", "hook", "--off")[1])["sits"] == []


def test_what_kinds_there_are_is_kept_until_the_source_changes(tmp_path):
    core, file = tmp_path / "core", tmp_path / "made" / "kinds.json"
    core.mkdir()
    (core / "hook.py").write_text("one")
    assert listed.kept(core, file) is None
    listed.keep('{"ä": 1}\n', core, file)
    assert listed.kept(core, file) == '{"ä": 1}\n'
    os.utime(core / "hook.py", ns=(1, 1))
    assert listed.kept(core, file) is None, "a newer file"
    listed.keep("{}\n", core, file)
    (core / "wheel.py").write_text("")
    assert listed.kept(core, file) is None, "one file more"
    listed.keep("{}\n", core, file)
    file.write_text(file.read_text() + " ")
    assert listed.kept(core, file) is None, "damaged"
    assert [path.name for path in file.parent.iterdir()] == ["kinds.json"]


def test_predict_judges_files_made_elsewhere(bouncy, tmp_path):
    """The trade's ladder on two STL files, then one 3MF with both bodies as its shells and an axis through a point."""
    def predicted(*argv):
        code, out, err = bouncy("predict", *map(str, argv))
        assert (code, err) == (0, "")
        return json.loads(out)

    classes = []
    for gap in (0.1, 0.5):
        bodies = bearing(gap)
        for name, body in bodies.items():
            (tmp_path / f"{name}.stl").write_bytes(meshes.to_stl(body, name))
        found = predicted(tmp_path / "core.stl", tmp_path / "ring.stl", "--axis", "z")
        classes.append(found["joint"]["class"])
        both = tmp_path / "both.3mf"
        both.write_bytes(meshes.to_3mf(bodies, "bearing"))
        again = predicted(both, "--axis", "0,0,0:0,0,1")
        assert again["joint"]["p"] == pytest.approx(found["joint"]["p"], abs=0.02)
        assert again["bodies"] == ["both-1", "both-2"]
    assert classes == ["welded", "free"]
    assert found["joint"]["breakaway"]["unit"] == "N·mm"
    assert sum(found["joint"]["p"].values()) == pytest.approx(1, abs=1e-3)
    assert found["weld_area"] == {"stacked": 0, "side": 0, "sag": 0, "unit": "mm²"}
    assert found["sizes"]["ring"]["drawn"] == pytest.approx([28, 28, 8], abs=0.01)

    # A pin in a plate, where the shaft is what gives way.
    for name, solid in shapes.IN_PLACE[0].build(0.2).items():
        (tmp_path / f"{name}.stl").write_bytes(meshes.to_stl(mesh.evaluate(solid), name))
    joint = predicted(*(tmp_path / f"{name}.stl" for name in shapes.IN_PLACE[0].build(0.2)), "--axis", "z")["joint"]
    force = joint["breakaway"]
    assert force["weakest"].startswith("the shaft of ")
    assert joint["breaks_first"] is (force["part"] < min(force["value"], force["tool"]))

    gallows = tmp_path / "gallows.stl"
    gallows.write_bytes(meshes.to_stl(block(16, 10, 30) + block(36, 10, 6, (0, 0, 24)), "gallows"))
    alone = predicted(gallows, "--poses", "--seen", "top")
    assert alone["joint"] is None
    ledge = next(f for f in alone["findings"] if f["id"] == "ledge")
    assert ledge["verdict"] == "stop"
    assert ledge["layers"] == [121, 121]
    assert alone["unsupported"]["value"] == pytest.approx(200)
    assert alone["poses"][0]["unsupported"] == 0
    assert alone["poses"][0]["reasons"]
    assert alone["estimate"]["minutes"] > 10


@pytest.mark.parametrize(("argv", "says"), [
    (["solve", "no-such"], "there is no mechanism kind 'no-such'; known are ball-peg, bead-ring"),
    (["solve", "knuckle-hinge", "--set", "gpa=0.3"], "did you mean 'gap'"),
    (["solve", "knuckle-hinge", "--set", "gap"], "not name=value"),
    (["solve", "knuckle-hinge", "--set", "gap=0"], "gap must be a number from 0.05 to 1 mm, not 0"),
    (["solve", "knuckle-hinge", "--set", "gap=-0.2"], "not -0.2"),
    (["solve", "knuckle-hinge", "--set", "gap=nan"], "not nan"),
    (["solve", "knuckle-hinge", "--set", "gap=1e400"], "not inf"),
    (["solve", "knuckle-hinge", "--set", "gap=wide"], "not 'wide'"),
    (["solve", "knuckle-hinge", "--set", "pivot=square"], "must be one of cone"),
    (["solve", "knuckle-hinge", "--set", "wall=0.4"], "thinner than one printed line"),
    (["solve", "knuckle-hinge", "--set", "host=box", "--set", "outline=gone.svg"], "gone.svg cannot be opened"),
    (["solve", "knuckle-hinge", "--process", "gone"], "no process 'gone'"),
    (["solve", "knuckle-hinge", "--policy", "ours"], "policy must be mine or anyone"),
    (["export", "knuckle-hinge", "--out", "OUT", "--format", "obj"], "no export format 'obj'"),
    (["export", "gone.latch", "--out", "OUT"], "gone.latch cannot be opened"),
    (["export", "knuckle-hinge", "--out", "OUT", "--set", "knuckles=99"], "knuckles must be a whole number"),
    (["predict", "OUT/one.stl"], "cannot be opened"),
    (["predict", "OUT/one.stl", "--axis", "z", "--slide", "x"], "not both"),
    (["predict", "OUT/one.stl", "--seen", "inside"], "no side 'inside'"),
    (["predict", "OUT/one.stl", "--unit", "yard"], "no unit 'yard'"),
    (["frobnicate"], "No such command"),
    (["export", "knuckle-hinge"], "Missing option"),
])
def test_every_mistake_is_one_sentence_and_writes_nothing(bouncy, tmp_path, argv, says):
    code, out, err = bouncy(*(a.replace("OUT", str(tmp_path / "out")) for a in argv))

    assert code == 2
    assert out == ""
    assert says in err
    assert err.count("\n") == 1
    assert not (tmp_path / "out").exists()


def test_step_export_keeps_standard_output_clean(tmp_path):
    """In a process of its own, because the kernel writes past Python."""
    done = subprocess.run([sys.executable, "-m", "bouncy_latch.shell", "export", "knuckle-hinge", "--out", str(tmp_path),
                           "--format", "step", "--set", "knuckles=3"], capture_output=True, text=True, check=True)

    assert json.loads(done.stdout)["files"] == [str(tmp_path / "knuckle-hinge.step")]


@pytest.mark.parametrize("kind", ["hook", "split-pin", "ball-peg", "bead-ring", "locking-tab", "clip-hinge", "tube-clip"])
def test_snap_fits_are_solved_with_their_forces_along_the_way(bouncy, kind):
    code, out, err = bouncy("solve", kind)
    found = json.loads(out)

    assert (code, err) == (0, "")
    course = found["prediction"]["course"]
    assert len(course["travel"]) == len(course["in"]) == len(course["out"]) >= 190
    assert max(f for f in course["in"] if f is not None) == pytest.approx(found["derived"]["insertion"]["value"], abs=1e-3)
    low, high = (course["band"]["in"][side] for side in ("low", "high"))
    assert all(least <= force <= most for least, force, most in zip(low, course["in"], high, strict=True))
    assert [asked["value"] for asked in course["asked"]] == [found["params"][name]["value"] for name in ("push", "hold")]
    assert {"works", "strain", "insertion", "retention", "rattle", "rides-clear"} <= {c["id"] for c in found["checks"]}
    assert "p" not in found["prediction"]
    assert found["prediction"]["print_notes"]["Infill"] == "15 %"


def test_designing_to_a_target_from_a_shell(bouncy):
    code, out, _ = bouncy("target", "hook", "--set", "push=25", "--set", "hold=60", "--set", "cycles=500", "--set", "length=12",
                          "--process", "gannet-petg-kelp-028")
    best = json.loads(out)["best"]

    assert code == 0
    assert best["reached"]
    assert "length" not in best["set"]
    assert best["material"] == "PETG"
    sizes = [part for name, value in {"push": 25, "hold": 60, "cycles": 500, "length": 12, **best["set"]}.items()
             for part in ("--set", f"{name}={value}")]
    found = json.loads(bouncy("solve", "hook", "--quick", "--process", "gannet-petg-kelp-028", *sizes)[1])
    assert all(check["verdict"] == "ok" for check in found["checks"])

    assert bouncy("target", "knuckle-hinge")[0] == 2
    code, out, err = bouncy("solve", "hook", "--set", "undercut=9", "--set", "length=8", "--set", "fillet=0.2", "--set",
                            "thickness=0.8")
    assert (code, out) == (2, "")
    assert "cannot be bent so far" in err


def test_the_command_line_and_the_window_say_the_same_of_a_project(bouncy, tmp_path):
    """Evidence of the store and of the project itself goes into both."""
    latch = Latch(demo_project())
    path = tmp_path / "kit.latch"
    store.save(path, latch)
    kept = Evidence(data_folder() / "evidence.sqlite")
    process = latch.project.process
    kept.add([reading(process=process.id, feature="outside", nominal=10.0, values="10.3 10.31 10.3")], [process], fresh=True)
    bench = Bench(latch, path, Autosave(tmp_path / "autosave"), kept)
    assert bench.process.growth.mean > process.growth.mean + 0.005, "what is measured counts"
    code, out, err = bouncy("solve", path, "--quick")
    assert (code, err) == (0, "")
    for mechanism, found in zip(latch.project.mechanisms, json.loads(out)["mechanisms"], strict=True):
        design = bench.design_of(mechanism)
        solution = design.solve()
        assert found["name"] == mechanism.name
        assert found["process"] == process.id
        assert {c["id"]: c["value"] for c in found["checks"]} == {c.id: round(c.value, 4) for c in solution.checks}
        window = print_window(design)
        told = found["print_window"]
        assert (told is None) == (window is None)
        assert window is None or (told["lo"], told["hi"]) == (round(window.low, 4), round(window.high, 4))
