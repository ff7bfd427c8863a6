"""Generated bodies that stand for parts made elsewhere: manifolds, mm, standing on the bed."""

from __future__ import annotations

import math

import manifold3d

Solid = manifold3d.Manifold


def cylinder(height, low, high=None, z=0.0, segments=128):
    return Solid.cylinder(height, low, low if high is None else high, segments).translate((0, 0, z))


def block(x, y, z, at=(0, 0, 0)):
    return Solid.cube((x, y, z)).translate(at)


def bearing(gap):
    """A printed-in bearing: a waisted core with a hexagonal bore turns in a ring; ``gap`` normal to its 45° faces.

    Both are chamfered at the bed, so that no elephant foot joins them.
    """
    shift = gap * math.sqrt(2)
    core = cylinder(4, 9, 5) + cylinder(4, 5, 9, 4) - cylinder(10, 2.5, segments=6, z=-1)
    room = cylinder(4, 9 + shift, 5 + shift) + cylinder(4, 5 + shift, 9 + shift, 4)
    ring = cylinder(8, 14) - room
    return {"core": core ^ cylinder(8.4, 8.6, 17), "ring": ring - cylinder(0.4, 9.4 + shift, 9 + shift)}


def lidded(layers, height=0.2, thick=3):
    """A cup with a lid over it, ``layers`` empty layers between them."""
    cup = block(24, 24, 10) - block(20, 20, 9, (2, 2, 1))
    return {"cup": cup, "lid": block(24, 24, thick, (0, 0, 10 + layers * height))}
