"""A box of base and lid from an outline, printed flat, with a step in the rim that seats the lid."""

from __future__ import annotations

from dataclasses import replace

from pydantic import field_validator

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import Params, choice, number
from bouncy_latch.core.parts import outlines
from bouncy_latch.core.parts.body import Body, Seat
from bouncy_latch.core.parts.hinged import BACK, Fold, Hinged, Wants
from bouncy_latch.core.parts.outlines import EdgedOutline
from bouncy_latch.core.parts.slab import slab
from bouncy_latch.core.solids import tree

BOX = "box"
_BOX = {"host": (BOX,)}


class BoxParams(Params):
    """Sizes of a box."""

    outline: str = choice("rounded-rectangle", outlines.NAMED, open_choice=True, inline=outlines.INLINE, label="outline",
                          role="given", when=_BOX, part="box",
                          help="Plan of the box: a named shape, or an SVG or DXF file with a straight edge.")
    width: float = number(70, label="width", unit="mm", role="given", low=15, high=400, step=1, when=_BOX, part="box",
                          help="Outer size along the hinge.", source="you")
    depth: float = number(46, label="depth", unit="mm", role="given", low=12, high=400, step=1, when=_BOX, part="box",
                          help="Outer size across the hinge.", source="you")
    base_height: float = number(18, label="base height", unit="mm", role="given", low=4, high=200, step=0.2, when=_BOX,
                                part="box", help="Height of the base's rim above the bed.", source="you")
    lid_height: float = number(18, label="lid height", unit="mm", role="given", low=4, high=200, step=0.2, when=_BOX,
                               part="box", help="Height of the lid's rim above the bed as printed.", source="you")
    floor: float = number(1.6, label="floor", unit="mm", role="chosen", low=0.4, high=10, step=0.2, when=_BOX, part="box",
                          help="Thickness of the bottom of base and lid.")
    corner_radius: float = number(6, label="corner radius", unit="mm", role="chosen", low=0, high=100, step=0.5, when=_BOX,
                                  part="box", help="Outer radius of the upright corners; inside it is less the wall.")
    rim_step: float = number(1.0, label="rim step", unit="mm", role="chosen", low=0, high=6, step=0.1, when=_BOX, part="box",
                             help="Overlap of the step that seats the lid; 0 for plain rims.")
    rim_clearance: float = number(0.2, label="rim clearance", unit="mm", role="chosen", low=0.05, high=1, step=0.05, when=_BOX,
                                  part="box", help="Clearance of the rim step, per side.")
    lid_edge: float = number(0, label="lid edge bevel", unit="mm", role="chosen", low=0, high=3, step=0.1, when=_BOX,
                             part="box", help="45° bevel round the lid's rim, to get a fingernail under; 0 for none.")

    @field_validator("outline")
    @classmethod
    def _embed_outline(cls, value: str) -> str:
        return outlines.embed(value)


def edged(p: BoxParams) -> EdgedOutline:
    """Return the plan with its hinge edge on y = 0; raises SolveError or ReadError."""
    return outlines.edged(p.outline, p.width, p.depth, p.corner_radius)


def box(p: BoxParams, wants: Wants) -> Hinged:
    """Return a base at y < 0 and its mirror image, the lid, at y > 0."""
    plan = edged(p)
    lip = wants.wall / 2 - p.rim_clearance / 2
    rim = Seat(edge=2 * plan.half, rim=p.base_height, reach=plan.reach, wall=wants.wall)

    def build() -> tuple[Body, ...]:
        base = _tray(plan, p, wants, p.base_height)
        lid = _tray(plan, p, wants, p.lid_height)
        if p.rim_step > 0:
            base = base + _lip(plan, p, wants)
            lid = lid - _recess(plan, p, wants)
        if p.lid_edge > 0:
            lid = lid - _edge_bevel(plan, p, wants)
        shift = wants.between / 2
        return (Body("A", "base", base, (1, 0, 0, 0, 0, 1, 0, -shift, 0, 0, 1, 0)),
                Body("B", "lid", lid.mirror("y"), (1, 0, 0, 0, 0, 1, 0, shift, 0, 0, 1, 0)))

    fold = Fold(("A", rim), ("B", replace(rim, rim=p.lid_height, frame=BACK)))
    return Hinged((fold,), plan.half, (p.base_height, p.lid_height), plan.reach + wants.between / 2,
                  min(wants.wall, lip) if p.rim_step > 0 else wants.wall, False, build)


def refuse_what_cannot_be(p: BoxParams, wall: float) -> None:
    """Raise one sentence for sizes that are sane alone and impossible together."""
    if p.floor >= min(p.base_height, p.lid_height):
        raise SolveError("the floor is thicker than the box is high", field="floor", value=p.floor)
    if p.rim_step > 0 and wall / 2 - p.rim_clearance / 2 < 0.2:
        raise SolveError(f"a {wall:g} mm wall is too thin for a rim step with {p.rim_clearance:g} mm clearance",
                         field="rim_clearance", value=p.rim_clearance, limit=wall - 0.4)
    plan = edged(p)
    plan.outline.inset_freely(wall)
    if p.lid_edge > 0:
        plan.outline.inset(p.lid_edge)


def _tray(plan: EdgedOutline, p: BoxParams, wants: Wants, height: float) -> tree.Solid:
    shell = slab(plan.outline, height, wants.chamfer, wants.layer)
    hollow = tree.Extrude(plan.outline.inset_freely(wants.wall), height)
    return shell - hollow.move(z=p.floor)


def _away_from_fold(solid: tree.Solid, plan: EdgedOutline, near: float, top: float) -> tree.Solid:
    """Return what lies farther than ``near`` mm inside the hinge edge."""
    x0, y0, x1, _ = plan.outline.bounds
    return solid & tree.Box(x0 - 5, y0 - 5, -5, x1 + 5, -near, top + 5)


def _lip(plan: EdgedOutline, p: BoxParams, wants: Wants) -> tree.Solid:
    """The base's inner step; its height past the closing gap is the overlap."""
    outer = plan.outline.inset_freely(wants.wall / 2 + p.rim_clearance / 2)
    inner = plan.outline.inset_freely(wants.wall)
    root = min(0.4, p.base_height / 4)
    height = root + wants.closing + p.rim_step
    ring = tree.Extrude(outer, height) - tree.Extrude(inner, height + 2).move(z=-1)
    return _away_from_fold(ring.move(z=p.base_height - root), plan, wants.plain - wants.between / 2, p.base_height + height)


def _recess(plan: EdgedOutline, p: BoxParams, wants: Wants) -> tree.Solid:
    """What the lid's rim gives up for the base's step, with the rim clearance all round and above."""
    outer = plan.outline.inset_freely(wants.wall / 2 - p.rim_clearance / 2)
    depth = p.rim_step + p.rim_clearance
    cut = tree.Extrude(outer, depth + 1).move(z=p.lid_height - depth)
    return _away_from_fold(cut, plan, wants.plain - p.rim_clearance - wants.between / 2, p.lid_height + 1)


def _edge_bevel(plan: EdgedOutline, p: BoxParams, wants: Wants) -> tree.Solid:
    """The 45-degree bevel round the lid's rim, to get a fingernail under and to hide a mismatch of the halves."""
    size = p.lid_edge
    inner = plan.outline.inset(size)
    block = tree.Extrude(plan.outline.inset_freely(-1.0), size + 1)
    kept = tree.Loft(((plan.outline, 0.0), (inner, size), (inner, size + 1.5)))
    ring = (block - kept).move(z=p.lid_height - size)
    return _away_from_fold(ring, plan, wants.plain - wants.between / 2, p.lid_height + 2)
