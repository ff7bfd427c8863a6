"""Outlines read from drawings, and every way in which a drawing can be wrong."""

from __future__ import annotations

import math

import ezdxf
import pytest

from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.formats.profiles import read_outline
from bouncy_latch.core.parts import outlines

SVG = '<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 80 60">{body}</svg>'
MM = 'width="80mm" height="60mm"'
SHIELD = '<path d="M10 10 H70 V30 C70 45 50 55 40 55 C30 55 10 45 10 30 Z"/>'

SHAPES = {
    "path with curves": (MM, SHIELD, (60, 45)),
    "rounded rect, arcs kept": (MM, '<rect x="5" y="5" width="60" height="40" rx="6"/>', (60, 40)),
    "polygon under a transform": (MM, '<g transform="translate(3 2) scale(0.5)"><polygon points="0,0 80,0 80,60 20,60"/></g>',
                                  (40, 30)),
    "inches": ('width="3.1496063in" height="2.3622047in"', SHIELD, (60, 45)),
    "larger of two": (MM, SHIELD + '<rect x="20" y="15" width="12" height="12"/>', (60, 45)),
}


@pytest.mark.parametrize("name", SHAPES)
def test_svg_outlines_keep_their_size(name, tmp_path):
    size, body, (width, height) = SHAPES[name]
    path = tmp_path / "drawn.svg"
    path.write_text(SVG.format(size=size, body=body))
    drawn = read_outline(path)
    x0, y0, x1, y1 = drawn.bounds

    assert (x1 - x0, y1 - y0) == (pytest.approx(width, abs=0.02), pytest.approx(height, abs=0.02))
    if "rect" in name:
        assert drawn.area == pytest.approx(60 * 40 - (4 - math.pi) * 36, rel=1e-4)
        assert sum(1 for c in drawn.corners if c[2]) == 4
    edged = outlines.hinge_edge(drawn)
    assert edged.outline.bounds[3] == pytest.approx(0, abs=1e-6)
    assert edged.outline.area == pytest.approx(drawn.area)


def dxf(tmp_path, draw, units=4):
    document = ezdxf.new(units=units)
    draw(document.modelspace())
    path = tmp_path / "drawn.dxf"
    document.saveas(path)
    return path


def half_moon(space, k=1.0):
    """Loose lines and an arc, out of order and partly backwards."""
    space.add_line((0, 0), (50 * k, 0))
    space.add_arc((25 * k, 20 * k), 25 * k, 0, 180)
    space.add_line((50 * k, 20 * k), (50 * k, 0))
    space.add_line((0, 20 * k), (0, 0))


@pytest.mark.parametrize(("units", "k"), [(4, 1.0), (5, 0.1), (0, 1.0)], ids=["mm", "cm", "unitless"])
def test_dxf_edges_are_joined_and_scaled(tmp_path, units, k):
    drawn = read_outline(dxf(tmp_path, lambda space: half_moon(space, k), units))

    assert drawn.area == pytest.approx(50 * 20 + math.pi * 25**2 / 2, rel=1e-6)
    assert outlines.hinge_edge(drawn).half == pytest.approx(25)


def test_dxf_polylines_keep_their_bulges(tmp_path):
    drawn = read_outline(dxf(tmp_path, lambda s: s.add_lwpolyline(
        [(0, 0, 0), (40, 0, 0.5), (40, 30, 0), (0, 30, 0)], format="xyb", close=True)))

    assert drawn.area > 40 * 30
    assert [c[2] for c in drawn.corners].count(0.5) == 1


BAD_SVG = {
    "no straight edge": (MM, '<circle cx="40" cy="30" r="25"/>', "no straight outer edge"),
    "open": (MM, '<path d="M10 10 H70 V50"/>', "open"),
    "crossing": (MM, '<path d="M10 10 L70 50 L70 10 L10 50 Z"/>', "crosses itself"),
    "no size": ("", SHIELD, "how large"),
    "tiny": ('width="0.8mm" height="0.6mm"', SHIELD, "unit wrong"),
    "huge": ('width="80000mm" height="60000mm"', SHIELD, "unit wrong"),
    "nothing": (MM, "<text>hello</text>", "no outline"),
}


@pytest.mark.parametrize("name", BAD_SVG)
def test_bad_drawings_get_one_sentence(name, tmp_path, solved):
    size, body, says = BAD_SVG[name]
    path = tmp_path / "bad.svg"
    path.write_text(SVG.format(size=size, body=body))

    with pytest.raises(ReadError, match=says) as caught:
        solved(host="box", outline=str(path))
    assert caught.value.sentence.startswith("bad.svg")
    assert "\n" not in caught.value.sentence


@pytest.mark.parametrize(("name", "content", "says"), [
    ("broken.svg", b"<svg", "damaged|no outline|how large"),
    ("broken.dxf", b"0\nSECTION\n2\nENT", "damaged|no outline"),
    ("bytes.dxf", b"\x00\xff" * 200, "damaged"),
    ("missing.svg", None, "cannot be opened"), ("picture.png", b"x", "outline must be"),
])
def test_broken_files_get_one_sentence(name, content, says, tmp_path, solved):
    path = tmp_path / name
    if content is not None:
        path.write_bytes(content)
    with pytest.raises(ReadError, match=says):
        solved(host="box", outline=str(path))


def test_a_drawn_outline_travels_inside_the_document(tmp_path, solved):
    path = tmp_path / "shield.svg"
    path.write_text(SVG.format(size=MM, body=SHIELD))
    solution = solved(host="box", outline=str(path), knuckles=5, wall=2)
    path.unlink()
    again = solved(**solution.params.model_dump())

    assert again.params == solution.params
    assert outlines.title(again.params.outline) == "shield (from file)"
    assert again.bodies.keys() == {"A", "B"}
