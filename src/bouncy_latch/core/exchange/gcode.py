"""G-code: pauses at given heights, put in where the layer that reaches the height begins.

Only the text between lines is changed: every original line stays as it was. Heights are mm of the print, read from the
moves themselves, in absolute or relative coordinates.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from bouncy_latch.core.errors import ParamError, ReadError

MOST_BYTES = 500 * 2**20
_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
LIFT = 10.0
"""How far the nozzle is raised while the machine waits, mm."""


@dataclass(frozen=True)
class Pause:
    """A pause that was put in: the height asked for, the height of the layer it precedes, and its line in the output."""

    asked: float
    layer: float
    line: int


def _block(height: float, current: float) -> list[str]:
    """The pause itself: up, wait, back down, and absolute coordinates restored by what follows."""
    return [
        f"; pause before the layer at {height:.3f} mm (Bouncy Latch)",
        "; caution: hot nozzle, moving axes, and motors may time out while the machine waits",
        "G91", f"G1 Z{LIFT:g} F600", "G90", "M0", "G91", f"G1 Z-{LIFT:g} F600", "G90",
        f"; resumed from {current:.3f} mm",
    ]


def with_pauses(text: str, heights: list[float]) -> tuple[str, list[Pause]]:
    """Return the G-code with a pause before the first printing move at or above each height (mm).

    Raises:
        ParamError: for a height that is not positive, doubled, or above the print.
        ReadError: when the text has no printing moves.
    """
    if not heights or any(not math.isfinite(h) or h <= 0 for h in heights) or len(set(heights)) != len(heights):
        raise ParamError("pause heights must be different positive numbers of millimetres", field="at", value=heights)
    waiting = sorted(heights)
    out: list[str] = []
    found: list[Pause] = []
    z = top = 0.0
    relative, printed = False, False
    for line in text.splitlines():
        code = line.split(";", 1)[0].strip().upper()
        words = dict(_WORD.findall(code))
        command = code.split(" ", 1)[0] if code else ""
        if command in {"G90", "G91"}:
            relative = command == "G91"
        elif command == "G92" and "Z" in words:
            z = float(words["Z"])
        elif command in {"G0", "G1", "G00", "G01", "G2", "G3"}:
            if "Z" in words:
                z = z + float(words["Z"]) if relative else float(words["Z"])
            if "E" in words and ("X" in words or "Y" in words):
                printed, top = True, max(top, z)
                while waiting and z >= waiting[0] - 1e-6:
                    out += _block(z, z)
                    if relative:
                        out.append("G91")
                    found.append(Pause(waiting.pop(0), z, len(out)))
        out.append(line)
    if not printed:
        raise ReadError("this G-code has no printing moves")
    if waiting:
        raise ParamError(f"{waiting[0]:g} mm is above the print, which ends at {top:g} mm", field="at", value=waiting[0],
                         limit=top)
    return "\n".join(out) + "\n", found
