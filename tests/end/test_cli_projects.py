"""Projects begun and filled from the shell, answers in brief, solids for a part of one's own."""

from __future__ import annotations

import json

import pytest
import trimesh

from bouncy_latch.core.formats import meshes
from bouncy_latch.core.project import store
from bouncy_latch.core.solids import mesh, tree
from tests.end.test_cli import bouncy  # noqa: F401 - a fixture
from tests.parts import block


def told(answer):
    code, out, err = answer
    assert (code, err) == (0, "")
    return json.loads(out)


def test_a_project_is_begun_filled_and_built_into_from_the_shell(bouncy, tmp_path):  # noqa: F811
    kit = tmp_path / "kit.latch"
    told(bouncy("project", "new", tmp_path / "kit", "--name", "Survey kit"))
    lid = told(bouncy("project", "add", kit, "knuckle-hinge", "--name", "Tin", "--set", "host=box"))
    clip = told(bouncy("project", "add", kit, "hook", "--set", "undercut=1.2"))
    listed = told(bouncy("project", "list", kit))
    assert {each["id"]: each["name"] for each in listed["mechanisms"]} == {lid["mechanism"]: "Tin", clip["mechanism"]: "Hook"}
    (shown,) = told(bouncy("project", "show", kit, "Tin"))["mechanisms"]
    base = next(body for body in shown["bodies"] if body["takes_others"])
    middle = [round((a + b) / 2, 1) for a, b in zip(base["from"], base["to"], strict=True)]
    (sides,) = (each["sides"] for each in told(bouncy("project", "show", kit, "Hook"))["mechanisms"])
    assert "hook" in sides
    at = f"{middle[0]},{middle[1]},{base['to'][2]}"
    assert told(bouncy("place", kit, "Hook", "hook", "--on", f"{lid['mechanism']}/{base['name']}", "--at", at))["sits"]
    before = kit.read_bytes()
    for argv, says in ((["project", "new", kit], "is there already"),
                       (["project", "add", kit, "hook", "--name", "Tin"], "already"),
                       (["project", "add", kit, "hinge"], "hinge"), (["project", "show", kit, "Nobody"], "has no mechanism"),
                       (["project", "add", kit, "hook", "--set", "undercut=900"], "undercut must be")):
        code, out, err = bouncy(*argv)
        assert (code, out) == (2, "")
        assert says in err
    assert kit.read_bytes() == before
    assert store.load(kit).project.name == "Survey kit"


@pytest.mark.parametrize("what", [["hook"], ["knuckle-hinge", "--set", "gap=0.15"], ["thread", "--set", "size=m15"]])
def test_in_brief_it_is_ten_lines_with_verdict_chance_and_the_best_change(bouncy, what):  # noqa: F811
    code, out, err = bouncy("solve", *what, "--brief", "--quick")
    lines = out.splitlines()
    assert (code, err) == (0, "")
    assert 2 <= len(lines) <= 10
    assert "% of prints" in lines[0]
    assert "example printer" in lines[-1]
    if "gap=0.15" in what:
        assert lines[0].startswith("knuckle-hinge: stop")
        assert any("(needs 95 %)" in line for line in lines)
        assert any(line.startswith("least change: gap") for line in lines)
        assert any(line.startswith("recommended gap") for line in lines)


def test_an_answer_for_an_example_printer_says_so_and_ones_own_does_not(bouncy, tmp_path):  # noqa: F811
    assert "example printer" in told(bouncy("solve", "hook", "--quick"))["note"]
    added = told(bouncy("printers", "add", " Skua ", "--bed", "220x220x250"))
    assert added["name"] == "Skua"
    assert "printers spool 'Skua'" in added["next"]
    spool = told(bouncy("printers", "spool", "skua", "--material", "PLA+", "--colour", "red"))
    assert "ladder first --process 'Skua/PLA+ red'" in spool["next"]
    assert "note" not in told(bouncy("solve", "hook", "--quick", "--process", "Skua/PLA+ red"))
    added = told(bouncy("evidence", "add", "knuckle-hinge", "--process", "skua/pla+ RED", "--value", "0.3", "--outcome",
                        "freed by hand"))
    assert added["added"] == 1
    shown = told(bouncy("evidence", "show", "--process", "Skua/PLA+ red"))
    assert [each["outcome"] for each in shown["results"]] == ["frees by hand"], "the window's words are taken too"
    code, _, err = bouncy("evidence", "show", "--process", "Nobody/PLA red")
    assert (code, "there is no printer" in err) == (2, True)


@pytest.mark.parametrize(("kind", "names"), [
    ("nut-pocket", {"A-cut"}), ("hook", {"A-add", "B-cut"}), ("screw-boss", {"A-cut"})])
def test_tools_are_closed_solids_for_a_part_of_ones_own(bouncy, tmp_path, kind, names):  # noqa: F811
    files = told(bouncy("export", kind, "--out", tmp_path, "--tools"))["files"]
    found = {name.removeprefix(f"{tmp_path}/{kind}-") for name in files}
    assert {f"{name}.stl" for name in names} | {f"{name}.step" for name in names} <= found
    for file in files:
        if file.endswith(".stl"):
            read = trimesh.load(file)
            assert read.is_watertight
            assert read.volume > 1
    code, _, err = bouncy("export", kind, "--out", tmp_path, "--tools", "--format", "3mf")
    assert (code, "tools are written as stl and step" in err) == (2, True)


def test_a_shelf_is_put_under_what_hangs_and_only_there(bouncy, tmp_path):  # noqa: F811
    file, out = tmp_path / "ledge.stl", tmp_path / "out"
    file.write_bytes(meshes.to_stl(block(8, 8, 20) + block(30, 8, 3, (0, 0, 12)), "ledge"))
    before = told(bouncy("predict", file))
    assert any(check["id"] == "ledge" for check in before["checks"])
    after = told(bouncy("predict", file, "--shelves", "--out", out))
    assert not any(check["id"] == "ledge" for check in after["checks"])
    assert [name for name, _ in meshes.names_in_3mf((out / "with-shelves.3mf").read_bytes())] != ["ledge"]
    file.write_bytes(meshes.to_stl(block(8, 8, 20), "plain"))
    assert told(bouncy("predict", file, "--shelves", "--out", out))["files"] == []
    code, _, err = bouncy("predict", file, "--shelves")
    assert (code, "--shelves goes with --out" in err) == (2, True)


def test_a_part_from_the_shell_in_five_steps(bouncy, tmp_path):  # noqa: F811 - the fixture
    def run(*argv):
        code, out, err = bouncy(*argv)
        return code, json.loads(out) if out else None, err

    kit, slab = tmp_path / "kit.latch", tmp_path / "slab.stl"
    slab.write_bytes(meshes.to_stl(mesh.evaluate(tree.Box(0, 0, 0, 60, 40, 10)), "slab"))
    assert run("part", "add", kit, slab, "--name", "slab")[1]["parts"][0]["to"] == [60, 40, 10]
    seats = {face["seat"]: face for face in run("part", "show", kit, "slab")[1]["faces"]}
    assert (seats["face:top"]["looks"], seats["face:front"]["looks"]) == ("up", "upright")
    told = run("place", kit, "nut-pocket", "--on", "slab", "--seat", "face:top", "--at", "15,20", "--turn", "30",
               "--set", "nut=M5", "--set", "style=pressed")[1]
    assert told["sits"][0]["where"] == {"x": 15.0, "y": 20.0, "z": 5.2, "turn": 30.0}
    assert told["parts"][0]["name"] == "slab"
    assert run("part", "list", kit)[1]["parts"][0]["carries"] == ["nut-pocket-1"]
    out = run("export", kit, "--out", tmp_path / "out", "--format", "stl")[1]
    assert [name.rpartition("/")[2] for name in out["files"]] == ["slab.stl", "slab-print-notes.txt"]
    assert out["built_in"] == ["nut-pocket-1"]
    code, _, err = run("place", kit, "nut-pocket", "--on", "slab", "--seat", "face:front")
    assert code == 2
    assert "looks sideways" in err
    assert len(run("project", "list", kit)[1]["mechanisms"]) == 2, "nothing changed"
