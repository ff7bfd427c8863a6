"""Outlines in: one closed outline from an SVG or DXF drawing, in millimetres, lines and arcs kept.

The drawing is read in a process of its own (:mod:`apart`); a few hundred bytes can ask a reader for hours of work.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bouncy_latch.core import files
from bouncy_latch.core.errors import ReadError, SolveError
from bouncy_latch.core.formats import reader_process
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import outline
from bouncy_latch.core.solids.outline import Corner, Outline

LEAST, MOST = 5.0, 1000.0
"""Sizes outside this range are a wrong unit, mm."""
MOST_BYTES = 10 * 2**20
_CLOSE = 0.02
_FLATNESS = 0.02
_PIXELS_PER_INCH = 96.0


def read_outline(path: Path, progress: Progress = unwatched) -> Outline:
    """Return the largest closed outline of a drawing.

    Raises:
        ReadError: when the file cannot be read, has no closed outline, crosses itself, is in a wrong unit, or asks for more
            time or memory than a drawing may take.
        Cancelled: when ``progress`` returned False.
    """
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        raise ReadError(f"{path.name} is neither an SVG nor a DXF drawing", field="outline", value=str(path))
    files.open_regular(path, MOST_BYTES).close()
    corners: tuple[Corner, ...] = reader_process.run(taken_apart, path, name=path.name, progress=progress)
    return Outline(corners)


def taken_apart(path: Path) -> tuple[Corner, ...]:
    """Return the corners of the largest closed outline of a drawing; runs in the reader process, raises ReadError."""
    try:
        paths = READERS[path.suffix.lower()](path)
    except (ReadError, MemoryError):
        raise
    except Exception:  # third-party readers raise anything at all on broken files
        raise ReadError(f"{path.name} is damaged or no {path.suffix[1:].upper()} drawing", field="outline") from None
    closed = [corners for corners, is_closed in paths if is_closed]
    if not closed:
        what = "its outline is open: the ends do not meet" if paths else "it holds no outline"
        raise ReadError(f"{path.name}: {what}", field="outline", value=str(path))
    try:
        longest = max(len(corners) for corners in closed)
        if longest > outline.MOST_CORNERS:
            raise ReadError(f"{path.name}: its outline has {longest} corners; at most {outline.MOST_CORNERS} are worked with",
                            field="outline", value=longest, limit=outline.MOST_CORNERS)
        found = max((outline.from_corners(corners) for corners in closed), key=lambda o: o.area)
    except SolveError as error:
        raise ReadError(f"{path.name}: {error.sentence}", field="outline", value=str(path)) from None
    x0, y0, x1, y1 = found.bounds
    size = max(x1 - x0, y1 - y0)
    if not LEAST <= size <= MOST:
        raise ReadError(f"{path.name} is {size:.3g} mm across; is its unit wrong? {LEAST:g} to {MOST:g} mm is expected",
                        field="outline", value=size)
    return found.corners


PathCorners = tuple[list[Corner], bool]


def _arc_corners(start: tuple[float, float], sweep: float) -> list[Corner]:
    """One corner whose edge is an arc; sweeps near a full turn are split so that the bulge stays finite."""
    return [(*start, math.tan(sweep / 4))]


def _read_svg(path: Path) -> list[PathCorners]:
    import svgelements

    drawing = svgelements.SVG.parse(str(path), ppi=_PIXELS_PER_INCH)
    if not _has_physical_size(drawing):
        raise ReadError(f"{path.name} does not say how large it is: give the drawing a width in mm, cm or in",
                        field="outline", value=str(path))
    found: list[PathCorners] = []
    for element in drawing.elements():
        if isinstance(element, svgelements.Shape):
            for part in svgelements.Path(element).as_subpaths():
                corners = _svg_corners(svgelements.Path(part))
                if corners is not None:
                    found.append(corners)
    return found


def _has_physical_size(drawing: Any) -> bool:
    return any(str(drawing.values.get(side, "")).strip().endswith(("mm", "cm", "in")) for side in ("width", "height"))


def _svg_corners(path: Any) -> PathCorners | None:
    import svgelements

    scale = 25.4 / _PIXELS_PER_INCH

    def point(p: Any) -> tuple[float, float]:
        return float(p.x) * scale, -float(p.y) * scale

    corners: list[Corner] = []
    last: tuple[float, float] | None = None
    for segment in path:
        if isinstance(segment, svgelements.Move) or segment.start is None or segment.end is None:
            continue
        start, last = point(segment.start), point(segment.end)
        if isinstance(segment, (svgelements.Line, svgelements.Close)):
            if math.dist(start, last) > 1e-9:
                corners.append((*start, 0.0))
        elif isinstance(segment, svgelements.Arc) and math.isclose(segment.rx, segment.ry, rel_tol=1e-6):
            pieces = max(1, math.ceil(abs(segment.sweep) / math.pi))
            for i in range(pieces):
                # The y axis is flipped, and the sweep with it.
                corners += _arc_corners(point(segment.point(i / pieces)), -float(segment.sweep) / pieces)
        else:
            length = float(segment.length(error=1e-3)) * scale
            pieces = min(400, max(8, math.ceil(length / 0.5)))
            corners += [(*point(segment.point(i / pieces)), 0.0) for i in range(pieces)]
    if not corners or last is None:
        return None
    return corners, math.dist(corners[0][:2], last) < _CLOSE


def _read_dxf(path: Path) -> list[PathCorners]:
    import ezdxf
    from ezdxf import units

    drawing = ezdxf.readfile(path)
    factor = units.conversion_factor(units.InsertUnits(drawing.units), units.InsertUnits.Millimeters) \
        if drawing.units else 1.0
    loose: list[tuple[tuple[float, float], tuple[float, float], list[Corner]]] = []
    found: list[PathCorners] = []
    for entity in drawing.modelspace():
        kind = entity.dxftype()
        if kind == "LWPOLYLINE":
            corners = [(x * factor, y * factor, b) for x, y, b in entity.get_points("xyb")]
            meets = len(corners) > 1 and math.dist(corners[0][:2], corners[-1][:2]) < _CLOSE
            found.append((corners[:-1] if meets and not entity.closed else corners, bool(entity.closed or meets)))
        elif kind == "CIRCLE":
            r, c = entity.dxf.radius * factor, entity.dxf.center * factor
            found.append(([(c.x + r, c.y, 1.0), (c.x - r, c.y, 1.0)], True))
        elif kind in {"LINE", "ARC", "SPLINE", "ELLIPSE"}:
            loose.append(_dxf_edge(entity, kind, factor))
    return found + _chained(loose)


def _dxf_edge(entity: Any, kind: str, factor: float) -> tuple[tuple[float, float], tuple[float, float], list[Corner]]:
    if kind == "LINE":
        a, b = entity.dxf.start * factor, entity.dxf.end * factor
        return (a.x, a.y), (b.x, b.y), [(a.x, a.y, 0.0)]
    if kind == "ARC":
        a, b = entity.start_point * factor, entity.end_point * factor
        sweep = math.radians((entity.dxf.end_angle - entity.dxf.start_angle) % 360)
        return (a.x, a.y), (b.x, b.y), _arc_corners((a.x, a.y), sweep)
    points = [(p.x * factor, p.y * factor) for p in entity.flattening(_FLATNESS / factor)]
    return points[0], points[-1], [(x, y, 0.0) for x, y in points[:-1]]


def _chained(edges: list[tuple[tuple[float, float], tuple[float, float], list[Corner]]]) -> list[PathCorners]:
    """Join loose edges end to end, turning them round where needed."""
    if len(edges) > outline.MOST_CORNERS:
        raise ReadError(f"the drawing has {len(edges)} loose lines and arcs; at most {outline.MOST_CORNERS} are worked with",
                        field="outline", value=len(edges), limit=outline.MOST_CORNERS)
    rest = list(edges)
    found: list[PathCorners] = []
    while rest:
        first, end, corners = rest.pop(0)
        grown = True
        while grown and math.dist(first, end) >= _CLOSE:
            grown = False
            for i, (a, b, more) in enumerate(rest):
                if math.dist(a, end) < _CLOSE or math.dist(b, end) < _CLOSE:
                    rest.pop(i)
                    forward = math.dist(a, end) < _CLOSE
                    corners = corners + (more if forward else _turned(more, b))
                    end = b if forward else a
                    grown = True
                    break
        found.append((corners, math.dist(first, end) < _CLOSE))
    return found


def _turned(corners: list[Corner], end: tuple[float, float]) -> list[Corner]:
    """The same edges in the other direction."""
    points = [c[:2] for c in corners] + [end]
    bulges = [-c[2] for c in corners]
    return [(*points[i + 1], bulges[i]) for i in reversed(range(len(bulges)))]


READERS: dict[str, Callable[[Path], list[PathCorners]]] = {".svg": _read_svg, ".dxf": _read_dxf}
