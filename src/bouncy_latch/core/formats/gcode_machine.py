"""What a controller knows while it reads G-code: modes, unit, position and feed rate, line by line.

Layers are told by the height at which plastic is laid, whatever a slicing program writes into its comments.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

INCH = 25.4
_WORD = re.compile(rb"([A-Z])[ \t]*([-+]?(?:\d+\.?\d*|\.\d+))")
_BRACKETS = re.compile(rb"\([^)]*\)")
_MOTION = {0.0, 1.0, 2.0, 3.0}


@dataclass
class Machine:
    """What a controller knows while it reads a file, as far as a pause needs it.

    Attributes:
        unit: mm in a unit of the file. relative, relative_e: whether coordinates and the extruder count from where they are.
        x, y, z, e: position, in the file's unit; x and y None while nothing says where they are. feed: as last written; empty
        before the first. moving: the motion in force. shifted: whether x or y were given another zero.
    """

    unit: float = 1.0
    relative: bool = False
    relative_e: bool = False
    x: float | None = None
    y: float | None = None
    z: float = 0.0
    e: float = 0.0
    feed: bytes = b""
    moving: float | None = None
    shifted: bool = False

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
            self.x, self.y = axes.get(b"X", self.x), axes.get(b"Y", self.y)
            self.shifted = self.shifted or b"X" in axes or b"Y" in axes
            return False
        if 28 in codes:
            named = {letter for letter, _, _ in words if letter in b"XYZ"}
            self.z = 0.0 if b"Z" in named or not named else self.z
            self.x = None if b"X" in named or not named else self.x
            self.y = None if b"Y" in named or not named else self.y
            return False
        motion = next(iter(codes & _MOTION), None)
        if motion is None and (codes or self.moving is None):
            return False
        self.moving = motion if motion is not None else self.moving
        if b"F" in axes:
            self.feed = next(text for letter, _, text in reversed(words) if letter == b"F")
        if b"Z" in axes:
            self.z = self.z + axes[b"Z"] if self.relative else axes[b"Z"]
        if b"X" in axes:
            self.x = _moved(self.x, axes[b"X"], self.relative)
        if b"Y" in axes:
            self.y = _moved(self.y, axes[b"Y"], self.relative)
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


def _moved(before: float | None, by: float, relative: bool) -> float | None:
    if not relative:
        return by
    return None if before is None else before + by
