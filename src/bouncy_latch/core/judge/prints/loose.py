"""Parts made elsewhere: the same print prediction for any closed bodies, with or without an axis they should move about."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Any

import numpy as np

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.freedom import APART, Freedom
from bouncy_latch.core.judge.prints.printing import Job
from bouncy_latch.core.layers.poses import AS_IS, Pose
from bouncy_latch.core.layers.setup import DESIGNED, PrintSetup
from bouncy_latch.core.process.profile import Process

_LETTERS = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


def job_of(bodies: Mapping[str, Any], process: Process, freedom: Freedom | None = None,
           setup: PrintSetup = DESIGNED, bends_along: tuple[tuple[float, float, float], ...] = ()) -> Job:
    """Return the job of printing manifolds (mm) together, standing as they were saved.

    ``bends_along``: directions along which something that flexes is stretched.
    """
    return Job(bodies, process, setup, freedom=freedom or Freedom(APART), poses=(Pose("as it is", AS_IS),),
               bends_along=bends_along)


def middle(bodies: Mapping[str, Any]) -> tuple[float, float, float]:
    """Return the middle of the box round the body that takes the least room: a shaft or pin marks its own axis."""
    box = min((body.bounding_box() for body in bodies.values()),
              key=lambda b: float(np.prod([b[i + 3] - b[i] for i in range(3)])))
    x, y, z = ((box[i] + box[i + 3]) / 2 for i in range(3))
    return x, y, z


def freedom_from(kind: str, text: str, bodies: Mapping[str, Any]) -> Freedom:
    """Return a freedom from what a user typed: ``z``, or a direction ``dx,dy,dz``, or ``x,y,z:dx,dy,dz``.

    ``kind`` is ``turn`` or ``slide`` (or another word, where only the direction counts). Without a point the line goes
    through the middle of the smallest body.

    Raises:
        ParamError: in one sentence.
    """
    field = "axis" if kind == "turn" else kind
    wrong = ParamError(f"{field} must be x, y, z, a direction like 0,0,1 or a point and a direction like 5,0,3:0,0,1, "
                       f"not '{text}'", field=field, value=text)
    *point, direction = [part.strip().lower() for part in text.split(":")]
    if len(point) > 1:
        raise wrong
    try:
        along = _LETTERS.get(direction) or _triple(direction)
        at = _triple(point[0]) if point else middle(bodies)
    except ValueError:
        raise wrong from None
    length = math.hypot(*along)
    if length < 1e-9:
        raise ParamError(f"{field}: a direction of no length points nowhere", field=field, value=text)
    return Freedom(kind, at, (along[0] / length, along[1] / length, along[2] / length))


def _triple(text: str) -> tuple[float, float, float]:
    parts = [float(part) for part in re.split(r"[,;\s]+", text) if part]
    if len(parts) != 3 or not all(math.isfinite(part) and abs(part) < 1e6 for part in parts):
        raise ValueError
    return parts[0], parts[1], parts[2]
