"""A design: kind, sizes, where its sides sit, and the printer it is for. Solved once and kept, asked by everyone."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import Any

from bouncy_latch.core.fields import Params
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.hosting import Guest
from bouncy_latch.core.layers.kept import Kept
from bouncy_latch.core.layers.setup import DESIGNED, PrintSetup
from bouncy_latch.core.mechanisms.contract import Kind, Solution
from bouncy_latch.core.placing import Placement, placed
from bouncy_latch.core.process.population import effective
from bouncy_latch.core.process.profile import Policy, Process

_kept = Kept(40)
"""Designs with placements, as they were solved: a few steps of a drag."""


@frozen
class Design:
    """Everything a judgement depends on; cheap to make, and it can be asked from any thread.

    Attributes:
        process: as it is believed to be; ``policy``: whose printer it must work on.
        setup: how it is set up to print.
        errors: standard errors (mm) of given sizes that were measured.
        placements: its sides that sit on other bodies than its built-in ones, and sides of others that sit on its bodies.
    """

    kind: Kind
    params: Params
    process: Process
    policy: Policy = Policy.MINE
    setup: PrintSetup = DESIGNED
    errors: tuple[tuple[str, float], ...] = ()
    placements: tuple[Placement, ...] = ()

    @property
    def guests(self) -> tuple[Guest, ...]:
        """The placements that are other mechanisms' on its bodies."""
        return tuple(each for each in self.placements if isinstance(each, Guest))

    @cached_property
    def judged(self) -> Process:
        """The process the policy judges by."""
        return effective(self.process, self.policy)

    def solve(self) -> Solution:
        """Return the solution; raises SolveError when there is none, ParamError for a side the kind has not."""
        solved = self.kind.solve(self.params, self.judged)
        if not self.placements:
            return solved
        key = self.kind.id, self.params, self.judged, self.placements
        found: Solution = _kept.get(key, lambda: placed(solved, self.kind, self.placements))
        return found

    def figures(self) -> Solution:
        """Return the solution without trying whether it can be drawn; raises as :meth:`solve`."""
        return self.solve() if self.placements else self.kind.figures(self.params, self.judged)

    def changed(self, **values: Any) -> Design:
        """Return the design with some sizes changed; raises ParamError."""
        return replace(self, params=self.params.changed(**values))

    def grown(self, growth: float) -> Design:
        """Return the design on a printer of known growth, mm per side; what sits on a mechanism has no part in that, what sits
        on a part is all there is of it."""
        own = tuple(each for each in self.placements if self.kind.is_part or not isinstance(each, Guest))
        return replace(self, process=self.judged.with_growth(growth), policy=Policy.MINE, placements=own)

    def piece(self) -> Design:
        """Return the test piece: the same mechanism on minimal built-in parts, lying as designed."""
        return replace(self, params=self.kind.piece_of(self.params), setup=DESIGNED, placements=())
