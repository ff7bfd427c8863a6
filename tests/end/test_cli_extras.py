"""Ladders, evidence and pauses from the shell."""

from __future__ import annotations

import json

import lib3mf
import pytest

from bouncy_latch.core.exchange import foreign, gcode, meshes
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


def test_evidence_is_added_once_shown_and_imported_whole_or_not(bouncy, tmp_path):
    add = ("evidence", "add", "knuckle-hinge", "--value", "0,22", "--outcome", "needs a tool", "--note", "mallet")
    assert json.loads(bouncy(*add)[1]) == {"added": 1}
    shown = json.loads(bouncy("evidence", "show")[1])["results"]
    assert [(r["value"], r["outcome"], r["param"], r["play"]) for r in shown] == [(0.22, "needs a tool", "gap", None)]

    table = tmp_path / "results.csv"
    table.write_text(bouncy("evidence", "show", "--csv")[1] +
                     "2026-09-01,heron-pla-slate-020,knuckle-hinge,gap,0.3,free,0.2,\n")
    assert json.loads(bouncy("evidence", "import", table)[1]) == {"read": 2, "added": 1}
    assert json.loads(bouncy("evidence", "import", table)[1]) == {"read": 2, "added": 0}
    table.write_text(table.read_text() + "2026-09-01,p,knuckle-hinge,gap,101,free,,\n2026-09-01,p,k,gap,0.2,stuck,,\n")
    code, _, err = bouncy("evidence", "import", table)
    assert code == 2
    assert "line 4" in err
    assert "line 5" in err
    assert len(json.loads(bouncy("evidence", "show", "--process", "heron-pla-slate-020")[1])["results"]) == 2


def test_a_damaged_store_is_said_and_left_alone(bouncy, tmp_path):
    store = tmp_path / "data" / "evidence.sqlite"
    store.parent.mkdir()
    store.write_bytes(b"SQLite format 3\x00 but no more than that" * 40)
    before = store.read_bytes()

    assert "damaged" in bouncy("evidence", "show")[2]
    assert "damaged" in bouncy("evidence", "add", "knuckle-hinge", "--value", "0.2", "--outcome", "free")[2]
    assert store.read_bytes() == before


LAYERS = [line for i in range(1, 6) for line in (f"G1 Z{0.2 * i:.1f}", f"G1 X{i} Y2 E{i}", "G1 X9 Y9 E9.5 ; same layer")]
PRINT = "\n".join(["G28", "G90", "G1 Z5 F600 ; lift", *LAYERS, "M84"]) + "\n"


def test_pauses_stand_before_their_layer_and_change_nothing_else(bouncy, tmp_path):
    source, target = tmp_path / "in.gcode", tmp_path / "out.gcode"
    source.write_text(PRINT)
    code, out, _ = bouncy("gcode", "pause", source, target, "--at", "0.55", "--at", "0.8")
    lines = target.read_text().splitlines()

    assert code == 0
    assert [p["layer"] for p in json.loads(out)["pauses"]] == [0.6, 0.8]
    stops = [i for i, line in enumerate(lines) if line == "M0"]
    before = [next(line for line in reversed(lines[:i]) if line.startswith("G1 Z0")) for i in stops]
    assert before == ["G1 Z0.6", "G1 Z0.8"]
    # Up and down again: the nozzle is back where it was, in absolute coordinates.
    assert lines[stops[0] - 2: stops[0] + 4] == ["G1 Z10 F600", "G90", "M0", "G91", "G1 Z-10 F600", "G90"]
    rest = iter(lines)
    assert all(line in rest for line in PRINT.splitlines()), "every original line is kept, in order"


def test_relative_files_stay_relative():
    text, pauses = gcode.with_pauses("G91\nG1 Z0.2\nG1 X1 E1\nG1 Z0.2\nG1 X1 E1\n", [0.3])

    assert pauses[0].layer == pytest.approx(0.4)
    assert text.splitlines()[pauses[0].line - 1:][:2] == ["G91", "G1 X1 E1"]


@pytest.mark.parametrize(("argv", "says"), [
    (["gcode", "pause", "gone.gcode", "OUT", "--at", "1"], "not a readable G-code file"),
    (["gcode", "pause", "IN", "OUT", "--at", "9"], "above the print, which ends at 1 mm"),
    (["gcode", "pause", "IN", "OUT", "--at", "-1"], "positive numbers"),
    (["gcode", "pause", "EMPTY", "OUT", "--at", "1"], "no printing moves"),
    (["ladder", "knuckle-hinge", "--out", "OUT", "--steps", "0.2"], "2 to 12 different steps"),
    (["ladder", "knuckle-hinge", "--out", "OUT", "--steps", "0.2,wide"], "not 'wide'"),
    (["evidence", "add", "knuckle-hinge", "--value", "101", "--outcome", "free"], "from 0 to 50 mm"),
    (["evidence", "add", "knuckle-hinge", "--value", "0.2", "--outcome", "stuck"], "outcome must be one of"),
])
def test_mistakes_are_one_sentence(bouncy, tmp_path, argv, says):
    (tmp_path / "in.gcode").write_text(PRINT)
    (tmp_path / "empty.gcode").write_text("; nothing\n")
    places = {"IN": tmp_path / "in.gcode", "OUT": tmp_path / "out", "EMPTY": tmp_path / "empty.gcode"}
    code, out, err = bouncy(*(places.get(a, a) for a in argv))

    assert (code, out) == (2, "")
    assert says in err
    assert not (tmp_path / "out").exists()
