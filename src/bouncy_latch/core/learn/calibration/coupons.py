"""Coupons that belong to no one kind, by name, and what lies beside a first print for screws and nuts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from bouncy_latch.core.learn.calibration.ladders import (
    SPACING,
    Coupon,
    Step,
    bend_bar,
    bridges,
    fit_ladder,
    flat_gaps,
    pegs_and_holes,
    row,
)
from bouncy_latch.core.learn.calibration.telling import telling_steps
from bouncy_latch.core.learn.posterior.belief import learn
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import mesh, tree


def screws(process: Process, but: str = "") -> Coupon:
    """Return a short bolt with its nut and two pockets for a bought nut, at the sizes that tell most; ``but``: a kind whose
    pieces are there already."""
    belief = learn(process, []).belief
    bodies: dict[str, tree.Solid] = {}
    steps: tuple[Step, ...] = ()
    x = 0.0
    for name, kind in registry.kinds().items():
        if kind.ladder is not None and kind.ladder.beside and name != but:
            values = telling_steps(kind, process, belief, kind.ladder.beside)
            made, told, x = row(kind, process, values, x=x, mark=f"{name}-")
            bodies |= made
            steps += tuple(replace(step, kind=name) for step in told)
    names = [registry.kind(name).title.lower() for name in dict.fromkeys(step.kind for step in steps)]
    return Coupon("screws", " and ".join(names), bodies, steps)


def joined(first: Coupon, other: Coupon) -> Coupon:
    """Return one print of two coupons, the other one behind the first."""
    deep = max(mesh.evaluate(solid).bounding_box()[4] for solid in first.bodies.values())
    low = min(mesh.evaluate(solid).bounding_box()[1] for solid in other.bodies.values())
    behind = {name: solid.move(y=deep + SPACING - low) for name, solid in other.bodies.items()}
    return replace(first, title=f"{first.title}, {other.title}", bodies={**first.bodies, **behind},
                   steps=(*first.steps, *other.steps))


def plain_coupons() -> dict[str, Callable[[Process], Coupon]]:
    """Return the coupons that belong to no kind, by their names on the command line."""
    return {"pegs-and-holes": pegs_and_holes, "fits": fit_ladder, "flat-gaps": flat_gaps, "bridges": bridges,
            "bend-bar": bend_bar, "screws": screws}
