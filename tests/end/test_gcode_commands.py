"""The gcode commands, as scripts use them: plan for a project, pause, check; all the same bytes when run again."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET

import pytest

from bouncy_latch.core.project import store
from bouncy_latch.core.project.demo import demo_project
from bouncy_latch.core.project.store import Latch
from tests.end.test_cli import bouncy  # noqa: F401 - a fixture


def told(answer):
    code, out, err = answer
    assert (code, err) == (0, "")
    return json.loads(out)


@pytest.fixture
def sliced(tmp_path):
    lines = ["G21", "G90", "M83", "G28"]
    for layer in range(1, 60):
        lines += [f"G1 Z{0.2 * layer:.2f} F600", "G1 X60 Y60 F9000", "G1 F1800", "G1 X90 E1", "G1 Y90 E1"]
    file = tmp_path / "grip.gcode"
    file.write_text("\n".join(lines) + "\n")
    return file


def test_a_project_says_where_it_stops_and_the_file_is_paused_there(bouncy, sliced, tmp_path):  # noqa: F811
    kit = tmp_path / "kit.latch"
    store.save(kit, Latch(demo_project()))
    card = tmp_path / "card.svg"
    plan = told(bouncy("gcode", "plan", kit, sliced, "--card", card))
    (pause,) = plan["pauses"]
    assert (pause["mechanism"], pause["insert"]) == ("Probe grip nut", "M6 nut")
    solved = {each["name"]: each for each in told(bouncy("solve", kit, "--quick"))["mechanisms"]}
    assert solved["Probe grip nut"]["pauses"][0]["z"] == pause["z"]
    # The next layer is the first that is laid over the nut.
    assert pause["layer"] == pytest.approx(pause["z"] + 0.2, abs=1e-6)
    assert plan["cautions"]
    words = " ".join(ET.parse(card).getroot().itertext())
    assert "M6 nut" in words
    assert "Hot nozzle" in words
    out = tmp_path / "paused.gcode"
    stop = tmp_path / "stop.txt"
    stop.write_text("M117 nut\nM25\n")
    done = told(bouncy("gcode", "pause", sliced, out, "--at", str(pause["at"]), "--bed", "200x200x180", "--stop", stop))
    assert [each["line"] for each in done["pauses"]] == [pause["line"]]
    found = told(bouncy("gcode", "check", out, "--against", sliced))
    assert found["sound"]
    assert found["pauses"][0]["command"] == "M117 nut"
    assert found["pauses"][0]["aside"] == [5, 5]
    before = out.read_bytes()
    dry = told(bouncy("gcode", "pause", out, out, "--at", str(pause["at"]), "--dry"))
    assert len(dry["added"]) > 8
    assert out.read_bytes() == before


@pytest.mark.parametrize(("words", "sentence"), [
    (("--stop", "HALT"), "'HALT' is none of M0"), (("--retract", "-1"), "retract must be 0 to 200"),
    (("--bed", "9"), "such as"), (("--bed", "200x200x3"), "no room to lift")])
def test_what_is_wrong_is_said_and_nothing_is_written(bouncy, sliced, tmp_path, words, sentence):  # noqa: F811
    code, out, err = bouncy("gcode", "pause", sliced, tmp_path / "out.gcode", "--at", "2.5", *words)
    assert (code, out) == (2, "")
    assert sentence in err
    assert not (tmp_path / "out.gcode").exists()


def test_a_project_without_anything_to_put_in_says_so(bouncy, sliced, tmp_path):  # noqa: F811
    kit = tmp_path / "kit.latch"
    project = demo_project()
    store.save(kit, Latch(project.without_mechanism("nut-pocket-2")))
    code, _, err = bouncy("gcode", "plan", kit, sliced)
    assert code == 2
    assert "nothing in kit.latch is put in while it prints" in err
