"""Looks at paused G-code with a controller's eyes: what every pause does, and whether everything is as before after it.

The interpreter is this module's own: a fault in the one that wrote the pauses is not repeated by the one that checks them.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from bouncy_latch.core import files
from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.formats.gcode import BEGIN, END, MOST_BYTES, lines_of
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.progress import Progress, told, unwatched

_REPORT = 1 << 14
_NEAR = 1e-4
"""Positions that differ by less are the same, in the file's unit."""
_MOVE = re.compile(rb"G[01](?: [XYEF]-?[0-9.]+)+\r?\n")
"""A move in the plane, as slicing programs write nearly all of them: only the last of each letter matters for what follows."""
_ADDRESS = re.compile(rb" ([XYEF])(-?[0-9.]+)")
_HEAD = re.compile(r"(?:N *\d+ *)?(?:([GMT]) *(\d+)(?:\.\d+)?(?![0-9.]*[_=])(.*)|([XYZEF] *[-+]?[0-9.]+(?![0-9.]*[_=]).*))",
                   re.DOTALL)
_FIELD = re.compile(r"([XYZEF]) *([-+]?(?:[0-9]+\.?[0-9]*|\.[0-9]+))?")


@dataclass
class _Controller:
    """Modes, unit, place and filament of a machine, with both readings of what G90 and G91 mean for the extruder.

    Attributes:
        place: x, y, z in the file's unit; None where nothing says. counts: the extruder's counter if only M82 and M83 set its
        mode, and if G90 and G91 do too; out: filament pressed out so far by each, mm. by_distance: the mode by each.
    """

    inch: bool = False
    incremental: bool = False
    by_distance: tuple[bool, bool] = (False, False)
    place: tuple[float | None, float | None, float | None] = (None, None, 0.0)
    counts: tuple[float, float] = (0.0, 0.0)
    out: tuple[float, float] = (0.0, 0.0)
    feed: float | None = None
    moves: bool = False
    rezeroed: bool = False

    @property
    def scale(self) -> float:
        """Mm in a unit of the file."""
        return 25.4 if self.inch else 1.0

    @property
    def height(self) -> float:
        """Height of the nozzle, mm."""
        return (self.place[2] or 0.0) * self.scale

    def obey(self, line: bytes) -> str:
        """Carry out a line and return what it was: "lays", "moves", "waits" (anything that is no motion), or nothing."""
        text = line.decode("latin-1").split(";", 1)[0].upper()
        while "(" in text and ")" in text[text.index("("):]:
            start = text.index("(")
            text = text[:start] + " " + text[text.index(")", start) + 1:]
        text = text.split("*", 1)[0].strip()
        if not text:
            return ""
        head = _HEAD.fullmatch(text)
        if head is None:
            return "waits"
        letter, number, rest = head[1], int(head[2] or -1), head[3] if head[1] else head[4]
        fields = {axis: None if not value else float(value) for axis, value in _FIELD.findall(rest)}
        if letter in {"M", "T"}:
            if letter == "M" and number in {82, 83}:
                self.by_distance = (number == 83, number == 83)
            return "waits"
        if letter == "G" and number not in {0, 1, 2, 3}:
            self._set(number, fields)
            return ""
        if letter is None and not self.moves:
            return ""
        self.moves = True
        return self._move({axis: value for axis, value in fields.items() if value is not None})

    def _set(self, code: int, fields: dict[str, float | None]) -> None:
        if code in {20, 21}:
            self.inch = code == 20
        elif code in {90, 91}:
            self.incremental = code == 91
            self.by_distance = (self.by_distance[0], self.incremental)
        elif code == 92:
            x, y, z = (fields.get(axis, was) for axis, was in zip("XYZ", self.place, strict=True))
            self.place, self.rezeroed = (x, y, z), self.rezeroed or "X" in fields or "Y" in fields
            if fields.get("E") is not None:
                self.counts = (fields["E"] or 0.0,) * 2
        elif code == 28:
            named = fields.keys() & set("XYZ") or set("XYZ")
            x, y, z = ((0.0 if axis == "Z" else None) if axis in named else was
                       for axis, was in zip("XYZ", self.place, strict=True))
            self.place = (x, y, z)

    def _move(self, fields: dict[str, float]) -> str:
        self.feed = fields.get("F", self.feed)
        went = []
        for axis, was in zip("XYZ", self.place, strict=True):
            by = fields.get(axis)
            went.append(was if by is None else by if not self.incremental else None if was is None else was + by)
        self.place = (went[0], went[1], went[2])
        if "E" not in fields:
            return "moves"
        told = fields["E"]
        pressed = tuple(told if far else told - count for far, count in zip(self.by_distance, self.counts, strict=True))
        self.counts = (self.counts[0] + pressed[0], self.counts[1] + pressed[1])
        self.out = (self.out[0] + pressed[0] * self.scale, self.out[1] + pressed[1] * self.scale)
        return "lays" if pressed[0] > 0 and ("X" in fields or "Y" in fields) else "moves"

    def hurry(self, moves: list[bytes]) -> None:
        """Carry out moves in the plane at once, in absolute coordinates: what counts is where the last of them end."""
        last = dict(_ADDRESS.findall(b"".join(moves)))
        moves.clear()
        x, y, z = self.place
        self.place = (float(last[b"X"]) if b"X" in last else x, float(last[b"Y"]) if b"Y" in last else y, z)
        self.feed = float(last[b"F"]) if b"F" in last else self.feed
        if b"E" in last:
            told = float(last[b"E"])
            self.counts = (self.counts[0] if self.by_distance[0] else told, self.counts[1] if self.by_distance[1] else told)
        self.moves = True


@frozen
class Stop:
    """What a pause does.

    Attributes:
        line: where it begins. height: of the nozzle before it, mm. lift, back: how far the nozzle rises and the filament is
        pulled back, mm. aside: where the nozzle waits, mm; None where it stays. restored: whether modes, unit, position,
        filament and feed rate are as they were, on whatever firmware. command: what stops the machine. purged: filament that
        is pressed out besides, mm. unclear: whether it is right on one kind of firmware only, as G90 and G91 set the
        extruder's mode on some machines and not on others.
    """

    line: int
    height: float
    lift: float
    back: float
    aside: tuple[float, float] | None
    restored: bool
    command: str
    purged: float = 0.0
    unclear: bool = False


@frozen
class Checked:
    """A file that was looked at: its pauses, its own lines without them, and the height it ends at, mm."""

    stops: tuple[Stop, ...]
    lines: int
    top: float
    same_as_before: bool | None


def look(lines: Iterable[bytes], original: Iterable[bytes] | None = None, extruder: str = "") -> Checked:
    """Return what a run of the lines finds; with the ``original`` whether all lines outside of pauses are its own.

    ``extruder``: what G90 and G91 mean for it on this machine, as of :class:`gcode.Manner`; empty: both readings must do.

    Raises:
        ReadError: when a pause is not complete.
    """
    state, stops, own, top = _Controller(), list[Stop](), 0, 0.0
    same = None if original is None else True
    others = iter(original or ())
    block: list[bytes] = []
    swift: list[bytes] = []
    for number, line in enumerate(lines, 1):
        if block or line.startswith(BEGIN):
            if swift:
                state.hurry(swift)
            block.append(line)
            if line.startswith(END):
                stops.append(_stop(state, block, number - len(block) + 1, extruder))
                block = []
            continue
        own += 1
        if same is not None:
            same = same and next(others, None) == line
        if not state.incremental and state.height <= top and _MOVE.fullmatch(line) is not None:
            swift.append(line)
            if len(swift) > _REPORT:
                state.hurry(swift)
            continue
        if swift:
            state.hurry(swift)
        if state.obey(line) == "lays":
            top = max(top, state.height)
    if block:
        raise ReadError("this G-code ends within a pause that was put in: it is not complete")
    if same is not None:
        same = same and next(others, None) is None
    return Checked(tuple(stops), own, top, same)


def _stop(state: _Controller, block: list[bytes], line: int, extruder: str) -> Stop:
    """Run a pause from a state; the state is left as the pause leaves it."""
    before, command = replace(state), ""
    highest, least, waits = state.height, state.out[0], state.place[:2]
    readings = {"own": (0,), "follows": (1,)}.get(extruder, (0, 1))
    for text in block:
        what = state.obey(text)
        highest, least = max(highest, state.height), min(least, state.out[readings[0]])
        if what == "waits":
            command, waits = command or text.strip().decode("utf-8", "replace"), state.place[:2]
    aside = None
    if waits != before.place[:2] and waits[0] is not None and waits[1] is not None:
        aside = (waits[0] * state.scale, waits[1] * state.scale)
    fine = [_alike(before, state, reading) for reading in readings]
    return Stop(line, before.height, highest - before.height, before.out[readings[0]] - least, aside, all(fine), command,
                max(0.0, state.out[readings[0]] - before.out[readings[0]]), any(fine) and not all(fine))


def _alike(first: _Controller, second: _Controller, reading: int) -> bool:
    """Whether modes, place, feed rate and filament are as they were; the counter matters where the extruder goes by it."""
    if any(getattr(first, name) != getattr(second, name) for name in ("inch", "incremental", "rezeroed", "feed")):
        return False
    if first.by_distance[reading] != second.by_distance[reading]:
        return False
    near = all((a is None) == (b is None) and abs((a or 0.0) - (b or 0.0)) < _NEAR
               for a, b in zip(first.place, second.place, strict=True))
    if not first.by_distance[reading] and abs(first.counts[reading] - second.counts[reading]) >= _NEAR:
        return False
    return near and second.out[reading] - first.out[reading] > -_NEAR


def check_file(path: Path, original: Path | None = None, progress: Progress = unwatched, extruder: str = "") -> Checked:
    """Return what a run of a file finds; see :func:`look`.

    Raises:
        ReadError: for what is no regular file, or no complete one. Cancelled: when ``progress`` returned False.
    """
    size = max(1, path.stat().st_size) if path.exists() else 1

    def watched(opened: object) -> Iterable[bytes]:
        for number, line in enumerate(lines_of(opened)):
            if number % _REPORT == 0:
                told(progress, min(1.0, opened.tell() / size))  # type: ignore[attr-defined]
            yield line

    with files.open_regular(path, MOST_BYTES) as opened:
        if original is None:
            return look(watched(opened), extruder=extruder)
        with files.open_regular(original, MOST_BYTES) as before:
            return look(watched(opened), lines_of(before), extruder)
