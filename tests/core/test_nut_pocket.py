"""Pockets for bought nuts: tables, free turn, what prints open up to the pause and closed over it."""

from __future__ import annotations

import io
import math
import re
import zipfile

import numpy as np
import pytest
from shapely import affinity
from shapely.geometry import Point, Polygon
from shapely.ops import unary_union

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import ParamError, SolveError
from bouncy_latch.core.judge import verdicts
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.nuts.plan import spin
from bouncy_latch.core.process import population
from bouncy_latch.core.project.delivery import export
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.standards import lengths, tables

KIND = registry.kind("nut-pocket")
HERON, GANNET = population.built_in()


def solved(process=HERON, **sizes):
    return KIND.solve(KIND.params().changed(**sizes), process)


def hexagon(across, cut=None):
    """A hexagon across its flats, its corners cut to ``cut`` across."""
    radius = across / 2 / math.cos(math.pi / 6)
    whole = Polygon([(radius * math.cos(math.pi / 3 * i), radius * math.sin(math.pi / 3 * i)) for i in range(6)])
    return whole if cut is None else whole.intersection(affinity.scale(Polygon(
        [(math.cos(a), math.sin(a)) for a in np.linspace(0, 2 * math.pi, 2000)[:-1]]), cut / 2, cut / 2))


def test_corners_of_the_table_are_what_iso_4032_asks_of_its_flats():
    """E min = 1.13·s min, and no nut is wider than s/cos 30° (ISO 4032, from memory)."""
    for nut in tables.nuts().values():
        assert nut.flats_min < nut.flats_max
        assert nut.height_min < nut.height_max
        if nut.source.startswith("ISO 4032"):
            assert nut.corners_min == pytest.approx(1.13 * nut.flats_min, abs=6e-3)
            assert nut.corners_min < nut.flats_max / math.cos(math.pi / 6)


@pytest.mark.parametrize(("flats", "corners", "gap"), [(8, 9.2376, 0.05), (5.5, 6.3509, 0.1), (8, 8.79, 0.05),
                                                      (7.78, 8.79, 0.16)])
def test_free_turn_is_what_a_turned_polygon_finds(flats, corners, gap):
    """The nut turned in its pocket until it touches, bisected by shapely."""
    nut, pocket = hexagon(flats, corners), hexagon(flats + 2 * gap)
    low, high = 0.0, 30.0
    while high - low > 1e-3:
        middle = (low + high) / 2
        inside = affinity.rotate(nut, middle, origin=(0, 0)).difference(pocket).area < 1e-7
        low, high = (middle, high) if inside else (low, middle)
    assert spin(flats, corners, flats + 2 * gap) == pytest.approx(low, abs=0.08)
    assert spin(8, 8.79, 8.79) == 180


@pytest.mark.parametrize("style", ["pressed", "dropped", "sealed"])
@pytest.mark.parametrize(("nut", "across"), [("M5", 8.0), ("M8", 13.0), ("1/4", 11.13)])
def test_the_pocket_is_drawn_over_the_nuts_greatest_flats(style, nut, across):
    """A hexagon; where a nozzle turns round its corners they are relieved, and above the band that presses it is wider."""
    found = solved(nut=nut, style=style, allowance=0.2)
    drawn = hexagon(across + 0.2)
    corners = unary_union([Point(*corner).buffer(0.7) for corner in drawn.exterior.coords])
    for z, wider in ((3 + 0.8, 0.0), (3 + 2.5, 0.5 if style == "pressed" else 0.0)):
        rings = [Polygon(ring) for ring in mesh.evaluate(found.bodies["A"]).slice(z).to_polygons()]
        pocket = min(rings, key=lambda ring: ring.area)
        assert len(rings) == 2, "a closed hole"
        there = hexagon(across + 0.2 + wider)
        assert pocket.symmetric_difference(there).difference(corners).area < 1e-6 * pocket.area
        reaches = math.hypot(*max(pocket.exterior.coords, key=lambda point: math.hypot(*point))) - (across + 0.2) / math.sqrt(3)
        assert reaches == pytest.approx({"sealed": 0.0}.get(style, 0.2) if not wider else wider / math.sqrt(3), abs=0.01)


@pytest.mark.parametrize("process", [
    HERON, GANNET, HERON.model_copy(update={"first_layer_height": 0.35, "layer_height": 0.12})],
                         ids=["0.2", "0.28 on 0.3", "0.12 on 0.35"])
@pytest.mark.parametrize("lying", ["no", "yes"])
def test_a_sealed_pocket_is_open_to_the_pause_and_closed_over_it(process, lying):
    for nut in ("M3", "M5", "M8-thin", "M4-square"):
        found = solved(process, nut=nut, style="sealed", lying=lying, allowance=0.25)
        (pause,) = found.pauses
        layers = (pause.z - process.first_layer_height) / process.layer_height
        assert layers == pytest.approx(round(layers), abs=1e-3), "at the top of a layer"
        body = mesh.evaluate(found.bodies["A"])
        row = tables.nuts()[nut]
        seat = body.bounding_box()
        inserted = mesh.evaluate(found.inserts["N"])
        top = inserted.bounding_box()[5]
        assert top <= pause.z + 1e-9
        assert top > pause.z - process.layer_height - 0.25
        # Straight down from the pause to where the nut lies nothing is in its way.
        way = sum((inserted.translate((0.0, 0.0, float(up))) ^ body).volume()
                  for up in np.linspace(0, pause.z + 3 - top, 12) if top + up <= pause.z + 1e-9)
        assert way == pytest.approx(0, abs=1e-6)
        shadow = Polygon(max(inserted.project().to_polygons(), key=lambda ring: len(ring)))
        over = [Polygon(ring) for ring in body.slice(pause.z + 1.5 * process.layer_height).to_polygons()]
        roof = max(over, key=lambda ring: ring.area)
        bore = math.pi * (found.value("hole") / 2) ** 2
        assert roof.intersection(shadow).area > shadow.area - bore, "the roof follows within two layers"
        assert seat[5] > pause.z + process.layer_height
        assert row.height_max > 0


@pytest.mark.trade
def test_a_tenth_over_the_flats_is_pressed_in_and_two_drop_in():
    """Common practice, no source: on a tuned printer."""
    likeliest = [int(np.argmax(solved(allowance=a).rulers[0].chances(a))) for a in (0.1, 0.2)]
    assert [KIND.outcomes.names[each] for each in likeliest] == ["nut pressed in", "nut drops in"]
    assert solved(allowance=1.0, nut="M3").check("no-spin").verdict == "stop"


@pytest.mark.parametrize(("sizes", "bridged"), [
    ({"lying": "yes", "style": "sealed"}, True), ({"lying": "yes", "bore": "teardrop"}, True),
    ({"lying": "yes", "style": "sealed", "closed": "45° roof", "bore": "teardrop"}, False),
    ({"style": "sealed", "closed": "45° roof"}, False), ({"style": "slid", "closed": "45° roof"}, False),
    ({"nut": "own", "shape": "square", "style": "sealed", "closed": "45° roof"}, False)])
def test_no_underside_is_flatter_than_45_degrees_but_a_bridge(sizes, bridged):
    body = mesh.evaluate(solved(allowance=0.2, **sizes).bodies["A"])
    points, faces = mesh.arrays(body)
    a, b, c = (points[faces[:, i]] for i in range(3))
    normal = np.cross(b - a, c - a)
    normal /= np.linalg.norm(normal, axis=1)[:, None]
    low = points[faces].mean(axis=1)[:, 2]
    down = (normal[:, 2] < -math.sin(math.radians(45.5))) & (low > 0.01)
    flat = normal[:, 2] < -0.999
    assert not (down & ~flat).any(), "every underside is 45° or a short bridge"
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)[down].sum() / 2
    assert (area > 1.0) == bridged, "two slopes need none"


def test_its_3mf_has_a_region_that_is_not_built(tmp_path):
    export(solved(), "nut-pocket", tmp_path, ("3mf",))
    text = zipfile.ZipFile(io.BytesIO((tmp_path / "nut-pocket.3mf").read_bytes())).read("3D/3dmodel.model").decode()
    assert text.count("<item ") == 1
    assert 'type="other"' in text
    assert "solid-under-nut" in text


def test_what_is_no_pocket_is_refused_in_a_sentence():
    with pytest.raises(ParamError, match="nut must be one of"):
        solved(nut="M99")
    with pytest.raises(SolveError, match="nothing to bear on"):
        solved(nut="own", diameter=8, flats=8.5)
    with pytest.raises(SolveError, match="as high as the nut"):
        solved(nut="M2-thin", style="slid", bump=1.3)


@pytest.mark.parametrize("lying", ["no", "yes"])
def test_a_nut_slides_in_over_a_bump_that_is_there(lying):
    sizes = {"style": "slid", "lying": lying, "allowance": 0.35}
    ridge, plain = (mesh.evaluate(solved(**sizes, bump=b).bodies["A"]) for b in (0.5, 0.0))
    assert (ridge - plain).volume() > 0.5 * 8 * 0.4, "as wide as the slot, half a millimetre high"
    design = Design(KIND, KIND.params().changed(**sizes), HERON)
    found = [*design.solve().checks, *verdicts.full_analysis(design, design.solve()).checks]
    assert [check.id for check in found if check.verdict != "ok"] == []


@pytest.mark.parametrize("form", ["halves", "split"])
def test_the_ears_of_a_clamp_take_pressed_nuts(form):
    kind = registry.kind("tube-clamp")
    params = kind.params().changed(diameter=30, form=form, nuts="pressed", width=24, screws=1, allowance=0.1)
    found = kind.solve(params, HERON)
    body = mesh.evaluate(found.bodies["A"])
    across = mesh.transformed(body, (1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0))
    sides = 1 if form == "split" else 2
    outside = params.gap / 2 + params.ear
    for depth, area in ((1.5, hexagon(7.1).area), (outside - params.gap / 2 - 1.5, math.pi / 4 * 4.5**2)):
        rings = [Polygon(ring) for ring in across.slice(depth - outside).to_polygons()]
        holes = [ring for ring in rings if ring.area < 60]
        assert len(holes) == sides
        # The screw's hole lies too: its roof adds what is between circle and peak.
        assert all(area <= hole.area + 1e-6 <= area * 1.1 for hole in holes)
    cut = body.slice(2.0)
    assert (cut ^ cut.mirror((0, 1) if form == "split" else (1, 0))).area() == pytest.approx(cut.area()), "both lugs are alike"
    assert {"nut-fits", "no-spin", "pull-through"} <= {check.id for check in found.checks}
    assert [ruler.id for ruler in found.rulers] == ["torque", "allowance"]
    for wrong, says in (({"screw": 3.5}, "no M3.5 nut"), ({"ear": 3.5}, "leaves nothing under a nut"),
                        ({"screws": 4, "width": 20}, "do not fit one behind the other")):
        with pytest.raises(SolveError, match=says):
            kind.solve(params.changed(**wrong), HERON)


@pytest.mark.parametrize(("diameter", "needed", "at_least", "at_most"), [
    (3, 7.2, 8, 6), (5, 8.0, 8, 8), (8, 3.0, 12, 12), (4, 90.0, 40, 40), (6, 13.9, 16, 12), (2.2, 9.0, 10, 8)])
def test_screws_have_lengths_that_are_sold(diameter, needed, at_least, at_most):
    """ISO 4762, lengths and their ranges from memory: an M3 is listed from 5 to 30 mm, an M8 from 12 to 80, none of 14."""
    assert (lengths.at_least(diameter, needed), lengths.at_most(diameter, needed)) == (at_least, at_most)
    assert 14 not in lengths.LENGTHS


@pytest.mark.parametrize("kind", ["nut-pocket", "screw-boss", "tube-clamp"])
def test_every_screw_that_is_to_be_bought_is_one_that_is_sold(kind):
    found = registry.kind(kind)
    item = next(each for each in found.solve(found.params(), HERON).bought if "screw" in each.name)
    size, length = re.search(r"M([\d.]+) × ([\d.]+)", item.name).groups()
    assert float(length) in lengths.sold(float(size))
