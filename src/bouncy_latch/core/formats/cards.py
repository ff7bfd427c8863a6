"""A card to print and lay beside the machine: where it stops, what the hand does then, and what to mind."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

WIDE, LEFT, LINE = 420, 18, 15
_LETTERS = 62
"""Letters that a line of the card has room for."""


@dataclass(frozen=True)
class Task:
    """What is done at a stop: before which height, mm; what goes in, where, and how."""

    height: float
    insert: str
    where: str
    note: str


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
    y += 1.6 * LINE
    for caution in cautions:
        for number, line in enumerate(textwrap.wrap(caution, _LETTERS + 4)):
            y += LINE
            out.append(_text(LEFT, y, line if number else f"! {line}", 11))
    high = y + 20
    return "\n".join([f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDE}" height="{high:.0f}" '
                      f'viewBox="0 0 {WIDE} {high:.0f}" font-family="Manrope, sans-serif">', f"<title>{escape(title)}</title>",
                      f'<rect width="{WIDE}" height="{high:.0f}" fill="#FFFFFF" stroke="#202A30"/>', *out, "</svg>", ""])


def _text(x: float, y: float, words: str, size: float, strong: bool = False) -> str:
    weight = ' font-weight="700"' if strong else ""
    return f'<text x="{x:.0f}" y="{y:.1f}" font-size="{size:g}" fill="#202A30"{weight}>{escape(words)}</text>'
