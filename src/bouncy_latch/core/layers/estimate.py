"""Time and material of a print, from a simple model: an estimate for comparing, not what a slicing program will say.

Per layer: the loops' length along all outlines, skins (solid where no part lies above or below within their thickness) and
infill lines, each at its speed; plus a fixed time a layer for moves and one for warming up.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.laying import way_round
from bouncy_latch.core.layers.slicing import Slices
from bouncy_latch.core.process.profile import Process

LOOP_SPEED = 50.0
FILL_SPEED = 80.0
FIRST_LAYER_SPEED = 25.0
"""mm/s (common practice, no source)."""
LAYER_TIME = 3.0
"""Moves and retractions, s a layer."""
WARM_UP = 240.0
"""s."""
SKIN_LAYERS = 4
DENSITY = {"PLA": 1.24, "PETG": 1.27, "ABS": 1.04, "ASA": 1.07, "PA": 1.14, "TPU": 1.21}
"""g/cm³, typical, from memory; anything else counts as PLA."""


@frozen
class Estimate:
    """Minutes, grams and metres of line; ``formula`` says how."""

    minutes: float
    grams: float
    metres: float
    formula: str = "lines / speed + 3 s a layer + 4 min; volume of lines × density"


def estimate(slices: Sequence[Slices], process: Process) -> Estimate:
    """Return the estimate of printing bodies cut into layers together."""
    count = max(len(s.middles) for s in slices)
    seconds, volume, length = WARM_UP, 0.0, 0.0
    for own in slices:
        areas, ways = _per_run(own)
        for i in range(len(own.middles)):
            area, way = areas[own.run[i]], ways[own.run[i]]
            if area <= 0:
                continue
            height = process.layer_height if i else process.first_layer_height
            loops = min(process.loops * way, area / process.line_width)
            inside = area - loops * process.line_width
            fill = inside / process.line_width * _solid_share(areas, own.run, i, process)
            if i:
                seconds += loops / LOOP_SPEED + fill / FILL_SPEED
            else:
                seconds += (loops + fill) / FIRST_LAYER_SPEED
            length += loops + fill
            volume += (loops + fill) * process.line_width * height
    seconds += LAYER_TIME * count
    density = DENSITY.get(process.material.upper(), DENSITY["PLA"])
    return Estimate(seconds / 60, volume * density / 1000, length / 1000)


def _per_run(own: Slices) -> tuple[dict[int, float], dict[int, float]]:
    """Return area (mm²) and way round (mm) of every run of equal layers."""
    starts = set(own.run)
    regions = {start: own.section(start).region for start in starts}
    return ({start: float(region.area()) for start, region in regions.items()},
            {start: way_round(region) for start, region in regions.items()})


def _solid_share(areas: dict[int, float], run: Sequence[int], index: int, process: Process) -> float:
    """Return how densely the inside is filled: solid as far as a layer within the skin is smaller than this one."""
    here = areas[run[index]]
    near = range(index - SKIN_LAYERS, index + SKIN_LAYERS + 1)
    least = min((areas[run[i]] if 0 <= i < len(run) else 0.0) for i in near)
    skin = 1.0 - least / here if here > 0 else 0.0
    return float(np.clip(skin + (1 - skin) * process.infill / 100, 0.0, 1.0))


def words(minutes: float) -> str:
    """Return a duration as people say it."""
    whole = math.ceil(minutes)
    return f"{whole} min" if whole < 90 else f"{whole // 60} h {whole % 60:02d} min"
