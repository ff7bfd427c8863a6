"""Plane outlines that snap fits are drawn with: eased edges, filleted arms, catches."""

from __future__ import annotations

import math
from collections.abc import Sequence

from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Outline, from_corners, polygon

ARCS = 20


def eased(points: Sequence[Point], radius: float, corners: Sequence[int]) -> tuple[Point, ...]:
    """Return a polyline with the chosen corners rounded by ``radius`` mm, or as much as their edges allow."""
    found: list[Point] = []
    for i, (x, y) in enumerate(points):
        if i not in corners or radius <= 0 or not 0 < i < len(points) - 1:
            found.append((x, y))
            continue
        (ax, ay), (bx, by) = points[i - 1], points[i + 1]
        la, lb = math.hypot(ax - x, ay - y), math.hypot(bx - x, by - y)
        if min(la, lb) < 1e-9:
            found.append((x, y))
            continue
        ua, ub = ((ax - x) / la, (ay - y) / la), ((bx - x) / lb, (by - y) / lb)
        half = math.acos(max(-1.0, min(1.0, ua[0] * ub[0] + ua[1] * ub[1]))) / 2
        if half > math.radians(89):
            found.append((x, y))
            continue
        setback = min(radius / math.tan(half), 0.45 * la, 0.45 * lb)
        true = setback * math.tan(half)
        middle = math.hypot(true, setback)
        bis = (ua[0] + ub[0], ua[1] + ub[1])
        size = math.hypot(*bis)
        cx, cy = x + bis[0] / size * middle, y + bis[1] / size * middle
        start = math.atan2(y + ua[1] * setback - cy, x + ua[0] * setback - cx)
        sweep = math.atan2(y + ub[1] * setback - cy, x + ub[0] * setback - cx) - start
        sweep = (sweep + math.pi) % (2 * math.pi) - math.pi
        found += [(cx + true * math.cos(start + sweep * k / ARCS), cy + true * math.sin(start + sweep * k / ARCS))
                  for k in range(ARCS + 1)]
    return tuple(found)


def arm_outline(length: float, thickness: float, tip: float, fillet: float, back: float) -> Outline:
    """Return an arm from x = 0 to ``length``, its upper face level at +thickness/2, with root fillets, and ``back`` mm of wall.

    ``tip``: its thickness at the end; the underside rises to it.
    """
    half, quarter = thickness / 2, math.tan(math.pi / 8)
    if fillet <= 0:
        return polygon([(-back, -half), (0, -half), (length, half - tip), (length, half), (-back, half)])
    reach = min(fillet, 0.8 * length)
    low = -half + (thickness - tip) * reach / length
    return from_corners([(-back, -half - fillet, 0.0), (0, -half - fillet, -quarter), (reach, low, 0.0),
                         (length, half - tip, 0.0),
                         (length, half, 0.0), (reach, half, -quarter), (0, half + fillet, 0.0), (-back, half + fillet, 0.0)])


def catch_profile(face: float, height: float, lead: float, back: float, crest: float, radius: float,
                  behind: float = 4.0, drop: float = 1.0) -> tuple[Point, ...]:
    """Return the upper profile of a catch: level ``face``, a return face rising at ``back``, a crest, a lead-in at ``lead``.

    Angles rad from the way in, lengths mm; x = 0 is the foot of the return face. ``drop``: how far the nose falls below the
    face at its end.
    """
    rise = 0.0 if back > math.radians(89.9) else height / math.tan(back)
    run = height / math.tan(lead)
    fall = drop / math.tan(lead)
    points = [(-behind, face), (0.0, face), (rise, face + height), (rise + crest, face + height),
              (rise + crest + run, face), (rise + crest + run + fall, face - drop)]
    return eased(points, radius, (2, 3))


def sheared(height: float, lead: float, back: float, crest: float) -> float:
    """Return the length along the way over which a catch is sheared off its arm: return face, crest, half the lead-in, mm."""
    rise = 0.0 if back > math.radians(89.9) else height / math.tan(back)
    return rise + crest + 0.5 * height / math.tan(lead)


def edge_profile(face: float, wall: float, radius: float, chamfer: float = 0.0) -> tuple[Point, ...]:
    """Return the lower profile of a wall from x = 0 to ``wall``: level at ``face``, edges rounded, front chamfered at 45°."""
    up = face + max(radius, 0.02) + 0.5
    if chamfer > 0:
        points = [(0.0, face + chamfer), (chamfer, face), (wall, face), (wall, up)]
        return eased(points, radius, (1, 2))
    return eased([(0.0, up), (0.0, face), (wall, face), (wall, up)], radius, (1, 2))


def narrowing(length: float, width: float, reach: float) -> tree.Solid:
    """Return the wedge an arm that narrows to a quarter is cut from: full ``width`` at x = 0, a quarter from ``length`` on."""
    least = width * beams.TIP_WIDTH
    side = polygon([(-reach, 0), (length + reach, 0), (length + reach, least), (length, least), (0, width), (-reach, width)])
    # Drawn as (x, z), extruded along −y.
    return tree.Placed(tree.Extrude(side, 2 * reach), (1, 0, 0, 0, 0, 0, -1, reach, 0, 1, 0, 0))

