"""What may be asked of a part, and its body before anything sits on it."""

from __future__ import annotations

from functools import lru_cache

from pydantic import field_validator

from bouncy_latch.core import fields
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import choice, number
from bouncy_latch.core.parts import blocks, outlines
from bouncy_latch.core.parts.body import Body
from bouncy_latch.core.parts.halves import CUT, STANDS, WHOLE, kept
from bouncy_latch.core.solids import contents, mesh, tree
from bouncy_latch.core.solids.outline import Outline, polygon

BLOCK, PLATE, BOX, TUBE, BALL, WEDGE, CUP, FILE = SHAPES = ("block", "plate", "box", "tube", "ball", "wedge", "cup", "file")
NO_FILE = "none"
_FLAT, _ROUND, _WALLED = (BLOCK, PLATE, BOX, WEDGE), (TUBE, BALL), (BOX, TUBE, CUP)
_OUTLINED = (CUP,)


class PartParams(fields.Params):
    """Sizes of a part."""

    shape: str = choice(BLOCK, SHAPES, label="shape", role="chosen", source="you",
                        help="A built-in part (a box is open at its top), or one read from a file of yours.")
    file: str = choice(NO_FILE, (NO_FILE,), label="file", role="given", open_choice=True, inline=f"{contents.FOLDER}/",
                       when={"shape": ()}, source="you",
                       help="What was read from a file, kept in the project; nobody types it.")
    length: float = number(60, label="length", unit="mm", role="given", low=2, high=500, step=0.5, source="you",
                           help="From left to right.", when={"shape": (*_FLAT, CUP)})
    width: float = number(40, label="width", unit="mm", role="given", low=2, high=500, step=0.5, source="you",
                          help="From front to back.", when={"shape": (*_FLAT, CUP)})
    height: float = number(10, label="height", unit="mm", role="given", low=0.4, high=500, step=0.5, source="you",
                           help="From the bed up.", when={"shape": (BLOCK, BOX, WEDGE, TUBE, CUP)})
    thickness: float = number(3, label="thickness", unit="mm", role="given", low=0.4, high=50, step=0.2, source="you",
                              help="Of a plate, from the bed up.", when={"shape": (PLATE,)})
    diameter: float = number(40, label="outer diameter", unit="mm", role="given", low=2, high=500, step=0.5, source="you",
                             help="Across the outside.", when={"shape": _ROUND})
    wall: float = number(2.4, label="wall", unit="mm", role="chosen", low=0.4, high=50, step=0.2, source="three lines a side",
                         help="Thickness of the upright walls.", when={"shape": _WALLED})
    floor: float = number(2, label="floor", unit="mm", role="chosen", low=0, high=50, step=0.2, source="ten layers",
                          help="Thickness of the bottom; 0 leaves a tube open.", when={"shape": _WALLED})
    outline: str = choice("rounded-rectangle", outlines.NAMED, label="outline", role="given", open_choice=True,
                          inline=outlines.INLINE, source="you", when={"shape": _OUTLINED},
                          help="Of a cup, seen from above: a name, or an SVG or DXF file.")
    corner_radius: float = number(6, label="corner radius", unit="mm", role="chosen", low=0, high=100, step=0.5, source="you",
                                  help="Of a cup's upright corners.", when={"shape": _OUTLINED})
    half: str = choice(WHOLE, (WHOLE,), label="half", role="chosen", open_choice=True, inline=CUT, when={"shape": ()},
                       source="as drawn", help="Which part of it was kept by splits, in its own coordinates; nobody types it.")
    stands: str = choice("bottom", tuple(STANDS), label="lies on its", role="chosen", source="as drawn",
                         help="Which of its sides, as it was drawn, lies on the bed when it is printed.")


    @field_validator("outline")
    @classmethod
    def _embed_outline(cls, value: str) -> str:
        return outlines.embed(value)


def base(p: PartParams) -> tree.Solid:
    """Return a part's body as it was drawn, less what splits took away.

    Raises:
        SolveError: for sizes that make none, or a split that leaves nothing. ParamError: for a file that is not there.
    """
    found = _drawn(p)
    return kept(found, p.half)


def _drawn(p: PartParams) -> tree.Solid:
    """Return a part's body as it was drawn.

    Raises:
        SolveError: for sizes that make none. ParamError: for a file that is not there.
    """
    if p.shape == FILE:
        if p.file == NO_FILE:
            raise SolveError("this part has no file yet: read one with `part add`, or by “add a part” on the shelf",
                             field="file", value=p.file)
        return contents.body(p.file)
    if p.shape in {BLOCK, PLATE}:
        return tree.Box(0, 0, 0, p.length, p.width, p.height if p.shape == BLOCK else p.thickness)
    if p.shape == BOX:
        _refuse_thick(p, min(p.length, p.width))
        hollow = tree.Box(p.wall, p.wall, p.floor, p.length - p.wall, p.width - p.wall, p.height + 1)
        return tree.Box(0, 0, 0, p.length, p.width, p.height) - hollow
    if p.shape == WEDGE:
        side = polygon([(0.0, 0.0), (p.length, 0.0), (0.0, p.height)])
        return tree.Extrude(side, p.width).placed((1, 0, 0, 0, 0, 0, -1, p.width, 0, 1, 0, 0))
    if p.shape == BALL:
        return tree.Sphere(p.diameter / 2).move(z=p.diameter / 2)
    if p.shape == TUBE:
        _refuse_thick(p, p.diameter)
        return blocks.tube(p.diameter / 2 - p.wall, p.diameter / 2, p.height, floor=p.floor)
    _refuse_thick(p, min(p.length, p.width))
    drawn: Outline = outlines.edged(p.outline, p.length, p.width, p.corner_radius).outline
    inside = tree.Extrude(drawn.inset(p.wall), p.height - p.floor + 1).move(z=p.floor)
    return tree.Extrude(drawn, p.height) - inside


def _refuse_thick(p: PartParams, across: float) -> None:
    if 2 * p.wall >= across - 0.5:
        raise SolveError(f"walls of {p.wall:g} mm leave nothing inside a {p.shape} {across:g} mm across", field="wall",
                         value=p.wall, limit=round(across / 2 - 0.3, 1))
    if p.floor >= p.height:
        raise SolveError(f"a floor of {p.floor:g} mm fills a {p.shape} {p.height:g} mm high", field="floor", value=p.floor,
                         limit=p.height - 0.1)


@lru_cache(maxsize=32)
def body(p: PartParams) -> Body:
    """Return a part's body, laid on the bed where it was drawn; raises as :func:`base`."""
    drawn = base(p)
    turn = STANDS[p.stands]
    low = mesh.evaluate(drawn.placed(turn)).bounding_box()[2]
    return Body("A", "part", drawn, tree.compose((1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, -low), turn))
