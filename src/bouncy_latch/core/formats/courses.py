"""A course as a table (CSV) and as a plot (SVG); the window shows the same plot."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from html import escape

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.course import Course, Values
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import round_ticks

Places = npt.NDArray[np.float64]
ROOM = 1.12
"""Height of the plot over what must be seen in it."""
FAR = 1.6
"""A line that is asked for and lies higher than this many times the curves is named at the edge, not drawn."""


@frozen
class Style:
    """Colours and letters of a plot; the first curve is ``ink``, the second ``second``, a third ``quiet``."""

    ink: str = "#202A30"
    quiet: str = "#566066"
    line: str = "#D8CFBC"
    second: str = "#24527A"
    asked: str = "#825400"
    ground: str = "#FCFAF5"
    font: str = "Manrope, sans-serif"
    size: float = 11.0


@frozen
class Frame:
    """Where a plot of some size has its curves: px, and the values at its edges.

    Attributes:
        left, top, right, bottom: of the field of the curves. low, high: values at left and right. least, most: at bottom, top.
    """

    left: float
    top: float
    right: float
    bottom: float
    low: float
    high: float
    least: float
    most: float

    def x(self, value: float) -> float:
        """Return where a value of the motion lies."""
        return self.left + (value - self.low) / (self.high - self.low) * (self.right - self.left)

    def value(self, x: float) -> float:
        """Return the value of the motion at a place."""
        return self.low + (x - self.left) / (self.right - self.left) * (self.high - self.low)

    def y(self, force: float) -> float:
        """Return where a figure lies; what leaves the plot stays at its edge."""
        part = (min(max(force, self.least), self.most) - self.least) / (self.most - self.least)
        return self.bottom - part * (self.bottom - self.top)

    def places(self, values: Values, curve: Values) -> Places:
        """Return where the points of a curve lie, (n, 2), px."""
        x = self.left + (np.asarray(values) - self.low) * ((self.right - self.left) / (self.high - self.low))
        part = (np.clip(curve, self.least, self.most) - self.least) / (self.most - self.least)
        y = self.bottom - part * (self.bottom - self.top)
        return np.column_stack([x, y])


def frame(course: Course, width: float, height: float, low: float | None = None, high: float | None = None,
          size: float = Style.size) -> Frame:
    """Return the frame of a plot; ``low``, ``high``: of the motion where it goes on beyond the course."""
    curves = [*course.curves.values(), *(edge for band in course.bands.values() for edge in band)]
    finite = [figure for curve in curves for figure in curve if math.isfinite(figure)] or [0.0]
    top = max(finite)
    top = max([top, *(asked.value for asked in course.asked if asked.value <= FAR * top), 1e-6])
    least = min(0.0, *finite)
    return Frame(3.6 * size, 2.0 * size, width - 1.2 * size, height - 1.9 * size, course.values[0] if low is None else low,
                 course.values[-1] if high is None else high, ROOM * least, ROOM * top)


def to_csv(course: Course) -> str:
    """Return the curves and their bands as columns; what locks is empty."""
    text = io.StringIO()
    writer = csv.writer(text)
    columns: list[tuple[str, Values]] = [(f"travel, {course.along}", course.values)]
    for name, curve in course.curves.items():
        columns.append((f"{name}, {course.unit}", curve))
        if name in course.bands:
            low, high = course.bands[name]
            columns += [(f"{name} low, {course.unit}", low), (f"{name} high, {course.unit}", high)]
    writer.writerow([name for name, _ in columns])
    for row in zip(*(values for _, values in columns), strict=True):
        writer.writerow([f"{figure:.5g}" if math.isfinite(figure) else "" for figure in row])
    return text.getvalue()


def to_svg(course: Course, width: float = 640, height: float = 320, style: Style = Style(), *,  # noqa: B008 - frozen
           low: float | None = None, high: float | None = None, title: str = "") -> str:
    """Return the plot: bands, curves, what is asked, round ticks on both axes, names above the curves' field."""
    at, size = frame(course, width, height, low, high, style.size), style.size
    out = [f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}" height="{height:g}" viewBox="0 0 {width:g} {height:g}" '
           f'font-family="{escape(style.font)}" font-size="{size:g}">',
           f"<title>{escape(title or course.label)}</title>",
           f'<rect x="{at.left:.1f}" y="{at.top:.1f}" width="{at.right - at.left:.1f}" height="{at.bottom - at.top:.1f}" '
           f'fill="{style.ground}" stroke="{style.line}"/>']
    # A plot that waits for its curve has no scale yet.
    for tick in round_ticks(at.least, at.most, max(2, int((at.bottom - at.top) / (2.4 * size)))) if course.curves else ():
        y = at.y(tick)
        out += [_line((at.left, y), (at.right, y), style.line, 1.4 if tick == 0 else 0.6),
                _text(at.left - 5, y + 0.35 * size, f"{tick:g}", style.quiet, "end")]
    for tick in round_ticks(at.low, at.high, max(3, int((at.right - at.left) / (6 * size)))):
        x = at.x(tick)
        unit = course.along if course.along == "°" else f" {course.along}"
        out += [_line((x, at.bottom), (x, at.bottom + 4), style.quiet, 1),
                _text(x, at.bottom + 1.5 * size, f"{tick:g}{unit}", style.quiet, "middle")]
    colours = (style.ink, style.second)
    for (name, (below, above)), colour in zip(course.bands.items(), colours, strict=False):
        if name in course.curves:
            edge = np.vstack([at.places(course.values, above), at.places(course.values, below)[::-1]])
            out.append(f'<polygon points="{_points(edge)}" fill="{colour}" fill-opacity="0.13" stroke="none"/>')
    for curve, (colour, dash) in zip(course.curves.values(), _strokes(style), strict=False):
        points = _points(at.places(course.values, curve))
        out.append(f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-width="1.8"{dash}/>')
    out += _asked(course, at, style)
    out += _names(course, at, style)
    return "\n".join([*out, "</svg>", ""])


def _strokes(style: Style) -> tuple[tuple[str, str], ...]:
    """Colour and dashes of the first, second and third curve."""
    return (style.ink, ""), (style.second, ' stroke-dasharray="6 4"'), (style.quiet, ' stroke-dasharray="1 3"')


def _asked(course: Course, at: Frame, style: Style) -> list[str]:
    """Lines that curves are held against, each with its words on a strip of the ground: in their order, no two on one another,
    what lies beyond the plot together at its top."""
    lines = sorted((asked for asked in course.asked if asked.value <= at.most), key=lambda each: each.value)
    beyond = sorted((asked for asked in course.asked if asked.value > at.most), key=lambda each: each.value)
    step = 1.15 * style.size
    top = at.top + style.size + (step if beyond else 0.0)
    places: list[float] = []
    for asked in lines:
        places.append(min(at.y(asked.value) - 4, places[-1] - step if places else at.bottom - 3))
    # What was pushed out at the top pushes back.
    for i in reversed(range(len(places))):
        places[i] = max(places[i], top if i == len(places) - 1 else places[i + 1] + step)
    out = [_line((at.left, at.y(asked.value)), (at.right, at.y(asked.value)), style.asked, 1.2, ' stroke-dasharray="2 3"')
           for asked in lines]
    words = [(f"{asked.words} {course.unit}", place) for asked, place in zip(lines, places, strict=True)]
    if beyond:
        words.append((", ".join(f"{asked.words} {course.unit} ↑" for asked in beyond), at.top + style.size))
    for said, place in words:
        wide = 0.56 * style.size * len(said)
        out += [f'<rect x="{at.left + 2:.1f}" y="{place - 0.85 * style.size:.1f}" width="{wide + 4:.1f}" '
                f'height="{1.1 * style.size:.1f}" fill="{style.ground}" fill-opacity="0.85"/>',
                _text(at.left + 5, place, said, style.asked, "start")]
    return out


def _names(course: Course, at: Frame, style: Style) -> list[str]:
    """What the curves show, with a piece of each line beside its name, and what they say."""
    y, x = at.top - 0.7 * style.size, at.left
    words = f"{course.label}, {course.unit}"
    out = [_text(x, y, words, style.quiet, "start")]
    x += 0.56 * style.size * len(words) + 14
    if len(course.curves) > 1:
        for name, (colour, dash) in zip(course.curves, _strokes(style), strict=False):
            out += [_line((x, y - 4), (x + 22, y - 4), colour, 1.8, dash), _text(x + 27, y, name, style.quiet, "start")]
            x += 27 + 0.56 * style.size * len(name) + 14
    if course.bands:
        out += [f'<rect x="{x:.1f}" y="{y - 9:.1f}" width="22" height="9" fill="{style.ink}" fill-opacity="0.13"/>',
                _text(x + 27, y, "90 % of prints", style.quiet, "start")]
        x += 27 + 0.56 * style.size * len("90 % of prints") + 14
    # Where it is narrow the figures are left to the words beside the plot.
    fits = x + 0.56 * style.size * len(course.about) <= at.right
    return [*out, _text(at.right, y, course.about, style.quiet, "end")] if fits else out


def _points(places: Places) -> str:
    return ("%.1f,%.1f " * len(places))[:-1] % tuple(places.ravel().tolist())


def _line(start: Sequence[float], end: Sequence[float], colour: str, width: float, more: str = "") -> str:
    return (f'<line x1="{start[0]:.1f}" y1="{start[1]:.1f}" x2="{end[0]:.1f}" y2="{end[1]:.1f}" stroke="{colour}" '
            f'stroke-width="{width:g}"{more}/>')


def _text(x: float, y: float, words: str, colour: str, anchor: str) -> str:
    return f'<text x="{x:.1f}" y="{y:.1f}" fill="{colour}" text-anchor="{anchor}">{escape(words)}</text>'
