"""Blocks, plates and tubes: the plain bodies that parts printed apart are built into, in coordinates of the seat they offer."""

from __future__ import annotations

from typing import Any

from bouncy_latch.core.fields import number
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import polygon, rectangle


def backing(default: float, *, label: str, low: float, high: float, help: str, part: str) -> Any:
    """Declare the one size that built-in blocks and plates have of their own: how far they reach behind the mechanism."""
    return number(default, label=label, unit="mm", role="given", low=low, high=high, step=1, help=help, source="you", part=part)


def block(x0: float, y0: float, x1: float, y1: float, height: float) -> tree.Solid:
    """Return a block or plate standing on z = 0: a rectangle, ``height`` mm high."""
    return tree.Extrude(rectangle(x0, y0, x1, y1), height)


def tube(inner: float, outer: float, height: float, *, floor: float = 0.0, ease: tuple[float, float] = (0.0, 0.0),
         as_round: float = 0.0) -> tree.Solid:
    """Return a tube about z standing on z = 0.

    Args:
        inner, outer: radii, mm; an inner radius of 0 is a full round. floor: thickness of a closed bottom.
        ease: 45° bevels of the outer edge at the bottom and at the top, mm.
        as_round: radius whose facets the mesh takes; 0: its own.
    """
    low, high = ease
    outside = [(outer, height - high), (outer - high, height)] if high > 0 else [(outer, height)]
    inside = [(inner, height), (inner, floor), (0.0, floor), (0.0, 0.0)] if inner > 0 and floor > 0 else \
        [(inner, height), (inner, 0.0)]
    bottom = [(outer - low, 0.0), (outer, low)] if low > 0 else [(outer, 0.0)]
    return tree.Revolve(polygon([*bottom, *outside, *inside]), as_round=as_round)
