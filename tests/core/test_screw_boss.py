"""Screw holes: what prints is what was wanted, the bridge is one layer, the recess hides the head, bosses stand on fillets."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from shapely.geometry import Polygon

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.judge.search import window
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.standards import tables

KIND = registry.kind("screw-boss")
HERON, GANNET = population.built_in()
# ISO 273, fine, medium and coarse, from memory.
ISO_273 = {"M3": (3.2, 3.4, 3.6), "M4": (4.3, 4.5, 4.8), "M5": (5.3, 5.5, 5.8), "M6": (6.4, 6.6, 7.0), "M8": (8.4, 9.0, 10.0)}


def solved(process=HERON, **sizes):
    return KIND.solve(KIND.params().changed(**sizes), process)


def holes(solution, z):
    """Radii of the round holes in a section, mm."""
    rings = [Polygon(ring) for ring in mesh.evaluate(solution.bodies["A"]).slice(z).to_polygons()]
    outer = max(rings, key=lambda ring: ring.area)
    return [math.sqrt(ring.area / math.pi) for ring in rings if ring is not outer]


@pytest.mark.parametrize("process", [HERON, GANNET], ids=["tuned", "sloppy"])
@pytest.mark.parametrize("screw", ISO_273)
def test_holes_print_as_iso_273_has_them_at_the_recommended_allowance(process, screw):
    for fit, wanted in zip(("fine", "medium", "coarse"), ISO_273[screw], strict=True):
        exact = solved(process, screw=screw, fit=fit, head="none", plate=6, boss=0, allowance=0)
        (drawn,) = holes(exact, 3.0)
        assert 2 * drawn == pytest.approx(wanted, rel=2e-3), "of chords"
        best = window.recommended(Design(KIND, exact.params, process))
        assert solved(process, screw=screw, fit=fit, allowance=best).aim.chance > 0.95


@pytest.mark.parametrize("process", [HERON, GANNET], ids=["0.2", "0.28 on 0.3"])
def test_a_counterbore_is_closed_by_one_layer_and_hides_the_head(process):
    for screw in ("M3", "M5", "M8"):
        found = solved(process, screw=screw, plate=10, boss=0, hide=0.2)
        row, sunk = tables.screws()[screw], found.value("sunk")
        assert sunk >= row.head_height + 0.2 - 1e-6
        layers = (sunk - process.first_layer_height) / process.layer_height
        assert layers == pytest.approx(round(layers), abs=1e-6), "its roof is the top of a layer"
        (recess,) = holes(found, sunk - 0.01)
        assert 2 * recess > row.head
        assert holes(found, sunk + process.layer_height / 2) == [], "one layer is closed"
        assert len(holes(found, sunk + 1.5 * process.layer_height)) == 1
        open_ = solved(process, screw=screw, plate=10, boss=0, bridge="no")
        assert len(holes(open_, open_.value("sunk") + process.layer_height / 2)) == 1


def test_a_boss_stands_on_a_fillet_and_its_hole_ends_above_the_bed():
    found = solved(core="self-forming", boss=10, fillet=2, wall=3)
    body = mesh.evaluate(found.bodies["A"])
    areas = [Polygon(max(body.slice(float(z)).to_polygons(), key=lambda ring: np.ptp(ring[:, 0]))).area
             for z in (3.05, 3.5, 4.0, 4.9, 6.0)]
    assert all(a > b for a, b in pairwise(areas))
    radius = found.value("boss_outer") / 2
    assert areas[-1] == pytest.approx(math.pi * radius**2, rel=5e-3)
    # A quarter circle: at height h over the foot it stands out by R − √(R² − (R − h)²).
    out = 2 - math.sqrt(4 - (2 - 0.5) ** 2)
    assert areas[1] == pytest.approx(math.pi * (radius + out) ** 2, rel=1e-2)
    assert holes(found, 0.4) == []


def test_tighter_printers_tighten_the_screw():
    for core in ("clearance", "self-forming", "heat-insert"):
        chances = [solved(HERON.with_growth(growth), core=core).rulers[0].chances(0.2) for growth in (0.05,)]
        lean, fat = (solved(HERON.model_copy(update={"growth": Spread(mean=0.05, sd=0.01)}), core=core).likelihood.chances(
            np.array([growth]), np.zeros(1))[0, 0] for growth in (-0.15, 0.3))
        assert sum(lean[3:]) > sum(fat[3:])
        assert fat[0] + fat[1] > lean[0] + lean[1]
        assert sum(chances[0]) == pytest.approx(1)


def test_what_is_no_hole_is_refused_in_a_sentence():
    with pytest.raises(SolveError, match="hiding the head takes"):
        solved(plate=2, boss=0)
    with pytest.raises(SolveError, match="too shallow"):
        solved(core="heat-insert", plate=2, boss=1)
