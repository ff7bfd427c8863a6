"""Learning from the shell: ladders out, readings and outcomes in, and what follows from them."""

from __future__ import annotations

import json

import pytest

from bouncy_latch.core.exchange import foreign, meshes
from tests.end.test_cli import run

HINGE = "knuckle-hinge"


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
    assert {m["feature"] for m in made["measure"]} == {"outside", "hole"}
    names = [name for name, _ in meshes.names_in_3mf((tmp_path / "first-ladder.3mf").read_bytes())]
    assert len(names) == 10

    for value, outcome in zip(made["steps"], ("welded", "welded", "needs a tool", "frees by hand"), strict=True):
        bouncy("evidence", "add", HINGE, "--value", value, "--outcome", outcome)
    bouncy("evidence", "measure", "outside", "--nominal", 10, "--readings", "10,21 10.19 10.2")
    learnt = bouncy("evidence", "learn")
    assert learnt["evidence"] == 5
    assert learnt["source"] == "learnt from 4 results and 1 reading"
    assert learnt["belief"]["growth"]["mean"] > 0.055
    assert learnt["doubts"] == []
    gaps = {(r["situation"], r["aim"]): r for r in learnt["recommended"]}
    peg = [gaps["round peg in a 10 mm hole", aim]["gap"] for aim in ("press", "snug", "slides")]
    assert peg == sorted(peg)
    assert all(0 < r["chance"] <= 1 for r in gaps.values())

    after = bouncy("solve", HINGE, "--quick")
    assert after["recommended"]["gap"] > before["recommended"]["gap"]
    assert after["prediction"]["p"]["free"] < before["prediction"]["p"]["free"]
    anyone = bouncy("evidence", "learn", "--policy", "anyone")
    assert "population" in anyone["source"]


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
    (["evidence", "measure", "outside", "--nominal", "10", "--readings", "101"], "meant 10.10, a decimal point"),
    (["evidence", "measure", "width", "--nominal", "10", "--readings", "10"], "feature must be one of outside"),
    (["evidence", "measure", "hole", "--nominal", "wide", "--readings", "10"], "not 'wide'"),
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
