"""The gcode commands, as scripts use them: plan for a project, pause, check; all the same bytes when run again."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET

import pytest

from bouncy_latch.core.layers.setup import Stop
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


@pytest.mark.parametrize("tops", [
    [round(0.35 + 0.2 * i, 2) for i in range(60)], [round(0.12 * i, 2) for i in range(1, 99)],
    [round(0.2 * i, 2) for i in range(1, 21)] + [round(4.0 + 0.3 * i, 2) for i in range(1, 30)]],
    ids=["another first layer", "thin layers", "variable heights"])
def test_any_scheme_of_layers_leaves_the_pocket_open_and_roofs_it_next(bouncy, tmp_path, tops):  # noqa: F811
    kit, file, card = tmp_path / "kit.latch", tmp_path / "grip.gcode", tmp_path / "card.svg"
    project = demo_project()
    grip = next(item for item in project.mechanisms if item.id == "nut-pocket-2")
    stops = (Stop(z=tops[4], task="colour change", note="slate from here"),)
    store.save(kit, Latch(project.with_mechanism(grip.model_copy(update={"stops": stops}))))
    file.write_text("G90\nM83\n" + "".join(f"G1 Z{top} F600\nG1 X9 Y9 E1 F1800\nG1 X1 E1\n" for top in tops))
    plan = told(bouncy("gcode", "plan", kit, file, "--mechanism", grip.name, "--card", card))
    colour, nut = plan["pauses"]
    roof = nut["z"]

    assert (colour["insert"], colour["note"], colour["open_top"]) == ("colour change", "slate from here", tops[4])
    assert colour["layer"] == tops[5]
    bottom = nut["open_top"]
    assert bottom in tops
    assert (bottom + nut["layer"]) / 2 > roof - 1e-3, "the layer after it is part of the roof"
    below = tops[tops.index(bottom) - 1]
    assert (below + bottom) / 2 < roof, "the one before it is not"
    assert ("the nozzle hits it" in nut.get("trouble", "")) == (nut["clear"] < -1e-3)
    drawn = ET.parse(card).getroot().findall(".//{http://www.w3.org/2000/svg}path")
    assert [path.get("d").count("M") for path in drawn] == [2, 2], "the block's outline and the hole in it, at both layers"
    code, _, err = bouncy("gcode", "plan", kit, file, "--mechanism", "Nobody")
    assert code == 2
    assert "has no mechanism 'Nobody'" in err


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
