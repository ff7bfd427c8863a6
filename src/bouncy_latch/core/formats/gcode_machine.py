"""What a controller knows while it reads G-code: modes, unit, position and feed rate, line by line.

Layers are told by the height at which plastic is laid, whatever a slicing program writes into its comments.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

INCH = 25.4
_WORD = re.compile(rb"([A-Z])[ \t]*([-+]?(?:\d+\.?\d*|\.\d+))")
_COMMAND = re.compile(rb"[GMTXYZEF][ \t]*[-+]?(?:\d+\.?\d*|\.\d+)(?![0-9.]*[_=\"'])")
"""What the first token of a line must be for the line to be a command; a macro's name and its parameters are none."""
_LINE_NUMBER = re.compile(rb"N[ \t]*\d+[ \t]*")
_HOMED = re.compile(rb"[ \t]([XYZ])\b")
_BRACKETS = re.compile(rb"\([^)]*\)")
_MOTION = {0.0, 1.0, 2.0, 3.0}
OWN, FOLLOWS = "own", "follows"
"""Firmware whose extruder has a mode of its own (M82, M83), and firmware in which G90 and G91 set the extruder's mode too."""


@dataclass
class Machine:
    """What a controller knows while it reads a file, as far as a pause needs it.

    Attributes:
        unit: mm in a unit of the file. relative, relative_e: whether coordinates and the extruder count from where they are.
        x, y, z, e: position, in the file's unit; x and y None while nothing says where they are. feed: as last written; empty
        before the first. moving: the motion in force. shifted: whether x or y were given another zero. extruder: what G90 and
        G91 mean for the extruder, :data:`OWN` or :data:`FOLLOWS`; empty while nobody said, then both readings are followed.
        other_relative_e, other_e: mode and position of the extruder by the second reading (:data:`FOLLOWS`).
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
    extruder: str = ""
    other_relative_e: bool = False
    other_e: float = 0.0

    @property
    def unclear(self) -> bool:
        """Whether the extruder's mode or position depends on the machine's firmware, and nobody said which it has."""
        if self.extruder:
            return False
        return self.relative_e != self.other_relative_e or (not self.relative_e and abs(self.e - self.other_e) > 1e-6)

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
                self.relative_e = self.other_relative_e = words[0][1] == 83
            return False
        if words[0][0] == b"T":
            return False
        codes = {number for letter, number, _ in words if letter == b"G"}
        for code in (20, 21, 90, 91):
            if code in codes:
                if code < 90:
                    self.unit = INCH if code == 20 else 1.0
                else:
                    self.relative = code == 91
                    if self.extruder != OWN:
                        self.other_relative_e = self.relative
                    if self.extruder == FOLLOWS:
                        self.relative_e = self.relative
        axes = {letter: number for letter, number, _ in words if letter in b"XYZEF"}
        if 92 in codes:
            self.z, self.e = axes.get(b"Z", self.z), axes.get(b"E", self.e)
            self.other_e = axes.get(b"E", self.other_e)
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
        self.other_e = self.other_e + axes[b"E"] if self.other_relative_e else axes[b"E"]
        return laid > 0 and (b"X" in axes or b"Y" in axes)


def words_of(line: bytes) -> list[tuple[bytes, float, bytes]]:
    """Return the words of a command (letter, number, number as written), without comments, line number and checksum.

    A line whose first token is no G, M or T code and no axis word is a macro or a message: it has no words. The words of G28
    need no number: an axis that is only named counts as 0.
    """
    code = line.partition(b";")[0].upper()
    if b"(" in code:
        code = _BRACKETS.sub(b" ", code)
    code = code.partition(b"*")[0].strip()
    if code[:1] == b"N":
        code = _LINE_NUMBER.sub(b"", code, count=1)
    if _COMMAND.match(code) is None:
        return []
    found = [(letter, float(number), number) for letter, number in _WORD.findall(code)]
    if found[0][:2] == (b"G", 28.0):
        found += [(axis, 0.0, b"0") for axis in _HOMED.findall(code)]
    return found


def _moved(before: float | None, by: float, relative: bool) -> float | None:
    if not relative:
        return by
    return None if before is None else before + by
