"""Which way up to print: candidate poses of some bodies together, compared by what the prediction says of each.

A pose costs points: 1 for every per cent by which the joint may not free by hand, for every 10 mm² that hangs
unsupported, for every 50 mm² that stair-steps where it is seen and for every 10 minutes; up to 40 for bending across the
layers, 40 for a foot it falls from. Ranks compare sums; the reasons say what they consist of.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import bed
from bouncy_latch.core.layers.estimate import estimate, words
from bouncy_latch.core.layers.freedom import Held, freed
from bouncy_latch.core.layers.kept import Once
from bouncy_latch.core.layers.predict import predict
from bouncy_latch.core.numbers import distinct
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh, tree

Vector = tuple[float, float, float]
Turn = tuple[float, ...]
"""A rotation, 9 numbers row by row."""

AS_IS: Turn = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)
FACES: tuple[tuple[str, Vector], ...] = (
    ("as it is", (0, 0, -1)), ("upside down", (0, 0, 1)), ("on its left side", (-1, 0, 0)),
    ("on its right side", (1, 0, 0)), ("on its front", (0, -1, 0)), ("on its back", (0, 1, 0)))
SAME = math.cos(math.radians(3))
MOST_HULL = 6
"""Resting faces of the hull that are tried besides the six sides, largest first."""
UNSUPPORTED, STAIRS, MINUTES = 10.0, 50.0, 10.0
FALLS, ACROSS = 40.0, 40.0


@frozen
class Pose:
    """A way to lay bodies on the bed: its name and the rotation from the drawn pose."""

    name: str
    turn: Turn


@frozen
class Standing:
    """What a pose is worth.

    Attributes:
        by_hand: chance that the joint frees by hand (1 without one). unsupported: mm² that hang. height: mm.
        minutes, grams: estimates. stairs: mm² seen that step. tip: degrees it may tilt. across: degrees by which what
        bends stands up from the layers (0 is best).
        points: sum of what it costs. reasons: what that is made of, greatest first.
    """

    pose: Pose
    by_hand: float
    unsupported: float
    height: float
    minutes: float
    grams: float
    stairs: float
    tip: float
    across: float
    points: float
    reasons: tuple[str, ...]


def turn_down(direction: Vector) -> Turn:
    """Return the least rotation that points ``direction`` at the bed."""
    d = np.array(direction, dtype=float)
    d /= np.linalg.norm(d)
    down = np.array([0.0, 0.0, -1.0])
    axis, cosine = np.cross(d, down), float(d @ down)
    if cosine > 1 - 1e-12:
        return AS_IS
    if cosine < -1 + 1e-12:
        return (1.0, 0.0, 0.0, 0.0, -1.0, 0.0, 0.0, 0.0, -1.0)
    k = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    whole = np.eye(3) + k + k @ k / (1 + cosine)
    return tuple(float(v) for v in whole.ravel())


def laid_down(bodies: Mapping[str, Any], turn: Turn) -> tuple[dict[str, Any], tree.Matrix]:
    """Return manifolds turned together and set down on the bed, and the transform (3×4) that did it."""
    if tuple(turn) == AS_IS and abs(min(body.bounding_box()[2] for body in bodies.values())) < 1e-9:
        return dict(bodies), tree.IDENTITY  # the very same bodies: what is known of them stays known
    flat = np.c_[np.array(turn).reshape(3, 3), np.zeros(3)]
    turned = {name: mesh.transformed(body, tuple(flat.ravel())) for name, body in bodies.items()}
    low = min(body.bounding_box()[2] for body in turned.values())
    flat[2, 3] = -low
    return {name: body.translate((0, 0, -low)) for name, body in turned.items()}, tuple(float(v) for v in flat.ravel())


def candidates(bodies: Mapping[str, Any], preferred: Sequence[Pose] = ()) -> list[Pose]:
    """Return poses to compare: preferred ones, the six sides, and the faces the hull can rest on."""
    import manifold3d

    poses = list(preferred)
    tried = [_down(pose.turn) for pose in poses]
    whole = manifold3d.Manifold.batch_hull(list(bodies.values()))
    options = [*FACES, *((f"resting on a face {tilt:.0f}° from its bottom", d) for tilt, d in _resting(whole))]
    for name, direction in options:
        unit = np.array(direction) / np.linalg.norm(direction)
        if all(float(unit @ known) < SAME for known in tried):
            tried.append(unit)
            poses.append(Pose(name, turn_down(direction)))
    return poses


def _down(turn: Turn) -> npt.NDArray[np.float64]:
    """Return the drawn direction that points at the bed after a rotation."""
    return np.asarray(np.array(turn).reshape(3, 3).T @ np.array([0.0, 0.0, -1.0]))


def _resting(hull: Any) -> list[tuple[float, Vector]]:
    """Return (tilt from the bottom in degrees, normal) of the hull's faces that it can rest on, largest first."""
    from bouncy_latch.core.layers.slicing import faces_of

    faces = faces_of(hull)
    centre = np.array(bed.centre_of_mass(faces))
    keys = np.round(faces.normals, 3) + 0.0
    _, group = np.unique(keys, axis=0, return_inverse=True)
    found = []
    for label in distinct(group):
        own = np.flatnonzero(group.ravel() == label)
        area = float(faces.areas[own].sum())
        normal = np.average(faces.normals[own], axis=0, weights=faces.areas[own])
        # It rests where the foot of the perpendicular from the centre of mass lies inside the face.
        offset = float((faces.corners[own[0], 0] - centre) @ normal)
        if _covers(faces.corners[own], centre + offset * normal, normal):
            tilt = math.degrees(math.acos(float(np.clip(-normal[2] / np.linalg.norm(normal), -1, 1))))
            found.append((area, tilt, (float(normal[0]), float(normal[1]), float(normal[2]))))
    largest = max((area for area, _, _ in found), default=0.0)
    found = [f for f in found if f[0] > 0.05 * largest]
    return [(tilt, normal) for _, tilt, normal in sorted(found, key=lambda f: -f[0])[:MOST_HULL]]


def _covers(triangles: npt.NDArray[np.float64], point: npt.NDArray[np.float64], normal: npt.NDArray[np.float64]) -> bool:
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    sides = [np.cross(q - p, point - p) @ normal for p, q in ((a, b), (b, c), (c, a))]
    return bool((np.minimum.reduce(sides) >= -1e-9).any())


def compare(bodies: Mapping[str, Any], process: Process, poses: Sequence[Pose], held: Sequence[Held], *,
            seen_from: Sequence[Vector] = (), bends_along: Sequence[Vector] = (),
            progress: Progress = unwatched) -> list[Standing]:
    """Return the poses from best to worst.

    Args:
        held: what must come free of what, in the drawn pose.
        seen_from: directions, drawn pose, from which faces are seen; none: all of them.
        bends_along: directions, drawn pose, along which something that flexes is stretched.

    Raises:
        Cancelled: when ``progress`` returned False.
    """
    found = []
    for number, pose in enumerate(poses):
        def part(done: float, start: int = number) -> bool:
            return progress((start + done) / len(poses))

        found.append(_standing(bodies, process, pose, held, seen_from, bends_along, part))
    return sorted(found, key=lambda s: s.points)


def _standing(bodies: Mapping[str, Any], process: Process, pose: Pose, held: Sequence[Held], seen_from: Sequence[Vector],
              bends_along: Sequence[Vector], progress: Progress) -> Standing:
    laid, matrix = laid_down(bodies, pose.turn)
    turn = np.array(matrix).reshape(3, 4)
    made = predict(laid, process, judge=False, progress=progress, kept=Once())
    chance = freed(made, process, [item.carried(matrix) for item in held]).by_hand if held else 1.0
    cost = estimate(made.drawn, process)
    seen_there = [tuple(float(v) for v in turn[:, :3] @ np.array(d)) for d in seen_from]
    stairs = math.fsum(f.extent for name, own in zip(made.names, made.drawn, strict=True)
                       for f in bed.stairs(name, own, process, seen_there))  # type: ignore[arg-type]
    tip = min((math.degrees(bed.tip_angle(own.section(0).region, *bed.centre_of_mass(own.faces)))
               for own in made.drawn if not own.section(0).region.is_empty()), default=0.0)
    across = max((math.degrees(math.asin(min(1.0, abs(float((turn[:, :3] @ np.array(d))[2]))))) for d in bends_along),
                 default=0.0)
    falls = tip < bed.TIP_ANGLE
    costs = [
        (100 * (1 - chance), f"frees by hand with {100 * chance:.0f} %"),
        (made.unsupported / UNSUPPORTED, f"{made.unsupported:.0f} mm² hang unsupported"),
        (FALLS * falls, f"stands only {max(tip, 0):.0f}° from falling"),
        (ACROSS * across / 90, f"printed at {across:.0f}° to the bed: bending splits the layers"),
        (stairs / STAIRS, f"{stairs:.0f} mm² seen in steps"),
        (cost.minutes / MINUTES, f"about {words(cost.minutes)}, {made.height:.0f} mm tall"),
    ]
    reasons = tuple(text for points, text in sorted(costs[:-1], key=lambda c: -c[0]) if points >= 0.5)
    return Standing(pose, chance, made.unsupported, made.height, cost.minutes, cost.grams, stairs, tip, across,
                    math.fsum(points for points, _ in costs), (*reasons, costs[-1][1]))
