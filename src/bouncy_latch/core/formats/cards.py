"""A card to print and lay beside the machine: where it stops, what the hand does then, and what to mind."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from html import escape

import numpy as np

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import Array

WIDE, LEFT, LINE = 420, 18, 15
PICTURE = (240, 140)
"""Room of a layer's picture on the card."""
_LETTERS = 62
"""Letters that a line of the card has room for."""


@frozen
class Task:
    """What is done at a stop: after which height, mm; what goes in, where, and how; ``layer``: outlines (n, 2), mm, of what
    lies on the bed then."""

    height: float
    insert: str
    where: str
    note: str
    layer: Sequence[Array] = ()


def to_svg(title: str, tasks: Sequence[Task], cautions: Sequence[str]) -> str:
    """Return the card: a box to tick at every stop, in the order of their heights, and the cautions."""
    y = 30.0
    out = [_text(LEFT, y, title, 16, True)]
    for task in sorted(tasks, key=lambda each: each.height):
        y += 2 * LINE
        out.append(f'<rect x="{LEFT}" y="{y - 11:.0f}" width="12" height="12" fill="none" stroke="#202A30"/>')
        out.append(_text(LEFT + 20, y, f"after {task.height:.2f} mm: {task.insert}, {task.where}", 12.5, True))
        for line in textwrap.wrap(task.note, _LETTERS):
            y += LINE
            out.append(_text(LEFT + 20, y, line, 11))
        if task.layer:
            y += LINE
            high, picture = _picture(task.layer, LEFT + 20, y)
            out.append(picture)
            y += high
    y += 1.6 * LINE
    for caution in cautions:
        for number, line in enumerate(textwrap.wrap(caution, _LETTERS + 4)):
            y += LINE
            out.append(_text(LEFT, y, line if number else f"! {line}", 11))
    high = y + 20
    return "\n".join([f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDE}" height="{high:.0f}" '
                      f'viewBox="0 0 {WIDE} {high:.0f}" font-family="Manrope, sans-serif">', f"<title>{escape(title)}</title>",
                      f'<rect width="{WIDE}" height="{high:.0f}" fill="#FFFFFF" stroke="#202A30"/>', *out, "</svg>", ""])


def _picture(outlines: Sequence[Array], left: float, top: float) -> tuple[float, str]:
    """Return the height and the path of outlines seen from above."""
    points = np.vstack(outlines)
    low, high = points.min(axis=0), points.max(axis=0)
    scale = min(PICTURE[0] / max(high[0] - low[0], 1.0), PICTURE[1] / max(high[1] - low[1], 1.0))
    drawn = " ".join("M" + " L".join(f"{left + (x - low[0]) * scale:.1f},{top + (high[1] - y) * scale:.1f}"
                                     for x, y in outline) + " Z" for outline in outlines)
    path = f'<path d="{drawn}" fill="#C9D6DF" stroke="#202A30" stroke-width="0.8" fill-rule="evenodd"/>'
    return float((high[1] - low[1]) * scale), path


def _text(x: float, y: float, words: str, size: float, strong: bool = False) -> str:
    weight = ' font-weight="700"' if strong else ""
    return f'<text x="{x:.0f}" y="{y:.1f}" font-size="{size:g}" fill="#202A30"{weight}>{escape(words)}</text>'
