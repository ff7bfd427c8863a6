"""The form of a screw thread: one profile for both parts, and what moving all faces of one of them leaves of it.

Basic profile after ISO 68-1 (from memory): H = √3/2·P, flats of P/8 at the crest and P/4 at the root of the external thread.
The printable one has flanks that a printer lays without drooping, equal flats at crest and root, and rounded corners. All faces
of the external thread moved in by δ: radii −δ, thickness along the axis −2δ/cos β, β the half angle of the flanks.
"""

from __future__ import annotations

import math

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen

FLAT, ROUND = 0.2, 0.12
"""Flats at crest and root of the printable profile, and radius of its corners, over the pitch."""
LEAST_DEPTH = 0.05
"""Of a thread that is one, mm."""


@frozen
class Form:
    """A thread: diameter and pitch (mm), half angle of the flanks (rad), depth and crest flat over the pitch, starts."""

    diameter: float
    pitch: float
    half_angle: float
    depth: float
    crest: float
    starts: int = 1
    rounding: float = 0.0

    @property
    def lead(self) -> float:
        """Advance in a turn, mm."""
        return self.starts * self.pitch

    @property
    def major(self) -> float:
        """Basic radius of the external crest and the internal root, mm."""
        return self.diameter / 2

    @property
    def minor(self) -> float:
        """Basic radius of the external root and the internal crest, mm."""
        return self.major - self.depth * self.pitch

    @property
    def middle(self) -> float:
        """Pitch radius, where ridge and groove are equally wide, mm."""
        return self.major - (0.5 - self.crest) * self.pitch / (2 * math.tan(self.half_angle))

    @property
    def helix_angle(self) -> float:
        """Lead angle at the pitch radius, rad."""
        return math.atan(self.lead / (2 * math.pi * self.middle))

    @property
    def overhang(self) -> float:
        """Of the lower flank with the axis upright, from vertical, rad: 90° − atan √(tan²β + tan²λ)."""
        return math.pi / 2 - math.atan(math.hypot(math.tan(self.half_angle), math.tan(self.helix_angle)))

    def width(self, radius: float, moved_in: float = 0.0) -> float:
        """Return the thickness of the ridge along the axis at a radius, all its faces moved in, mm."""
        return self.pitch / 2 - 2 * (radius - self.middle) * math.tan(self.half_angle) \
            - 2 * moved_in / math.cos(self.half_angle)

    def radii(self, moved_in: float = 0.0) -> tuple[float, float]:
        """Return radii of root and crest with all faces moved in by ``moved_in`` mm; a flat that is used up ends sharp.

        Raises:
            SolveError: where nothing of the thread is left.
        """
        slope, whole = 2 * math.tan(self.half_angle), self.width(self.middle, moved_in)
        crest = min(self.major - moved_in, self.middle + whole / slope)
        root = max(self.minor - moved_in, self.middle + (whole - self.pitch) / slope)
        if root <= 0.2 or crest - root < LEAST_DEPTH:
            left = "the core" if root <= 0.2 else "the thread"
            raise SolveError(f"faces moved in by {moved_in:.2f} mm leave nothing of {left} of {self.diameter:g} × "
                             f"{self.pitch:g}")
        return root, crest

    def profile(self, moved_in: float = 0.0) -> tuple[tuple[float, float], ...]:
        """Return corners (z, radius) of one lead, ridge upon ridge; the middle of the first ridge is at ``middle_at``.

        Raises:
            SolveError: as :meth:`radii`.
        """
        ridge = self._ridge(moved_in)
        begin = ridge[0][0]
        found = [(start * self.pitch + z - begin, radius) for start in range(self.starts) for z, radius in ridge]
        kept = [found[0]]
        for corner in [*found[1:], (self.lead, found[0][1])]:
            if math.dist(corner, kept[-1]) > 1e-6:
                kept.append(corner)
        return tuple(kept)

    def middle_at(self, moved_in: float = 0.0) -> float:
        """Return where the middle of the first ridge of :meth:`profile` is, mm."""
        return -self._ridge(moved_in)[0][0]

    def _ridge(self, moved_in: float) -> list[tuple[float, float]]:
        """Corners (z from the ridge's middle, radius) from where its lower flank leaves the root."""
        root, crest = self.radii(moved_in)
        wide, narrow = self.width(root, moved_in) / 2, max(self.width(crest, moved_in), 0.0) / 2
        corners = [(-wide, root), (-narrow, crest), (narrow, crest), (wide, root)]
        if self.rounding <= 0:
            return corners
        half = (math.pi / 2 - self.half_angle) / 2
        flat = min(2 * narrow, self.pitch - 2 * wide)
        radius = min(self.rounding * self.pitch, 0.45 * max(flat, 1e-9) / math.tan(half))
        slant = math.hypot(wide - narrow, crest - root)
        up = ((wide - narrow) / slant, (crest - root) / slant)
        down = (up[0], -up[1])
        along = (1.0, 0.0)
        turns = ((along, up), (up, along), (along, down), (down, along))
        return [point for corner, (before, after) in zip(corners, turns, strict=True)
                for point in _arc(corner, before, after, radius, half)]


def _arc(corner: tuple[float, float], before: tuple[float, float], after: tuple[float, float], radius: float,
         half: float) -> list[tuple[float, float]]:
    """Return begin, middle and end of the arc that rounds a corner between two directions that differ by 2·``half``."""
    reach, inward = radius * math.tan(half), (after[0] - before[0], after[1] - before[1])
    depth = radius * (1 / math.cos(half) - 1) / math.hypot(*inward)
    return [(corner[0] - reach * before[0], corner[1] - reach * before[1]),
            (corner[0] + depth * inward[0], corner[1] + depth * inward[1]),
            (corner[0] + reach * after[0], corner[1] + reach * after[1])]


def standard(diameter: float, pitch: float, starts: int = 1) -> Form:
    """Return the basic metric profile."""
    return Form(diameter, pitch, math.radians(30), 5 / 8 * math.sqrt(3) / 2, 1 / 8, starts)


def printable(diameter: float, pitch: float, half_angle: float, starts: int = 1) -> Form:
    """Return the printable profile for flanks of a half angle, rad."""
    depth = (0.5 - FLAT) / math.tan(half_angle)
    return Form(diameter, pitch, half_angle, depth, FLAT, starts, ROUND)
