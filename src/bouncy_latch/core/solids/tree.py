"""Solids as an immutable constructive tree.

Nodes only describe; :mod:`mesh` and :mod:`brep` evaluate them. Nodes are frozen and hashable (hashes are kept, so looking
a large tree up in a cache is cheap), and every operator returns a new node. Lengths mm, angles rad.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterable
from dataclasses import field, fields
from functools import cache
from operator import attrgetter
from typing import Any

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.solids.outline import Outline, polygon

Matrix = tuple[float, ...]
"""Row-major 3×4 rigid transform as 12 numbers."""

X_UP: Matrix = (0, 1, 0, 0, 0, 0, 1, 0, 1, 0, 0, 0)
"""Lays x up, so that a section normal to x can be cut as a horizontal slice: (x, y, z) → (y, z, x)."""
IDENTITY: Matrix = (1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0)


@cache
def _values_of(node: Any) -> Callable[[Solid], tuple[object, ...]]:
    return attrgetter("__class__", *(each.name for each in fields(node) if each.name != "_hash"))


@frozen(eq=False)
class Solid:
    """Base of all nodes; two nodes are equal when they describe the same construction."""

    _hash: int = field(init=False, repr=False, default=0)

    def __post_init__(self) -> None:
        object.__setattr__(self, "_hash", hash(self._key()))

    def _key(self) -> tuple[object, ...]:
        node: Any = type(self)
        return _values_of(node)(self)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        if type(self) is not type(other) or not isinstance(other, Solid) or self._hash != other._hash:
            return False
        return self._key() == other._key()

    def __add__(self, other: Solid) -> Solid:
        """Return the union."""
        return union([self, other])

    def __sub__(self, other: Solid) -> Solid:
        """Return this solid less ``other``."""
        return difference(self, [other])

    def __and__(self, other: Solid) -> Solid:
        """Return what both share."""
        return Intersection((self, other))

    def move(self, x: float = 0.0, y: float = 0.0, z: float = 0.0) -> Solid:
        """Return the solid shifted by (x, y, z) mm."""
        return self if x == y == z == 0 else self.placed((1, 0, 0, x, 0, 1, 0, y, 0, 0, 1, z))

    def placed(self, matrix: Matrix) -> Solid:
        """Return the solid under a rigid transform; transforms of transforms are one, and none where nothing moves."""
        inner, whole = (self.solid, compose(matrix, self.matrix)) if isinstance(self, Placed) else (self, matrix)
        # What goes there and back ends where it was: digits of rounding would make new solids of old ones.
        whole = tuple(round(v, 12) + 0.0 for v in whole)
        return inner if whole == IDENTITY else Placed(inner, whole)

    def mirror(self, axis: str) -> Solid:
        """Return the mirror image in the plane through the origin normal to ``axis`` ('x', 'y' or 'z')."""
        return Mirrored(self, axis)


@frozen(eq=False)
class Extrude(Solid):
    """An outline swept along z from 0 to ``height``.

    ``taper`` scales the top about the origin; ``twist`` (rad) turns the top, in ``steps`` slabs.
    """

    outline: Outline
    height: float
    taper: float = 1.0
    twist: float = 0.0
    steps: int = 1


@frozen(eq=False)
class Loft(Solid):
    """Straight walls through outlines at rising heights z (mm), edge to edge in order."""

    sections: tuple[tuple[Outline, float], ...]


@frozen(eq=False)
class Revolve(Solid):
    """An outline in the (radius, z) half plane turned about z by ``angle`` rad.

    ``as_round``: the mesh takes as many facets as a circle of this radius (mm), so that what is cut meets what it is cut
    from; 0: as its own largest.
    """

    outline: Outline
    angle: float = 2 * math.pi
    as_round: float = 0.0


@frozen(eq=False)
class Helix(Solid):
    """An outline in the (radius, z) half plane carried along a helix about z: turned by φ it is pitch·φ/2π higher.

    ``turns``: how far it goes, any positive number; ``left``: it goes round clockwise seen from above. Made by :func:`helix`.
    """

    outline: Outline
    pitch: float
    turns: float
    left: bool = False


@frozen(eq=False)
class Threaded(Solid):
    """A rod about z from 0 to ``height`` whose surface is a profile carried along a helix: the solid inside a thread.

    ``profile``: corners (z, radius) of one lead, from z = 0 to the lead, where it is as wide as at 0; ``phase``: how far up the
    profile begins in the half plane y = 0, x > 0. ``left``: the helix goes round clockwise seen from above. ``ends``: radius
    at which the lower and the upper end begin, growing at 45°; 0 for a flat end. Made by :func:`threaded`.
    """

    profile: tuple[tuple[float, float], ...]
    height: float
    phase: float = 0.0
    left: bool = False
    ends: tuple[float, float] = (0.0, 0.0)

    @property
    def lead(self) -> float:
        """How far the profile goes up in a turn, mm."""
        return self.profile[-1][0]

    @property
    def widest(self) -> float:
        """Greatest radius, mm."""
        return max(radius for _, radius in self.profile)

    @property
    def turns(self) -> tuple[int, int]:
        """Whole turns, first and count, that are complete at both ends."""
        first = math.floor(-self.phase / self.lead - 0.01) - 1
        return first, math.ceil((self.height - self.phase) / self.lead + 0.01) - first

    def trimmed_by(self) -> Outline:
        """Return what bounds it: (radius, z) of a body of revolution."""
        out = self.widest + 1.0
        low, high = (max(out - radius, 0.0) if radius else 0.0 for radius in self.ends)
        corners = [(0.0, 0.0), (out - low, 0.0), (out, low), (out, self.height - high), (out - high, self.height),
                   (0.0, self.height)]
        return polygon([corner for i, corner in enumerate(corners) if corner != corners[i - 1]])


@frozen(eq=False)
class Given(Solid):
    """A body from elsewhere, kept by its content: triangles (see :func:`given_mesh`) or a STEP file.

    ``form``: ``mesh`` or ``step``. ``data``: what it is made of, mm.
    """

    form: str
    data: bytes = field(repr=False)
    label: str = ""


@frozen(eq=False)
class Box(Solid):
    """An axis-parallel box between two corners."""

    x0: float
    y0: float
    z0: float
    x1: float
    y1: float
    z1: float


@frozen(eq=False)
class Cone(Solid):
    """A cone frustum about z from z = 0 (radius ``bottom``) to ``height`` (radius ``top``); equal radii: a cylinder."""

    bottom: float
    top: float
    height: float


@frozen(eq=False)
class Sphere(Solid):
    """A sphere about the origin."""

    radius: float


@frozen(eq=False)
class Placed(Solid):
    """A solid under a rigid transform."""

    solid: Solid
    matrix: Matrix


@frozen(eq=False)
class Mirrored(Solid):
    """A solid mirrored in a coordinate plane."""

    solid: Solid
    axis: str


@frozen(eq=False)
class Union(Solid):
    """All of several solids."""

    solids: tuple[Solid, ...]


@frozen(eq=False)
class Difference(Solid):
    """A solid less several others."""

    solid: Solid
    tools: tuple[Solid, ...]


@frozen(eq=False)
class Intersection(Solid):
    """What several solids share."""

    solids: tuple[Solid, ...]


def cylinder(radius: float, height: float) -> Cone:
    """Return a cylinder about z standing on z = 0."""
    return Cone(radius, radius, height)


def helix(outline: Outline, pitch: float, turns: float, left: bool = False) -> Helix:
    """Return an outline of the (radius, z) half plane carried along a helix about z.

    Raises:
        SolveError: when neighbouring turns would overlap, or it reaches the axis.
    """
    x0, y0, _, y1 = outline.bounds
    if x0 <= 0:
        raise SolveError("a profile that reaches the axis cannot be carried round it", field="outline", value=x0)
    if pitch <= 0 or turns <= 0:
        raise SolveError(f"a helix needs a pitch and turns above 0, not {pitch:g} and {turns:g}", field="helix", value=pitch)
    if turns > 1 and y1 - y0 >= pitch:
        raise SolveError(f"a profile {y1 - y0:.3f} mm high runs into its next turn at a pitch of {pitch:g} mm", field="helix",
                         value=pitch, limit=y1 - y0)
    return Helix(outline, pitch, turns, left)


def threaded(profile: Iterable[tuple[float, float]], height: float, phase: float = 0.0, left: bool = False,
             ends: tuple[float, float] = (0.0, 0.0)) -> Threaded:
    """Return the rod inside a thread; see :class:`Threaded`.

    Raises:
        SolveError: when the profile does not rise from 0 to the lead, reaches the axis, or the ends take it all.
    """
    corners = tuple((float(z), float(radius)) for z, radius in profile)
    rises = all(a[0] <= b[0] and a != b for a, b in itertools.pairwise(corners))
    if not rises or corners[0][0] != 0 or corners[-1][0] <= 0 or corners[0][1] != corners[-1][1]:
        raise SolveError("a thread's profile rises from 0 to its lead and ends as wide as it begins", field="outline")
    made = Threaded(corners, height, phase, left, ends)
    low, high = (made.widest + 1.0 - radius if radius else 0.0 for radius in ends)
    if min(radius for _, radius in corners) <= 0 or height <= low + high or height <= 0:
        raise SolveError(f"a thread {height:g} mm long has no room for its ends", field="rod", value=height,
                         limit=round(low + high, 2))
    return made


def given_mesh(vertices: npt.ArrayLike, triangles: npt.ArrayLike, label: str = "") -> Given:
    """Return a body of triangles: vertices (n, 3) mm, triangles (m, 3) counter-clockwise seen from outside."""
    points = np.ascontiguousarray(vertices, dtype="<f8")
    faces = np.ascontiguousarray(triangles, dtype="<u4")
    return Given("mesh", len(points).to_bytes(8, "little") + points.tobytes() + faces.tobytes(), label)


def triangles_of(data: bytes) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.int64]]:
    """Return vertices (n, 3) and triangles (m, 3) of the data of a given mesh."""
    count = int.from_bytes(data[:8], "little")
    points = np.frombuffer(data, dtype="<f8", count=3 * count, offset=8).reshape(-1, 3)
    faces = np.frombuffer(data, dtype="<u4", offset=8 + 24 * count).reshape(-1, 3)
    return points.astype(np.float64), faces.astype(np.int64)


def union(solids: Iterable[Solid]) -> Solid:
    """Return the union of one or more solids, nested unions flattened."""
    flat: list[Solid] = []
    for solid in solids:
        flat.extend(solid.solids if isinstance(solid, Union) else (solid,))
    return flat[0] if len(flat) == 1 else Union(tuple(flat))


def difference(solid: Solid, tools: Iterable[Solid]) -> Solid:
    """Return ``solid`` less all ``tools``."""
    tools = tuple(tools)
    return Difference(solid, tools) if tools else solid


def anchored(solid: Solid) -> tuple[Solid, tuple[float, float, float]]:
    """Return a solid with the shift its parts have in common taken out, and that shift (mm, to a millionth).

    Solids that are the same but for where they stand become equal: the links of a chain are worked out once.
    """
    if isinstance(solid, Placed) and solid.matrix[:3] + solid.matrix[4:7] + solid.matrix[8:11] == (1, 0, 0, 0, 1, 0, 0, 0, 1):
        inner, (x, y, z) = anchored(solid.solid)
        return inner, (x + solid.matrix[3], y + solid.matrix[7], z + solid.matrix[11])
    if isinstance(solid, Union | Intersection):
        parts, first = _relative(solid.solids)
        return type(solid)(parts), first
    if isinstance(solid, Difference):
        parts, first = _relative((solid.solid, *solid.tools))
        return Difference(parts[0], parts[1:]), first
    return solid, (0.0, 0.0, 0.0)


def _relative(solids: tuple[Solid, ...]) -> tuple[tuple[Solid, ...], tuple[float, float, float]]:
    """Return solids anchored to the first, and where the first stands."""
    found = [anchored(solid) for solid in solids]
    first = found[0][1]
    moved = []
    for inner, shift in found:
        x, y, z = (round(a - b, 6) + 0.0 for a, b in zip(shift, first, strict=True))
        moved.append(inner.move(x, y, z))
    return tuple(moved), first


def along_x(solid: Solid, x: float = 0.0, y: float = 0.0, z: float = 0.0) -> Solid:
    """Return the solid with its z axis laid along +x (its x to y, its y to z), then moved to (x, y, z)."""
    return Placed(solid, (0, 0, 1, x, 1, 0, 0, y, 0, 1, 0, z))


def turn_about_x(angle: float, y: float = 0.0, z: float = 0.0) -> Matrix:
    """Return the turn by ``angle`` rad about the line through (y, z) parallel to x."""
    c, s = math.cos(angle), math.sin(angle)
    return (1, 0, 0, 0, 0, c, -s, y - c * y + s * z, 0, s, c, z - s * y - c * z)


def turn_about(direction: tuple[float, float, float], point: tuple[float, float, float], angle: float) -> Matrix:
    """Return the turn by ``angle`` rad about a line (unit direction) through ``point``, by Rodrigues' formula."""
    x, y, z = direction
    c, s = math.cos(angle), math.sin(angle)
    t = 1 - c
    turn = ((t * x * x + c, t * x * y - s * z, t * x * z + s * y), (t * x * y + s * z, t * y * y + c, t * y * z - s * x),
            (t * x * z - s * y, t * y * z + s * x, t * z * z + c))
    return tuple(v for row, p in zip(turn, point, strict=True)
                 for v in (*row, p - sum(r * q for r, q in zip(row, point, strict=True))))


def moved_to(x: float, y: float, z: float) -> Matrix:
    """Return the transform that moves by (x, y, z) mm."""
    return (1, 0, 0, x, 0, 1, 0, y, 0, 0, 1, z)


def compose(second: Matrix, first: Matrix) -> Matrix:
    """Return the transform that applies ``first``, then ``second``."""
    a, b, c, d, e, f, g, h, i, j, k, m = first
    out: list[float] = []
    # Written out: a drag composes thousands of them.
    for x, y, z, shift in (second[:4], second[4:8], second[8:]):
        out += (x * a + y * e + z * i, x * b + y * f + z * j, x * c + y * g + z * k, x * d + y * h + z * m + shift)
    return tuple(out)


def invert(matrix: Matrix) -> Matrix:
    """Return the inverse of a rigid transform."""
    rotation = [[matrix[4 * c + r] for c in range(3)] for r in range(3)]
    shift = [-sum(rotation[r][c] * matrix[4 * c + 3] for c in range(3)) for r in range(3)]
    return tuple(v for r in range(3) for v in (*rotation[r], shift[r]))


def moved_point(matrix: Matrix, point: tuple[float, float, float]) -> tuple[float, float, float]:
    """Return a point (mm) under a rigid transform."""
    x, y, z = (sum(matrix[4 * r + c] * point[c] for c in range(3)) + matrix[4 * r + 3] for r in range(3))
    return x, y, z
