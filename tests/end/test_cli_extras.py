"""Ladders, evidence and pauses from the shell."""

from __future__ import annotations

import json
import re

import lib3mf
import pytest

from bouncy_latch.core.formats import foreign, meshes
from tests.end.test_cli import run


@pytest.fixture
def bouncy(capsys, monkeypatch):
    return lambda *argv: run(capsys, monkeypatch, *map(str, argv))


def test_a_ladder_is_one_print_of_stepped_test_pieces(bouncy, tmp_path):
    code, out, _ = bouncy("ladder", "knuckle-hinge", "--out", tmp_path / "o", "--steps", "0.15,0.22,0.3", "--set", "knuckles=3",
                          "--set", "length=20")
    found = json.loads(out)
    path = tmp_path / "o" / "knuckle-hinge-ladder.3mf"
    bodies = foreign.read(path).bodies

    assert code == 0
    assert found["steps"] == [0.15, 0.22, 0.3]
    assert [name for name, _ in meshes.names_in_3mf(path.read_bytes())] == [
        f"knuckle-hinge-ladder-{step}-{body}" for step in (1, 2, 3) for body in "AB"]
    boxes = [b.bounding_box() for b in bodies.values()]
    assert boxes[0][0] == pytest.approx(0, abs=1e-3)
    # Steps stand clear of each other; the two leaves of a step do not.
    assert boxes[2][0] - boxes[0][3] == pytest.approx(4, abs=1e-3)
    parts = list(bodies.values())
    gaps = [parts[2 * i].min_gap(parts[2 * i + 1], 0.6) for i in range(3)]
    assert gaps == [pytest.approx(g, abs=0.012) for g in (0.15, 0.22, 0.3)]
    assert lib3mf.get_wrapper()


HERON = ("--process", "heron-pla-slate-020")


def test_equal_prints_are_two_and_a_round_trip_changes_nothing(bouncy, tmp_path):
    add = ("evidence", "add", "knuckle-hinge", *HERON, "--value", "0,22", "--outcome", "by hand", "--note", "one; crack")
    for _ in range(2):
        assert json.loads(bouncy(*add, "--set", "knuckles=4")[1])["added"] == 1
    shown = json.loads(bouncy("evidence", "show")[1])["results"]
    assert [(r["value"], r["outcome"], r["params"]) for r in shown] == [(0.22, "frees by hand", '{"knuckles":4}')] * 2

    table = tmp_path / "results.csv"
    exported = bouncy("evidence", "show", "--csv")[1]
    table.write_text(exported)
    assert json.loads(bouncy("evidence", "import", table)[1]) == {"read": 2, "added": 0}
    (tmp_path / "data" / "evidence.sqlite").unlink()
    assert json.loads(bouncy("evidence", "import", table)[1]) == {"read": 2, "added": 2}
    assert bouncy("evidence", "show", "--csv")[1] == exported
    # As a spreadsheet of another country writes it: byte-order mark, semicolons, decimal commas.
    table.write_bytes("\ufeffwhen;process;kind;param;value;outcome\n2026-09-01;p;knuckle-hinge;gap;0,3;free\n".encode())
    assert json.loads(bouncy("evidence", "import", table)[1]) == {"read": 1, "added": 1}


@pytest.mark.parametrize(("text", "says"), [
    ("when,process,kind,param,value,outcome\n2026-09-01,p,k,gap,101,free\n2026-09-01,p,k,gap,0.2,stuck\n", "line 2.*line 3"),
    ("when,process,kind,param,value,outcome,colour\n2026-09-01,p,k,gap,0.2,free,red\n", "unknown column colour"),
    ("when,process,kind,param,value,outcome\n2026-09-01,p,k,gap,0.2,free,red,blue\n", "line 2 has 2 values more"),
    ("when,process,kind,param,value,outcome\n2026-09-01,p,k,gap,0.2," + "x" * 200_000 + "\n", "no sound CSV"),
    ('{"results": [{"process": ["p"], "kind": "k", "param": "gap", "value": 0.2, "outcome": "free"}]}', "process must be text"),
    ('{"results": [{"process": "p", "kind": "k", "param": "gap", "value": {}, "outcome": "free"}]}', "value must be a number"),
    ('{"results": [{"process": "p", "kind": "k", "param": "gap", "value": 1e999, "outcome": "free"}]}', "beyond all measure"),
    ('{"results": [{"process": "\\ud800", "kind": "k"}]}', "damaged or no JSON"),
    ('{"readings": [{"process": "p", "feature": "hole", "nominal": 8, "values": [[1]]}]}', "values must be numbers"),
])
def test_tables_with_faults_are_refused_whole(bouncy, tmp_path, text, says):
    table = tmp_path / "table.txt"
    table.write_text(text)
    code, out, err = bouncy("evidence", "import", table)
    assert (code, out) == (2, "")
    assert re.search(says, err), err
    assert err.count("\n") == 1
    assert json.loads(bouncy("evidence", "show")[1]) == {"results": [], "readings": []}


def test_a_damaged_store_is_said_and_left_alone(bouncy, tmp_path):
    store = tmp_path / "data" / "evidence.sqlite"
    store.parent.mkdir()
    store.write_bytes(b"SQLite format 3\x00 but no more than that" * 40)
    before = store.read_bytes()

    assert "damaged" in bouncy("evidence", "show")[2]
    assert "damaged" in bouncy("evidence", "add", "knuckle-hinge", *HERON, "--value", "0.2", "--outcome", "free")[2]
    assert store.read_bytes() == before


@pytest.mark.parametrize(("argv", "says"), [
    (["gcode", "pause", "gone.gcode", "OUT", "--at", "1"], "gone.gcode cannot be opened"),
    (["gcode", "pause", "IN", "OUT", "--at", "9"], "above the print, which ends at 1 mm"),
    (["gcode", "pause", "IN", "OUT", "--at", "-1"], "positive numbers"),
    (["gcode", "pause", "EMPTY", "OUT", "--at", "1"], "no printing moves"),
    (["ladder", "knuckle-hinge", "--out", "OUT", "--steps", "0.2"], "2 to 12 different steps"),
    (["ladder", "knuckle-hinge", "--out", "OUT", "--steps", "0.2,wide"], "not 'wide'"),
    (["evidence", "add", "knuckle-hinge", *HERON, "--value", "101", "--outcome", "free"], "from 0.05 to 1 mm"),
    (["evidence", "add", "knuckle-hinge", *HERON, "--value", "0.2", "--outcome", "stuck"], "outcome must be one of"),
    (["evidence", "add", "knuckle-hinge", "--value", "0.2", "--outcome", "free"], "say which printer"),
    (["evidence", "measure", "hole", "--nominal", "8", "--readings", "7.9"], "say which printer"),
    (["evidence", "ladder", "first", *HERON, "--outcomes", "free"], "no first ladder was written here"),
    (["solve", "hook", "--process", "BAD"], "growth.mean"),
    (["solve", "hook", "--process", "HUGE"], "digits"),
    (["predict", "FOLDER"], "a folder, not a file"),
])
def test_mistakes_are_one_sentence(bouncy, tmp_path, argv, says):
    (tmp_path / "in.gcode").write_text("G90\nG1 Z1\nG1 X1 Y1 E1\n")
    (tmp_path / "empty.gcode").write_text("; nothing\n")
    (tmp_path / "bad.json").write_text(
        '{"id": "x", "printer": "p", "material": "PLA", "colour": "c", "growth": {"mean": [], "sd": 1}}')
    (tmp_path / "huge.json").write_text('{"id": ' + "9" * 400 + "}")
    (tmp_path / "folder.stl").mkdir()
    names = {"BAD": "bad.json", "HUGE": "huge.json", "FOLDER": "folder.stl", "IN": "in.gcode", "OUT": "out",
             "EMPTY": "empty.gcode"}
    places = {word: tmp_path / name for word, name in names.items()}
    code, out, err = bouncy(*(places.get(a, a) for a in argv))

    assert (code, out) == (2, "")
    assert says in err
    assert not (tmp_path / "out").exists()


def test_mechanisms_are_chosen_by_a_need(bouncy, tmp_path):
    asked = tmp_path / "need.json"
    asked.write_text(json.dumps({"task": "close", "size": 40, "load": None}))
    code, out, _ = bouncy("choose", "--need", asked, "--weight", "light=0")
    found = json.loads(out)
    assert code == 0
    assert found["need"] == {"task": "close", "size": 40.0, "direction": "apart", "opened": "sometimes", "visible": "no matter",
                             "printer": "mine"}
    best = found["ranked"][0]
    assert best["reached"]
    assert found["weights"]["light"] == 0
    sets = [word for name, value in best["set"].items() for word in ("--set", f"{name}={value}")]
    _, solved, _ = bouncy("solve", best["kind"], *sets)
    works = next(check for check in json.loads(solved)["checks"] if check["id"] in {"springs", "works"})
    assert works["value"] == pytest.approx(100 * best["chance"], abs=0.1)
    table = bouncy("choose", "--need", asked, "--brief")[1].splitlines()
    assert table[0].split()[:3] == ["works", "anyone", "window"]
    assert any(line.startswith("not: a hook has no figure that answers") for line in table)


@pytest.mark.parametrize(("argv", "says"), [
    (("--set", "task=fly"), "task must be one of join, close"), (("--weight", "beauty=1"), "there is no criterion 'beauty'"),
    (("--weight", "works=much"), "must be a number from 0 to 1"), (("--set", "size=0"), "tube, neck or opening"),
    (("--need", "nowhere.json"), "nowhere.json")])
def test_a_need_that_is_none_is_one_sentence(bouncy, argv, says):
    code, out, err = bouncy("choose", *argv)
    assert (code, out) == (2, "")
    assert says in err
    assert err.count("\n") == 1
