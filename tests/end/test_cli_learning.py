"""Learning from the shell: ladders out, readings and outcomes in, and what follows from them."""

from __future__ import annotations

import json

import pytest

from bouncy_latch.core.formats import foreign, meshes
from bouncy_latch.core.learn.calibration import written
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.population import built_in
from tests.end.test_cli import run

HINGE = "knuckle-hinge"
HERON = ("--process", "heron-pla-slate-020")


@pytest.fixture
def bouncy(capsys, monkeypatch):
    def call(*argv):
        code, out, err = run(capsys, monkeypatch, *map(str, argv))
        assert (code, err) == (0, ""), err
        return json.loads(out)

    return call


def test_a_first_ladder_goes_out_comes_back_and_changes_the_answer(bouncy, tmp_path):
    before = bouncy("solve", HINGE, "--quick")
    made = bouncy("ladder", "first", "--out", tmp_path)
    assert len(made["steps"]) == 4
    assert made["estimate"]["minutes"] <= 25
    assert {m["feature"] for m in made["measure"]} == {"outside", "peg", "hole", "first layer"}
    names = [name for name, _ in meshes.names_in_3mf((tmp_path / "first-ladder.3mf").read_bytes())]
    assert len(names) == 11

    assert made["square"] == made["steps"][3:], "the widest one shows what the foot does"
    assert made["fits"] == [0.0, 0.08, 0.14, 0.2, 0.27]
    entered = bouncy("evidence", "ladder", "first", *HERON, "--outcomes", "welded, welded, tool, by hand",
                     "--fits", "hammer,-,pushed,snug,-", "--readings", "; 8,21 8.19 8.2")
    assert entered["added"] == 8
    assert entered["steps"] == made["steps"]
    kept = bouncy("evidence", "show")
    sizes = json.loads(next(each for each in kept["results"] if each["kind"] == HINGE)["params"])
    assert (sizes["knuckles"], sizes["length"]) == (2, 14), "a step keeps the ladder's sizes, not the test piece's"
    widest = {float(each["value"]): json.loads(each["params"]) for each in kept["results"] if each["kind"] == HINGE}
    assert [value for value, params in widest.items() if params.get("bed_chamfer") == 0] == made["square"]
    again = written.step_result(tmp_path / "data", registry.kind(HINGE), built_in()[0], f"{made['square'][0]:g}", "free")
    assert json.loads(again.params)["bed_chamfer"] == 0, "asked for by its size, it is the step that was written"
    assert kept["readings"][0]["nominal"] == 8
    learnt = bouncy("evidence", "learn")
    assert learnt["evidence"] == 8
    assert learnt["source"] == "learnt from 7 results and 1 reading"
    assert learnt["belief"]["growth"]["mean"] > 0.055
    assert learnt["doubts"] == []
    gaps = {(r["situation"], r["aim"]): r for r in learnt["recommended"]}
    peg = [gaps["round peg in a 10 mm hole", aim]["gap"] for aim in ("press", "snug", "slides")]
    assert peg == sorted(peg)
    assert all(0 < r["chance"] <= 1 for r in gaps.values())

    after = bouncy("solve", HINGE, "--quick")
    assert after["recommended"]["gap"] > before["recommended"]["gap"]
    assert after["prediction"]["play"]["axial"] < before["prediction"]["play"]["axial"]
    anyone = bouncy("evidence", "learn", "--policy", "anyone")
    assert "population" in anyone["source"]


def test_a_ladder_is_entered_as_it_was_written(bouncy, capsys, monkeypatch, tmp_path):
    bouncy("ladder", HINGE, "--out", tmp_path, "--steps", "0.15,0.22,0.3", "--set", "length=20", *HERON)
    one = bouncy("evidence", "add", HINGE, *HERON, "--value", "0.22", "--outcome", "tool")
    assert "20" in one["sizes"], "a size of the newest ladder belongs to it"
    assert json.loads(bouncy("evidence", "show")["results"][0]["params"])["length"] == 20
    assert bouncy("evidence", "ladder", HINGE, *HERON, "--outcomes", "welded,-,rattles")["added"] == 2
    assert bouncy("evidence", "ladder", "pegs-and-holes", *HERON, "--readings", "hole 8: 7.8 7.79")["added"] == 1
    for argv, says in ((("--outcomes", "free,free"), "2 outcomes for 3 steps (0.15, 0.22, 0.3)"),
                       (("--outcomes", "free,stuck,free"), "not 'stuck'"), (("--readings", "8"), "has 0 (none)"),
                       ((), "none were given")):
        code, out, err = run(capsys, monkeypatch, "evidence", "ladder", HINGE, *HERON, *argv)
        assert (code, out) == (2, "")
        assert says in err


@pytest.mark.parametrize("what", ["pegs-and-holes", "flat-gaps", "bridges", "bend-bar"])
def test_every_ladder_is_written(bouncy, tmp_path, what):
    made = bouncy("ladder", what, "--out", tmp_path / "o", "--format", "stl")
    bodies = [body for path in made["files"] for body in foreign.read(tmp_path / "o" / path).bodies.values()]
    assert len(bodies) == len(made["files"])
    assert bool(made["measure"]) == (what != "flat-gaps")


def test_a_study_says_what_it_did(bouncy):
    found = bouncy("study", "first-print", "--printers", 2, "--seed", 4)
    assert [row["advice"] for row in found["rows"]][:2] == ["my printer, after one ladder", "anyone's printer, no ladder"]
    assert all(0 <= row["first_print_success"] <= 1 for row in found["rows"])
    assert bouncy("study", "first-print", "--printers", 2, "--seed", 4) == found


@pytest.mark.parametrize(("argv", "says"), [
    (["evidence", "measure", "outside", *HERON, "--nominal", "10", "--readings", "101"], "meant 10.10, a decimal point"),
    (["evidence", "measure", "width", *HERON, "--nominal", "10", "--readings", "10"], "feature must be one of outside"),
    (["evidence", "measure", "hole", *HERON, "--nominal", "wide", "--readings", "10"], "not 'wide'"),
    (["study", "second-print"], "there is no study 'second-print'"),
    (["ladder", "first", "--out", "x", "--format", "obj"], "3mf or stl"),
    (["ladder", "no-such", "--out", "x"], "no mechanism kind"),
])
def test_mistakes_are_one_sentence(capsys, monkeypatch, tmp_path, argv, says):
    monkeypatch.chdir(tmp_path)
    code, out, err = run(capsys, monkeypatch, *argv)
    assert (code, out) == (2, "")
    assert says in err
    assert not (tmp_path / "x").exists()
