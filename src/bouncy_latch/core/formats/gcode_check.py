"""Looks at paused G-code with a controller's eyes: what every pause does, and whether everything is as before after it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from bouncy_latch.core import files
from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.formats.gcode import BEGIN, END, MOST_BYTES, lines_of
from bouncy_latch.core.formats.gcode_machine import Machine, words_of
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.progress import Progress, told, unwatched

_REPORT = 1 << 14
_NEAR = 1e-4
"""Positions that differ by less are the same, in the file's unit."""


@frozen
class Stop:
    """What a pause does.

    Attributes:
        line: where it begins. height: of the nozzle before it, mm. lift, back: how far the nozzle rises and the filament is
        pulled back, mm. aside: where the nozzle waits, mm; None where it stays. restored: whether modes, unit, position,
        filament and feed rate are as they were. command: what stops the machine.
    """

    line: int
    height: float
    lift: float
    back: float
    aside: tuple[float, float] | None
    restored: bool
    command: str


@frozen
class Checked:
    """A file that was looked at: its pauses, its own lines without them, and the height it ends at, mm."""

    stops: tuple[Stop, ...]
    lines: int
    top: float
    same_as_before: bool | None


def look(lines: Iterable[bytes], original: Iterable[bytes] | None = None) -> Checked:
    """Return what a run of the lines finds; with the ``original`` whether all lines outside of pauses are its own.

    Raises:
        ReadError: when a pause is not complete.
    """
    state, stops, own, top = Machine(), list[Stop](), 0, 0.0
    same = None if original is None else True
    others = iter(original or ())
    block: list[bytes] = []
    for number, line in enumerate(lines, 1):
        if block or line.startswith(BEGIN):
            block.append(line)
            if line.startswith(END):
                stops.append(_stop(state, block, number - len(block) + 1))
                block = []
            continue
        own += 1
        if same is not None:
            same = same and next(others, None) == line
        if state.follow(words_of(line)):
            top = max(top, state.height)
    if block:
        raise ReadError("this G-code ends within a pause that was put in: it is not complete")
    if same is not None:
        same = same and next(others, None) is None
    return Checked(tuple(stops), own, top, same)


def _stop(state: Machine, block: list[bytes], line: int) -> Stop:
    """Run a pause from a state; the state is left as the pause leaves it."""
    before, command = replace(state), ""
    highest, least, waits = state.z, state.e, (state.x, state.y)
    for text in block:
        words = words_of(text)
        state.follow(words)
        highest, least = max(highest, state.z), min(least, state.e)
        if (not words and not text.lstrip().startswith(b";")) or (words and words[0][0] == b"M"):
            command, waits = command or text.strip().decode("utf-8", "replace"), (state.x, state.y)
    aside = None
    if waits != (before.x, before.y) and waits[0] is not None and waits[1] is not None:
        aside = (waits[0] * state.unit, waits[1] * state.unit)
    return Stop(line, before.height, (highest - before.z) * state.unit, (before.e - least) * state.unit, aside,
                _alike(before, state), command)


def _alike(first: Machine, second: Machine) -> bool:
    exact = all(getattr(first, name) == getattr(second, name) for name in ("unit", "relative", "relative_e", "shifted"))
    feeds = {float(each.feed) if each.feed else None for each in (first, second)}
    near = all((a is None) == (b is None) and abs((a or 0.0) - (b or 0.0)) < _NEAR
               for a, b in ((first.x, second.x), (first.y, second.y), (first.z, second.z), (first.e, second.e)))
    return exact and near and len(feeds) == 1


def check_file(path: Path, original: Path | None = None, progress: Progress = unwatched) -> Checked:
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
            return look(watched(opened))
        with files.open_regular(original, MOST_BYTES) as before:
            return look(watched(opened), lines_of(before))
