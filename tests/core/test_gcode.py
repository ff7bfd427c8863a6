"""Pauses in G-code, read back by a small interpreter of our own: whole lines are added, and nothing is left changed."""

from __future__ import annotations

import re
import sys

import pytest

from bouncy_latch.core.errors import Cancelled, ParamError, ReadError
from bouncy_latch.core.formats import gcode, gcode_check
from bouncy_latch.core.judge.prints.pauses import placed
from bouncy_latch.core.mechanisms.contract import Pause

MOVES = b"".join(b"G1 Z%.1f F9000\nG1 X%d Y2 E%d F1800\nG1 X9 Y9 E%d.5\n" % (0.2 * i, i, i, i) for i in range(1, 6))
FILES = {
    "absolute": b"G21\nG90\nM82\n" + MOVES,
    "relative E": b"G90\nM83\n" + MOVES.replace(b".5", b""),
    "M83 then G90": b"G90\nM83\nG1 F2400\n" + b"".join(b"G1 Z%.1f\nG1 X%d E1\n" % (0.2 * i, i) for i in range(1, 6)),
    "relative": b"G91\nM83\n" + b"G1 Z0.2 F600\nG1 X1 E1\n" * 5,
    "inches": b"G20\nG90\nM83\n" + b"".join(b"G1 Z%.4f F40\nG1 X1 E1 F70.8\n" % (0.2 * i / 25.4) for i in range(1, 6)),
    "CRLF": b"G90\nM83\n".replace(b"\n", b"\r\n") + MOVES.replace(b"\n", b"\r\n"),
    "no spaces, numbered, lower case": b"G90\nM83\n" + b"".join(
        b"N%d G1Z%.1f*7\ng1x%dy1e1f500\n" % (i, 0.2 * i, i) for i in range(1, 6)),
    "odd bytes in comments": b"G90\nM83\n; \xe9t\xe9\x0cG1 Z99 E1 X1\n; \xe2\x80\xa8G28\nM117 G1 Z77 X1 E1\n" + MOVES,
    "offset by G92": b"G90\nM83\nG92 Z0 E0\n" + MOVES + b"G92 E0\n",
    "no feed rate, no last line end": b"G90\nM83\n" + b"\n".join(b"G1 Z%.1f\nG1 X%d E1" % (0.2 * i, i) for i in range(1, 6)),
    "hop at every move, layers counted": b"G90\nM83\n" + b"".join(
        b";LAYER:%d\n" % i + b"G1 Z%.1f F600\nG0 X1 Y%d\nG1 Z%.1f\nG1 X8 E1 F900\n" % (h + 1, i, h) * 3
        for i in range(1, 6) for h in (0.2 * i,)),
    "seams that ramp, under layer changes": b"G90\nM83\n" + b"".join(
        b";LAYER_CHANGE\n;Z:%.1f\nG1 X1 Y1 F9000\nG1 Z%.2f\nG1 X2 Z%.2f E1 F1800\nG1 X3 Z%.1f E1\nG1 X9 E2\nG1 X3 E1\n"
        % (h, h - 0.15, h - 0.1, h) for h in (0.2, 0.4, 0.6, 0.8, 1.0)),
    "seams that ramp, no marks": b"G90\nM83\n" + b"".join(
        b"G1 X1 Y1 F9000\nG1 Z%.2f\nG1 X2 Z%.2f E1 F1800\nG1 X3 Z%.1f E1\nG1 X9 E2\nG1 X3 E1\n" % (h - 0.15, h - 0.1, h)
        for h in (0.2, 0.4, 0.6, 0.8, 1.0)),
    "primed above the bed, before the first mark": b"G90\nM83\nG1 Z3 F600\nG1 X1 Y1 E9 F1200\nG1 X50 E9\n" + b"".join(
        b";LAYER:%d\nG1 Z%.1f F600\nG1 X9 Y9 E1 F900\nG1 X1 E1\n" % (i, 0.2 * i) for i in range(1, 6)),
    "arcs, a wipe tower, the machine's own retraction": b"G90\nM82\nG92 E0\n" + b"".join(
        b"; CHANGE_LAYER\n; Z_HEIGHT: %.1f\nG10\nG0 X90 Y90 Z%.1f F9000\nG11\nG1 X99 E%d F1200\nT1\nG92 E0\nG0 X5 Y5\n"
        b"G2 X6 Y6 I1 J0 E%d\nG3 X5 Y5 I-1 J0 E%d\n" % (0.2 * i, 0.2 * i, i, i + 1, i + 2) for i in range(1, 6)),
    "macros and messages that look like moves": b"G90\nM82\n" + MOVES.replace(
        b"G1 Z0.6", b"EXCLUDE_OBJECT_END NAME=cube2\nEXCLUDE_OBJECT_START NAME=box1.stl\nX1_MACRO E99\nPRINT NAME=topz9\n"
        b'RESPOND MSG="E99 X3 Y4"\nT0 X7\nG1 Z0.6'),
    "inches, three decimals": b"G20\nG90\nM83\n" + b"".join(
        b"G1 Z%.3f F40\nG1 X1 E1 F70.8\n" % (0.2 * i / 25.4) for i in range(1, 6)),
    "small letters": b"g90\nm83\n" + b"".join(b"G1 z%.1f\nG1 x%d e1\nG1 x9 y9 e1\n" % (0.2 * i, i) for i in range(1, 6)),
    "one axis homed on the way": MOVES.replace(b"G1 Z0.6", b"G28 X\nG1 X3 Y3 F900\nG1 Z0.6"),
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
        if code.startswith(b"G28"):
            continue
        if re.match(rb"G([0-3]|92)(?!\d)", code):
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
    asked = [0.6, 0.8] if "inches" in name else [0.55, 0.8]
    pauses = gcode.pause_file(source, target, asked)
    out = target.read_bytes()

    assert [p.layer for p in pauses] == [pytest.approx(0.6, abs=2e-2), pytest.approx(0.8, abs=2e-2)]
    lines, before = out.split(b"\n"), data.split(b"\n")
    kept = list(range(len(lines)))
    states = interpreted(out)
    for pause in reversed(pauses):
        start = pause.line - 1
        assert lines[start].startswith(gcode.BEGIN)
        end = next(i for i in range(start, len(lines)) if lines[i].startswith(gcode.END)) + 1
        at = next(i for i in range(start, end) if lines[i].strip() == b"M0")
        assert states[end][1] == pytest.approx(states[start][1]), "modes, place and feed rate are as they were"
        begins = data.find(b";LAYER:1") if b"Z3" in data else 0
        begins = data[:begins].count(b"\n")
        laid = [i for i in range(begins, start) if re.match(rb"[Gg][1-3] ?[Xx].*[Ee]", lines[i])]
        assert all(states[i + 1][1]["Z"] * states[i + 1][1]["unit"] < pause.asked for i in laid), "nothing of it is printed yet"
        marks = [i for i, line in enumerate(lines) if re.match(rb"; ?(LAYER|CHANGE_LAYER)", line)]
        assert not marks or end in marks, "it stands before the mark of its layer"
        assert (states[at][1]["Z"] - states[start][1]["Z"]) * states[at][1]["unit"] == pytest.approx(gcode.LIFT, abs=1e-3)
        drawn = (states[start][1]["E"] - states[at][1]["E"]) * states[at][1]["unit"]
        assert drawn == pytest.approx(gcode.USUAL.retract, abs=1e-3)
        if states[start][1]["X"] and states[start][1]["Y"] and b"G91" not in data:
            assert (states[at][1]["X"], states[at][1]["Y"]) == pytest.approx(gcode.USUAL.park)
        assert all(line.endswith(b"\r") == lines[end].endswith(b"\r") for line in lines[start:end])
        del kept[start:end]
    again = tmp_path / "again.gcode"
    gcode.pause_file(target, again, asked)
    assert again.read_bytes() == out, "a second run gives the same bytes"
    gcode.pause_file(target, again, [0.8])
    assert again.read_bytes().count(gcode.BEGIN) == 1, "pauses of an earlier run are replaced"
    found = gcode_check.check_file(target, source)
    assert found.same_as_before
    assert [(stop.restored, stop.command) for stop in found.stops] == [(True, "M0")] * 2
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
    (FILES["absolute"], [0.2], ParamError, "0.2 mm is in the first layer"),
    (b"G90\nM83\nG1 Z0.2\nG1 X0 E1\n" + b"".join(b"G1 X%d Y1 Z%.3f E1\n" % (i, 0.2 + 0.01 * i) for i in range(1, 99)), [0.5],
     ReadError, "is a spiral"),
    (FILES["absolute"] + b"G1 Z9\nG1 X1 E99\nG1 Z0.2 F600\nG1 X3 E200\n", [0.5], ReadError, "one object after the other"),
    (FILES["absolute"] + gcode.BEGIN + b"\nG1 Z3\n", [0.5], ReadError, "ends within a pause"),
    (FILES["absolute"] + b"G1 X1 Y", [0.5], ReadError, "breaks off in the middle of a line"),
    (b"M109 S210\n" + FILES["absolute"] + b"G1 X3 Y1 E200 ; wall\n; and\n", [0.5], ReadError, "ends while it prints"),
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
    assert gcode.BEGIN in source.read_bytes(), "a file may be paused in place"
    with pytest.raises(Cancelled):
        gcode.pause_file(source, tmp_path / "out.gcode", [0.4], lambda part: part < 0.3)
    assert [p.name for p in tmp_path.iterdir()] == ["in.gcode"]


def test_the_machine_waits_as_it_is_told(tmp_path):
    source, target = tmp_path / "in.gcode", tmp_path / "out.gcode"
    source.write_bytes(FILES["absolute"])
    own = gcode.Manner(("M117 put the nut in", "M25"), retract=4, park=(150, 12), height=3.0, purge=6)
    gcode.pause_file(source, target, [0.55], manner=own)
    (stop,) = gcode_check.check_file(target, source).stops
    assert (stop.command, stop.restored, stop.aside) == ("M117 put the nut in", True, (150, 12))
    assert (stop.back, stop.lift) == (pytest.approx(4), pytest.approx(2.4)), "as high as the machine is"
    assert b"G92 E" in target.read_bytes(), "what is pressed out counts for nothing"
    with pytest.raises(ParamError, match="no room to lift"):
        gcode.pause_file(source, target, [0.55], manner=gcode.Manner(height=1.0))
    broken = target.read_bytes().replace(b"G1 X9 Y9 F6000", b"G1 X9 Y8 F6000")
    assert broken != target.read_bytes()
    assert not gcode_check.look(broken.splitlines(keepends=True)).stops[0].restored
    assert gcode_check.look(broken.splitlines(keepends=True), FILES["inches"].splitlines(keepends=True)).same_as_before is False
    pauses, added = gcode.planned(source, [0.55, 0.56])
    assert [pause.line for pause in pauses] == [pauses[0].line] * 2, "what falls on one layer is one stop"
    assert sum(line.startswith(gcode.BEGIN.decode()) for line in added) == 1


@pytest.mark.parametrize("mode", [b"M83\nG90\n", b"M82\nG91\nG1 E-2 F900\nG1 Z0.2 E2\nG90\nG92 Z0\n"])
def test_where_firmware_differs_it_asks(mode, tmp_path):
    """G90 and G91 set the extruder's mode on some firmware and not on other (common practice, no source)."""
    moves = b"G92 X0\n".join([mode, b"".join(b"G1 Z%.1f\nG1 X%d E1\nG1 X9 E2\n" % (0.2 * i, i) for i in range(1, 6))])
    if b"M82" in mode:
        moves = moves.replace(mode, b"M83\n" + mode.replace(b"M82\n", b""))
    source, target = tmp_path / "in.gcode", tmp_path / "out.gcode"
    source.write_bytes(moves)
    with pytest.raises(ParamError, match="own") as refused:
        gcode.pause_file(source, target, [0.6])
    assert refused.value.field == "extruder"
    assert gcode.pause_file(source, target, [0.6], manner=gcode.Manner(retract=0)), "nothing depends on it"
    blocks = {}
    for extruder in gcode.EXTRUDERS:
        gcode.pause_file(source, target, [0.6], manner=gcode.Manner(extruder=extruder, purge=3))
        blocks[extruder] = target.read_bytes()
        (stop,) = gcode_check.check_file(target, source, extruder=extruder).stops
        assert (stop.restored, stop.unclear, stop.back, stop.purged) == (True, False, pytest.approx(1), pytest.approx(3))
    target.write_bytes(blocks["own"])
    assert not gcode_check.check_file(target, extruder="follows").stops[0].restored
    (stop,) = gcode_check.check_file(target).stops
    assert (stop.restored, stop.unclear) == (False, True), "a check that is not told wants it right on either"
    assert blocks["own"] != blocks["follows"]


@pytest.mark.parametrize("mode", [b"M82\n", b"M83\n"])
def test_what_is_pressed_out_leaves_the_pause_sound(mode, tmp_path):
    source, target = tmp_path / "in.gcode", tmp_path / "out.gcode"
    source.write_bytes(b"G90\n" + mode + MOVES)
    gcode.pause_file(source, target, [0.55], manner=gcode.Manner(purge=6, retract=2))
    (stop,) = gcode_check.check_file(target, source).stops
    assert (stop.restored, stop.back, stop.purged) == (True, pytest.approx(2), pytest.approx(6))
    if mode == b"M83\n":
        dry = target.read_bytes().replace(b"G1 E2", b"G1 E1").replace(b"G1 E6 F300", b"")
        assert not gcode_check.look(dry.splitlines(keepends=True)).stops[0].restored, "the filament is left pulled back"


def calls(source, lines):
    """Functions called while a file of so many moves is checked: the work done, whatever else the machine does."""
    source.write_bytes(b"G90\nM83\nG1 Z0.2 F1800\n" + b"G1 X101.234 Y99.876 E0.04321\n" * lines)
    counted = []
    sys.setprofile(lambda frame, event, argument: counted.append(None) if event.endswith("call") else None)
    try:
        gcode_check.check_file(source)
    finally:
        sys.setprofile(None)
    return len(counted)


def test_a_check_does_little_work_a_line(tmp_path):
    """0.2 s a megabyte are asked (the bench measures them): some 36,000 lines of nine calls each."""
    few, many = (calls(tmp_path / "in.gcode", lines) for lines in (1000, 3000))
    assert many - few <= 12 * 2000


@pytest.mark.parametrize("end", [b"M104 S0\n", b"PRINT_END\n", b"G1 X0 Y200\n"])
def test_a_print_that_was_brought_to_an_end_is_whole(end, tmp_path):
    """By hand, by a command of the machine's own, by going aside; a file that never heats says nothing either way."""
    (tmp_path / "in.gcode").write_bytes(b"M104 S200\n" + FILES["absolute"] + b"G1 X3 Y1 E200\n" + end)
    assert gcode.pause_file(tmp_path / "in.gcode", tmp_path / "out.gcode", [0.5])


@pytest.mark.parametrize(("pause", "tops", "at", "clear"), [
    (Pause(1.0, "nut", roof=1.0, stands=0.9), [0.2, 0.4, 0.6, 0.8, 1.0, 1.2], 1.1, 0.1),
    (Pause(1.0, "nut", roof=1.0, stands=0.9), [0.3, 0.6, 0.9, 1.2], 1.05, 0.0),
    (Pause(1.0, "nut", roof=1.0, stands=0.95), [0.35, 0.7, 1.05, 1.4], 1.225, 0.1),
    (Pause(1.0, "nut", roof=1.0, stands=0.95), [0.4, 0.8, 1.3, 1.7], 1.05, -0.15),
    (Pause(0.9, "colour change"), [0.3, 0.6, 0.9, 1.2], 1.05, None)])
def test_a_pause_comes_before_the_layer_that_roofs_its_pocket(pause, tops, at, clear):
    (found,) = placed([pause], tops)
    assert found.at == pytest.approx(at)
    assert found.clear == (None if clear is None else pytest.approx(clear))
    assert ("the nozzle hits it" in found.trouble) == (clear is not None and clear < 0)
    for wrong, says in (([0.2, 0.4], "above the print"), ([5.0, 6.0], "in the first layer")):
        with pytest.raises(ParamError, match=says):
            placed([pause], wrong)
