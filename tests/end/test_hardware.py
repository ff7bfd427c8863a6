"""The user's own drawer of nuts: kept by the command line, taken by a pocket, and refused in a sentence."""

from __future__ import annotations

import json

import pytest

from tests.end.test_cli import bouncy  # noqa: F401 - a fixture


def told(answer):
    code, out, err = answer
    assert (code, err) == (0, "")
    return json.loads(out)


@pytest.fixture
def drawer(bouncy):  # noqa: F811
    told(bouncy("hardware", "add", "box of brass", "--diameter", "5", "--flats", "7.94 7,98 7.91", "--height", "3.9"))
    return bouncy


def test_a_nut_that_calipers_read_is_taken_by_a_pocket(drawer, tmp_path):
    (kept,) = told(drawer("hardware", "list"))["hardware"]
    assert (kept["flats"], kept["differs"]) == ([7.94, 7.98, 7.91], 0.07)
    solved = told(drawer("solve", "nut-pocket", "--set", "hardware=Box of Brass", "--set", "allowance=0.2", "--quick"))
    assert solved["derived"]["pocket"]["value"] == pytest.approx(7.98 + 0.2)
    taken = {"nut": "own", "shape": "hexagon", "diameter": 5, "flats": 7.98, "thickness": 3.9, "differs": 0.07}
    assert {name: solved["params"][name]["value"] for name in taken} == taken
    told(drawer("hardware", "add", "squares", "--diameter", "4", "--flats", "7", "--height", "3.2", "--square"))
    file = tmp_path / "drawer.json"
    assert told(drawer("hardware", "export", file))["hardware"] == ["box of brass", "squares"]
    assert told(drawer("hardware", "remove", "squares")) == {"removed": "squares"}
    code, _, err = drawer("hardware", "import", file)
    assert (code, err) == (2, "bouncy-latch: box of brass: there is one of that name already\n")
    told(drawer("hardware", "remove", "box of brass"))
    assert told(drawer("hardware", "import", file))["imported"] == ["box of brass", "squares"]


@pytest.mark.parametrize(("words", "sentence"), [
    (("solve", "nut-pocket", "--set", "hardware=nails"), "there is no 'nails' in your drawer; it holds box of brass"),
    (("solve", "hook", "--set", "hardware=box of brass"), "takes no bought hardware of yours"),
    (("hardware", "add", "box of brass", "--diameter", "5", "--flats", "8", "--height", "4"), "one of that name already"),
    (("hardware", "add", "thin", "--diameter", "8", "--flats", "7", "--height", "4"), "leaves no wall round a thread of 8"),
    (("hardware", "add", "odd", "--diameter", "5", "--flats", "eight", "--height", "4"), "'eight'"),
    (("hardware", "add", "a/b", "--diameter", "5", "--flats", "8", "--height", "4"), "name")])
def test_what_cannot_be_is_said_and_changes_nothing(drawer, words, sentence):
    code, out, err = drawer(*words)
    assert (code, out) == (2, "")
    assert sentence in err
    assert [each["name"] for each in told(drawer("hardware", "list"))["hardware"]] == ["box of brass"]
