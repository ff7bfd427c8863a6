"""Sections of what a stand-in printer laid, as distances: how far outlines and holes lie from the middle, and along a line."""

from __future__ import annotations

from typing import Any

import numpy as np

from bouncy_latch.core.layers.laying import signed_area
from bouncy_latch.core.numbers import Array


def outline(region: Any, angles: Array) -> Array:
    """Return how far the outer edge of a region round the origin lies at angles (n,), rad, mm."""
    return reach(max((np.asarray(ring) for ring in region.to_polygons()), key=signed_area), angles)


def hole_ring(region: Any) -> Array:
    """Return the ring (n, 2) of the hole nearest to the origin, slivers aside, mm."""
    holes = [ring for ring in map(np.asarray, region.to_polygons()) if signed_area(ring) < -1.0]
    return np.asarray(min(holes, key=lambda ring: float(np.hypot(*ring.mean(axis=0)))))


def hole(region: Any, angles: Array) -> Array:
    """Return how far the edge of the hole round the origin lies at angles (n,), rad, mm."""
    return reach(hole_ring(region), angles)


def reach(ring: Array, angles: Array) -> Array:
    """Return how far a ring (n, 2) round the origin lies along directions (m,), rad, mm."""
    own = np.arctan2(ring[:, 1], ring[:, 0])
    order = np.argsort(own)
    return np.asarray(np.interp(angles, own[order], np.hypot(*ring.T)[order], period=2 * np.pi))


def along(ring: Array, angle: float, across: Array) -> Array:
    """Return how far a ring lies in a direction (rad) at places across it (m,), mm from the origin."""
    ahead, aside = np.array([np.cos(angle), np.sin(angle)]), np.array([-np.sin(angle), np.cos(angle)])
    far, side = ring @ ahead, ring @ aside
    near = far > 0.3 * far.max()
    order = np.argsort(side[near])
    return np.asarray(np.interp(across, side[near][order], far[near][order]))
