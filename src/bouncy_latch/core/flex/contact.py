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
from dataclasses import field, replace
from functools import cached_property
from typing import Protocol

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.flex import dragged, meeting
from bouncy_latch.core.flex.dragged import FRICTIONS, Drag
from bouncy_latch.core.flex.outlines import ENDS, SETTLED, UPRIGHT, Outlines, Point
from bouncy_latch.core.flex.strip import Bent
from bouncy_latch.core.flex.way import Others, Way
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array, distinct

_STATES = 7
_SKIPPED = 8
"""Of so many steps one is looked at first, with small bends."""
_TURNED = 1e-4
"""Change of turn (rad) and shift (mm) of an arm's end that is not worth looking for its touching point again."""
_GRAZES = 1e-5
"""A catch lowered by less than this only grazes its mate, mm."""
_STIFFEST = 0.1
"""Part of an arm's give below which a force along the way has drawn it tight: it jams or locks by its own shape."""
_FOLLOWED = 0.25
"""Part of it below which small bends are taken as they are: the arm is as good as tight."""
_HUNG = 0.06, 0.12
"""As much for what hangs on its return face, whose places are found however tight it is drawn: the first that can be
followed."""
_ALIKE = 0.5
"""What large bends may add to shift (mm) and turn (rad) per mm lowered, and to the logarithm of the force, and still be of the
same balance."""
_FIRST_ROUNDS, _ROUNDS = 3, 14
"""Times the touching point is looked for again with the end turned by the force at the last one found."""
_TO_AND_FRO = 6
"""Rounds at last whose mean is taken where the touching point goes to and fro."""
_TOO_FAR = math.radians(40)
"""Turn of an arm's end beyond which the small bends that find its touching point say nothing."""
_EVEN = 0.87
"""Half the width of an even pressure that spreads as Hertz's does, over half the width of that, √3/2."""
_AROUND = np.linspace(-0.8, 0.8, 5)
"""Middles of five even parts of a patch."""


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
        bears: pull that the weakest part bears, N: a catch that is dragged along and holds more, holds.
    """

    flexure: Flexure
    catch: tuple[Point, ...]
    mate: tuple[Point, ...]
    seat: float
    friction: float
    count: int = 1
    frictions: Array = field(default_factory=lambda: np.zeros(0), compare=False)
    curve: Callable[[Array], Array] | None = field(default=None, compare=False)
    bears: float = math.inf

    @cached_property
    def outlines(self) -> Outlines:
        """Catch and mate as outlines that meet."""
        return Outlines(self.catch, self.mate, self.seat, self.curve)

    def _begun(self, at: Array) -> tuple[Array, Array]:
        """Return shift and turn by a force straight across at the end, both ways' beginning."""
        f = self.flexure.flexibility
        before = np.interp(at, *self.outlines.unturned)
        give = f[1, 1] + self.flexure.dent
        return -before * f[0, 1] / give, -before * f[2, 1] / give

    @cached_property
    def way(self) -> Way:
        """The whole way, in and out."""
        at = self.outlines.steps
        most = int(np.interp(at, *self.outlines.unturned).argmax())
        few = at[distinct(np.array([*range(0, len(at), _SKIPPED), most, len(at) - 1]))]
        small = self._followed(few, [self._begun(few)] * 2, np.zeros((2, 2 * len(few))), closely=False)
        if self._dragged:
            small = small[0], self._hung(few, self.friction, np.zeros((2, len(few))))
        states = self._states_hung(few, small) if self._dragged else self._states(few, small)
        # Large bends turn and shift the end otherwise than small ones, and with it what touches.
        inward, outward = paths = self._followed(
            at, [self._onto(at, few, *pair) for pair in zip(small, states, strict=True)],
            np.concatenate([each.beyond for each in states], axis=1), closely=True)
        if self._dragged:
            outward = self._hung(at, self.friction, states[1].beyond)
        (press, strain, shape), (pulled, strain_out, _) = (self._pressed(path, each)
                                                           for path, each in zip(paths, states, strict=True))
        force_in = np.where(inward.stuck, np.inf, self.count * press * inward.ratio)
        force_out = np.where(outward.stuck, np.inf, self.count * pulled * outward.ratio)
        found = Way(at - float(at[0]), inward.lowered, inward.slope, press * self.count, force_in, force_out, strain,
                    np.where(outward.stuck, 0.0, strain_out), inward.turn, shape, self._others(inward, press),
                    self._others(outward, pulled))
        return self._dragged_out(found, outward, states[1], strain_out) if self._dragged else found

    @cached_property
    def _dragged(self) -> bool:
        """Whether its end goes along with what pulls it out."""
        return dragged.is_dragged(self.flexure.flexibility, float(self.outlines.both[0][self.outlines.top, 1]))

    def _hung(self, at: Array, friction: Array | float, beyond: Array) -> _Path:
        """Return the way out with the *catch* at ``at`` against its mate, dragged along as it may be."""
        def moves(slope: Array, arms: Array) -> Array:
            ratio = np.tan(np.minimum(np.arctan(-slope) + np.arctan(friction), UPRIGHT))
            moved = self.flexure.flexibility @ np.stack([ratio, -np.ones_like(ratio), -arms[:, 0] - ratio * arms[:, 1]])
            sinks = self._sinks(ratio, slope)
            return np.asarray(moved - np.stack([slope * sinks, sinks, np.zeros_like(sinks)]))

        still = np.zeros(len(at))
        found = dragged.hung(lambda turn: self.outlines.lowering(at, still, turn), moves, len(at), beyond)
        ratio, _, give = self._ratio(found.slope, found.lowered, found.arms, 1.0, np.asarray(friction))
        stuck = (found.lowered > SETTLED) & ((give <= dragged.TIGHT) | (np.abs(found.turn) > 0.99 * dragged.FURTHEST))
        give = np.maximum(give, dragged.TIGHT)
        return _Path(found.shift, found.turn, found.lowered, found.slope, found.arms, ratio, stuck, give, 1.0)

    def _dragged_out(self, way: Way, path: _Path, states: _States, strain: Array) -> Way:
        """Return the way with that of being pulled out, which is worked out at places of the catch, at places of the part.

        Of the others only the way to the crest is followed.
        """
        at, frictions = self.outlines.steps, self.frictions if len(self.frictions) else np.array([self.friction])
        own = self._drag(at, path, states.factor)
        followed = np.linspace(frictions[0], frictions[-1] + 1e-6, FRICTIONS)
        first = max(int(np.flatnonzero(path.lowered >= path.lowered.max() - 1e-6)[-1]) - 2, 0)
        # Half as many places do; those where the faces first touch stay.
        places = np.concatenate([np.arange(first, len(at) - len(ENDS), 2), np.arange(len(at) - len(ENDS), len(at))])
        hanging, count = at[places], len(places)
        paths = self._hung(np.tile(hanging, FRICTIONS), np.repeat(followed, count),
                           np.tile(states.beyond[:, places], FRICTIONS))
        drags = [self._drag(hanging, paths.part(slice(i * count, (i + 1) * count)), states.factor[places])
                 for i in range(FRICTIONS)]
        where, out = own.where(at), own.along(at)
        over = np.flatnonzero(where >= own.crest)
        return replace(way, out=np.where(out > self.bears, np.inf, out), gone=int(over[-1]) if len(over) else 0,
                       strain_out=np.interp(len(at) - 1 - where, np.arange(len(at)), strain),
                       others_out=dragged.others(drags, frictions, followed, at, out, self.bears))

    def _drag(self, at: Array, path: _Path, factor: Array) -> Drag:
        """Return a way out from the seat on, of paths at places of the catch."""
        force = path.lowered / (self.flexure.flexibility[1, 1] * path.give) * factor * path.ratio * self.count
        back, tight, lowered = slice(None, None, -1), np.flatnonzero(path.stuck[::-1]), path.lowered[::-1]
        stiff = self.count * dragged.sticking(self.flexure.flexibility, path.arms)
        return Drag((at - path.shift)[back], force[back], stiff[back], int(tight[0]) if len(tight) else len(at),
                    int(np.argmax(lowered >= lowered.max() - 1e-6)))

    def _onto(self, at: Array, few: Array, path: _Path, states: _States) -> tuple[Array, Array]:
        """Return shift and turn at all steps from what a few had, with what large bends add; 0 where nothing touches."""
        lowered, touches = np.interp(at, few, path.lowered), np.interp(at, *self.outlines.unturned) > 0
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
        lowered, slope, arms = self.outlines.lowering(at, shift, turn)
        rows = np.flatnonzero((lowered > SETTLED) | (shift != 0) | (turn != 0))
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
            lowered[rows], slope[rows], arms[rows] = self.outlines.lowering(at[rows], shift[rows], turn[rows])
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
        touching = np.flatnonzero(lowered > SETTLED)
        if len(touching) < 2:
            return slope
        part = slice(int(touching[0]), int(touching[-1]) + 1)
        half = max(_EVEN * self.flexure.patch(float(lowered.max()) / self.flexure.flexibility[1, 1]), self.outlines.facet)
        way = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(at[part]), np.diff(lowered[part])))])
        around = np.clip(way + half * _AROUND[:, None], 0.0, way[-1])
        eased = slope.copy()
        eased[part] = np.tan(np.interp(around, way, np.arctan(slope[part])).mean(axis=0))
        return self.outlines.with_sudden_faces(at, lowered, eased, turn)

    def _ratio(self, slope: Array, lowered: Array, arms: Array, way: Array | float, friction: Array | None = None
               ) -> tuple[Array, npt.NDArray[np.bool_], Array]:
        """Return force along over force across (S,), where no force wins (S,), and the give with both, see :meth:`_give`.

        With several frictions (n, 1) all are (n, S).
        """
        angle = np.arctan(-way * slope) + np.arctan(self.friction if friction is None else friction)
        # How a force that cannot win would bend the arm does not matter.
        ratio = np.tan(np.where(angle < UPRIGHT, angle, 0.0))
        give = self._give(way * ratio, arms, slope)
        # A force that goes with the way may draw the arm tight too, but it hinders nothing.
        stuck = (lowered > 1e-7) & ((angle >= UPRIGHT) | ((give <= _STIFFEST) & (angle > 0)))
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

    def _states_hung(self, at: Array, paths: tuple[_Path, _Path]) -> list[_States]:
        """Return them where it is drawn as tight as it can be followed."""
        for tight in _HUNG:
            try:
                found = self._states(at, paths, tight)
            except SolveError:
                continue
            (shift, turn), factor = np.abs(found[1].beyond).max(axis=1), found[1].factor
            if shift < _ALIKE and turn < _ALIKE and (np.abs(np.log(np.maximum(factor, 1e-6))) < _ALIKE).all():
                return found
        return self._states(at, paths)

    def _states(self, at: Array, paths: tuple[_Path, _Path], hung: float = _FOLLOWED) -> list[_States]:
        """Return a few states of each path, followed with large bends, those of both paths at once; of the second only where
        it gives more than ``hung`` of what it does straight across."""
        soft = self.flexure.flexibility[1, 1]
        chosen, wanted = [], []
        for path in paths:
            lowered, give, most = path.lowered, path.give, int(np.argmax(path.lowered))
            if lowered[most] <= _GRAZES:
                raise SolveError("the catch has nothing to ride over: its bump is no taller than the clearance")
            touching = np.flatnonzero(lowered > 0.02 * lowered[most])
            states = touching[np.linspace(0, len(touching) - 1, _STATES).astype(int)]
            tight = hung if path.way > 0 else _FOLLOWED
            force = lowered / (soft * np.maximum(give, tight / 3))
            followed = distinct(np.append(states, (most, int(np.argmax(np.where(give > tight, force, 0.0))))))
            followed = followed[(give[followed] > tight) & (lowered[followed] > 1e-7)]
            where = followed if len(followed) else np.array([most])
            along = path.way * path.ratio[where] * float(len(followed) > 0)
            bends = 1 - self._sinks(along, path.slope[where]) / (soft * np.maximum(give[where], tight / 3))
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
            factor, bending, *beyond_all = (np.interp(self.outlines.steps, at[where], each)
                                            for each in (factor, bending, *(part * float(real))))
            result.append(_States(own, factor, bending, np.stack(beyond_all)))
        return result

    def _pressed(self, path: _Path, states: _States) -> tuple[Array, Array, Bent]:
        """Return force across and strain at every step, small bends times what large ones made of them; and the states."""
        force = path.lowered / (self.flexure.flexibility[1, 1] * np.maximum(path.give, _STIFFEST))
        # The touching line itself moves by all that keeps the two apart, however much of that is a turn.
        stretched = np.interp(self.outlines.steps, *self.outlines.unturned) * self.flexure.stretch
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

    def part(self, chosen: slice) -> _Path:
        """Return some of its places."""
        return replace(self, **{each: getattr(self, each)[chosen] for each in
                                ("shift", "turn", "lowered", "slope", "arms", "ratio", "stuck", "give")})
