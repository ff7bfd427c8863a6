"""Hosts that fold about an axis along x: what a hinge needs to know about the two bodies it joins.

The fold plane is y = 0; body A lies at y < 0, body B at y > 0, both open side up on the bed z = 0.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from bouncy_latch.core.hosts.outlines import EdgedOutline
from bouncy_latch.core.hosts.slab import slab
from bouncy_latch.core.mechanisms.contract import Host
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import rectangle


@dataclass(frozen=True)
class FoldHosts:
    """Two or more bodies side by side.

    Attributes:
        half: the straight edge runs from x = −half to +half, mm.
        rim_a, rim_b: rim heights, mm.
        reach: from the fold plane to the free edge, mm.
        thinnest: thinnest wall of the hosts themselves, mm.
        carrier: thickness of the wall behind a knuckle, mm.
        joints: y of every fold plane.
        bevel_allowed: whether the faces at the fold may lean back for travel beyond flat.
        build: makes the bodies; called only when the solid is wanted.
    """

    half: float
    rim_a: float
    rim_b: float
    reach: float
    thinnest: float
    carrier: float
    joints: tuple[float, ...]
    bevel_allowed: bool
    build: Callable[[], tuple[Host, ...]]


def leaves(*, length: float, width: float, thickness: float, fold_gap: float, chamfer: float, layer: float,
           links: int = 2, lean: Callable[[], tree.Solid] | None = None) -> FoldHosts:
    """Return ``links`` plain plates in a row: 2 are the two leaves of a test piece, more are a chain.

    ``lean`` makes the wedge that body A loses at a fold so that its face leans back; body B loses the mirror image.
    """
    pitch = width + fold_gap

    def build() -> tuple[Host, ...]:
        plate = slab(rectangle(-length / 2, -fold_gap / 2 - width, length / 2, -fold_gap / 2), thickness, chamfer, layer)
        names = [chr(ord("A") + i) for i in range(links)]
        labels = ["leaf A", "leaf B"] if links == 2 else [f"link {i + 1}" for i in range(links)]
        found = []
        for i, (name, label) in enumerate(zip(names, labels, strict=True)):
            solid = plate.move(y=i * pitch)
            if lean is not None:
                wedge = lean()
                sides = [wedge.move(y=i * pitch)] if i < links - 1 else []
                sides += [wedge.mirror("y").move(y=(i - 1) * pitch)] if i else []
                solid = tree.difference(solid, sides)
            found.append(Host(name, label, solid))
        return tuple(found)

    return FoldHosts(
        half=length / 2, rim_a=thickness, rim_b=thickness, reach=width + fold_gap / 2, thinnest=thickness,
        carrier=width, joints=tuple(i * pitch for i in range(links - 1)), bevel_allowed=True, build=build)


@dataclass(frozen=True)
class BoxSizes:
    """Sizes of a box with base and lid, mm."""

    wall: float
    floor: float
    base_height: float
    lid_height: float
    fold_gap: float
    closing_gap: float
    chamfer: float
    rim_step: float
    rim_clearance: float
    lid_edge: float
    layer: float
    keep_clear: float
    """Distance from the fold plane within which the rim stays plain, so that the knuckles can turn."""


def box(edged: EdgedOutline, sizes: BoxSizes) -> FoldHosts:
    """Return a base at y < 0 and its mirror image, the lid, at y > 0."""
    lip = sizes.wall / 2 - sizes.rim_clearance / 2

    def build() -> tuple[Host, ...]:
        base = _tray(edged, sizes, sizes.base_height)
        lid = _tray(edged, sizes, sizes.lid_height)
        if sizes.rim_step > 0:
            base = base + _lip(edged, sizes)
            lid = lid - _recess(edged, sizes)
        if sizes.lid_edge > 0:
            lid = lid - _edge_bevel(edged, sizes)
        shift = sizes.fold_gap / 2
        return (Host("A", "base", base.move(y=-shift)), Host("B", "lid", lid.mirror("y").move(y=shift)))

    return FoldHosts(
        half=edged.half, rim_a=sizes.base_height, rim_b=sizes.lid_height, reach=edged.reach + sizes.fold_gap / 2,
        thinnest=min(sizes.wall, lip) if sizes.rim_step > 0 else sizes.wall, carrier=sizes.wall, joints=(0.0,),
        bevel_allowed=False, build=build)


def _tray(edged: EdgedOutline, sizes: BoxSizes, height: float) -> tree.Solid:
    shell = slab(edged.outline, height, sizes.chamfer, sizes.layer)
    hollow = tree.Extrude(edged.outline.inset_freely(sizes.wall), height)
    return shell - hollow.move(z=sizes.floor)


def _away_from_hinge(solid: tree.Solid, edged: EdgedOutline, sizes: BoxSizes, top: float) -> tree.Solid:
    x0, y0, x1, _ = edged.outline.bounds
    near = sizes.fold_gap / 2 - sizes.keep_clear
    return solid & tree.Box(x0 - 5, y0 - 5, -5, x1 + 5, near, top + 5)


def _lip(edged: EdgedOutline, sizes: BoxSizes) -> tree.Solid:
    """The base's inner step; its height past the closing gap is the overlap."""
    outer = edged.outline.inset_freely(sizes.wall / 2 + sizes.rim_clearance / 2)
    inner = edged.outline.inset_freely(sizes.wall)
    root = min(0.4, sizes.base_height / 4)
    height = root + sizes.closing_gap + sizes.rim_step
    ring = tree.Extrude(outer, height) - tree.Extrude(inner, height + 2).move(z=-1)
    top = sizes.base_height + height
    return _away_from_hinge(ring.move(z=sizes.base_height - root), edged, sizes, top)


def _recess(edged: EdgedOutline, sizes: BoxSizes) -> tree.Solid:
    """What the lid's rim gives up for the base's step, with the rim clearance all round and above."""
    outer = edged.outline.inset_freely(sizes.wall / 2 - sizes.rim_clearance / 2)
    depth = sizes.rim_step + sizes.rim_clearance
    cut = tree.Extrude(outer, depth + 1).move(z=sizes.lid_height - depth)
    return _away_from_hinge(cut, edged, _cleared(sizes, -sizes.rim_clearance), sizes.lid_height + 1)


def _cleared(sizes: BoxSizes, extra: float) -> BoxSizes:
    from dataclasses import replace

    return replace(sizes, keep_clear=sizes.keep_clear + extra)


def _edge_bevel(edged: EdgedOutline, sizes: BoxSizes) -> tree.Solid:
    """The 45-degree bevel round the lid's rim, to get a fingernail under and to hide a mismatch of the halves."""
    size = sizes.lid_edge
    inner = edged.outline.inset(size)
    block = tree.Extrude(edged.outline.inset_freely(-1.0), size + 1)
    kept = tree.Loft(((edged.outline, 0.0), (inner, size), (inner, size + 1.5)))
    ring = (block - kept).move(z=sizes.lid_height - size)
    return _away_from_hinge(ring, edged, sizes, sizes.lid_height + 2)
