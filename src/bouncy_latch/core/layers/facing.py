"""Weld prediction from facing surfaces: the quick road, good for every frame of a drag.

A mechanism declares which surfaces of two bodies face each other, how far apart and how tilted; this module says how much
of them welds, which moment breaks that, and the chance of each outcome. The slow road, which slices the real solids, is
:mod:`bouncy_latch.core.layers.predict`; tests hold the two against each other.

Geometry, for a surface tilted θ from vertical at normal clearance c, layer height h, growth g (mm per side): in the layer
plane the gap is c/cos θ while each layer steps h·tan θ, so one body is laid on the other where h·sin θ + 2g·cos θ > c, and
both touch within a layer where 2g·cos θ > c. Near the bed the elephant foot e comes on top, e/2^i in layer i, less what a
chamfer takes in. How firmly what meets holds, :mod:`bouncy_latch.core.layers.bonding` says.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import PEEL_FRONT, SAG_BOND, SAG_FADE, expected_share, expected_width
from bouncy_latch.core.layers.breakaway import (
    Freeing,
    Resistance,
    Strength,
    foot_nodes,
    growth_nodes,
    hardest,
    outcome_chances,
    tight_chances,
)
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.process.profile import Process

CEILING = math.radians(80)
"""Steeper undersides, rad from vertical, hang down as bridges do rather than step."""
SHORT = 2.0
"""Steep undersides that reach no further out than so many lines print: the loops beside hold them. Flanks of fine threads and
small roundings do (common practice, no source)."""
_NEVER = 4.0
"""Standard deviations from the mean beyond which first layers are taken to stay apart."""
FOOT_LAYERS = 4
"""Beyond these the elephant foot (halving per layer) is below a hundredth."""


@frozen
class Facing:
    """A pair of facing surfaces of two bodies that must come apart.

    Attributes:
        name: what the user calls the place.
        area: area of the pair, mm².
        tilt: rad from vertical (0 a wall, π/2 a ceiling).
        gap: clearance between the drawn surfaces, normal to them, mm.
        lever: arm of a weld there about the mechanism's axis, mm.
        stays: whether the surfaces face each other throughout the motion, so that play is measured there.
        foot: how many times the first layer's elephant foot narrows the gap there.
        thick: height of the layers it consists of, mm; 0 for the process's own.
    """

    name: str
    area: float
    tilt: float
    gap: float
    lever: float
    stays: bool = True
    foot: float = 0.0
    thick: float = 0.0

    @property
    def hangs(self) -> bool:
        """Whether one lies over the other across the layers, so that no outline's growth comes between them."""
        return self.tilt > CEILING


def least_staying(faces: Sequence[Facing]) -> Facing:
    """Return the surfaces with the least gap of those that face each other throughout the motion."""
    return min((face for face in faces if face.stays), key=lambda face: face.gap)


def bed_faces(name: str, length: float, gap: float, lever: float, process: Process, chamfers: tuple[float, float],
              tilt: float = 0.0, level: bool = False) -> tuple[Facing, ...]:
    """Return the facing surfaces of two walls that stand on the bed, one for each layer that its squash reaches.

    Where the joint lifts one of them they peel: only so much of their length holds at a time. A joint that is ``level`` keeps
    its height as it moves, and shears all of it at once. Layers that no foot brings together are left out.

    Args:
        length: along which they face each other, mm. gap: clearance above any chamfer, normal to the walls, mm.
        tilt: of the walls from vertical, rad.
        chamfers: height of the 45° bed chamfer of each, mm, which takes the layer i in by C − (i + ½)h.
    """
    h, first = process.layer_height, process.first_layer_height
    cosine = math.cos(tilt)
    faces = []
    for layer in range(FOOT_LAYERS):
        thick = first if layer == 0 else h
        inset = sum(max(0.0, chamfer - process.middle_of(layer)) for chamfer in chamfers)
        holds = length if level else min(length, PEEL_FRONT)
        face = Facing(name, holds * thick / cosine, tilt, gap + inset * cosine, lever, stays=False,
                      foot=2.0 * 0.5**layer * cosine, thick=thick)
        meets = 2 * process.growth.mean * cosine + face.foot * process.elephant_foot.mean + (thick + h) / 2 * math.sin(tilt)
        spread = math.hypot(2 * process.growth.sd, face.foot * process.elephant_foot.sd, math.sqrt(2) * process.edge_noise)
        if face.gap < meets + _NEVER * spread:
            faces.append(face)
    return tuple(faces)


def contact_gap(tilt: float, layer_height: float, growth: float) -> float:
    """Return the clearance c* below which one body is laid on the other: h·sin θ + 2g·cos θ, mm."""
    return layer_height * math.sin(tilt) + 2.0 * growth * math.cos(tilt)


def worst_contact_gap(tilts: Sequence[float], layer_height: float, growth: float) -> float:
    """Return the greatest c* over several tilts (rad), mm."""
    return max(contact_gap(tilt, layer_height, growth) for tilt in tilts)


def weld_areas(faces: Sequence[Facing], process: Process, growth: Array, foot: Array | None = None,
               wider: Array | float = 0.0) -> tuple[Array, Array]:
    """Return the expected stacked and side weld areas, each shape (faces, growths), mm², those that fuse fully.

    Local edge noise is averaged over; ``growth`` (mm per side) is the printer's own and is taken as known, and so is the
    elephant ``foot`` that goes with each growth (mm a side; None: its mean) and what all gaps are ``wider`` there (mm).
    """
    h, noise = process.layer_height, max(process.edge_noise, 1e-4)
    area, tilt, gap, times, thick = np.array([(f.area, f.tilt, f.gap, f.foot, f.thick or h) for f in faces]).T[:, :, None]
    # From the middle of one layer to that of the next.
    rise = (thick + h) / 2
    sine, cosine = np.sin(tilt), np.cos(tilt)
    # Two facing edges waver independently, each by the edge noise.
    sd = math.sqrt(2.0) * noise * np.maximum(cosine, 0.05)
    foot = np.asarray(process.elephant_foot.mean) if foot is None else foot
    gap = gap + wider
    meets = 2 * growth * cosine - gap
    side = area * cosine * expected_share(meets + times * foot, sd)
    # What is laid on a first layer meets it by that one's foot and half of it again.
    laid = area * np.minimum(rise * sine, expected_width(rise * sine + meets + 0.75 * times * foot, sd)) / thick
    return np.where(tilt > CEILING, _hung(area, gap, h), laid), side


def _hung(area: Array, gap: Array, h: float) -> Array:
    """Return what ceilings weld as that are laid, or hang down over layers of air, mm² of what is laid (faces, 1)."""
    # A layer is laid where its middle lies above the underside.
    empty = np.ceil(gap / h - 0.5 - 1e-9)
    return np.where(empty < 1, area, area * SAG_BOND / SAG_FADE ** (np.maximum(empty, 1.0) - 1))


def moments(faces: Sequence[Facing], process: Process, growth: Array, foot: Array | None = None,
            wider: Array | float = 0.0) -> Array:
    """Return what breaks the welds of facing surfaces at some growths (n,), N·mm or N, (n,); see :func:`weld_areas`."""
    stacked, side = weld_areas(faces, process, growth, foot, wider)
    lever = np.array([f.lever for f in faces])[:, None]
    return np.asarray(((stacked * process.bond_stacked + side * process.bond_side) * lever).sum(axis=0))


def parted_moments(faces: Sequence[Facing], process: Process, growth: Array, foot: Array,
                   wider: Array | float = 0.0) -> tuple[Array, Array]:
    """Return :func:`moments` of what knows no foot, (n,), and of first layers, which peel, (n,)."""
    standing = [face for face in faces if face.foot]
    return (moments([face for face in faces if not face.foot], process, growth, None, wider),
            moments(standing, process, growth, foot, wider) if standing else np.zeros(len(growth)))


def freeing(faces: Sequence[Facing], process: Process, strength: Strength, play: float = math.inf) -> Freeing:
    """Return the chances of each outcome for one joint made of ``faces`` on ``process``; ``play`` allowed, ± mm."""
    return together([("", faces, strength)], process, play)


@frozen(eq=False)
class Widened:
    """A joint whose gaps are all wider by a few steps: what holds it at every node of what is uncertain, each (steps, n).

    Attributes:
        above, low: breakaway of its welds and of those of first layers, N·mm or N. gaps: least printed clearance, mm per side.
        weights: of the nodes (n,). across: whether its play lies across the layers.
    """

    above: Array
    low: Array
    gaps: Array
    weights: Array
    process: Process
    across: bool = False

    @classmethod
    def of(cls, faces: Sequence[Facing], wider: Array, process: Process) -> Widened:
        """Return a joint made of ``faces``, all gaps wider by (steps,) mm."""
        growth, foot, weights, _ = _nodes(faces, process)
        many = len(wider), len(weights)
        nodes = np.tile(growth[:-1], len(wider)), np.tile(foot[:-1], len(wider)), np.repeat(wider, len(weights))
        above, low = parted_moments(faces, process, *nodes)
        least = least_staying(faces)
        gaps = least.gap + wider[:, None] - 2 * growth[:-1] * (not least.hangs)
        return cls(above.reshape(many), low.reshape(many), gaps, weights, process, least.hangs)

    def chances(self, strength: Strength, play: float = math.inf, above: float = 1.0, low: float = 1.0) -> tuple[Array, Array]:
        """Return the chances of each outcome, (steps, 5), and of being free and not loose, (steps,); what :func:`freeing` says.

        ``play``: allowed, ± mm. ``above``, ``low``: how many times its welds hold, in a joint of that form but another size.
        """
        laid, peeled = above * self.above + low * self.low, low * self.low
        held = [Resistance(laid, self.gaps, strength, peeled, across=self.across)]
        spread = self.process.bond_spread
        return (outcome_chances(held, self.weights, spread),
                tight_chances(held, self.weights, spread, self.process, play)[1])


def _nodes(faces: Sequence[Facing], process: Process) -> tuple[Array, Array, Array, Array]:
    """Return growths, feet (n + 1,) and weights (n,) that stand for what is uncertain, the mean of both last; and which of
    the growth's own nodes each is."""
    growth, growth_weights = growth_nodes(process)
    foot, foot_weights = foot_nodes(process) if any(face.foot for face in faces) else (np.zeros(1), np.ones(1))
    weights = (growth_weights[:, None] * foot_weights).ravel()
    each = np.append(np.repeat(np.arange(len(growth)), len(foot)), len(growth))
    grown = np.append(growth, process.growth.mean)[each]
    return grown, np.append(np.tile(foot, len(growth)), process.elephant_foot.mean), weights, each


def together(joints: Sequence[tuple[str, Sequence[Facing], Strength]], process: Process, play: float = math.inf) -> Freeing:
    """Return the chances of each outcome of a print in which all of several joints (name, faces, strength) must come free.

    ``play``: how much play is allowed, ± mm.
    """
    faces = [face for _, own, _ in joints for face in own]
    growth, foot, weights, each = _nodes(faces, process)
    alone = np.append(growth_nodes(process)[0], process.growth.mean)
    held, gaps = [], []
    for name, own, strength in joints:
        least = least_staying(own)
        gaps.append(least.gap - 2 * process.growth.mean * (not least.hangs))
        # What does not stand on the bed knows no foot.
        laid, peeled = moments([f for f in own if not f.foot], process, alone)[each], np.zeros(len(growth))
        if standing := [f for f in own if f.foot]:
            peeled = moments(standing, process, growth, foot)
        left = least.gap - 2 * growth * (not least.hangs)
        held.append(Resistance(laid + peeled, left, strength, peeled, name, least.hangs))
    worst = hardest(held)
    stacked, side = weld_areas(faces, process, growth[-1:], foot[-1:])
    nodes = [each.nodes for each in held]
    tight, both = tight_chances(nodes, weights, process.bond_spread, process, play)
    return Freeing(
        chances=tuple(map(float, outcome_chances(nodes, weights, process.bond_spread))), tight=float(tight), both=float(both),
        breakaway=float(worst.moments[-1]), weld_area=float(stacked.sum() + side.sum()),
        printed_gap=min(gaps), strength=worst.strength, name=worst.name)
