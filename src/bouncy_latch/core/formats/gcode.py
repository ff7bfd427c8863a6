"""G-code: pauses at given heights, put in where the layer that reaches the height begins.

The file is streamed as bytes: whole lines are added and every original byte stays as it was, line ends included. Nothing is
switched for a pause that would have to be switched back: in absolute coordinates the nozzle goes to an absolute height and
back, in relative ones by a distance up and down, in the file's own unit; only the feed rate is changed, and set again.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bouncy_latch.core import files
from bouncy_latch.core.errors import ParamError, ReadError
from bouncy_latch.core.progress import Progress, told, unwatched

MOST_BYTES = 2 * 2**30
MOST_LINE = 1 << 20
LIFT = 10.0
"""How far the nozzle is raised while the machine waits, mm."""
LIFT_FEED = 600.0
"""Feed rate of that, mm/min."""
INCH = 25.4
_WORD = re.compile(rb"([A-Z])[ \t]*([-+]?(?:\d+\.?\d*|\.\d+))")
_BRACKETS = re.compile(rb"\([^)]*\)")
_MOTION = {0.0, 1.0, 2.0, 3.0}
_REPORT = 1 << 14
"""Lines between two reports of progress."""


@dataclass(frozen=True)
class Pause:
    """A pause that was put in: the height asked for, the height of the layer it precedes, and its line in the output."""

    asked: float
    layer: float
    line: int


@dataclass
class Machine:
    """What a controller knows while it reads a file, as far as a pause needs it.

    Attributes:
        unit: mm in a unit of the file. relative, relative_e: whether coordinates and the extruder count from where they are.
        z, e: position, in the file's unit. feed: as last written; empty before the first. moving: the motion in force.
    """

    unit: float = 1.0
    relative: bool = False
    relative_e: bool = False
    z: float = 0.0
    e: float = 0.0
    feed: bytes = b""
    moving: float | None = None

    @property
    def height(self) -> float:
        """Height of the nozzle, mm."""
        return self.z * self.unit

    def follow(self, words: list[tuple[bytes, float, bytes]]) -> bool:
        """Take one line's words (letter, number, number as written); whether it lays plastic while it moves sideways."""
        if not words:
            return False
        if words[0][0] == b"M":
            # What follows is this command's own, a message even.
            if words[0][1] in {82, 83}:
                self.relative_e = words[0][1] == 83
            return False
        codes = {number for letter, number, _ in words if letter == b"G"}
        for code in (20, 21, 90, 91):
            if code in codes:
                if code < 90:
                    self.unit = INCH if code == 20 else 1.0
                else:
                    self.relative = code == 91
        axes = {letter: number for letter, number, _ in words if letter in b"XYZEF"}
        if 92 in codes:
            self.z, self.e = axes.get(b"Z", self.z), axes.get(b"E", self.e)
            return False
        if 28 in codes and (b"Z" in axes or not axes):
            self.z = 0.0
            return False
        motion = next(iter(codes & _MOTION), None)
        if motion is None and (codes or self.moving is None):
            return False
        self.moving = motion if motion is not None else self.moving
        if b"F" in axes:
            self.feed = next(text for letter, _, text in reversed(words) if letter == b"F")
        if b"Z" in axes:
            self.z = self.z + axes[b"Z"] if self.relative else axes[b"Z"]
        if b"E" not in axes:
            return False
        laid = axes[b"E"] if self.relative_e else axes[b"E"] - self.e
        self.e = self.e + laid
        return laid > 0 and (b"X" in axes or b"Y" in axes)


def words_of(line: bytes) -> list[tuple[bytes, float, bytes]]:
    """Return the words of a line (letter, number, number as written), without comments, line number and checksum."""
    code = line.partition(b";")[0].upper()
    if b"(" in code:
        code = _BRACKETS.sub(b" ", code)
    code = code.partition(b"*")[0].strip()
    found = [(letter, float(number), number) for letter, number in _WORD.findall(code)]
    if found and found[0][0] == b"N":
        found = found[1:]
    # What comes after another letter first (a message, say) is no command.
    return found if found and found[0][0] in b"GMXYZEF" else []


def _block(state: Machine, layer: float, end: bytes) -> list[bytes]:
    """The pause itself: up, wait, back down, and the feed rate that was in force."""
    lift, feed = LIFT / state.unit, f" F{LIFT_FEED / state.unit:.6g}" if state.feed else ""
    up, down = (lift, -lift) if state.relative else (state.z + lift, state.z)
    lines = [
        f"; pause before the layer at {layer:.3f} mm (Bouncy Latch)",
        "; caution: hot nozzle, moving axes, and motors may time out while the machine waits",
        f"G1 Z{up:.6g}{feed}", "M0", f"G1 Z{down:.6g}{feed}",
        *([f"G1 F{state.feed.decode()}"] if state.feed else []),
        f"; resumed at {state.height:.3f} mm",
    ]
    return [line.encode() + end for line in lines]


def paused(lines: Iterable[bytes], heights: list[float], found: list[Pause]) -> Iterator[bytes]:
    """Yield the lines with a pause before the first line that prints at or above each height (mm); ``found`` gains each.

    Raises:
        ParamError: for a height that is not positive, doubled, or above the print.
        ReadError: when the lines are no G-code, or print nothing.
    """
    if not heights or any(not math.isfinite(h) or h <= 0 for h in heights) or len(set(heights)) != len(heights):
        raise ParamError("pause heights must be different positive numbers of millimetres", field="at", value=heights)
    waiting, state = sorted(heights), Machine()
    top, count, printed = -math.inf, 0, False
    skipped = b""
    for line in lines:
        # Most lines are plain moves within a layer that is known already: of them only the last one's E will matter.
        if line[:3] == b"G1 " and state.height <= top and b"Z" not in line and b"F" not in line and b"(" not in line \
                and b";" not in line:
            if b"E" in line:
                skipped = line
        else:
            if skipped:
                state.follow(words_of(skipped))
                skipped = b""
            if b"\0" in line or len(line) > MOST_LINE:
                raise ReadError("this is no G-code: it is not text in lines")
            before = (state.z, state.feed)
            if state.follow(words_of(line)) and state.height > top:
                printed, top = True, state.height
                while waiting and top >= waiting[0] - 1e-6:
                    # The pause stands before this line, so it returns to where the nozzle was before it.
                    now = (state.z, state.feed)
                    state.z, state.feed = before
                    block = _block(state, top, b"\r\n" if line.endswith(b"\r\n") else b"\n")
                    state.z, state.feed = now
                    yield from block
                    found.append(Pause(waiting.pop(0), top, count + 1))
                    count += len(block)
        count += 1
        yield line
    if not printed:
        raise ReadError("this G-code has no printing moves")
    if waiting:
        raise ParamError(f"{waiting[0]:g} mm is above the print, which ends at {top:g} mm", field="at", value=waiting[0],
                         limit=top)


def pause_file(source: Path, target: Path, heights: list[float], progress: Progress = unwatched) -> list[Pause]:
    """Write ``source`` with its pauses to ``target``, whole or not at all, in bounded memory, and return the pauses.

    Raises:
        ReadError, ParamError: as :func:`paused`, and for what is no regular file. SaveError: when it cannot be written.
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    found: list[Pause] = []
    with files.open_regular(source, MOST_BYTES) as opened, files.replacing(target) as out:
        size = max(1, source.stat().st_size)
        try:
            for number, line in enumerate(paused(_lines(opened), heights, found)):
                out.write(line)
                if number % _REPORT == 0:
                    told(progress, min(1.0, opened.tell() / size))
        except ReadError as error:
            raise ReadError(f"{source.name}: {error.sentence}", field=str(source)) from None
    progress(1.0)
    return found


def _lines(opened: Any) -> Iterator[bytes]:
    """Yield lines ended by a line feed, never longer than can be right."""
    while line := opened.readline(MOST_LINE + 1):
        yield line
