"""Lengths in which screws are sold, by diameter."""

from __future__ import annotations

LENGTHS = (2.5, 3, 4, 5, 6, 8, 10, 12, 16, 20, 25, 30, 35, 40, 45, 50, 55, 60, 65, 70, 80, 90, 100, 110, 120, 130, 140, 150,
           160, 180, 200)
"""Nominal lengths of ISO 4762, mm, from memory."""
RANGES = {1.6: (2.5, 16), 2: (3, 20), 2.5: (4, 25), 3: (5, 30), 4: (6, 40), 5: (8, 50), 6: (10, 60), 8: (12, 80), 10: (16, 100),
          12: (20, 120), 16: (25, 160), 20: (30, 200)}
"""Shortest and longest that ISO 4762 lists for a diameter, mm, from memory."""


def sold(diameter: float) -> tuple[float, ...]:
    """Return the lengths a screw of a diameter (mm) is sold in, ascending; those of the nearest listed diameter for others."""
    low, high = RANGES[min(RANGES, key=lambda listed: abs(listed - diameter))]
    return tuple(length for length in LENGTHS if low <= length <= high)


def at_least(diameter: float, needed: float) -> float:
    """Return the shortest length sold that reaches ``needed`` mm; the longest there is where none does."""
    lengths = sold(diameter)
    return next((length for length in lengths if length >= needed - 0.05), lengths[-1])


def at_most(diameter: float, room: float) -> float:
    """Return the longest length sold that goes into ``room`` mm; the shortest there is where none does."""
    lengths = sold(diameter)
    return next((length for length in reversed(lengths) if length <= room + 0.05), lengths[0])
