"""Random designs over the whole range of every kind: solved or refused in a sentence, and what is solved is a sound print."""

from __future__ import annotations

import random
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import Cancelled, UserError
from bouncy_latch.core.formats.meshes import FILE_TOLERANCE
from bouncy_latch.core.judge.search import feasible, target
from bouncy_latch.core.judge.view import view_of
from bouncy_latch.core.learn.calibration import ladders, telling
from bouncy_latch.core.learn.posterior.belief import Belief, learn
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.process import population
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.progress import watched
from bouncy_latch.core.project import delivery
from bouncy_latch.core.solids import mesh, sound

OUTLOOK_EVERY = 12


def draw(kind, rng: random.Random) -> dict:
    """Return values for about half of a kind's parameters, most of them not far from their defaults."""
    values = {}
    for facts in kind.params.facts().values():
        if rng.random() < 0.5:
            continue
        if facts.choices:
            values[facts.name] = rng.choice(facts.choices)
            continue
        middle = facts.default if facts.default is not None else (facts.low + facts.high) / 8
        low, high = facts.low, facts.high
        if rng.random() < 0.7:
            low, high = max(low, middle / 2), min(high, 1.7 * middle + facts.step)
        value = rng.uniform(low, high)
        values[facts.name] = round(value) if facts.whole else round(value, 4)
    return values


def answers(kind, params, process: Process, policy: Policy, rng: random.Random, folder: Path) -> Iterator[str]:
    """Ask everything a user can ask of a design, and yield what came of each: "figures" or "a sentence".

    Anything that is neither raises.
    """
    design = Design(kind, params, process, policy)
    name = rng.choice([n for n, f in kind.params.facts().items() if not f.choices])
    for ask in (design.solve, lambda: view_of(design, design.solve()), lambda: feasible.possible(design, frozenset({name})),
                lambda: target.reach(design, frozenset({name}), progress=Brief(40)),
                lambda: ladders.of_kind(kind, process, telling.telling_steps(kind, process, prior_of(process))),
                lambda: delivery.export(design.solve(), kind.id, folder, ("3mf", "stl", "csv", "plot"), design.setup),
                lambda: design.piece().solve()):
        try:
            with watched(lambda: True):
                ask()
            yield "figures"
        except Cancelled:
            yield "figures"
        except UserError as error:
            if not error.sentence or "\n" in error.sentence:
                raise AssertionError(f"no one sentence: {error.sentence!r}") from error
            yield "a sentence"


class Brief:
    """Progress that ends a search after so many reports."""

    def __init__(self, reports: int) -> None:
        self._left = reports

    def __call__(self, _part: float) -> bool:
        self._left -= 1
        return self._left > 0


def prior_of(process: Process) -> Belief:
    """Return what is believed of a printer nothing was printed on."""
    return learn(process, []).belief


def run(seed: int, seconds: float, most: int | None = None) -> tuple[dict, list[str]]:
    """Return counts and the faults found, each with what makes it again; ``most`` designs where that is sooner."""
    rng = random.Random(seed)
    kinds = list(registry.kinds().values())
    tally: Counter = Counter()
    faults = []
    until = time.monotonic() + seconds
    while time.monotonic() < until and (most is None or tally["tried"] < most):
        kind, values, process = rng.choice(kinds), None, rng.choice(population.built_in())
        values = draw(kind, rng)
        tally["tried"] += 1
        try:
            params = fields.parse(kind.params, values)
            solution = kind.solve(params, process)
        except UserError as error:
            tally["refused in a sentence"] += 1
            if "\n" in error.sentence or not error.sentence:
                faults.append(f"{kind.id} {values}: no one sentence: {error.sentence!r}")
            continue
        except Exception as error:
            faults.append(f"{kind.id} {process.id} {values}: {error!r}")
            continue
        tally["solved"] += 1
        try:
            bodies = {name: mesh.evaluate(body).simplify(FILE_TOLERANCE) for name, body in solution.bodies.items()}
            faults += [f"{kind.id} {process.id} {values}: {trouble}" for trouble in sound.troubles(bodies)]
            if tally["solved"] % OUTLOOK_EVERY == 0:
                request = Design(kind, params, process, rng.choice(list(Policy)))
                view_of(request, request.solve())
                tally["outlooks"] += 1
        except UserError:
            tally["refused in a sentence"] += 1
        except Exception as error:
            faults.append(f"{kind.id} {process.id} {values}: {error!r}")
    return dict(tally), faults
