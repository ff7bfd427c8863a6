"""What a motion costs along its way, as a table and as a plot: what is written must be what was computed."""

from __future__ import annotations

import csv
import io
import itertools
import re
import xml.etree.ElementTree as ET

import pytest

from bouncy_latch.core.course import Asked, Course
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.formats import courses
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.numbers import round_ticks
from bouncy_latch.core.process import population
from bouncy_latch.core.project import delivery

HERON = population.built_in()[0]
SVG = "{http://www.w3.org/2000/svg}"


def solved(kind, **values):
    found = registry.kind(kind)
    return found.solve(found.params().changed(**values), HERON)


def test_files_hold_both_ways_their_spread_and_what_is_asked(tmp_path):
    solution = solved("hook", push=12, hold=6)
    course = solution.motion.course
    files = {path.name: path for path in delivery.export(solution, "clip", tmp_path, ("plot",))}
    assert set(files) == {"clip-press-in.csv", "clip-press-in.svg", "clip-print-notes.txt"}
    rows = list(csv.DictReader(io.StringIO(files["clip-press-in.csv"].read_text())))
    assert max(float(row["in, N"]) for row in rows) == pytest.approx(solution.value("insertion"), rel=1e-3)
    spread = [[float(row[name] or "inf") for name in ("out low, N", "out, N", "out high, N")] for row in rows]
    assert all(low <= mean <= high for low, mean, high in spread)
    picture = ET.fromstring(files["clip-press-in.svg"].read_text())
    lines, bands = picture.findall(f"{SVG}polyline"), picture.findall(f"{SVG}polygon")
    assert (len(lines), len(bands)) == (2, 2)
    # The highest point of the first curve lies where the frame says that its peak does.
    at = courses.frame(course, 640, 320)
    highest = min(float(pair.split(",")[1]) for pair in lines[0].get("points").split())
    assert highest == pytest.approx(at.y(solution.value("insertion")), abs=0.1)
    words = {text.text for text in picture.iter(f"{SVG}text")}
    assert {"must hold 6 N", "push at most 12 N", "90 % of prints", "in", "out"} <= words


@pytest.mark.parametrize("values", [{"return_angle": 85}, {"return_angle": 72}], ids=["locks", "locks in some prints"])
def test_what_locks_holds_until_it_tears_and_leaves_no_mad_number_in_the_files(values):
    solution = solved("hook", **values)
    course, tears = solution.motion.course, solution.value("tears")
    most = max(course.curves["out"])
    assert most == pytest.approx(tears) if values["return_angle"] == 85 else 0.3 * tears < most < tears
    for text in (courses.to_csv(course), courses.to_svg(course)):
        assert "inf" not in text
        assert "nan" not in text


def test_a_line_far_above_the_curves_is_named_at_the_edge_and_words_do_not_lie_on_each_other():
    course = Course("force", "N", (0.0, 1.0), {"in": (0.0, 10.0)}, "",
                    asked=(Asked("far", 90), Asked("near", 8), Asked("by", 8.2)))
    picture = ET.fromstring(courses.to_svg(course))
    places = {text.text: float(text.get("y")) for text in picture.iter(f"{SVG}text")}
    assert "far N ↑" in places
    assert abs(places["near N"] - places["by N"]) >= 11
    assert courses.frame(course, 640, 320).most < 20


@pytest.mark.parametrize(("low", "high", "most", "ticks"), [
    (-3.1, 6.9, 5, [-2, 0, 2, 4, 6]), (0, 0.33, 4, [0, 0.1, 0.2, 0.3]), (0, 180, 8, [0, 50, 100, 150]), (2, 2, 3, [2])])
def test_ticks_are_round(low, high, most, ticks):
    assert round_ticks(low, high, most) == pytest.approx(ticks)


def test_a_motion_that_costs_nothing_has_no_plot(tmp_path):
    with pytest.raises(ParamError, match="no force along its way"):
        delivery.export(solved("knuckle-hinge"), "tin", tmp_path, ("plot",))


def test_a_clamp_plots_the_pull_of_its_screws_from_where_it_touches():
    solution = solved("tube-clamp")
    course = solution.motion.course
    assert course.curves["screws"][0] == 0
    assert course.curves["screws"][-1] == pytest.approx(solution.value("preload"))
    assert course.asked[0].value == pytest.approx(solution.value("torque_needed") / (0.2 * 4))


@pytest.mark.parametrize("values", [(1, 3.9, 20), (0.5, 0.6, 0.7), (9.6, 9.8, 9.9), (30, 40, 2)])
def test_what_a_curve_is_held_against_is_named_in_its_order(values):
    """Higher lines have their words higher; those beyond the plot stand together at its top, smallest first."""
    names = [f"line {i}" for i in range(len(values))]
    course = Course("force", "N", (0.0, 1.0), {"force": (0.0, 10.0)}, "",
                    asked=tuple(Asked(name, value) for name, value in zip(names, values, strict=True)))
    picture = courses.to_svg(course, 500, 138)
    found = {name: float(re.search(rf'y="([\d.]+)"[^>]*>[^<]*{name}', picture).group(1)) for name in names}
    order = sorted(names, key=lambda name: values[names.index(name)])
    inside = [name for name in order if values[names.index(name)] <= courses.frame(course, 500, 138, 0, 1).most]
    places = [found[name] for name in inside]
    assert all(low - high > 9 for low, high in itertools.pairwise(places)), "no two on one another"
    beyond = [name for name in order if name not in inside]
    assert len({found[name] for name in beyond}) <= 1
    assert all(found[name] < min(places, default=1e9) for name in beyond)
    said = [picture.index(name) for name in beyond]
    assert said == sorted(said)


def test_a_plot_that_waits_for_its_curve_has_no_scale():
    picture = ET.fromstring(courses.to_svg(Course("smallest gap", "mm", (0.0, 180.0), {}, "moving it…", along="°")))
    words = {text.text for text in picture.iter(f"{SVG}text")}
    assert "moving it…" in words
    assert not [text for text in words if text and "e-" in text]
