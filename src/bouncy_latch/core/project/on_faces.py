"""Mechanisms on the faces, edges and holes of parts: from what is pointed at to where a side sits, and how thick it finds it.

A seat is named as ``face:top``, ``edge:top-front`` or ``hole:hole-1`` (:mod:`core.parts.surface`). Its place is told by two
distances from the face's left and lower edge as seen from outside, mm; without any it is the middle.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Any

import numpy as np

from bouncy_latch.core.errors import ParamError, shortly
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.contract import Kind, SeatRule
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.parts import measure
from bouncy_latch.core.parts.body import Body
from bouncy_latch.core.parts.surface import ALIKE, Face, Point, Surface, surface_of
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.project.document import MOST_PLACES, Mechanism, Seated
from bouncy_latch.core.solids import mesh, tree

FACE, EDGE, HOLE = FORMS = ("face", "edge", "hole")
AXES: dict[str, tuple[float, float, float]] = {"+z": (0, 0, 1), "+x": (1, 0, 0), "-x": (-1, 0, 0), "+y": (0, 1, 0),
                                               "-y": (0, -1, 0)}
BESIDE = 1.0
"""How far beside a hole its part's thickness is measured, mm."""
THICK_ENOUGH = 0.05
"""A part that much thinner than a mechanism is worked out for is still as thick, mm."""


@frozen
class Found:
    """A seat on a part as it lies on the bed.

    Attributes:
        face: the flat face it is on, in the part's own coordinates. point: there. laid: from those to the print pose.
        thickness: of the plastic behind the point, mm. edge: straight length that a side may rely on, mm. reach: how far the
        part reaches behind the face, mm.
    """

    face: Face
    point: Point
    laid: tree.Matrix
    thickness: float
    edge: float
    reach: float

    @property
    def out(self) -> Array:
        """The face's normal as it lies on the bed."""
        return _turned(self.laid, self.face.normal)

    @property
    def there(self) -> Array:
        """The point as it lies on the bed, mm."""
        return np.array(tree.moved_point(self.laid, self.point))


def part_body(part: Mechanism, process: Process) -> Body:
    """Return the body of a part as nothing sits on it; raises UserError, ParamError for what is no part."""
    kind = registry.kind(part.kind)
    if not kind.is_part:
        raise ParamError(f"{part.name} is no part: it is placed on by x, y, z (--at) in its print pose", field="on",
                         value=part.id)
    return kind.solve(part.parsed(), process).shape.bodies[0]


def found(body: Body, seat: Seated) -> Found:
    """Return the seat that is meant on a part's body; raises ParamError, naming what there is."""
    surface = surface_of(body.base)
    form, colon, name = seat.seat.partition(":")
    if not colon or form not in FORMS:
        raise ParamError(f"'{shortly(seat.seat)}' is no seat; name one as face:top, edge:top-front or hole:hole-1",
                         field="seat", value=seat.seat)
    face, point = _meant(surface, form, name, seat.at, body)
    if form == FACE and seat.at is not None and not _on(face, seat.at):
        raise ParamError(f"{seat.at[0]:g}, {seat.at[1]:g} lies beside the face {face.name}, which is {face.width:.1f} × "
                         f"{face.height:.1f} mm: choose a place on it", field="at", value=seat.at)
    long = surface.edge(name).length if form == EDGE else face.width
    corners, _ = mesh.arrays(mesh.evaluate(body.base))
    reach = float((np.array(point) - np.asarray(corners, dtype=np.float64)).dot(np.array(face.normal)).max())
    return Found(face, point, body.at, max(measure.thickness(body.base, each, inwards(face))
                                           for each in (point, *_beside(surface, form, name, face))), long, reach)


def _beside(surface: Surface, form: str, name: str, face: Face) -> list[Point]:
    """Return places round a hole, where there is plastic to measure."""
    if form != HOLE:
        return []
    hole = surface.hole(name)
    u, v = face.at(hole.centre)
    away = hole.diameter / 2 + BESIDE
    return [face.point((u + x * away, v + y * away)) for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1))
            if _on(face, (u + x * away, v + y * away))]


def inwards(face: Face) -> Point:
    """Return the way from a face into its part, a unit vector."""
    x, y, z = face.normal
    return -x, -y, -z


def _meant(surface: Surface, form: str, name: str, at: tuple[float, float] | None, body: Body) -> tuple[Face, Point]:
    if form == FACE:
        face = surface.face(name)
        return face, face.point(at)
    if form == HOLE:
        hole = surface.hole(name)
        return surface.face(hole.face), hole.centre
    edge = surface.edge(name)
    faces = [surface.face(each) for each in edge.faces]
    # A mechanism that reaches out of an edge sits on the face there that stands upright on the bed.
    upright = [face for face in faces if abs(_turned(body.at, face.normal)[2]) < 0.01] or faces
    way = (np.array(edge.end) - np.array(edge.start)) / edge.length
    along = edge.length / 2 if at is None else at[0]
    if not 0 <= along <= edge.length:
        raise ParamError(f"{along:g} lies beyond the edge {edge.name}, which is {edge.length:.1f} mm long", field="at",
                         value=at)
    x, y, z = np.array(edge.start) + along * way
    return upright[0], (float(x), float(y), float(z))


def _on(face: Face, at: tuple[float, float]) -> bool:
    return -1e-6 <= at[0] <= face.width + 1e-6 and -1e-6 <= at[1] <= face.height + 1e-6


def ruled(kind: Kind, side: str, seat: Found, turn: float) -> SeatRule:
    """Return how a side sits on a seat.

    Raises:
        ParamError: for a side that sits on no face, or a face that looks elsewhere than the side must as it prints.
    """
    rule = kind.seats.get(side)
    if rule is None:
        placeable = [name for name in kind.sides if name in kind.seats]
        able = f"; its {', '.join(placeable)} can" if placeable else "; place it by --at x,y,z in the part's print pose"
        raise ParamError(f"the side '{side}' of a {kind.title.lower()} sits on no face of a part{able}", field="side",
                         value=side)
    _refuse_tilted(kind, rule, seat)
    if rule.out != "+z" and abs(math.remainder(turn, 360.0)) > 1e-9:
        raise ParamError(f"a {kind.title.lower()} on an upright face stands as it prints: turned by {turn:g}° its layers "
                         "would lie across it", field="turn", value=turn)
    return rule


def sized(kind: Kind, side: str, params: Any, process: Process, seat: Found) -> tuple[Any, str]:
    """Return a mechanism's sizes with the one that is as thick as the part at its seat set by it, and a sentence on that.

    Raises:
        UserError: where it cannot be made as thin; the sentence says how thick the part must be.
    """
    rule = kind.seats.get(side)
    if rule is None:
        return params, ""
    measured = {**dict.fromkeys(rule.height, float(seat.there[2])), rule.edge: seat.edge, rule.reach: seat.reach}
    values = {name: round(value, 3) for name, value in measured.items() if name}
    if values or rule.given:
        params = params.changed(**{**rule.given, **values})
        told = [f"{type(params).facts()[name].label} {value:g} mm" for name, value in values.items()]
        return params, f"{', '.join(told)}: measured on the part"
    if not rule.thickness:
        return params, ""
    facts = type(params).facts()[rule.thickness]
    low, high = _reach(kind, side, params, process, rule)
    wanted = getattr(params, rule.thickness) + seat.thickness - (high - low)
    if wanted < facts.low - THICK_ENOUGH:
        raise ParamError(f"the part is {seat.thickness:.1f} mm thick there, and a {kind.title.lower()} with these sizes needs "
                         f"{high - low - getattr(params, rule.thickness) + facts.low:.1f} mm: choose a thicker place",
                         field="seat", value=seat.thickness)
    value = round(min(max(wanted, facts.low), facts.high), 3)
    return params.changed(**{rule.thickness: value}), f"{facts.label} {value:g} {facts.unit}: the part is " \
        f"{seat.thickness:.1f} mm thick there"


def where(kind: Kind, side: str, params: Any, process: Process, seat: Found, turn: float) -> dict[str, float]:
    """Return the coordinates by which a side of a mechanism sits on a seat (x, y, z, turn of :class:`document.Where`).

    Raises:
        ParamError: as :func:`ruled`.
    """
    rule = ruled(kind, side, seat, turn)
    out = np.array(AXES[rule.out])
    _, high = _reach(kind, side, params, process, rule)
    if rule.out == "+z":
        angle = math.radians(turn) + _lying(seat)
    else:
        angle = math.atan2(seat.out[1], seat.out[0]) - math.atan2(out[1], out[0])
    c, s = math.cos(angle), math.sin(angle)
    offset = np.array((c * out[0] - s * out[1], s * out[0] + c * out[1], out[2])) * high
    x, y, z = seat.there - offset
    if rule.height:
        z = 0.0  # from the bed up, whatever the height of the edge
    return {"x": round(float(x), 6), "y": round(float(y), 6), "z": round(float(z), 6),
            "turn": round(math.degrees(math.remainder(angle, 2 * math.pi)), 6)}


def _lying(seat: Found) -> float:
    """Return how the face's own left-to-right lies about the vertical, rad."""
    across = _turned(seat.laid, seat.face.across)
    return math.atan2(across[1], across[0])


def _refuse_tilted(kind: Kind, rule: SeatRule, seat: Found) -> None:
    up = float(seat.out[2])
    title = kind.title.lower()
    if rule.out == "+z" and up < ALIKE:
        looks = "down" if up < -ALIKE else "sideways" if abs(up) < 0.01 else f"{math.degrees(math.acos(up)):.0f}° off upright"
        raise ParamError(f"the face {seat.face.name} looks {looks} as the part prints, and a {title} is worked out for layers "
                         "that lie along it: let the part lie on another side, or choose a face that looks up",
                         field="seat", value=seat.face.name)
    if rule.out != "+z" and abs(up) > 0.01:
        raise ParamError(f"the face {seat.face.name} does not stand upright as the part prints, and layers would lie across a "
                         f"{title} there: let the part lie on another side, or choose an upright face", field="seat",
                         value=seat.face.name)


def _reach(kind: Kind, side: str, params: Any, process: Process, rule: SeatRule) -> tuple[float, float]:
    """Return from where to where the built-in body of a side reaches along the way out of the face, in its seat, mm."""
    shape = kind.solve(params, process).shape
    share = next(each for each in shape.features if each.side == side)
    body = next(each for each in shape.bodies if each.name == share.body)
    box = mesh.evaluate(body.base.placed(tree.invert(share.frame))).bounding_box()
    axis = "xyz".index(rule.out[1])
    if rule.out[0] == "+":
        return box[axis], box[axis + 3]
    return -box[axis + 3], -box[axis]


def _turned(matrix: tree.Matrix, way: Point) -> Array:
    return np.array([sum(matrix[4 * row + i] * way[i] for i in range(3)) for row in range(3)])


_ROW = re.compile(r"(\d{1,2})x(\d{1,3}(?:\.\d{1,3})?)")


def more(seat: Found, pattern: str, first: Mapping[str, float]) -> list[dict[str, float]]:
    """Return further places of what sits on a seat, as coordinates like ``first``: a ``row 3x20``, a ``ring 4`` about
    the face's middle, or the ``mirror`` image of its place there.

    Raises:
        ParamError: for a pattern that is none, or a ring on an upright face.
    """
    if not pattern:
        return []
    word, _, told = pattern.partition(" ")
    right = _turned(seat.laid, seat.face.across) if seat.out[2] > 0.5 else np.cross((0.0, 0.0, 1.0), seat.out)
    middle = np.array(tree.moved_point(seat.laid, seat.face.point((seat.face.width / 2, seat.face.height / 2))))
    said = _ROW.fullmatch(told)
    if word == "row" and said is not None and 1 <= int(said[1]) <= MOST_PLACES:
        shifts = [right * float(said[2]) * number for number in range(1, int(said[1]))]
    elif word == "mirror" and not told:
        shifts = [right * 2 * float((middle - seat.there) @ right)]
    elif word == "ring" and told.isdigit() and 2 <= int(told) <= MOST_PLACES:
        if seat.out[2] < 0.5:
            raise ParamError("a ring needs a face that looks up; on an upright one its layers would lie otherwise at every "
                             "place", field="pattern", value=pattern)
        found = []
        for number in range(1, int(told)):
            angle = 2 * math.pi * number / int(told)
            c, s = math.cos(angle), math.sin(angle)
            x, y = first["x"] - middle[0], first["y"] - middle[1]
            x, y = float(middle[0] + c * x - s * y), float(middle[1] + s * x + c * y)
            found.append({**first, "x": round(x, 6), "y": round(y, 6),
                          "turn": round(math.remainder(first["turn"] + math.degrees(angle), 360.0), 6)})
        return found
    else:
        raise ParamError(f"'{shortly(pattern)}' is no pattern; name a row as row 3x20, a ring as ring 4, or mirror",
                         field="pattern", value=pattern)
    return [{**first, **{axis: round(first[axis] + float(by), 6) for axis, by in zip("xyz", shift, strict=True)}}
            for shift in shifts]


SNAP = 1.5
"""How near to a face's middle, a corner, the middle of a side or a hole a pointed place is taken for it, mm."""


def pointed(body: Body, there: Point) -> Seated | None:
    """Return the seat at a place of a part as it lies on the bed, mm; None where no flat face is.

    A place near the middle of a hole or of the face, a corner of the rectangle round it or the middle of one of its sides is
    taken for that.
    """
    surface = surface_of(body.base)
    point = tree.moved_point(tree.invert(body.at), there)
    for hole in surface.holes:
        off = np.array(point) - np.array(hole.centre)
        if abs(off @ np.array(hole.axis)) < SNAP and np.linalg.norm(off) < hole.diameter / 2 + SNAP:
            return Seated(seat=f"{HOLE}:{hole.name}")
    best, nearest = None, SNAP
    for face in surface.faces:
        off = abs(float((np.array(point) - np.array(face.corner)) @ np.array(face.normal)))
        if off < min(nearest, 0.2) and _on(face, face.at(point)):
            best, nearest = face, off
    if best is None:
        return None
    if math.dist(point, best.centre) < SNAP:
        return Seated(seat=f"{FACE}:{best.name}")
    u, v = best.at(point)
    near = [(x, y) for x in (0.0, best.width / 2, best.width) for y in (0.0, best.height / 2, best.height)
            if math.hypot(u - x, v - y) < SNAP]
    at = near[0] if near else (round(u * 2) / 2, round(v * 2) / 2)
    return Seated(seat=f"{FACE}:{best.name}", at=at)


def offered(body: Body) -> dict[str, str]:
    """Return the seats of a part by name, and each in words: which face and how large."""
    surface, found = surface_of(body.base), {}
    for face in surface.faces:
        found[f"{FACE}:{face.name}"] = f"{face.name}, {face.width:.0f} × {face.height:.0f}"
    for hole in surface.holes:
        found[f"{HOLE}:{hole.name}"] = f"{hole.name.replace('-', ' ')} in {hole.face}, ⌀ {hole.diameter:.1f}"
    for edge in surface.edges:
        found[f"{EDGE}:{edge.name}"] = f"edge {edge.name.replace('-', ' / ', 1)}, {edge.length:.0f}"
    return found


def suitable(body: Body, seat: Seated) -> tuple[str, ...]:
    """Return the ids of the kinds of which a side can sit on a seat as the part prints, in the order they are offered."""
    try:
        there = found(body, seat)
    except ParamError:
        return ()
    up = float(there.out[2])
    ids = []
    for family in registry.families():
        for kind_id in family.kinds:
            rules = registry.kind(kind_id).seats.values()
            if any(up > ALIKE if rule.out == "+z" else abs(up) < 0.01 for rule in rules):
                ids.append(kind_id)
    return tuple(ids)


def side_for(kind: Kind, seat: Found) -> str:
    """Return the first side of a kind that can sit on a seat as it looks; raises ParamError where none can."""
    for side, rule in kind.seats.items():
        try:
            _refuse_tilted(kind, rule, seat)
        except ParamError:
            continue
        return side
    if kind.seats:
        _refuse_tilted(kind, next(iter(kind.seats.values())), seat)
    raise ParamError(f"a {kind.title.lower()} sits on no face of a part; build it in by coordinates on its own page",
                     field="seat")


def told(body: Body) -> Mapping[str, Any]:
    """Return what a part offers to sit on, by plain values: its faces, edges and holes, in its own coordinates, mm."""
    surface = surface_of(body.base)

    def plain(point: Point) -> list[float]:
        return [round(v, 3) for v in point]

    return {
        "faces": [{"seat": f"face:{face.name}", "centre": plain(face.centre), "normal": plain(face.normal),
                   "width": round(face.width, 3), "height": round(face.height, 3), "area": round(face.area, 2),
                   "left_lower": plain(face.corner),
                   "thickness_at_centre": round(measure.thickness(body.base, face.centre, inwards(face)), 3),
                   "looks": looks(_turned(body.at, face.normal))} for face in surface.faces],
        "edges": [{"seat": f"edge:{edge.name}", "from": plain(edge.start), "to": plain(edge.end),
                   "middle": plain(edge.middle), "length": round(edge.length, 3)} for edge in surface.edges],
        "holes": [{"seat": f"hole:{hole.name}", "face": hole.face, "centre": plain(hole.centre), "axis": plain(hole.axis),
                   "diameter": round(hole.diameter, 3)} for hole in surface.holes],
    }


def looks(normal: Array) -> str:
    """Return where a face looks as the part prints: up, down, upright (it stands), or how far it leans."""
    up = float(normal[2])
    if up > ALIKE or up < -ALIKE:
        return "up" if up > 0 else "down"
    return "upright" if abs(up) < 0.01 else f"{math.degrees(math.acos(max(-1.0, min(1.0, up)))):.0f}° off upright"
