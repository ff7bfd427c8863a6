"""A verdict as data: a figure against its limit, with its reason and place."""

from __future__ import annotations

from collections.abc import Iterable

from bouncy_latch.core.frozen import frozen

OK, LOOK, STOP = "ok", "look", "stop"
SEVERITY = {OK: 0, LOOK: 1, STOP: 2}
FIT, SHAPE, PRINT = "fit", "shape", "print"
TOPICS = (FIT, SHAPE, PRINT)
ENDLESS = 1e6
"""Stands for what has no end, such as the force to push in what jams."""


@frozen
class Check:
    """One verdict as data.

    Attributes:
        value: the measured or computed figure.
        limit: what it should reach; beyond it the verdict is *look*.
        stop: beyond this the verdict is *stop*; None when it never stops the print.
        least: whether the limit is a least (True) or a most (False).
        why: one sentence.
        mend: names of sizes that could mend it, likeliest first.
        instead: choices that could mend it, each a parameter and the word it would have.
        printer: whether it depends on the printer's accuracy and so bounds the print window.
        place: the point it comes from, mm, print pose.
        posed: whether it holds only for the print pose the mechanism was designed for.
        leads: whether it is told before all others when it fails, because it spoils what they rest on.
        topic: which stop it belongs to: ``fit``, ``shape`` or ``print``.
        basis: where the limit comes from, in words.
        advice: what to do where no size mends it, as a sentence.
        log_error: of a figure that may be missed on either side: ln(actual / asked); None for others.
    """

    id: str
    label: str
    value: float
    limit: float
    unit: str
    why: str
    least: bool = True
    stop: float | None = None
    mend: tuple[str, ...] = ()
    instead: tuple[tuple[str, str], ...] = ()
    printer: bool = False
    place: tuple[float, float, float] | None = None
    posed: bool = False
    leads: bool = False
    topic: str = SHAPE
    basis: str = ""
    advice: str = ""
    log_error: float | None = None

    @property
    def margin(self) -> float:
        """Distance to the limit, positive when it holds."""
        return self.value - self.limit if self.least else self.limit - self.value

    @property
    def figures(self) -> tuple[str, str]:
        """The figure and its limit as text, without unit, with as many digits as they are worth."""
        coarse = self.unit in {"°", "places"} or (self.unit in {"%", "N·mm"} and abs(self.limit) >= 10)
        digits = 0 if coarse else 1 if self.unit in {"N", "N·mm"} else 2
        return ("∞" if abs(self.value) >= ENDLESS else f"{self.value:.{digits}f}"), f"{self.limit:.{digits}f}"

    @property
    def words(self) -> str:
        """The figure with its unit and what it is held against, as 17 % (needs 85 %) or 60° (at most 46°)."""
        unit = self.unit if self.unit in {"", "°"} else f" {self.unit}"
        value, limit = self.figures
        return f"{value}{unit} ({'needs' if self.least else 'at most'} {limit}{unit})"

    @property
    def verdict(self) -> str:
        """``ok``, ``look`` or ``stop``."""
        if self.margin >= -1e-9:
            return OK
        if self.stop is None:
            return LOOK
        past = self.value < self.stop - 1e-9 if self.least else self.value > self.stop + 1e-9
        return STOP if past else LOOK


def worst(checks: Iterable[Check]) -> str:
    """Return the gravest verdict among checks."""
    return max((c.verdict for c in checks), key=lambda v: SEVERITY[v], default=OK)


def ordered(checks: Iterable[Check]) -> list[Check]:
    """Return checks worst first, those that lead before them; equal ones by how near they are to their limit."""

    def nearness(check: Check) -> float:
        return check.margin / (abs(check.limit) or 1.0)

    return sorted(checks, key=lambda c: (not (c.leads and c.verdict != OK), -SEVERITY[c.verdict], nearness(c)))
