"""What is believed of a process, by name and by its place in every mean, covariance and row of a reading."""

from __future__ import annotations

NAMES = ("growth", "hole_term", "elephant_foot", "sag", "shrinkage", "ridge", "flank", "peg_term", "fit", "pocket", "boss",
         "snap_force", "spring_force", "modulus")
(GROWTH, HOLE, FOOT, SAG, SHRINK, RIDGE, FLANK, PEG_TERM, FIT, POCKET, BOSS, SNAP_FORCE, SPRING_FORCE,
 MODULUS) = range(len(NAMES))
