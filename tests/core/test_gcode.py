"""Pauses in G-code, read back by a small interpreter of our own: whole lines are added, and nothing is left changed."""

from __future__ import annotations

import re

import pytest

from bouncy_latch.core.errors import Cancelled, ParamError, ReadError
from bouncy_latch.core.formats import gcode

MOVES = b"".join(b"G1 Z%.1f F9000\nG1 X%d Y2 E%d F1800\nG1 X9 Y9 E%d.5\n" % (0.2 * i, i, i, i) for i in range(1, 6))
FILES = {
    "absolute": b"G21\nG90\nM82\n" + MOVES,
    "relative E": b"M83\nG90\n" + MOVES.replace(b".5", b""),
    "M83 then G90": b"G90\nM83\nG1 F2400\n" + b"".join(b"G1 Z%.1f\nG1 X%d E1\n" % (0.2 * i, i) for i in range(1, 6)),
    "relative": b"G91\nM83\n" + b"G1 Z0.2 F600\nG1 X1 E1\n" * 5,
    "inches": b"G20\nG90\nM83\n" + b"".join(b"G1 Z%.4f F40\nG1 X1 E1 F70.8\n" % (0.2 * i / 25.4) for i in range(1, 6)),
    "CRLF": b"G90\nM83\n".replace(b"\n", b"\r\n") + MOVES.replace(b"\n", b"\r\n"),
    "no spaces, numbered, lower case": b"G90\nM83\n" + b"".join(
        b"N%d G1Z%.1f*7\ng1x%dy1e1f500\n" % (i, 0.2 * i, i) for i in range(1, 6)),
    "odd bytes in comments": b"G90\nM83\n; \xe9t\xe9\x0cG1 Z99 E1 X1\n; \xe2\x80\xa8G28\nM117 G1 Z77 X1 E1\n" + MOVES,
    "offset by G92": b"G90\nM83\nG92 Z0 E0\n" + MOVES + b"G92 E0\n",
    "no feed rate, no last line end": b"G90\nM83\n" + b"\n".join(b"G1 Z%.1f\nG1 X%d E1" % (0.2 * i, i) for i in range(1, 6)),
    "brackets": b"G90 (G91)\nM83\n" + MOVES.replace(b"G1 X", b"(x) G1 X"),
}


def interpreted(data):
    """Return, before every line, the state a controller is in: modes, unit, position, feed rate."""
    state = {"unit": 1.0, "relative": False, "e": None, "X": 0.0, "Y": 0.0, "Z": 0.0, "E": 0.0, "F": None}
    found = []
    for line in data.split(b"\n"):
        found.append((line, dict(state)))
        code = re.sub(rb"\([^)]*\)", b"", line.split(b";")[0].split(b"*")[0]).upper().strip()
        code = re.sub(rb"^N\d+\s*", b"", code)
        if code.startswith((b"M82", b"M83")):
            state["e"] = code[:3]
        for word, key, value in ((b"G90", "relative", False), (b"G91", "relative", True), (b"G20", "unit", 25.4),
                                 (b"G21", "unit", 1.0)):
            if code.startswith(word):
                state[key] = value
        if re.match(rb"G(0|1|92)(?!\d)", code):
            setting = code.startswith(b"G92")
            for letter, text in re.findall(rb"([XYZEF])(-?[\d.]+)", code):
                name, number = letter.decode(), float(text)
                shifts = not setting and name != "F" and (state["e"] == b"M83" if name == "E" else state["relative"])
                state[name] = state[name] + number if shifts else number
    return found


@pytest.mark.parametrize("name", FILES)
def test_a_pause_changes_nothing_but_the_time(name, tmp_path):
    data = FILES[name]
    source, target = tmp_path / "in.gcode", tmp_path / "out.gcode"
    source.write_bytes(data)
    pauses = gcode.pause_file(source, target, [0.55, 0.8])
    out = target.read_bytes()

    assert [p.layer for p in pauses] == [pytest.approx(0.6, abs=1e-3), pytest.approx(0.8, abs=1e-3)]
    lines, before = out.split(b"\n"), data.split(b"\n")
    kept = list(range(len(lines)))
    states = interpreted(out)
    for pause in reversed(pauses):
        start = pause.line - 1
        assert b"pause before the layer" in lines[start]
        end = next(i for i in range(start, len(lines)) if b"resumed" in lines[i]) + 1
        at = next(i for i in range(start, end) if lines[i].strip() == b"M0")
        assert states[end][1] == pytest.approx(states[start][1]), "modes, place and feed rate are as they were"
        assert (states[at][1]["Z"] - states[start][1]["Z"]) * states[at][1]["unit"] == pytest.approx(gcode.LIFT, abs=1e-3)
        assert all(line.endswith(b"\r") == lines[end].endswith(b"\r") for line in lines[start:end])
        del kept[start:end]
    assert [lines[i] for i in kept] == before, "every original byte is kept, in order"
    assert [state for i, (_, state) in enumerate(states) if i in set(kept)] == [
        pytest.approx(state) for _, state in interpreted(data)]


@pytest.mark.parametrize(("data", "heights", "error", "says"), [
    (b"; nothing\n", [1.0], ReadError, "in.gcode: this G-code has no printing moves"),
    (b"G1 X1 E1\0\n" * 9, [1.0], ReadError, "is no G-code"),
    (b"G1 X1 E1\r" * 200_000, [1.0], ReadError, "is no G-code"),
    (b"G90\nG1 Z1\nG1 X1 E-1\n", [0.5], ReadError, "no printing moves"),
    (FILES["absolute"], [9.0], ParamError, "9 mm is above the print, which ends at 1 mm"),
    (FILES["absolute"], [-1.0], ParamError, "positive numbers"),
    (FILES["absolute"], [0.5, 0.5], ParamError, "different"),
])
def test_what_cannot_be_paused_is_said_and_leaves_no_file(data, heights, error, says, tmp_path):
    source = tmp_path / "in.gcode"
    source.write_bytes(data)
    with pytest.raises(error, match=says):
        gcode.pause_file(source, tmp_path / "out.gcode", heights)
    assert [p.name for p in tmp_path.iterdir()] == ["in.gcode"]


def test_a_long_file_is_streamed_and_stops(tmp_path):
    source = tmp_path / "in.gcode"
    source.write_bytes(FILES["absolute"] + b"G1 X1 Y1 E6\n" * 100_000)
    seen = []
    gcode.pause_file(source, source, [0.4], lambda part: seen.append(part) or True)
    assert seen == sorted(seen)
    assert seen[-1] == 1.0
    assert b"pause before" in source.read_bytes(), "a file may be paused in place"
    with pytest.raises(Cancelled):
        gcode.pause_file(source, tmp_path / "out.gcode", [0.4], lambda part: part < 0.3)
    assert [p.name for p in tmp_path.iterdir()] == ["in.gcode"]
