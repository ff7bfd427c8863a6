"""Springs on the command line, by the names scripts rely on."""

from __future__ import annotations

import json

import numpy as np
import pytest
import trimesh

from tests.end.test_cli import bouncy  # noqa: F401 - a fixture


def told(answer):
    code, out, err = answer
    assert (code, err) == (0, "")
    return json.loads(out)


@pytest.mark.parametrize(("kind", "sizes", "check"), [
    ("zigzag-spring", {"travel": 6, "rows": 8, "row_length": 18, "pitch": 4}, "strain"),
    ("zigzag-spring", {"action": "pressed", "travel": 3}, "solid"),
    ("leaf-spring", {"form": "two parallel", "length": 50, "travel": 3}, "level"),
    ("leaf-spring", {"form": "single", "length": 50, "travel": 3}, "roots"),
    ("leaf-spring", {"form": "folded", "length": 50, "travel": 3}, "stopped-whole"),
    ("ring-spring", {"travel": 1.5}, "lugs-apart"), ("ring-spring", {"action": "button", "travel": 1.5}, "layers-hold"),
    ("fin-ring", {"travel": 0.4}, "breaks-loose"), ("side-spring", {"travel": 0.5, "nub": "for a dent"}, "goes-in"),
    ("spiral-spring", {"turns": 7, "inner_radius": 7, "outer_radius": 30, "travel": 1}, "in-plane")])
def test_a_spring_says_its_rate_its_course_and_what_it_stands(bouncy, kind, sizes, check):  # noqa: F811
    words = [word for name, value in sizes.items() for word in ("--set", f"{name}={value}")]
    found = told(bouncy("solve", kind, *words, "--quick"))
    course, derived = found["prediction"]["course"], found["derived"]
    load, rate, whole = ("torque", "N·mm/turn", 2 * np.pi) if kind == "spiral-spring" else ("force", "N/mm", 1.0)

    assert course["travel"][0] == course[load][0] == 0
    assert course["travel"][-1] == sizes["travel"]
    assert sorted(course[load]) == course[load]
    assert derived["rate"]["unit"] == rate
    assert course[load][1] / course["travel"][1] == pytest.approx(derived["rate"]["value"], rel=0.02)
    assert derived[load]["value"] == pytest.approx(course[load][-1], abs=1e-4)
    assert derived["energy"]["value"] == pytest.approx(whole * np.trapezoid(course[load], course["travel"]), rel=1e-3)
    low, high = (course["band"][load][end][-1] for end in ("low", "high"))
    assert low < course[load][-1] < high
    checks = {each["id"]: each for each in found["checks"]}
    assert {"springs", "strain", check} <= set(checks)
    assert 0 < checks["strain"]["value"] < checks["strain"]["limit"]


def test_sizes_are_found_for_a_force_and_give_it_when_passed_back(bouncy, tmp_path):  # noqa: F811
    asked = ("--set", "force=5", "--set", "travel=10")
    best = told(bouncy("target", "zigzag-spring", *asked))["best"]
    assert best["reached"]
    back = [word for name, value in best["set"].items() for word in ("--set", f"{name}={value}")]
    found = told(bouncy("solve", "zigzag-spring", *asked, *back))
    assert found["derived"]["force"]["value"] == pytest.approx(5, rel=0.1)
    assert {each["verdict"] for each in found["checks"]} == {"ok"}
    (file,) = told(bouncy("export", "zigzag-spring", "--out", tmp_path, "--format", "stl", *asked, *back))["files"][:1]
    spring = trimesh.load(file)
    assert spring.is_watertight
    assert len(spring.split()) == 1
    assert spring.bounds[0][2] == pytest.approx(0, abs=1e-6)
    assert spring.bounds[1][2] == pytest.approx(best["set"].get("width", 6), abs=1e-4)
    short = told(bouncy("target", "zigzag-spring", "--set", "force=900", "--set", "travel=60"))["best"]
    assert not short["reached"]
    assert short["binding"] or short["bounds"]


@pytest.mark.parametrize(("kind", "asked", "figure", "wanted"), [
    ("zigzag-spring", {"rate_asked": 0.8, "travel": 6}, "rate", 0.8),
    ("leaf-spring", {"energy_asked": 6, "travel": 4, "length": 64}, "energy", 6),
    ("zigzag-spring", {"force": 3, "travel": 6, "room_length": 90, "room_width": 60}, "force", 3),
    ("ring-spring", {"action": "button", "force": 5, "travel": 1.5}, "force", 5)])
def test_stiffness_energy_and_room_are_targets_too(bouncy, kind, asked, figure, wanted):  # noqa: F811
    words = [word for name, value in asked.items() for word in ("--set", f"{name}={value}")]
    best = told(bouncy("target", kind, *words))["best"]
    assert best["reached"]
    back = [word for name, value in best["set"].items() for word in ("--set", f"{name}={value}")]
    found = told(bouncy("solve", kind, *words, *back, "--quick"))
    assert found["derived"][figure]["value"] == pytest.approx(wanted, rel=0.1)
    for check in found["checks"]:
        assert not check["id"].startswith("fits-") or check["value"] <= check["limit"]


def test_a_coil_across_its_layers_is_refused_with_what_replaces_it(bouncy):  # noqa: F811
    code, out, err = bouncy("solve", "helical-spring")
    assert (code, out) == (2, "")
    assert "splits between them" in err
    assert {"zigzag-spring", "leaf-spring", "spiral-spring"} <= set(err.replace(",", "").split())


def test_a_weight_on_a_printed_spring_is_evidence(bouncy, tmp_path):  # noqa: F811
    words = ("evidence", "weigh", "zigzag-spring", "--grams", 100, "--process", "heron-pla-slate-020")
    before = told(bouncy("evidence", "learn", "--process", "heron-pla-slate-020"))["belief"]["modulus"]["mean"]
    given = told(bouncy(*words, "--travel", 1.4))
    assert given["as_drawn"]["unit"] == "GPa"
    after = told(bouncy("evidence", "learn", "--process", "heron-pla-slate-020"))["belief"]["modulus"]["mean"]
    assert (after > before) == (1000 * given["as_drawn"]["value"] > 1.3 * before)
    code, _, err = bouncy(*words, "--travel", 900)
    assert code == 2
    assert err.count("\n") == 1


@pytest.mark.parametrize(("kind", "sizes", "says"), [
    ("zigzag-spring", {"room_length": 12}, "hold no spring"), ("zigzag-spring", {"thickness": 0}, "thickness must be"),
    ("zigzag-spring", {"force": 2, "rate_asked": 5, "travel": 8}, "contradict each other"),
    ("zigzag-spring", {"action": "pressed", "travel": 40}, "it is solid at"),
    ("zigzag-spring", {"around": "a shed"}, "must be one of"), ("leaf-spring", {"travel": "nan"}, "travel must be"),
    ("spiral-spring", {"turns": 25}, "leave no gaps"), ("spiral-spring", {"travel": 9}, "it is solid after"),
    ("spiral-spring", {"start": "clockwork"}, "has no start 'clockwork'"),
    ("ring-spring", {"outer_radius": 12}, "no room for arms"), ("ring-spring", {"travel": 30, "stopped": "no"}, "cannot be"),
    ("fin-ring", {"opening": 8}, "leave no core"), ("side-spring", {"length": 200, "travel": 31}, "from 0.05 to 20"),
    ("zigzag-spring", {"process": "moon"}, "moon")])
def test_what_cannot_be_is_one_sentence_and_nothing_else(bouncy, kind, sizes, says):  # noqa: F811
    where = ("--process", sizes["process"]) if "process" in sizes else ()
    words = [word for name, value in sizes.items() if name != "process" for word in ("--set", f"{name}={value}")]
    code, out, err = bouncy("solve", kind, *words, *where, "--quick")
    assert (code, out) == (2, "")
    assert err.count("\n") == 1
    assert says in err


def test_what_is_possible_holds_where_it_says_so(bouncy):  # noqa: F811
    found = told(bouncy("target", "leaf-spring", "--set", "force=2", "--set", "travel=3", "--possible"))["possible"]
    assert (found["figure"], found["unit"], found["share_of"]) == ("rate", "N/mm", "Strain")
    assert found["asked"] == pytest.approx(2 / 3, rel=0.05), "2 N over 3 mm"
    good = [item for item in found["designs"][1:] if item["holds"]]
    assert 5 < len(good) < len(found["designs"])
    for item in good[:4]:
        sizes = {**item["set"], "travel": 3, "force": 2}
        words = [word for name, value in sizes.items() for word in ("--set", f"{name}={value}")]
        solved = told(bouncy("solve", "leaf-spring", *words, "--quick"))
        assert solved["derived"]["rate"]["value"] == pytest.approx(item["figure"], rel=1e-3)
        checks = {check["id"]: check for check in solved["checks"]}
        assert 100 * checks["strain"]["value"] / checks["strain"]["limit"] == pytest.approx(item["share"], rel=1e-2)
        assert {check["verdict"] for name, check in checks.items() if name not in {"force", "springs"}} == {"ok"}
    short = next(item for item in found["designs"] if not item["holds"])
    assert short["short_of"]
    code, _, err = bouncy("target", "hook", "--possible", "--set", "hold=40")
    assert code == 2
    assert "nothing is plotted" in err


@pytest.mark.parametrize(("name", "turns"), [("lid closer", 4), ("wind-up", 13)])
def test_a_spiral_starts_from_what_it_is_for(bouncy, name, turns):  # noqa: F811
    found = told(bouncy("solve", "spiral-spring", "--set", f"start={name}", "--set", "width=9"))
    assert found["params"]["turns"]["value"] == turns
    assert found["params"]["width"]["value"] == 9, "what is set besides wins"
    assert {check["verdict"] for check in found["checks"]} == {"ok"}


@pytest.mark.parametrize(("kind", "sizes"), [
    ("zigzag-spring", {"around": "a frame"}),
    ("zigzag-spring", {"around": "a frame, floor and roof", "action": "pressed", "travel": 5}),
    ("leaf-spring", {"around": "rails, floor and roof", "spacing": 9}), ("leaf-spring", {"form": "folded"}),
    ("spiral-spring", {"around": "a drum, floor and roof", "turns": 9}), ("ring-spring", {}),
    ("ring-spring", {"action": "button"}),
    ("fin-ring", {}), ("side-spring", {})])
def test_its_layers_print_without_a_stop_and_its_files_are_closed(bouncy, tmp_path, kind, sizes):  # noqa: F811
    words = [word for name, value in sizes.items() for word in ("--set", f"{name}={value}")]
    found = told(bouncy("solve", kind, *words))
    assert not [check for check in found["checks"] if check["verdict"] == "stop"]
    looks = {check["id"] for check in found["checks"] if check["verdict"] == "look"}
    assert looks <= {"bridge"}, "a roof may span more than a line's droop"
    (file,) = told(bouncy("export", kind, "--out", tmp_path, "--format", "stl", *words))["files"][:1]
    solid = trimesh.load(file)
    assert solid.is_watertight
    assert len(solid.split()) == 1
    assert solid.bounds[0][2] == pytest.approx(0, abs=1e-5)
