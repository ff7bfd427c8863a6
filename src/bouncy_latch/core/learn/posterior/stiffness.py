"""What tilts and torn bars say of the plastic itself, weighed against the table of materials."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from bouncy_latch.core.errors import UserError
from bouncy_latch.core.learn.calibration.readings import BEND_DEPTH, BEND_LENGTH
from bouncy_latch.core.process.profile import Process

OF_PLASTIC = ("slides at", "tears at")
"""Features that tell of it."""
SLIDE_NOISE = 0.04
"""Spread of one tilt as a coefficient of friction (common practice, no source)."""


def measured_plastic(process: Process, measured: Mapping[str, Sequence[float]]) -> tuple[tuple[str, float], ...]:
    """Return what tilts (degrees) and droops at tearing (mm) say of the material, weighed against its table by their spreads.

    µ = tan of the tilt; ε = 3 h y / (2 L²) at the root of the bend bar. Permissible strains keep their part of the one at
    which it tears.
    """
    if not measured:
        return ()
    found: dict[str, float] = {}
    try:
        known = process.plastic
    except UserError:
        return ()  # a material nothing is known of has nothing to weigh the readings against
    if tilts := measured.get("slides at"):
        told = [math.tan(math.radians(min(max(tilt, 1.0), 55.0))) for tilt in tilts]
        own = max(float(np.std(told)), SLIDE_NOISE) / math.sqrt(len(told))
        precision, mine = 1 / known.friction_sd**2, 1 / own**2
        found["friction"] = round((precision * known.friction + mine * math.fsum(told) / len(told)) / (precision + mine), 4)
        found["friction_sd"] = round(1 / math.sqrt(precision + mine), 4)
    if droops := measured.get("tears at"):
        torn = 100 * 3 * BEND_DEPTH * math.fsum(droops) / len(droops) / (2 * BEND_LENGTH**2)
        share = torn / known.strain_break
        found |= {"strain_break": round(torn, 3), "strain_once": round(share * known.strain_once, 3),
                  "strain_repeated": round(share * known.strain_repeated, 3)}
    return tuple(found.items())
