"""What a family's own ladder is worth: how likely a design works at its best size now, and once the ladder is printed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from bouncy_latch.core.design import Design
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.search.window import recommended
from bouncy_latch.core.layers.likelihood import OfTerm
from bouncy_latch.core.learn.calibration.ladders import Coupon
from bouncy_latch.core.learn.posterior.belief import Learnt, learn
from bouncy_latch.core.learn.posterior.names import NAMES
from bouncy_latch.core.learn.posterior.outcome import printed
from bouncy_latch.core.learn.posterior.outcome_grid import OF_FAMILIES
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.process.evidence import Reading, Result
from bouncy_latch.core.process.profile import Process

WORTH = 0.03
"""A ladder is asked for where it raises the chance by so much."""


@frozen
class Promise:
    """The chance that a design works at its best size, 0 to 1: as things are known now, and expected after a ladder."""

    now: float
    then: float

    @property
    def worth(self) -> bool:
        """Whether the ladder is worth its print."""
        return self.then > self.now + WORTH


def of_family(kind: Kind, process: Process) -> bool:
    """Whether outcomes of a kind narrow what the model of its family does not know."""
    likelihood = kind.figures(kind.piece_of(kind.params()), process).likelihood
    return isinstance(likelihood, OfTerm) and likelihood.term in OF_FAMILIES


def promised(design: Design, begin: Process, items: Sequence[Result | Reading], learnt: Learnt, coupon: Coupon) -> Promise:
    """Return what a ladder of a design's kind is worth, were its steps to come out as is likeliest now.

    Args:
        begin: the process where learning starts. items: what has been learnt from, ``learnt`` what that taught.

    Raises:
        UserError: where the design cannot be made.
    """
    belief = learnt.belief
    found: list[Result] = []
    for number, step in enumerate(coupon.stepped):
        blank = Result("", begin.id, coupon.kind, coupon.param, step.value, "", copy=number, params=step.params)
        likelihood = printed(blank, design.process)
        assert isinstance(likelihood, OfTerm), "what a family does not know is a number"
        at = NAMES.index(likelihood.term)
        chances = likelihood.at(np.array([belief.mean[0]]), np.array([[belief.mean[at]]]))[0, 0]
        found.append(replace(blank, outcome=design.kind.outcomes.names[int(np.argmax(chances))]))
    after = learn(begin, [*items, *found]).belief.process(begin)
    return Promise(_best(design), _best(replace(design, process=after)))


def _best(design: Design) -> float:
    best = recommended(design)
    at = design if best is None else design.changed(**{design.kind.recommend: best})
    return float(at.figures().aim.chance)
