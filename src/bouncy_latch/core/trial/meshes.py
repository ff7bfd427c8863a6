"""Turns what rubs on purpose (teeth, pawls, screws) and looks for jams, and for teeth that lose each other."""

from __future__ import annotations

import numpy as np

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import Cancelled
from bouncy_latch.core.mechanisms.contract import Motion, Solution
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.trial.posed import bent, edges_for, gap, gap_at_most, overlap, part_of, watched_pairs

ID, APART_ID = "meshes-free", "stays-in-mesh"
STEPS = 25
ALLOWED = 0.02
"""Overlap of drawn flanks that their facets alone account for, mm."""
_ROUNDING = 1e-6


def check(solution: Solution, progress: Progress = unwatched, motion: Motion | None = None) -> tuple[Check, Check]:
    """Return the verdicts on a motion whose bodies rub: none jams, and none comes so far apart that it runs free.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    motion = motion or solution.motion
    pairs, edges = watched_pairs(solution, motion), edges_for(solution, motion)
    search = 2 * motion.slack + 0.1
    parts = {name: part_of(solution, name, motion) for name in motion.alike}
    deepest, widest = (0.0, motion.low, None), (0.0, motion.low)
    for i, value in enumerate(np.linspace(motion.low, motion.high, STEPS)):
        if not progress(i / STEPS):
            raise Cancelled
        bodies, pose = bent(solution, float(value), motion, edges), motion.pose(float(value))
        # Where it begins and ends other things than what meshes may meet.
        some = bodies if i in {0, STEPS - 1} else {
            **bodies, **{name: mesh.transformed(part, pose[name]) if name in pose else part for name, part in parts.items()}}
        for first, second in pairs:
            depth, place = overlap(some[first], some[second])
            if depth > deepest[0]:
                deepest = (depth, float(value), place)  # type: ignore[assignment]
            # Only where it may be wider than anywhere before does it matter how wide exactly.
            if depth == 0 and (near := gap_at_most(bodies[first], bodies[second], widest[0])) > widest[0]:
                apart = gap(bodies[first], bodies[second], min(search, near + _ROUNDING))
                widest = max(widest, (min(apart, near), float(value)), key=lambda at: at[0])
    progress(1.0)
    unit = motion.unit
    return (
        Check(ID, motion.freely or f"{motion.label} freely", deepest[0], ALLOWED + motion.gives, "mm",
              f"the surfaces overlap most at {deepest[1]:.1f} {unit}" if deepest[0] > 0 else "the drawn surfaces overlap "
                                                                                             "nowhere",
              least=False, stop=0.2 + motion.gives, place=deepest[2], mend=motion.mend, topic="shape",
              basis="what the facets of drawn flanks account for" + (", and what gives" if motion.gives else "")),
        Check(APART_ID, "Surfaces stay in contact", widest[0], motion.slack, "mm", f"the surfaces are furthest apart at "
                                                                                  f"{widest[1]:.1f} {unit}",
              least=False, mend=motion.mend, topic="shape", basis="the slack the mechanism allows"),
    )
