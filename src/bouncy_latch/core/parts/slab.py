"""Upright walls on the bed: an outline extruded, with a 45-degree chamfer along its bed edge."""

from __future__ import annotations

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Outline


def slab(outline: Outline, height: float, chamfer: float, layer_height: float) -> tree.Solid:
    """Return ``outline`` from z = 0 to ``height`` with its bed edge chamfered by ``chamfer`` mm.

    Where an edge of the outline is too short for an exact chamfer, it is stepped by layers, which is how it prints anyway.
    """
    if chamfer <= 0:
        return tree.Extrude(outline, height)
    try:
        return tree.Loft(((outline.inset(chamfer), 0.0), (outline, chamfer), (outline, height)))
    except SolveError:
        steps: list[tree.Solid] = [tree.Extrude(outline, height - chamfer).move(z=chamfer)]
        bottom = 0.0
        while bottom < chamfer - 1e-9:
            top = min(bottom + layer_height, chamfer)
            inset = outline.inset_freely(chamfer - (bottom + top) / 2)
            steps.append(tree.Extrude(inset, top - bottom).move(z=bottom))
            bottom = top
        return tree.union(steps)
