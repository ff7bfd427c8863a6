"""Pegs and plugs in their holes: one model with the gap chart, ribs that swallow printer error, Lamé's ring, what cannot be."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.judge.search.window import print_window
from bouncy_latch.core.layers import fits
from bouncy_latch.core.learn.calibration.situations import SITUATIONS, situation_zones
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.fits.forms import Polygon
from bouncy_latch.core.mechanisms.fits.plan import Plan
from bouncy_latch.core.process.population import built_in, effective
from bouncy_latch.core.process.profile import Policy
from bouncy_latch.core.solids import mesh

HERON, GANNET = built_in()
KIND, PLUG = (registry.kind(each) for each in ("peg-and-hole", "polygon-plug"))
PLAIN = {"fit": "slides", "surface": "plain"}


def solved(process=HERON, **values):
    return KIND.solve(KIND.params().changed(**values), process)


@pytest.mark.parametrize("process", [HERON, GANNET, effective(HERON, Policy.ANYONE)], ids=["heron", "gannet", "anyone"])
def test_its_chances_are_those_of_the_gap_chart(process):
    """The chart's round peg in a hole of 10 mm and its outlines: within 4 points, as ridges and growth are integrated apart."""
    gaps, charts = np.linspace(0.05, 0.4, 5), {each.id: each for each in SITUATIONS}
    for kind, chart, section in ((KIND, "fit-peg-5", "diameter"), (PLUG, "fit-outline", "across")):
        zones = situation_zones(charts[chart], process, gaps)
        for gap, chances in zip(gaps, zones.chances, strict=True):
            params = kind.params().changed(**{section: 10 - 2 * float(gap)}, clearance=float(gap), **PLAIN)
            assert Plan(params, process).spread == pytest.approx(tuple(chances), abs=0.04)


@pytest.mark.trade
@pytest.mark.parametrize("process", [HERON, GANNET, effective(HERON, Policy.ANYONE)], ids=["heron", "gannet", "anyone"])
def test_crush_ribs_swallow_more_printer_error(process):
    """Ribs make a press fit of what is otherwise a matter of luck (common practice, no source); fewer ribs more so."""
    clearances = np.arange(0.02, 0.6, 0.02)
    best = {(surface, ribs): max(solved(process, fit="press", surface=surface, ribs=ribs, clearance=float(each)).aim.chance
                                 for each in clearances)
            for surface, ribs in (("plain", 3), ("crush ribs", 8), ("crush ribs", 3))}
    assert best["crush ribs", 3] > 1.2 * best["crush ribs", 8]
    assert best["crush ribs", 3] > 1.8 * best["plain", 3]


def test_ribs_bear_their_hardness_on_what_is_cut_off():
    """Tabor 1951: a wedge cut off by δ is 2·δ wide; the push grows evenly with it, and each class begins at its force."""
    plan = Plan(KIND.params(), HERON)
    bare = Plan(KIND.params().changed(surface="plain"), HERON)
    per_mm = (plan.push_at(0.2) - plan.push_at(0.3)) / 0.1
    assert per_mm == pytest.approx(fits.RUBBING * 3 * 2 * (6 - 2 * 0.6) * plan.hard, rel=0.02)
    assert plan.push_at(0.5) == pytest.approx(bare.push_at(0.5), abs=0.1), "ribs that do not reach press nothing"
    hammer, press, snug, _ = plan.edges(fits.scatter(HERON.ridge.mean))
    for edge, force in ((hammer, fits.NO_HAND), (press, fits.PRESSED), (snug, fits.FELT)):
        assert plan.push_at(edge) == pytest.approx(force * plan.area / 100, rel=0.12)


def test_a_pressed_ring_is_stretched_as_lame_says():
    """σ = p·(R² + r²)/(R² − r²): twice the pressure where R = √3·r; thin rings as p·r/t."""
    found = Plan(KIND.params().changed(wall=(math.sqrt(3) - 1) * 5.36, lead=0.4), HERON)
    assert found.bursts == pytest.approx(2 * found.push / fits.RUBBING / found.area, rel=1e-6)
    thin = Plan(KIND.params().changed(diameter=80, wall=0.8, lead=0.4), HERON)
    assert thin.bursts == pytest.approx(thin.push / fits.RUBBING / thin.area * (thin.hole.radius + 0.4) / 0.8, rel=0.01)


def test_it_is_drawn_as_it_is_computed():
    """Hole and ribs of the solids: what two bodies share where they are put together is what the ribs are cut off."""
    solution = solved()
    p, plan = solution.params, Plan(solution.params, HERON)
    peg = mesh.evaluate(solution.bodies["A"])
    hole = mesh.transformed(mesh.evaluate(solution.bodies["B"]), solution.motion.pose(p.length)["B"])
    level = p.backing + p.length / 2
    assert float(np.abs(hole.slice(level).bounds()).max()) == pytest.approx(plan.out, abs=1e-6)
    assert hole.slice(level).area() == pytest.approx((2 * plan.out) ** 2 - math.pi * plan.hole.radius**2, rel=2e-3)
    shared = (peg.slice(level) ^ hole.slice(level)).area()
    # Three tips of 45°, each δ² large.
    assert shared == pytest.approx(3 * (p.rib - p.clearance) ** 2, rel=0.3)
    six = Polygon(6, 5.0)
    assert (six.area, six.around) == (pytest.approx(six.outline().polygon.area), pytest.approx(six.outline().polygon.length))
    plug = PLUG.solve(PLUG.params().changed(sides=5), HERON)
    assert mesh.evaluate(plug.bodies["B"]).slice(3.0).area() == pytest.approx(
        (2 * Plan(plug.params, HERON).out) ** 2 - Polygon(5, 5.0 + plug.params.clearance).area, rel=1e-4)
    assert print_window(Design(KIND, p, HERON)).width > 0.06


@pytest.mark.parametrize(("values", "says"), [
    ({"diameter": 2, "clearance": -0.3, **PLAIN}, None), ({"lead": 4.5}, "leaves little of what is 10 mm thick"),
    ({"lead": 0.8, "wall": 0.9}, "leaves no rim"), ({"ribs": 24, "rib": 0.8}, "run into each other"),
    ({"clearance": -0.1}, "ribs do nothing")])
def test_what_cannot_be_is_one_sentence(values, says):
    if says is None:
        assert solved(**{**values, "lead": 0.4}).value("push") > 300, "an interference that no hand overcomes"
        return
    with pytest.raises(SolveError, match=says):
        solved(**values)
