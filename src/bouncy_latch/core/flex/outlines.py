"""Two outlines that meet: how far one must duck under the other at every place and turn, and where on the way to look.

Coordinates as in :mod:`bouncy_latch.core.flex.contact`. Nothing here bends.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import field
from functools import cached_property

import numpy as np

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import meeting
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array, distinct

Point = tuple[float, float]
STEPS = 201
_PIECE = 32
SETTLED = 1e-7
"""A catch lowered by less than this does not touch, mm."""
UPRIGHT = math.pi / 2 - 1e-6
"""Face and friction angle together from which no force wins, rad."""
_SHARP = 0.08
"""Part of the greatest lowering that a single step may rise or drop before that itself counts as a face."""
_FACETS = 0.08
"""Edges of a profile shorter than this stand for a rounding, mm."""
ENDS = np.array([0.01, 0.05, 0.15, 0.35, 0.65])
"""Places looked at just within where the two begin or cease to touch, as parts of a step."""
_FINER = 60
"""Places at which the step that ends there is looked at."""
_MET = math.radians(1)
"""A face within this of the steepest has been met."""


@frozen
class Outlines:
    """A catch's upper profile and its mate's lower surface, mm: ``catch``, ``mate``, ``seat``, ``curve`` as those of
    :class:`bouncy_latch.core.flex.contact.Ride`."""

    catch: tuple[Point, ...]
    mate: tuple[Point, ...]
    seat: float
    curve: Callable[[Array], Array] | None = field(default=None, compare=False)

    @cached_property
    def both(self) -> tuple[Array, Array, Array]:
        """Corners of the catch (n, 2) and of its mate (m, 2), and the slopes of the mate's faces (m − 1,)."""
        mate = np.array(self.mate)
        run, rise = np.diff(mate, axis=0).T
        return np.array(self.catch), mate, rise / np.maximum(run, 1e-9)

    @cached_property
    def facet(self) -> float:
        """Half of the longest facet of the polygons that stand for roundings, mm; 0 without any."""
        long = np.concatenate([np.hypot(*np.diff(profile, axis=0).T) for profile in self.both[:2]])
        return float(long[long < _FACETS].max(initial=0.0)) / 2

    @cached_property
    def top(self) -> int:
        """Number of the catch's highest corner."""
        return int(self.both[0][:, 1].argmax())

    def lowering(self, at: Array, shift: Array, turn: Array) -> tuple[Array, Array, Array]:
        """Return what keeps the two apart with the flexure's end at x ``at``, shifted (mm) and turned (rad), each (S,).

        How far the end must be down (S,), the slope of the touching faces (S,), and the touching point in the catch's own
        axes (S, 2). Two polylines first touch at a corner of either, so corners against faces are all there is to try.
        """
        own, mate, mate_slopes = self.both
        c, s = np.cos(turn)[:, None], np.sin(turn)[:, None]
        x = (at + shift)[:, None] + c * own[:, 0] - s * own[:, 1]
        y = s * own[:, 0] + c * own[:, 1]
        inside = (x >= mate[0, 0]) & (x <= mate[-1, 0])
        corner_over = np.where(inside, y - np.interp(x, mate[:, 0], mate[:, 1]), meeting.CLEAR)
        found_face, edge, along = meeting.over_faces(x, y, mate, self.top)
        rows = np.arange(len(at))
        best_corner = corner_over.argmax(axis=1)
        found_corner = corner_over[rows, best_corner]
        by_face = found_face >= found_corner
        on_face = own[edge] + along[:, None] * (own[edge + 1] - own[edge])
        point = np.where(by_face[:, None], on_face, own[best_corner])
        wide = x[rows, edge + 1] - x[rows, edge]
        face_slope = -(y[rows, edge + 1] - y[rows, edge]) / np.where(np.abs(wide) < 1e-12, 1e-12, wide)
        at_corner = x[rows, best_corner]
        under = mate_slopes[np.searchsorted(mate[1:-1, 0], at_corner)] if self.curve is None else self.curve(at_corner)
        slope = np.where(by_face, face_slope, -under)
        over = np.maximum(found_face, found_corner)
        return np.maximum(over, 0.0), np.where(over > 0, slope, 0.0), point

    @cached_property
    def span(self) -> tuple[float, float]:
        """X of the flexure's end from just before the first touch to the seat.

        Raises:
            SolveError: when the catch never touches its mate on the way in.
        """
        nose = max(x for x, _ in self.catch)
        first = self.mate[0][0] - nose
        coarse = np.linspace(first, self.seat, 200)
        touching = self._first_touch(coarse)
        if self.seat <= first or touching is None:
            raise SolveError("the catch goes past its mate without touching it: nothing would hold")
        step = coarse[1] - coarse[0]
        return float(coarse[touching] - step), self.seat

    def _first_touch(self, at: Array) -> int | None:
        """Return the first of some places (rising) where the two touch, looked for in pieces: it lies near the start."""
        for start in range(0, len(at), _PIECE):
            part = at[start:start + _PIECE]
            still = np.zeros(len(part))
            touching = np.flatnonzero(self.lowering(part, still, still)[0] > 0)
            if len(touching):
                return start + int(touching[0])
        return None

    @cached_property
    def unturned(self) -> tuple[Array, Array]:
        """Even steps along the way, and how far the catch would be down if its arm did not turn, (STEPS,)."""
        even = np.linspace(*self.span, STEPS)
        return even, self.lowering(even, np.zeros(STEPS), np.zeros(STEPS))[0]

    @cached_property
    def steps(self) -> Array:
        """Where the way is looked at: closest where the catch rises and falls, few steps where it only slides."""
        coarse, lowered = self.unturned
        start, seat = self.span
        top = np.flatnonzero(lowered >= 0.995 * lowered.max())
        first, last = max(1, int(top[0])), min(STEPS - 2, int(top[-1]))
        many, few = (STEPS - 1) * 9 // 20, STEPS - 1 - 2 * ((STEPS - 1) * 9 // 20)
        slack = 0.15 * (coarse[first] - start)
        if coarse[last] - coarse[first] <= 2 * slack:
            # A round crest: it rises or falls everywhere.
            return distinct(np.concatenate([coarse, self._edges]))
        crest, fall = coarse[first] + slack, max(coarse[last] - slack, coarse[first] + slack)
        parts = (np.linspace(start, crest, many + 1), np.linspace(crest, fall, few + 1)[1:],
                 np.linspace(fall, seat, many + 1)[1:], self._edges)
        return distinct(np.concatenate(parts))

    @property
    def _edges(self) -> Array:
        """Places just within where the two begin and cease to touch: the face met there may be the steepest of all, and must
        not be met or missed by where a step happens to fall."""
        coarse, lowered = self.unturned
        touching = np.flatnonzero(lowered > SETTLED)
        # Where it is seated with preload it does not cease to touch.
        ends = [(inside, outside) for inside, outside in ((touching[0], touching[0] - 1), (touching[-1], touching[-1] + 1))
                if 0 <= outside < len(coarse)]
        places = np.array([np.linspace(coarse[inside], coarse[outside], _FINER) for inside, outside in ends]).ravel()
        still = np.zeros(len(places))
        touches = self.lowering(places, still, still)[0] > SETTLED
        found = []
        for (inside, outside), near, there in zip(ends, places.reshape(-1, _FINER), touches.reshape(-1, _FINER), strict=True):
            found.append(near[np.flatnonzero(there)[-1]] + (coarse[inside] - coarse[outside]) * ENDS)
        return np.concatenate(found) if found else places

    @cached_property
    def faces(self) -> tuple[float, float]:
        """Steepest angles of the catch's own faces where it rises and where it falls, rad.

        Convex corners touch along directions that both have; the mate ends upright, so the catch's own faces tell.
        """
        run, rise = np.diff(self.both[0], axis=0).T
        slopes = rise / np.maximum(run, 1e-9)
        return math.atan(max(-float(slopes.min()), 0.0)), math.atan(max(float(slopes.max()), 0.0))

    def with_sudden_faces(self, at: Array, lowered: Array, slope: Array, turn: Array) -> Array:
        """Return the slopes with those of faces so steep that they lie between two steps: there the step itself is the slope.

        Where the face was met beside it is a jump that the end makes as it turns, and no face.
        """
        change, angle = np.diff(lowered), np.arctan(np.abs(slope))
        secant = change / np.diff(at)
        beside, turned = (np.maximum(each[:-1], each[1:]) for each in (angle, np.abs(turn)))
        jumps = (np.abs(change) > _SHARP * lowered.max()) & (np.abs(secant) > 1.5 * np.tan(beside))
        rising, falling = (np.tan(np.minimum(face + turned, UPRIGHT)) for face in self.faces)
        rises, falls = (jumps & (way * change > 0) & (beside < face - turned - _MET)
                        for way, face in zip((1, -1), self.faces, strict=True))
        found = slope.copy()
        found[:-1][falls] = np.maximum(secant, -falling)[falls]
        found[1:][rises] = np.minimum(secant, rising)[rises]
        return found
