"""Everything slow that is shown beside a design, in one piece: its outlook, its rulers' zones and brackets."""

from __future__ import annotations

from dataclasses import dataclass

from bouncy_latch.core.advise import rulers
from bouncy_latch.core.advise.verdicts import Outlook, Request, outlook
from bouncy_latch.core.advise.zones import Zones, ruler_zones
from bouncy_latch.core.mechanisms.contract import Solution


@dataclass(frozen=True)
class View:
    """The outlook of a request, the zones of its rulers by id, and what the print window stands for on each."""

    outlook: Outlook
    zones: dict[str, Zones]
    brackets: dict[str, tuple[float, float] | None]


def view_of(request: Request, solution: Solution) -> View:
    """Return the view of a solution; tens of milliseconds, some hundreds where many verdicts fail."""
    found = outlook(request, solution)
    brackets = {ruler.id: rulers.bracket(request.kind, request.params, request.judged, ruler, found.window)
                if found.window else None for ruler in solution.rulers}
    return View(found, {ruler.id: ruler_zones(ruler) for ruler in solution.rulers}, brackets)
