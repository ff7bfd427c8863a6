"""A bump rides over an edge: the quasi-static force along the way in and back out.

The catch's profile is carried by a flexure (an arm's end, a ring); the mate's profile is a lower surface it must duck under.
At every step of the way the catch is lowered until the two just touch; the touching point gives the slope, the slope and
the friction angle the force along the way: W = P tan(γ + φ), where γ includes the turn of the arm's end. Coordinates: x the
way in, y towards the mate, origin the flexure's neutral axis at its end (profile) or the mate's front edge (mate).
"""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import field
from functools import cached_property
from typing import Protocol

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import meeting
from bouncy_latch.core.flex.strip import Bent
from bouncy_latch.core.flex.way import Others, Way
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array, distinct

Point = tuple[float, float]
STEPS = 201
_STATES = 7
_SKIPPED = 8
"""Of so many steps one is looked at first, with small bends."""
_PIECE = 32
_SETTLED = 1e-7
"""A catch lowered by less than this does not touch, mm."""
_TURNED = 1e-4
"""Change of turn (rad) and shift (mm) of an arm's end that is not worth looking for its touching point again."""
_GRAZES = 1e-5
"""A catch lowered by less than this only grazes its mate, mm."""
_STIFFEST = 0.1
"""Part of an arm's give below which a force along the way has drawn it tight: it jams or locks by its own shape."""
_FOLLOWED = 0.25
"""Part of it below which small bends are taken as they are: the arm is as good as tight."""
_FIRST_ROUNDS, _ROUNDS = 3, 14
"""Times the touching point is looked for again with the end turned by the force at the last one found."""
_TO_AND_FRO = 6
"""Rounds at last whose mean is taken where the touching point goes to and fro."""
_TOO_FAR = math.radians(40)
"""Turn of an arm's end beyond which the small bends that find its touching point say nothing."""
_UPRIGHT = math.pi / 2 - 1e-6
"""Face and friction angle together from which no force wins, rad."""
_SHARP = 0.08
"""Part of the greatest lowering that a single step may rise or drop before that itself counts as a face."""
_EVEN = 0.87
"""Half the width of an even pressure that spreads as Hertz's does, over half the width of that, √3/2."""
_FACETS = 0.08
"""Edges of a profile shorter than this stand for a rounding, mm."""
_AROUND = np.linspace(-0.8, 0.8, 5)
"""Middles of five even parts of a patch."""
_ENDS = np.array([0.01, 0.05, 0.15, 0.35, 0.65])
"""Places looked at just within where the two begin or cease to touch, as parts of a step."""
_FINER = 60
"""Places at which the step that ends there is looked at."""
_MET = math.radians(1)
"""A face within this of the steepest has been met."""


class Flexure(Protocol):
    """What carries a catch."""

    @property
    def flexibility(self) -> Array:
        """Displacement of the end per N along x, per N along y and per N·mm, for small bends, (3, 3)."""

    @property
    def dent(self) -> float:
        """How far the line where faces touch sinks in per newton that presses them together, mm; 0 where it does not matter."""

    @property
    def stretch(self) -> float:
        """Strain of the touching line itself per mm that it is lowered, 1/mm; 0 where it does not stretch."""

    def patch(self, force: float) -> float:
        """Return half the width over which faces touch under a force, N, mm."""

    def bent(self, lowered: Array, ratio: Array, arms: Array) -> Bent:
        """Return forces, strains and shapes with the end lowered; see :class:`bouncy_latch.core.flex.strip.Strip`."""


@frozen
class Ride:
    """One catch riding over one edge.

    Attributes:
        flexure: what carries the catch. count: catches that ride at once.
        catch: its upper profile from behind to the nose, x ascending or equal, mm from the flexure's end.
        mate: its lower surface, x ascending, mm from the mate's front; open before and behind.
        seat: x of the flexure's end when seated. friction: coefficient. frictions: others at which forces are wanted too.
        curve: slope of the mate's true surface at x, where its faces stand for a curve.
    """

    flexure: Flexure
    catch: tuple[Point, ...]
    mate: tuple[Point, ...]
    seat: float
    friction: float
    count: int = 1
    frictions: Array = field(default_factory=lambda: np.zeros(0), compare=False)
    curve: Callable[[Array], Array] | None = field(default=None, compare=False)

    @cached_property
    def _profiles(self) -> tuple[Array, Array, Array]:
        """Corners of the catch (n, 2) and of its mate (m, 2), and the slopes of the mate's faces (m − 1,)."""
        mate = np.array(self.mate)
        run, rise = np.diff(mate, axis=0).T
        return np.array(self.catch), mate, rise / np.maximum(run, 1e-9)

    @cached_property
    def _facet(self) -> float:
        """Half of the longest facet of the polygons that stand for roundings, mm; 0 without any."""
        long = np.concatenate([np.hypot(*np.diff(profile, axis=0).T) for profile in self._profiles[:2]])
        return float(long[long < _FACETS].max(initial=0.0)) / 2

    @cached_property
    def _top(self) -> int:
        """Number of the catch's highest corner."""
        return int(self._profiles[0][:, 1].argmax())

    def _lowering(self, at: Array, shift: Array, turn: Array) -> tuple[Array, Array, Array]:
        """Return what keeps the two apart with the flexure's end at x ``at``, shifted (mm) and turned (rad), each (S,).

        How far the end must be down (S,), the slope of the touching faces (S,), and the touching point in the catch's own
        axes (S, 2). Two polylines first touch at a corner of either, so corners against faces are all there is to try.
        """
        own, mate, mate_slopes = self._profiles
        c, s = np.cos(turn)[:, None], np.sin(turn)[:, None]
        x = (at + shift)[:, None] + c * own[:, 0] - s * own[:, 1]
        y = s * own[:, 0] + c * own[:, 1]
        inside = (x >= mate[0, 0]) & (x <= mate[-1, 0])
        corner_over = np.where(inside, y - np.interp(x, mate[:, 0], mate[:, 1]), meeting.CLEAR)
        found_face, edge, along = meeting.over_faces(x, y, mate, self._top)
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
            touching = np.flatnonzero(self._lowering(part, still, still)[0] > 0)
            if len(touching):
                return start + int(touching[0])
        return None

    @cached_property
    def _unturned(self) -> tuple[Array, Array]:
        """Even steps along the way, and how far the catch would be down if its arm did not turn, (STEPS,)."""
        even = np.linspace(*self.span, STEPS)
        return even, self._lowering(even, np.zeros(STEPS), np.zeros(STEPS))[0]

    @cached_property
    def _steps(self) -> Array:
        """Where the way is looked at: closest where the catch rises and falls, few steps where it only slides."""
        coarse, lowered = self._unturned
        start, seat = self.span
        top = np.flatnonzero(lowered >= 0.995 * lowered.max())
        first, last = max(1, int(top[0])), min(STEPS - 2, int(top[-1]))
        many, few = (STEPS - 1) * 9 // 20, STEPS - 1 - 2 * ((STEPS - 1) * 9 // 20)
        slack = 0.15 * (coarse[first] - start)
        if coarse[last] - coarse[first] <= 2 * slack:
            # A round crest: it rises or falls everywhere.
            return distinct(np.concatenate([coarse, self._ends]))
        crest, fall = coarse[first] + slack, max(coarse[last] - slack, coarse[first] + slack)
        parts = (np.linspace(start, crest, many + 1), np.linspace(crest, fall, few + 1)[1:],
                 np.linspace(fall, seat, many + 1)[1:], self._ends)
        return distinct(np.concatenate(parts))

    @property
    def _ends(self) -> Array:
        """Places just within where the two begin and cease to touch: the face met there may be the steepest of all, and must
        not be met or missed by where a step happens to fall."""
        coarse, lowered = self._unturned
        touching = np.flatnonzero(lowered > _SETTLED)
        # Where it is seated with preload it does not cease to touch.
        ends = [(inside, outside) for inside, outside in ((touching[0], touching[0] - 1), (touching[-1], touching[-1] + 1))
                if 0 <= outside < len(coarse)]
        places = np.array([np.linspace(coarse[inside], coarse[outside], _FINER) for inside, outside in ends]).ravel()
        still = np.zeros(len(places))
        touches = self._lowering(places, still, still)[0] > _SETTLED
        found = []
        for (inside, outside), near, there in zip(ends, places.reshape(-1, _FINER), touches.reshape(-1, _FINER), strict=True):
            found.append(near[np.flatnonzero(there)[-1]] + (coarse[inside] - coarse[outside]) * _ENDS)
        return np.concatenate(found) if found else places

    def _begun(self, at: Array) -> tuple[Array, Array]:
        """Return shift and turn by a force straight across at the end, both ways' beginning."""
        f = self.flexure.flexibility
        before = np.interp(at, *self._unturned)
        give = f[1, 1] + self.flexure.dent
        return -before * f[0, 1] / give, -before * f[2, 1] / give

    @cached_property
    def way(self) -> Way:
        """The whole way, in and out."""
        at = self._steps
        most = int(np.interp(at, *self._unturned).argmax())
        few = at[distinct(np.array([*range(0, len(at), _SKIPPED), most, len(at) - 1]))]
        small = self._followed(few, [self._begun(few)] * 2, np.zeros((2, 2 * len(few))), closely=False)
        states = self._states(few, small)
        # Large bends turn and shift the end otherwise than small ones, and with it what touches.
        inward, outward = paths = self._followed(
            at, [self._onto(at, few, *pair) for pair in zip(small, states, strict=True)],
            np.concatenate([each.beyond for each in states], axis=1), closely=True)
        (press, strain, shape), (pulled, strain_out, _) = (self._pressed(path, each)
                                                           for path, each in zip(paths, states, strict=True))
        force_in = np.where(inward.stuck, np.inf, self.count * press * inward.ratio)
        force_out = np.where(outward.stuck, np.inf, self.count * pulled * outward.ratio)
        return Way(at - float(at[0]), inward.lowered, inward.slope, press * self.count, force_in, force_out, strain,
                   np.where(outward.stuck, 0.0, strain_out), inward.turn, shape, self._others(inward, press),
                   self._others(outward, pulled))

    def _onto(self, at: Array, few: Array, path: _Path, states: _States) -> tuple[Array, Array]:
        """Return shift and turn at all steps from what a few had, with what large bends add; 0 where nothing touches."""
        lowered, touches = np.interp(at, few, path.lowered), np.interp(at, *self._unturned) > 0
        return (touches * (np.interp(at, few, path.shift) + lowered * states.beyond[0]),
                touches * (np.interp(at, few, path.turn) + lowered * states.beyond[1]))

    def _followed(self, at: Array, begun: Sequence[tuple[Array, Array]], beyond: Array, *,
                  closely: bool) -> tuple[_Path, _Path]:
        """Return the ways over the mate, in and out: the end turns and shifts by the force at the touching point.

        ``begun``: shift and turn to start from, of each; ``beyond``: what large bends add to them per mm lowered, of one way
        behind the other, (2, 2 S); ``closely``: whether the steps are those of the whole way, and show its steep faces.
        """
        f, steps = self.flexure.flexibility, len(at)
        # Both at once, one behind the other: the same few operations on twice as many rows.
        shift, turn = (np.concatenate(parts) for parts in zip(*begun, strict=True))
        at, ways = np.concatenate([at, at]), np.repeat([-1.0, 1.0], steps)
        lowered, slope, arms = self._lowering(at, shift, turn)
        rows = np.flatnonzero((lowered > _SETTLED) | (shift != 0) | (turn != 0))
        before = np.zeros((2, len(at)))
        lately: deque[tuple[npt.NDArray[np.int64], Array]] = deque(maxlen=_TO_AND_FRO)
        for _ in range(_ROUNDS if closely else _FIRST_ROUNDS):
            way = ways[rows]
            ratio, stuck, give = self._ratio(slope[rows], lowered[rows], arms[rows], way)
            load = np.stack([way * ratio, -np.ones_like(ratio), -arms[rows, 0] - way * ratio * arms[rows, 1]])
            # As good as tight: what follows from so great a force along the way does not matter any more.
            load[:, stuck | (give <= _FOLLOWED)] = np.array([0.0, -1.0, 0.0])[:, None]
            moved = f @ load
            sinks = self._sinks(load[0], slope[rows])
            moved[0] -= slope[rows] * sinks
            moved[1] -= sinks
            down = np.maximum(-moved[1], 1e-12)
            new = lowered[rows] * (moved[[0, 2]] / down + beyond[:, rows])
            change = new - np.stack([shift[rows], turn[rows]])
            changed = np.abs(change).max(axis=0) > _TURNED
            rows, change = rows[changed], change[:, changed]
            if not len(rows):
                break
            # Where it goes to and fro, what lies between the last two is nearer than either.
            last = before[:, rows]
            change = np.where(change * last < 0, change * np.clip(last / (last - change + 1e-300), 0.2, 1.0), change)
            before[:, rows] = change
            shift[rows] += change[0]
            turn[rows] += change[1]
            lowered[rows], slope[rows], arms[rows] = self._lowering(at[rows], shift[rows], turn[rows])
            lately.append((rows, np.column_stack([shift, turn, lowered, slope, arms])[rows]))
        else:
            # Corner touches corner: the slope may be any between those of both faces, and the last one looked at is chance.
            shift[rows], turn[rows], lowered[rows], slope[rows], *points = meeting.mean_of(lately, rows).T
            arms[rows] = np.column_stack(points)
        turned = float(np.abs(turn).max())
        if turned > _TOO_FAR:
            raise SolveError(f"the catch would turn by {math.degrees(turned):.0f}° on its way: what carries it cannot be bent "
                             "so far", value=float(lowered.max()))
        both = (slice(0, steps), -1.0), (slice(steps, None), 1.0)
        if closely:
            slope = np.concatenate([self._met(at[part], lowered[part], slope[part], turn[part]) for part, _ in both])
        ratio, stuck, give = self._ratio(slope, lowered, arms, ways)
        first, second = (_Path(shift[part], turn[part], lowered[part], slope[part], arms[part], ratio[part], stuck[part],
                               give[part], way) for part, way in both)
        return first, second

    def _met(self, at: Array, lowered: Array, slope: Array, turn: Array) -> Array:
        """Return the slopes that push: faces touch over a patch that reaches round their edges, and some faces are sudden."""
        touching = np.flatnonzero(lowered > _SETTLED)
        if len(touching) < 2:
            return slope
        part = slice(int(touching[0]), int(touching[-1]) + 1)
        half = max(_EVEN * self.flexure.patch(float(lowered.max()) / self.flexure.flexibility[1, 1]), self._facet)
        way = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(at[part]), np.diff(lowered[part])))])
        around = np.clip(way + half * _AROUND[:, None], 0.0, way[-1])
        eased = slope.copy()
        eased[part] = np.tan(np.interp(around, way, np.arctan(slope[part])).mean(axis=0))
        return self._with_sudden_faces(at, lowered, eased, turn)

    @cached_property
    def _faces(self) -> tuple[float, float]:
        """Steepest angles of the catch's own faces where it rises and where it falls, rad.

        Convex corners touch along directions that both have; the mate ends upright, so the catch's own faces tell.
        """
        run, rise = np.diff(self._profiles[0], axis=0).T
        slopes = rise / np.maximum(run, 1e-9)
        return math.atan(max(-float(slopes.min()), 0.0)), math.atan(max(float(slopes.max()), 0.0))

    def _with_sudden_faces(self, at: Array, lowered: Array, slope: Array, turn: Array) -> Array:
        """Return the slopes with those of faces so steep that they lie between two steps: there the step itself is the slope.

        Where the face was met beside it is a jump that the end makes as it turns, and no face.
        """
        change, angle = np.diff(lowered), np.arctan(np.abs(slope))
        secant = change / np.diff(at)
        beside, turned = (np.maximum(each[:-1], each[1:]) for each in (angle, np.abs(turn)))
        jumps = (np.abs(change) > _SHARP * lowered.max()) & (np.abs(secant) > 1.5 * np.tan(beside))
        rising, falling = (np.tan(np.minimum(face + turned, _UPRIGHT)) for face in self._faces)
        rises, falls = (jumps & (way * change > 0) & (beside < face - turned - _MET)
                        for way, face in zip((1, -1), self._faces, strict=True))
        found = slope.copy()
        found[:-1][falls] = np.maximum(secant, -falling)[falls]
        found[1:][rises] = np.minimum(secant, rising)[rises]
        return found

    def _ratio(self, slope: Array, lowered: Array, arms: Array, way: Array | float, friction: Array | None = None
               ) -> tuple[Array, npt.NDArray[np.bool_], Array]:
        """Return force along over force across (S,), where no force wins (S,), and the give with both, see :meth:`_give`.

        With several frictions (n, 1) all are (n, S).
        """
        angle = np.arctan(-way * slope) + np.arctan(self.friction if friction is None else friction)
        # How a force that cannot win would bend the arm does not matter.
        ratio = np.tan(np.where(angle < _UPRIGHT, angle, 0.0))
        give = self._give(way * ratio, arms, slope)
        # A force that goes with the way may draw the arm tight too, but it hinders nothing.
        stuck = (lowered > 1e-7) & ((angle >= _UPRIGHT) | ((give <= _STIFFEST) & (angle > 0)))
        return ratio, stuck, give

    def _others(self, path: _Path, press: Array) -> Others:
        """Return what other frictions make of the force along the way.

        The path is that of the mean friction, and what large bends add to the force as well.
        """
        plain = path.lowered / np.maximum(path.give, _STIFFEST)
        factor = press / np.maximum(plain, 1e-12) * self.count
        frictions = self.frictions if len(self.frictions) else np.array([self.friction])
        ratio, stuck, give = self._ratio(path.slope, path.lowered, path.arms, path.way, frictions[:, None])
        force = np.where(stuck, np.inf, path.lowered / np.maximum(give, _STIFFEST) * factor * ratio)
        # Pulling out begins at the seat and ends at the crest.
        part = slice(int(np.flatnonzero(path.lowered >= path.lowered.max() - 1e-6)[-1]), None) if path.way > 0 else slice(None)
        return Others(frictions, force[:, part].max(axis=1), force)

    def _give(self, ratio: Array, arms: Array, slope: Array) -> Array:
        """Return how far a newton across lowers the end, with ``ratio`` newtons along, over what it bends it alone, (S,)."""
        f = self.flexure.flexibility
        bends = f[1, 1] - f[1, 0] * ratio + f[1, 2] * (arms[:, 0] + ratio * arms[:, 1])
        return np.asarray((bends + self._sinks(ratio, slope)) / f[1, 1])

    def _sinks(self, ratio: Array, slope: Array) -> Array:
        """Return how far the touching faces sink into each other, across the way, per newton across, with ``ratio`` along.

        They sink in square to themselves, by the force square to them.
        """
        return np.asarray(self.flexure.dent * (1 - ratio * slope) / (1 + slope**2))

    def _states(self, at: Array, paths: tuple[_Path, _Path]) -> list[_States]:
        """Return a few states of each path, followed with large bends, those of both paths at once."""
        soft = self.flexure.flexibility[1, 1]
        chosen, wanted = [], []
        for path in paths:
            lowered, give, most = path.lowered, path.give, int(np.argmax(path.lowered))
            if lowered[most] <= _GRAZES:
                raise SolveError("the catch has nothing to ride over: its bump is no taller than the clearance")
            touching = np.flatnonzero(lowered > 0.02 * lowered[most])
            states = touching[np.linspace(0, len(touching) - 1, _STATES).astype(int)]
            force = lowered / (soft * np.maximum(give, _STIFFEST))
            followed = distinct(np.append(states, (most, int(np.argmax(np.where(give > _FOLLOWED, force, 0.0))))))
            followed = followed[(give[followed] > _FOLLOWED) & (lowered[followed] > 1e-7)]
            where = followed if len(followed) else np.array([most])
            along = path.way * path.ratio[where] * float(len(followed) > 0)
            bends = 1 - self._sinks(along, path.slope[where]) / (soft * np.maximum(give[where], _STIFFEST))
            chosen.append((path, where, force[where], len(followed) > 0))
            wanted.append((lowered[where] * np.clip(bends, 0.0, 1.0), along, path.arms[where]))
        down, along, arms = (np.concatenate(parts) for parts in zip(*wanted, strict=True))
        found = self.flexure.bent(down, along, arms)
        small = self.flexure.flexibility @ np.stack([along, -np.ones_like(along), -arms[:, 0] - along * arms[:, 1]])
        beyond = (found.moved[:, -1, ::2].T - small[::2] * down / np.maximum(-small[1], 1e-12)) / np.maximum(down, 1e-12)
        result, start = [], 0
        for path, where, force, real in chosen:
            own, part = found.part(slice(start, start + len(where))), beyond[:, start:start + len(where)]
            start += len(where)
            factor, bending = own.force / force if real else np.ones(len(where)), own.strain / path.lowered[where]
            result.append(_States(own, np.interp(self._steps, at[where], factor), np.interp(self._steps, at[where], bending),
                                  np.stack([np.interp(self._steps, at[where], each * float(real)) for each in part])))
        return result

    def _pressed(self, path: _Path, states: _States) -> tuple[Array, Array, Bent]:
        """Return force across and strain at every step, small bends times what large ones made of them; and the states."""
        force = path.lowered / (self.flexure.flexibility[1, 1] * np.maximum(path.give, _STIFFEST))
        # The touching line itself moves by all that keeps the two apart, however much of that is a turn.
        stretched = np.interp(self._steps, *self._unturned) * self.flexure.stretch
        strain = np.maximum(path.lowered * states.bending, stretched)
        return force * states.factor, strain, states.bent


@frozen
class _States:
    """States that were followed with large bends, and what comes of them at every step of the way (S,).

    ``factor``: force over that of small bends; ``bending``: strain per mm lowered; ``beyond``: what the end's shift and turn
    have more than with small bends, per mm lowered, (2, S).
    """

    bent: Bent
    factor: Array
    bending: Array
    beyond: Array


@frozen
class _Path:
    """One way over the mate, each (S,): see :class:`Way`; ``shift``: of the end, mm; ``arms`` (S, 2): the touching point in the
    catch's axes, mm; ``ratio``: force along over force across; ``stuck``: no force wins; ``give``: see ``Ride._give``; ``way``:
    −1 in, 1 out."""

    shift: Array
    turn: Array
    lowered: Array
    slope: Array
    arms: Array
    ratio: Array
    stuck: npt.NDArray[np.bool_]
    give: Array
    way: float
