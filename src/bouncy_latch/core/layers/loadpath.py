"""What the bodies themselves survive while a weld is broken: the weakest section between the weld and the grip.

Turning: shear on cylinders about the axis, τ·r·(area of the cylinder inside the body), from the weld out to the rim or in
to the bore, and torsion of sections across the axis for a shaft without a bore. Sliding: tension on sections across the
direction. A section bears what acts beyond it, seen from the grip, so the tip of a cone need not bear what its base must.
Strengths are typical of printed PLA and PETG, from memory.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

import numpy as np

from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import HAND_ARM, HAND_FORCE, HAND_PULL, TOOL_FACTOR, Strength
from bouncy_latch.core.layers.spans import edges, inside, rings
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.solids import mesh, tree

SHEAR_STRENGTH = 20.0
"""Of printed plastic, MPa (typical, from memory)."""
LAYER_STRENGTH = 25.0
"""In tension across the layers, MPa (typical, from memory)."""
_LEVELS, _RADII, _AROUND = 24, 14, 60
_LEAST = 0.5
"""Smaller sections are rounding of an end, mm²."""
_BORE = 0.3
"""Radius below which a body has no bore, mm."""


@frozen
class Load:
    """A point of a weld (mm, in the pose the freedom is given in), its share of the area (mm²) and the bodies it joins."""

    point: tuple[float, float, float]
    area: float
    pair: tuple[str, str]


def strength_of(bodies: Mapping[str, Any], freedom: Freedom, loads: Sequence[Load]) -> Strength:
    """Return what hand, tool and part give for breaking the welds at ``loads`` of some manifolds along or about ``freedom``."""
    part, where = math.inf, "the weakest section"
    for name, body in bodies.items():
        own = [load for load in loads if name in load.pair]
        if own:
            capacity, place = _capacity(body, freedom, own)
            if capacity < part:
                part, where = capacity, f"{place} of {name}"
    if not freedom.turns:
        return Strength(HAND_PULL, TOOL_FACTOR * HAND_PULL, part, unit="N", unfelt=1.0, weakest=where)
    reach = max(_reach(body, freedom) for body in bodies.values())
    hand = HAND_FORCE * min(max(reach, 1.0), HAND_ARM)
    return Strength(hand, TOOL_FACTOR * hand, part, weakest=where)


def _reach(body: Any, freedom: Freedom) -> float:
    """Return the distance from the axis of the body's farthest corner, mm."""
    vertices, _ = mesh.arrays(body)
    out = vertices - np.array(freedom.point)
    along = out @ np.array(freedom.direction)
    return float(np.sqrt(np.maximum((out**2).sum(axis=1) - along**2, 0.0)).max())


def upright(freedom: Freedom) -> tree.Matrix:
    """Return the rigid transform that puts the freedom's line onto z through the origin."""
    z = np.array(freedom.direction, dtype=float)
    z /= np.linalg.norm(z)
    x = np.cross(z, (0.0, 1.0, 0.0) if abs(z[1]) < 0.9 else (1.0, 0.0, 0.0))
    x /= np.linalg.norm(x)
    turn = np.vstack([x, np.cross(z, x), z])
    whole = np.c_[turn, -turn @ np.array(freedom.point)]
    return tuple(float(v) for v in whole.ravel())


def _capacity(body: Any, freedom: Freedom, loads: Sequence[Load]) -> tuple[float, str]:
    turned = mesh.transformed(body, upright(freedom))
    matrix = np.array(upright(freedom)).reshape(3, 4)
    points = np.array([load.point for load in loads]) @ matrix[:, :3].T + matrix[:, 3]
    weights = np.array([load.area for load in loads]) + 1e-12
    box = turned.bounding_box()
    low, high = box[2], box[5]
    levels = low + (np.arange(_LEVELS) + 0.5) / _LEVELS * (high - low)
    cuts = [turned.slice(float(z)) for z in levels]
    if not freedom.turns:
        areas = np.array([cut.area() for cut in cuts])
        return _borne(levels, LAYER_STRENGTH * np.where(areas > _LEAST, areas, 0.0), points[:, 2], weights), "a section"
    levers = np.hypot(points[:, 0], points[:, 1])
    shaft = partial(_borne, levels, heights=points[:, 2], shares=weights * np.maximum(levers, 1e-6))
    return _shear(cuts, (high - low) / _LEVELS, float(np.average(levers, weights=weights)),
                  float(np.hypot([box[0], box[3]], [box[1], box[4]]).max()), shaft)


def _borne(levels: Array, bears: Array, heights: Array, shares: Array) -> float:
    """Return what acts on a body in all, N or N·mm, when the first of its sections gives way.

    It is gripped on the side where there is more of it, where it is strongest, and there as far from where it is pulled as
    may be. Every section bears what acts beyond it, seen from there.

    Args:
        levels, bears: of the sections, where they are, mm, and what each bears (0: there is none), (n,).
        heights, shares: where it acts, mm, and how much of it, (m,).
    """
    pulled = float(np.average(heights, weights=shares))
    over = levels > pulled
    side = over if bears[over].sum() >= bears[~over].sum() else ~over
    strongest = np.flatnonzero(side & (bears >= 0.999 * bears[side].max(initial=0.0)))
    grip = levels[strongest[np.abs(levels[strongest] - pulled).argmax()]] if len(strongest) else pulled
    beyond = np.where(levels < grip, heights[:, None] <= levels, heights[:, None] >= levels)
    parts = (shares[:, None] * beyond).sum(axis=0) / shares.sum()
    real = (bears > 0) & (parts > 0)
    return float((bears[real] / parts[real]).min(initial=math.inf))


def _shear(cuts: Sequence[Any], step: float, radius: float, rim: float, shaft: Callable[[Array], float]) -> tuple[float, str]:
    """Return the least torque that shears the body on a cylinder between weld and grip, N·mm.

    ``shaft``: tells what a body without a bore bears from what its sections bear.
    """
    # Where the weld sits on the outside of a body, it is gripped inside (its bore or its shaft); else at its rim.
    radii = np.linspace(_BORE, rim, _RADII * 3)
    around = np.linspace(0, 2 * math.pi, _AROUND, endpoint=False)
    circle = np.c_[np.cos(around), np.sin(around)]
    points = (radii[:, None, None] * circle[None]).reshape(-1, 2)
    share = np.zeros(len(radii))
    polar = np.zeros(len(cuts))
    for number, cut in enumerate(cuts):
        if cut.is_empty():
            continue
        found = inside(points, *edges(rings(cut))).reshape(len(radii), _AROUND).mean(axis=1)
        share += found
        ring_area = 2 * math.pi * radii * found * (radii[1] - radii[0])
        outer = float(radii[found > 0].max(initial=0.0))
        if outer > 0:
            polar[number] = float((ring_area * radii**2).sum()) / outer
    capacity = SHEAR_STRENGTH * radii * 2 * math.pi * radii * share * step
    body = share > 0.02 * max(share.max(), 1e-9)
    inner, outer = radii[body & (radii < radius)], radii[body & (radii > radius)]
    if len(outer) > len(inner):
        zone = body & (radii > radius)
        return (float(capacity[zone].min()), "the ring round the joint") if zone.any() else (math.inf, "")
    if len(inner) and inner[0] > 2 * _BORE:
        zone = body & (radii < radius)
        return float(capacity[zone].min()), "the bore"
    return (shaft(SHEAR_STRENGTH * polar), "the shaft") if polar.any() else (math.inf, "")
