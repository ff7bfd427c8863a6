"""G-code: pauses at given heights, put in where the layer that reaches the height begins.

A layer begins at the mark a slicing program set for it, where there is one, else at the first move that lays plastic higher
than before. A seam that ramps up to its layer belongs to that layer; what goes on rising is a spiral.

The file is streamed as bytes: whole lines are added and every original byte stays as it was, line ends included. Nothing is
switched for a pause that would have to be switched back: in absolute coordinates nozzle and filament go to a place and back, in
relative ones by a distance and back, in the file's own unit; only the feed rate is changed, and set again. What is put in is
marked at both ends; a file that has such blocks already loses them first, so that a second run gives the same bytes.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from bouncy_latch.core import files
from bouncy_latch.core.errors import ParamError, ReadError
from bouncy_latch.core.formats.gcode_machine import FOLLOWS, OWN, Machine, words_of
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.progress import Progress, told, unwatched

MOST_BYTES = 2 * 2**30
MOST_LINE = 1 << 20
BEGIN, END = b"; >>> pause (Bouncy Latch)", b"; <<< pause (Bouncy Latch)"
"""First and last line of what is put in begin so."""
LIFT, LEAST_LIFT = 10.0, 0.9
"""How far the nozzle is raised while the machine waits, and how far at least, mm."""
LIFT_FEED, PARK_FEED, RETRACT_FEED = 600.0, 6000.0, 1800.0
"""Feed rates of lifting, of going aside and of pulling the filament back, mm/min."""
WIPE = 10.0
"""How far the nozzle goes to and fro after a purge, mm."""
BACK_DOWN = 1.0
"""A print that goes on so far below what it had reached prints one object after the other, mm."""
SPIRAL, LEAST_SPIRAL = 1.5, 0.3
"""A rise without a break that lays plastic and is higher than so many layers, and than this, mm, is a spiral: a seam's ramp
ends within its layer."""
_MOST_HELD = 1 << 14
"""Lines between a layer's mark and its first plastic, after which it is no longer waited for."""
_PLAIN = re.compile(rb"G1(?: [XYE]-?(?:\d+\.?\d*|\.\d+))+\r?\n")
"""A move within a layer that changes nothing but where nozzle and filament are."""
_UNFINISHED = re.compile(rb"[GXYZEFIJ][-+.]?$")
_HEATS = re.compile(rb"\s*M10[49]\b[^;]*?S\s*([\d.]+)")
_LAYING = re.compile(rb"\s*G[123]\b[^;]*[XY][^;]*E")
_MARK = re.compile(rb";\s*(?:(?:BEFORE_)?LAYER_CHANGE|CHANGE_LAYER|LAYER\s*[:#]?\s*\d+)\b", re.IGNORECASE)
"""Comments that begin a layer, in the ways that are common (common practice, no source)."""
_REPORT = 1 << 14
"""Lines between two reports of progress."""
_SAME, _SAME_INCH = 1e-6, 0.0127
"""Heights that differ by less are the same, mm: in a file in inches by half a thousandth of an inch, to which it is rounded."""


@frozen
class Pause:
    """A pause that was put in: the height asked for, the height of the layer it precedes, and its line in the output."""

    asked: float
    layer: float
    line: int


@frozen
class Manner:
    """How the machine waits.

    Attributes:
        stop: its command, or lines of the user's own. retract: filament pulled back, mm. park: where the nozzle goes, mm; None
        to stay. height: what the machine has room for, mm; None where nobody said. purge: filament that is pressed out, and
        wiped off, before it goes on, mm. extruder: whether G90 and G91 set the extruder's mode on this machine ("follows"), or
        only M82 and M83 do ("own"); empty where nobody said.
    """

    stop: tuple[str, ...] = ("M0",)
    retract: float = 1.0
    park: tuple[float, float] | None = (5.0, 5.0)
    height: float | None = None
    purge: float = 0.0
    extruder: str = ""


USUAL = Manner()
EXTRUDERS = (OWN, FOLLOWS)
"""What may be said of the extruder's mode."""


def _block(state: Machine, layer: float, end: bytes, manner: Manner) -> list[bytes]:
    """The pause itself: back, up, aside, wait, and all of it undone; last the feed rate that was in force."""
    unit = state.unit
    if state.unclear and (manner.retract > 0 or manner.purge > 0):
        raise ParamError(
            f"before the layer at {layer:.3f} mm the extruder counts differently on different firmware: G90 or G91 was written "
            "after M82 or M83. Say whether G90 and G91 set the extruder too (follows) or only M82 and M83 do (own)",
            field="extruder", value="")
    room = LIFT if manner.height is None else min(LIFT, manner.height - state.height)
    if room < LEAST_LIFT:
        raise ParamError(f"at {state.height:g} mm the machine has no room to lift its nozzle: it is {manner.height:g} mm high",
                         field="bed", value=manner.height)

    def feed(rate: float) -> str:
        return f" F{rate / unit:.6g}" if state.feed else ""

    def there_and_back(letter: str, now: float, by: float, relative: bool) -> tuple[str, str]:
        return (f"{letter}{by:.6g}", f"{letter}{-by:.6g}") if relative else (f"{letter}{now + by:.6g}", f"{letter}{now:.6g}")

    back, on = there_and_back("E", state.e, -manner.retract / unit, state.relative_e)
    up, down = there_and_back("Z", state.z, room / unit, state.relative)
    ahead, behind = [f"G1 {up}{feed(LIFT_FEED)}"], [f"G1 {down}{feed(LIFT_FEED)}"]
    wipe: list[str] = []
    if manner.park is not None and state.x is not None and state.y is not None and not state.shifted:
        (x0, x1), (y0, y1) = (there_and_back(letter, now, place / unit - now, state.relative)
                              for letter, now, place in zip("XY", (state.x, state.y), manner.park, strict=True))
        ahead.append(f"G1 {x0} {y0}{feed(PARK_FEED)}")
        behind.insert(0, f"G1 {x1} {y1}{feed(PARK_FEED)}")
        off, home = there_and_back("X", manner.park[0] / unit, WIPE / unit, state.relative)
        wipe = [f"G1 {off}{feed(PARK_FEED)}", f"G1 {home}{feed(PARK_FEED)}"]
    if manner.retract > 0:
        ahead.insert(0, f"G1 {back}{feed(RETRACT_FEED)}")
        behind.append(f"G1 {on}{feed(RETRACT_FEED)}")
    purge: list[str] = []
    if manner.purge > 0:
        drawn = state.e - manner.retract / unit
        purge = [f"G1 E{manner.purge / unit:.6g}{feed(RETRACT_FEED / 6)}"] if state.relative_e else [
            f"G1 E{drawn + manner.purge / unit:.6g}{feed(RETRACT_FEED / 6)}", f"G92 E{drawn:.6g}"]
        purge += wipe
    lines = [
        f"{BEGIN.decode()} before the layer at {layer:.3f} mm",
        "; caution: hot nozzle, moving axes; motors may time out and the bed may let go while the machine waits",
        *ahead, *manner.stop, *purge, *behind, *([f"G1 F{state.feed.decode()}"] if state.feed else []),
        f"{END.decode()} resumed at {state.height:.3f} mm",
    ]
    return [line.encode() + end for line in lines]


@dataclass
class _Waiting:
    """The heights that are still to come, and what is known of the print so far: its layers' tops, the thickest, mm."""

    heights: list[float]
    top: float = -math.inf
    thickest: float = 0.0
    tops: list[float] = field(default_factory=list)
    marked: bool = False
    primed: bool = False
    same: float = _SAME
    too_low: ParamError | None = None
    rise_from: float | None = None

    def rising(self, before: float, height: float, number: int) -> bool:
        """Take a move that lays plastic from one height to another, mm; whether it may go on rising to its layer.

        Raises:
            ReadError: when it has risen higher than a layer is thick.
        """
        if height <= before + _SAME:
            self.rise_from = None
            return False
        self.rise_from = before if self.rise_from is None else self.rise_from
        if self.top > -math.inf and height - self.rise_from > max(SPIRAL * self.thickest, LEAST_SPIRAL):
            raise ReadError(f"line {number}: this print is a spiral, it has no layers to stop between")
        return True

    def mark(self) -> None:
        """Take a layer's mark; what was laid before the first one may be no layer."""
        self.primed, self.marked = not self.marked, True

    def reached(self, height: float, number: int) -> list[float]:
        """Take a layer at a height (mm) and return the heights asked for that it is the first to reach.

        Raises:
            ReadError: for a print that goes back down. ParamError: for a height in the first layer.
        """
        if self.primed and height < self.top - _SAME:
            # Before the first mark the nozzle was primed somewhere above the bed: that is no layer.
            self.top, self.thickest, self.tops, self.too_low = -math.inf, 0.0, [], None
        self.primed = False
        if self.too_low is not None:
            raise self.too_low
        if height < self.top - BACK_DOWN:
            raise ReadError(f"line {number}: this print goes back down from {self.top:g} to {height:g} mm, one object after "
                            "the other; a nozzle that waits in between would hit what stands")
        if height <= self.top:
            return []
        first = self.top == -math.inf
        self.thickest = max(self.thickest, height - (0.0 if first else self.top))
        self.top = height
        self.tops.append(height)
        due = [asked for asked in self.heights if height >= asked - self.same]
        if due and first:
            # Unless this turns out to have been no layer.
            self.too_low = ParamError(f"{due[0]:g} mm is in the first layer: there is nothing yet to put anything into",
                                      field="at", value=due[0], limit=height)
            return []
        self.heights = self.heights[len(due):]
        return due


@dataclass
class _Held:
    """Lines that may be the beginning of a layer, kept back until its height is known, and the state before them."""

    before: Machine
    lines: list[bytes]


def _caught_up(state: Machine, skipped: list[bytes]) -> None:
    """Take plain moves that were passed over: what matters is where the last of them end."""
    missing = {b"X", b"Y", b"E"}
    for line in reversed(skipped):
        for letter, number, _ in words_of(line):
            if letter in missing:
                missing.discard(letter)
                if letter == b"X":
                    state.x = number
                elif letter == b"Y":
                    state.y = number
                elif not state.relative_e:
                    state.e = state.other_e = number
        if not missing:
            break
    skipped.clear()


def paused(lines: Iterable[bytes], heights: list[float], found: list[Pause], manner: Manner = USUAL) -> Iterator[bytes]:
    """Return the lines with a pause before the first line that prints at or above each height (mm); ``found`` gains each.

    Raises:
        ParamError: for a height that is not positive, doubled, in the first layer or above the print.
        ReadError: when the lines are no G-code, print nothing, or have no layers to stop between.
    """
    if not heights or any(not math.isfinite(h) or h <= 0 for h in heights) or len(set(heights)) != len(heights):
        raise ParamError("pause heights must be different positive numbers of millimetres", field="at", value=heights)
    return _streamed(lines, _Waiting(sorted(heights)), found, manner)


def _streamed(lines: Iterable[bytes], waiting: _Waiting, found: list[Pause], manner: Manner) -> Iterator[bytes]:
    """Yield the lines with the pauses that are waited for; raises as :func:`paused`."""
    state = Machine(extruder=manner.extruder)
    count, inside, line, last, hot = 0, False, b"", b"", False
    held: _Held | None = None
    skipped: list[bytes] = []

    def begun(layer: float, number: int) -> Iterator[bytes]:
        """The layer that begins with the held lines, and the pause before it where one is due."""
        nonlocal count, held
        assert held is not None, "a layer has at least the line that lays it"
        for asked in waiting.reached(layer, number):
            if not found or found[-1].layer != layer:
                # The pause stands before these lines, so it returns to where the nozzle was before them.
                block = _block(held.before, layer, b"\r\n" if held.lines[0].endswith(b"\r\n") else b"\n", manner)
                yield from block
                found.append(Pause(asked, layer, count + 1))
                count += len(block)
            else:
                found.append(Pause(asked, layer, found[-1].line))
        count += len(held.lines)
        yield from held.lines
        held = None

    for number, line in enumerate(lines, 1):
        # Most lines are plain moves within a layer that is known already: of them only where they end will matter.
        if held is None and not inside and waiting.top - BACK_DOWN <= state.height <= waiting.top and not state.relative \
                and state.relative_e == state.other_relative_e and _PLAIN.fullmatch(line) is not None:
            skipped.append(line)
            last, waiting.rise_from = line, None
            if len(skipped) > _REPORT:
                _caught_up(state, skipped)
            count += 1
            yield line
            continue
        if skipped:
            _caught_up(state, skipped)
        if b"\0" in line or len(line) > MOST_LINE:
            raise ReadError("this is no G-code: it is not text in lines")
        if line.startswith(BEGIN):
            inside = True
        if inside:
            inside = not line.startswith(END)
            continue
        heats = _HEATS.match(line)
        hot = hot if heats is None else float(heats[1]) > 0
        last = line if line.partition(b";")[0].strip() else last
        before = replace(state)
        lays = state.follow(words_of(line))
        waiting.same = _SAME if state.unit == 1.0 else _SAME_INCH
        mark = _MARK.match(line) is not None
        if mark:
            waiting.mark()
        if held is None and (lays or mark):
            held = _Held(before, [])
        if held is None:
            count += 1
            yield line
            continue
        held.lines.append(line)
        if lays and not waiting.rising(before.height, state.height, number):
            # A ramp's height is known where it ends: this move lies on it.
            yield from begun(state.height, number)
        elif len(held.lines) > _MOST_HELD:
            yield from begun(waiting.top, number)
    if inside:
        raise ReadError("this G-code ends within a pause that was put in: it is not complete")
    if held is not None:
        yield from begun(state.height if waiting.rise_from is not None else waiting.top, number)
    if waiting.too_low is not None:
        raise waiting.too_low
    if waiting.top == -math.inf:
        raise ReadError("this G-code has no printing moves")
    if not line.endswith(b"\n") and _UNFINISHED.search(line.partition(b";")[0].upper().strip()):
        raise ReadError("this G-code breaks off in the middle of a line: it is not complete")
    if hot and _LAYING.match(last):
        raise ReadError("this G-code ends while it prints, its nozzle still hot: it is not complete")
    if waiting.heights:
        raise ParamError(f"{waiting.heights[0]:g} mm is above the print, which ends at {waiting.top:g} mm", field="at",
                         value=waiting.heights[0], limit=waiting.top)


def layer_tops(source: Path, progress: Progress = unwatched) -> list[float]:
    """Return the tops of a file's layers, mm, ascending, whatever their heights; raises as :func:`pause_file`."""
    waiting = _Waiting([])
    with files.open_regular(source, MOST_BYTES) as opened, _named(source):
        for _ in _watched(opened, source, _streamed(lines_of(opened), waiting, [], USUAL), progress):
            pass
    return waiting.tops


@contextmanager
def _named(source: Path) -> Iterator[None]:
    """Say the file's name with what is wrong in it."""
    try:
        yield
    except ReadError as error:
        raise ReadError(f"{source.name}: {error.sentence}", field=str(source)) from None


def _watched(opened: Any, source: Path, lines: Iterable[bytes], progress: Progress) -> Iterator[bytes]:
    """Yield lines that come of an opened file, and tell how much of it is read."""
    size = max(1, source.stat().st_size)
    for number, line in enumerate(lines):
        if number % _REPORT == 0:
            told(progress, min(1.0, opened.tell() / size))
        yield line


def planned(source: Path, heights: list[float], manner: Manner = USUAL, progress: Progress = unwatched
            ) -> tuple[list[Pause], list[str]]:
    """Return the pauses a file would get and the lines that would be added, and write nothing; raises as :func:`pause_file`."""
    found: list[Pause] = []
    added, inside = list[str](), False
    with files.open_regular(source, MOST_BYTES) as opened, _named(source):
        for line in _watched(opened, source, paused(lines_of(opened), heights, found, manner), progress):
            inside = inside or line.startswith(BEGIN)
            if inside:
                added.append(line.decode("utf-8", "replace").rstrip())
                inside = not line.startswith(END)
    return found, added


def pause_file(source: Path, target: Path, heights: list[float], progress: Progress = unwatched,
               manner: Manner = USUAL) -> list[Pause]:
    """Write ``source`` with its pauses to ``target``, whole or not at all, in bounded memory, and return the pauses.

    Raises:
        ReadError, ParamError: as :func:`paused`, and for what is no regular file. SaveError: when it cannot be written.
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    found: list[Pause] = []
    with files.open_regular(source, MOST_BYTES) as opened, files.replacing(target) as out, _named(source):
        out.writelines(_watched(opened, source, paused(lines_of(opened), heights, found, manner), progress))
    progress(1.0)
    return found


def lines_of(opened: Any) -> Iterator[bytes]:
    """Yield lines ended by a line feed, never longer than can be right."""
    while line := opened.readline(MOST_LINE + 1):
        yield line
