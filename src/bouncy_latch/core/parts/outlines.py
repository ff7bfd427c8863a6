"""Box outlines by name or file, normalised for a fold: the straight edge lies on y = 0, centred, with the rest at y < 0."""

from __future__ import annotations

import math
from functools import lru_cache
from pathlib import Path

from bouncy_latch.core.errors import ReadError, SolveError
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.solids import outline
from bouncy_latch.core.solids.outline import Outline

NAMED = ("rounded-rectangle", "hexagon", "d")
LEAST_EDGE = 10.0
"""Shortest straight edge that can carry a hinge, mm."""
INLINE = "outline:"
"""What an outline from a file is kept under: its name and corners follow."""


@frozen
class EdgedOutline:
    """An outline with its hinge edge on y = 0 from −half to +half, interior below."""

    outline: Outline
    half: float

    @property
    def reach(self) -> float:
        """Distance from the hinge edge to the far side, mm."""
        return -self.outline.bounds[1]


def embed(text: str) -> str:
    """Return ``text`` unless it names a file; then the file's outline written out, so that a document needs no file.

    Raises:
        ReadError: when the file holds no outline that can carry a hinge.
    """
    if text in NAMED:
        return text
    if text.startswith(INLINE):
        edged(text, 0.0, 0.0, 0.0)
        return text
    from bouncy_latch.core.formats import profiles

    path = Path(text)
    if path.suffix.lower() not in profiles.READERS:
        known = ", ".join(NAMED)
        raise ReadError(f"outline must be one of {known}, or an .svg or .dxf file, not '{text}'",
                        field="outline", value=text)
    drawn = profiles.read_outline(path)
    try:
        hinge_edge(drawn)
    except SolveError as error:
        raise ReadError(f"{path.name}: {error.sentence}", field="outline", value=text) from None
    corners = " ".join(f"{x:.4f},{y:.4f},{b:.6f}" for x, y, b in drawn.corners)
    # A space ends the name.
    return f"{INLINE}{'-'.join(path.stem.split()) or 'outline'} {corners}"


def title(text: str) -> str:
    """Return what the user calls an outline value."""
    return text[len(INLINE):].split(" ", 1)[0] + " (from file)" if text.startswith(INLINE) else text


@lru_cache(maxsize=64)
def edged(text: str, width: float, depth: float, corner_radius: float) -> EdgedOutline:
    """Return a named or embedded outline with its hinge edge on y = 0.

    Raises:
        SolveError: when the sizes make no outline or it has no straight edge to carry a hinge.
        ReadError: when an embedded outline is damaged.
    """
    if text.startswith(INLINE):
        try:
            written = text[len(INLINE):].split(" ")[1:]
            if len(written) > outline.MOST_CORNERS:
                raise ReadError(f"the outline kept in this project has {len(written)} corners; at most {outline.MOST_CORNERS} "
                                "are worked with", field="outline", value=len(written), limit=outline.MOST_CORNERS)
            numbers = [tuple(float(v) for v in c.split(",")) for c in written]
            drawn = outline.from_corners([(x, y, b) for x, y, b in numbers])
        except (ValueError, SolveError):
            raise ReadError("the outline kept in this project is damaged", field="outline") from None
        return hinge_edge(drawn)
    try:
        return hinge_edge(_named(text, width, depth, corner_radius))
    except SolveError as error:
        if error.field == "radius":
            raise SolveError(error.sentence, field="corner_radius", value=error.value, limit=error.limit) from None
        raise


def _named(text: str, width: float, depth: float, corner_radius: float) -> Outline:
    if text == "hexagon":
        side = depth / math.sqrt(3)
        points = [(side * math.cos(math.pi * i / 3), side * math.sin(math.pi * i / 3)) for i in range(6)]
        return outline.rounded(points, corner_radius)
    if text == "d":
        return _d(width, depth, corner_radius)
    return outline.rounded_rectangle(width, depth, corner_radius)


def _d(width: float, depth: float, radius: float) -> Outline:
    """A straight back with small corners and a round front."""
    front = min(width / 2 * 0.999, depth - radius - 1.0)
    if front <= 0 or 2 * radius >= width:
        raise SolveError("this D is too shallow for its corner radius", field="depth", value=depth)
    x, q = width / 2, outline.QUARTER
    corners = [(-x, -depth + front, q), (-x + front, -depth, 0.0), (x - front, -depth, q), (x, -depth + front, 0.0)]
    if radius > 0:
        corners += [(x, -radius, q), (x - radius, 0.0, 0.0), (-x + radius, 0.0, q), (-x, -radius, 0.0)]
    else:
        corners += [(x, 0.0, 0.0), (-x, 0.0, 0.0)]
    return outline.from_corners(corners)


def hinge_edge(drawn: Outline) -> EdgedOutline:
    """Return the outline turned so that its longest outermost straight edge is the hinge edge.

    Raises:
        SolveError: when there is no straight edge of :data:`LEAST_EDGE` mm with the whole outline on one side.
    """
    points = drawn.points()
    best: outline.Edge | None = None
    longest = 0.0
    for edge in drawn.edges:
        if edge.bulge:
            continue
        longest = max(longest, edge.chord)
        tx, ty = edge.tangent(at_end=False)
        outside = (points[:, 0] - edge.x0) * ty - (points[:, 1] - edge.y0) * tx
        if outside.max() < 1e-6 and (best is None or edge.chord > best.chord + 1e-6):
            best = edge
    if best is None or best.chord < LEAST_EDGE:
        raise SolveError(
            f"the outline has no straight outer edge of at least {LEAST_EDGE:g} mm to carry a hinge "
            f"(longest straight edge: {longest:.1f} mm)", field="outline", value=longest, limit=LEAST_EDGE)
    tx, ty = best.tangent(at_end=False)
    turn = math.pi - math.atan2(ty, tx)
    turned = drawn.moved(0, 0, turn)
    middle_x, middle_y = (best.x0 + best.x1) / 2, (best.y0 + best.y1) / 2
    c, s = math.cos(turn), math.sin(turn)
    return EdgedOutline(turned.moved(-(c * middle_x - s * middle_y), -(s * middle_x + c * middle_y)), best.chord / 2)
