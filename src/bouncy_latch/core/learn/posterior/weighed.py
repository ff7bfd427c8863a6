"""What a weight hung on a printed spring says: how stiff the plastic prints, through the spring's own mechanics."""

from __future__ import annotations

import math

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.fields import Params
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.process.evidence import Reading, reading
from bouncy_latch.core.process.profile import Process, Spread

GRAVITY = 9.81e-3
"""Newtons a gram."""
PLAIN = 1000.0
"""A modulus at which a force is worked out, MPa: forces of one shape follow it in proportion."""
MOST = 50_000.0
"""Grams that are believed to hang on a printed spring."""


def weighed(kind: Kind, params: Params, process: Process, grams: float, moved: float) -> Reading:
    """Return what ``grams`` that moved a spring by ``moved`` mm say, as a reading of the modulus it would have as drawn.

    Raises:
        ParamError: for a kind that no weight is hung on, or a weight or travel that cannot be.
        SolveError: when it cannot move so far.
    """
    if not kind.weighs:
        raise ParamError(f"no weight is hung on a {kind.title.lower()}", field="kind", value=kind.id)
    for what, value, most in (("weight", grams, MOST), ("travel", moved, 1000.0)):
        if not math.isfinite(value) or not 0 < value <= most:
            raise ParamError(f"a {what} of {value:g} cannot be", field=what, value=value)
    exact = process.model_copy(update={"growth": Spread(mean=0.0, sd=0.0), "modulus": Spread(mean=PLAIN, sd=0.0),
                                        "spring_force": Spread(mean=0.0, sd=0.0)})
    found = kind.solve(params.changed(**{kind.weighs: moved}), exact)
    course = found.motions[0].course
    assert course is not None, "what is weighed has a course"
    load = next(iter(course.curves.values()))[-1]
    return reading(process=process.id, feature="weighed", nominal=getattr(params, kind.recommend),
                   values=[round(PLAIN / 1000 * GRAVITY * grams / load, 4)],
                   note=f"{kind.title.lower()}: {grams:g} g moved it {moved:g} mm")
