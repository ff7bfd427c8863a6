"""How stand-in printers' parts press on each other: a bedding as stiff as plastic a few millimetres thick, and nothing else.

It shares no formula with :mod:`bouncy_latch.core.layers.crests`: what two outlines share is pressed out of the way at
:data:`STIFF`, wherever it lies, and crests that are turned on each other for a whole run lose :data:`RUN_IN` of it.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

STIFF = 275.0
"""MPa per mm that two parts reach into each other: what makes a nut that is 0.03 too wide a side take a hand's push, and one
0.1 too wide a mallet (common practice, no source)."""
RUN_IN = 0.01
"""Of what two threads share, rubbed away by the first run, mm (common practice, no source)."""


def pressure(clearance: npt.ArrayLike, rubbed: float = 0.0) -> float:
    """Return the mean pressure, MPa, where parts are ``clearance`` apart, mm at many places; negative where they share room."""
    shared = np.maximum(0.0, -np.asarray(clearance, dtype=np.float64) - rubbed)
    return STIFF * float(shared.mean())
