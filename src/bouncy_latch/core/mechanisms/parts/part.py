"""A part: a body that comes off the printer, built in or read from a file, and everything that is built into it.

It is no mechanism: nothing of it is stepped, opened or pushed. Its verdict is that of all that sits on it together.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from bouncy_latch.core.checks import FIT, SHAPE, Check
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.layers.breakaway import nodes_of
from bouncy_latch.core.mechanisms.contract import (
    Aim,
    Derived,
    Kind,
    Motion,
    OnPart,
    Question,
    SectionView,
    Shape,
    Solution,
)
from bouncy_latch.core.mechanisms.parts.sizes import BLOCK, NO_FILE, PartParams, body
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import mesh

WORKS_ID, SIZE_ID = "all-of-it-works", "large-enough"
ENOUGH, EVEN = 85.0, 50.0
"""Chance in per cent that everything on a part works which is asked, and below which it stops (common practice, no source)."""
LEAST = 1.0
"""Least size of a part that is worth printing, mm."""


def solve(params: PartParams, process: Process) -> Solution:
    """Return a part as it is before anything sits on it.

    Raises:
        SolveError: for sizes that make none. ParamError: for a file that is not there.
    """
    own = body(params)
    whole = mesh.evaluate(own.base.placed(own.at))
    x0, y0, z0, x1, y1, z1 = whole.bounding_box()
    volume = float(whole.volume())

    def draw() -> Shape:
        views = (SectionView("through the middle", 0.0, (x0 + x1) / 2),)
        return Shape((own,), views=views)

    least = min(x1 - x0, y1 - y0, z1 - z0)
    return Solution(
        kind=PART.id, params=params, process=process,
        derived=(Derived("across", "from left to right", x1 - x0, "mm", "as it lies on the bed", "geometry"),
                 Derived("deep", "from front to back", y1 - y0, "mm", "as it lies on the bed", "geometry"),
                 Derived("high", "from the bed up", z1 - z0, "mm", "as it lies on the bed", "geometry"),
                 Derived("volume", "plastic, solid", volume / 1000, "cm³", "volume of the part as drawn", "geometry")),
        checks=(Check(SIZE_ID, "Smallest size of the part", least, LEAST, "mm", "how far it is across where it is thinnest",
                      topic=SHAPE, basis="a few lines wide (common practice, no source)",
                      advice="Is its file in another unit? Replace it and say the unit."),
                _works(1.0, ())),
        aim=Aim(WORKS_ID, 1.0, "nothing sits on it yet", "works"), rulers=(),
        motions=(Motion("Stands still", "mm", 0.0, 1.0, 0.0, 0.0, show=0.0),),
        draw=draw, summary=f"{x1 - x0:.1f} × {y1 - y0:.1f} × {z1 - z0:.1f} mm as it lies on the bed.")


def gathered(solution: Solution, made: Sequence[tuple[OnPart, Solution]]) -> Solution:
    """Return a part's solution with the verdicts of all that sits on it, each named by its mechanism, and the chance that all
    of them work: growth is common to all, what else is unknown is each one's own."""
    if not made:
        return solution
    chance = together(made, solution.process)
    # Several places of one mechanism have the same verdicts.
    alike = {(guest.kind.id, guest.params): (guest, own) for guest, own in reversed(made)}
    made = tuple(each for each in made if each in alike.values())
    names = tuple(guest.name for guest, _ in made)
    rest = tuple(check for check in solution.checks if check.id != WORKS_ID)
    worst = min(made, key=lambda each: each[1].aim.chance)
    weakest = f"{worst[0].name} is the likeliest to fail: {100 * worst[1].aim.chance:.0f} % {worst[1].aim.words}"
    return replace(
        solution, checks=(_works(chance, names, weakest), *rest, *(_named(guest, check) for guest, own in made
                                                                for check in own.checks)),
        aim=Aim(WORKS_ID, chance, "everything on it works", "works"),
        summary=f"{solution.summary} {len(made)} mechanism{'s' if len(made) > 1 else ''} on it: {', '.join(names)}. "
                f"In {100 * chance:.0f} % of prints all of it works at the first print.")


def together(made: Sequence[tuple[OnPart, Solution]], process: Process) -> float:
    """Return the chance that all of some mechanisms work in one print, 0 to 1.

    At every growth the chances of mechanisms that know nothing else of each other are multiplied; growth is weighed as it is
    believed. Mechanisms of one kind and size share what is unknown of their family: they stand or fall together.
    """
    growths, weights = nodes_of(process.growth)
    found = np.ones(len(growths))
    for guest in {(guest.kind.id, guest.params): guest for guest, _ in made}.values():
        for number, growth in enumerate(growths):
            try:
                found[number] *= guest.kind.figures(guest.params, process.with_growth(float(growth))).aim.chance
            except UserError:
                found[number] = 0.0
    return float(weights @ found)


def _works(chance: float, names: Sequence[str], weakest: str = "") -> Check:
    why = f"{', '.join(names)} in one print; {weakest}" if names else "nothing is built into it yet"
    return Check(WORKS_ID, "Everything on it works", 100 * chance, ENOUGH, "%", why, stop=EVEN, printer=True, leads=True,
                 topic=FIT, basis="85 % of first prints (common practice, no source)",
                 advice="Choose the mechanism that fails on the shelf and mend it there." if names else "")


def _named(guest: OnPart, check: Check) -> Check:
    """Return a verdict of a mechanism as the part it sits on shows it: mended on its own page."""
    return replace(check, id=f"{guest.name}: {check.id}", label=f"{guest.name}: {check.label[:1].lower()}{check.label[1:]}",
                   mend=(), instead=(), place=None, leads=False,
                   advice=f"Choose {guest.name} on the shelf: its page mends this.")


PART = Kind(
    id="part",
    title="Part",
    summary="A body that mechanisms are built into: built in, or read from a file of yours.",
    params=PartParams,
    solve=solve,
    questions=(Question("Which body is it?", ("shape", "outline")),
               Question("How large is it?", ("length", "width", "height", "thickness", "diameter")),
               Question("How thick are its walls?", ("wall", "floor", "corner_radius")),
               Question("How does it lie on the bed?", ("stands",))),
    recommend="",
    test_piece={"shape": BLOCK, "file": NO_FILE},
    clearance="",
    variant="shape",
    gathers=gathered,
)
