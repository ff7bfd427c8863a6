"""Looks whether what bends hangs on its host by its root alone, and whether its host leaves it room to bend."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import combinations
from typing import Any

from bouncy_latch.core.checks import Check
from bouncy_latch.core.mechanisms.contract import Motion, Root, Solution
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.trial.posed import FINE, overlap

ID = "bends-free"
LEAST = 0.2
"""Smaller pieces are crumbs of the cut, mm³."""
TOUCHES = 0.08
"""Overlap of an arm and its host that rounding in the computed curve accounts for, mm."""


def pieces(solution: Solution, root: Root) -> list[Any]:
    """Return the manifolds that a body falls into once its roots are cut through, largest first."""
    cut = mesh.evaluate(solution.bodies[root.body]) - mesh.evaluate(root.cut)
    return sorted((piece for piece in cut.decompose() if piece.volume() > LEAST), key=lambda piece: -float(piece.volume()))


def check(solution: Solution, motion: Motion, edges: Mapping[str, float] | None = None) -> Check | None:
    """Return the verdict on the bodies that bend in a motion; None where the motion names no roots.

    ``edges``: how long those of what bends may be, mm.
    """
    if not motion.roots:
        return None
    worst, where, why = 0.0, None, "the bending part is attached at its root only and bends freely"
    most = motion.show if motion.show is not None else motion.high
    for root in motion.roots:
        found = pieces(solution, root)
        if len(found) < root.pieces:
            return _verdict(1.0, root.place, "it is joined to its host elsewhere than at its root: it prints as one closed "
                            "loop and cannot bend", motion)
        warp = motion.bends(most).get(root.body) if motion.bends else None
        if warp is None:
            continue
        if root.body in motion.alike:
            found = [piece ^ mesh.evaluate(motion.alike[root.body]) for piece in found]
        moved = [mesh.warped(piece.refine_to_length((edges or {}).get(root.body, FINE)), warp) for piece in found
                 if not piece.is_empty()]
        for first, second in combinations(moved, 2):
            depth, place = overlap(first, second)
            if depth > worst:
                worst, where, why = depth, place, f"bent, it runs into its own body at {most:.1f} {motion.unit}"
    return _verdict(worst, where, why, motion)


def _verdict(worst: float, where: tuple[float, float, float] | None, why: str, motion: Motion) -> Check:
    return Check(ID, "Attached at its root only", worst, TOUCHES, "mm", why, least=False, stop=0.3, place=where,
                 mend=motion.mend,
                 topic="shape", basis="what rounding in the computed curve accounts for",
                 advice="Give the arm room: nothing of its host may touch the arm beyond its root.")
